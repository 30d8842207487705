"""Select objects of data files by a data path and a condition, and rewrite their fields."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.data.expressions import Expression, parse_expression
from fernshale.core.data.fields import (
    FieldValue,
    TextChange,
    add_field,
    apply_changes,
    drop_field,
    fields_of,
    find_field,
    plain_node,
    rename_field,
    set_field,
)
from fernshale.core.data.paths import DataPath, as_text, fits, walk
from fernshale.core.data.tree import DataDocument, Node, NotKeyed


@dataclass(frozen=True, slots=True)
class Rewrite:
    """The changes to an object's fields. All expressions read the object as it was.

    First, fields are renamed (`rename`, from old to new; also into another inner object), then `set` to the value of an
    expression, then some are dropped.
    """

    rename: Mapping[str, str]
    set: Mapping[str, str]
    drop: Sequence[str] = ()


@dataclass(frozen=True, slots=True)
class Found:
    """An object of a document: its data path, its number among the objects of that path, and its first line (1-based)."""

    data_path: DataPath
    number: int
    line: int
    node: Node
    fields: Mapping[str, FieldValue]

    @property
    def name(self) -> str:
        """Its name for people: its path, with an identifying field if it has one."""
        told = next(
            (self.fields[key] for key in ("id", "name", "@id", "@name", "title", "key") if self.fields.get(key)), ""
        )
        return as_text(self.data_path) + (f" {told}" if told else "")


@dataclass(frozen=True, slots=True)
class Rewritten:
    """An object with its text edits, and the fields that differ, before and after.

    `lost` is the first text removed with a dropped field that is more than a plain value: a list, an inner object, a comment.
    """

    found: Found
    changes: tuple[TextChange, ...]
    before: Mapping[str, FieldValue]
    after: Mapping[str, FieldValue]
    lost: str = ""


def find_objects(document: DataDocument, data_path: str, when: str = "") -> tuple[Found, ...]:
    """Return the objects at a data path ("" for the whole file) that meet a condition. Raises BadExpression."""
    condition = _parsed(when) if when else None
    found = []
    number = -1
    for path, node in walk(document):
        if node.kind == "value" or not (fits(data_path, path) if data_path else path == ()):
            continue
        number += 1
        fields = fields_of(document, node)
        if condition is None or condition.holds(fields):
            found.append(Found(path, number, document.line(node.span[0]) + 1, node, fields))
        if not data_path:
            break
    return tuple(found)


def rewrite_object(document: DataDocument, found: Found, rewrite: Rewrite) -> Rewritten | None:
    """Rewrite an object; None if nothing changes. Raises BadExpression, NotKeyed."""
    before = dict(found.fields)
    after = dict(before)
    steps: list[_Step] = []
    for old, new in rewrite.rename.items():
        if find_field(document, found.node, old) is None:
            continue
        if new in before:
            raise NotKeyed(
                tr("line {line}: {old} cannot become {new}, which is there already", line=found.line, old=old, new=new)
            )
        value = after.pop(old, None)
        if old.rpartition(".")[0] == new.rpartition(".")[0]:
            steps.append(_Step("rename", old, new))
        elif old not in before:
            raise NotKeyed(tr("line {line}: {old} is no plain value and stays where it is", line=found.line, old=old))
        else:
            steps += [_Step("drop", old), _Step("set", new, value)]
        after[new] = value
    for name, text in rewrite.set.items():
        value = _parsed(text).value(before)
        if name not in after or after[name] != value or type(after[name]) is not type(value):
            after[name] = value
            steps.append(_Step("set", name, value))
    for name in rewrite.drop:
        if find_field(document, found.node, name) is not None:
            steps.append(_Step("drop", name))
            after = {key: value for key, value in after.items() if key != name and not key.startswith(name + ".")}
    if not steps:
        return None
    lost = next(
        (text for step in steps if step.what == "drop" and (text := _lost(document, found.node, step.name))), ""
    )
    return Rewritten(found, tuple(_changes(document, found.node, steps)), before, after, lost)


def _lost(document: DataDocument, node: Node, name: str) -> str:
    """Return the text that is removed with a field in addition to its name and a plain value, "" if none."""
    field = find_field(document, node, name)
    if field is None:
        return ""
    item = field.item
    if plain_node(document, item.node) is None:
        return document.cut(item.body).strip()
    around = (document.cut(item.lead), document.cut(item.trail))
    return next((text for part in around if (text := part.strip(" \t\r\n,;"))), "")


@dataclass(frozen=True, slots=True)
class _Step:
    """One change of an object; `to` is a new name or a value."""

    what: Literal["rename", "set", "drop"]
    name: str
    to: FieldValue = None

    def changes(self, document: DataDocument, node: Node) -> list[TextChange]:
        field = find_field(document, node, self.name)
        if self.what == "set":
            return [
                add_field(document, node, self.name, self.to) if field is None else set_field(document, field, self.to)
            ]
        if field is None:
            return []
        if self.what == "drop":
            return drop_field(document, field)
        return rename_field(document, field, str(self.to).rpartition(".")[2])


def _changes(document: DataDocument, node: Node, steps: Sequence[_Step]) -> list[TextChange]:
    """Return the steps as text edits: single places if each field stays; otherwise one after the other."""
    there = {step.name for step in steps if step.what == "rename"}
    if all(
        step.what == "rename" or (step.what == "set" and find_field(document, node, step.name) is not None)
        for step in steps
    ):
        changes = [change for step in steps for change in step.changes(document, node)]
        if len({step.name for step in steps}) == len(steps) and not there & {
            step.name for step in steps if step.what == "set"
        }:
            return changes
    part = _by_itself(document, node)
    if part is not None:
        new = _stepped(*part, steps)
        change = _narrowed(part[0].text, new)
        return [TextChange((change.span[0] + node.span[0], change.span[1] + node.span[0]), change.new)]
    return [_narrowed(document.text, _stepped(document, node, steps))]


def _stepped(document: DataDocument, node: Node, steps: Sequence[_Step]) -> str:
    """Return the text after the steps. It is parsed again after each one, since added and removed entries move the others."""
    read = document.read
    if read is None:
        raise NotKeyed(tr("the text cannot be read again"))
    at = [other for _, other in walk(document)].index(node)
    for step in steps:
        document = replace(read(apply_changes(document.text, step.changes(document, node))), read=read)
        node = [other for _, other in walk(document)][at]
    return document.text


def _by_itself(document: DataDocument, node: Node) -> tuple[DataDocument, Node] | None:
    """Return an object as a document of its own if its format allows that, to avoid parsing a large file for each object."""
    if document.read is None or document.format not in ("json", "xml", "lines") or node is document.root:
        return None
    part = replace(document.read(document.cut(node.span)), read=document.read)
    return part, part.root if document.format == "json" else part.root.items[0].node


def _narrowed(before: str, after: str) -> TextChange:
    """Return the difference of two texts as one edit."""
    shorter = min(len(before), len(after))
    start = next((at for at in range(shorter) if before[at] != after[at]), shorter)
    rest = shorter - start
    end = 0
    while end < rest and before[len(before) - 1 - end] == after[len(after) - 1 - end]:
        end += 1
    return TextChange((start, len(before) - end), after[start : len(after) - end])


def check_rewrite(rewrite: Rewrite, when: str) -> None:
    """Raises MisuseError for an expression that cannot be read, or a rewrite that does nothing."""
    if not (rewrite.rename or rewrite.set or rewrite.drop):
        raise MisuseError(tr("nothing is renamed, set or dropped"))
    for text in (*rewrite.set.values(), *([when] if when else [])):
        parse_expression(text)


def is_repeatable(rewrite: Rewrite) -> bool:
    """Whether doing it twice is as doing it once: no field is computed from itself."""
    gone = {*rewrite.rename, *rewrite.drop}
    return all(name not in _parsed(text).fields - gone for name, text in rewrite.set.items())


@lru_cache(maxsize=512)
def _parsed(text: str) -> Expression:
    return parse_expression(text)
