"""C#."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fernshale.core.drift.parsing.source import SourceFile, SymbolShape, SymbolSite, documented
from fernshale.core.drift.symbols import Parameter, SymbolKind

if TYPE_CHECKING:
    from tree_sitter import Node

_COMMENTS = frozenset(("comment",))
_NONE: frozenset[str] = frozenset()
_TYPES: dict[str, SymbolKind] = {
    "class_declaration": "class",
    "struct_declaration": "class",
    "record_declaration": "class",
    "record_struct_declaration": "class",
    "interface_declaration": "interface",
    "enum_declaration": "enum",
}
_METHODS: dict[str, SymbolKind] = {
    "method_declaration": "method",
    "constructor_declaration": "constructor",
    "delegate_declaration": "type",
    "operator_declaration": "method",
}
_WRAPPERS = frozenset(("preproc_if", "preproc_else", "preproc_elif", "declaration_list", "global_statement"))


def read_csharp(source: SourceFile, root: Node) -> None:
    _read_list(source, root, (), "")


def _read_list(source: SourceFile, parent: Node, scope: tuple[str, ...], inside: str) -> None:
    for child, doc, _ in documented(source, parent.children, _COMMENTS, _NONE):
        if child.type == "file_scoped_namespace_declaration":
            # The rest of the file belongs to it; older grammars nest it, newer ones list it as a sibling.
            scope = tuple(source.text(child.child_by_field_name("name")).split("."))
            _read_list(source, child, scope, "")
        elif child.type == "namespace_declaration":
            body = child.child_by_field_name("body")
            name = source.text(child.child_by_field_name("name"))
            if body is not None:
                _read_list(source, body, (*scope, *name.split(".")), "")
        elif child.type in _WRAPPERS:
            _read_list(source, child, scope, inside)
        else:
            _read(source, child, scope, doc, inside)


def _read(source: SourceFile, node: Node, scope: tuple[str, ...], doc: str, inside: str) -> None:
    """`inside` is the kind of type the node is a member of, "" at the top."""
    kind = node.type
    name = source.text(node.child_by_field_name("name"))
    marks = {source.text(child) for child in node.children if child.type == "modifier"}
    head = " ".join(source.text(child) for child in node.children if child.type == "attribute_list")
    if not marks & {"public", "protected", "private", "internal"}:
        marks.add("public" if inside in ("interface", "enum") else "private")
    if "internal" in marks and "protected" not in marks:
        marks.add("private")
    if kind in _TYPES:
        body = node.child_by_field_name("body")
        given = next((child for child in node.children if child.type == "parameter_list"), None)
        listed = next((child for child in node.children if child.type == "base_list"), None)
        bases = tuple(source.text(item).split("<")[0] for item in listed.named_children) if listed is not None else ()
        source.add(
            _TYPES[kind],
            name,
            SymbolSite(node, scope, doc=doc, head=head, marks=marks),
            SymbolShape(parameters=_parameters(source, given), bases=bases),
        )
        if body is not None and "private" not in marks:
            _read_list(source, body, (*scope, name), _TYPES[kind])
    elif kind in _METHODS:
        given = node.child_by_field_name("parameters")
        body = node.child_by_field_name("body")
        if inside == "interface" and body is None:
            marks |= {"abstract", "virtual"}
        returned = node.child_by_field_name("returns") or node.child_by_field_name("type")
        source.add(
            _METHODS[kind],
            name,
            SymbolSite(node, scope, doc=doc, head=head, marks=marks),
            SymbolShape(parameters=_parameters(source, given), returns=source.text(returned)),
            body=body,
        )
    elif kind in ("property_declaration", "event_declaration", "indexer_declaration"):
        type_ = source.text(node.child_by_field_name("type"))
        source.add("field", name, SymbolSite(node, scope, doc=doc, head=head, marks=marks), SymbolShape(returns=type_))
    elif kind in ("field_declaration", "event_field_declaration"):
        inner = next((child for child in node.children if child.type == "variable_declaration"), None)
        if inner is None:
            return
        type_ = source.text(inner.child_by_field_name("type"))
        what: SymbolKind = "constant" if marks & {"const", "readonly"} else "field"
        for item in inner.named_children:
            if item.type == "variable_declarator":
                text = source.text(item.child_by_field_name("name"))
                value = source.text(item).partition("=")[2].strip()
                source.add(
                    what,
                    text,
                    SymbolSite(node, scope, doc=doc, head=head, marks=marks),
                    SymbolShape(returns=type_),
                    value=value,
                )
    elif kind == "enum_member_declaration":
        value = source.text(node.child_by_field_name("value"))
        source.add("enumerator", name, SymbolSite(node, scope, doc=doc, head=head), value=value)


def _parameters(source: SourceFile, given: Node | None) -> tuple[Parameter, ...]:
    if given is None:
        return ()
    parameters = []
    for child in given.named_children:
        if child.type == "parameter":
            text = source.text(child)
            default = text.partition("=")[2].strip()
            name = source.text(child.child_by_field_name("name"))
            parameters.append(Parameter(name, source.text(child.child_by_field_name("type")), default))
    return tuple(parameters)
