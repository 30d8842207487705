"""The rows of the list of causes, and the bars of the rounds."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from typing import cast

from fernshale.api.building import silent_words
from fernshale.app.pages.build.detail import drift_key
from fernshale.app.theme import Tone
from fernshale.app.widgets.api_changes import KIND_TITLES, title_of_change
from fernshale.app.widgets.charts import Bar
from fernshale.app.widgets.rows import Row
from fernshale.core.base.texts import count, tr, tr_kept, tr_marked
from fernshale.core.build.owners import Owned
from fernshale.core.build.round_history import Round
from fernshale.core.crossing.project.interface_changes import Used
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.stages.build.items import DEFAULT
from fernshale.core.crossing.stages.build.view import CauseView, Fix

# So many errors of before the upgrade are listed.
_MOST_BEFORE = 200


@dataclass(frozen=True, slots=True)
class ChosenRow:
    """The value of a row: the key of a cause, a silent change, a debt or a change of the API."""

    key: str


def round_bar(item: Round) -> Bar:
    """The bar of a round: its errors by owner."""
    groups = {"own code": 0, "plugins": 0, "generated, linker": 0, "engine": 0}
    for owner, amount in item.errors.items():
        word = tr("own code") if owner == "own" else tr("plugins") if owner.startswith("plugin") else owner
        groups[word if word in groups else "generated, linker"] += amount
    tones: dict[str, Tone] = {"own code": "mine", "plugins": "incoming", "generated, linker": "base", "engine": "alarm"}
    known = tr(" + {known} before", known=item.known) if item.known else ""
    good = tr("no new errors") if item.known else tr("compiles")
    right = f"{item.total}{known} · {item.elapsed_s:.0f} s" if item.total else f"{good} · {item.elapsed_s:.0f} s"
    return Bar(
        tr("round {number}", number=item.number),
        tuple((tones[word], amount, word) for word, amount in groups.items()),
        right,
    )


def no_round(can_build: bool) -> Bar:
    """The bar before the first round."""
    return Bar(tr("no round"), (), tr("not built yet") if can_build else tr("the profile has no build command"))


def cause_row(item: CauseView, most: int) -> Row:
    """The row of a cause. `most` is the largest number of errors of a cause."""
    cause = item.cause
    fix = item.fixes[0] if item.fixes else None
    notes = [tr_marked(cause.kind), count(len(cause.files), "file"), cause.owner]
    if cause.under:
        notes = [tr("follows from the cause above")]
    elif item.state in ("still there", "came back"):
        notes.append(tr_marked(item.state))
    if item.is_settled:
        sub = item.settled_words
    elif fix is None:
        sub = " · ".join(notes if cause.under else [*notes, tr("no fix found")])
    elif not item.open:
        sub = " · ".join([*notes, tr("its lines were changed since the build")])
    else:
        verdict = fix.tried.partition(";")[0]
        sub = " · ".join([*notes, tr("high confidence") if fix.is_automatic else verdict or tr("check it")])
    right = str(item.open) if item.open and not item.handled_by else ""
    if fix is not None and item.open:
        right = (
            tr("fill in") if fix.rule.leaves_placeholder else tr("clears {clears}", clears=min(fix.clears, item.open))
        )
    title = f"   {cause.title}" if cause.under else cause.title
    return Row(
        title,
        sub,
        right,
        "",
        "alarm",
        bar=0.0 if item.handled_by else item.open / most,
        payload=ChosenRow(f"cause:{cause.key}"),
        faded=item.is_settled,
    )


def silent_row(fix: Fix, is_checked: bool, broken: Collection[str]) -> Row:
    """The row of a fix that no tool reports an error for; `broken` are the files with errors."""
    sub = f"{silent_words(fix, is_checked, broken)} · {count(len(fix.edits), 'place')}"
    return Row(
        tr_kept(fix.rule.name),
        sub,
        tr("silent"),
        "!",
        "incoming",
        edge="incoming",
        payload=ChosenRow(f"silent:{fix.rule.id}"),
    )


def before_rows(errors: Sequence[Owned]) -> list[Row]:
    """The errors that were there before the upgrade, apart from the causes."""
    if not errors:
        return []
    shown = [
        Row(item.diagnostic.message, f"{item.place.file}:{item.place.line}", "", "○", faded=True, code=True)
        for item in errors[:_MOST_BEFORE]
    ]
    more = (
        [Row(tr("and {number} more", number=len(errors) - _MOST_BEFORE), faded=True)]
        if len(errors) > _MOST_BEFORE
        else []
    )
    return [Row(tr("There before the upgrade"), right=count(len(errors), "error"), heading=True), *shown, *more]


def default_row(item: Item, pin: Fix | None, is_checked: bool) -> Row:
    """The row of calls that compile and may mean something else."""
    notes = tr("compiles, and may mean something else") if is_checked else tr("no tool reports it")
    sub = notes + (f" · {count(len(pin.edits), 'place')}" if pin else "")
    title = tr_kept(item.key.removeprefix(DEFAULT))
    return Row(title, sub, tr("silent"), "!", "incoming", edge="incoming", payload=ChosenRow(item.key))


def drift_row(item: Used) -> Row:
    """The row of a change that the project uses, before the first build."""
    change = item.change
    glyph, tone = ("!", "incoming") if change.is_silent else ("", "plain")
    sub = KIND_TITLES[change.kind] + (tr(" · compiles and means something else") if change.is_silent else "")
    uses = count(item.uses, "use")
    return Row(title_of_change(change), sub, uses, glyph, cast(Tone, tone), payload=ChosenRow(drift_key(item.change)))
