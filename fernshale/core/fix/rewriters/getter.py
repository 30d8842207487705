"""Replace uses of a field by calls of its getter and setter."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from fernshale.core.fix.classes import PYTHON, derived_spans
from fernshale.core.fix.receiver_types import Owners
from fernshale.core.fix.rules import GetterRule
from fernshale.core.fix.tokens import Token, group_end, name_indexes, tokenize

# Words that can precede a value; after any other name, it is a declaration.
_BEFORE_VALUES = frozenset(("return", "case", "throw", "yield", "await", "else", "in", "and", "or", "not", "new"))


def find(rule: GetterRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    tokens = tokenize(text, path)
    # Inherited names are used without their class.
    inside = derived_spans(text, path, [rule.of]) if rule.of and not path.endswith(PYTHON) else []
    # If a tool reported the place, it knows the type better than the text shows.
    owner = Owners(tokens, rule.of, path) if rule.of and not rule.named else None
    for index in name_indexes(text, path, rule.old):
        token = tokens[index]
        before = tokens[index - 1] if index else None
        is_bare = any(start <= token.start < end for start, end in inside) and (
            before is None or before.kind != "name" or before.text in _BEFORE_VALUES
        )
        is_of = before is not None and before.text in (".", "->")
        if not (is_bare or is_of) or (is_of and owner is not None and owner.is_another(index)):
            continue
        after = tokens[index + 1].text if index + 1 < len(tokens) else ""
        if after == "(":
            continue
        if after != "=":
            yield token.start, token.end, f"{rule.new}()"
        elif rule.setter:
            end = _statement_end(tokens, index + 2)
            if end > index + 2:
                value = text[tokens[index + 2].start : tokens[end - 1].end]
                yield token.start, tokens[end - 1].end, f"{rule.setter}({value})"


def _statement_end(tokens: Sequence[Token], at: int) -> int:
    while at < len(tokens) and tokens[at].text not in (";", ",", ")", "]", "}"):
        at = group_end(tokens, at) if tokens[at].text in ("(", "[", "{") else at + 1
    return at
