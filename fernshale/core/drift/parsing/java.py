"""Java."""

from __future__ import annotations

from typing import TYPE_CHECKING

from fernshale.core.drift.parsing.source import SourceFile, SymbolShape, SymbolSite, documented
from fernshale.core.drift.symbols import Parameter, SymbolKind

if TYPE_CHECKING:
    from tree_sitter import Node

_COMMENTS = frozenset(("line_comment", "block_comment"))
_NONE: frozenset[str] = frozenset()
_TYPES: dict[str, SymbolKind] = {
    "class_declaration": "class",
    "record_declaration": "class",
    "interface_declaration": "interface",
    "annotation_type_declaration": "interface",
    "enum_declaration": "enum",
}
_MARKS = frozenset(("public", "protected", "private", "static", "final", "abstract", "default", "synchronized"))


def read_java(source: SourceFile, root: Node) -> None:
    package: tuple[str, ...] = ()
    for child in root.children:
        if child.type == "package_declaration" and child.named_children:
            package = tuple(source.text(child.named_children[-1]).split("."))
    _read_list(source, root, package, "")


def _read_list(source: SourceFile, parent: Node, scope: tuple[str, ...], inside: str) -> None:
    for child, doc, _ in documented(source, parent.children, _COMMENTS, _NONE):
        _read(source, child, scope, doc, inside)


def _read(source: SourceFile, node: Node, scope: tuple[str, ...], doc: str, inside: str) -> None:
    """`inside` is the kind of type the node is a member of, "" at the top."""
    kind = node.type
    if kind == "enum_body_declarations":
        _read_list(source, node, scope, inside)
        return
    name = source.text(node.child_by_field_name("name"))
    words, head = _modifiers(source, node)
    marks = set(words) & _MARKS
    if "Override" in head:
        marks.add("override")
    if not marks & {"public", "protected", "private"}:
        # Members of interfaces are public; others without a modifier are visible only in their package.
        marks.add("public" if inside == "interface" or kind == "enum_constant" else "private")
    if kind in _TYPES:
        body = node.child_by_field_name("body")
        given = node.child_by_field_name("parameters")
        source.add(
            _TYPES[kind],
            name,
            SymbolSite(node, scope, doc=doc, head=head, marks=marks),
            SymbolShape(parameters=_parameters(source, given), bases=_bases(source, node)),
        )
        if body is not None and "private" not in marks:
            _read_list(source, body, (*scope, name), _TYPES[kind])
    elif kind in ("method_declaration", "constructor_declaration", "annotation_type_element_declaration"):
        body = node.child_by_field_name("body")
        if inside == "interface" and body is None:
            marks |= {"abstract", "virtual"}
        given = node.child_by_field_name("parameters")
        source.add(
            "constructor" if kind == "constructor_declaration" else "method",
            name,
            SymbolSite(node, scope, doc=doc, head=head, marks=marks),
            SymbolShape(parameters=_parameters(source, given), returns=source.text(node.child_by_field_name("type"))),
            body=body,
        )
    elif kind in ("field_declaration", "constant_declaration"):
        type_ = source.text(node.child_by_field_name("type"))
        what: SymbolKind = "constant" if "final" in marks or kind == "constant_declaration" else "field"
        for item in node.children_by_field_name("declarator"):
            text = source.text(item.child_by_field_name("name"))
            value = source.text(item.child_by_field_name("value"))
            source.add(
                what,
                text,
                SymbolSite(node, scope, doc=doc, head=head, marks=marks),
                SymbolShape(returns=type_),
                value=value,
            )
    elif kind == "enum_constant":
        source.add("enumerator", name, SymbolSite(node, scope, doc=doc, head=head))


def _modifiers(source: SourceFile, node: Node) -> tuple[list[str], str]:
    found = next((child for child in node.children if child.type == "modifiers"), None)
    text = source.text(found)
    return text.split(), text


def _bases(source: SourceFile, node: Node) -> tuple[str, ...]:
    bases = []
    for child in node.children:
        if child.type in ("superclass", "super_interfaces", "extends_interfaces"):
            for item in child.named_children:
                listed = item.named_children if item.type == "type_list" else [item]
                bases += [source.text(one).split("<")[0] for one in listed]
    return tuple(bases)


def _parameters(source: SourceFile, given: Node | None) -> tuple[Parameter, ...]:
    if given is None:
        return ()
    parameters = []
    for child in given.named_children:
        if child.type == "formal_parameter":
            name = source.text(child.child_by_field_name("name"))
            parameters.append(Parameter(name, source.text(child.child_by_field_name("type"))))
        elif child.type == "spread_parameter":
            type_, _, name = source.text(child).rpartition(" ")
            parameters.append(Parameter(name, type_))
    return tuple(parameters)
