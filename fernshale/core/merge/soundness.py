"""Check a merged text: it parses if its versions did, brackets balance as before, and no markers are left.

Findings are for a person to check: a correct merge can still look unusual.
"""

from __future__ import annotations

import ast
import re
import warnings
from collections.abc import Mapping
from functools import lru_cache

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.data.formats import find_reader
from fernshale.core.data.tree import NotKeyed
from fernshale.core.merge.text_merge import MARK

# Comments and strings of languages used in games; brackets inside them do not count.
_C_LIKE = lazy_pattern(
    r"""//[^\n]*|/\*.*?\*/|R"(?P<raw>\w*)\(.*?\)(?P=raw)"|"[^"\\\n]*+(?:\\.[^"\\\n]*+)*+"|'[^'\\\n]*+(?:\\.[^'\\\n]*+)*+'|`[^`\\]*+(?:\\.[^`\\]*+)*+`""",
    re.DOTALL,
)
_HASH = lazy_pattern(
    r"""\"\"\".*?\"\"\"|'''.*?'''|"[^"\\\n]*+(?:\\.[^"\\\n]*+)*+"|'[^'\\\n]*+(?:\\.[^'\\\n]*+)*+'|\#[^\n]*""", re.DOTALL
)
_DASH = lazy_pattern(
    r"""--\[\[.*?\]\]|--[^\n]*|"[^"\\\n]*+(?:\\.[^"\\\n]*+)*+"|'[^'\\\n]*+(?:\\.[^'\\\n]*+)*+'""", re.DOTALL
)
_ENDINGS = {
    _C_LIKE: "c h cc cpp cxx hpp hh inl cs java js jsx ts tsx rs go kt swift glsl hlsl frag vert css",
    _HASH: "py gd rb sh cmake",
    _DASH: "lua",
}
_LANGUAGES: Mapping[str, re.Pattern[str]] = {
    ending: language for language, endings in _ENDINGS.items() for ending in endings.split()
}
_PAIRS = ("()", "[]", "{}")
_MARKER = lazy_pattern(r"^(<{7}|>{7}|\|{7})( |$)|^={7}$", re.MULTILINE)


@lru_cache(maxsize=256)
def complaints(path: str, mine: str, incoming: str, result: str) -> tuple[str, ...]:
    """Return findings about `result` that apply to neither of the merged versions, in words."""
    found = []
    if MARK in result and MARK not in mine + incoming:
        found.append("a mark of an undecided place is left")
    if _MARKER.search(result) and not _MARKER.search(mine) and not _MARKER.search(incoming):
        found.append("a conflict marker is left")
    ending = path.rsplit("/", 1)[-1].rpartition(".")[2].lower()
    trouble = _parse_trouble(path, ending, result)
    if trouble and not _parse_trouble(path, ending, mine) and not _parse_trouble(path, ending, incoming):
        found.append(trouble)
    language = _LANGUAGES.get(ending)
    if language is not None:
        balances = [_balance(text, language) for text in (mine, incoming, result)]
        for pair, ours, theirs, now in zip(_PAIRS, *balances, strict=True):
            if now not in (ours, theirs) and ours == theirs == 0:
                more, less = pair if now > 0 else pair[::-1]
                found.append(f"{abs(now)} “{more}” without “{less}”")
    return tuple(found)


def _balance(text: str, language: re.Pattern[str]) -> tuple[int, ...]:
    """For each kind of bracket how many more are opened than closed."""
    bare = language.sub(" ", text)
    return tuple(bare.count(pair[0]) - bare.count(pair[1]) for pair in _PAIRS)


def _parse_trouble(path: str, ending: str, text: str) -> str:
    """Return why a text does not parse, "" if it does or if there is no parser."""
    if ending == "py":
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                ast.parse(text)
        except (SyntaxError, ValueError, RecursionError) as error:
            line = getattr(error, "lineno", None)
            return f"line {line} is no Python: {getattr(error, 'msg', error)}" if line else "it is no Python"
        return ""
    read = find_reader(path, text)
    if read is None or ending in ("cfg", "ini"):
        return ""
    try:
        read(text)
    except NotKeyed as error:
        return str(error)
    return ""
