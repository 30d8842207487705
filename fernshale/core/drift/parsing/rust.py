"""Rust."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import TYPE_CHECKING

from fernshale.core.drift.parsing.source import SourceFile, SymbolShape, SymbolSite, documented
from fernshale.core.drift.symbols import Parameter, SymbolKind

if TYPE_CHECKING:
    from tree_sitter import Node

_COMMENTS = frozenset(("line_comment", "block_comment"))
_ATTRIBUTES = frozenset(("attribute_item",))
_TYPES: dict[str, SymbolKind] = {
    "struct_item": "class",
    "union_item": "class",
    "trait_item": "interface",
    "enum_item": "enum",
}
_FUNCTIONS = frozenset(("function_item", "function_signature_item"))


def read_rust(source: SourceFile, root: Node) -> None:
    _read_list(source, root, module_of(source.path), "")


def module_of(path: str) -> tuple[str, ...]:
    """The module that a file is, from the root of its crate."""
    parts = path.removesuffix(".rs").split("/")
    if "src" in parts:
        parts = parts[len(parts) - parts[::-1].index("src") :]
    if parts and parts[-1] in ("mod", "lib", "main"):
        parts = parts[:-1]
    return tuple(parts)


def _read_list(source: SourceFile, parent: Node, scope: tuple[str, ...], inside: str) -> None:
    for child, doc, head in documented(source, parent.children, _COMMENTS, _ATTRIBUTES):
        _read(source, child, scope, doc, head, inside)


def _read(source: SourceFile, node: Node, scope: tuple[str, ...], doc: str, head: str, inside: str) -> None:
    """`inside` is "trait" or "impl" for members, "" for items of a module."""
    kind = node.type
    name = source.text(node.child_by_field_name("name"))
    seen = next((source.text(child) for child in node.children if child.type == "visibility_modifier"), "")
    marks = {"public"} if seen == "pub" or inside == "trait" else {"private"}
    body = node.child_by_field_name("body")
    if kind == "mod_item":
        if body is not None and "cfg(test)" not in head:
            _read_list(source, body, (*scope, name), "")
    elif kind == "foreign_mod_item":
        if body is not None:
            _read_list(source, body, scope, inside)
    elif kind in _TYPES:
        bases = source.text(node.child_by_field_name("bounds")).removeprefix(":").split("+")
        source.add(
            _TYPES[kind],
            name,
            SymbolSite(node, scope, doc=doc, head=head, marks=marks),
            SymbolShape(bases=tuple(base.strip().split("<")[0] for base in bases if base.strip())),
        )
        if body is not None and "private" not in marks:
            if kind == "trait_item":
                _read_list(source, body, (*scope, name), "trait")
            else:
                _read_fields(source, body, (*scope, name))
    elif kind == "impl_item":
        target = re.sub(r"<.*", "", source.text(node.child_by_field_name("type"))).split("::")[-1].lstrip("&")
        if body is not None and node.child_by_field_name("trait") is None:
            _read_list(source, body, (*scope, target), "impl")
    elif kind in _FUNCTIONS:
        given = node.child_by_field_name("parameters")
        if inside == "trait":
            marks |= {"virtual"} | ({"abstract"} if body is None else set())
        source.add(
            "method" if inside else "function",
            name,
            SymbolSite(node, scope, doc=doc, head=head, marks=marks),
            SymbolShape(
                parameters=_parameters(source, given), returns=source.text(node.child_by_field_name("return_type"))
            ),
            body=body,
        )
    elif kind in ("const_item", "static_item"):
        type_ = source.text(node.child_by_field_name("type"))
        value = source.text(node.child_by_field_name("value"))
        source.add(
            "constant",
            name,
            SymbolSite(node, scope, doc=doc, head=head, marks=marks),
            SymbolShape(returns=type_),
            value=value,
        )
    elif kind in ("type_item", "associated_type"):
        type_ = source.text(node.child_by_field_name("type"))
        source.add("type", name, SymbolSite(node, scope, doc=doc, head=head, marks=marks), SymbolShape(returns=type_))
    elif kind == "use_declaration":
        tree = node.child_by_field_name("argument")
        for path, alias in used_names(tree) if tree is not None and "public" in marks else ():
            if alias not in ("*", "_", path[-1]):
                site = SymbolSite(node, scope, doc=doc, head=head, marks=marks)
                source.add("type", alias, site, SymbolShape(returns=path[-1]))
    elif kind == "macro_definition":
        is_seen = "macro_export" in head
        source.add(
            "macro", name, SymbolSite(node, (), doc=doc, head=head, marks={"public"} if is_seen else {"private"})
        )


def used_names(tree: Node, before: tuple[str, ...] = ()) -> Iterator[tuple[tuple[str, ...], str]]:
    """The paths of a use tree, each with the name that it has here, `*` for all names."""
    path = tree.child_by_field_name("path")
    if tree.type in ("scoped_use_list", "use_list"):
        listed = tree.child_by_field_name("list") or tree
        for child in listed.named_children:
            yield from used_names(child, (*before, *_path_of(path)))
    elif tree.type == "use_as_clause":
        yield (*before, *_path_of(path)), node_text(tree.child_by_field_name("alias"))
    elif tree.type == "use_wildcard":
        yield (*before, *_path_of(tree)[:-1]), "*"
    else:
        names = _path_of(tree)
        # `lamps::{self}` is the module itself.
        if full := (*before, *(names[:-1] if names[-1:] == ("self",) else names)):
            yield full, full[-1]


def _path_of(node: Node | None) -> tuple[str, ...]:
    return tuple(part.strip() for part in node_text(node).split("::") if part.strip())


def node_text(node: Node | None) -> str:
    """The text of a node; "" for none."""
    return (node.text or b"").decode("utf-8", "replace") if node is not None else ""


def _read_fields(source: SourceFile, body: Node, scope: tuple[str, ...]) -> None:
    for child, doc, head in documented(source, body.children, _COMMENTS, _ATTRIBUTES):
        name = source.text(child.child_by_field_name("name"))
        if child.type == "field_declaration":
            is_seen = any(source.text(item) == "pub" for item in child.children if item.type == "visibility_modifier")
            type_ = source.text(child.child_by_field_name("type"))
            marks = {"public"} if is_seen else {"private"}
            source.add(
                "field", name, SymbolSite(child, scope, doc=doc, head=head, marks=marks), SymbolShape(returns=type_)
            )
        elif child.type == "enum_variant":
            source.add(
                "enumerator",
                name,
                SymbolSite(child, scope, doc=doc, head=head),
                SymbolShape(returns=source.text(child.child_by_field_name("body"))),
            )


def _parameters(source: SourceFile, given: Node | None) -> tuple[Parameter, ...]:
    if given is None:
        return ()
    parameters = []
    for child in given.named_children:
        if child.type == "self_parameter":
            parameters.append(Parameter("self", source.text(child)))
        elif child.type == "parameter":
            name = source.text(child.child_by_field_name("pattern"))
            parameters.append(Parameter(name, source.text(child.child_by_field_name("type"))))
    return tuple(parameters)
