"""Fields of an object in a data file: find, set, rename, remove and add them; everything else stays byte for byte.

A field's name is its key; `position.x` is the field x of the object (or list, by number) in the field position. The fields of
an XML element are its attributes (`@width`) and its inner elements that contain only text.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.data.paths import children
from fernshale.core.data.tree import DataDocument, KeyedNode, Node, NotKeyed, Span
from fernshale.core.data.xml_tree import escaped

FieldValue = str | float | int | bool | None
_NUMBER = lazy_pattern(r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?")
_BARE = lazy_pattern(r"[A-Za-z_][\w ./-]*")
_BARE_KEY = lazy_pattern(r"[A-Za-z_][\w-]*")
_QUOTES = ('"', "'")
_LITERALS: Mapping[str, FieldValue] = {"true": True, "false": False, "null": None}


@dataclass(frozen=True, slots=True)
class TextChange:
    """Characters `span` of a text become `new`."""

    span: Span
    new: str


@dataclass(frozen=True, slots=True)
class ObjectField:
    """A field: its entry and the container of the entry."""

    name: str
    item: KeyedNode
    holder: Node


def find_field(document: DataDocument, node: Node, name: str) -> ObjectField | None:
    """Return the field of an object by its name, None if it has none."""
    first, _, rest = name.partition(".")
    for steps, item in children(node, document.format):
        whole = ".".join(steps)
        if whole == name:
            return ObjectField(name, item, _holder(node, item))
        if rest and whole == first and item.node.kind != "value":
            inner = find_field(document, item.node, rest)
            return ObjectField(name, inner.item, inner.holder) if inner is not None else None
        if not rest and not steps and item.node.kind == "value" and name == "text":
            return ObjectField(name, item, node)  # an element's own text
    return None


def fields_of(document: DataDocument, node: Node) -> dict[str, FieldValue]:
    """The plain values of an object by name, those of inner objects with dots."""
    found: dict[str, FieldValue] = {}
    for steps, item in children(node, document.format):
        name = ".".join(steps) or "text"
        value = plain_node(document, item.node)
        if value is not None:
            found[name] = read_value(document, value)
        elif item.node.kind != "value":
            found.update({f"{name}.{inner}": each for inner, each in fields_of(document, item.node).items()})
    return found


def read_value(document: DataDocument, node: Node) -> FieldValue:
    """Return a plain value. In formats with only text values, numbers are returned as numbers. Raises NotKeyed for an alias."""
    raw = node.canon_value
    if node.mark.startswith("*"):
        raise NotKeyed(
            tr("line {line}: the value is an alias, {mark}", line=document.line(node.span[0]) + 1, mark=node.mark)
        )
    if document.format in ("json", "toml", "yaml") and raw.startswith("s"):
        return raw[1:]
    said = raw.removeprefix("s") if document.format in ("xml", "lines") else raw
    if said.lower() in _LITERALS and document.format in ("json", "toml", "yaml"):
        return _LITERALS[said.lower()]
    if _NUMBER.fullmatch(said.strip()):
        number = float(said)
        return int(said) if re.fullmatch(r"\s*[+-]?\d+\s*", said) else number
    return said


def set_field(document: DataDocument, field: ObjectField, value: FieldValue) -> TextChange:
    """Set a field, in the notation of the old value. Raises NotKeyed for a field that holds more than a value."""
    node = plain_node(document, field.item.node)
    if node is None:
        raise NotKeyed(tr("{name} is no plain value", name=field.name))
    raw = document.cut(node.span)
    return TextChange(node.span, _spelled(document.format, value, raw))


def rename_field(document: DataDocument, field: ObjectField, new: str) -> list[TextChange]:
    """Rename a field in its place. Raises NotKeyed for a name that is not written as one."""
    start = field.item.body[0]
    text = document.text
    if document.format == "xml" and not field.item.key:
        tag = field.item.node.label
        close = (
            text.rindex(f"</{tag}", start, field.item.body[1]) if f"</{tag}" in document.cut(field.item.body) else -1
        )
        places = [start + 1, *([close + 2] if close >= 0 else [])]
        return [TextChange((place, place + len(tag)), new.removeprefix("@")) for place in places]
    if text[start : start + 1] in _QUOTES:
        end = text.index(text[start], start + 1) + 1
        return [TextChange((start + 1, end - 1), json.dumps(new, ensure_ascii=False)[1:-1])]
    old = field.item.key.rpartition(".")[2] if document.format == "toml" else field.item.key
    at = text.find(old, start, field.item.node.span[0])
    if at < 0:
        raise NotKeyed(tr("the name of {name} is written in a syntax of its own", name=field.name))
    return [TextChange((at, at + len(old)), new.removeprefix("@"))]


def drop_field(document: DataDocument, field: ObjectField) -> list[TextChange]:
    """Remove an entry, with the comments above it and its separator."""
    return drop_item(document, field.holder, field.item)


def drop_item(document: DataDocument, holder: Node, item: KeyedNode) -> list[TextChange]:
    """Remove an entry of a map or list."""
    at = holder.items.index(item)
    changes = [TextChange((item.lead[0], item.trail[1]), "")]
    is_last = at == len(holder.items) - 1
    if holder.separator and is_last and at and holder.separator not in document.cut(item.trail):
        before = holder.items[at - 1]
        comma = document.text.find(holder.separator, before.body[1], before.trail[1])
        if comma >= 0:
            changes.append(TextChange((comma, comma + len(holder.separator)), ""))
    if not holder.separator and at == 0:
        # Text before the first line entry belongs to the header, so the following line break is removed instead.
        end = item.trail[1]
        more = document.text[end : end + 2]
        gone = 2 if more == "\r\n" else 1 if more[:1] == "\n" else 0
        line_start = document.text.rfind("\n", 0, item.body[0]) + 1
        start = line_start if not document.text[line_start : item.body[0]].strip() else item.body[0]
        if document.text[item.lead[0] : item.body[0]].strip() or item.lead[0] == item.lead[1]:
            changes[0] = TextChange((start, end + gone), "")
    return changes


def add_field(document: DataDocument, node: Node, name: str, value: FieldValue) -> TextChange:
    """Add a field after the others, written like its neighbours."""
    holder, name = _holder_for(document, node, name)
    format = document.format
    if format == "xml":
        return _add_attribute(document, holder, name, value)
    last = holder.items[-1] if holder.items else None
    if last is None:
        return _first_field(document, holder, name, value)
    body = document.cut(last.body)
    start, end = last.node.span[0] - last.body[0], last.node.span[1] - last.body[0]
    # Keep the text between the neighbour's key and value; its key and value are replaced.
    between = re.search(r"[\s:=]*$", _without_quote(body[:start]))
    glue = between[0] if between else ": "
    if last.node.kind != "value" and format == "yaml" and not holder.separator:
        glue = ": "
    tail = body[end:] if last.node.kind == "value" else ""
    opened = body[:start][len(_without_quote(body[:start])) :]
    sample = document.cut(last.node.span) if last.node.kind == "value" else ""
    spelled = _spelled(format, value, sample if opened or not sample else _kind_sample(holder, document, value))
    new = _key(format, name, body) + glue + opened + spelled + tail
    lead = _gap(document, holder)
    at = last.trail[1]
    if not holder.separator:
        return TextChange((at, at), lead + new)
    comma = document.text.find(holder.separator, last.body[1], last.trail[1])
    if comma >= 0:
        return TextChange((at, at), lead + new + holder.separator)
    return TextChange((last.body[1], last.body[1]), holder.separator + lead + new)


def plain_node(document: DataDocument, node: Node) -> Node | None:
    """The plain value that a node is, also the text of an element without anything else."""
    if node.kind == "value":
        return node
    if document.format == "xml" and node.fixed:
        inner = node.find("content")
        attributes = node.find("@")
        bare = attributes is None or not attributes.node.items
        return inner.node if inner is not None and inner.node.kind == "value" and bare else None
    return None


def _holder(node: Node, item: KeyedNode) -> Node:
    """Return the container of the entry: for an element, one of its two parts."""
    if item in node.items:
        return node
    return next(part.node for part in node.items if item in part.node.items)


def _holder_for(document: DataDocument, node: Node, name: str) -> tuple[Node, str]:
    """Return the inner object that a dotted name refers to, and the last part of the name."""
    first, _, rest = name.partition(".")
    if rest:
        for steps, item in children(node, document.format):
            if ".".join(steps) == first and item.node.kind == "map":
                return _holder_for(document, item.node, rest)
    return node, name


def _add_attribute(document: DataDocument, node: Node, name: str, value: FieldValue) -> TextChange:
    attributes = node.find("@")
    if attributes is None:
        raise NotKeyed(tr("an attribute needs an element"))
    at = attributes.node.items[-1].body[1] if attributes.node.items else node.span[0] + 1 + len(node.label)
    return TextChange((at, at), f' {name.removeprefix("@")}="{_spelled("xml", value, "")}"')


def _first_field(document: DataDocument, holder: Node, name: str, value: FieldValue) -> TextChange:
    if holder.separator:
        at = holder.span[0] + 1
        glue = " = " if document.format == "toml" else ": "
        return TextChange((at, at), _key(document.format, name, '"') + glue + _spelled(document.format, value, ""))
    if document.format in ("toml", "ini", "properties"):
        at = holder.span[1]
        return TextChange((at, at), f"\n{name} = {_spelled(document.format, value, '')}")
    raise NotKeyed(tr("an object without fields does not show how to write one"))


def _gap(document: DataDocument, holder: Node) -> str:
    """Return the blank text before an entry, without comments."""
    for item in reversed(holder.items):
        lead = document.cut(item.lead)
        if item is holder.items[0] and len(holder.items) == 1 and "\n" not in lead:
            break
        if "\n" in lead:
            at = lead.rfind("\n")
            return lead[at - 1 if lead[at - 1 : at] == "\r" else at :]
        if not lead.strip() and item is not holder.items[0]:
            return lead
    if holder.separator or document.format == "lines":
        return " "
    start = document.text.rfind("\n", 0, holder.items[0].body[0]) + 1
    end_of_line = "\r\n" if "\r\n" in document.text else "\n"
    before = document.text[start : holder.items[0].body[0]]
    # In a list of maps, the first key follows the dash; the others are on lines of their own.
    return end_of_line + re.sub(r"\S", " ", before)


def _without_quote(text: str) -> str:
    return text[:-1] if text[-1:] in _QUOTES else text


def _key(format: str, name: str, like: str) -> str:
    if format == "json":
        return json.dumps(name, ensure_ascii=False)
    if format == "toml" and not _BARE_KEY.fullmatch(name):
        return json.dumps(name, ensure_ascii=False)
    if format == "yaml" and like[:1] in _QUOTES:
        return json.dumps(name, ensure_ascii=False)
    return name


def _kind_sample(holder: Node, document: DataDocument, value: FieldValue) -> str:
    """How a neighbour with the same kind of value is written."""
    for item in reversed(holder.items):
        if item.node.kind == "value" and isinstance(read_value(document, item.node), str) == isinstance(value, str):
            return document.cut(item.node.span)
    return ""


def _spelled(format: str, value: FieldValue, like: str) -> str:
    """A value as text, in the manner of `like`."""
    if format == "xml":
        return escaped(_literal(value))
    if format in ("lines", "ini", "properties"):
        return _literal(value)
    if isinstance(value, str):
        if like[:1] == "'" and "'" not in value and "\n" not in value and (format != "toml" or "\\" not in value):
            return f"'{value}'"
        if format == "yaml" and like[:1] not in _QUOTES and _is_bare(value):
            return value
        return json.dumps(value, ensure_ascii=False)
    if value is None and format == "toml":
        raise NotKeyed(tr("TOML has no empty value"))
    said = _literal(value)
    # A number that was written with a point stays one that is.
    return said + ".0" if isinstance(value, int) and not isinstance(value, bool) and _is_float(like) else said


def _is_bare(value: str) -> bool:
    return (
        bool(_BARE.fullmatch(value))
        and value == value.strip()
        and value.lower() not in ("true", "false", "null", "yes", "no", "on", "off", "y", "n")
    )


def _is_float(text: str) -> bool:
    return bool(_NUMBER.fullmatch(text)) and any(mark in text for mark in ".eE")


def _literal(value: FieldValue) -> str:
    if value is None:
        return "null"
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, float):
        whole = round(value, 9)
        return str(int(whole)) if whole == int(whole) and abs(whole) < 1e15 else repr(whole)
    return str(value)


def apply_changes(text: str, changes: Iterator[TextChange] | list[TextChange]) -> str:
    """The text with all changes made. Raises NotKeyed for changes that overlap."""
    parts, at = [], 0
    for change in sorted(changes, key=lambda item: item.span):
        if change.span[0] < at:
            raise NotKeyed(tr("two changes are about the same place"))
        parts += [text[at : change.span[0]], change.new]
        at = change.span[1]
    return "".join([*parts, text[at:]])


def add_entry(document: DataDocument, holder: Node, body: str, like: str = "") -> TextChange:
    """Add an entry to a list after the last one (of the kind `like`), laid out as its neighbours. Raises NotKeyed for a node
    that is no list."""
    if holder.kind != "list":
        raise NotKeyed(tr("there is no list to put it into"))
    text = document.text
    end_of_line = "\r\n" if "\r\n" in text else "\n"
    last = next((item for item in reversed(holder.items) if not like or item.node.label == like), None)
    last = last or (holder.items[-1] if holder.items else None)
    if last is None:
        if not holder.separator:
            at = holder.span[1]
            return TextChange((at, at), ("" if not at or text[at - 1] == "\n" else end_of_line) + body + end_of_line)
        at = holder.span[0] + 1
        return TextChange((at, at), body)
    start = text.rfind("\n", 0, last.body[0]) + 1
    indent = re.match(r"[ \t]*", text[start:])
    margin = indent[0] if indent else ""
    spelled = f"{end_of_line}{margin}".join(body.splitlines())
    alone = not text[start : last.body[0]].strip()
    lead = end_of_line + margin if alone or document.format == "lines" else " "
    if not holder.separator:
        return TextChange((last.trail[1], last.trail[1]), lead + spelled)
    comma = text.find(holder.separator, last.body[1], last.trail[1])
    if comma >= 0:
        return TextChange((last.trail[1], last.trail[1]), lead + spelled + holder.separator)
    return TextChange((last.body[1], last.body[1]), holder.separator + lead + spelled)
