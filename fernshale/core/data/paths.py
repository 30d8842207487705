"""Data paths: the keys that lead to a value in a tree, equal for all formats, and patterns over them.

The steps of a path are keys of maps, numbers of list entries, tags of elements (`@name` for an attribute) and the kinds of
objects in line-based formats. In a pattern, `*` matches one step and `**` any number of steps.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import lru_cache

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.data.tree import DataDocument, KeyedNode, Node

DataPath = tuple[str, ...]
_ELEMENT = lazy_pattern(r"\[\[(?P<list>.*)\]\] (?P<which>.*)$")
_INNER = lazy_pattern(r"\[(?P<table>.*)\] of \[\[(?P<list>.*)\]\] (?P<which>.*)$")


def walk(document: DataDocument) -> Iterator[tuple[DataPath, Node]]:
    """Yield every node of a tree with its path, containers before their contents, in text order."""
    yield from _walk(document.root, (), document.format)


def children(node: Node, format: str) -> Iterator[tuple[DataPath, KeyedNode]]:
    """The entries of a container, each with the steps from the container to it."""
    if format == "xml" and node.fixed:
        yield from _of_element(node)
        return
    for number, item in enumerate(node.items):
        if node.kind == "list":
            yield (item.node.label or str(number),), item
        else:
            yield _steps(item.key, format), item


def fits(pattern: str, data_path: DataPath) -> bool:
    """Return whether a path matches `pattern`."""
    return fit_of(pattern)(data_path)


@lru_cache(maxsize=256)
def fit_of(pattern: str) -> Callable[[DataPath], bool]:
    """Return a function like `fits`, for very many paths."""
    compiled = _compiled(pattern)
    last = pattern.strip("/").rpartition("/")[2]
    name = "" if "*" in last else last.replace("~1", "/").replace("~0", "~")

    def fit(data_path: DataPath) -> bool:
        if not data_path or (name and data_path[-1] != name):
            return False  # the last step excludes most paths
        return compiled.fullmatch("/".join(map(_escaped, data_path))) is not None

    return fit


def as_text(data_path: DataPath) -> str:
    """Return a path as the pattern that matches only it."""
    return "/".join(map(_escaped, data_path))


def _walk(node: Node, data_path: DataPath, format: str) -> Iterator[tuple[DataPath, Node]]:
    yield data_path, node
    for steps, item in children(node, format):
        yield from _walk(item.node, data_path + steps, format)


def _of_element(node: Node) -> Iterator[tuple[DataPath, KeyedNode]]:
    """Yield an element's attributes and contents; its text is the element itself."""
    for part in node.items:
        if part.key == "@":
            for item in part.node.items:
                yield (f"@{item.key}",), item
        elif part.key == "content" and part.node.kind == "list":
            for item in part.node.items:
                yield (item.node.label,), item
        elif part.key == "content":
            yield (), part
        else:  # the root is in a map of its own
            yield (part.node.label,), part


def _steps(key: str, format: str) -> DataPath:
    """Return the steps of a map's key: tables of TOML are siblings of each other, sections of INI are in brackets."""
    if format == "toml":
        if found := _INNER.match(key):
            inner = found["table"].removeprefix(found["list"] + ".")
            return (*found["list"].split("."), found["which"], *inner.split("."))
        if found := _ELEMENT.match(key):
            return (*found["list"].split("."), found["which"])
        return tuple(key.strip("[]").split("."))
    if format == "ini" and key.startswith("["):
        return (key[1:-1],)
    return (key,)


def _escaped(step: str) -> str:
    return step.replace("~", "~0").replace("/", "~1")


@lru_cache(maxsize=256)
def _compiled(pattern: str) -> re.Pattern[str]:
    parts = []
    steps = pattern.strip("/").split("/")
    for number, step in enumerate(steps):
        last = number == len(steps) - 1
        if step == "**":
            parts.append(".*" if last else "(?:[^/]*/)*")
        else:
            inner = "[^/]*".join(re.escape(part) for part in step.split("*"))
            parts.append(inner if last else inner + "/")
    return re.compile("".join(parts), re.DOTALL)
