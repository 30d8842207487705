"""A small language for values computed from the fields of an object: arithmetic, comparison, choice, a few functions.

    360 - angle                     position.x + width / 2
    if(has(glow), glow, "amber")    kind == "lamp" and not locked

Fields are written by name, or in backticks if the name is not a plain word. The language has nothing else: no loops, no calls
except to the functions below, no access to anything outside the object, so an unknown rule can do no harm. Length and depth of
an expression are limited, and so are the texts and numbers that each step produces (`core.base.limits`). Precedence climbing
after Pratt, "Top down operator precedence" (1973).
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.limits import limits
from fernshale.core.base.texts import tr
from fernshale.core.data.fields import FieldValue

Variables = Mapping[str, FieldValue]
_Node = Callable[[Variables], FieldValue]

_TOKEN = lazy_pattern(
    r"""\s*(?:(?P<number>\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+)|(?P<text>"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*')
    |(?P<name>[A-Za-z_@][\w@]*(?:\.[\w@]+)*)|(?P<field>`[^`]+`)|(?P<sign>==|!=|<=|>=|[-+*/%<>(),]))""",
    re.VERBOSE,
)
_POWER = {"or": 1, "and": 2, "==": 4, "!=": 4, "<": 4, "<=": 4, ">": 4, ">=": 4, "+": 5, "-": 5, "*": 6, "/": 6, "%": 6}
_NOT = 3
_MINUS = 7
# More decimal places than a double has.
_MAX_PLACES = 300
_BITS_A_DIGIT = 4
# How much of a long expression a message shows.
_MAX_SHOWN = 80


class BadExpression(MisuseError):
    """An expression that cannot be read, or that has no value for an object."""


@dataclass(frozen=True)
class Expression:
    """A parsed expression; `fields` are the fields it reads."""

    text: str
    fields: frozenset[str]
    _node: _Node

    def value(self, scope: Variables) -> FieldValue:
        """Evaluate it for the fields of an object. Raises BadExpression."""
        try:
            found = self._node(scope)
        except (ZeroDivisionError, OverflowError, ValueError, RecursionError, MemoryError) as error:
            raise BadExpression(
                tr("{short!r} cannot be computed: {error}", short=_short(self.text), error=error)
            ) from error
        if isinstance(found, float) and not math.isfinite(found):
            raise BadExpression(tr("{short!r} comes to no number", short=_short(self.text)))
        return found

    def holds(self, scope: Variables) -> bool:
        """Whether the expression is true for an object; a comparison with a missing field is false. Raises BadExpression."""
        return bool(self.value(scope))


def parse_expression(text: str) -> Expression:
    """Read an expression. Raises BadExpression with the place."""
    longest = limits().expression_length
    if len(text) > longest:
        raise BadExpression(
            tr(
                "the expression is too long: {number:,} characters; {longest:,} are read (expression_length)",
                number=len(text),
                longest=longest,
            )
        )
    parser = _Parser(text)
    node = parser.expression(0, 0)
    parser.end()
    return Expression(text, frozenset(parser.fields), node)


class _Parser:
    def __init__(self, text: str) -> None:
        self._text = text
        self._tokens: list[tuple[str, str, int]] = []
        self.fields: set[str] = set()
        self._deepest = limits().expression_depth
        at, end = 0, len(text.rstrip())
        while at < end:
            found = _TOKEN.match(text, at)
            if found is None or found.end() == at:
                raise BadExpression(
                    tr(
                        "{expression!r}: what is {found!r} at column {at}?",
                        expression=_short(text),
                        found=text[at:].strip()[:10],
                        at=at + 1,
                    )
                )
            kind = str(found.lastgroup)
            self._tokens.append((kind, found[kind], found.start(kind)))
            at = found.end()
        self._at = 0

    def end(self) -> None:
        if self._at < len(self._tokens):
            raise self._wrong("an operator")

    def expression(self, power: int, depth: int) -> _Node:
        if depth > self._deepest:
            raise BadExpression(tr("{short!r} is nested too deep (expression_depth)", short=_short(self._text)))
        left = self._first(depth)
        terms = 0
        while True:
            kind, token, _ = self._peek()
            mine = _POWER.get(token, 0) if kind in ("sign", "name") else 0
            if mine <= power:
                return left
            self._at += 1
            terms += 1
            # Each term is one call deeper when it is computed.
            if terms + depth > self._deepest:
                raise BadExpression(
                    tr("{short!r} has too many terms in a row (expression_depth)", short=_short(self._text))
                )
            left = _binary(token, left, self.expression(mine, depth + 1))

    def _first(self, depth: int) -> _Node:
        kind, token, _ = self._peek()
        self._at += 1
        if kind == "number":
            if len(token) > _digits():
                raise BadExpression(
                    tr(
                        "a number of {number:,} digits is more than {digits:,} (expression_digits)",
                        number=len(token),
                        digits=_digits(),
                    )
                )
            number: FieldValue = int(token) if token.isdigit() else float(token)
            return lambda scope: number
        if kind == "text":
            said = re.sub(r"\\(.)", r"\1", token[1:-1])
            return lambda scope: said
        if kind == "field":
            return self._field(token[1:-1])
        if token == "(":
            inner = self.expression(0, depth + 1)
            self._expect(")")
            return inner
        if token == "-":
            value = self.expression(_MINUS, depth + 1)
            return lambda scope: -_number(value(scope), "-")
        if token == "not":
            value = self.expression(_NOT, depth + 1)
            return lambda scope: not value(scope)
        if kind == "name" and token not in _POWER:
            if self._peek()[1] == "(" and token in (*_FUNCTIONS, "if", "has"):
                return self._call(token, depth)
            if token in ("true", "false", "null"):
                constant: FieldValue = {"true": True, "false": False, "null": None}[token]
                return lambda scope: constant
            return self._field(token)
        self._at -= 1
        raise self._wrong("a value")

    def _field(self, name: str) -> _Node:
        self.fields.add(name)
        return lambda scope: scope.get(name)

    def _call(self, name: str, depth: int) -> _Node:
        self._expect("(")
        if name == "has":
            kind, token, _ = self._peek()
            if kind not in ("name", "field", "text"):
                raise self._wrong("the name of a field")
            self._at += 1
            self._expect(")")
            field = token.strip("`\"'")
            self.fields.add(field)
            return lambda scope: scope.get(field) is not None
        arguments = []
        while self._peek()[1] != ")":
            arguments.append(self.expression(0, depth + 1))
            if self._peek()[1] != ",":
                break
            self._at += 1
        self._expect(")")
        if name == "if":
            if len(arguments) != 3:
                raise BadExpression(
                    tr(
                        "{short!r}: if(…) takes three values: a condition and what it is with and without",
                        short=_short(self._text),
                    )
                )
            condition, yes, no = arguments
            return lambda scope: yes(scope) if condition(scope) else no(scope)
        least, most, function = _FUNCTIONS[name]
        if not least <= len(arguments) <= most:
            raise BadExpression(
                tr(
                    "{short!r}: {name}(…) takes {least} values",
                    short=_short(self._text),
                    name=name,
                    least=least if least == most else tr("{least} to {most}", least=least, most=most),
                )
            )
        return lambda scope: function([argument(scope) for argument in arguments])

    def _peek(self) -> tuple[str, str, int]:
        return self._tokens[self._at] if self._at < len(self._tokens) else ("end", "", len(self._text))

    def _expect(self, sign: str) -> None:
        if self._peek()[1] != sign:
            raise self._wrong(sign)
        self._at += 1

    def _wrong(self, wanted: str) -> BadExpression:
        kind, token, at = self._peek()
        there = "it ends" if kind == "end" else f"{token!r} stands"
        return BadExpression(
            tr(
                "{short!r}: {there} where {wanted} is expected, column {at}",
                short=_short(self._text),
                there=there,
                wanted=wanted,
                at=at + 1,
            )
        )


def _binary(sign: str, left: _Node, right: _Node) -> _Node:
    if sign == "and":
        return lambda scope: left(scope) and right(scope)
    if sign == "or":
        return lambda scope: left(scope) or right(scope)
    if sign in ("==", "!="):
        return lambda scope: _same(left(scope), right(scope)) is (sign == "==")
    if sign in ("<", "<=", ">", ">="):
        return lambda scope: _compare(sign, left(scope), right(scope))
    if sign == "+":
        return lambda scope: _plus(left(scope), right(scope))
    return lambda scope: _calculate(sign, _number(left(scope), sign), _number(right(scope), sign))


def _same(one: FieldValue, other: FieldValue) -> bool:
    return one == other and isinstance(one, bool) == isinstance(other, bool)


def _compare(sign: str, one: FieldValue, other: FieldValue) -> bool:
    if one is None or other is None:
        return False
    if isinstance(one, str) != isinstance(other, str):
        raise BadExpression(
            tr("{first!r} and {second!r} cannot be compared", first=_short(str(one)), second=_short(str(other)))
        )
    less, same = one < other, one == other  # type: ignore[operator]
    return {"<": less, "<=": less or same, ">": not less and not same, ">=": not less}[sign]


def _plus(one: FieldValue, other: FieldValue) -> FieldValue:
    if isinstance(one, str) and isinstance(other, str):
        return _bounded_text(len(one) + len(other), lambda: one + other)
    return _number(one, "+") + _number(other, "+")


def _calculate(sign: str, one: float, other: float) -> float:
    if sign == "-":
        return one - other
    if sign == "*":
        return _bounded_number(one * other)
    if sign == "%":
        return one % other
    found = one / other
    return int(found) if isinstance(one, int) and isinstance(other, int) and found == int(found) else found


def _number(value: FieldValue, of: str) -> float:
    if isinstance(value, bool) or not isinstance(value, int | float):
        raise BadExpression(
            tr("{of} wants numbers, not {value}", of=of, value=tr("nothing") if value is None else repr(value))
        )
    return value


def _text(value: FieldValue) -> str:
    if value is None:
        return ""
    if isinstance(value, int):
        _bounded_number(value)
    return str(value).lower() if isinstance(value, bool) else str(value)


def _numbers(name: str, function: Callable[..., float]) -> Callable[[Sequence[FieldValue]], FieldValue]:
    return lambda values: function(*(_number(value, name) for value in values))


def _as_number(values: Sequence[FieldValue]) -> FieldValue:
    said = _text(values[0]).strip()
    if len(said) > _digits():
        raise BadExpression(tr("{short!r} is no number that can be read", short=_short(said)))
    try:
        return int(said) if re.fullmatch(r"[+-]?\d+", said) else float(said)
    except ValueError as error:
        raise BadExpression(tr("{said!r} is no number", said=said)) from error


def _round(values: Sequence[FieldValue]) -> FieldValue:
    places = int(_number(values[1], "round")) if len(values) > 1 else 0
    if abs(places) > _MAX_PLACES:
        raise BadExpression(
            tr("round(…) to {places} places; at most {max_places} make sense", places=places, max_places=_MAX_PLACES)
        )
    found = round(_number(values[0], "round"), places)
    return int(found) if places <= 0 else found


def _replace(values: Sequence[FieldValue]) -> FieldValue:
    text, old, new = map(_text, values)
    count = text.count(old)
    return _bounded_text(len(text) + count * (len(new) - len(old)), lambda: text.replace(old, new))


def _bounded_text(length: int, make: Callable[[], str]) -> str:
    longest = limits().expression_text
    if length > longest:
        raise BadExpression(
            tr(
                "a text of {length:,} characters came out; at most {longest:,} may (expression_text)",
                length=length,
                longest=longest,
            )
        )
    return make()


def _bounded_number(value: float) -> float:
    if isinstance(value, int) and value.bit_length() > _digits() * _BITS_A_DIGIT:
        raise BadExpression(
            tr("a number of more than {digits:,} digits came out (expression_digits)", digits=_digits())
        )
    return value


def _digits() -> int:
    return limits().expression_digits


def _short(text: str) -> str:
    return text if len(text) <= _MAX_SHOWN else f"{text[:_MAX_SHOWN]}…"


def _turned(function: Callable[[float], float]) -> Callable[[Sequence[FieldValue]], FieldValue]:
    """Angles are in degrees, as data has them."""
    return lambda values: round(function(math.radians(_number(values[0], "an angle"))), 12)


# The number of arguments of each function, and its implementation.
_FUNCTIONS: Mapping[str, tuple[int, int, Callable[[Sequence[FieldValue]], FieldValue]]] = {
    "abs": (1, 1, _numbers("abs", abs)),
    "min": (1, 9, _numbers("min", lambda *values: min(values))),
    "max": (1, 9, _numbers("max", lambda *values: max(values))),
    "floor": (1, 1, _numbers("floor", math.floor)),
    "ceil": (1, 1, _numbers("ceil", math.ceil)),
    "sqrt": (1, 1, _numbers("sqrt", math.sqrt)),
    "sin": (1, 1, _turned(math.sin)),
    "cos": (1, 1, _turned(math.cos)),
    "round": (1, 2, _round),
    "number": (1, 1, _as_number),
    "text": (1, 1, lambda values: _text(values[0])),
    "lower": (1, 1, lambda values: _text(values[0]).lower()),
    "upper": (1, 1, lambda values: _text(values[0]).upper()),
    "replace": (3, 3, _replace),
    "starts": (2, 2, lambda values: _text(values[0]).startswith(_text(values[1]))),
    "ends": (2, 2, lambda values: _text(values[0]).endswith(_text(values[1]))),
    "contains": (2, 2, lambda values: _text(values[1]) in _text(values[0])),
    "before": (2, 2, lambda values: _text(values[0]).partition(_text(values[1]))[0]),
    "after": (2, 2, lambda values: _text(values[0]).partition(_text(values[1]))[2]),
    "length": (1, 1, lambda values: len(_text(values[0]))),
}
