"""Lua: functions, and the fields of the tables that a module returns."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from fernshale.core.drift.parsing.source import SourceFile, SymbolShape, SymbolSite, documented
from fernshale.core.drift.symbols import Parameter, SymbolKind

if TYPE_CHECKING:
    from tree_sitter import Node

_COMMENTS = frozenset(("comment",))
_NONE: frozenset[str] = frozenset()


def read_lua(source: SourceFile, root: Node) -> None:
    module = tuple(re.sub(r"(?:/init)?\.lua$", "", source.path).split("/"))
    # The table that the file returns is the module itself.
    returned = next((child for child in reversed(root.named_children) if child.type == "return_statement"), None)
    table = source.text(returned).removeprefix("return").strip() if returned is not None else ""
    for child, doc, _ in documented(source, root.children, _COMMENTS, _NONE):
        if child.type == "function_declaration":
            name = source.text(child.child_by_field_name("name"))
            is_local = source.raw(child.start_byte, child.start_byte + 6).startswith("local")
            marks = ("private",) if is_local else ("public",)
            _add(source, SymbolSite(child, module, doc=doc, marks=marks), child, name, table)
        elif child.type in ("assignment_statement", "variable_declaration"):
            _read_assignment(source, child, module, table, doc)
        elif child == returned:
            for given in child.named_children:
                for value in given.named_children or [given]:
                    if value.type == "table_constructor":
                        _read_table(source, value, module)


def _read_assignment(source: SourceFile, node: Node, module: tuple[str, ...], table: str, doc: str) -> None:
    is_local = node.type == "variable_declaration"
    inner = node.named_children[0] if is_local and node.named_children else node
    if inner.type != "assignment_statement" or len(inner.named_children) < 2:
        return
    names, values = inner.named_children[0].named_children, inner.named_children[1].named_children
    for name, value in zip(names, values, strict=False):
        text = source.text(name)
        if value.type == "table_constructor":
            scope = module if text == table else (*module, *_parts(text, table))
            _read_table(source, value, scope)
        marks = ("private",) if is_local else ("public",)
        _add(source, SymbolSite(node, module, doc=doc, marks=marks), value, text, table)


def _read_table(source: SourceFile, node: Node, scope: tuple[str, ...]) -> None:
    for child, doc, _ in documented(source, node.children, _COMMENTS, _NONE):
        name = source.text(child.child_by_field_name("name"))
        value = child.child_by_field_name("value")
        if child.type != "field" or value is None or not re.fullmatch(r"\w+", name):
            continue
        if value.type == "function_definition":
            body = value.child_by_field_name("body")
            source.add(
                "function",
                name,
                SymbolSite(child, scope, doc=doc),
                SymbolShape(parameters=_parameters(source, value)),
                body=body,
            )
        else:
            source.add("field", name, SymbolSite(child, scope, doc=doc), value=source.text(value))


def _add(source: SourceFile, site: SymbolSite, value: Node, name: str, table: str) -> None:
    """Add what a name is set to; `table` is the table that the module returns."""
    if name == table or not re.fullmatch(r"[\w.:]+", name):
        return
    *outer, last = _parts(name, table)
    site = site._replace(scope=(*site.scope, *outer))
    if value.type in ("function_definition", "function_declaration"):
        shape = SymbolShape(_parameters(source, value))
        kind: SymbolKind = "method" if ":" in name else "function"
        source.add(kind, last, site, shape, body=value.child_by_field_name("body"))
    else:
        source.add("constant", last, site, value=source.text(value))


def _parts(name: str, table: str) -> list[str]:
    parts = re.split(r"[.:]", name)
    return parts[1:] if len(parts) > 1 and parts[0] == table else parts


def _parameters(source: SourceFile, function: Node) -> tuple[Parameter, ...]:
    given = function.child_by_field_name("parameters")
    return tuple(Parameter(source.text(item), "") for item in given.named_children) if given is not None else ()
