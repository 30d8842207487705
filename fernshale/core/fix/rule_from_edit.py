"""Learn a rule from one edit by a person: common parts stay, variable parts become metavariables.

The edit is compared by tokens: the smallest differing run, extended to a complete call, operand or statement. A form is valid if it
reproduces the edit; the best one applies to most of the other places that need the edit, to fewest that do not, and has the least
text that every place must have.
"""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.calls import split_arguments
from fernshale.core.fix.code_patterns import META
from fernshale.core.fix.rules import Example, HeaderRule, RenameRule, RewriteRule, Rule
from fernshale.core.fix.tokens import Token, group_end, tokenize

_INCLUDE = lazy_pattern(r'^[ \t]*#[ \t]*(?:include|import)[ \t]*[<"]([^>"]+)[>"]')
_OPENING, _CLOSING = ("(", "[", "{"), (")", "]", "}")
_JOINS = (".", "->", "::")
# A change longer than this is a rewriting of the place, not a rule.
_MAX_TOKENS = 120


@dataclass(frozen=True, slots=True)
class EditLines:
    """Other places where a rule should apply: the text of a file, and the lines (1-based) known to need it."""

    path: TreePath
    text: str
    lines: frozenset[int]


def learn_rules(
    before: str, after: str, path: TreePath, others: Sequence[EditLines], id: str, why: str
) -> tuple[Rule, ...]:
    """Return rules that turn `before` into `after`; those that apply to most of `others` first.

    A rule that changes fewer additional lines comes first. Empty if the edit cannot be generalised from one example.
    """
    old, new = tokenize(before, path), tokenize(after, path)
    first, last = _differing(old, new)
    if first is None or last is None:
        return ()
    forms = dict.fromkeys(_forms(_Edit(before, after, old, new, first, last), id, why))
    rules = [rule for rule in forms if _makes(rule, before, after, path)]
    example = Example(_near(before, old, first, last[0]), "", str(path))
    ranked = sorted(rules, key=lambda rule: _rank(rule, others))
    return tuple(_with_example(rule, example) for rule in ranked)


def contradicts(rule: Rule, before: str, after: str, path: TreePath) -> bool:
    """Return whether a rule makes something else of a second edit than a person did; not if it does not match there."""
    return bool(find_edits(rule, path, before)) and not _makes(rule, before, after, path)


def count_other_places(rule: Rule, others: Sequence[EditLines]) -> tuple[int, int]:
    """Return how many of the lines that need the rule it changes, and how many other lines."""
    wanted = additional = 0
    for item in others:
        touched = {edit.line for edit in find_edits(rule, item.path, item.text)}
        wanted += len(touched & item.lines)
        additional += len(touched - item.lines)
    return wanted, additional


def _rank(rule: Rule, others: Sequence[EditLines]) -> tuple[int, int, int, int]:
    wanted, additional = count_other_places(rule, others)
    if not isinstance(rule, RewriteRule):
        return -wanted, additional, 0, 0
    # The smallest changed expression first: what is around it may be another elsewhere.
    fixed = tokenize(META.sub(" ", rule.pattern), "")
    return -wanted, additional, len(fixed), -len(META.findall(rule.pattern))


def _with_example(rule: Rule, example: Example) -> Rule:
    path = TreePath(example.file)
    result = apply_edits(example.before, find_edits(rule, path, example.before))
    return replace(rule, example=(replace(example, after=result),)) if result != example.before else rule


def _differing(old: Sequence[Token], new: Sequence[Token]) -> tuple[int | None, tuple[int, int] | None]:
    """Return the first differing token, and the ends (exclusive) of the difference on both sides."""
    first = next(
        (at for at, (a, b) in enumerate(zip(old, new, strict=False)) if a.text != b.text), min(len(old), len(new))
    )
    if first == len(old) == len(new):
        return None, None
    back = 0
    while back < min(len(old), len(new)) - first and old[-1 - back].text == new[-1 - back].text:
        back += 1
    ends = len(old) - back, len(new) - back
    if max(ends) - first > _MAX_TOKENS:
        return None, None
    return first, ends


def _makes(rule: Rule, before: str, after: str, path: TreePath) -> bool:
    """Whether the rule makes this very change, and perhaps others of its kind."""
    wanted = [token.text for token in tokenize(after, path)]
    edits = find_edits(rule, path, before)
    if [token.text for token in tokenize(apply_edits(before, edits), path)] == wanted:
        return True
    return any([token.text for token in tokenize(apply_edits(before, [edit]), path)] == wanted for edit in edits)


@dataclass(frozen=True, slots=True)
class _Edit:
    """A line before and after an edit, with the tokens of both: they differ from token `first` to the `ends` (exclusive)."""

    before: str
    after: str
    old: Sequence[Token]
    new: Sequence[Token]
    first: int
    ends: tuple[int, int]


def _forms(edit: _Edit, id: str, why: str) -> Iterator[Rule]:
    before, after, old, new, first, ends = edit.before, edit.after, edit.old, edit.new, edit.first, edit.ends
    included = _INCLUDE.match(before), _INCLUDE.match(after)
    if included[0] and included[1]:
        yield HeaderRule(id, why, old=included[0][1], new=included[1][1])
        return
    if ends[0] - first == 1 and ends[1] - first == 1 and old[first].kind == new[first].kind == "name":
        yield RenameRule(id, why, old=old[first].text, new=new[first].text)
    for start, stop_old, stop_new in _widened(old, new, first, ends):
        changed = (first - start, ends[0] - start)
        for pattern, replacement in _generalized(old[start:stop_old], new[start:stop_new], changed, before, after):
            if not _is_telling(pattern):
                continue
            try:
                yield RewriteRule(id, why, pattern=pattern, replacement=replacement)
            except (ValueError, MisuseError):
                continue


def _is_telling(pattern: str) -> bool:
    """Return whether a pattern is specific enough for a rule: complete brackets, and more than one word or a call."""
    tokens = tokenize(pattern.replace("$", ""), "")
    depth = 0
    for token in tokens:
        depth += (token.text in _OPENING) - (token.text in _CLOSING)
        if depth < 0:
            return False
    return depth == 0 and len(tokens) > 1 and tokens[0].kind == "name"


def _widened(
    old: Sequence[Token], new: Sequence[Token], first: int, ends: tuple[int, int]
) -> Iterator[tuple[int, int, int]]:
    """Yield spans around the edit, smallest first: the edited operand, the enclosing call, the statement."""
    stop_old, stop_new = ends
    seen: set[tuple[int, int]] = set()
    start = first
    for _ in range(6):
        start, stop_old, stop_new = _whole(old, new, start, stop_old, stop_new)
        if stop_old - start > _MAX_TOKENS:
            return
        if (start, stop_old) not in seen and stop_old > start:
            seen.add((start, stop_old))
            yield start, stop_old, stop_new
        if (
            stop_old < len(old)
            and old[stop_old].text == ";"
            and stop_new < len(new)
            and (start, stop_old + 1) not in seen
        ):
            begin = _statement_start(old, start)
            seen.add((begin, stop_old + 1))
            yield begin, stop_old + 1, stop_new + 1
        around = _opening_before(old, start)
        if around is None:
            return
        end = group_end(old, around)
        grown = end - stop_old
        start, stop_old, stop_new = max(0, around - 1), end, stop_new + grown


def _whole(
    old: Sequence[Token], new: Sequence[Token], start: int, stop_old: int, stop_new: int
) -> tuple[int, int, int]:
    """Extend the span to complete operands: names joined before it, an argument list or further names after it."""
    if start == stop_old and start:
        # Text was appended to an operand: include it.
        start -= 1
        if old[start].text in (")", "]"):
            opening = _opening_before(old, start)
            start = opening if opening is not None else start
    if (opening := _unclosed(old, start, stop_old)) is not None:
        # The text up to the closing bracket is equal on both sides.
        end = group_end(old, opening)
        stop_old, stop_new = end, stop_new + end - stop_old
    start = _operand_start(old, start)
    while stop_old < len(old) and stop_new < len(new):
        text = old[stop_old].text
        is_bound = stop_old > start and (old[stop_old - 1].text in _JOINS)
        if text in ("(", "[") and stop_old and old[stop_old - 1].kind == "name":
            end = group_end(old, stop_old)
            stop_old, stop_new = end, stop_new + end - stop_old
        elif text in _JOINS or is_bound:
            stop_old, stop_new = stop_old + 1, stop_new + 1
        else:
            break
    return start, stop_old, stop_new


def _unclosed(tokens: Sequence[Token], start: int, stop: int) -> int | None:
    """The first bracket of a span that is still open at its end."""
    open_: list[int] = []
    for at in range(start, stop):
        if tokens[at].text in _OPENING:
            open_.append(at)
        elif tokens[at].text in _CLOSING and open_:
            open_.pop()
    return open_[0] if open_ else None


def _operand_start(tokens: Sequence[Token], at: int) -> int:
    """Return the start of the operand that continues at a token: including names before it and calls in between."""
    while at:
        if _goes_on(tokens[at - 1], tokens[at]):
            at -= 1
        elif tokens[at].text in _JOINS and tokens[at - 1].text in (")", "]"):
            opening = _opening_before(tokens, at - 1)
            if opening is None:
                break
            at = opening
        else:
            break
    return at


def _goes_on(before: Token, token: Token) -> bool:
    """Whether a token belongs to the operand that the next one is in."""
    return before.text in _JOINS or (token.text in (*_JOINS, "(", "[") and before.kind == "name")


def _statement_start(tokens: Sequence[Token], at: int) -> int:
    while at and tokens[at - 1].text not in (";", "{", "}", ")", ":"):
        at -= 1
    return at


def _opening_before(tokens: Sequence[Token], at: int) -> int | None:
    """The bracket that is open at `at`."""
    depth = 0
    for index in range(at - 1, -1, -1):
        if tokens[index].text in _CLOSING:
            depth += 1
        elif tokens[index].text in _OPENING:
            if depth == 0:
                return None if tokens[index].text == "{" else index
            depth -= 1
        elif tokens[index].text == ";" and depth == 0:
            return None
    return None


def _generalized(
    old: Sequence[Token], new: Sequence[Token], changed: tuple[int, int], before: str, after: str
) -> Iterator[tuple[str, str]]:
    """Return pattern and replacement: parts between brackets or commas that are equal on both sides become metavariables."""
    if not old:
        return
    names = {token.text for token in new if token.kind == "name"}
    varying = [
        (how, _varying(old, how, changed, names)) for how in ("arguments", "operands", "receivers", "lists", "none")
    ]
    # Narrower: a literal among the variable parts may be what the edit depends on.
    literals = [span for span in varying[0][1] if all(token.kind != "name" for token in old[slice(*span)])]
    varying += [("arguments", [span for span in varying[0][1] if span != fixed]) for fixed in literals]
    for how, spans in varying:
        for _ in range(len(spans) + 1):
            metas: dict[tuple[str, ...], str] = {}
            pattern = _written(old, spans, metas, before, is_pattern=True, has_lists=how == "lists")
            replacement = _written(new, _matching(new, metas), metas, after, is_pattern=False)
            dropped = ((words, meta) for words, meta in metas.items() if meta not in replacement)
            stays = {words for words, meta in dropped if not _may_go(words, meta, replacement)}
            if not stays:
                break
            spans = [span for span in spans if tuple(token.text for token in old[slice(*span)]) not in stays]
        if pattern:
            yield pattern, replacement


def _may_go(words: Collection[str], meta: str, replacement: str) -> bool:
    """Return whether a variable part may be missing from the replacement: not if the replacement contains a name from it, which
    would be the example's name everywhere, and not for an argument list, which may differ elsewhere."""
    return not meta.startswith("$$") and set(words).isdisjoint(re.findall(r"(?<!\$)\b[^\W\d]\w*", replacement))


def _varying(
    tokens: Sequence[Token], how: str, changed: tuple[int, int], names: Collection[str]
) -> list[tuple[int, int]]:
    """Return spans that may differ elsewhere: complete arguments, or all of a call's; objects whose members are used.

    From an argument that was changed in part, only the name that it declares or ends with, if the other side has it, too.
    """
    if how == "none":
        return []
    spans: list[tuple[int, int]] = []
    for index, token in enumerate(tokens):
        if token.text == "(" and index and tokens[index - 1].kind == "name":
            end = group_end(tokens, index)
            if end <= len(tokens) and tokens[end - 1].text == ")":
                inner = [(index + 1, end - 1)] if how == "lists" else split_arguments(tokens, index + 1, end - 1)
                for start, stop in inner:
                    if start == stop:
                        continue  # nothing is between two commas
                    is_apart = (
                        stop <= changed[0]
                        or start >= max(changed[1], changed[0] + 1)
                        or changed[0] == changed[1] == stop
                    )
                    if is_apart or (changed[0] <= start and stop <= changed[1]):
                        spans.append((start, stop))
                    elif tokens[stop - 1].kind == "name" and tokens[stop - 1].text in names and stop - 1 >= changed[1]:
                        spans.append((stop - 1, stop))
        if how in ("operands", "lists") or index == 0:
            behind = tokens[index + 1].text if index + 1 < len(tokens) else ""
            in_front = tokens[index - 1].text if index else ""
            if token.kind == "name" and behind in (".", "->") and in_front not in _JOINS:
                spans.append((index, index + 1))
            elif token.kind == "name" and behind in ("(", "=", ";") and _has_type_before(tokens, index):
                spans.append((index, index + 1))  # a declared name
        is_called = (
            token.text == "("
            and index > 2
            and tokens[index - 1].kind == "name"
            and tokens[index - 2].text in (".", "->")
        )
        if how == "receivers" and is_called and (start := _operand_start(tokens, index - 2)) < index - 2:
            spans.append((start, index - 2))
    return _outermost(spans)


def _has_type_before(tokens: Sequence[Token], at: int) -> bool:
    """Return whether a type precedes a name."""
    first = at
    while first and tokens[first - 1].text in ("*", "&"):
        first -= 1
    return bool(first) and tokens[first - 1].kind == "name"


def _outermost(spans: Sequence[tuple[int, int]]) -> list[tuple[int, int]]:
    kept: list[tuple[int, int]] = []
    for start, stop in sorted(set(spans), key=lambda span: (span[0], -span[1])):
        if not kept or start >= kept[-1][1]:
            kept.append((start, stop))
    return kept


def _matching(tokens: Sequence[Token], metas: dict[tuple[str, ...], str]) -> list[tuple[int, int]]:
    """Return the positions of the variable runs on the other side, longest first."""
    spans: list[tuple[int, int]] = []
    taken = [False] * len(tokens)
    for words in sorted(metas, key=len, reverse=True):
        for start in range(len(tokens) - len(words) + 1):
            stop = start + len(words)
            if not any(taken[start:stop]) and tuple(token.text for token in tokens[start:stop]) == words:
                spans.append((start, stop))
                taken[start:stop] = [True] * len(words)
    return sorted(spans)


def _written(
    tokens: Sequence[Token],
    spans: Sequence[tuple[int, int]],
    metas: dict[tuple[str, ...], str],
    text: str,
    *,
    is_pattern: bool,
    has_lists: bool = False,
) -> str:
    """Return the tokens as text, with spans replaced by their metavariables; with `has_lists`, a metavariable alone between
    brackets matches any number of arguments."""
    if not tokens:
        return ""
    parts: list[str] = []
    at = tokens[0].start
    for start, stop in spans:
        words = tuple(token.text for token in tokens[start:stop])
        if is_pattern:
            is_list = has_lists and tokens[start - 1].text == "(" and stop < len(tokens) and tokens[stop].text == ")"
            metas.setdefault(words, f"{'$$' if is_list else '$'}{'abcdefghijklmnopqrstuvwxyz'[len(metas) % 26]}")
        parts += [text[at : tokens[start].start], metas[words]]
        at = tokens[stop - 1].end
    parts.append(text[at : tokens[-1].end])
    return "".join(parts)


def _near(text: str, tokens: Sequence[Token], first: int, last: int) -> str:
    """The lines of the change."""
    if not tokens:
        return text
    start = tokens[min(first, len(tokens) - 1)].start
    end = tokens[min(max(first, last - 1), len(tokens) - 1)].end
    begin = text.rfind("\n", 0, start) + 1
    stop = text.find("\n", end)
    return text[begin : stop if stop >= 0 else len(text)]
