"""Derive rules that replace several calls by one: a new function whose body makes these calls."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence

from fernshale.core.base.confidence import CALLS_JOINED
from fernshale.core.base.languages import ENDINGS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import english
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.symbols import Symbol
from fernshale.core.fix.rules import RewriteRule

_OWN = lazy_pattern(r"(?:(?:this|self)(?:->|\.|:))?(?P<call>(?P<name>[A-Za-z_]\w*)\((?P<given>[^()]*)\))")
# Languages in which a statement ends with its line.
_BY_LINES = (*ENDINGS["python"], *ENDINGS["lua"])


def joined_rules(changes: Sequence[ApiChange]) -> Iterator[RewriteRule]:
    """Yield a rule for each new method that makes only calls of methods that users cannot call any more."""
    gone = {
        (change.old.scope[-1:], change.old.name): change
        for change in changes
        if change.kind in ("removed", "renamed", "moved") and change.old is not None and change.old.kind == "method"
    }
    for change in changes:
        new = change.new
        if change.kind in ("added", "renamed") and new is not None and new.kind == "method" and "; " in new.value:
            steps = new.value.split("; ")
            found = [_OWN.fullmatch(step) for step in steps]
            names = [match["name"] for match in found if match is not None]
            if len(names) == len(steps) and all((new.scope[-1:], name) in gone for name in names):
                yield _rule(new, [match for match in found if match is not None], set(names))


def _rule(new: Symbol, steps: Sequence[re.Match[str]], names: Collection[str]) -> RewriteRule:
    given = [item.name for item in new.given]
    end = "" if new.file.endswith(_BY_LINES) else ";"

    def with_metas(text: str) -> str:
        return re.sub(r"[A-Za-z_]\w*", lambda found: f"${found[0]}" if found[0] in given else found[0], text)

    pattern = " ".join(f"$it.{step['name']}({with_metas(step['given'])}){end}" for step in steps)
    called = f"$it.{new.name}({', '.join(f'${name}' for name in given)}){end}"
    listed = " and ".join(sorted(names))
    return RewriteRule(
        f"drift-joined-{'-'.join((*new.scope, new.name))}",
        english("{full} does {listed}, which are not public any more", full=new.full, listed=listed),
        title=f"{listed} → {new.name}", pattern=pattern, replacement=called, confidence=CALLS_JOINED, named=True,
    )  # fmt: skip
