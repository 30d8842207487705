"""Rules that rewrite data in assets: fields of objects renamed, moved, split, set by arithmetic, dropped."""

from __future__ import annotations

from collections.abc import Iterator

from fernshale.core.base.errors import FormatError
from fernshale.core.base.globs import matches
from fernshale.core.data.expressions import BadExpression
from fernshale.core.data.formats import USUAL, Formats
from fernshale.core.data.objects import Rewrite, Rewritten, find_objects, is_repeatable, rewrite_object
from fernshale.core.data.tree import NotKeyed
from fernshale.core.fix.rules import Rule


def rewrite_of(rule: Rule) -> Rewrite:
    return Rewrite(rule.rename, rule.set, rule.drop)


def repeats(rule: Rule) -> bool:
    """Whether a rule may be applied any number of times. One that computes a field from itself, or puts the arguments of a
    function in another order that keeps its name, may not."""
    if rule.kind == "reorder":
        return bool(rule.new)
    return rule.kind != "data" or is_repeatable(rewrite_of(rule))


def find_rewrites(rule: Rule, path: str, text: str, formats: Formats = USUAL) -> tuple[Rewritten, ...]:
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
            done = rewrite_object(document, each, rewrite_of(rule))
            if done is not None:
                found.append(done)
    except (NotKeyed, BadExpression) as error:
        raise FormatError(path, [(line, f"the rule {rule.id} cannot be followed here: {error.message}")]) from error
    return tuple(found)


def data_edits(rule: Rule, path: str, text: str, formats: Formats) -> Iterator[tuple[int, int, str]]:
    """The places that change, in order."""
    for done in find_rewrites(rule, path, text, formats):
        yield from ((*change.span, change.new) for change in done.changes)
