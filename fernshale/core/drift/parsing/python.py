"""Python."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.parsing.source import SourceFile, SymbolShape, SymbolSite
from fernshale.core.drift.symbols import Parameter, SymbolKind

if TYPE_CHECKING:
    from tree_sitter import Node

_BLOCKS = frozenset(
    (
        "if_statement",
        "try_statement",
        "else_clause",
        "elif_clause",
        "except_clause",
        "finally_clause",
        "block",
        "with_statement",
    )
)
_SELF = lazy_pattern(rb"(?m)^\s+self\.([a-z]\w*)\s*(?::[^=\n]*)?=(?!=)")


def read_python(source: SourceFile, root: Node) -> None:
    _read_list(source, root, module_of(source.path), "")


def module_of(path: str) -> tuple[str, ...]:
    """The names of the module that a file is."""
    parts = re.sub(r"\.pyi?$", "", path).split("/")
    for root in ("src", "lib", "python"):
        if parts[:1] == [root] and len(parts) > 1:
            parts = parts[1:]
    return tuple(parts[:-1] if parts[-1] == "__init__" else parts)


def _read_list(source: SourceFile, parent: Node, scope: tuple[str, ...], inside: str) -> None:
    for child in parent.named_children:
        _read(source, child, scope, "", inside)


def _read(source: SourceFile, node: Node, scope: tuple[str, ...], head: str, inside: str) -> None:
    """`inside` is "class" for members."""
    kind = node.type
    if kind == "decorated_definition":
        inner = node.child_by_field_name("definition")
        if inner is not None:
            _read(source, inner, scope, source.raw(node.start_byte, inner.start_byte), inside)
    elif kind == "function_definition":
        _read_function(source, node, scope, head, inside)
    elif kind == "class_definition":
        name = source.text(node.child_by_field_name("name"))
        body = node.child_by_field_name("body")
        listed = node.child_by_field_name("superclasses")
        bases = [source.text(item) for item in listed.named_children] if listed is not None else []
        named = tuple(base.split("[")[0] for base in bases if "=" not in base)
        marks = _visibility(name)
        if any(base.split(".")[-1] in ("ABC", "Protocol") or "ABCMeta" in base for base in bases):
            marks.add("abstract")
        source.add(
            "class",
            name,
            SymbolSite(node, scope, doc=_doc(source, body), head=head, marks=marks),
            SymbolShape(bases=named),
        )
        if body is not None:
            _read_list(source, body, (*scope, name), "class")
            _read_attributes(source, body, (*scope, name))
    elif kind == "expression_statement" and node.named_children and node.named_children[0].type == "assignment":
        _read_assignment(source, node.named_children[0], scope, inside)
    elif kind in _BLOCKS:
        _read_list(source, node, scope, inside)


def _read_function(source: SourceFile, node: Node, scope: tuple[str, ...], head: str, inside: str) -> None:
    name = source.text(node.child_by_field_name("name"))
    body = node.child_by_field_name("body")
    given = node.child_by_field_name("parameters")
    marks = _visibility(name)
    decorators = set(re.findall(r"@(?:[\w.]+\.)?(\w+)", head))
    marks |= {word for word in ("staticmethod", "classmethod", "overload") if word in decorators}
    if "abstractmethod" in decorators or "abstractproperty" in decorators:
        marks |= {"abstract", "virtual"}
    if inside:
        marks.add("virtual")
    kind: SymbolKind = "method" if inside else "function"
    if name == "__init__":
        kind = "constructor"
    elif decorators & {"property", "cached_property", "setter", "hybrid_property", "abstractproperty"}:
        kind = "field"
        marks.add("property")
        if "setter" in decorators or "deleter" in decorators:
            return
    elif name.startswith("__"):
        return
    parameters = _parameters(source, given)
    if inside and "staticmethod" not in decorators:
        parameters = parameters[1:]
    source.add(
        kind,
        name,
        SymbolSite(node, scope, doc=_doc(source, body), head=head, marks=marks),
        SymbolShape(parameters if kind != "field" else (), source.text(node.child_by_field_name("return_type"))),
        body=body,
    )


def _read_assignment(source: SourceFile, node: Node, scope: tuple[str, ...], inside: str) -> None:
    left = node.child_by_field_name("left")
    if left is None or left.type != "identifier":
        return
    name = source.text(left)
    if name.startswith("__"):
        return
    value = source.text(node.child_by_field_name("right"))
    source.add(
        "field" if inside else "constant",
        name,
        SymbolSite(node, scope, marks=_visibility(name)),
        SymbolShape(returns=source.text(node.child_by_field_name("type"))),
        value=value,
    )


def _read_attributes(source: SourceFile, body: Node, scope: tuple[str, ...]) -> None:
    """Attributes that a class's methods set on `self`."""
    known = {symbol.name for symbol in source.symbols if symbol.scope == scope}
    for found in _SELF.finditer(source.data, body.start_byte, body.end_byte):
        name = found[1].decode("ascii", "replace")
        if name not in known:
            known.add(name)
            source.add("field", name, SymbolSite(body, scope, marks=("public",)))


def _visibility(name: str) -> set[str]:
    return {"private" if name.startswith("_") and not name.startswith("__") else "public"}


def _doc(source: SourceFile, body: Node | None) -> str:
    if body is None or not body.named_children:
        return ""
    first = body.named_children[0]
    if first.type == "expression_statement" and first.named_children and first.named_children[0].type == "string":
        return source.raw(first.start_byte, min(first.end_byte, first.start_byte + 600)).strip("rRuU\"' \n\t")
    return ""


def _parameters(source: SourceFile, given: Node | None) -> tuple[Parameter, ...]:
    if given is None:
        return ()
    parameters = []
    is_named = False
    for child in given.named_children:
        kind = child.type
        if kind in ("default_parameter", "typed_default_parameter"):
            name = source.text(child.child_by_field_name("name"))
            default = source.text(child.child_by_field_name("value"))
            parameters.append(Parameter(name, source.text(child.child_by_field_name("type")), default, is_named))
        elif kind == "typed_parameter":
            name = source.text(child.named_children[0]) if child.named_children else ""
            parameters.append(Parameter(name, source.text(child.child_by_field_name("type")), "", is_named))
        elif kind in ("identifier", "list_splat_pattern", "dictionary_splat_pattern"):
            parameters.append(Parameter(source.text(child), "", "", is_named))
        # Parameters after a star are keyword-only.
        is_named = is_named or kind == "keyword_separator" or (bool(parameters) and parameters[-1].name.startswith("*"))
    return tuple(parameters)
