"""Find missing references, their former targets, and their replacements.

An id's target is the object that declared it before the update; a path's target is the file that existed there.
"""

from __future__ import annotations

import itertools
from collections import Counter, defaultdict
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.links.index import Use
from fernshale.core.links.renamed_targets import (
    AUTOMATIC_SCORE,
    MAX_CANDIDATES,
    Clues,
    Matching,
    StatedRenames,
    TargetCandidate,
    TargetEvidence,
    match_things,
)
from fernshale.core.links.split_ids import split_by_use
from fernshale.core.links.targets import LinkSide, Thing, describe_files, describe_ids
from fernshale.core.links.usage_votes import Votes, count_votes, slots_of

# Targets that stayed, of which so many are read to see which contents are usual.
_MAX_STAYED = 300


@dataclass(frozen=True, slots=True)
class MissingReference:
    """An id (or a file's path) that is used but does not exist. `was` is its former declaration, "" if none.

    `before`: it was missing before the update, too. `slots` are the purposes of its uses, in the order of `uses`. Candidates
    are sorted, best first; one for some slots only is listed with others for the remaining slots.
    """

    id: str
    is_file: bool
    uses: tuple[Use, ...]
    slots: tuple[str, ...]
    was: str
    before: bool
    candidates: tuple[TargetCandidate, ...]

    @property
    def automatic(self) -> tuple[TargetCandidate, ...]:
        """The candidates to apply without asking: one for all uses, or one for each slot."""
        if self.candidates and self.candidates[0].slots:
            return tuple(item for item in self.candidates if item.slots and item.score >= AUTOMATIC_SCORE)
        return self.candidates[:1] if self.candidates and self.candidates[0].score >= AUTOMATIC_SCORE else ()

    def uses_in(self, slots: Collection[str]) -> tuple[Use, ...]:
        """Its uses in some slots, all for ()."""
        return tuple(use for use, slot in zip(self.uses, self.slots, strict=True) if not slots or slot in slots)


def find_missing_references(
    before: LinkSide, now: LinkSide, moved: Mapping[TreePath, TreePath], stated: StatedRenames, token: CancelToken
) -> tuple[MissingReference, ...]:
    """Return all missing references, ids first, each with its candidates.

    `moved` are known moves of files; `told` are renames that someone wrote down, by old and new name.
    """
    token.check()
    old_ids = set(before.index.ids_declared())
    gone = set(now.index.missing)
    fresh = sorted(id for id in now.index.ids_declared() if id not in old_ids)
    passing = gone | set(fresh)
    known = sorted(gone & old_ids)
    votes = count_votes(before, now, gone, moved)
    fresh = sorted({*fresh, *(other for id in gone for other in votes.total(id) if now.index.declares(other))})
    were = describe_ids(before, known, passing)
    are = describe_ids(now, fresh, passing)
    usual = _usual_digests(now, were, are, passing)
    moved = {**_same_bytes(before, now, were, are, usual), **moved}
    found = match_things(list(were.values()), list(are.values()), Clues(votes, moved, stated, usual), token)
    matched = _Matched(before, now, were, are, found, votes, stated)
    return (*map(matched.missing, sorted(gone)), *_missing_files(before, now, moved, stated, token))


@dataclass(frozen=True, slots=True)
class _Matched:
    """Both sides, the targets `were` and `are` by id, and how the first were matched with the second."""

    before: LinkSide
    now: LinkSide
    were: Mapping[str, Thing]
    are: Mapping[str, Thing]
    matching: Matching
    votes: Votes
    stated: StatedRenames

    def missing(self, id: str) -> MissingReference:
        """A missing id with its candidates."""
        uses = self.now.index.uses(id)
        slots = slots_of(self.now, uses)
        listed = tuple(slots[use] for use in uses)
        was = self.before.index.declarations(id)
        candidates = self.matching.candidates.get(id, [])
        if not candidates:
            candidates = [
                TargetCandidate(new, item.weight, (item.words,))
                for (old, new), item in self.stated.items()
                if old == id and self.now.index.declares(new)
            ]
        if id in self.were:
            family = self.matching.family.get(id, {})
            candidates = split_by_use(self.were[id], family, self.are, candidates, listed, self.votes)
        place = f"{was[0].file}:{was[0].line}" if was else ""
        return MissingReference(id, False, uses, listed, place, not was, tuple(candidates[:MAX_CANDIDATES]))


def _usual_digests(
    now: LinkSide, were: Mapping[str, Thing], are: Mapping[str, Thing], passing: Collection[str]
) -> frozenset[str]:
    """Find the digests that an old and a new target share with targets that stayed, as descriptions of assets often do."""
    shared = {thing.digest for thing in were.values()} & {thing.digest for thing in are.values()}
    if not shared:
        return frozenset()
    endings = {thing.ending for thing in were.values() if thing.digest in shared}
    stayed = (
        id
        for id in now.index.ids_declared()
        if id not in are and any(use.file.endswith(tuple(endings)) for use in now.index.declarations(id)[:1])
    )
    sample = describe_ids(now, itertools.islice(stayed, _MAX_STAYED), passing)
    return frozenset(shared.intersection(thing.digest for thing in sample.values()))


def _same_bytes(
    before: LinkSide, now: LinkSide, were: Mapping[str, Thing], are: Mapping[str, Thing], usual: Collection[str]
) -> dict[TreePath, TreePath]:
    """Find the new paths of files that are equal except for ids, identified by contents that are not in `usual`."""
    new: dict[str, list[TreePath]] = defaultdict(list)
    for thing in are.values():
        if thing.alone and thing.file not in before.files:
            new[thing.digest].append(thing.file)
    found = {}
    for thing in were.values():
        there = new.get(thing.digest, []) if thing.digest not in usual else []
        if thing.alone and thing.file not in now.files and len(there) == 1 and len(thing.words) >= 3:
            found[thing.file] = there[0]
    return found


# -- paths


def _missing_files(
    before: LinkSide, now: LinkSide, moved: Mapping[TreePath, TreePath], stated: StatedRenames, token: CancelToken
) -> list[MissingReference]:
    """Files that others name and that are not there, with the files they may be now."""
    gone = now.index.missing_files(before.index.paths)
    if not gone:
        return []
    known = [path for path in gone if path in before.files]
    endings = {path.rpartition(".")[2] for path in known}
    fresh = [path for path in now.files if path not in before.files and path.rpartition(".")[2] in endings]
    passing = set(now.index.missing)
    were = describe_files(before, known, passing)
    are = describe_files(now, fresh, passing)
    by_id: dict[tuple[str, str], TargetEvidence] = {}
    for path in known:
        for mark in before.index.files[path].declared if path in before.index.files else ():
            for use in now.index.declarations(mark.id):
                by_id[path, use.file] = TargetEvidence(0.96, tr("declares {id}, as it did", id=mark.id))
    votes = _file_votes(before, now, gone)
    clues = Clues(votes, moved, {**stated, **by_id})
    matching = match_things(list(were.values()), list(are.values()), clues, token)
    found = []
    for path in sorted(gone):
        uses = gone[path]
        slots = slots_of(now, uses)
        listed = tuple(slots[use] for use in uses)
        was = f"{path}:1" if path in before.files else ""
        candidates = tuple(matching.candidates.get(path, [])[:MAX_CANDIDATES])
        found.append(MissingReference(path, True, tuple(uses), listed, was, not was, candidates))
    return found


def _file_votes(before: LinkSide, now: LinkSide, gone: Mapping[TreePath, Sequence[Use]]) -> Votes:
    """Return votes for paths: the files that others name now in place of the missing one."""
    named_before, named_now = before.index.named_files(), now.index.named_files()
    at_now: dict[tuple[TreePath, int], TreePath] = {}
    for target, uses in named_now.items():
        for use in uses:
            at_now.setdefault((use.file, use.mark.start), target)
    of: dict[str, Counter[tuple[str, str]]] = {}
    example: dict[tuple[str, str], TreePath] = {}
    for path in gone:
        for use in named_before.get(path, ()):
            old = before.index.files[use.file].used
            new = now.index.files.get(use.file)
            if new is None or len(old) != len(new.used):
                continue
            mark = new.used[old.index(use.mark)]
            other = at_now.get((use.file, mark.start))
            if other is not None and other not in gone and mark.rule == use.mark.rule:
                of.setdefault(path, Counter())["", other] += 1
                example.setdefault((path, other), use.file)
    return Votes(of, example)
