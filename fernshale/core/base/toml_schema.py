"""TOML files of ours into frozen dataclasses, with file and line for each fault and all faults at once."""

from __future__ import annotations

import re
from functools import cache, lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any, TypeVar, cast

from fernshale.core.base.errors import FormatError, MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.parse_errors import Malformed, load_toml
from fernshale.core.base.texts import tr

if TYPE_CHECKING:
    import pydantic

T = TypeVar("T")

# A description for each value of a format, so that unknown keys are reported instead of ignored.
STRICT: Any = {"extra": "forbid"}


class ByKind:
    """Marks a union of dataclasses of which the key `kind` selects one, in `Annotated[A | B, ByKind()]`. The field `kind` of each
    is a literal."""

    def __get_pydantic_core_schema__(self, source: Any, handler: Any) -> Any:
        import pydantic

        return handler.generate_schema(Annotated[source, pydantic.Field(discriminator="kind")])


# Longer texts are parsed each time, characters.
_MAX_KEPT = 1_000_000
_HEADER = lazy_pattern(r"^\s*(\[\[?)\s*([^\]]+?)\s*\]\]?\s*(?:#.*)?$")
_KEY = lazy_pattern(r"""^\s*((?:[\w-]+|"[^"]*"|'[^']*')(?:\s*\.\s*(?:[\w-]+|"[^"]*"|'[^']*'))*)\s*=""")


def read_toml(path: Path, shape: type[T], name: str) -> T:
    """The file at `path` as a `shape`. `name` is the value its `format` key must have, as `fernshale-rules/1`.

    Raises MisuseError when it cannot be read, FormatError with every fault when it breaks the format.
    """
    return parse_toml(read_utf8(path)[1], path, shape, name)


def read_utf8(path: Path) -> tuple[bytes, str]:
    """A text file of ours in one reading, as bytes and as text. Raises MisuseError when it cannot be read."""
    try:
        data = path.read_bytes()
        return data, data.decode("utf-8")
    except OSError as error:
        raise MisuseError(
            tr("{path} cannot be read: {strerror}", path=path, strerror=error.strerror or error)
        ) from error
    except UnicodeDecodeError as error:
        line = data.count(b"\n", 0, error.start) + 1
        raise FormatError(path, [(line, tr("is not UTF-8 text"))]) from error


def parse_toml(text: str, path: Path, shape: type[T], name: str) -> T:
    """As `read_toml`, from text. Raises FormatError."""
    read = _parsed if len(text) <= _MAX_KEPT else _parsed.__wrapped__
    return cast(T, read(text, path, cast(Any, shape), name))


@lru_cache(maxsize=256)
def _parsed(text: str, path: Path, shape: Any, name: str) -> Any:
    """The value of a text. Values are frozen, and each inspection reads the same few files again."""
    try:
        data = load_toml(text)
    except Malformed as error:
        raise FormatError(path, [(error.line, error.what)]) from error
    if data.pop("format", None) != name:
        raise FormatError(path, [(1, tr('the format key must be "{name}"', name=name))])
    if "from" in data:  # a keyword in Python, and the right word in a file
        data["from_"] = data.pop("from")
    import pydantic

    try:
        return _reader(shape).validate_python(data)
    except pydantic.ValidationError as error:
        lines = _line_of_keys(text)
        faults = [_as_fault(fault, data, lines) for fault in error.errors()]
        raise FormatError(path, sorted(faults)) from error


@cache
def _reader(shape: Any) -> pydantic.TypeAdapter[Any]:
    """Creating a reader takes longer than reading a file with it."""
    import pydantic

    return pydantic.TypeAdapter(shape)


def _as_fault(fault: Any, data: Any, lines: dict[tuple[str | int, ...], int]) -> tuple[int, str]:
    """The 1-based line and the words of an error."""
    place = _without_kinds(fault["loc"], data)
    if fault["type"] in ("union_tag_invalid", "union_tag_not_found"):
        place = (*place, "kind")
    return _line_for(lines, place), _wording(fault, ".".join(map(str, place)))


def _without_kinds(place: tuple[str | int, ...], data: Any) -> tuple[str | int, ...]:
    """The place of an error without the kinds of values, which follow the place of each value of `ByKind`."""
    found: list[str | int] = []
    at, kind = data, None
    for part in place:
        if kind is not None and part == kind:
            kind = None
            continue
        found.append(part)
        try:
            at = at[part]
        except (KeyError, IndexError, TypeError):
            at = None
        kind = at.get("kind") if isinstance(at, dict) else None
    return tuple(found)


def _wording(fault: Any, where: str) -> str:
    if fault["type"] in ("extra_forbidden", "unexpected_keyword_argument"):
        return tr("unknown key {where}", where=where)
    if fault["type"] in ("missing", "missing_argument", "union_tag_not_found"):
        return tr("missing key {where}", where=where)
    if fault["type"] == "union_tag_invalid":
        return tr(
            "{where}: {tag!r} is unknown; use one of {expected_tags}",
            where=where,
            tag=fault["ctx"]["tag"],
            expected_tags=fault["ctx"]["expected_tags"],
        )
    return f"{where}: {fault['msg'].removeprefix('Value error, ')}"


def _line_for(lines: dict[tuple[str | int, ...], int], place: tuple[str | int, ...]) -> int:
    for length in range(len(place), 0, -1):
        if place[:length] in lines:
            return lines[place[:length]]
    return 0


def _line_of_keys(text: str) -> dict[tuple[str | int, ...], int]:
    """1-based line of each table and key; arrays of tables count from 0 as in the parsed data."""
    lines: dict[tuple[str | int, ...], int] = {}
    counts: dict[tuple[str | int, ...], int] = {}
    table: tuple[str | int, ...] = ()
    for number, line in enumerate(text.split("\n"), 1):
        if header := _HEADER.match(line):
            table = ()
            parts = _key_parts(header[2])
            for index, part in enumerate(parts):
                table = (*table, part)
                last = index == len(parts) - 1
                if last and header[1] == "[[":
                    counts[table] = counts.get(table, -1) + 1
                if table in counts:
                    table = (*table, counts[table])
            lines[table] = number
        elif key := _KEY.match(line):
            lines[(*table, *_key_parts(key[1]))] = number
    return lines


def _key_parts(text: str) -> list[str]:
    return [part.strip().strip("\"'") for part in re.findall(r"""[\w-]+|"[^"]*"|'[^']*'""", text)]
