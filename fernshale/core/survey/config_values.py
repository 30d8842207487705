"""List all values of a configuration file with their locators, for any known format."""

from __future__ import annotations

import contextlib
import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Any

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.limits import limits
from fernshale.core.base.parse_errors import Malformed, load_json, load_toml, yaml_is_too_deep, yaml_loader
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.model import Reach
from fernshale.core.survey.value_access import find_values
from fernshale.core.survey.value_access.build_scripts import assignments

_SECTION = re.compile(r"^\s*\[([^\]]+)\]\s*$")
_PAIR = re.compile(r"^\s*([\w.-]+)\s*[=:]\s*(\S.*?)\s*$")
_ASSIGNMENT = re.compile(r"""(?m)^[ \t]*(?:export[ \t]+)?([A-Za-z_]\w*)=["']?(\d[\w.+-]*)""")
_CMAKE = re.compile(r"(?m)^\s*(\w+)\s*\(\s*(\w+)\s")


@dataclass(frozen=True, slots=True)
class Leaf:
    """A value, its place, and its `key`: the last name of its data path."""

    reach: Reach
    key: str
    text: str


def find_leaves(path: TreePath, text: str, wanted: Callable[[str, str], bool]) -> tuple[Leaf, ...]:
    """Return the values of a file that are `wanted` by key and value, and whose locator finds exactly them.

    None for a file of an unknown or broken format.
    """
    found = []
    for reach, key, value in islice(_all_guesses(path, text), limits().draft_values):
        if not wanted(key, value):
            continue
        try:
            values = find_values(text, reach, path)
        except FernshaleError:
            continue
        # A locator that finds several values cannot identify a site.
        if [item.text for item in values] == [value]:
            found.append(Leaf(reach, key, value))
    return tuple(found)


def _all_guesses(path: TreePath, text: str) -> Iterator[tuple[Reach, str, str]]:
    """As `_guess`, up to where a file contains itself or a number that is no release."""
    with contextlib.suppress(RecursionError, ValueError):
        yield from _guess(path, text)


def _guess(path: TreePath, text: str) -> Iterator[tuple[Reach, str, str]]:
    name = path.rsplit("/", 1)[-1].lower()
    kind = name.rsplit(".", 1)[-1]
    if kind in ("yaml", "yml"):
        yield from _tree(_load_yaml(text), "yaml")
    elif kind in ("xml", "csproj", "props", "targets", "plist"):
        yield from _xml(text)
    elif kind in ("gradle", "kts", "groovy"):
        for key, value in assignments(text):
            yield Reach(script=key), key.rsplit(".", 1)[-1], value.text
    elif kind == "cmake" or name == "cmakelists.txt":
        for found in _CMAKE.finditer(text):
            reach = Reach(cmake=f"{found[1]} {found[2]}")
            for value in find_values(text, reach, path):
                yield reach, found[2], value.text
    elif kind == "properties":
        for pair in map(_PAIR.match, text.splitlines()):
            if pair:
                yield Reach(properties=pair[1]), pair[1], pair[2]
    elif (data := _load_json(text)) is not None:
        yield from _tree(data, "json")
    elif (data := _load_toml(text)) is not None:
        yield from _toml(data, ())
    elif kind in ("sh", "bash", "env", "yml", "bat", "ps1") or name.startswith(("dockerfile", ".env")):
        for found in _ASSIGNMENT.finditer(text):
            shape = rf"""(?m)^[ \t]*(?:export[ \t]+)?{re.escape(found[1])}=["']?(?P<value>[\w.+-]+)"""
            yield Reach(pattern=shape), found[1], found[2]
    else:
        yield from _ini(text)


def _tree(data: Any, syntax: str, pointer: str = "", key: str = "") -> Iterator[tuple[Reach, str, str]]:
    if isinstance(data, dict):
        for name, value in data.items():
            step = str(name).replace("~", "~0").replace("/", "~1")
            yield from _tree(value, syntax, f"{pointer}/{step}", str(name))
    elif isinstance(data, list):
        for at, value in enumerate(data):
            yield from _tree(value, syntax, f"{pointer}/{at}", key)
    elif isinstance(data, str | int | float) and not isinstance(data, bool) and pointer:
        yield Reach(**{syntax: pointer}), key, str(data)


def _toml(data: Any, keys: tuple[str, ...]) -> Iterator[tuple[Reach, str, str]]:
    if isinstance(data, dict):
        for name, value in data.items():
            if re.fullmatch(r"[\w-]+", name):
                yield from _toml(value, (*keys, name))
    elif isinstance(data, str | int | float) and not isinstance(data, bool):
        yield Reach(toml=".".join(keys)), keys[-1], str(data)


def _xml(text: str) -> Iterator[tuple[Reach, str, str]]:
    from lxml import etree

    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False)
    try:
        root = etree.fromstring(text.encode(), parser)
    except (etree.XMLSyntaxError, ValueError):
        return
    tree = root.getroottree()
    for element in root.iter():
        if not isinstance(element.tag, str) or element.tag.startswith("{"):
            continue
        where = tree.getpath(element)
        for name, value in element.attrib.items():
            yield Reach(xml=f"{where}/@{name!s}"), str(name), str(value)
        if element.text and element.text.strip() and not len(element):
            yield Reach(xml=where), str(element.tag), element.text.strip()


def _ini(text: str) -> Iterator[tuple[Reach, str, str]]:
    section = ""
    for line in text.splitlines():
        if found := _SECTION.match(line):
            section = found[1].strip() + "."
        elif found := _PAIR.match(line):
            value = re.split(r"\s[;#]", found[2])[0].strip()
            yield Reach(ini=section + found[1]), found[1], value


def _load_json(text: str) -> Any:
    with contextlib.suppress(Malformed):
        return load_json(text)
    return None


def _load_toml(text: str) -> Any:
    with contextlib.suppress(Malformed):
        return load_toml(text)
    return None


def _load_yaml(text: str) -> Any:
    from ruamel.yaml.error import YAMLError

    if yaml_is_too_deep(text):
        return None
    try:
        return yaml_loader().load(text)
    except (YAMLError, RecursionError, ValueError, TypeError, OverflowError, AttributeError, IndexError):
        return None
