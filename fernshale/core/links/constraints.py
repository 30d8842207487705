"""Check constraints on data files: missing objects, too many objects, empty fields."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.errors import FormatError
from fernshale.core.base.globs import matches
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.data.expressions import BadExpression
from fernshale.core.data.fields import TextChange, add_entry, add_field, drop_item, find_field, set_field
from fernshale.core.data.formats import Formats
from fernshale.core.data.objects import Found, find_objects
from fernshale.core.data.paths import children
from fernshale.core.data.tree import DataDocument, KeyedNode, Node, NotKeyed
from fernshale.core.profile.model import Expect

ConstraintFault = Literal["missing", "too many", "empty", "not allowed"]
_NOTHING = ("", None)


@dataclass(frozen=True, slots=True)
class UnmetConstraint:
    """An unmet constraint of a file, with the affected objects; none if an object is missing."""

    expect: Expect
    file: TreePath
    fault: ConstraintFault
    objects: tuple[Found, ...]

    @property
    def line(self) -> int:
        return self.objects[0].line if self.objects else 0

    @property
    def can_mend(self) -> bool:
        """Whether the rule has a value to insert."""
        return (
            bool(self.expect.add) if self.fault == "missing" else bool(self.expect.default) and self.fault != "too many"
        )


def find_unmet(expect: Expect, path: TreePath, text: str, formats: Formats) -> tuple[UnmetConstraint, ...]:
    """Return the unmet constraints of one file. Raises FormatError for a broken file."""
    if not matches(expect.files, path):
        return ()
    document, found = _read(expect, path, text, formats)
    if document is None:
        return ()
    unmet = []
    if expect.least is not None and len(found) < expect.least:
        unmet.append(UnmetConstraint(expect, path, "missing", ()))
    if expect.most is not None and len(found) > expect.most:
        unmet.append(UnmetConstraint(expect, path, "too many", found))
    if expect.field:
        empty = tuple(each for each in found if each.fields.get(expect.field) in _NOTHING)
        rest = [each for each in found if expect.values and each not in empty]
        odd = [each for each in rest if str(each.fields[expect.field]) not in expect.values]
        unmet += [UnmetConstraint(expect, path, "empty", empty)] if empty else []
        unmet += [UnmetConstraint(expect, path, "not allowed", tuple(odd))] if odd else []
    return tuple(unmet)


def objects_of(expect: Expect, path: TreePath, text: str, formats: Formats) -> tuple[Found, ...]:
    """The objects of a file that the rule is about. Raises FormatError."""
    return _read(expect, path, text, formats)[1]


def mend(unmet: UnmetConstraint, text: str, formats: Formats, value: str) -> list[TextChange]:
    """Insert the missing object, or `value` into an empty field. Raises FormatError."""
    expect = unmet.expect
    document, found = _read(expect, unmet.file, text, formats)
    if document is None:
        raise FormatError(unmet.file, [(0, tr("it is of no format whose keys are known"))])
    try:
        if unmet.fault == "missing":
            wanted = (expect.least or 0) - len(found)
            holder, kind = _holder(document, expect.object)
            return [add_entry(document, holder, expect.add, kind)] * min(wanted, 1)
        changes = []
        numbers = {each.number for each in unmet.objects}
        for each in found:
            if each.number in numbers:
                field = find_field(document, each.node, expect.field)
                if field is None:
                    changes.append(add_field(document, each.node, expect.field, value))
                else:
                    changes.append(set_field(document, field, value))
        return changes
    except NotKeyed as error:
        raise FormatError(unmet.file, [(unmet.line, error.message)]) from error


def without(unmet: UnmetConstraint, number: int, text: str, formats: Formats) -> list[TextChange]:
    """Remove one of too many objects, by its number. Raises FormatError."""
    document, found = _read(unmet.expect, unmet.file, text, formats)
    each = next((each for each in found if each.number == number), None)
    if document is None or each is None:
        raise FormatError(unmet.file, [(unmet.line, tr("it is not there any more"))])
    for holder, item in _entries(document, document.root):
        if item.node is each.node:
            return drop_item(document, holder, item)
    raise FormatError(unmet.file, [(each.line, tr("it cannot be taken out by itself"))])


def _read(expect: Expect, path: TreePath, text: str, formats: Formats) -> tuple[DataDocument | None, tuple[Found, ...]]:
    try:
        document = formats.document(path, text)
        return document, find_objects(document, expect.object, expect.when) if document is not None else ()
    except (NotKeyed, BadExpression) as error:
        raise FormatError(
            path, [(0, tr("it cannot be scanned for {id}: {message}", id=expect.id, message=error.message))]
        ) from error


def _holder(document: DataDocument, path: str) -> tuple[Node, str]:
    """Return the list that objects of this path belong to, and their kind there."""
    steps: Sequence[str] = path.split("/")
    node = document.root
    for step in steps[:-1]:
        inner = next((item.node for keys, item in children(node, document.format) if "/".join(keys) == step), None)
        if inner is None:
            raise NotKeyed(tr("there is no {step} to put it into", step=step))
        node = inner
    if document.format == "xml":
        content = node.find("content")
        node = content.node if content is not None and content.node.kind == "list" else node
    return node, "" if steps[-1] == "*" else steps[-1]


def _entries(document: DataDocument, node: Node) -> Iterator[tuple[Node, KeyedNode]]:
    for item in node.items:
        yield node, item
        yield from _entries(document, item.node)
