"""Names that users import from another module than before, wherever they are defined."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from pathlib import Path

from fernshale.core.base.confidence import (
    IMPORTED_FROM_OTHER_MODULE,
    IMPORTED_FROM_SIMILAR_MODULE,
    ODDS_OF_NAMESAKE,
    STILL_DEFINED,
)
from fernshale.core.base.texts import english
from fernshale.core.drift.matching import SymbolCandidate
from fernshale.core.drift.names.name_parts import shared_start
from fernshale.core.drift.names.python_packages import packages_of
from fernshale.core.drift.names.rust_crates import shown_names
from fernshale.core.drift.names.script_packages import (
    Definition,
    ScriptPackages,
    is_internal,
    rank_of,
    script_packages_of,
)
from fernshale.core.drift.symbols import Symbol, SymbolKind, went_into_class

_MAX_CANDIDATES = 3
PublicMove = tuple[Symbol, tuple[SymbolCandidate, ...]]
"""An exported name: a symbol with its old module as scope, and candidates with the new modules, best first."""


def moved_exports(old: Path, new: Path, known: Mapping[tuple[str, str], Symbol]) -> Iterator[PublicMove]:
    """Yield names that a script module exported, and that another module exports in the new release.

    `known` are symbols of the old release by file and name, for what is known of them.
    """
    before, after = script_packages_of(old), script_packages_of(new)
    if not before.exported or not after.exported:
        return
    for (module, name), defined in before.exported.items():
        if (module, name) in after.exported or is_internal(module):
            continue
        listed = [item for item in after.by_name.get(name, ()) if not is_internal(item[0])]
        candidates = tuple(_candidates(module, name, defined, listed, after))
        if candidates:
            symbol = known.get((before.file_of(defined.module), defined.name))
            yield _symbol(module, name, (before.file_of(defined.module), before.line_of(defined)), symbol), candidates


def moved_python_names(old: Path, new: Path, became: Mapping[tuple[str, ...], PublicMove]) -> Iterator[PublicMove]:
    """Yield names that a Python package no longer re-exports, with where users find them now.

    `became` are the successors of renamed and moved symbols by their old paths.
    """
    before, after = packages_of(old), packages_of(new)
    for written, defined in before.shown.items():
        if after.has(written):
            continue
        found = became.get(defined)
        if found is not None:
            was, best = found[0], found[1][0]
            member = int(went_into_class(was, best.symbol))
            is_called_no_more = was.is_callable and not best.symbol.is_callable
            if best.written or (best.symbol.kind in ("method", "field") and not member) or is_called_no_more:
                continue
        elif after.has(defined):
            was, member = Symbol("constant", written[-1], written[:-1], before.file_of(defined[:-1]), 1), 0
            why = english(
                "{written} does not export it any more, and {defined} stayed",
                written=".".join(written[:-1]),
                defined=".".join(defined),
            )
            best = SymbolCandidate(replace(was, scope=defined[:-1]), STILL_DEFINED, (why,))
        else:
            continue
        # A package re-exports classes, not their members.
        path = best.symbol.path
        holder, inner = path[: len(path) - member], path[len(path) - member :]
        now = after.written(holder)
        # If the package exports the new name, only the name changed, which is another change.
        if now is not None and not after.has((*written[:-1], now[-1])):
            shown = (*now, *inner)
            symbol = replace(best.symbol, name=shown[-1], scope=shown[:-1])
            candidate = SymbolCandidate(
                symbol, best.score, best.evidence[:1], signatures=best.signatures, holder=now if member else ()
            )
            yield replace(was, name=written[-1], scope=written[:-1]), (candidate,)


def moved_rust_names(old: Path, new: Path, became: Mapping[tuple[str, ...], PublicMove]) -> Iterator[PublicMove]:
    """Yield names of Rust crates that users cannot write any more, with how they write them now.

    `became` are the successors of renamed and moved symbols by their old paths.
    """
    before = shown_names(old)
    after = shown_names(new) if before else {}
    written_now: dict[tuple[str, ...], list[tuple[str, ...]]] = {}
    for shown, defined in after.items():
        written_now.setdefault(defined.path, []).append(shown)
    for written, defined in before.items():
        if written in after:
            continue
        found = became.get(defined.path)
        path = found[1][0].symbol.path if found else defined.path
        there = min(
            written_now.get(path, ()), key=lambda shown: (-shared_start(shown, written), len(shown)), default=None
        )
        # A name that only changed itself is another change.
        if there is None or there[:-1] == written[:-1]:
            continue
        score = found[1][0].score if found else STILL_DEFINED
        why = english("users write it as {now} now", now="::".join(there))
        was = found[0] if found else Symbol("constant", written[-1], written[:-1], defined.file, 1)
        symbol = replace(was, name=there[-1], scope=there[:-1])
        yield replace(was, name=written[-1], scope=written[:-1]), (SymbolCandidate(symbol, score, (why,)),)


def _candidates(
    module: str, name: str, defined: Definition, listed: Sequence[tuple[str, Definition]], after: ScriptPackages
) -> Iterator[SymbolCandidate]:
    """The modules that export a name now, one for each definition, best first."""
    best: dict[str, tuple[str, Definition]] = {}
    for specifier, there in listed:
        # The same code may be there in several builds, whose definitions end alike.
        key = "/".join(there.module.split("/")[-2:])
        if key not in best or rank_of(specifier) < rank_of(best[key][0]):
            best[key] = specifier, there
    ranked = sorted(best.values(), key=lambda item: (-_shared_end(defined.module, item[1].module), rank_of(item[0])))
    rivals = len(ranked)
    for specifier, there in ranked[:_MAX_CANDIDATES]:
        ending = _shared_end(defined.module, there.module)
        is_first = specifier == ranked[0][0]
        score = IMPORTED_FROM_OTHER_MODULE if rivals == 1 or (is_first and ending > 1) else IMPORTED_FROM_SIMILAR_MODULE
        score = score if is_first else score * ODDS_OF_NAMESAKE
        file, line = after.file_of(there.module), after.line_of(there)
        why = english("{specifier} exports {name}", specifier=specifier, name=name) + (
            english("; {module} does not any more", module=module) if is_first else ", perhaps another one"
        )
        yield SymbolCandidate(
            _symbol(specifier, name, (file, line), None),
            round(score, 3),
            (why, english("defined in {file}", file=file)),
        )


def _shared_end(one: str, other: str) -> int:
    """How many names two module paths have in common at their ends."""
    pairs = zip(reversed(one.split("/")), reversed(other.split("/")), strict=False)
    count = 0
    for mine, theirs in pairs:
        if mine != theirs:
            break
        count += 1
    return count


def _symbol(module: str, name: str, place: tuple[str, int], known: Symbol | None) -> Symbol:
    """Return a symbol whose scope is the module that users import it from."""
    kind: SymbolKind = known.kind if known is not None else "constant"
    return Symbol(kind, name, (module,), *place)
