"""What a module of JavaScript exports, and under which names; everything else in it is its own."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import replace
from typing import TYPE_CHECKING

from fernshale.core.drift.parsing.source import SourceFile
from fernshale.core.drift.symbols import Symbol

if TYPE_CHECKING:
    from tree_sitter import Node

_DECLARATIONS = ("lexical_declaration", "variable_declaration")


def with_exports(source: SourceFile, root: Node) -> list[Symbol]:
    """The symbols of a file by the names under which a module exports them; its others are private.

    Files that are no modules, and declarations without code, keep theirs.
    """
    exports = [child for child in root.children if child.type == "export_statement"]
    is_module = bool(exports) or any(child.type == "import_statement" for child in root.children)
    if not is_module or ".d." in source.path.rsplit("/", 1)[-1]:
        return source.symbols
    # Members that a module gives to what it imports are those of the other module's class.
    names: dict[str, set[str]] = {name: {name} for name in _imported(source, root)}
    for statement in exports:
        for own, exported in _exported(source, statement):
            names.setdefault(own, set()).add(exported)
    return [found for item in source.symbols for found in _as_exported(item, names)]


def _imported(source: SourceFile, root: Node) -> Iterator[str]:
    """The names that import statements bind in this file."""
    for statement in root.children:
        waiting = [statement] if statement.type == "import_statement" else []
        while waiting:
            node = waiting.pop()
            if node.type == "import_specifier":
                yield source.text(node.child_by_field_name("alias") or node.child_by_field_name("name"))
            elif node.type == "identifier":
                yield source.text(node)
            else:
                waiting += node.named_children


def _exported(source: SourceFile, statement: Node) -> Iterator[tuple[str, str]]:
    """(own name, exported name) of what an export statement exports from this file."""
    if statement.child_by_field_name("source") is not None:
        return  # a re-export
    is_default = any(child.type == "default" for child in statement.children)
    for child in statement.named_children:
        if child.type == "export_clause":
            for item in child.named_children:
                if item.type == "export_specifier":
                    own = source.text(item.child_by_field_name("name"))
                    alias = source.text(item.child_by_field_name("alias")) or own
                    yield own, own if alias == "default" else alias
        elif child.type in _DECLARATIONS:
            for item in child.named_children:
                if item.type == "variable_declarator":
                    name = source.text(item.child_by_field_name("name"))
                    yield name, name
        elif child.type == "identifier" and is_default:
            yield source.text(child), source.text(child)
        else:
            inner = child.child_by_field_name("declaration") if child.type == "ambient_declaration" else child
            name = source.text((inner or child).child_by_field_name("name"))
            if name:
                yield name, name
    for child in statement.named_children:
        if child.type == "ambient_declaration":
            for inner in child.named_children:
                if name := source.text(inner.child_by_field_name("name")):
                    yield name, name


def _as_exported(item: Symbol, names: Mapping[str, set[str]]) -> Iterator[Symbol]:
    first = item.path[0]
    if first not in names:
        yield replace(item, marks=(item.marks - {"public"}) | {"private"})
        return
    for name in sorted(names[first]):
        if name == first:
            yield item
        elif item.scope:
            yield replace(item, scope=(name, *item.scope[1:]))
        else:
            yield replace(item, name=name)
