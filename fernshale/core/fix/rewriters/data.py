"""Rules that rewrite data in assets: fields of objects renamed, moved, split, set by arithmetic, dropped."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.base.errors import FormatError
from fernshale.core.base.globs import matches
from fernshale.core.base.texts import tr
from fernshale.core.data.expressions import BadExpression
from fernshale.core.data.formats import USUAL, Formats
from fernshale.core.data.objects import Rewritten, find_objects, rewrite_object
from fernshale.core.data.tree import NotKeyed
from fernshale.core.fix.rules import DataRule


def find_rewrites(rule: DataRule, path: str, text: str, formats: Formats = USUAL) -> tuple[Rewritten, ...]:
    """Yield the rewritten objects of a data rule, in file order; unchanged ones are left out.

    Raises FormatError for a broken file, and for an object in which an expression has no value.
    """
    if not matches(rule.files, path):
        return ()
    words = {name.rpartition(".")[2].lstrip("@") for name in (*rule.rename, *rule.drop)}
    if words and not rule.set and not any(word in text for word in words):
        return ()  # a plain search first: reading a tree costs much more
    line = 0
    try:
        document = formats.document(path, text)
        if document is None:
            return ()
        found = []
        for each in find_objects(document, rule.object, rule.when):
            line = each.line
            done = rewrite_object(document, each, rule.rewrite)
            if done is not None:
                found.append(done)
    except (NotKeyed, BadExpression) as error:
        raise FormatError(
            path, [(line, tr("the rule {id} cannot be followed here: {message}", id=rule.id, message=error.message))]
        ) from error
    return tuple(found)


def find(rule: DataRule, path: str, text: str, formats: Formats) -> Iterator[tuple[int, int, str]]:
    """The places that change, in order."""
    for done in find_rewrites(rule, path, text, formats):
        yield from ((*change.span, change.new) for change in done.changes)
