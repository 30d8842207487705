"""Group diagnostics by cause: the affected symbol, header or type, not only the text."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr, tr_marked
from fernshale.core.build.diagnostics import Diagnostic
from fernshale.core.build.message_patterns import (
    CALL,
    CONVERSION,
    EMPTY,
    GETTER,
    HEADER,
    IMPLEMENT,
    INCOMPLETE,
    MEMBER,
    MISSING,
    NAME,
    NO_STRUCTURE,
    NUMBER,
    OVERRIDE,
    SYNTAX,
    TYPE,
    WORDINGS,
    last_name,
    plain_quotes,
)
from fernshale.core.build.owners import Owned
from fernshale.core.build.symbol_on_line import LineOf, called_near, held_near, no_lines, object_near, type_of_object

_QUOTED = lazy_pattern(r"'([^']+)'")
_NUMBER = lazy_pattern(r"\d+")
_NO_METHOD = "abstract:"
_ABSTRACT = lazy_pattern(r"abstract (?:class )?(?:type )?'(?P<symbol>[^']+)'|'(?P<class>[^']+)' is an abstract class")
_PURE = lazy_pattern(r"'virtual (?P<symbol>[^']*\([^']*\)[^']*)'|unimplemented pure virtual method '(?P<method>\w+)'")
# A type inside another word: the class itself, or with nothing as an alternative.
_WRAPPED = lazy_pattern(r"(?:[Tt]ype|Optional)\[(?P<type>[^\[\]]+)\]")
# A class lacks a member of an interface that it declares to implement.
_LACKS = lazy_pattern(r"Property '(?P<symbol>\w+)' is missing in type")
# A note says that a class is only forward-declared at the error, and the kinds of errors that can follow.
_ANNOUNCED = lazy_pattern(
    r"(?:forward declaration of|class type) '(?:class |struct |union )?(?P<symbol>[\w:]+)[^']*'(?: is incomplete)?$"
)
_UNSEEN = (INCOMPLETE, CONVERSION, "other")
# Kinds of errors about a variable or field that messages do not name.
_OF_NAMES = (EMPTY, NUMBER)
# Names as they are declared: what may be before and after them.
_NAME = lazy_pattern(r"[^\W\d]\w*")
_FUNCTION = lazy_pattern(
    r"\s*(?:(?:pub|async|export|local|static|public|private|protected)\s+)*(?:def|function|func|fn|fun)\b"
)
_STATEMENT = lazy_pattern(
    r"\s*(?:return|throw|raise|yield|await|case|goto|delete|print|assert|else|if|while|for|switch|echo)\b"
)
_TYPE_BEFORE = lazy_pattern(r"[\w>\]][\s*&]+$")
_TYPED = lazy_pattern(r"[(,]\s*(?:(?:const|struct|final|unsigned)\s+)*[^\W\d][\w:.<>]*(?:\[\])?[\s*&]+$")
_AFTER_NAME = ("=", ";", ",", ":", "{", "")
_AFTER_PARAMETER = (",", ")", "=", ":")
_AFTER_INITIALISED = ("=", ":")
# If the message names no symbol, the tool prints it on a separate line: `symbol:   method foo()`.
_DETAIL = lazy_pattern(
    r"^symbol ?: +(?:variable|method|class|package|static|interface|constructor)? *(?P<symbol>[\w.$]+)"
)
_DETAIL_SCOPE = lazy_pattern(
    r"^location ?: +(?:variable \w+ of type|class|interface|package|enum|record)? *(?P<scope>[\w.$<>]+)"
)


@dataclass(frozen=True, slots=True)
class Cause:
    """The common cause of a group of errors; its `key` is the same in each round.

    `symbol` is the last name of the affected symbol, `scope` its expected owner if the tool names it. `owner` is the owner of
    most errors. `under` is the key of the cause that this one follows from, "" if none.
    """

    key: str
    kind: str
    title: str
    symbol: str
    scope: str
    owner: str
    errors: tuple[Owned, ...]
    under: str = ""

    @property
    def count(self) -> int:
        return len(self.errors)

    @property
    def files(self) -> tuple[str, ...]:
        return tuple(sorted({error.place.file for error in self.errors if error.place.file}))


OwnerOf = Callable[[str], str]


def no_owner(scope: str) -> str:
    """For logs whose classes are not known."""
    return ""


def find_causes(
    diagnostics: Sequence[Owned], line_of: LineOf = no_lines, owner_of: OwnerOf = no_owner
) -> tuple[Cause, ...]:
    """Return the causes of the errors among `diagnostics`: the project's first, then those that clear most.

    A cause that follows from another comes directly after it. `line_of` returns the text of a project file's line, `owner_of`
    the class of others that a class of the project derives from, "" if there is none or more than one: what several classes lack
    since then is one cause.
    """
    groups: dict[str, list[Owned]] = {}
    named: dict[str, _Named] = {}
    for owned, name in _all_named([owned for owned in diagnostics if owned.diagnostic.severity == "error"], line_of):
        name = _of_base(name, owner_of)
        named.setdefault(name.key, name)
        groups.setdefault(name.key, []).append(owned)
    _join_scopes(groups, named)
    _join_objects(groups, named)
    _join_types(groups, named, line_of)
    causes = [
        Cause(
            key,
            named[key].kind,
            named[key].title,
            named[key].symbol,
            named[key].scope,
            _main_owner(errors),
            tuple(errors),
        )
        for key, errors in groups.items()
    ]
    under = _find_followers(causes, line_of)
    causes = [replace(cause, under=under.get(cause.key, "")) for cause in causes]
    return _in_order(causes)


def kind_and_symbol(message: str) -> tuple[str, str]:
    """The kind of error that a message reports, and the last name of its symbol."""
    named = _name_message(message)
    return named.kind, named.symbol


def detailed_symbol(diagnostic: Diagnostic) -> tuple[str, str]:
    """The symbol and its scope that the lines after a message name, each "" if none does."""
    details = [note.message for note in diagnostic.notes]
    symbol = next((found["symbol"] for text in details if (found := _DETAIL.match(text))), "")
    scope = next((found["scope"] for text in details if (found := _DETAIL_SCOPE.match(text))), "")
    return symbol, scope


@dataclass(frozen=True, slots=True)
class _Named:
    kind: str
    title: str
    symbol: str
    scope: str = ""
    key: str = ""


def _all_named(errors: Sequence[Owned], line_of: LineOf) -> Iterator[tuple[Owned, _Named]]:
    """Return the symbol of each error. An error that only reports a type may be at a call, next to another error on the same
    line that names the symbol."""
    names = [_name(owned, line_of) for owned in errors]
    of_names = [(owned, name) for owned, name in zip(errors, names, strict=True) if name.kind in _OF_NAMES]
    held = {_spot(owned): name for owned, name in of_names if name.symbol}
    for owned, name in zip(errors, names, strict=True):
        if name.kind in _OF_NAMES and not name.symbol:
            name = held.get(_spot(owned)) or _name_message(owned.diagnostic.message, name.kind)
        yield owned, name


def _name(owned: Owned, line_of: LineOf) -> _Named:
    """Return the symbol of an error; if the message does not name it, its notes or the line of code do."""
    diagnostic = owned.diagnostic
    named = _name_diagnostic(diagnostic)
    if owned.macro and named.kind in MISSING and (macro := _macro_used(owned, named.symbol, line_of)):
        title = tr("{macro} expands to {symbol}, which is not declared", macro=macro, symbol=named.symbol)
        return _Named(named.kind, title, macro, "", f"{named.kind}::{macro}")
    if named.kind in _OF_NAMES and not named.symbol:
        symbol = held_near(owned, line_of)
        return _titled(named.kind, symbol) if symbol else named
    if (
        named.kind == TYPE
        and named.scope
        and not re.search(rf"\b{re.escape(named.scope)}\s*(?:\.|::)", line_of(*_spot(owned)))
    ):
        # The place of use, not the expected owner.
        named = replace(
            named, title=tr("{symbol} is not declared", symbol=named.symbol), scope="", key=f"{TYPE}::{named.symbol}"
        )
    if named.kind == NO_STRUCTURE and not named.symbol:
        symbol = object_near(owned, line_of)
        return _titled(NO_STRUCTURE, symbol) if symbol else replace(named, title=diagnostic.message)
    if named.symbol or named.kind not in (CALL, OVERRIDE, GETTER):
        return named
    noted = (_QUOTED.search(plain_quotes(note.message)) for note in diagnostic.notes)
    symbol = next((last_name(found[1]) for found in noted if found), "")
    symbol = symbol or called_near(owned.place, named.kind, line_of)
    return _titled(named.kind, symbol) if symbol else replace(named, title=diagnostic.message)


def _macro_used(owned: Owned, symbol: str, line_of: LineOf) -> str:
    """Return the macro from outside the project that has `symbol` in its code and is used at the place, "" if there is none."""
    line = line_of(*_spot(owned))
    is_written = not line or (_has_word(line, owned.macro) and not _has_word(line, symbol))
    return owned.macro if is_written else ""


def _has_word(line: str, word: str) -> bool:
    return word in _NAME.findall(line)


def _titled(kind: str, symbol: str) -> _Named:
    """Return the title for a symbol that a message does not name."""
    title = next(wording.title for wording in WORDINGS if wording.kind == kind)
    return _Named(kind, tr_marked(title, symbol=symbol), symbol, "", f"{kind}::{symbol}")


def _name_diagnostic(diagnostic: Diagnostic) -> _Named:
    named = _name_message(diagnostic.message)
    message = plain_quotes(diagnostic.message) if named.kind == "other" else ""
    if found := _ABSTRACT.search(message):
        # "because the following are pure within 'X'" quotes a class, the lines after it the methods.
        hits = (_PURE.search(plain_quotes(note.message)) for note in diagnostic.notes)
        method = next((last_name(hit["symbol"] or hit["method"]) for hit in hits if hit), "")
        if method:
            return _Named(
                IMPLEMENT, tr("{symbol} must be implemented", symbol=method), method, "", f"{IMPLEMENT}:{method}"
            )
        symbol = last_name(found["symbol"] or found["class"])
        return _Named(IMPLEMENT, tr("{symbol} is abstract now", symbol=symbol), symbol, "", f"{_NO_METHOD}{symbol}")
    if named.kind == IMPLEMENT:
        lacks = (_LACKS.search(plain_quotes(note.message)) for note in diagnostic.notes)
        if method := next((found["symbol"] for found in lacks if found), ""):
            return _Named(
                IMPLEMENT, tr("{symbol} must be implemented", symbol=method), method, "", f"{IMPLEMENT}::{method}"
            )
    if named.kind in _UNSEEN:
        # Without the complete class, its bases are unknown.
        seen = (_ANNOUNCED.match(plain_quotes(note.message)) for note in diagnostic.notes)
        if symbol := next((last_name(found["symbol"]) for found in seen if found), ""):
            return _titled(INCOMPLETE, symbol)
    if message == "cannot find symbol" and diagnostic.notes:
        symbol, scope = detailed_symbol(diagnostic)
        is_type = any(note.message.startswith("symbol") and "class " in note.message for note in diagnostic.notes)
        kind = TYPE if is_type else NAME
        if symbol:
            title = (
                tr("{scope} has no {symbol}", scope=scope, symbol=symbol)
                if scope
                else tr("{symbol} is not declared", symbol=symbol)
            )
            return _Named(kind, title, symbol, scope, f"{kind}:{scope}:{symbol}")
    return named


@lru_cache(maxsize=4096)
def _name_message(message: str, but: str = "") -> _Named:
    """Like `_name`, from the message alone; cached, since logs repeat themselves. The kind `but` is excluded."""
    message = plain_quotes(message)
    for wording in WORDINGS:
        if wording.kind != but and (found := wording.pattern.search(message)):
            groups = {name: _short(value or "") for name, value in found.groupdict().items()}
            symbol = found["symbol"] if wording.kind == HEADER else last_name(found["symbol"])
            # Each class loses the override separately, but the cause is one changed method of the base.
            scope = groups.get("scope", "")
            if wording.kind in (OVERRIDE, CALL, INCOMPLETE):
                groups["symbol"] = symbol
            key = symbol
            if wording.kind == CONVERSION:
                # The complete type determines the fix.
                groups["symbol"] = key = found["symbol"]
            title = tr_marked(wording.title, **groups)
            if "scope" in wording.pattern.groupindex and not scope:
                title = tr("{symbol} is not there any more", symbol=symbol)
            return _Named(wording.kind, title, symbol, scope, f"{wording.kind}:{scope}:{key}")
    shape = _NUMBER.sub("0", _QUOTED.sub("'…'", message))
    quoted = _QUOTED.search(message)
    return _Named("other", message, last_name(quoted[1]) if quoted else "", "", f"other:{shape}")


def _of_base(name: _Named, owner_of: OwnerOf) -> _Named:
    """Return a missing member with its base outside the project as owner, or with the plain name of its class."""
    if name.kind != MEMBER or not name.scope:
        return name
    plain = _plain_scope(name.scope)
    scope = owner_of(last_name(plain)) or plain
    if scope == name.scope:
        return name
    return _Named(name.kind, f"{scope} has no {name.symbol}", name.symbol, scope, f"{name.kind}:{scope}:{name.symbol}")


def _plain_scope(scope: str) -> str:
    """A type without the words and signs of its declaration: `const rush::Lamp<int> *` is `rush::Lamp`."""
    inner = _WRAPPED.fullmatch(scope.strip())
    plain = re.sub(r"<[^<>]*>", "", re.sub(r"<[^<>]*>", "", inner["type"] if inner is not None else scope))
    plain = re.sub(r"\b(?:const|volatile|class|struct|union|mut|typeof|dyn)\b|[&*]", " ", plain)
    words = plain.split()
    return words[0] if len(words) == 1 else scope


def _join_scopes(groups: dict[str, list[Owned]], named: Mapping[str, _Named]) -> None:
    """Merge causes of a missing name with and without its scope, and of a type that is used where no type is expected."""
    scoped: dict[str, list[str]] = defaultdict(list)
    for key, name in named.items():
        if name.kind in MISSING and name.scope:
            scoped[name.symbol].append(key)
    for key in list(groups):
        name = named[key]
        if name.kind in MISSING and not name.scope and len(scoped[name.symbol]) == 1:
            groups[scoped[name.symbol][0]] += groups.pop(key)
    for key in [key for key in groups if named[key].kind == NAME and not named[key].scope]:
        if (of_type := f"{TYPE}::{named[key].symbol}") in groups:
            groups[of_type] += groups.pop(key)


def _join_objects(groups: dict[str, list[Owned]], named: Mapping[str, _Named]) -> None:
    """Merge errors about the members of a name that is not declared: compilers of C report the name once in each function."""
    undeclared = {name.symbol: key for key, name in named.items() if name.kind == NAME and key in groups}
    for key in list(groups):
        if named[key].kind == NO_STRUCTURE and named[key].symbol in undeclared:
            groups[undeclared[named[key].symbol]] += groups.pop(key)


def _join_types(groups: dict[str, list[Owned]], named: dict[str, _Named], line_of: LineOf) -> None:
    """Merge errors about the members of variables of one type."""
    for key in [key for key in groups if named[key].kind == NO_STRUCTURE]:
        left: list[Owned] = []
        for owned in groups.pop(key):
            type_ = type_of_object(owned, named[key].symbol, line_of)
            if type_:
                name = _titled(NO_STRUCTURE, type_)
                named.setdefault(name.key, name)
                groups.setdefault(name.key, []).append(owned)
            else:
                left.append(owned)
        if left:
            groups.setdefault(key, []).extend(left)


def _find_followers(causes: Sequence[Cause], line_of: LineOf) -> dict[str, str]:
    """Return the causes that would not exist without another, each with the other's key.

    Code that does not parse follows from another error on its line. Variables of a type that is missing have no members. A name
    follows from an error on the line that declares it. An override of nothing and a method to implement are one change of the
    base.
    """
    at_line: dict[tuple[str, int], set[str]] = defaultdict(set)
    for cause in causes:
        for error in cause.errors:
            if error.place.line > 0 and cause.kind != SYNTAX:
                at_line[error.place.file, error.place.line].add(cause.key)
    words = _words_of(at_line, line_of)
    by_key = {cause.key: cause for cause in causes}
    implement = {cause.symbol: cause.key for cause in causes if cause.kind == IMPLEMENT}
    # Some tools name the method once for a class and then only report that it is abstract.
    asked = max(
        (cause for cause in causes if cause.key.startswith(f"{IMPLEMENT}:")),
        key=lambda cause: cause.count,
        default=None,
    )
    under: dict[str, str] = {}
    for cause in causes:
        leader = ""
        if cause.kind == SYNTAX:
            leader = _common(at_line.get((error.place.file, error.place.line), set()) for error in cause.errors)
        elif cause.kind == NO_STRUCTURE and f"{TYPE}::{cause.symbol}" in by_key:
            leader = f"{TYPE}::{cause.symbol}"
        elif cause.kind in (*MISSING, NO_STRUCTURE) and cause.symbol:
            leader = _common(
                {
                    key
                    for key, file, line in words.get(cause.symbol, ())
                    if key != cause.key
                    and by_key[key].symbol != cause.symbol
                    and (file, line) != _spot(error)
                    and (file != error.place.file or line < error.place.line)
                }
                for error in cause.errors
            )
        elif cause.kind == OVERRIDE:
            leader = implement.get(cause.symbol, "")
        elif cause.key.startswith(_NO_METHOD) and asked is not None:
            leader = asked.key
        if leader and leader != cause.key and under.get(leader) != cause.key:
            under[cause.key] = leader
    # One level: a follower of a follower belongs to the first.
    return {key: under.get(leader, leader) for key, leader in under.items()}


def _spot(error: Owned) -> tuple[str, int]:
    return error.place.file, error.place.line


def _words_of(at_line: Mapping[tuple[str, int], set[str]], line_of: LineOf) -> dict[str, list[tuple[str, str, int]]]:
    """Return, for each word that a line with an error may declare, the causes and places of that line."""
    words: dict[str, list[tuple[str, str, int]]] = defaultdict(list)
    for (file, line), keys in at_line.items():
        for word in _declared_in(line_of(file, line)):
            words[word] += [(key, file, line) for key in sorted(keys)]
    return words


def _declared_in(line: str) -> set[str]:
    """The names that a line may declare: before the first bracket or `=`, or with a type before them between brackets."""
    found = set()
    is_function, is_statement = _FUNCTION.match(line) is not None, _STATEMENT.match(line) is not None
    for word in _NAME.finditer(line):
        before, after = line[: word.start()], line[word.end() :].lstrip()[:1]
        if "(" in before:
            # `if (mode & FAST)` declares nothing, however it looks.
            after_these = _AFTER_INITIALISED if is_statement else _AFTER_PARAMETER
            is_declared = after in after_these and (is_function or _TYPED.search(before) is not None)
        elif "=" in before or is_statement:
            is_declared = False
        else:
            is_declared = after in _AFTER_NAME or (after == "(" and _TYPE_BEFORE.search(before) is not None)
        if is_declared:
            found.add(word[0])
    return found


def _common(choices: Iterable[set[str]]) -> str:
    """Return the choice common to all errors, "" if there is none."""
    shared: set[str] | None = None
    for choice in choices:
        shared = set(choice) if shared is None else shared & choice
        if not shared:
            return ""
    return min(shared) if shared else ""


def _in_order(causes: Sequence[Cause]) -> tuple[Cause, ...]:
    """Order leading causes by the number of errors they clear, each with its followers."""
    followers: dict[str, list[Cause]] = defaultdict(list)
    for cause in causes:
        if cause.under:
            followers[cause.under].append(cause)

    def weight(cause: Cause) -> tuple[bool, int, str]:
        clears = cause.count + sum(item.count for item in followers[cause.key])
        return cause.owner in ("engine", "elsewhere"), -clears, cause.key

    ordered: list[Cause] = []
    for cause in sorted((cause for cause in causes if not cause.under), key=weight):
        ordered += [cause, *sorted(followers[cause.key], key=weight)]
    return tuple(ordered)


def _short(symbol: str) -> str:
    """A symbol for people: `m::Pier::keeper` of `const std::string& m::Pier::keeper() const`."""
    head = re.sub(r"\s*\{aka .*", "", symbol).split("(")[0].strip()
    return head if "<" in head else re.split(r"[\s&*]+", head)[-1]


def _main_owner(errors: Sequence[Owned]) -> str:
    owners = [error.owner for error in errors]
    return max(sorted(set(owners)), key=owners.count)
