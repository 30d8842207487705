"""Classes of JavaScript from before the keyword: constructor functions, and members given to their prototypes in the usual ways.

function Boat(length) { this.length = length; }
Boat.prototype = Object.assign(Object.create(Hull.prototype), { constructor: Boat, row: function () {} });
Object.defineProperties(Boat.prototype, { oars: { get: function () {} } });
Object.assign(Boat, { fromPlan: function (plan) {} });
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterator, Mapping
from functools import lru_cache
from typing import TYPE_CHECKING

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.parsing.script_values import (
    COMMENTS,
    DECORATORS,
    VALUES,
    add_function,
    parameters,
    read_object,
)
from fernshale.core.drift.parsing.source import SourceFile, SymbolShape, SymbolSite, documented

if TYPE_CHECKING:
    from tree_sitter import Node

_NAME = lazy_pattern(r"[A-Za-z_$][\w$]*\Z")
_OWNERS = lazy_pattern(rb"([A-Za-z_$][\w$]*)\.prototype\b")
_OWNER, _BASE = rb"([A-Za-z_$][\w$]*)", rb"([A-Za-z_$][\w$.]*)"
_BASES = tuple(
    lazy_pattern(pattern)
    for pattern in (
        _OWNER + rb"\.prototype\s*=[^;{]*?Object\.create\(\s*" + _BASE + rb"\.prototype\b",
        _OWNER + rb"\.prototype\s*=\s*new\s+" + _BASE + rb"\s*\(",
        rb"\bObject\.setPrototypeOf\(\s*" + _OWNER + rb"\.prototype\s*,\s*" + _BASE + rb"\.prototype\b",
        rb"\b(?:inherits|__extends|extends)\(\s*" + _OWNER + rb"\s*,\s*" + _BASE + rb"\s*\)",
        rb"\b(?:assign|extend)\(\s*" + _OWNER + rb"\.prototype\s*,\s*" + _BASE + rb"\.prototype\b",
    )
)
_PROTOTYPE = lazy_pattern(r"(?P<owner>[A-Za-z_$][\w$.]*)\.prototype\Z")
# Calls that copy members from their later arguments to the first: of the language, and of the usual libraries.
_COPIES = lazy_pattern(
    r"(?:\w+[.])*(?:assign|extend|mixin|merge|inherits|setPrototypeOf|augment|copyProperties|__extends)\Z"
)


def is_constructor(source: SourceFile, name: str, function: Node) -> bool:
    """Whether a function is called with `new`: it sets members, and has a capital letter or members on its prototype."""
    body = function.child_by_field_name("body")
    if body is None or body.type != "statement_block" or not name:
        return False
    return name in _owners_of_prototypes(source.data) or (
        name[0].isupper() and next(_own_members(source, body), None) is not None
    )


def read_constructor(source: SourceFile, name: str, site: SymbolSite, function: Node) -> None:
    """Read a constructor function as the class that it makes, with the members that it sets."""
    bases = _bases_by_class(source.data).get(name, ())
    source.add("class", name, site, SymbolShape(bases=bases))
    scope = (*site.scope, name)
    given, body = function.child_by_field_name("parameters"), function.child_by_field_name("body")
    if given is not None and given.named_children:
        place = SymbolSite(function, scope, site.doc, marks={"public"})
        source.add("constructor", "constructor", place, SymbolShape(parameters(source, given)), body=body)
    if body is not None:
        read_own_members(source, body, scope, frozenset())


def read_own_members(source: SourceFile, body: Node, scope: tuple[str, ...], declared: Collection[str]) -> None:
    """Read the members that the body of a constructor sets, but for those that are declared elsewhere."""
    for member, doc, node, value in _own_members(source, body):
        if member in declared:
            continue
        place = SymbolSite(node, scope, doc, marks={"private" if member.startswith("_") else "public"})
        if value is not None and value.type in VALUES:
            add_function(source, "method", member, place, value)
        else:
            source.add("field", member, place, value=source.text(value))


def read_copied_members(source: SourceFile, call: Node, scope: tuple[str, ...]) -> bool:
    """Read a call that gives members to a prototype or a class; False for any other call."""
    function, given = call.child_by_field_name("function"), call.child_by_field_name("arguments")
    if function is None or given is None or not given.named_children:
        return False
    called, first = source.text(function), given.named_children[0]
    owner = _owner(source, first)
    if owner is None:
        return False
    inner = (*scope, *owner)
    rest = given.named_children[1:]
    if called == "Object.defineProperties" and rest and rest[0].type == "object":
        for child, doc, _ in documented(source, rest[0].children, COMMENTS, DECORATORS):
            if child.type == "pair":
                key = source.text(child.child_by_field_name("key")).strip("\"'")
                _add_described(source, key, SymbolSite(child, inner, doc), child.child_by_field_name("value"))
        return True
    if called == "Object.defineProperty" and len(rest) > 1 and rest[0].type == "string":
        _add_described(source, source.text(rest[0]).strip("\"'"), SymbolSite(call, inner), rest[1])
        return True
    if _COPIES.match(called) is None:
        return False
    for argument in rest:
        if argument.type == "object":
            read_object(source, argument, inner)
    return True


def read_prototype(source: SourceFile, value: Node, scope: tuple[str, ...]) -> bool:
    """Read the value assigned to `X.prototype`, with the path of X as `scope`; False if it has no members."""
    if value.type == "object":
        read_object(source, value, scope)
        return True
    if value.type not in ("call_expression", "new_expression"):
        return False
    given = value.child_by_field_name("arguments")
    objects = [child for child in given.named_children if child.type == "object"] if given is not None else []
    called = source.text(value.child_by_field_name("function"))
    for child in objects if called != "Object.create" else ():
        read_object(source, child, scope)
    if called == "Object.create" and objects:
        _read_described(source, objects[0], scope)
    return True


def _read_described(source: SourceFile, node: Node, scope: tuple[str, ...]) -> None:
    for child, doc, _ in documented(source, node.children, COMMENTS, DECORATORS):
        if child.type == "pair":
            key = source.text(child.child_by_field_name("key")).strip("\"'")
            _add_described(source, key, SymbolSite(child, scope, doc), child.child_by_field_name("value"))


def _add_described(source: SourceFile, name: str, site: SymbolSite, description: Node | None) -> None:
    """Add a member by its property description: a method if its `value` is a function, else a field."""
    if not _NAME.match(name) or name == "constructor":
        return
    marks = {"private" if name.startswith("_") else "public"}
    pairs = [child for child in description.named_children if child.type == "pair"] if description is not None else []
    values = [
        child.child_by_field_name("value")
        for child in pairs
        if source.text(child.child_by_field_name("key")) == "value"
    ]
    if values and values[0] is not None and values[0].type in VALUES:
        add_function(source, "method", name, site._replace(marks=marks), values[0])
    else:
        source.add("field", name, site._replace(marks=marks), value=source.text(values[0]) if values else "")


def _owner(source: SourceFile, node: Node) -> tuple[str, ...] | None:
    """The path of X in `X.prototype` or of a name with a capital; None for anything else, as for `this`."""
    if node.type not in ("identifier", "member_expression"):
        return None
    text = source.text(node)
    found = _PROTOTYPE.match(text)
    name = found["owner"] if found else text
    parts = tuple(
        part for part in name.split(".") if part not in ("exports", "module", "window", "root", "global", "self")
    )
    is_known = found is not None or (bool(parts) and parts[-1][:1].isupper())
    return parts if is_known and parts and all(_NAME.match(part) for part in parts) and parts[0] != "this" else None


def _own_members(source: SourceFile, body: Node) -> Iterator[tuple[str, str, Node, Node | None]]:
    """The members that a constructor sets: their names, comments, nodes and values."""
    seen: set[str] = set()
    for child, doc, _ in documented(source, body.children, COMMENTS, DECORATORS):
        inner = child.named_children[0] if child.type == "expression_statement" and child.named_children else None
        if inner is None:
            continue
        if inner.type == "assignment_expression":
            left, value = inner.child_by_field_name("left"), inner.child_by_field_name("right")
            text = source.text(left)
            name = text.removeprefix("this.")
            if text.startswith("this.") and _NAME.match(name) and name not in seen:
                seen.add(name)
                yield name, doc, child, value
        elif inner.type == "call_expression":
            yield from _defined_members(source, inner, doc, seen)


def _defined_members(
    source: SourceFile, call: Node, doc: str, seen: set[str]
) -> Iterator[tuple[str, str, Node, Node | None]]:
    """Members by `Object.defineProperty(this, "x", ...)` and `Object.defineProperties(this, {...})`."""
    called = source.text(call.child_by_field_name("function"))
    given = call.child_by_field_name("arguments")
    arguments = given.named_children if given is not None else []
    if len(arguments) < 2 or source.text(arguments[0]) != "this":
        return
    names: list[tuple[str, Node]] = []
    if called == "Object.defineProperty":
        names = [(source.text(arguments[1]).strip("\"'"), call)]
    elif called in ("Object.defineProperties", "Object.assign") and arguments[1].type == "object":
        pairs = [child for child in arguments[1].named_children if child.type == "pair"]
        names = [(source.text(pair.child_by_field_name("key")).strip("\"'"), pair) for pair in pairs]
    for name, node in names:
        if _NAME.match(name) and name not in seen:
            seen.add(name)
            yield name, doc, node, None


@lru_cache(maxsize=4)  # a file asks for each of its functions
def _owners_of_prototypes(data: bytes) -> frozenset[str]:
    return frozenset(name.decode() for name in _OWNERS.findall(data))


@lru_cache(maxsize=4)
def _bases_by_class(data: bytes) -> Mapping[str, tuple[str, ...]]:
    """The classes whose prototypes each class's own prototype is made from."""
    found: dict[str, dict[str, None]] = defaultdict(dict)
    for pattern in _BASES:
        for name, base in pattern.findall(data):
            found[name.decode()][base.decode()] = None
    return {name: tuple(bases) for name, bases in found.items()}
