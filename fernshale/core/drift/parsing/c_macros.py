"""Blank the macros around C and C++ declarations, which no grammar can distinguish from types or calls. Lengths stay.

    extern EXPORT Surface * CALL open_it(int a) PRINTF_LIKE(1);     words before, between and after
    int (top)(State *s);    int NAME(open_it)(int a);               a name in brackets, or made by a macro
    API(int) open_it(int a);    API(1, int, open_it, (int a));      a result, or a whole declaration, in a macro
    int open_it OF((int a));                                        parameters in a macro
    struct S { void (CALL *done)(int); };                           the calling convention of a function pointer

Only declarations of files, namespaces and classes are read, not bodies. A C declaration names at most one type besides keywords, so
further words before the declared name are macros; which of several is the type follows from its case, a star after it, and words
such as API or EXPORT in its name. Of conditional parts inside a declaration the last is read, which is the general one.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import takewhile
from typing import NamedTuple

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.parsing.c_scan import Span, blanked, find_declarations

_TOKEN = lazy_pattern(
    rb"""//[^\n]*|/\*.*?\*/|"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'
    |(?P<word>[A-Za-z_]\w*)|(?P<open>\()|(?P<close>\))|(?P<angle><(?:[^<>;(){}]|<[^<>;(){}]*>)*>)|(?P<colons>::)|(?P<other>[^\s\w])""",
    re.VERBOSE | re.DOTALL,
)
# A declaration without any of these has no macro: a word in capitals, two brackets in a row, a word of the compiler.
_SUSPECT = lazy_pattern(rb"\b(?:_*|\w+_)[A-Z][A-Z0-9_]{2,}\b|\)\s*\(|\(\s*\(|__\w|_(?:public|export|api|extern)\b")
_CAPITALS = lazy_pattern(rb"_*[A-Z][A-Z0-9_]*\Z")
_MIXED = lazy_pattern(rb"\w+_[A-Z][A-Z0-9_]{2,}\Z")
_MACRO_WORDS = frozenset(
    b"""API APIENTRY EXPORT EXPORTS EXPORTED EXTERN CALL CALLCONV CALLBACK CDECL STDCALL FASTCALL DECL DECLSPEC PUBLIC DLL IMPORT
    INLINE ATTR ATTRIBUTE DEPRECATED OBSOLETE NODISCARD NORETURN NOTHROW FUNC IMPL DEF VISIBLE AVAILABLE NONNULL UNUSED PURE
    ENTRY LINKAGE STATIC LOCAL SHARED BEGIN END MALLOC WARN RESULT CONSTEXPR FORCEINLINE INTERFACE ABI CONV THROW SYMBOL
    HIDDEN""".split()
)
_TYPE_KEYWORDS = frozenset(
    b"""void char short int long float double signed unsigned bool _Bool auto wchar_t char8_t char16_t char32_t size_t ssize_t
    int8_t int16_t int32_t int64_t uint8_t uint16_t uint32_t uint64_t intptr_t uintptr_t ptrdiff_t va_list FILE""".split()
)
_KEYWORDS = frozenset(
    b"""extern static inline const volatile register virtual explicit friend constexpr consteval constinit mutable typename
    template typedef struct union enum class unsigned signed restrict thread_local _Noreturn _Thread_local __extension__
    __inline __inline__ __restrict override final noexcept throw operator export using requires""".split()
)
_ELABORATED = frozenset((b"struct", b"union", b"enum", b"class"))
# Statements of a body, and declarations that have no name before brackets.
_NOT_DECLARED = frozenset(b"using return if for while switch case else do goto static_assert _Static_assert".split())
_AFTER_PARAMETERS = frozenset((b":", b"=", b"->"))
_ONE_NAME = lazy_pattern(rb"\s*[A-Za-z_]\w*\s*\Z")
_ONE_TYPE = lazy_pattern(
    rb"\s*(?:(?:const|volatile|unsigned|signed|struct|union|enum|long|short)\s+)*[A-Za-z_][\w:]*(?:\s*(?:const\b|[*&]))*\s*\Z"
)
_ENUM = lazy_pattern(rb"\benum\b[^;{}()]*\{(?P<body>[^{}]*)\}")
_AFTER_ENUMERATOR = lazy_pattern(
    rb"(?:^|[,\n/])\s*[A-Za-z_]\w*[ \t]+(?P<macro>[A-Z][A-Z0-9_]{2,}(?:[ \t]*\((?:[^()]|\([^()]*\))*\))?)\s*(?=[,=]|\Z|//|/\*)"
)
# A macro in place of, or within, the word that says who may use the members below it.
_ACCESS = lazy_pattern(
    rb"(?m)\b(?:public|protected|private)[ \t]+(?P<word>[A-Z][A-Z0-9_]+)[ \t]*:(?!:)"
    rb"|^[ \t]*(?P<whole>[A-Z][A-Z0-9_]{2,}[ \t]*:)[ \t]*\r?$"
)
_AT_LEAST = lazy_pattern(rb"(?<!operator)(?<!operator )(?<![<>=])>=(?=\s*[-\w(])")
_POINTER_CONVENTION = lazy_pattern(rb"\(\s*(?P<macro>_*[A-Z][A-Z0-9_]{2,})\s*\*\s*\w*\s*\)\s*\(")


class _Token(NamedTuple):
    """A word, a sign, or a whole bracket ("group"), with its place."""

    kind: str
    text: bytes
    start: int
    end: int


def blank_macros(data: bytes) -> bytes:
    """The source with the macros of its declarations blanked; line ends stay."""
    ends: list[int] = []
    spans = [span for start, end in find_declarations(data) for span in _macros_of(data, start, end, ends)]
    for enum in _ENUM.finditer(data):
        spans += [found.span("macro") for found in _AFTER_ENUMERATOR.finditer(data, *enum.span("body"))]
    spans += [found.span("word" if found["word"] else "whole") for found in _ACCESS.finditer(data)]
    return blanked(data, spans, ends) if spans else data


def plain_comparisons(data: bytes) -> bytes:
    """The source with `==` for `>=` between the angle brackets of declarations: the grammar takes its `>` for the closing one."""
    if b">=" not in data:
        return data
    text = bytearray(data)
    for start, end in find_declarations(data):
        for found in _AT_LEAST.finditer(data, start, end):
            if b"<" in data[start : found.start()]:
                text[found.start() : found.end()] = b"=="
    return bytes(text)


def _macros_of(data: bytes, start: int, end: int, ends: list[int]) -> Iterator[Span]:
    """The spans of a declaration to blank; `ends` gets the places where a macro without a semicolon ends a declaration."""
    if _SUSPECT.search(data, start, end) is None:
        return
    for found in _POINTER_CONVENTION.finditer(data, start, end):
        yield found.span("macro")
    if data[end : end + 1] not in (b";", b"{") and b"," not in data[start:end]:
        yield start, end  # a macro that stands alone, as at the head of a class
        return
    tokens = _tokens(data, start, end)
    while len(tokens) > 1 and tokens[0].text == b"template" and tokens[1].kind == "angle":
        tokens = tokens[2:]
    if not tokens or tokens[0].text in _NOT_DECLARED:
        return
    while len(tokens) > 1 and tokens[0].kind == "word" and tokens[1].kind == "group" and _is_capitals(tokens[0].text):
        whole = list(_whole_declaration(data, tokens[0], tokens[1]))
        if not whole:
            break
        yield from whole
        tokens = tokens[2:]
        if tokens or data[end : end + 1] != b";":
            ends.append(whole[-1][1] - 1)
    at = _parameters_at(tokens)
    if at is None:
        if not any(token.kind == "group" for token in tokens):
            yield from _words_before(tokens)
        else:
            yield from _leading(tokens)
        return
    name = at - 1
    if tokens[name].kind == "word":
        # name OF((...))
        if name and tokens[name - 1].kind == "word" and _is_wrapper(data, tokens[name], tokens[at]):
            yield tokens[name].start, tokens[at].start + 1
            yield tokens[at].end - 1, tokens[at].end
            name -= 1
    elif name and tokens[name - 1].kind == "word" and _is_macro_of_name(data, tokens, name):
        # NAME(open_it)(...)
        yield tokens[name - 1].start, tokens[name].start + 1
        yield tokens[name].end - 1, tokens[name].end
        name -= 1
    elif _ONE_NAME.match(data[tokens[name].start + 1 : tokens[name].end - 1]):
        # int (top)(...): brackets that keep a macro of that name away
        yield tokens[name].start, tokens[name].start + 1
        yield tokens[name].end - 1, tokens[name].end
    before = tokens[:name]
    yield from _result_in_macro(data, before)
    yield from _words_before([*before, tokens[name]])
    yield from _trailing(tokens[at + 1 :])


def _tokens(data: bytes, start: int, end: int) -> list[_Token]:
    found: list[_Token] = []
    depth = opened = 0
    for item in _TOKEN.finditer(data, start, end):
        kind = item.lastgroup
        if kind == "open":
            opened = item.start() if not depth else opened
            depth += 1
        elif kind == "close":
            depth -= 1
            if depth == 0:
                found.append(_Token("group", b"", opened, item.end()))
            elif depth < 0:
                return []
        elif kind is not None and not depth:
            found.append(_Token(kind, item[0], *item.span()))
    return found if not depth else []


def _parameters_at(tokens: list[_Token]) -> int | None:
    """The number of the bracket with the parameters: the last of those that follow the name directly."""
    for at, token in enumerate(tokens):
        if token.text in (b"=", b"operator", b"typedef"):
            return None
        if token.kind != "group" or not at:
            continue
        after = tokens[at + 1] if at + 1 < len(tokens) else None
        if after is not None and after.kind == "group":
            continue  # a name in brackets, or made by a macro
        if after is not None and after.text in _AFTER_PARAMETERS and tokens[at - 1].kind == "word":
            return at
        rest = tokens[at + 1 :]
        if any(item.kind == "group" and _follows_name(tokens, at + 1 + number) for number, item in enumerate(rest)):
            continue  # a macro before the declaration
        return at
    return None


def _follows_name(tokens: list[_Token], at: int) -> bool:
    """Whether a later bracket is the one with the parameters: a name in small letters, or a second bracket, is before it."""
    if tokens[at - 1].kind == "group":
        return True
    word = tokens[at - 1]
    if word.kind != "word" or word.text in _KEYWORDS or word.text.startswith(b"__"):
        return False
    return not _is_capitals(word.text) or _is_wrapped_again(tokens, at)


def _is_wrapped_again(tokens: list[_Token], at: int) -> bool:
    """Whether the bracket is that of a macro around parameters, whose name is before the macro."""
    return (
        at >= 2
        and tokens[at - 2].kind == "word"
        and tokens[at - 2].text not in _KEYWORDS
        and not _is_capitals(tokens[at - 2].text)
    )


def _is_wrapper(data: bytes, word: _Token, group: _Token) -> bool:
    """Whether a bracket has nothing but another bracket in it."""
    inside = data[group.start + 1 : group.end - 1].strip()
    if not (inside.startswith(b"(") and inside.endswith(b")")):
        return False
    depth = 0
    for number, letter in enumerate(inside):
        depth += (letter == 40) - (letter == 41)
        if not depth:
            return number == len(inside) - 1
    return False


def _is_macro_of_name(data: bytes, tokens: list[_Token], at: int) -> bool:
    """Whether a word and its bracket make the declared name, followed by a bracket of parameters."""
    return (
        bool(_ONE_NAME.match(data[tokens[at].start + 1 : tokens[at].end - 1]))
        and tokens[at - 1].text not in (_KEYWORDS | _TYPE_KEYWORDS)
        and at >= 2
        and _is_capitals(tokens[at - 1].text)
    )


def _whole_declaration(data: bytes, word: _Token, group: _Token) -> Iterator[Span]:
    """A macro call that is the whole declaration: (..., type, name, (parameters), ...)."""
    parts = list(_arguments(data, group))
    given = next((at for at, (a, b) in enumerate(parts) if at >= 2 and data[a:b].strip().startswith(b"(")), None)
    if (
        given is None
        or not _ONE_NAME.match(data[slice(*parts[given - 1])])
        or not data[slice(*parts[given - 2])].strip()
    ):
        return
    yield word.start, parts[given - 2][0]
    yield parts[given - 2][1], parts[given - 1][0]
    yield parts[given - 1][1], parts[given][0]
    yield parts[given][1], group.end


def _arguments(data: bytes, group: _Token) -> Iterator[Span]:
    depth, start = 0, group.start + 1
    for at in range(group.start + 1, group.end - 1):
        letter = data[at]
        if letter in b"([{":
            depth += 1
        elif letter in b")]}":
            depth -= 1
        elif letter == 44 and not depth:
            yield start, at
            start = at + 1
    yield start, group.end - 1


def _result_in_macro(data: bytes, before: list[_Token]) -> Iterator[Span]:
    """API(type) before a name keeps its type; any other macro with a bracket before a name is blanked."""
    for at, token in enumerate(before):
        if token.kind != "group" or not at or before[at - 1].kind != "word":
            continue
        word = before[at - 1]
        rest = [
            item for item in (*before[: at - 1], *before[at + 1 :]) if item.kind == "word" and not _is_modifier(item)
        ]
        if not rest and word.text not in _KEYWORDS and _ONE_TYPE.match(data[token.start + 1 : token.end - 1]):
            yield word.start, token.start + 1
            yield token.end - 1, token.end
        elif word.text not in (b"__attribute__", b"__declspec", b"alignas", b"decltype", b"explicit", b"noexcept"):
            yield word.start, token.end


def _is_modifier(item: _Token) -> bool:
    """A word that is no type: a keyword, or a macro by its looks."""
    return item.text in _KEYWORDS or (_is_capitals(item.text) and _looks_like_macro(item.text))


def _words_before(tokens: list[_Token]) -> Iterator[Span]:
    """Further words before a declared name than its type; the last token is the name, or a bracket with it."""
    before = [token for token in tokens[:-1] if token.kind in ("word", "colons", "angle", "other")]
    names = [
        (at, token)
        for at, token in enumerate(before)
        if token.kind == "word" and token.text not in _KEYWORDS and token.text not in _TYPE_KEYWORDS
    ]
    # `class Lamp` needs no type before it, so a word in front of it is a macro: `BEGIN_NAMESPACE class Lamp`.
    has_type = any(token.text in _TYPE_KEYWORDS for token in before) or (before and before[-1].text in _ELABORATED)
    kept: set[int] = set()
    for at, _ in names:
        near = [before[place] for place in (at - 1, at + 1) if 0 <= place < len(before)]
        if any(item.kind in ("colons", "angle") for item in near) or (
            near and at and before[at - 1].text in _ELABORATED
        ):
            kept.add(at)
    if not has_type and not kept and names:
        kept.add(_type_among(before, names))
    # Two types in small letters cannot be distinguished from a type and a macro in small letters; only capitals go.
    small = [at for at, token in names if not _is_capitals(token.text)]
    for at, token in names:
        is_early_small = (
            not _is_capitals(token.text) and small and at != small[-1] and len(small) > 1 and at not in kept
        )
        # `Object_HEAD char kind`: next to a type of the language no other name is one.
        is_next_to_type = _MIXED.match(token.text) is not None and any(
            item.text in _TYPE_KEYWORDS for item in before[at + 1 :]
        )
        is_macro = (is_early_small or is_next_to_type) and _is_plain_list(before)
        if at not in kept and (_is_capitals(token.text) or is_macro):
            yield token.start, token.end


def _is_plain_list(before: list[_Token]) -> bool:
    """Whether there is nothing but words and stars, as in C, before the first of several names."""
    first = takewhile(lambda token: token.text != b",", before)
    return all(token.kind == "word" or token.text in (b"*", b"&") for token in first)


def _type_among(before: list[_Token], names: list[tuple[int, _Token]]) -> int:
    """Which of several words is the type."""
    small = [at for at, token in names if not _is_capitals(token.text)]
    if small:
        return small[-1]
    starred = [at for at, _ in names if at + 1 < len(before) and before[at + 1].text in (b"*", b"&")]
    if starred:
        return starred[-1]
    plain = [at for at, token in names if not _looks_like_macro(token.text)]
    return (plain or [at for at, _ in names])[-1]


def _leading(tokens: list[_Token]) -> Iterator[Span]:
    """Words in capitals before a keyword, as `BEGIN_DECLS typedef ...`."""
    for at, token in enumerate(tokens):
        if token.kind == "word" and _is_capitals(token.text):
            follows = tokens[at + 1] if at + 1 < len(tokens) else None
            if follows is not None and follows.kind == "group":
                if at + 2 < len(tokens):
                    yield token.start, follows.end
                continue
            if follows is not None and follows.kind == "word":
                yield token.start, token.end
                continue
        elif token.kind == "group":
            continue
        return


def _trailing(tokens: list[_Token]) -> Iterator[Span]:
    """Words in capitals, or of the compiler, after the parameters, with their brackets."""
    at = 0
    while at < len(tokens):
        token = tokens[at]
        if token.text in (b":", b"=", b"->") or token.text == b"{":
            return
        follows = tokens[at + 1] if at + 1 < len(tokens) else None
        is_call = follows is not None and follows.kind == "group"
        is_macro = token.kind == "word" and (_is_capitals(token.text) or token.text.startswith(b"__"))
        if is_macro and token.text != b"__attribute__":
            yield token.start, follows.end if is_call and follows is not None else token.end
        at += 2 if is_call else 1


def _is_capitals(word: bytes) -> bool:
    return len(word) > 2 and _CAPITALS.match(word) is not None


def _looks_like_macro(word: bytes) -> bool:
    parts = word.strip(b"_").split(b"_")
    return not _MACRO_WORDS.isdisjoint(parts) or word.endswith(
        (b"API", b"CALL", b"EXPORT", b"ENTRY", b"DECL", b"EXTERN")
    )
