"""Find text of a person that a rule drops: an argument, a call, a statement, a value.

A rule that drops any is never applied automatically. The only exception is a literal or plain name that a rule of the release
itself declares as no longer needed: its evaluation has no side effect, and the release is the authority.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Sequence

from fernshale.core.fix.apply import CodeEdit
from fernshale.core.fix.code_patterns import META
from fernshale.core.fix.rules import (
    AddArgumentRule,
    AddMemberRule,
    CallRule,
    ImportRule,
    MarkRule,
    PatternRule,
    ReimportRule,
    Replacement,
    RewriteRule,
    Rule,
    SwitchOffRule,
)
from fernshale.core.fix.tokens import Token, tokenize

# Kinds that put one name or text in the place of another, or only add.
_KEEPING = (Replacement, ImportRule, ReimportRule, AddArgumentRule, AddMemberRule, MarkRule)
_WORDS = ("name", "number", "string")
# Characters allowed in such text in addition to words: no brackets, so no calls, and no assignments.
_HARMLESS = frozenset((",", "-", ".", "::", "->"))
# How much of a dropped text a reason shows.
_MAX_SHOWN = 48


def dropped_by(rule: Rule, edits: Sequence[CodeEdit], *, is_declared: bool) -> str:
    """Return the first dropped text that needs a person's confirmation, "" if there is none.

    `is_declared`: the rule was written for the release, not derived or learned.
    """
    # A rule for calls writes each part of a call in its new place.
    if isinstance(rule, _KEEPING) or (isinstance(rule, CallRule) and not rule.loses):
        return ""
    pattern = rule.pattern if isinstance(rule, PatternRule) else rule.call if isinstance(rule, CallRule) else ""
    replacement = rule.replacement if isinstance(rule, RewriteRule) else ""
    fixed = {token.text for token in tokenize(META.sub(" ", pattern), "")}
    loses_part = bool(_metas(pattern) - _metas(replacement)) or isinstance(rule, SwitchOffRule | CallRule)
    for edit in edits:
        lost = _lost(edit)
        words = [token for token in lost if token.kind in _WORDS]
        is_dropped = len(words) > _gained(edit) or (loses_part and any(token.text not in fixed for token in words))
        if not is_dropped:
            continue
        if is_declared and all(token.kind in _WORDS or token.text in _HARMLESS for token in lost):
            continue
        return edit.old
    return ""


def words_of_loss(text: str) -> str:
    """Explain why an edit that drops a text is not applied automatically."""
    line = " ".join(text.split())
    shown = line if len(line) <= _MAX_SHOWN else f"{line[: _MAX_SHOWN - 1]}…"
    return f"drops text, so it is never applied automatically: {shown}"


def _metas(pattern: str) -> frozenset[str]:
    return frozenset(re.findall(r"\$\$?\w+", pattern))


def _lost(edit: CodeEdit) -> list[Token]:
    """The tokens of the old text that the new one does not have, each as often as it is missing."""
    left = Counter(token.text for token in tokenize(edit.new, edit.path))
    lost = []
    for token in tokenize(edit.old, edit.path):
        if left[token.text]:
            left[token.text] -= 1
        else:
            lost.append(token)
    return lost


def _gained(edit: CodeEdit) -> int:
    """How many words the new text has that the old one had not."""
    old = Counter(token.text for token in tokenize(edit.old, edit.path) if token.kind in _WORDS)
    new = Counter(token.text for token in tokenize(edit.new, edit.path) if token.kind in _WORDS)
    return (new - old).total()
