"""Functions and objects of TypeScript and JavaScript, wherever they are written."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from fernshale.core.drift.parsing.source import SourceFile, SymbolShape, SymbolSite, documented
from fernshale.core.drift.symbols import Parameter, SymbolKind

if TYPE_CHECKING:
    from tree_sitter import Node

COMMENTS = frozenset(("comment",))
DECORATORS = frozenset(("decorator",))
VALUES = frozenset(("function_expression", "arrow_function", "generator_function", "function"))


def read_object(source: SourceFile, node: Node, scope: tuple[str, ...]) -> None:
    """Read the members of an object literal as those of `scope`."""
    for child, doc, _ in documented(source, node.children, COMMENTS, DECORATORS):
        if child.type == "pair":
            key = source.text(child.child_by_field_name("key")).strip("\"'")
            value = child.child_by_field_name("value")
            if value is not None and value.type in VALUES and re.fullmatch(r"[\w$]+", key):
                add_function(source, "method", key, SymbolSite(child, scope, doc=doc, marks={"public"}), value)
            elif re.fullmatch(r"[\w$]+", key) and key != "constructor":  # that names the class itself
                source.add("field", key, SymbolSite(child, scope, doc=doc), value=source.text(value))
        elif child.type == "method_definition":
            name = source.text(child.child_by_field_name("name"))
            add_function(source, "method", name, SymbolSite(child, scope, doc=doc, marks={"public"}), child)


def add_function(source: SourceFile, kind: SymbolKind, name: str, site: SymbolSite, function: Node) -> None:
    """Add a function with its parameters, result and body."""
    given = function.child_by_field_name("parameters") or function.child_by_field_name("parameter")
    shape = SymbolShape(parameters(source, given), type_of(source, function, "return_type"))
    source.add(kind, name, site, shape, body=function.child_by_field_name("body"))


def type_of(source: SourceFile, node: Node, field: str) -> str:
    """The type written in a field of a node, \"\" if there is none."""
    return source.text(node.child_by_field_name(field)).removeprefix(":").strip()


def parameters(source: SourceFile, given: Node | None) -> tuple[Parameter, ...]:
    if given is None:
        return ()
    if given.type == "identifier":
        return (Parameter(source.text(given), ""),)
    parameters = []
    for child in given.named_children:
        kind = child.type
        if kind in ("required_parameter", "optional_parameter"):
            name = source.text(child.child_by_field_name("pattern"))
            default = source.text(child.child_by_field_name("value")) or ("?" if kind == "optional_parameter" else "")
            parameters.append(Parameter(name, type_of(source, child, "type"), default))
        elif kind == "assignment_pattern":
            name, default = (source.text(child.child_by_field_name(side)) for side in ("left", "right"))
            parameters.append(Parameter(name, "", default))
        elif kind != "comment":
            parameters.append(Parameter(source.text(child), ""))
    return tuple(parameters)
