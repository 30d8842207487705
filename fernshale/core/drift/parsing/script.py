"""TypeScript and JavaScript: modules, classes, prototypes and objects that are exported."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from fernshale.core.drift.parsing.script_exports import with_exports
from fernshale.core.drift.parsing.script_prototypes import (
    is_constructor,
    read_constructor,
    read_copied_members,
    read_own_members,
    read_prototype,
)
from fernshale.core.drift.parsing.script_values import COMMENTS, DECORATORS, VALUES, add_function, read_object, type_of
from fernshale.core.drift.parsing.source import SourceFile, SymbolShape, SymbolSite, documented
from fernshale.core.drift.symbols import SymbolKind

if TYPE_CHECKING:
    from tree_sitter import Node

_TYPES: dict[str, SymbolKind] = {
    "class_declaration": "class",
    "abstract_class_declaration": "class",
    "class": "class",
    "interface_declaration": "interface",
    "enum_declaration": "enum",
}
_FUNCTIONS = frozenset(("function_declaration", "generator_function_declaration", "function_signature"))
_METHODS = frozenset(("method_definition", "method_signature", "abstract_method_signature"))
_FIELDS = frozenset(("public_field_definition", "field_definition", "property_signature"))
_DEEPEST = 4


def read_script(source: SourceFile, root: Node) -> None:
    _read_list(source, root, (), 0)
    source.symbols = with_exports(source, root)


def _read_list(source: SourceFile, parent: Node, scope: tuple[str, ...], depth: int) -> None:
    for child, doc, head in documented(source, parent.children, COMMENTS, DECORATORS):
        _read(source, child, scope, doc, head, depth)


def _read(source: SourceFile, node: Node, scope: tuple[str, ...], doc: str, head: str, depth: int) -> None:
    """`depth` counts the functions around, as old modules wrap all they have in one."""
    kind = node.type
    name = source.text(node.child_by_field_name("name"))
    if kind in ("export_statement", "ambient_declaration"):
        for child in node.named_children:
            if child.type not in ("decorator", "export_clause", "string", "comment"):
                _read(source, child, scope, doc, head, depth)
    elif kind in _TYPES:
        _read_type(source, node, scope, doc, head, name)
    elif kind in _FUNCTIONS and is_constructor(source, name, node):
        read_constructor(source, name, SymbolSite(node, scope, doc=doc, head=head, marks={"public"}), node)
    elif kind in _FUNCTIONS:
        add_function(source, "function", name, SymbolSite(node, scope, doc=doc, head=head, marks={"public"}), node)
    elif kind in ("lexical_declaration", "variable_declaration"):
        for item in node.named_children:
            if item.type == "variable_declarator" and not _is_import(source, item.child_by_field_name("value")):
                named = source.text(item.child_by_field_name("name"))
                value = item.child_by_field_name("value")
                _read_value(source, named, SymbolSite(item, scope, doc), value, depth)
    elif kind == "type_alias_declaration":
        source.add(
            "type",
            name,
            SymbolSite(node, scope, doc=doc),
            SymbolShape(returns=source.text(node.child_by_field_name("value"))),
        )
    elif kind in ("internal_module", "module"):
        body = node.child_by_field_name("body")
        if body is not None:
            # `declare module "./lamp"` adds to that module; users do not write its name.
            _read_list(source, body, scope if name[:1] in "\"'" else (*scope, name), depth)
    elif kind == "expression_statement" and node.named_children:
        inner = node.named_children[0]
        if inner.type == "assignment_expression":
            _read_assignment(source, inner, scope, doc, depth)
        elif inner.type in ("internal_module", "module"):
            _read(source, inner, scope, doc, head, depth)
        elif inner.type == "call_expression" and read_copied_members(source, inner, scope):
            return
        elif depth < _DEEPEST:
            _read_wrapped(source, inner, scope, depth)


def _is_import(source: SourceFile, value: Node | None) -> bool:
    """Return whether a value is a module or a part of one; then it is declared there."""
    while value is not None and value.type == "member_expression":
        value = value.child_by_field_name("object")
    return (
        value is not None
        and value.type == "call_expression"
        and source.text(value.child_by_field_name("function")) == "require"
    )


def _is_module(source: SourceFile, name: str) -> bool:
    """Return whether a name stands for another module in a file."""
    bound = rb"\b(?:var|let|const)\s+%b\s*=\s*[\w.]*\(?\s*require\(|\bimport\s*\*\s*as\s+%b\b"
    word = re.escape(name).encode()
    return re.search(bound % (word, word), source.data) is not None


def _read_wrapped(source: SourceFile, node: Node, scope: tuple[str, ...], depth: int) -> None:
    """Read a function that is called immediately, or passed to one that is: its declarations belong to the file."""
    for child in node.named_children:
        if child.type in VALUES:
            body = child.child_by_field_name("body")
            if body is not None and body.type == "statement_block":
                _read_list(source, body, scope, depth + 1)
        elif child.type in (
            "parenthesized_expression",
            "arguments",
            "call_expression",
            "unary_expression",
            "member_expression",
        ):
            _read_wrapped(source, child, scope, depth)


def _read_type(source: SourceFile, node: Node, scope: tuple[str, ...], doc: str, head: str, name: str) -> None:
    kind = _TYPES[node.type]
    bases = []
    for child in node.children:
        if child.type in ("class_heritage", "extends_type_clause", "extends_clause", "implements_clause"):
            bases += re.findall(
                r"[A-Za-z_$][\w$.]*", re.sub(r"<[^<>]*>|\b(?:extends|implements)\b", " ", source.text(child))
            )
    marks = {"public"} | ({"abstract"} if node.type.startswith("abstract") else set())
    source.add(kind, name, SymbolSite(node, scope, doc=doc, head=head, marks=marks), SymbolShape(bases=tuple(bases)))
    body = node.child_by_field_name("body")
    if body is None:
        return
    inner = (*scope, name)
    for child, said, above in documented(source, body.children, COMMENTS, DECORATORS):
        if kind == "enum":
            text = source.text(child.child_by_field_name("name") or child)
            source.add(
                "enumerator",
                text.strip("\"'"),
                SymbolSite(child, inner, doc=said),
                value=source.text(child.child_by_field_name("value")),
            )
        else:
            _read_member(source, child, inner, said, above, kind == "interface")
    if kind == "class":
        _read_set_members(source, body, inner)


def _read_set_members(source: SourceFile, body: Node, scope: tuple[str, ...]) -> None:
    """Read the members that a class's constructor sets and the class does not declare."""
    named = {
        source.text(child.child_by_field_name("name") or child.child_by_field_name("property")): child
        for child in body.named_children
    }
    constructor = named.get("constructor")
    statements = constructor.child_by_field_name("body") if constructor is not None else None
    if statements is not None:
        read_own_members(source, statements, scope, frozenset(named))


def _read_member(
    source: SourceFile, node: Node, scope: tuple[str, ...], doc: str, head: str, is_interface: bool
) -> None:
    named = node.child_by_field_name("name") or node.child_by_field_name("property")
    name = source.text(named).strip("\"'")
    marks = {
        source.text(child)
        for child in node.children
        if child.type in ("accessibility_modifier", "static", "override_modifier", "abstract")
    }
    if not marks & {"private", "protected", "public"}:
        marks.add("private" if name.startswith(("#", "_")) else "public")
    if node.type in _METHODS:
        if node.type == "abstract_method_signature" or (is_interface and "?" not in source.text(node).split("(")[0]):
            marks |= {"abstract"}
        marks.add("virtual")
        is_accessor = any(child.type in ("get", "set") for child in node.children)
        if is_accessor:
            source.add(
                "field",
                name,
                SymbolSite(node, scope, doc=doc, head=head, marks=marks),
                SymbolShape(returns=type_of(source, node, "return_type")),
            )
            return
        kind: SymbolKind = "constructor" if name == "constructor" else "method"
        add_function(source, kind, name, SymbolSite(node, scope, doc=doc, head=head, marks=marks), node)
    elif node.type in _FIELDS:
        value = node.child_by_field_name("value")
        if value is not None and value.type in VALUES:
            add_function(source, "method", name, SymbolSite(node, scope, doc=doc, head=head, marks=marks), value)
        else:
            source.add(
                "field",
                name,
                SymbolSite(node, scope, doc=doc, head=head, marks=marks),
                SymbolShape(returns=type_of(source, node, "type")),
                value=source.text(value),
            )


def _read_value(source: SourceFile, name: str, site: SymbolSite, value: Node | None, depth: int) -> None:
    """Read a name with a value: a function, a class, an object with members, or a constant."""
    if not re.fullmatch(r"[\w$]+", name):
        return
    if value is not None and value.type in VALUES and is_constructor(source, name, value):
        read_constructor(source, name, site._replace(marks={"public"}), value)
    elif value is not None and value.type in VALUES:
        add_function(source, "function", name, site._replace(marks={"public"}), value)
    elif value is not None and value.type == "class":
        _read_type(source, value, site.scope, site.doc, "", name)
    elif value is not None and value.type == "object":
        source.add("constant", name, site)
        read_object(source, value, (*site.scope, name))
    elif depth == 0 or value is None or value.type not in ("call_expression", "member_expression"):
        source.add("constant", name, site, SymbolShape(returns=type_of(source, site.node, "type")), source.text(value))
    if value is not None and value.type in ("call_expression", "parenthesized_expression") and depth < _DEEPEST:
        _read_wrapped(source, value, site.scope, depth)


def _read_assignment(source: SourceFile, node: Node, scope: tuple[str, ...], doc: str, depth: int) -> None:
    """`A.prototype.m = …`, `exports.f = …`, `lib.f = …`, `module.exports = {…}`."""
    left, right = node.child_by_field_name("left"), node.child_by_field_name("right")
    if left is None or right is None or left.type != "member_expression":
        return
    parts = [
        part
        for part in source.text(left).replace("?.", ".").split(".")
        if part not in ("prototype", "module", "exports", "this", "window", "root", "global", "self")
    ]
    if right.type == "assignment_expression":
        _read_assignment(source, right, scope, doc, depth)
        right = right.child_by_field_name("right") or right
    if not parts:
        if right.type == "object":
            read_object(source, right, scope)
        return
    if not all(re.fullmatch(r"[\w$]+", part) for part in parts):
        return
    if len(parts) > 2 and _is_module(source, parts[0]):
        parts = parts[1:]  # the class of another module: `lamp_1.Lamp.shine = …`
    *outer, name = parts
    site = SymbolSite(node, (*scope, *outer), doc, marks={"public"})
    if ".prototype." in source.text(left):
        if right.type in VALUES:
            add_function(source, "method", name, site, right)
        elif name != "constructor":  # that names the class itself
            source.add("field", name, site, value=source.text(right))
        return
    if not source.text(left).endswith(".prototype") or not read_prototype(source, right, (*scope, *parts)):
        _read_value(source, name, SymbolSite(node, (*scope, *outer), doc), right, depth)
