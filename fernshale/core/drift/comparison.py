"""Compare two releases: symbols that were renamed, moved, removed or added, and symbols that stayed but changed their meaning."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from itertools import islice
from typing import Literal

from fernshale.core.base.confidence import (
    FORWARDED,
    FORWARDED_WITH_CAST,
    STATED,
    STATED_FOR_SOME_OVERLOADS,
    STATED_WITH_MORE,
)
from fernshale.core.base.languages import C_FAMILY, ENDINGS, NAMED_ARGUMENTS
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import english
from fernshale.core.base.work import CancelToken
from fernshale.core.drift.accepted_arguments import signatures_of
from fernshale.core.drift.declarations import plain_type, renamed_type
from fernshale.core.drift.matching import Matches, SymbolCandidate, declared_by_path, match_symbols, sides_of
from fernshale.core.drift.parameter_order import is_quiet, new_order
from fernshale.core.drift.public_paths import moved_exports, moved_python_names, moved_rust_names
from fernshale.core.drift.release_symbols import Pair, read_bytes
from fernshale.core.drift.stated.between import ReleaseBetween
from fernshale.core.drift.stated.passed_on import outside_names, passed_call, passed_overload
from fernshale.core.drift.stated.removals import Removals
from fernshale.core.drift.stated.replacements import ReleaseNames, forwards_to
from fernshale.core.drift.stated.statements import Statements, for_parameters_of, short, stated_candidate, with_call
from fernshale.core.drift.stated.unchanged_names import names_in_unchanged_files
from fernshale.core.drift.symbols import CONTAINER, Parameter, Symbol
from fernshale.core.drift.value_equality import Constants, is_same_value

ChangeKind = Literal[
    "renamed",
    "moved",
    "removed",
    "added",
    "signature",
    "reordered",
    "wider",
    "default",
    "deprecated",
    "must-implement",
    "no-longer-overrides",
    "imported-from",
]
# Languages that mark methods that can be overridden; in others, most methods can be, but few are.
_SAY_SO = (*C_FAMILY, *ENDINGS["c#"])
# Files with declarations but no bodies to compare.
_WITHOUT_BODIES = (".pyi", ".d.ts", ".d.mts", ".d.cts")
_PYTHON = ENDINGS["python"]
# Older notations for union types, none of which has several parts; and macros that are no types.
_EITHER = lazy_pattern(r"(?:Optional\[(?!Union)|Union\[(?![^\]]*\[))(.*)\]")
_MACRO = lazy_pattern(r"[A-Z][A-Z0-9_]{3,}")
# The type of a constant of a script that can be called.
_FUNCTION_TYPE = lazy_pattern(r"=>|^typeof\b")
_NOTHING = frozenset(("pass", "return", "None", "raise", "NotImplementedError", "self", "undefined"))
# Minimum score to report the old symbol as renamed to the new one; below, it is reported as removed, with candidates.
_MIN_SCORE = 0.35
# Whether the texts of two values, of the old and the new release, mean the same.
_Same = Callable[[str, str], bool]


@dataclass(frozen=True, slots=True)
class ApiChange:
    """One difference. `old` or `new` is None if there is none; `candidates` are possible replacements of `old`, best first.

    `what` describes it. `match` is the probability, 0..1, that `new` replaces `old`: 1 if the path is unchanged. `parameter` is
    the index of the affected parameter of `new`, -1 if none in particular.
    """

    kind: ChangeKind
    old: Symbol | None
    new: Symbol | None
    what: str
    candidates: tuple[SymbolCandidate, ...] = ()
    match: float = 1.0
    parameter: int = -1

    @property
    def symbol(self) -> Symbol:
        """The symbol of the old release, or of the new one for an added symbol."""
        found = self.old or self.new
        assert found is not None
        return found

    @property
    def is_silent(self) -> bool:
        """Whether code that uses it still compiles, but with another meaning."""
        if self.kind == "reordered" and self.old is not None and self.new is not None:
            return self.old.name == self.new.name and is_quiet(self.old, self.new)
        # A Python checker reports a method that accepts less than the one it overrides.
        is_wider = self.kind == "wider" and not self.symbol.file.endswith((".py", ".pyi"))
        return is_wider or self.kind in ("default", "no-longer-overrides")


@dataclass(frozen=True)
class _Sides:
    """Both releases, and what is worked out once for all symbols."""

    pair: Pair
    news: Mapping[tuple[str, ...], Sequence[Symbol]]
    matches: Matches
    stated: Statements
    is_same: _Same

    @cached_property
    def hidden(self) -> frozenset[tuple[str, ...]]:
        """The paths that the new release hides from its users."""
        return frozenset(item.path for item in self.pair.new.symbols if item.is_hidden)

    def alias_of(self, path: tuple[str, ...]) -> tuple[str, ...] | None:
        """The path of the symbol that a name of the new release is an alias of, None if it is none or missing."""
        targets = (forwards_to(item, self.stated.names) for item in self.news.get(path, ()) if not item.is_callable)
        return next((found[0].path for found in targets if found is not None and found[1]), None)

    @cached_property
    def old_paths(self) -> frozenset[tuple[str, ...]]:
        return frozenset(item.path for item in self.pair.old.symbols)

    @cached_property
    def containers(self) -> frozenset[tuple[str, ...]]:
        """The paths of the old release's types."""
        return frozenset(item.path for item in self.pair.old.symbols if item.kind in CONTAINER)

    def compare_overloads(self, old: Sequence[Symbol], new: Sequence[Symbol]) -> Iterator[ApiChange]:
        for change in _compare_overloads(old, new, self.matches.types, self.is_same):
            found = self._passed_overload(change.old, old, new) if change.kind == "signature" and change.old else ()
            yield replace(change, candidates=found) if found else change

    def _passed_overload(
        self, old: Symbol, overloads: Sequence[Symbol], new: Sequence[Symbol]
    ) -> tuple[SymbolCandidate, ...]:
        """The call that the body of an old overload made of another of `overloads`, if the new release has that one."""
        passed = (
            passed_overload(old, new[0].scope, self.stated.names, self._outside_of(old.file)) if old.value else None
        )
        if passed is None:
            return ()
        types = self.matches.types
        kept = {_shape(_with_new_types(item, types)) for item in overloads if item is not old}
        mine = {f"${item.name}": plain_type(item.type) for item in _with_new_types(old, types).given}
        fitting = (item for item in new if _shape(item) in kept and _takes(item, passed.arguments, mine))
        evidence = (english("its body was only {code}", code=short(old.value)),)
        return tuple(
            SymbolCandidate(item, FORWARDED, evidence, call=passed.text, imports=passed.imports)
            for item in islice(fitting, 1)
        )

    def _outside_of(self, path: str) -> Mapping[str, str]:
        """The names that a file of the old release has from elsewhere."""
        if path not in self._outside:
            text = read_bytes(f"{self.pair.old.folder}/{path}").decode("utf-8", "replace")
            self._outside[path] = outside_names(text, path, self._own_names)
        return self._outside[path]

    @cached_property
    def _own_names(self) -> frozenset[str]:
        """The names of both releases: one that only the old one has cannot be imported any more."""
        return frozenset(item.name for side in (self.pair.old, self.pair.new) for item in side.symbols)

    @cached_property
    def _outside(self) -> dict[str, Mapping[str, str]]:
        return {}


def compare(pair: Pair, token: CancelToken, between: Sequence[ReleaseBetween] = ()) -> tuple[ApiChange, ...]:
    """Every difference a user of the release may meet, in the order of the old release's files.

    `between` are releases from after the old and before the new one, in ascending order; their statements count, too.
    """
    old = [item for item in pair.old.symbols if not item.is_hidden]
    new = [item for item in pair.new.symbols if not item.is_hidden]
    olds, news = declared_by_path(old), declared_by_path(new)
    release_sides = sides_of(olds, news)
    gone = frozenset(item.name for item in pair.old.symbols) - {item.name for item in pair.new.symbols}
    names = ReleaseNames(new, gone)
    matches = match_symbols(release_sides, pair.moved, token, renamed=_kept_names(olds, news, names))
    constants = [Constants(side.folder, side.files) for side in (pair.old, pair.new)]
    is_same = partial(is_same_value, old=constants[0], new=constants[1])
    removals = Removals(pair.new)
    named = (
        item for path, group in olds.items() for item in group if path not in news or not _is_same(group, news[path])
    )
    further = names_in_unchanged_files(pair, named, names, removals, token)
    stated = Statements(ReleaseNames((*new, *further), gone) if further else names, removals, tuple(between))
    sides = _Sides(pair, news, matches, stated, is_same)
    changes: list[ApiChange] = []
    for symbol in release_sides.gone:
        changes += _gone(symbol, olds[symbol.path], sides)
    for path, group in olds.items():
        token.check()
        if path in news and not _is_same(group, news[path]):
            changes += _kept(group, news[path], sides)
        elif path not in news and group[0].kind == "constructor" and len(path) > 1:
            # It moves with its class, under the new name of that.
            scope = matches.scope_of(path[:-1])
            name = scope[-1] if scope and path[-1] == path[-2] else path[-1]
            match = matches.likelihood_of(path[:-1])
            changes += _resting_on(match, sides.compare_overloads(group, news.get((*scope, name), ())))
    successors = {item.new.path for item in changes if item.new is not None and item.kind in ("renamed", "moved")}
    followed = (
        successors
        | {matches.scope_of(item.path) for item in release_sides.gone}
        | {item.path for item in matches.chosen.values()}
    )
    new_paths = {item.path for item in release_sides.fresh}
    changes += [
        ApiChange("added", None, item, english("{full} is new", full=item.full))
        for item in release_sides.fresh
        if item.path not in followed and item.scope not in new_paths and item.name not in matches.reach(item.scope)
    ]
    changes += _hidden_aliases(pair, sides)
    changes += _to_implement(olds, news, matches)
    changes += _closed(olds, pair.new.symbols, news)
    changes += _imported_from_elsewhere(pair, old, changes)
    return tuple(
        sorted(changes, key=lambda item: (item.kind == "added", item.symbol.file, item.symbol.line, item.symbol.path))
    )


def _hidden_aliases(pair: Pair, sides: _Sides) -> Iterator[ApiChange]:
    """Report removed private aliases of public names: some projects use them."""
    there = {item.path for item in pair.new.symbols}
    for item in pair.old.symbols:
        if item.is_hidden and item.kind == "constant" and item.path not in there:
            found = forwards_to(item, sides.stated.names)
            if found is not None and found[1]:
                candidate = SymbolCandidate(
                    found[0], STATED, (english("it was another name for {full}", full=found[0].full),)
                )
                yield ApiChange(
                    "renamed",
                    item,
                    found[0],
                    english("{full} was another name for {now}", full=item.full, now=found[0].full),
                    (candidate,),
                )


def _imported_from_elsewhere(pair: Pair, old: Sequence[Symbol], changes: Sequence[ApiChange]) -> Sequence[ApiChange]:
    """Report names of scripts, Python packages and Rust crates that users have to import from another module."""
    known = {(item.file, item.name): item for item in old if not item.scope}
    became = {
        change.old.path: (change.old, change.candidates)
        for change in changes
        if change.old is not None and change.kind in ("renamed", "moved")
    }
    folders = pair.old.folder, pair.new.folder
    found = []
    for symbol, candidates in (
        *moved_exports(*folders, known),
        *moved_python_names(*folders, became),
        *moved_rust_names(*folders, became),
    ):
        best = candidates[0].symbol
        now, before = (item.mark.join(item.scope) for item in (best, symbol))
        what = english("{name} is imported from {now} now, not from {before}", name=symbol.name, now=now, before=before)
        found.append(ApiChange("imported-from", symbol, best, what, candidates))
    return found


def _gone(symbol: Symbol, overloads: Sequence[Symbol], sides: _Sides) -> Iterator[ApiChange]:
    """Describe what happened to a path that the new release does not have."""
    news, matches = sides.news, sides.matches
    followed = matches.scope_of(symbol.path)
    if followed != symbol.path and followed in news and symbol.kind not in CONTAINER and symbol.scope:
        outer = matches.chosen.get(symbol.scope)
        if outer is not None and outer.kind in CONTAINER:
            # It moved with its class, which has a change of its own.
            match = matches.likelihood_of(symbol.scope)
            if other := _other_kind(symbol, news[followed][0]):
                yield replace(other, match=match)
            yield from _resting_on(match, sides.compare_overloads(overloads, news[followed]))
            yield from _resting_on(match, _newly_deprecated(overloads, news[followed], sides))
            return
    aliased = sides.alias_of(symbol.scope) if symbol.scope else None
    if aliased is not None and (*aliased, symbol.name) in news:
        # Its class kept its name as another name for the one that has it now.
        yield from sides.compare_overloads(overloads, news[(*aliased, symbol.name)])
        return
    scope = matches.scope_of(symbol.scope)
    found = matches.candidates.get(symbol.path, ())
    candidates = tuple(
        replace(
            item,
            signatures=signatures_of(overloads, news.get(item.symbol.path, (item.symbol,)), matches.types),
            holder=_holder(item.symbol, news),
        )
        for item in sides.stated.added_to(found, symbol, scope)
    )
    best = candidates[0] if candidates else None
    if best is None or best.score < _MIN_SCORE:
        what = (
            english("{full} is no longer for others to use", full=symbol.full)
            if symbol.path in sides.hidden
            else english("{full} is not there any more", full=symbol.full)
        )
        yield ApiChange("removed", symbol, None, what, candidates)
    else:
        kind: ChangeKind = "moved" if best.symbol.name == symbol.name else "renamed"
        yield ApiChange(
            kind,
            symbol,
            best.symbol,
            english("{full} is {now} now", full=symbol.full, now=best.symbol.full),
            candidates,
        )
        # A replacement that requires more than another name has its own parameters.
        if best.score > STATED_WITH_MORE or best.symbol in [item.symbol for item in found]:
            found_there = sides.compare_overloads(overloads, news.get(best.symbol.path, ()))
            yield from _resting_on(best.score, found_there)
    if symbol.is_overridable and (symbol.file.endswith(_SAY_SO) or _is_hook(symbol)):
        what = english("{name} overrides nothing of {scope} any more", name=symbol.name, scope=".".join(symbol.scope))
        yield ApiChange(
            "no-longer-overrides", symbol, best.symbol if best and best.score >= _MIN_SCORE else None, what, candidates
        )


def _holder(symbol: Symbol, news: Mapping[tuple[str, ...], Sequence[Symbol]]) -> tuple[str, ...]:
    """The path of the outermost class that contains a symbol, empty where none does."""
    parts = (symbol.scope[:depth] for depth in range(1, len(symbol.scope) + 1))
    return next((part for part in parts if any(item.kind in CONTAINER for item in news.get(part, ()))), ())


def _resting_on(match: float, changes: Iterable[ApiChange]) -> Iterator[ApiChange]:
    """Changes that hold only if two symbols were paired rightly, with how likely that is."""
    return (replace(change, match=min(match, change.match)) for change in changes)


def _is_hook(symbol: Symbol) -> bool:
    """Return whether a method has an empty body, so that it exists to be overridden."""
    return _NOTHING.issuperset(symbol.words) and not symbol.file.endswith(_WITHOUT_BODIES)


def _is_same(old: Sequence[Symbol], new: Sequence[Symbol]) -> bool:
    """Return whether two symbols differ at most in their lines."""
    return len(old) == len(new) and all(
        before.name == after.name and before.lower(after.line - before.line) == after
        for before, after in zip(old, new, strict=True)
    )


def _kept(old: Sequence[Symbol], new: Sequence[Symbol], sides: _Sides) -> Iterator[ApiChange]:
    """Yield the changes of a path that both releases have."""
    types = sides.matches.types
    before, after = old[0], new[0]
    # A member moves with the file of its class.
    has_gone = before.file != after.file and before.file not in sides.pair.new.files
    if has_gone and before.kind != "field" and before.scope not in sides.containers:
        there = SymbolCandidate(after, 0.98, (english("{file} is not there any more", file=before.file),))
        yield ApiChange(
            "moved", before, after, english("{full} stands in {file} now", full=before.full, file=after.file), (there,)
        )
    if forwarder := _forwarder(old, new, sides):
        yield forwarder
        return
    if other := _other_kind(before, after):
        yield other
        yield from _newly_deprecated(old, new, sides)
        return
    yield from sides.compare_overloads(old, new)
    is_type = (
        before.kind == "type" and before.returns and renamed_type(before.returns, types) != plain_type(after.returns)
    )
    if is_type or (before.kind in ("field", "constant") and _is_other_type(before, after, types)):
        yield ApiChange(
            "signature",
            before,
            after,
            english(
                "{full} was {before} and is {now}",
                full=before.full,
                before=before.returns,
                now=after.returns,
            ),
        )
    yield from _newly_deprecated(old, new, sides)
    is_value = before.kind in ("constant", "field") and before.value and after.value
    if is_value and _is_literal(before.value) and not sides.is_same(before.value, after.value):
        yield ApiChange(
            "default",
            before,
            after,
            english("{full} was {before} and is {now}", full=before.full, before=before.value, now=after.value),
        )


def _kept_names(
    olds: Mapping[tuple[str, ...], Sequence[Symbol]],
    news: Mapping[tuple[str, ...], Sequence[Symbol]],
    names: ReleaseNames,
) -> dict[tuple[str, ...], Symbol]:
    """Return the new symbols of paths that the new release only keeps as other names, without a cast, for them."""
    both = ((path, _forwarded(group, news[path], names, olds)) for path, group in olds.items() if path in news)
    return {path: found[0] for path, found in both if found is not None and found[1]}


def _forwarded(
    old: Sequence[Symbol], new: Sequence[Symbol], names: ReleaseNames, olds: Collection[tuple[str, ...]]
) -> tuple[Symbol, bool, bool] | None:
    """Return what a kept name is another name for, whether that needs no cast, and whether it is for old code only."""
    before, after = old[0], new[0]
    forwarded = forwards_to(after, names) if len(new) == 1 and not after.deprecated else None
    # In a conditional for old code, its target may be a name that the old release had as well.
    is_kept = "obsolete" in after.marks and "obsolete" not in before.marks
    if forwarded is None or not (forwarded[1] or is_kept) or (forwarded[0].path in olds and not is_kept):
        return None
    return *forwarded, is_kept


def _forwarder(old: Sequence[Symbol], new: Sequence[Symbol], sides: _Sides) -> ApiChange | None:
    """Report a name that is only an alias of a new one: an alias, macro, enumerator or function that does nothing else."""
    before, after = old[0], new[0]
    forwarded = _forwarded(old, new, sides.stated.names, sides.old_paths)
    if forwarded is None:
        return None
    target, is_plain, is_kept = forwarded
    where = english(" for old code") if is_kept else ""
    cast, score = ("", STATED) if is_plain else (english(" with a cast"), FORWARDED_WITH_CAST)
    candidate = SymbolCandidate(
        target,
        score,
        (english("the new release defines it as {full}{cast}{where}", full=target.full, cast=cast, where=where),),
    )
    return ApiChange(
        "deprecated",
        before,
        after,
        english("{full} is only another name for {now} now", full=before.full, now=target.full),
        (candidate,),
    )


def _newly_deprecated(old: Sequence[Symbol], new: Sequence[Symbol], sides: _Sides) -> Iterator[ApiChange]:
    """Report a symbol that only the new release calls deprecated, with the replacement that it names or forwards to."""
    fresh = next((item for item in new if item.deprecated), None)
    if fresh is not None and not any(item.deprecated for item in old):
        forwarded = forwards_to(fresh, sides.stated.names)
        stated = stated_candidate(
            fresh, fresh.scope, fresh.deprecated, english("the new release says"), sides.stated.names
        )
        if stated is None and forwarded is not None:
            stated = SymbolCandidate(
                forwarded[0], STATED, (english("the new release says: {words}", words=short(fresh.deprecated)),)
            )
        if stated is None and (passed := passed_call(fresh, fresh.scope, sides.stated.names)) is not None:
            stated = SymbolCandidate(
                passed.target, STATED, (english("its body is only {code}", code=short(fresh.value)),)
            )
        # The call that a body makes is written with the names of its own parameters.
        given = [item.name for item in fresh.given]
        before = next((item for item in old if [each.name for each in item.given] == given), old[0])
        if stated is not None:
            stated = for_parameters_of(stated, fresh, before)
        if stated is not None and [each.name for each in before.given] == given:
            stated = with_call(stated, fresh, fresh.scope, sides.stated.names)
        candidates: tuple[SymbolCandidate, ...] = () if stated is None else (stated,)
        if not all(item.deprecated for item in new):
            # The text is about some calls only, and nothing says which.
            why = english(
                "only {number} of {total} overloads are deprecated",
                number=sum(map(bool, (item.deprecated for item in new))),
                total=len(new),
            )
            candidates = tuple(
                replace(item, score=min(item.score, STATED_FOR_SOME_OVERLOADS), evidence=(*item.evidence, why))
                for item in candidates
            )
        yield ApiChange("deprecated", before, fresh, f"{before.full}: {short(fresh.deprecated)}", candidates)


_FUNCTION_TYPE = lazy_pattern(r"=>|^typeof\b")


def _other_kind(before: Symbol, after: Symbol) -> ApiChange | None:
    """Return the change if a field became a function, or the reverse."""
    if before.is_callable == after.is_callable or before.kind in CONTAINER or after.kind in CONTAINER:
        return None
    if "macro" in (before.kind, after.kind) and len(before.parameters) == len(after.parameters):
        return None  # calls stay as they are
    if any(_FUNCTION_TYPE.search(item.returns) for item in (before, after) if not item.is_callable):
        return None  # a constant that is called: `const glow: (at: number) => void`
    now = english("a function") if after.is_callable else english("no function")
    return ApiChange("signature", before, after, english("{full} is {now} now", full=before.full, now=now))


def _is_empty(parameter: Parameter) -> bool:
    """Return whether the default of a parameter is the value that its type has without arguments: `List()` of a `const List &`."""
    type_ = plain_type(parameter.type).rstrip("&*")
    return "".join(parameter.default.split()) in ("{}", f"{type_}()", f"{type_}{{}}")


def _compare_overloads(
    old: Sequence[Symbol], new: Sequence[Symbol], types: Mapping[str, str], is_same: _Same
) -> Iterator[ApiChange]:
    """Signatures: each old overload against the new one most like it."""
    if not new or not old[0].is_callable:
        return
    theirs = {_shape(item): item for item in new}
    for original in old:
        before = _with_new_types(original, types)
        same = theirs.get(_shape(before))
        after = same or max(new, key=lambda item: _common(before, item))
        if not after.is_callable:
            continue
        defaults = [
            (mine, now)
            for mine, now in _paired(before, after)
            if mine.default
            and now.default
            and not is_same(mine.default, now.default)
            and not (_is_empty(mine) and _is_empty(now))
        ]
        if new_order(before, after):
            places = ", ".join(item.name for item in after.parameters)
            yield ApiChange(
                "reordered",
                original,
                after,
                english("{full} takes its arguments at other places now: {places}", full=original.full, places=places),
            )
        elif same is None and not _accepts(before, after):
            yield ApiChange(
                "signature",
                original,
                after,
                english(
                    "{full}{before} is {now} now",
                    full=original.full,
                    before=original.signature,
                    now=after.signature,
                ),
            )
        elif same is None and original.is_overridable and len(after.parameters) > len(original.parameters):
            words = english(
                "{full} is {signature} now, and what overrides it should take as much",
                full=original.full,
                signature=after.signature,
            )
            yield ApiChange("wider", original, after, words)
        elif _is_other_type(original, after, types):
            yield ApiChange(
                "signature",
                original,
                after,
                english(
                    "{full} gave {before} and gives {now} now",
                    full=original.full,
                    before=original.returns,
                    now=after.returns,
                ),
            )
        for mine, now in defaults:
            yield ApiChange(
                "default",
                original,
                after,
                english(
                    "{name} of {full} was {before} and is {now}",
                    name=now.name or english("an argument"),
                    full=before.full,
                    before=mine.default,
                    now=now.default,
                ),
                parameter=next(at for at, item in enumerate(after.parameters) if item is now),
            )


def _is_other_type(before: Symbol, after: Symbol, types: Mapping[str, str]) -> bool:
    """Return whether the type of a function's result, or of a field, certainly changed."""
    if before.kind == "constructor" or not before.returns or not after.returns:
        return False
    if plain_type(before.returns) == plain_type(after.returns):
        return False
    one, other = (
        _bare_type(renamed_type(before.returns, types), before.file),
        _bare_type(plain_type(after.returns), after.file),
    )
    return one != other and not any(isinstance(item, str) and _MACRO.fullmatch(item) for item in (one, other))


def _bare_type(type_: str, file: str) -> str | frozenset[str]:
    """Return a type as it matters to its users: without scopes, references and notational variants."""
    bare = re.sub(r"\w+(?:::|\.)", "", type_).strip("&")
    if not file.endswith(_PYTHON):
        return bare.replace("unsignedint", "unsigned")
    bare = re.sub(r"Optional\[([^\[\]]*)\]", r"\1|None", bare.replace('"', "").replace("'", ""))
    if found := _EITHER.fullmatch(bare):
        bare = f"{found[1]}|None" if bare.startswith("O") else found[1].replace(",", "|")
    return frozenset(bare.lower().split("|"))


def _paired(before: Symbol, after: Symbol) -> Iterator[tuple[Parameter, Parameter]]:
    """Parameters that are the same one: by name, else where they have none by their place."""
    by_name = {item.name: item for item in after.parameters if item.name}
    for at, mine in enumerate(before.parameters):
        if mine.name in by_name:
            yield mine, by_name[mine.name]
        elif not mine.name and at < len(after.parameters) and not after.parameters[at].name:
            yield mine, after.parameters[at]


def _shape(symbol: Symbol) -> tuple[object, ...]:
    by_name = symbol.file.endswith(NAMED_ARGUMENTS)
    return tuple(
        (plain_type(item.type), item.name if by_name else "", bool(item.default), item.is_named)
        for item in symbol.parameters
    )


def _with_new_types(symbol: Symbol, types: Mapping[str, str]) -> Symbol:
    """A function of the old release with the new names of its parameters' types."""
    given = (replace(item, type=renamed_type(item.type, types)) for item in symbol.parameters)
    return replace(symbol, parameters=tuple(given))


def _takes(symbol: Symbol, arguments: Sequence[str], types: Mapping[str, str]) -> bool:
    """Whether calls of a function may have some arguments; `types` are those of the arguments that are known."""
    needed = sum(not item.default for item in symbol.given)
    return needed <= len(arguments) <= len(symbol.given) and all(
        types.get(text, plain_type(item.type)) == plain_type(item.type)
        for text, item in zip(arguments, symbol.given, strict=False)
    )


def _common(one: Symbol, other: Symbol) -> tuple[int, int]:
    types = {plain_type(item.type) for item in one.parameters if item.type}
    names = {item.name for item in one.parameters}
    shared = sum(plain_type(item.type) in types for item in other.parameters) + sum(
        item.name in names for item in other.parameters
    )
    return shared, -abs(len(one.parameters) - len(other.parameters))


def _accepts(before: Symbol, after: Symbol) -> bool:
    """Return whether every call of the old signature is valid for the new one: added parameters need defaults."""
    ours, theirs = before.parameters, after.parameters
    by_name = before.file.endswith(NAMED_ARGUMENTS)
    if len(theirs) < len(ours):
        return any(item.name.startswith("*") for item in theirs) and all(
            item in ours for item in theirs if item.name[:1] != "*"
        )
    names = {item.name: at for at, item in enumerate(theirs)}
    met = set()
    for place, mine in enumerate(ours):
        at = names.get(mine.name, -1) if mine.is_named else place
        if at < 0:
            return False
        now = theirs[at]
        met.add(at)
        if plain_type(mine.type) != plain_type(now.type) and before.file[-3:] not in (".py", "pyi"):
            return False
        if (by_name and mine.name != now.name) or (mine.default and not now.default) or now.is_named > mine.is_named:
            return False
    return all(item.default or item.name.startswith("*") for at, item in enumerate(theirs) if at not in met)


def _to_implement(
    olds: Mapping[tuple[str, ...], Sequence[Symbol]], news: Mapping[tuple[str, ...], Sequence[Symbol]], matches: Matches
) -> Iterator[ApiChange]:
    """Methods without a body that a class or interface did not ask for before."""
    back = {new.path: path for path, new in matches.chosen.items()}
    scopes = {matches.scope_of(path): path for path, group in olds.items() if group[0].kind in ("class", "interface")}
    for path, group in news.items():
        method = group[0]
        if "abstract" not in method.marks or not method.is_callable or method.scope not in scopes:
            continue
        before = olds.get(path) or olds.get(back.get(path, ())) or olds.get((*scopes[method.scope], method.name))
        if before is None or not any("abstract" in item.marks for item in before):
            yield ApiChange(
                "must-implement",
                None,
                method,
                english(
                    "{scope} wants {name}{signature}",
                    scope=".".join(method.scope),
                    name=method.name,
                    signature=method.signature,
                ),
            )


def _closed(
    olds: Mapping[tuple[str, ...], Sequence[Symbol]],
    new: Sequence[Symbol],
    news: Mapping[tuple[str, ...], Sequence[Symbol]],
) -> Iterator[ApiChange]:
    """Constructors that others may not use any more, with the functions of the class that make one instead."""
    hidden = {item.path for item in new if item.is_hidden and item.kind == "constructor"}
    for path, group in olds.items():
        if group[0].kind != "constructor" or path in news or path not in hidden or group[0].name.startswith("~"):
            continue
        class_ = path[-2]
        made = [
            item
            for listed in news.values()
            for item in listed
            if item.scope == path[:-1] and item.is_callable and class_ in re.findall(r"\w+", item.returns)
        ]
        candidates = tuple(
            SymbolCandidate(item, round(0.95 / len(made), 3), (english("it gives a {type}", type=class_),))
            for item in made[:5]
        )
        yield ApiChange(
            "removed", group[0], None, english("{full} is no longer for others to use", full=group[0].full), candidates
        )


def _is_literal(value: str) -> bool:
    return value[0].isdigit() or value[0] in "-\"'" or value in ("true", "false", "True", "False")
