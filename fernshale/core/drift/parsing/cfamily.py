"""C and C++: headers and sources."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache, partial
from typing import TYPE_CHECKING

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.parsing.c_conditions import settle_conditions
from fernshale.core.drift.parsing.c_macros import blank_macros, plain_comparisons
from fernshale.core.drift.parsing.source import SourceFile, SymbolShape, SymbolSite, documented
from fernshale.core.drift.symbols import Parameter, SymbolKind

if TYPE_CHECKING:
    from tree_sitter import Node

_COMMENTS = frozenset(("comment",))
_NO_ATTRIBUTES: frozenset[str] = frozenset()
_CLASSES: dict[str, SymbolKind] = {"class_specifier": "class", "struct_specifier": "class", "union_specifier": "class"}
_WRAPPERS = frozenset(
    ("declaration_list", "linkage_specification", "preproc_if", "preproc_ifdef", "preproc_else", "preproc_elif",
     "preproc_elifdef", "export_declaration")
)  # fmt: skip
_CONDITIONALS = frozenset(("preproc_if", "preproc_ifdef"))
_ALTERNATIVES = frozenset(("preproc_else", "preproc_elif", "preproc_elifdef"))
_OBSOLETE = lazy_pattern(rb"(?i)compat|obsolete|deprecat|legacy|(?<![a-z])(?:old|removed)(?![a-z])")
# The name in `typedef int (*name)(int)`, `typedef int (name)(int)` and `typedef int name(int)`.
_FUNCTION_TYPE = lazy_pattern(r"\(\s*\*\s*(?P<name>\w+)\s*\)|^\W*\(?\s*(?P<plain>\w+)\s*\)?\s*\(")
_HOLDING = _WRAPPERS | {"namespace_definition"}
_MARKS = frozenset(("virtual", "static", "explicit", "inline", "constexpr", "extern", "friend", "mutable", "const"))
# Words in capitals between `class` and its name are macros, for exporting it.
_CLASS_MACRO = lazy_pattern(
    rb"\b(?:class|struct|union|enum)[ \t]+(?P<macro>[A-Z][A-Z0-9_]{2,}(?:[ \t]*\([^()\n]*\))?"
    rb"(?:[ \t]+[A-Z][A-Z0-9_]{2,}(?:[ \t]*\([^()\n]*\))?)*)"
    rb"(?=\s+[A-Za-z_]\w*\s*(?:final\s*)?[:{;\n])"
)

_WORD = lazy_pattern(r"[A-Za-z_]\w*")
_EXTENTS = lazy_pattern(r"\[[^\]]*\]$")
_COMMENT = lazy_pattern(r"/\*.*?\*/|//[^\n]*")
_POINTER = lazy_pattern(r"\(\s*[*&]\s*(\w+)\s*\)")
_LAST_WORD = lazy_pattern(r"[A-Za-z_]\w*$")
_BRACKETS = lazy_pattern(r"[(<{\[,)\]}]|(?<!-)>")
_QUALIFIERS = lazy_pattern(r"\b(?:const|volatile|struct|class|enum|register|typename)\b")
_TYPE_WORDS = frozenset(
    ("int", "char", "long", "short", "unsigned", "signed", "float", "double", "bool", "const", "auto", "size_t")
)
_TEMPLATE = lazy_pattern(r"<[^<>]*>")


def prepare(data: bytes) -> bytes:
    """Return the source with macros blanked that no grammar can distinguish from types, and with one branch of conditionals
    inside declarations. Lengths stay."""
    data = _CLASS_MACRO.sub(_blank_name, settle_conditions(data))
    return plain_comparisons(blank_macros(data))


def _blank_name(found: re.Match[bytes]) -> bytes:
    start, end = (at - found.start() for at in found.span("macro"))
    return found[0][:start] + b" " * (end - start) + found[0][end:]


def read_c_family(source: SourceFile, root: Node) -> None:
    _read_list(source, root, (), "public")


@contextmanager
def _within(source: SourceFile, node: Node) -> Iterator[None]:
    """Mark declarations inside a conditional that keeps old names for old code; its `else` is for all other code."""
    before = source.for_old_code
    here, outside = before
    if node.type in _CONDITIONALS:
        end = source.data.find(b"\n", node.start_byte)
        source.for_old_code = here or _OBSOLETE.search(source.data, node.start_byte, end) is not None, here
    elif node.type in _ALTERNATIVES:
        source.for_old_code = outside, outside
    yield
    source.for_old_code = before


def _read_list(source: SourceFile, parent: Node, scope: tuple[str, ...], access: str) -> None:
    """Declarations of a namespace or a file."""
    for child, doc, _ in documented(source, parent.children, _COMMENTS, _NO_ATTRIBUTES):
        if child.type in _HOLDING:
            _read(source, child, scope, doc, access)  # its members are compared with the earlier ones
        else:
            source.once(child, ("list", scope, doc, access), partial(_read, source, child, scope, doc, access))


def _read(source: SourceFile, node: Node, scope: tuple[str, ...], doc: str, access: str) -> None:
    kind = node.type
    if kind == "namespace_definition":
        body = node.child_by_field_name("body")
        name = source.text(node.child_by_field_name("name"))
        if body is not None:
            _read_list(source, body, (*scope, *(part.strip() for part in name.split("::") if part)), access)
    elif kind == "template_declaration":
        for child in node.children:
            if child.type not in ("template", "template_parameter_list", "requires_clause"):
                _read(source, child, scope, doc, access)
    elif kind in _CLASSES or kind == "enum_specifier":
        _read_type(source, node, scope, doc, access)
    elif kind in ("function_definition", "declaration", "field_declaration"):
        _read_declaration(source, node, scope, doc, access)
    elif kind == "type_definition":
        _read_typedef(source, node, scope, doc)
    elif kind == "alias_declaration":
        name = source.text(node.child_by_field_name("name"))
        source.add(
            "type",
            name,
            SymbolSite(node, scope, doc=doc, marks=(access,)),
            SymbolShape(returns=source.text(node.child_by_field_name("type"))),
        )
    elif kind in ("preproc_def", "preproc_function_def"):
        name = source.text(node.child_by_field_name("name"))
        value = source.text(node.child_by_field_name("value"))
        is_guard = value in ("", "1") and name.endswith(("_H", "_HPP", "_H_", "_HPP_", "_H__", "_INCLUDED"))
        given = node.child_by_field_name("parameters")
        names = tuple(Parameter(source.text(item), "") for item in given.named_children) if given is not None else ()
        if not is_guard:
            source.add("macro", name, SymbolSite(node, (), doc=doc), SymbolShape(parameters=names), value=value)
    elif kind in _WRAPPERS:
        with _within(source, node):
            _read_list(source, node, scope, access)


def _read_type(source: SourceFile, node: Node, scope: tuple[str, ...], doc: str, access: str, name: str = "") -> None:
    body = node.child_by_field_name("body")
    given = node.child_by_field_name("name")
    name = source.text(given).split("<")[0] if given is not None else name
    if body is None:
        return  # a forward declaration has no content
    *outer, name = name.split("::")
    scope = (*scope, *outer)
    head = source.raw(node.start_byte, body.start_byte)
    if node.type == "enum_specifier":
        source.add("enum", name, SymbolSite(node, scope, doc=doc, head=head, marks=(access,)))
        is_scoped = any(child.type in ("class", "struct") for child in node.children)
        inner = (*scope, name) if is_scoped and name else scope
        _read_values(source, body, inner, access)
        return
    bases: tuple[str, ...] = ()
    for child in node.children:
        if child.type == "base_class_clause":
            bases = tuple(
                source.text(item).split("<")[0] for item in child.named_children if item.type != "access_specifier"
            )
    marks = {access} | ({"final"} if re.search(r"\bfinal\b", head) else set())
    source.add("class", name, SymbolSite(node, scope, doc=doc, head=head, marks=marks), SymbolShape(bases=bases))
    inside = "private" if node.type == "class_specifier" else "public"
    if access == "private":
        return
    _read_members(source, body, (*scope, name) if name else scope, inside)


def _read_values(source: SourceFile, body: Node, scope: tuple[str, ...], access: str) -> None:
    """The values of an enum, also those under a condition."""
    for child, doc, _ in documented(source, body.children, _COMMENTS, _NO_ATTRIBUTES):
        if child.type in _WRAPPERS:
            with _within(source, child):
                _read_values(source, child, scope, access)
        elif child.type == "enumerator":
            value = source.text(child.child_by_field_name("value"))
            site = SymbolSite(child, scope, doc=doc, head=source.text(child), marks=(access,))
            source.add("enumerator", source.text(child.child_by_field_name("name")), site, value=value)


def _read_members(source: SourceFile, body: Node, scope: tuple[str, ...], access: str) -> str:
    for child, doc, _ in documented(source, body.children, _COMMENTS, _NO_ATTRIBUTES):
        if child.type == "access_specifier":
            access = source.text(child).rstrip(": ").split()[0]
        elif child.type in _WRAPPERS:
            with _within(source, child):
                access = _read_members(source, child, scope, access)
        else:
            source.once(child, ("members", scope, doc, access), partial(_read, source, child, scope, doc, access))
    return access


def _read_typedef(source: SourceFile, node: Node, scope: tuple[str, ...], doc: str) -> None:
    names = node.children_by_field_name("declarator")
    name = source.text(names[-1]).lstrip("*& ") if names else ""
    inner = node.child_by_field_name("type")
    if inner is not None and (inner.type in _CLASSES or inner.type == "enum_specifier"):
        if inner.child_by_field_name("body") is not None:
            _read_type(source, inner, scope, doc, "public", name)
        if inner.child_by_field_name("name") is None:
            return
    if "(" in name and (found := _FUNCTION_TYPE.search(source.text(names[-1]))):
        name = found["name"] or found["plain"]
    source.add("type", name.split("[")[0], SymbolSite(node, scope, doc=doc), SymbolShape(returns=source.text(inner)))


def _read_declaration(source: SourceFile, node: Node, scope: tuple[str, ...], doc: str, access: str) -> None:
    kind = node.child_by_field_name("type")
    if kind is not None and (kind.type in _CLASSES or kind.type == "enum_specifier"):
        _read_type(source, kind, scope, doc, access)
    declarators = node.children_by_field_name("declarator")
    if not declarators:
        return
    marks = frozenset({access})
    if kind is None or not (
        kind.start_byte == node.start_byte and source.is_blank(kind.end_byte, declarators[0].start_byte)
    ):
        for child in node.children:
            if child.type in ("storage_class_specifier", "type_qualifier", "virtual", "explicit_function_specifier"):
                marks |= _MARKS & set(source.text(child).split())
    for declarator in declarators:
        _read_declarator(source, SymbolSite(node, scope, doc, marks=marks), declarator, source.text(kind))


def _read_declarator(source: SourceFile, site: SymbolSite, declarator: Node, type_: str) -> None:
    stars, node = "", site.node
    value = node.child_by_field_name("default_value") or declarator.child_by_field_name("value")
    while declarator.type in (
        "pointer_declarator",
        "reference_declarator",
        "init_declarator",
        "array_declarator",
        "attributed_declarator",
    ):
        stars += {"pointer_declarator": "*", "reference_declarator": "&", "array_declarator": "[]"}.get(
            declarator.type, ""
        )
        inner = declarator.child_by_field_name("declarator")
        if inner is None:
            named = [child for child in declarator.named_children if child.type != "type_qualifier"]
            inner = named[0] if named else None
        if inner is None:
            return
        declarator = inner
    if declarator.type == "function_declarator":
        _read_function(source, site, declarator, type_ + stars, value)
        return
    if declarator.type == "operator_cast":
        return
    outer, name = _split(source.text(declarator))
    if not re.fullmatch(r"\w+", name) or node.type == "function_definition":
        return
    is_member = node.type == "field_declaration"
    is_constant = "const" in site.marks or "constexpr" in site.marks
    what: SymbolKind = "constant" if is_constant and not is_member else "field" if is_member else "constant"
    place = SymbolSite(node, (*site.scope, *outer), site.doc, source.text(node), site.marks)
    source.add(what, name, place, SymbolShape(returns=type_ + stars), source.text(value))


def _read_function(source: SourceFile, site: SymbolSite, declarator: Node, returns: str, value: Node | None) -> None:
    node, scope = site.node, site.scope
    named = declarator.child_by_field_name("declarator")
    given = declarator.child_by_field_name("parameters")
    if named is not None and named.type == "parenthesized_declarator" and len(named.named_children) == 1:
        inner = named.named_children[0]
        if inner.type in ("pointer_declarator", "abstract_pointer_declarator"):
            _read_function_pointer(source, site, inner, returns + source.text(given))
            return
        named = inner  # int (name)(...), which no macro of that name replaces
    if named is None or given is None or named.type == "parenthesized_declarator":
        return
    outer, name = _split(source.text(named))
    body = node.child_by_field_name("body")
    marks = set(site.marks)
    for child in declarator.children if declarator.end_byte > given.end_byte else ():
        if child.type in ("virtual_specifier", "type_qualifier"):
            marks.add(source.text(child))
        elif child.type == "trailing_return_type":
            returns = source.text(child).removeprefix("->").strip()
    head = source.blanked(node) + source.written(
        node.start_byte, body.start_byte if body is not None else node.end_byte
    )
    if value is not None and source.text(value) == "0":
        marks |= {"abstract", "virtual"}
    if re.search(r"=\s*delete\b", head):
        marks.add("private")
    owner = outer[-1] if outer else scope[-1] if scope else ""
    is_member = bool(outer) or node.type == "field_declaration" or _is_inside_class(node)
    kind: SymbolKind = "constructor" if name in (owner, f"~{owner}") else "method" if is_member else "function"
    place = SymbolSite(node, (*scope, *outer), site.doc, head, marks)
    source.add(kind, name, place, SymbolShape(_parameters(source, given), returns), body=body)


def _read_function_pointer(source: SourceFile, site: SymbolSite, pointer: Node, type_: str) -> None:
    """A field or a variable that holds a function."""
    name = source.text(pointer).lstrip("*^ ").removeprefix("const ").strip()
    if site.node.type == "function_definition" or not re.fullmatch(r"\w+", name):
        return
    kind: SymbolKind = "field" if site.node.type == "field_declaration" else "constant"
    source.add(
        kind,
        name,
        SymbolSite(site.node, site.scope, site.doc, source.text(site.node), site.marks),
        SymbolShape(returns=type_),
    )


def _is_inside_class(node: Node) -> bool:
    parent = node.parent
    while parent is not None and (parent.type == "template_declaration" or parent.type.startswith("preproc")):
        parent = parent.parent
    return parent is not None and parent.type == "field_declaration_list"


def _split(text: str) -> tuple[tuple[str, ...], str]:
    """Split `a::B<T>::c` into its scope and its name."""
    if text.isidentifier():
        return (), text
    parts = [part.strip() for part in _TEMPLATE.sub("", text).split("::")]
    return tuple(part for part in parts[:-1] if part), parts[-1]


def _parameters(source: SourceFile, given: Node) -> tuple[Parameter, ...]:
    """Parse parameters from the text of the list: half of all nodes are in these lists, and walking them is most of the cost."""
    text = source.text(given)[1:-1]
    if not text or text == "void":
        return ()
    if "/" in text:
        text = _COMMENT.sub("", text)
    return tuple(_parameter(part) for part in _split_list(text))


@lru_cache(maxsize=4096)  # many functions of a release have equal lists
def _parameter(text: str) -> Parameter:
    head, _, default = text.partition("=")
    head = head.strip()
    pointer = _POINTER.search(head) if "(" in head else None
    if pointer:
        name, at = pointer[1], pointer.start(1)
    else:
        bare = _EXTENTS.sub("", head)
        found = _LAST_WORD.search(bare)
        # A single word is a type, and so is the end of a qualified name.
        if (
            found is None
            or not found.start()
            or bare[: found.start()].rstrip().endswith("::")
            or found[0] in _TYPE_WORDS
        ):
            return Parameter("", head, default.strip())
        if not _WORD.search(_QUALIFIERS.sub("", bare[: found.start()])):
            return Parameter("", head, default.strip())
        name, at = found[0], found.start()
    return Parameter(name, " ".join((head[:at] + head[at + len(name) :]).split()), default.strip())


def _split_list(text: str) -> list[str]:
    """Split at commas outside brackets."""
    if "(" not in text and "<" not in text and "{" not in text:
        return [part.strip() for part in text.split(",")]
    parts, depth, start = [], 0, 0
    for found in _BRACKETS.finditer(text):
        mark = found[0]
        if mark == ",":
            if depth == 0:
                parts.append(text[start : found.start()].strip())
                start = found.end()
        else:
            depth += 1 if mark in "(<{[" else -1
    parts.append(text[start:].strip())
    return parts
