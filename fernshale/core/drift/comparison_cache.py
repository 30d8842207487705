"""Comparisons of releases, cached on disk: releases do not change, and reading two of them takes seconds."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fernshale.core.base.cache import Cache
from fernshale.core.base.cached_file import cached_file
from fernshale.core.base.code_digest import code_digest
from fernshale.core.base.data_folder import cache_folder
from fernshale.core.base.texts import add_origins, keeps_origins, origins_of
from fernshale.core.base.work import Work, many_values
from fernshale.core.drift.comparison import ApiChange, compare
from fernshale.core.drift.matching import SymbolCandidate
from fernshale.core.drift.release_symbols import languages_of, list_sources, read_pair
from fernshale.core.drift.stated.between import ReleaseBetween
from fernshale.core.drift.symbols import Parameter, Symbol


@dataclass(frozen=True, slots=True)
class ReleasePlaces:
    """The folders of two releases. `between` are releases after the old and before the new one, in ascending order, by name."""

    old: Path
    new: Path
    between: tuple[tuple[str, Path], ...] = ()

    @property
    def all(self) -> tuple[Path, ...]:
        return (self.old, self.new, *(folder for _, folder in self.between))


def compare_releases(
    places: ReleasePlaces, language: str, work: Work, cache: Cache | None = None
) -> tuple[ApiChange, ...]:
    """Return the changes between two releases, from `cache` or from disk if none of the releases has changed.

    Raises MisuseError, Cancelled.
    """
    stamp = comparison_stamp(places, language)
    kept = cache_folder() / "drift" / f"{stamp}.json"
    return (cache or Cache()).get("comparison", stamp, lambda: _kept_or_made(kept, places, language, work), len)


def _kept_or_made(kept: Path, places: ReleasePlaces, language: str, work: Work) -> tuple[ApiChange, ...]:
    def between(label: str, folder: Path) -> ReleaseBetween:
        return ReleaseBetween(label, lambda: read_pair(places.old, folder, language, work).new)

    def make() -> tuple[ApiChange, ...]:
        pair = read_pair(places.old, places.new, language, work)
        with many_values():
            return compare(pair, work.token, [between(label, folder) for label, folder in places.between])

    def write(changes: tuple[ApiChange, ...]) -> bytes:
        return json.dumps(_encode(changes), separators=(",", ":")).encode()

    return cached_file(kept, lambda data: _decode(json.loads(data)), make, write, work.token)


def comparison_stamp(places: ReleasePlaces, language: str = "") -> str:
    """A digest that changes with a file of the releases or with the code that compares them; costs a stat per file."""
    told = hashlib.sha256(f"{code_digest('drift')}\0{language}\0{keeps_origins()}".encode())
    for folder in places.all:
        told.update(f"\0{folder.resolve()}".encode("utf-8", "surrogateescape"))
        for path, stat in list_sources(folder, languages_of(language)).items():
            told.update(f"\n{path}\0{stat.st_size}\0{stat.st_mtime_ns}".encode("utf-8", "surrogateescape"))
    return told.hexdigest()[:32]


def _encode(changes: Sequence[ApiChange]) -> dict[str, Any]:
    """Each symbol once, in a list; changes and candidates name it by its number."""
    symbols: dict[Symbol, int] = {}

    def number(symbol: Symbol | None) -> int:
        return -1 if symbol is None else symbols.setdefault(symbol, len(symbols))

    rows = [
        [
            change.kind, number(change.old), number(change.new), change.what,
            [
                [
                    number(item.symbol), item.score, list(item.evidence), item.written, list(item.signatures), list(item.holder),
                    item.call, item.imports,
                ]
                for item in change.candidates
            ],
            change.match, change.parameter,
        ]
        for change in changes
    ]  # fmt: skip
    sentences = [change.what for change in changes]
    sentences += [words for change in changes for item in change.candidates for words in item.evidence]
    return {"symbols": [_symbol_row(symbol) for symbol in symbols], "changes": rows, "origins": origins_of(sentences)}


def _symbol_row(symbol: Symbol) -> list[Any]:
    parameters = [[item.name, item.type, item.default, item.is_named] for item in symbol.parameters]
    return [
        symbol.kind, symbol.name, list(symbol.scope), symbol.file, symbol.line, parameters, symbol.returns,
        list(symbol.bases), sorted(symbol.marks), symbol.deprecated, symbol.doc, symbol.value,
        list(symbol.words),
    ]  # fmt: skip


def _decode(data: Mapping[str, Any]) -> tuple[ApiChange, ...]:
    add_origins(data["origins"])
    symbols = [
        Symbol(
            row[0], row[1], tuple(row[2]), row[3], row[4], tuple(Parameter(*item) for item in row[5]), row[6],
            tuple(row[7]), frozenset(row[8]), row[9], row[10], row[11], tuple(row[12]),
        )
        for row in data["symbols"]
    ]  # fmt: skip
    return tuple(
        ApiChange(
            kind, symbols[old] if old >= 0 else None, symbols[new] if new >= 0 else None, what,
            tuple(
                SymbolCandidate(symbols[at], score, tuple(evidence), written, tuple(signatures), tuple(holder), call, imports)
                for at, score, evidence, written, signatures, holder, call, imports in candidates
            ),
            match, parameter,
        )
        for kind, old, new, what, candidates, match, parameter in data["changes"]
    )  # fmt: skip
