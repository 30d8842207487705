"""The order in which steps were written, undone and repeated, and which of them count after each write.

A logbook entry records whether its step counts now. A return to a point also needs the order of all writes: a step from before
that point may have been undone after it. Each write of the project is one `Write`, oldest first.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

UNDO, REDO, BACK = "undo", "redo", "back"


@dataclass(frozen=True, slots=True)
class Write:
    """One write of the project: the changes of logbook entry `entry`, or with `is_forward` False their inverse.

    `latest` is the newest entry of the logbook at that time, which places an undo between two entries.
    """

    entry: int
    is_forward: bool
    latest: int

    def cancels(self, other: Write) -> bool:
        """Whether this write undoes exactly the other one."""
        return self.entry == other.entry and self.is_forward is not other.is_forward


def reversal(verb: str, entry: int) -> str:
    """The `about` of an entry that undoes another one, repeats it, or returns to before it."""
    return f"{verb} {entry}"


def read_reversal(about: str) -> tuple[str, int] | None:
    """The verb and the entry of `reversal`; None for any other subject."""
    verb, _, id = about.partition(" ")
    return (verb, int(id)) if verb in (UNDO, REDO, BACK) and id.isascii() and id.isdigit() else None


def done_after(writes: Sequence[Write], subjects: Mapping[int, str]) -> frozenset[int]:
    """The entries whose steps count after all `writes`. `subjects` maps each entry to its `about`."""
    done: set[int] = set()
    before: list[frozenset[int]] = []
    # The entries that each return undid and repeated, needed again when the return itself is undone or repeated.
    turned: dict[int, tuple[frozenset[int], frozenset[int]]] = {}

    def count(entry: int, *, is_done: bool) -> None:
        verb, target = read_reversal(subjects.get(entry, "")) or ("", 0)
        if verb == BACK:
            if entry not in turned:
                point = before[_first_from(writes, target, len(before) - 1)]
                turned[entry] = before[-1] - point, point - before[-1]
            gone, come = turned[entry] if is_done else reversed(turned[entry])
            done.difference_update(gone)
            done.update(come)
        elif verb:
            count(target, is_done=(verb == REDO) == is_done)
        (done.add if is_done else done.discard)(entry)

    for write in writes:
        before.append(frozenset(done))
        count(write.entry, is_done=write.is_forward)
    return frozenset(done)


def writes_since(writes: Sequence[Write], subjects: Mapping[int, str], point: int) -> tuple[Write, ...]:
    """The writes to undo, oldest first, so that the project is as it was before entry `point`.

    Writes that cancel out are left out: a step that was undone right after it, and all writes that an earlier return within
    this span undid.
    """
    start = _first_from(writes, point, len(writes))
    met = {write.entry for write in writes[:start]}
    kept: list[Write] = []
    kept_before: list[tuple[Write, ...]] = []
    for write in writes[start:]:
        kept_before.append(tuple(kept))
        verb, target = read_reversal(subjects[write.entry]) or ("", 0)
        at = start + len(kept_before) - 1
        is_first = write.entry not in met
        met.add(write.entry)
        # Only the return itself leads to its point; repeated later, it is a change like any other.
        if verb == BACK and is_first and (first := _first_from(writes, target, at)) >= start:
            kept = list(kept_before[first - start])
        elif kept and write.cancels(kept[-1]):
            kept.pop()
        else:
            kept.append(write)
    return tuple(kept)


def _first_from(writes: Sequence[Write], point: int, end: int) -> int:
    """The index of the first write since entry `point` was made, `end` where there is none before that."""
    return next((at for at in range(end) if writes[at].latest >= point), end)
