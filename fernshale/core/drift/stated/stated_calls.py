"""Calls that a text of a release shows as what to write: "replace `m.glow_of(...)` with `m.get::<Glow>(...)`"."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Sequence
from typing import NamedTuple

from fernshale.core.base.languages import C_FAMILY
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.stated.passed_on import METAVARIABLE
from fernshale.core.drift.stated.replacements import ReleaseNames, is_conditional
from fernshale.core.drift.symbols import Symbol

# Code in a text, however it is marked.
_MARKED = lazy_pattern(r"``([^`\n]+)``|\{@code\s+([^{}\n]+)\}|<code>([^<>\n]+)</code>")
_CODE = r"`(?P<{name}>[^`]+)`"
_OLD, _NEW = _CODE.format(name="old"), _CODE.format(name="new")
_PAIRS = tuple(
    lazy_pattern(pattern, re.IGNORECASE)
    for pattern in (
        rf"\b(?:replace|change|rewrite|turn|convert)s?\s+{_OLD}\s+(?:with|by|to|into)\s+{_NEW}",
        rf"\buse\s+{_NEW}\s+(?:instead of|in place of|rather than)\s+{_OLD}",
        rf"{_OLD}\s*(?:->|→|=>|becomes|is now|should be(?: replaced (?:with|by))?)\s*{_NEW}",
    )
)
# Without marks, a call with its arguments.
_BARE = r"(?P<bare>[A-Za-z_][\w.]*\((?:[^()`]|\([^()`]*\))*\))(?!\.\w)"
_ALONE = lazy_pattern(
    rf"\b(?:use|replaced (?:by|with)|superseded by|in favou?r of(?: using)?|call|prefer)\s+(?:either )?(?:the )?(?:{_NEW}|{_BARE})",
    re.IGNORECASE,
)
# Two words side by side, or an argument with a star: a declaration, or more than one call.
_NO_CALL = lazy_pattern(r"[\w>\]*&]\s+[\w$]|[(,]\s*\*")
_LITERAL = lazy_pattern(r"\"[^\"]*\"|'[^']*'|\bnew(?=\s)")
_CALL = lazy_pattern(
    r"(?:(?P<of>[A-Za-z_]\w*)(?P<access>\.|->|::|#|:))?(?P<name>[A-Za-z_]\w*)\((?P<given>.*)\)", re.DOTALL
)
# The first call in a text: its name, and the text before that.
_CALLED = lazy_pattern(
    r"(?P<front>\$it(?:\.|->|::|:)|(?:[A-Za-z_]\w*(?:\.|::))*)(?P<name>[A-Za-z_]\w*)(?:::<[^<>]*>|<[^<>]*>)?\("
)
_LATER_CALL = lazy_pattern(r"(?:\.|->)(?P<name>[A-Za-z_]\w*)(?:::<[^<>]*>)?\(")
_NAME = lazy_pattern(
    r"(?P<before>\.\s*|->\s*|::\s*|\$|[\"'])?\b(?P<name>[A-Za-z_]\w*)\b(?P<after>\s*(?:\(|::|\.|=(?!=)))?"
)
_ANYTHING = lazy_pattern(r"\.\.\.|…")
# The same as one argument or all of them.
_ANY_ARGUMENT = lazy_pattern(r"(?<=[(,])\s*(?:\.\.\.|…)\s*(?=[,)])")
_IDENTIFIER = lazy_pattern(r"[A-Za-z_]\w*")
# A type or a value that the reader has to choose.
_CHOSEN = lazy_pattern(r"<[^<>]*\b[A-Z]\b[^<>]*>|<\d+>|\.\.\.|…")
_ON_CONDITION = lazy_pattern(r"[\s,;(]*(?:when|if|where|unless|or|for|to|in case|depending)\b", re.IGNORECASE)
# A sentence that begins with a purpose, also where the line before it has no full stop; and a choice.
_FOR_SOME = lazy_pattern(r"\b(?:For|To|If|When|Where|Unless|In)\b[^.;!?`]*\Z")
_CHOICE = lazy_pattern(r"\beither\b", re.IGNORECASE)
_SELF = ("self", "this")
# A name in code that is no metavariable, keyword, member or parameter of a closure; `member` follows it.
_FREE = lazy_pattern(
    r"\"[^\"]*\"|'[^']*'|\|[^|]*\|[^,)]*|::<[^<>]*>"
    r"|(?<![\w.:$>])(?P<word>[A-Za-z_]\w*)\b(?!\s*=(?!=))(?P<member>::|\.)?"
)
_VALUES = ("true", "false", "True", "False", "None", "null", "nullptr", "NULL", "undefined", "nil", "new")


class StatedCall(NamedTuple):
    """The symbol of the new release that a shown call is of, and what to write: `$name` for an argument, `$it` for the object; ""
    where another name is enough.

    `is_whole`: it is said for all calls, and all that is shown is there and can be named.
    """

    target: Symbol
    text: str
    is_whole: bool


def stated_call(text: str, symbol: Symbol, names: ReleaseNames) -> StatedCall | None:
    """Return the call that a text about a function shows in place of its own; None where that has other arguments.

    A call at the end of what is shown is left out where the release of `names` does not have it any more.
    """
    if not symbol.is_callable or "(" not in text or not all(map(str.isidentifier, _given(symbol))):
        return None
    text = _MARKED.sub(lambda found: f"`{next(filter(None, found.groups()))}`", text)
    for found, shown, is_exact in _shown(text, symbol, names):
        kept = _without_gone(shown, names.gone)
        called = _CALLED.match(kept)
        is_call = called is not None and not _NO_CALL.search(_LITERAL.sub("0", kept)) and not _CHOSEN.search(kept)
        if called is None or not is_call or not _has_all(kept, symbol):
            continue
        front = "" if called["front"].startswith("$it") else called["front"]
        target = names.find(f"{front}{called['name']}".replace("::", "."), symbol)
        if target is not None and (target.is_callable or target.kind == "class"):
            passed = ", ".join(f"${name}" for name in _given(symbol))
            is_plain = re.fullmatch(rf"(?:\$it\W+)?[\w.:]+\({re.escape(passed)}\)", kept) is not None
            whole, can_name = _qualified(kept, called.end("name"), symbol, names)
            # A module may have another name, or none, in the files that call it.
            is_at_hand = not front or re.split(r"\.|::", front)[-2] in symbol.scope
            is_whole = is_exact and kept == shown and can_name and is_at_hand and _is_for_all(text, found)
            return StatedCall(target, "" if is_plain else whole, is_whole)
    return None


def _is_for_all(text: str, found: re.Match[str]) -> bool:
    """Whether a text says of all calls what it says where it was found."""
    is_limited = (
        _ON_CONDITION.match(text, found.end()) or _FOR_SOME.search(text, 0, found.start()) or _CHOICE.search(text)
    )
    return not is_limited and not is_conditional(text, found.start())


def _given(symbol: Symbol) -> list[str]:
    return [item.name.lstrip("*&") for item in symbol.given]


def _shown(text: str, symbol: Symbol, names: ReleaseNames) -> Iterator[tuple[re.Match[str], str, bool]]:
    """What a text shows to write for a call, with metavariables, and whether it says which argument goes where."""
    for pattern in _PAIRS:
        for found in pattern.finditer(text):
            if (call := _CALL.fullmatch(found["old"].strip())) and call["name"] == symbol.name:
                written = _like_old(call, found["new"].strip(), symbol)
                if written:
                    yield found, written, True
    for found in _ALONE.finditer(text):
        shown = (found["new"] or found["bare"]).strip()
        if written := _by_itself(shown, symbol, names):
            yield found, written, _ANY_ARGUMENT.search(shown) is None


def _like_old(call: re.Match[str], new: str, symbol: Symbol) -> str:
    """The new code with the object and the arguments of the old call as metavariables, "" where they do not fit the function."""
    places: dict[str, str] = {}
    given = _given(symbol)
    passed = [part.strip() for part in call["given"].split(",") if part.strip()]
    if _ANYTHING.fullmatch(call["given"].strip()):
        if len(_ANY_ARGUMENT.findall(new)) != 1:
            return ""
        new = _ANY_ARGUMENT.sub(", ".join(f"${name}" for name in given), new)
    elif len(passed) == len(given) and all(map(_IDENTIFIER.fullmatch, passed)):
        places = {word: f"${name}" for word, name in zip(passed, given, strict=True)}
    else:
        return ""
    if call["of"] and symbol.kind == "method":
        places[call["of"]] = "$it"
    elif call["of"] and call["of"] not in symbol.scope:
        return ""
    return _with_places(new, places)


def _by_itself(new: str, symbol: Symbol, names: ReleaseNames) -> str:
    """Code that is shown without the old call: with the owner of a method for the object, or none for another of its methods, and
    its parameters as they are called."""
    called = re.match(r"(?P<of>[A-Za-z_]\w*)(?:\.|->|::|#)(?=[A-Za-z_])", new)
    given = _given(symbol)
    places = {name: f"${name}" for name in given}
    if called and symbol.needs_object and called["of"] in (*symbol.scope[-1:], *_SELF):
        new = f"$it{'.' if called[0].endswith(('#', '::')) else called[0][len(called['of']) :]}{new[called.end() :]}"
    elif symbol.needs_object:
        sibling = names.at((*symbol.scope, new.partition("(")[0]))
        if sibling is None or not sibling.needs_object:
            return ""
        new = f"$it.{new}"
    if len(_ANY_ARGUMENT.findall(new)) == 1 and given:
        new = _ANY_ARGUMENT.sub(", ".join(places.values()), new)
    else:
        new = _with_places(new, places)
    # Empty brackets only say that it is a function.
    return "" if re.fullmatch(r"(?:\$it\W+)?[\w.:]+\(\)", new) else new


def _with_places(code: str, places: dict[str, str]) -> str:
    """Code with metavariables for names that stand alone or before a member."""

    def place(found: re.Match[str]) -> str:
        is_free = found["before"] is None and (found["after"] or "").strip() not in ("(", "::", "=")
        is_object = (
            found["before"] is None and (found["after"] or "").strip() == "::" and places.get(found["name"]) == "$it"
        )
        if found["name"] not in places or not (is_free or is_object):
            return found[0]
        return (found["before"] or "") + places[found["name"]] + (found["after"] or "")

    return _NAME.sub(place, code)


def _has_all(code: str, symbol: Symbol) -> bool:
    """Whether code has the object and each parameter that calls must have, none of them twice, and balanced brackets."""
    found = METAVARIABLE.findall(code)
    wanted = {item.name.lstrip("*&") for item in symbol.given if not item.default} | (
        {"it"} if symbol.needs_object else set()
    )
    return wanted <= set(found) and len(found) == len(set(found)) and _is_balanced(code)


def _is_balanced(code: str) -> bool:
    return all(code.count(opening) == code.count(closing) for opening, closing in ("()", "[]", "{}"))


def _without_gone(code: str, gone: Collection[str]) -> str:
    """Code up to the first call, not inside of others, of a name that is gone."""
    for found in _LATER_CALL.finditer(code):
        if found["name"] in gone and _is_balanced(code[: found.start()]):
            return code[: found.start()]
    return code


def _qualified(code: str, after: int, symbol: Symbol, names: ReleaseNames) -> tuple[str, bool]:
    """A call with the values of the function's own class named by it, and whether users can name all in it from `after` on.

    What stands before is the function itself, which has imports of its own.
    """
    own, can_name, parts = symbol.scope[-1:], True, [code[:after]]
    at = after
    for found in _FREE.finditer(code, after):
        word = found["word"]
        if word is None:
            continue
        is_own = any(item.scope[: len(symbol.scope)] == symbol.scope for item in names.named(word))
        if own and is_own and symbol.file.endswith(C_FAMILY) and not found["member"]:
            parts += [code[at : found.start()], f"{own[0]}::{word}"]
            at = found.end()
        elif word not in (*own, *_VALUES) and not (found["member"] and symbol.file.endswith(C_FAMILY)):
            can_name = False
    return "".join([*parts, code[at:]]), can_name


def shown_types(code: str) -> Sequence[str]:
    """The types that code in Rust names: words with a capital letter before a member, and no path before them."""
    return tuple(dict.fromkeys(re.findall(r"(?<![\w.:$])([A-Z]\w*)(?=::[A-Za-z_])", code)))
