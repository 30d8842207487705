"""Source text as tokens, just enough to match code and never a comment or a string by accident."""

from __future__ import annotations

import re
from collections.abc import Sequence
from functools import lru_cache
from typing import Literal, NamedTuple

from fernshale.core.base.languages import DASH_COMMENTS, HASH_COMMENTS

TokenKind = Literal["name", "number", "string", "punctuation"]

_CODE = r"""
  (?P<string> (?:u8|[uUL])?R"(?P<fence>[^()\\\s]{0,16})\(.*?\)(?P=fence)"
            | (?:[uULbrfBRF]{0,2})"(?:\\.|[^"\\\n])*"
            | (?:[uULbrfBRF]{0,2})'(?:\\.|[^'\\\n])*' )
| (?P<number> (?:0[xXbB][0-9A-Fa-f']+|\d[\d']*(?:\.\d*)?(?:[eEpP][+-]?\d+)?)\w* )
| (?P<name> [^\W\d]\w* )
| (?P<punctuation> ::|->\*?|<<=|>>=|<=>|\+\+|--|&&|\|\||[-+*/%&|^=!<>]=|<<|\.\.\.|[^\w\s] )
"""
_C_COMMENT = r"(?P<comment> //[^\n]* | /\*.*?(?:\*/|\Z) ) |"
_HASH_COMMENT = r"(?P<comment> \#[^\n]* ) | (?P<long> \"{3}.*?\"{3} | '{3}.*?'{3} ) |"
_DASH_COMMENT = r"""(?P<comment> --\[(?P<level>=*)\[.*?\](?P=level)\] | --[^\n]* )
| (?P<long> \[(?P<depth>=*)\[.*?\](?P=depth)\] ) |"""
_C = re.compile(_C_COMMENT + _CODE, re.VERBOSE | re.DOTALL)
_HASH = re.compile(_HASH_COMMENT + _CODE, re.VERBOSE | re.DOTALL)
_DASH = re.compile(_DASH_COMMENT + _CODE, re.VERBOSE | re.DOTALL)
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
    """The tokens of `text` without comments; `path` tells by its ending how comments look."""
    return _tokenized(text, _HASH if path.endswith(HASH_COMMENTS) else _DASH if path.endswith(DASH_COMMENTS) else _C)


@lru_cache(maxsize=512)
def _tokenized(text: str, words: re.Pattern[str]) -> tuple[Token, ...]:
    # Many rules look at one text, one after the other.
    kinds, make = _KINDS, Token
    return tuple(
        make(kind, found[0], *found.span())
        for found in words.finditer(text)
        if (kind := kinds[found.lastgroup or ""]) is not None
    )


_QUOTED = re.compile(r"""(?s)[A-Za-z8]*(?P<mark>"{3}|'{3}|"|')(?P<inside>.*)(?P=mark)""")


def literal_text(text: str) -> str:
    """What stands between the quotes of a string; anything else as it is."""
    found = _QUOTED.fullmatch(text)
    return found["inside"] if found else text


_CLOSING = {"(": ")", "[": "]", "{": "}"}


def group_end(tokens: Sequence[Token], at: int) -> int:
    """Index behind the bracket that closes the one at `at`; the end of the tokens where none does."""
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
