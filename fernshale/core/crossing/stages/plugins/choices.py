"""Storing how conflicts were resolved: one by one, all that are alike, or all in a file, a folder or a plugin."""

from __future__ import annotations

import time
from collections.abc import Sequence

from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decision_memory import forget, remember
from fernshale.core.crossing.record.decision_titles import keep_titles
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.merge.folder_merge import FileMerge, FolderMerge
from fernshale.core.merge.keyed import KeyedMerge
from fernshale.core.merge.text_merge import TAKINGS, Conflict, Resolution, TextMerge, part_of

PREFIX = "merge:"


def alike(merge: FolderMerge, id: str) -> tuple[tuple[FileMerge, Conflict], ...]:
    """The decisions of a merge that are like one of them, that one among them."""
    kinds = merge.likenesses
    wanted = kinds.get(id)
    return tuple(item for item in merge.decisions if wanted is not None and kinds[item[1].id] == wanted)


def below(merge: FolderMerge, place: str) -> tuple[tuple[FileMerge, Conflict], ...]:
    """The decisions about a file or all files in a folder; of the whole merge where `place` is ""."""
    return tuple(
        (file, conflict)
        for file, conflict in merge.decisions
        if not place or file.shown == place or file.shown.startswith(place.rstrip("/") + "/")
    )


def conflict_title(file: FileMerge, conflict: Conflict) -> str:
    """The file and the subject of a conflict, in a few words."""
    return f"{file.shown.rsplit('/', 1)[-1]}: {_about(file, conflict)}"


def _about(file: FileMerge, conflict: Conflict) -> str:
    """The subject of a conflict, in a few words."""
    if isinstance(file.merge, KeyedMerge):
        return tr("both changed {key}", key=conflict.at.lstrip("/"))
    if isinstance(file.merge, TextMerge):
        mine = " ".join(" ".join(part_of(file.merge, conflict, "mine")).split())
        return (
            tr("both changed “{line}{more}”", line=mine[:44], more="…" if len(mine) > 44 else "")
            if mine
            else file.why.split(";")[0]
        )
    return file.why.split(";")[0]


def decide_all(crossing: Crossing, items: Sequence[tuple[FileMerge, Conflict]], take: str, author: Author) -> None:
    """Resolve each conflict that has the option in the same way. Raises MisuseError where none has."""
    fitting = [item for item in items if take in item[1].options]
    if not fitting:
        raise MisuseError(tr("none of {number} conflicts has the option {take!r}", number=len(items), take=take))
    keep_decisions(crossing, fitting, take, "", author)


def keep_decisions(
    crossing: Crossing, items: Sequence[tuple[FileMerge, Conflict]], take: str, text: str, author: Author
) -> None:
    """Keep merge decisions, for this crossing and for others that meet the same conflicts. Raises MisuseError for an unknown
    option."""
    if take not in TAKINGS:
        raise MisuseError(
            tr("{take!r} is no option of a conflict", take=take), tr("Options: {takings}.", takings=", ".join(TAKINGS))
        )
    ids = [conflict.id for _, conflict in items]
    keep_titles(crossing, {PREFIX + conflict.id: conflict_title(file, conflict) for file, conflict in items})
    for id in ids:
        crossing.decide(Decision(PREFIX + id, Stage.PLUGINS, take, text, author.who, author.why, time.time()))
    remember(ids, take, text, author.why, crossing.setup.project)


def withdraw_choice(crossing: Crossing, key: str) -> None:
    """Withdraw a decision; one about a conflict is not offered in other projects any more."""
    crossing.withdraw(key)
    if key.startswith(PREFIX):
        forget(key.removeprefix(PREFIX), crossing.setup.project)


def read_choices(crossing: Crossing) -> dict[str, Resolution]:
    """How conflicts were resolved so far, by id."""
    return {
        key.removeprefix(PREFIX): resolution(item.choice, item.text)
        for key, item in crossing.decisions().items()
        if key.startswith(PREFIX)
    }


def resolution(take: str, text: str) -> Resolution:
    """A stored choice as a value. Raises FernshaleError for an unknown option."""
    if take not in TAKINGS:
        raise FernshaleError(tr("a conflict was resolved by {take!r}, which is no option", take=take))
    return Resolution(take, text)  # type: ignore[arg-type]
