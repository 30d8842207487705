"""Write calls in another form: on another object, as another function, with arguments put together."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from fernshale.core.base.languages import C_FAMILY, ENDINGS, NAMED_ARGUMENTS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.fix.calls import declares, find_calls, is_import, is_spread
from fernshale.core.fix.classes import PYTHON
from fernshale.core.fix.code_patterns import Match
from fernshale.core.fix.receiver_types import Owners
from fernshale.core.fix.rules import CallRule
from fernshale.core.fix.statements import indent_of, is_statement
from fernshale.core.fix.tokens import name_starts, operand_end, operand_start, tokenize

# Languages in which a method of the own class is called without an object.
_BARE = (*C_FAMILY, *ENDINGS["java"], *ENDINGS["c#"])
_RUST = ENDINGS["rust"]
_WITH_ADDRESSES = (*C_FAMILY, *_RUST)
_ADDRESS = lazy_pattern(r"(?:&mut\s|[&*])\s*")
_META = lazy_pattern(r"(?P<sign>[&*]?)\$(?P<name>\w+)(?P<access>\.|->|:(?=\w))?")
# Operators of a new form before and after a value, which would reach into one that has operators itself.
_BEFORE = lazy_pattern(r"(?:[!~+\-*/%^|<>?]|&&|==|\b(?:not|and|or|in|is|await|as))\s*\Z")
_AFTER = lazy_pattern(r"\s*(?:[+\-*/%^|<>?]|&|[=!]=|(?:and|or|in|is|if|as)\b)")


@dataclass(frozen=True, slots=True)
class _Value:
    """An argument or object: its text, whether it needs no brackets before `.`, and whether it is known to be a pointer."""

    text: str
    is_operand: bool = True
    is_pointer: bool = False


@dataclass(frozen=True, slots=True)
class _Place:
    """A call: the half-open span of its tokens with the object; the spans of the object (empty if there is none) and of the
    arguments by parameter; the tokens between object and name."""

    first: int
    last: int
    owner: tuple[int, int]
    access: str
    given: Mapping[str, tuple[int, int]]


def find(rule: CallRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    """Return the calls that can be written as the rule says, and imports of a function whose name alone changes."""
    writer = _Writer(rule, path, text)
    edits = list(writer.edits())
    head = re.match(r"([A-Za-z_]\w*)\(", rule.new)
    if edits and head and not rule.of and head[1] != rule.call:
        edits += [
            (start, start + len(rule.call), head[1])
            for start in name_starts(text, path, rule.call)
            if is_import(text, start)
        ]
    yield from sorted(edits)


def _is_next_to_operator(found: re.Match[str]) -> bool:
    """Whether a metavariable of a new form is an operand of an operator."""
    before = _BEFORE.search(found.string, 0, found.start())
    return before is not None or _AFTER.match(found.string, found.end()) is not None


class _Writer:
    """One rule in one file."""

    def __init__(self, rule: CallRule, path: str, text: str) -> None:
        self._rule, self._path, self._text = rule, path, text
        self._tokens = tokenize(text, path)
        *self._qualifiers, self._function = re.split(r"::|\.", rule.call)
        self._names = [item.partition("=")[0].strip() for item in rule.parameters]
        self._missing = {
            name: value.strip()
            for name, mark, value in (item.partition("=") for item in rule.parameters)
            for name in (name.strip(),)
            if mark
        }

    def edits(self) -> Iterator[tuple[int, int, str]]:
        end = 0
        for place in self._places:
            if place.first >= end:
                start, stop = self._tokens[place.first].start, self._tokens[place.last - 1].end
                written = self._written(place)
                if written is not None:
                    yield start, stop, written
                    end = place.last

    @cached_property
    def _places(self) -> Sequence[_Place]:
        owners = Owners(self._tokens, self._rule.of, self._path) if self._rule.of else None
        found = []
        for name, end, spans in find_calls(self._text, self._path, self._function):
            is_another = owners is not None and owners.is_another(name, is_reported=self._rule.named)
            if is_another or declares(self._tokens, name, end, self._path, self._text):
                continue
            given = self._given(spans)
            begin = self._begin(name) if given is not None else None
            if begin is not None and given is not None:
                found.append(_Place(begin[0], end, *begin[1:], given))
        return sorted(found, key=lambda item: (item.first, -item.last))

    def _begin(self, name: int) -> tuple[int, tuple[int, int], str] | None:
        """The first token of a call, the span of its object and what is between; None where it is another kind of call."""
        tokens, rule = self._tokens, self._rule
        access = tokens[name - 1].text if name else ""
        is_qualified = access in (".", "->", "::") or (access == ":" and self._path.endswith(ENDINGS["lua"]))
        if not is_qualified and self._qualifiers:
            return None
        if not is_qualified:
            if access == "new":
                # The same class is made with other arguments, or something else makes the object.
                is_made = re.match(rf"{re.escape(self._function)}\(", rule.new) is not None
                return name - (not is_made), (name, name), ""
            is_ours = not rule.of or self._path.endswith(_BARE) or "it" not in rule.metavariables
            return (name, (name, name), "") if is_ours else None
        start = operand_start(tokens, name - 1)
        if start is None or (access == "." and tokens[name - 2].text == "?"):
            return None
        if rule.of and access != "::":
            return start, (start, name - 1), access
        # A function is qualified by namespaces or a module, a static one by its class.
        if self._qualifiers and tokens[name - 2].text != self._qualifiers[-1]:
            return None
        plain = all(token.kind == "name" or token.text in (".", "::") for token in tokens[start : name - 1])
        if access == "->" or not plain:
            return None
        keeps = re.match(r"[A-Za-z_]\w*\(", rule.new) is not None
        return (name if keeps else start), (name, name), ""

    def _given(self, spans: Sequence[tuple[int, int]]) -> Mapping[str, tuple[int, int]] | None:
        """The arguments by the parameters they are for; None if the call is not one that the rule is for."""
        found: dict[str, tuple[int, int]] = {}
        for at, (first, last) in enumerate(spans):
            tokens = self._tokens[first:last]
            if not tokens or is_spread(tokens, self._path):
                return None
            is_named = len(tokens) > 2 and tokens[0].kind == "name" and tokens[1].text in ("=", ":")
            if is_named and self._path.endswith(NAMED_ARGUMENTS):
                name, span = tokens[0].text, (first + 2, last)
            elif at < len(self._names):
                name, span = self._names[at], (first, last)
            else:
                return None
            if name in found or name not in self._names:
                return None
            found[name] = span
        is_whole = all(name in found or name in self._missing for name in self._names)
        return found if is_whole else None

    def _written(self, place: _Place) -> str | None:
        """The call in its new form; None where it has none."""
        template = self._without_omitted(place)
        if template is None:
            return None
        is_repeated = {name for name in self._rule.metavariables if template.count(f"${name}") > 1}
        if any(not self._is_plain(self._span_of(name, place)) for name in is_repeated):
            return None  # it would be evaluated twice
        if "; " in template:
            return self._as_statements(template, place)
        return self._filled(template, place)

    def _without_omitted(self, place: _Place) -> str | None:
        """The new form without the arguments that a call leaves out; None if one of them is needed."""
        template = self._rule.new
        for name in reversed(self._names):
            if name in place.given or name not in self._rule.metavariables:
                continue
            if value := self._missing[name]:
                template = re.sub(rf"\${name}\b", value.replace("\\", r"\\"), template)
                continue
            # By its keyword anywhere, or as one of the last.
            template, times = re.subn(rf"(?:,\s*)?(?<!\w)\w+\s*[=:]\s*\${name}\b(?!\s*[-+*/.])", "", template)
            if times:
                template = template.replace("(,", "(").replace("( ", "(")
                continue
            template, times = re.subn(rf"(?:,\s*|(?<=\())\${name}\b(?=\s*\))", "", template)
            if not times:
                return None
        return template

    def _span_of(self, name: str, place: _Place) -> tuple[int, int]:
        return place.owner if name == "it" else place.given.get(name, (0, 0))

    def _is_plain(self, span: tuple[int, int]) -> bool:
        """Whether evaluating a text twice is as good as once: names and literals only."""
        tokens = self._tokens[slice(*span)]
        return all(token.kind != "punctuation" or token.text in (".", "->", "::", "-") for token in tokens)

    def _filled(self, template: str, place: _Place) -> str:
        return _META.sub(lambda found: self._fitted(found, place), template)

    def _fitted(self, found: re.Match[str], place: _Place) -> str:
        """A value as the new form needs it: next to `.` or `->`, by its address, or the object behind a pointer."""
        sign, access = found["sign"], found["access"] or ""
        value = self._value(found["name"], place)
        if not value.text:
            return ""  # a method of the own class is called without an object
        if not value.is_operand and _is_next_to_operator(found):
            value = replace(value, text=f"({value.text})", is_operand=True)
        if not self._path.endswith(_WITH_ADDRESSES):
            return sign + (value.text if value.is_operand or not access else f"({value.text})") + access
        inner = value.text
        if access:
            taken = _ADDRESS.match(inner)
            if taken and self._is_operand(inner[taken.end() :]):
                # `&canvas` next to `->` is `canvas.`, `*canvas` next to `.` is `canvas->`.
                return sign + inner[taken.end() :] + ("." if taken[0][0] == "&" or self._path.endswith(_RUST) else "->")
            access = "->" if value.is_pointer else access
            return sign + (inner if value.is_operand else f"({inner})") + access
        inner = inner if value.is_operand or not (sign or value.is_pointer) else f"({inner})"
        if sign == "&":
            return inner if value.is_pointer else f"&{inner}"
        return f"*{inner}" if sign == "*" or value.is_pointer else inner

    def _value(self, name: str, place: _Place) -> _Value:
        first, last = self._span_of(name, place)
        if name == "it" and first == last:
            is_needed = re.search(r"\$it(?!\.|->|\w)", self._rule.new) is not None
            return _Value("this", is_pointer=self._path.endswith(C_FAMILY)) if is_needed else _Value("")
        text = self._text_of(first, last)
        is_pointer = name == "it" and (place.access == "->" or text == "this")
        return _Value(text, self._is_operand(text), is_pointer)

    def _is_operand(self, text: str) -> bool:
        tokens = tokenize(text, self._path)
        return bool(tokens) and operand_end(tokens, 0) == len(tokens)

    def _text_of(self, first: int, last: int) -> str:
        """The text of some tokens, with the calls in it in their new form."""
        if first >= last:
            return ""
        parts, here = [], self._tokens[first].start
        end = first
        for inner in self._places:
            if end <= inner.first and inner.last <= last and (written := self._written(inner)) is not None:
                parts += [self._text[here : self._tokens[inner.first].start], written]
                here, end = self._tokens[inner.last - 1].end, inner.last
        return "".join(parts) + self._text[here : self._tokens[last - 1].end]

    def _as_statements(self, template: str, place: _Place) -> str | None:
        """Several calls in the place of one that is a statement, each on its own line; None where it is part of another."""
        last = place.last
        ends_by_mark = last < len(self._tokens) and self._tokens[last].text == ";"
        span = Match(place.first, last + 1 if ends_by_mark else last, {})
        if not is_statement(self._tokens, span, self._text):
            return None
        start = self._tokens[place.first].start
        indent = indent_of(self._text[self._text.rfind("\n", 0, start) + 1 :])
        mark = "" if self._path.endswith((*PYTHON, *ENDINGS["lua"])) else ";"
        return f"{mark}\n{indent}".join(self._filled(part, place) for part in template.split("; "))
