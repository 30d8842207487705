"""JSON, TOML and YAML as one kind of tree, and the paths that lead to a value in it.

A path is written as a JSON Pointer (RFC 6901) or as a dotted key. Both also know:

    list[name=x]    the entry of a list whose field `name` is `x`
    list[2]         an entry by its number, from 0 (in a pointer, `list/2` as well)
    *               every entry of a list or map

A key that is literally written so comes first.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.survey.value_access.found_value import FoundValue

_PICK = lazy_pattern(r"(?P<name>.*?)\[(?:(?P<number>\d+)|(?P<field>[^\[\]=]+)=(?P<value>[^\[\]]*))\]", re.DOTALL)
_BARE_KEY = lazy_pattern(r"[\w-]+")
_DOTTED_STEP = lazy_pattern(
    r"""(?P<quoted>"[^"]*"|'[^']*')|(?P<bare>(?:[^.\["']|\[[^\]]*\])+)|(?P<dot>\.)|(?P<bracket>\[[^\]]*\])"""
)
# Fields that identify the entries of a list, in the order in which they are tried.
_IDENTITIES = ("name", "id", "key", "identifier", "package", "path")
# Fields whose values name the value next to them.
_BESIDE = (*_IDENTITIES, "engine", "sdk", "runtime", "framework")


@dataclass(frozen=True, slots=True)
class ValueNode:
    """A value of a file: a scalar, a list or a map. `value` has its text and span; of a scalar without its quotes.

    Keys of a list's entries are "". A scalar that has no span of its own (a block of lines, an alias) is `unwritable`.
    """

    kind: Literal["scalar", "list", "map"]
    value: FoundValue
    children: tuple[tuple[str, ValueNode], ...] = ()
    unwritable: bool = False

    def child(self, key: str) -> ValueNode | None:
        return next((node for name, node in self.children if name == key), None) if self.kind == "map" else None


@dataclass(frozen=True, slots=True)
class Step:
    """A step from a container: to a key of a map, to an entry of a list by number, or by the value of a field."""

    key: str = ""
    number: int = -1
    field: str = ""


@dataclass(frozen=True, slots=True)
class ListedNode:
    """A scalar, or a list of scalars, with the steps that lead to it.

    `names` tell what it is: the keys on the way from the innermost, then the values of fields such as `name` beside it.
    """

    steps: tuple[Step, ...]
    names: tuple[str, ...]
    node: ValueNode


def follow_pointer(root: ValueNode, pointer: str) -> list[ValueNode]:
    """The nodes at a JSON Pointer."""
    parts = pointer.removeprefix("/").split("/")
    return _follow([root], [part.replace("~1", "/").replace("~0", "~") for part in parts], numbers=True)


def follow_dotted(root: ValueNode, key: str) -> list[ValueNode]:
    """The nodes at a dotted key; a list of tables is followed into each of them."""
    return _follow([root], split_dotted(key), numbers=False)


def split_dotted(key: str) -> list[str]:
    """The parts of a dotted key; quotes hold a part with dots together, brackets belong to the part before them."""
    parts = [""]
    for found in _DOTTED_STEP.finditer(key):
        if found["dot"]:
            parts.append("")
        else:
            parts[-1] += found["quoted"][1:-1] if found["quoted"] else found[0]
    return parts


def _follow(nodes: list[ValueNode], parts: Sequence[str], *, numbers: bool) -> list[ValueNode]:
    for part in parts:
        nodes = [found for node in nodes for found in _step(node, part, numbers=numbers)]
    return nodes


def _step(node: ValueNode, part: str, *, numbers: bool) -> list[ValueNode]:
    if node.kind == "map" and (literal := node.child(part)) is not None:
        return [literal]
    if part == "*":
        return [child for _, child in node.children]
    if node.kind == "list":
        if numbers and part.isdigit():
            return [child for _, child in node.children[int(part) : int(part) + 1]]
        if not numbers and not part.startswith("["):
            return [found for _, child in node.children for found in _step(child, part, numbers=numbers)]
    picked = _PICK.match(part)
    if picked is None:
        return []
    lists = _step(node, picked["name"], numbers=numbers) if picked["name"] else [node]
    found = [child for each in lists if each.kind == "list" for child in _pick(each, picked)]
    rest = part[picked.end() :]
    return found if not rest else [inner for child in found for inner in _step(child, rest, numbers=numbers)]


def _pick(node: ValueNode, picked: re.Match[str]) -> list[ValueNode]:
    if picked["number"]:
        return [child for _, child in node.children[int(picked["number"]) : int(picked["number"]) + 1]]
    found = []
    for _, child in node.children:
        field = child.child(picked["field"])
        if field is not None and field.kind == "scalar" and field.value.text == picked["value"]:
            found.append(child)
    return found


def list_nodes(root: ValueNode) -> Iterator[ListedNode]:
    """Every scalar and every list of scalars, in the order of the text; a node with aliases is listed once."""
    yield from _list(root, (), (), (), set())


def _list(
    node: ValueNode,
    steps: tuple[Step, ...],
    keys: tuple[str, ...],
    beside: tuple[tuple[str, str], ...],
    seen: set[int],
) -> Iterator[ListedNode]:
    if id(node) in seen:
        return
    seen.add(id(node))
    if node.kind == "scalar":
        if steps and not node.unwritable:
            yield ListedNode(steps, _names(steps[-1], keys, beside), node)
    elif node.kind == "map":
        named = ((field, node.child(field)) for field in _BESIDE)
        beside = tuple(
            (field, found.value.text) for field, found in named if found is not None and found.kind == "scalar"
        )
        for name, child in node.children:
            yield from _list(child, (*steps, Step(key=name)), (name, *keys), beside, seen)
    else:
        if steps and node.children and all(child.kind == "scalar" for _, child in node.children):
            yield ListedNode(steps, _names(steps[-1], keys, beside), node)
        field = _identity(node)
        for number, (_, child) in enumerate(node.children):
            own = child.child(field) if field else None
            step = Step(number=number) if own is None else Step(key=own.value.text, field=field)
            yield from _list(child, (*steps, step), keys, beside, seen)


def _names(last: Step, keys: tuple[str, ...], beside: tuple[tuple[str, str], ...]) -> tuple[str, ...]:
    return (*keys, *(text for field, text in beside if field != last.key))


def _identity(node: ValueNode) -> str:
    """The first field that every entry of a list has with a value of its own; empty if there is none."""
    for field in _IDENTITIES:
        named = [child.child(field) for _, child in node.children]
        texts = {item.value.text for item in named if item is not None and item.kind == "scalar"}
        if len(texts) == len(node.children) and not any("[" in text or "]" in text for text in texts):
            return field
    return ""


def as_pointer(steps: Sequence[Step]) -> str:
    """The JSON Pointer of a path."""
    text = ""
    for step in steps:
        if step.field:
            text += f"[{step.field}={_escaped(step.key)}]" if text else f"/[{step.field}={_escaped(step.key)}]"
        else:
            text += "/" + (str(step.number) if step.number >= 0 else _escaped(step.key))
    return text


def _escaped(key: str) -> str:
    return key.replace("~", "~0").replace("/", "~1")


def as_dotted(steps: Sequence[Step]) -> str | None:
    """The dotted key of a path, None if a key of it cannot be written so."""
    text = ""
    for step in steps:
        if step.field:
            text += f"[{step.field}={step.key}]"
        elif step.number >= 0:
            text += f"[{step.number}]"
        else:
            quote = "" if _BARE_KEY.fullmatch(step.key) else "'" if '"' in step.key else '"'
            if quote and quote in step.key:
                return None
            text += ("." if text else "") + quote + step.key + quote
    return text
