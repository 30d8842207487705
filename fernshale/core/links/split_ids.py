"""Decide for each use of an id that became several which one it means, by the purpose of the use."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace

from fernshale.core.base.texts import tr
from fernshale.core.links.renamed_targets import GAP, TargetCandidate
from fernshale.core.links.targets import Thing, is_name, name_parts
from fernshale.core.links.usage_votes import Votes

# A part hardly contains anything that the whole did not.
_PART = 0.7
_MIN_SCORE = 0.6
# If several came from one and nothing distinguishes them, no single one is certain.
_OPEN = 0.85


def split_by_use(
    was: Thing,
    family: Mapping[str, float],
    are: Mapping[str, Thing],
    candidates: Sequence[TargetCandidate],
    slots: Sequence[str],
    votes: Votes,
) -> list[TargetCandidate]:
    """Return candidates for each purpose of use if several of `family` came from `was`; otherwise `candidates` unchanged.

    `family` has the share of each new target's content that `was` contained; `slots` are the purposes of the uses. Uses without
    a distinguishing feature belong to no candidate.
    """
    known = {item.id: item for item in candidates}
    given = votes.total(was.id)
    parts = [are[id] for id, inside in family.items() if _is_part(was, are[id], inside) or given.get(id)]
    if len(parts) < 2:
        return list(candidates)
    taken: dict[str, tuple[str, float, str]] = {}
    for slot in dict.fromkeys(slots):
        ranked = sorted((_fit(slot, thing, was, votes) for thing in parts), key=lambda item: -item[1])
        if ranked[0][1] >= _MIN_SCORE and ranked[0][1] - ranked[1][1] >= GAP:
            taken[slot] = ranked[0]
    chosen = list(dict.fromkeys(id for id, _, _ in taken.values()))
    if len(chosen) == 1 and len(taken) == len(set(slots)) and chosen[0] == candidates[0].id:
        return list(candidates)
    if not chosen:
        return [replace(item, score=min(item.score, _OPEN)) for item in candidates]
    found = []
    for id in chosen:
        mine = {slot: item for slot, item in taken.items() if item[0] == id}
        said = tuple(dict.fromkeys(words for _, _, words in mine.values()))
        score = round(min(score for _, score, _ in mine.values()), 2)
        told = known[id].evidence if id in known else (tr("came out of the same"),)
        found.append(TargetCandidate(id, score, (*said, *told)[:4], tuple(mine)))
    rest = [replace(item, score=min(item.score, 0.5)) for item in candidates if item.id not in chosen]
    return sorted(found, key=lambda item: -item.score) + rest


def _is_part(was: Thing, thing: Thing, inside: float) -> bool:
    """Return whether a new target consists of the old one's content, or is named after it."""
    named = (thing.stem.startswith(was.stem) and thing.stem != was.stem) or (is_name(was.id) and was.id in thing.id)
    return inside >= _PART or (named and inside >= _PART / 2)


def _fit(slot: str, thing: Thing, was: Thing, votes: Votes) -> tuple[str, float, str]:
    """Return how well a new target fits a slot, with the reason: votes of other files, its kind, its name."""
    ballot = votes.in_slot(was.id, slot)
    if ballot:
        share = ballot.get(thing.id, 0) / sum(ballot.values())
        place = votes.example.get((was.id, thing.id), "")
        return (
            thing.id,
            0.5 + 0.46 * share if share else 0.0,
            tr("stands for {slot} in {place}", slot=slot, place=place),
        )
    if thing.kind and slot == thing.kind:
        return thing.id, 0.93, tr("is a {kind}", kind=thing.kind)
    near = _near(slot, thing, was)
    return thing.id, min(0.92, 0.6 + 0.32 * near) if near else 0.0, tr("its name says {slot}", slot=slot)


def _near(slot: str, thing: Thing, was: Thing) -> float:
    """Return how well a slot's name matches the new part of a target's name, 0..1."""
    wanted = {part for part in name_parts(slot) if part not in ("id", "guid", "uid", "uuid", "ref")}
    fresh = _words_of(thing) - _words_of(was)
    if wanted & fresh:
        return 1.0
    alike = any(a.startswith(b) or b.startswith(a) for a in wanted for b in fresh if min(len(a), len(b)) > 3)
    return 0.5 if alike else 0.0


def _words_of(thing: Thing) -> set[str]:
    named = name_parts(thing.id) if is_name(thing.id) else []
    return {*name_parts(thing.stem), *name_parts(thing.kind), *name_parts(thing.ending), *named}
