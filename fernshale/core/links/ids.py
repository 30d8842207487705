"""Ids that assets use and nothing declares, and what they may be called now."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

import regex

from fernshale.core.base.errors import FormatError
from fernshale.core.base.globs import matches
from fernshale.core.base.textfile import position
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.model import IdPattern, LinkShape

_TIMEOUT_S = 5.0
_LEAST = 60.0


@dataclass(frozen=True, slots=True)
class Use:
    """A place where an id stands; `line` is 1-based."""

    file: TreePath
    line: int


@dataclass(frozen=True, slots=True)
class Ids:
    """The ids of a tree and where they stand."""

    declared: Mapping[str, tuple[Use, ...]]
    used: Mapping[str, tuple[Use, ...]]

    @property
    def dangling(self) -> tuple[str, ...]:
        """Used ids that nothing declares, in order."""
        return tuple(sorted(id for id in self.used if id not in self.declared))


@dataclass(frozen=True, slots=True)
class Candidate:
    """What a dangling id may be called now; `score` is 0..1."""

    id: str
    score: float
    evidence: str


def read_ids(shape: LinkShape, paths: Iterable[TreePath], read: Callable[[TreePath], str | None]) -> Ids:
    """All ids of the files at `paths`. `read` gives a file's text, None for a binary one. Raises FormatError."""
    declared: dict[str, list[Use]] = {}
    used: dict[str, list[Use]] = {}
    for path in paths:
        for rules, found in ((shape.declare, declared), (shape.use, used)):
            for rule in rules:
                if matches(rule.files, path):
                    _collect(rule, path, read, found)
    return Ids({id: tuple(at) for id, at in declared.items()}, {id: tuple(at) for id, at in used.items()})


def find_candidates(id: str, before: Ids, now: Ids) -> tuple[Candidate, ...]:
    """Ids that are new and stand where `id` was declared, the most similar first."""
    from rapidfuzz import fuzz

    old_files = {use.file for use in before.declared.get(id, ())}
    found = []
    for other, places in now.declared.items():
        if other in before.declared:
            continue
        score = fuzz.ratio(id, other)
        same_file = bool(old_files & {use.file for use in places})
        if score >= _LEAST or same_file:
            words = f"new in {places[0].file}, where {id} was" if same_file else f"new in {places[0].file}"
            value = min(0.95, score / 100 * (1.0 if same_file else 0.8))
            found.append(Candidate(other, round(value, 2), f"{words}; names alike {score:.0f} %"))
    return tuple(sorted(found, key=lambda item: (-item.score, item.id))[:5])


def _collect(
    rule: IdPattern, path: TreePath, read: Callable[[TreePath], str | None], found: dict[str, list[Use]]
) -> None:
    text = read(path)
    if text is None:
        return
    try:
        for hit in regex.finditer(rule.pattern, text, timeout=_TIMEOUT_S):
            found.setdefault(hit["id"], []).append(Use(path, position(text, hit.start("id"))[0]))
    except TimeoutError as error:
        raise FormatError(path, [(0, f"the pattern {rule.pattern!r} takes too long on this file")]) from error
