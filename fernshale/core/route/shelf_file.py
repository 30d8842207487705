"""The file `shelf.toml`: read with every fault and its line, and written for those who serve a shelf."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import MISSING, dataclass, field, fields, is_dataclass, replace
from graphlib import CycleError, TopologicalSorter
from pathlib import Path, PurePosixPath
from typing import Any, ClassVar

from fernshale.core.base.errors import FormatError, MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import has_usual_preview, is_release, parse_release
from fernshale.core.base.texts import and_list
from fernshale.core.base.toml_schema import STRICT, parse_toml
from fernshale.core.route.shelf import EngineRelease, PluginRelease, ShelfRelease, Succession

FORMAT = "fernshale-shelf/1"
NAME = "shelf.toml"
_CHECKSUM = lazy_pattern(r"sha256:[0-9a-f]{64}")


@dataclass(frozen=True, slots=True)
class ShelfFile:
    """The content of a `shelf.toml`. `files` are checksums of single files, such as notes, by path."""

    __pydantic_config__: ClassVar = STRICT
    title: str = ""
    engine: tuple[EngineRelease, ...] = ()
    plugin: tuple[PluginRelease, ...] = ()
    succession: tuple[Succession, ...] = ()
    files: dict[str, str] = field(default_factory=dict)

    @property
    def releases(self) -> tuple[ShelfRelease, ...]:
        return (*self.engine, *self.plugin)


def parse_shelf_file(text: str, path: Path) -> ShelfFile:
    """Parse a shelf file. Raises FormatError with all errors, including contradictions."""
    file = parse_toml(text, path, ShelfFile, FORMAT)
    lines = _lines_of(text)
    faults = [(lines.get((table, number), 0), fault) for table, number, fault in _faults(file)]
    if faults:
        raise FormatError(path, sorted(faults))
    return file


def paths_of(item: ShelfRelease) -> Iterator[str]:
    """Everything a release names on its shelf: its folder or archive first, then single files."""
    if not item.place:
        yield item.archive or item.folder
    yield from files_of(item)


def files_of(item: ShelfRelease) -> Iterator[str]:
    """Return the single files of a release."""
    if item.notes:
        yield item.notes
    if isinstance(item, EngineRelease):
        yield from item.rules


def is_inside(path: str) -> bool:
    """Whether a path of a shelf stays in it: relative, without `..`, drive letters and backslashes."""
    parts = PurePosixPath(path).parts
    return bool(parts) and not path.startswith("/") and ".." not in parts and not re.match(r"^[A-Za-z]:|.*[\\\0]", path)


def oddities(file: ShelfFile) -> Iterator[str]:
    """Return harmless inconsistencies: cycles of requirements, requirements of plugins that no shelf has."""
    known = {item.id for item in file.plugin}
    for item in file.plugin:
        for need in item.requires:
            if need.id not in known:
                yield f"{item.id} {item.version} requires {need.id}, of which no release is on the shelf"
    for circle in _circles({item.id: {need.id for need in item.requires} for item in file.plugin}):
        names = and_list(circle)
        yield f"{names} require one another: they are updated together or not at all"


def write_shelf_file(file: ShelfFile) -> str:
    """Return the text of a shelf file; parsing it returns an equal `file`."""
    blocks = [f"format = {_toml(FORMAT)}\ntitle = {_toml(file.title)}"]
    if file.files:
        blocks.append("\n".join(["[files]", *(f"{_toml(path)} = {_toml(sum)}" for path, sum in file.files.items())]))
    for name in ("engine", "plugin", "succession"):
        blocks += [_block(name, item) for item in getattr(file, name)]
    return "\n\n".join(blocks) + "\n"


def write_releases(items: Sequence[ShelfRelease]) -> str:
    """The part of a shelf file for some releases, to be added to one."""
    blocks = (_block("engine" if isinstance(item, EngineRelease) else "plugin", item) for item in items)
    return "\n\n".join(blocks) + "\n"


def _block(table: str, item: Any) -> str:
    return "\n".join([f"[[{table}]]", *_toml_lines(item)])


def _toml_lines(item: Any) -> list[str]:
    return [f"{name} = {_toml(value)}" for name, value in _values(item).items()]


def _values(item: Any) -> dict[str, Any]:
    """The fields of a value that differ from their default."""
    shown = {}
    for spec in fields(item):
        value = getattr(item, spec.name)
        default = spec.default if spec.default_factory is MISSING else spec.default_factory()
        if default is MISSING or value != default:
            shown[spec.name] = value
    return shown


def _toml(value: Any) -> str:
    if is_dataclass(value):
        return "{ " + ", ".join(_toml_lines(value)) + " }"
    if isinstance(value, dict):
        return "{ " + ", ".join(f"{_toml(key)} = {_toml(part)}" for key, part in value.items()) + " }"
    if isinstance(value, tuple):
        return "[" + ", ".join(_toml(part) for part in value) + "]"
    return json.dumps(value, ensure_ascii=False).replace("\x7f", "\\u007f")


def _faults(file: ShelfFile) -> Iterator[tuple[str, int, str]]:
    """Yield (table, number, error)."""
    groups: tuple[tuple[str, tuple[ShelfRelease, ...]], ...] = (("engine", file.engine), ("plugin", file.plugin))
    for table, items in groups:
        seen: dict[tuple[str, object], ShelfRelease] = {}
        for number, item in enumerate(items):
            for fault in _release_faults(item):
                yield table, number, f"{item.id} {item.version}: {fault}"
            if not is_release(item.version):
                continue
            key = (item.id, parse_release(item.version))
            if key in seen:
                other = seen[key]
                same = "says the same" if replace(item, version=other.version) == other else "says something else"
                yield table, number, f"{item.id} {item.version} stands here twice, and the second {same}"
            seen.setdefault(key, item)
    for path, checksum in file.files.items():
        if not is_inside(path):
            yield "files", 0, f"{path} lies outside the shelf"
        if not _CHECKSUM.fullmatch(checksum):
            yield "files", 0, f"{path}: the checksum must be sha256: and 64 hexadecimal digits"
    yield from _succession_faults(file)


def _release_faults(item: ShelfRelease) -> Iterator[str]:
    if not (item.folder or item.archive or item.place):
        yield "one of the keys folder, archive and place is needed"
    if item.place and (item.folder or item.archive or not item.place.startswith("/")):
        yield "a place is an absolute path, and excludes folder and archive"
    for path in (*paths_of(item), item.folder):
        if path and not is_inside(path):
            yield f"{path} lies outside the shelf"
    if item.checksum and not _CHECKSUM.fullmatch(item.checksum):
        yield "the checksum must be sha256: and 64 hexadecimal digits"
    ranges: list[str] = []
    try:
        release = parse_release(item.version)
        if item.stage == "stable" and release.is_preview and has_usual_preview(release):
            yield "its number is that of a preview, but its stage says stable"
        if isinstance(item, PluginRelease):
            ranges = [item.accepts, item.said_to_work, *(need.accepts for need in item.requires)]
            if any(need.id == item.id for need in item.requires):
                yield "it requires itself"
        else:
            for demand in item.demands:
                parse_release(demand.at_least)
        for text in ranges:
            parse_range(text)
    except MisuseError as error:
        yield error.message


def _succession_faults(file: ShelfFile) -> Iterator[tuple[str, int, str]]:
    seen: dict[str, Succession] = {}
    for number, item in enumerate(file.succession):
        if item.id in seen:
            yield "succession", number, f"{item.id}: what became of it is said twice"
        seen.setdefault(item.id, item)
        if (item.kind == "deprecated") != (not item.to):
            wanted = "no successor" if item.kind == "deprecated" else "at least one successor in `to`"
            yield "succession", number, f"{item.id}: what is {item.kind} has {wanted}"
    for circle in _circles({id: set(item.to) for id, item in seen.items()}):
        number = next(at for at, item in enumerate(file.succession) if item.id == circle[0])
        yield "succession", number, f"{' → '.join([*circle, circle[0]])}: each would follow the other for ever"


def _circles(edges: Mapping[str, set[str]]) -> list[tuple[str, ...]]:
    """Groups of ids that reach one another, each sorted (the strongly connected components of two or more)."""
    try:
        TopologicalSorter(edges).prepare()
    except CycleError:
        return _components(edges)
    return []


def _components(edges: Mapping[str, set[str]]) -> list[tuple[str, ...]]:
    """Strongly connected components, imported only if there is a cycle, since loading the library takes half a second."""
    from scipy.sparse import csr_array
    from scipy.sparse.csgraph import connected_components

    names = sorted({*edges, *(other for others in edges.values() for other in others)})
    at = {name: number for number, name in enumerate(names)}
    pairs = [(at[name], at[other]) for name, others in edges.items() for other in others]
    rows, columns = zip(*pairs, strict=True)
    graph = csr_array(([1] * len(pairs), (rows, columns)), shape=(len(names), len(names)))
    _, labels = connected_components(graph, directed=True, connection="strong")
    groups: dict[int, list[str]] = {}
    for name, label in zip(names, labels, strict=True):
        groups.setdefault(int(label), []).append(name)
    return [tuple(group) for group in groups.values() if len(group) > 1]


def _lines_of(text: str) -> dict[tuple[str, int], int]:
    """1-based line of each `[[table]]`, counted by its name."""
    lines: dict[tuple[str, int], int] = {}
    counts: dict[str, int] = {}
    for number, line in enumerate(text.split("\n"), 1):
        if found := re.match(r"\s*\[\[?\s*([\w-]+)\s*\]\]?", line):
            counts[found[1]] = counts.get(found[1], -1) + 1
            lines[found[1], counts[found[1]]] = number
    return lines
