"""Source text as tokens, just enough to match code and never a comment or a string by accident."""

from __future__ import annotations

import re
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from typing import Literal, NamedTuple

from fernshale.core.base.languages import C_FAMILY, DASH_COMMENTS, HASH_COMMENTS
from fernshale.core.base.lazy_pattern import lazy_pattern

TokenKind = Literal["name", "number", "string", "punctuation"]

# A prefix of a quote belongs to the string only if it is not the end of a word.
_STRING = r"""
  (?P<string> (?:(?<!\w)(?:u8|[uUL])?R)"(?P<fence>[^()\\\s]{0,16})\(.*?\)(?P=fence)"
            | (?:(?<!\w)[uULbrfBRF]{1,2})?"[^"\\\n]*+(?:\\.[^"\\\n]*+)*+"
            | (?:(?<!\w)[uULbrfBRF]{1,2})?'[^'\\\n]*+(?:\\.[^'\\\n]*+)*+' )
"""
# A point belongs to a number if digits, an exponent or nothing follow, but not a member's name.
_NUMBER = r"""
(?P<number> (?: 0[xXbB][0-9A-Fa-f']+
              | \d[\d']* (?:\.\d[\d']* | \.(?![\w.]) | \.(?=[eEfFlL](?!\w)|[eE][+-]?\d))? (?:[eEpP][+-]?\d[\d']*)? ) \w* )
"""
_CODE = rf"""
{_STRING}
| {_NUMBER}
| (?P<name> [^\W\d]\w* )
| (?P<punctuation> ::|->\*?|<<=|>>=|<=>|\+\+|--|&&|\|\||[-+*/%&|^=!<>]=|<<|\.\.\.|[^\w\s] )
"""
_SLASH_COMMENT = r"(?P<comment> //[^\n]* | /\*.*?(?:\*/|\Z) ) |"
# In C and C++ a backslash at the end of a line continues a comment on the next one.
_C_COMMENT = r"(?P<comment> //[^\\\n]*(?:\\.[^\\\n]*)*\\? | /\*.*?(?:\*/|\Z) ) |"
_HASH_COMMENT = r"(?P<comment> \#[^\n]* ) | (?P<long> (?:(?<!\w)[uUbBrRfF]{1,2})?(?:\"{3}.*?\"{3}|'{3}.*?'{3}) ) |"
_DASH_COMMENT = r"""(?P<comment> --\[(?P<level>=*)\[.*?\](?P=level)\] | --[^\n]* )
| (?P<long> \[(?P<depth>=*)\[.*?\](?P=depth)\] ) |"""
_FLAGS = re.VERBOSE | re.DOTALL
_COMMENTS = (_SLASH_COMMENT, _C_COMMENT, _HASH_COMMENT, _DASH_COMMENT)
_CODE_AFTER = {comment: lazy_pattern(comment + _CODE, _FLAGS) for comment in _COMMENTS}
# Names that can also end a number with a point, as in `2.f`.
_NUMBER_END = lazy_pattern(r"[eEfFlL]|[eE]\d\w*")
# Beginnings of comments and strings, which can contain names.
_OPENINGS = dict(zip(_CODE_AFTER, ("\"'/", "\"'/", "\"'#", "\"'-["), strict=True))
# Kind of token by the group that matched; comments are none. A fence is part of a raw string.
_KINDS: dict[str, TokenKind | None] = {
    "comment": None,
    "fence": "string",
    "level": None,
    "depth": "string",
    "long": "string",
    "string": "string",
    "number": "number",
    "name": "name",
    "punctuation": "punctuation",
}


class Token(NamedTuple):
    """A token and its half-open span of characters."""

    kind: TokenKind
    text: str
    start: int
    end: int


def tokenize(text: str, path: str) -> tuple[Token, ...]:
    """Return the tokens of `text` without comments; the ending of `path` determines the comment syntax."""
    return _tokenized(text, _CODE_AFTER[_comment(path)])


def name_indexes(text: str, path: str, name: str) -> Sequence[int]:
    """The indexes of the tokens of `text` that are the name `name`."""
    return _by_name(text, _CODE_AFTER[_comment(path)]).get(name, ())


@lru_cache(maxsize=512)
def _by_name(text: str, words: re.Pattern[str]) -> Mapping[str, Sequence[int]]:
    found: dict[str, list[int]] = {}
    for index, token in enumerate(_tokenized(text, words)):
        if token[0] == "name":
            found.setdefault(token[1], []).append(index)
    return found


def name_starts(text: str, path: str, name: str) -> Iterator[int]:
    """Return the positions of the token `name` in `text`, without creating all other tokens."""
    if not name.isidentifier():
        return
    if _NUMBER_END.fullmatch(name):
        yield from (token.start for token in tokenize(text, path) if token.kind == "name" and token.text == name)
        return
    hiding = _hiding(text, _comment(path))
    start = end = 0
    # The name first: a pattern that begins with letters is looked for many times faster.
    for found in re.finditer(rf"{name}(?!\w)(?<!\w{name})", text):
        while end <= found.start():
            start, end = next(hiding)
        if found.start() < start:
            yield found.start()


def _hiding(text: str, comment: str) -> Iterator[tuple[int, int]]:
    """The spans of comments, strings and numbers with a quote inside, in order; then one after the text."""
    marks, token = _OPENINGS[comment], _CODE_AFTER[comment]
    end = 0
    # The next position of each marker: single characters are found many times faster than alternatives.
    places = [text.find(mark) for mark in marks]
    while (at := min((place for place in places if place >= 0), default=-1)) >= 0:
        # A quote may belong to the word before it: the kind of a string, or the digits of a number.
        word = at
        while text[at] in "'\"" and word > end and (text[word - 1].isalnum() or text[word - 1] == "_"):
            word -= 1
        for start in dict.fromkeys((word, at)):
            found = token.match(text, start)
            if found is not None and found.end() > at and found.lastgroup != "punctuation":
                yield start, found.end()
                end = found.end()
                break
        else:
            end = at + 1
        places = [
            text.find(mark, end) if 0 <= place < end else place for mark, place in zip(marks, places, strict=True)
        ]
    yield len(text) + 1, len(text) + 2


def _comment(path: str) -> str:
    """The syntax of comments in a file, by its ending."""
    if path.endswith(HASH_COMMENTS):
        return _HASH_COMMENT
    if path.endswith(DASH_COMMENTS):
        return _DASH_COMMENT
    return _C_COMMENT if path.endswith(C_FAMILY) else _SLASH_COMMENT


@lru_cache(maxsize=512)
def _tokenized(text: str, words: re.Pattern[str]) -> tuple[Token, ...]:
    # Many rules examine one text, one after the other.
    kinds, make = _KINDS, Token
    return tuple(
        make(kind, found[0], *found.span())
        for found in words.finditer(text)
        if (kind := kinds[found.lastgroup or ""]) is not None
    )


_QUOTED = lazy_pattern(r"""(?s)[A-Za-z8]*(?P<mark>"{3}|'{3}|"|')(?P<inside>.*)(?P=mark)""")


def literal_text(text: str) -> str:
    """Return the content of a string literal; any other literal unchanged."""
    found = _QUOTED.fullmatch(text)
    return found["inside"] if found else text


# Words that can precede a value; a name after any other name is declared by it.
BEFORE_VALUES = frozenset(
    ("return", "case", "throw", "yield", "await", "else", "in", "and", "or", "not", "new", "do", "then", "if", "elif", "while",
     "raise", "assert", "delete", "typeof", "co_await", "co_return", "co_yield", "out", "is", "until", "default", "lambda")
)  # fmt: skip
_CLOSING = {"(": ")", "[": "]", "{": "}"}


def group_end(tokens: Sequence[Token], at: int) -> int:
    """The index after the bracket that closes the one at `at`; the end of the tokens where none does."""
    open_: list[str] = []
    for index in range(at, len(tokens)):
        token = tokens[index]
        if token.kind != "punctuation":
            continue
        if token.text in _CLOSING:
            open_.append(_CLOSING[token.text])
        elif open_ and token.text == open_[-1]:
            open_.pop()
            if not open_:
                return index + 1
        elif token.text in ")]}":
            return index
    return len(tokens)


def group_start(tokens: Sequence[Token], at: int) -> int:
    """The index of the bracket that the one at `at` closes; the beginning of the tokens where there is none."""
    depth = 0
    for index in range(at, -1, -1):
        if tokens[index].kind == "punctuation":
            depth += {")": 1, "]": 1, "}": 1, "(": -1, "[": -1, "{": -1}.get(tokens[index].text, 0)
        if depth == 0:
            return index
    return 0


def operand_end(tokens: Sequence[Token], at: int) -> int:
    """The index after the longest operand at `at`: a name, literal or bracketed group with calls, indexes and members; `at` where
    there is none."""
    return max(operand_ends(tokens, at), default=at)


def operand_ends(tokens: Sequence[Token], at: int) -> Iterator[int]:
    """Where an operand at `at` can end, the shortest first."""
    if at >= len(tokens):
        return
    first = tokens[at]
    if first.kind in ("name", "number", "string"):
        index = at + 1
    elif first.text == "(":
        index = group_end(tokens, at)
    else:
        return
    yield index
    while index < len(tokens):
        text = tokens[index].text
        if text in ("(", "["):
            index = group_end(tokens, index)
        elif text in (".", "->", "::") and index + 1 < len(tokens) and tokens[index + 1].kind == "name":
            index += 2
        else:
            return
        yield index


def operand_start(tokens: Sequence[Token], end: int) -> int | None:
    """The first token of the operand that ends before the token `end`: a chain of names, calls and indexes; None if that cannot be
    told."""
    at = end
    while True:
        before = tokens[at - 1] if at else None
        if before is None:
            return None
        if before.text in (")", "]"):
            at = group_start(tokens, at - 1)
            is_called = at and (tokens[at - 1].kind == "name" or tokens[at - 1].text in (")", "]"))
            if is_called and tokens[at - 1].text not in BEFORE_VALUES:
                continue
        elif before.kind in ("name", "string", "number"):
            at -= 1
        else:
            return None
        if at and tokens[at - 1].text in (".", "->", "::"):
            at -= 1
            continue
        return at - 1 if at and tokens[at - 1].text == "new" else at
