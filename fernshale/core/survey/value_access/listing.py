"""List the values of a settings file of any known format, each with a locator and its names."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice

from fernshale.core.base.errors import FormatError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.limits import limits
from fernshale.core.base.parse_errors import Malformed
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.model import Reach
from fernshale.core.survey.value_access.build_scripts import assignments, cmake_arguments
from fernshale.core.survey.value_access.found_value import FoundValue
from fernshale.core.survey.value_access.ini_values import ini_values, properties
from fernshale.core.survey.value_access.tree_formats import read_values
from fernshale.core.survey.value_access.value_tree import (
    ValueNode,
    as_dotted,
    as_pointer,
    list_nodes,
)
from fernshale.core.survey.value_access.xml_values import list_xml

_JSON = ("json", "jsonc", "json5", "gltf")
_YAML = ("yaml", "yml")
_XML = ("xml", "csproj", "props", "targets", "plist", "vcxproj", "svg")
_SCRIPT = ("gradle", "groovy")
_INI = ("ini", "cfg", "conf")
# Files that look like `key = value` and are not.
_NO_PAIRS = frozenset(
    """md rst txt sh bash bat ps1 py js ts jsx tsx mjs c h cc cpp cxx hpp hxx rs java kt cs lua go rb html htm css mk am
    tex tsv csv log lock""".split()  # noqa: SIM905 - a table of words reads best as words
)
_SECTION = lazy_pattern(r"(?m)^[ \t]*\[[^\]\n]+\][ \t]*\r?$")
_PAIR = lazy_pattern(r"[ \t]*[\w.$-]+[ \t]*[=:]")


@dataclass(frozen=True, slots=True)
class ListedValue:
    """A value, its locator, and its names: the keys that lead to it, then the names next to it."""

    reach: Reach
    names: tuple[str, ...]
    value: FoundValue
    is_list: bool = False


def list_values(path: TreePath, text: str) -> tuple[ListedValue, ...] | None:
    """The values of a file in the order of its text; None for a file that has no keys, or is broken.

    A locator that finds several values is left out, unless it finds them in a build script, where calls repeat.
    """
    try:
        found = tuple(islice(_values(path, text), limits().draft_values))
    except (Malformed, FormatError, RecursionError, ValueError):
        return None
    if not found:
        return None
    counts = Counter(item.reach for item in found)
    return tuple(item for item in found if counts[item.reach] == 1 or item.reach.script)


def _values(path: TreePath, text: str) -> Iterator[ListedValue]:
    name = path.rsplit("/", 1)[-1].lower()
    kind = name.rsplit(".", 1)[-1] if "." in name else ""
    start = text[:200].lstrip("\ufeff \t\r\n")
    if kind in _YAML:
        yield from _of_trees(read_values(text, "yaml"), "yaml")
    elif kind in _XML or start.startswith("<?xml"):
        yield from (ListedValue(Reach(xml=item.xpath), item.names, item.value) for item in list_xml(text, path))
    elif kind in _SCRIPT or name.endswith(".gradle.kts"):
        for item in assignments(text):
            names = (*reversed(item.key.split(".")), *item.before)
            yield ListedValue(Reach(script=item.key), names, item.value)
    elif kind == "cmake" or name == "cmakelists.txt":
        for command, word, value in cmake_arguments(text):
            yield ListedValue(Reach(cmake=f"{command} {word}"), (word, command), value)
    elif kind == "toml":
        yield from _of_trees(read_values(text, "toml"), "toml")
    elif kind in _JSON or start.startswith("{"):
        yield from _of_trees(read_values(text, "json"), "json")
    elif kind not in _NO_PAIRS and name != "makefile":
        yield from _of_pairs(kind, text)


def _of_pairs(kind: str, text: str) -> Iterator[ListedValue]:
    """A file of sections and `key = value`; one with other lines is no such file."""
    if kind == "properties":
        yield from (ListedValue(Reach(properties=key), (key,), value) for key, value in properties(text))
        return
    lines = [line for line in text.split("\n") if line.strip() and not line.lstrip().startswith(("#", ";", "!"))]
    if kind not in _INI and not all(_PAIR.match(line) or _SECTION.match(line) for line in lines):
        return
    if kind not in _INI and not _SECTION.search(text) and (toml := _as_toml(text)) is not None:
        yield from _of_trees(toml, "toml")
        return
    for section, key, value in ini_values(text):
        full = f"{section}.{key}" if section else key
        yield ListedValue(Reach(ini=full), (key, section) if section else (key,), value)


def _as_toml(text: str) -> tuple[ValueNode, ...] | None:
    try:
        return read_values(text, "toml")
    except Malformed:
        return None


def _of_trees(documents: tuple[ValueNode, ...], syntax: str) -> Iterator[ListedValue]:
    for document in documents:
        for item in list_nodes(document):
            where = as_dotted(item.steps) if syntax == "toml" else as_pointer(item.steps)
            if where is not None:
                yield ListedValue(Reach(**{syntax: where}), item.names, item.node.value, item.node.kind == "list")
