"""The open items of Trial."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import tr
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.trial.actions import BeginNextLeg, MarkCheck, RunGame
from fernshale.core.crossing.stages.trial.view import TrialView
from fernshale.core.trial.log_diff import Difference


def log_key(item: Difference) -> str:
    """The key of the item about a message."""
    return f"trial:log:{item.key}"


def accepted_words(view: TrialView, key: str) -> str:
    """What a decision that accepted a difference is about."""
    found = next((item.sample for item in view.log.differences if log_key(item) == key), "")
    return found or key.removeprefix("trial:").replace(":", " ", 1)


def not_run_item(title: str, compiles: bool) -> Item:
    run = (Option(RunGame(), tr("Run the game"), (), is_automatic=True),) if compiles else ()
    detail = "" if compiles else tr("it is built first")
    return Item("trial:run", Stage.TRIAL, title, detail=detail, needs_you=False, options=run)


def _again(key: str) -> Option:
    return Option(RunGame(key.removeprefix("trial:")), tr("Run again"), ())


def _accept(key: str) -> Option:
    return Option(Choose(key, "accept"), tr("It is meant to be so"), (tr("write down why"),))


def trial_items(view: TrialView, decided: Mapping[str, Decision], compiles: bool) -> list[Item]:
    run = view.run
    assert run is not None
    items = [not_run_item(tr("files changed since the last run"), compiles)] if view.is_stale else []
    if not run.passed:
        ending = run.ending
        detail = "\n".join(ending.stack or ending.last)
        items.append(
            Item(
                "trial:failed",
                Stage.TRIAL,
                tr("the run {words}", words=ending.words),
                detail=detail,
                options=(_again("trial:failed"),),
            )
        )
    items += tried_items(view, decided)
    for item in view.log.differences:
        worse = item.sign == "new" or (item.sign == "more" and item.severity)
        key = log_key(item)
        if worse and item.severity and key not in decided:
            what = tr("new {severity} in the log", severity=item.severity)
            if item.sign == "more":
                what = tr(
                    "{severity} in the log {now} times instead of {before}",
                    severity=item.severity,
                    now=item.now,
                    before=item.before,
                )
            items.append(Item(key, Stage.TRIAL, what, detail=item.sample, options=(_accept(key), _again(key))))
    return items + _measured(view, decided)


def tried_items(view: TrialView, decided: Mapping[str, Decision]) -> list[Item]:
    """Checks that failed, and checks that a person has to try."""
    items = []
    for row in view.checks:
        result = row.on(view.release)
        key = f"trial:check:{row.check.name}"
        if key in decided or result.is_good:
            continue
        if result.verdict == "not tried":
            if row.check.by_hand:
                options = (
                    Option(MarkCheck(row.check.name, "passed"), tr("It does"), ()),
                    Option(MarkCheck(row.check.name, "failed"), tr("It does not"), ()),
                    _accept(key),
                )
                items.append(
                    Item(
                        key,
                        Stage.TRIAL,
                        tr("{name}: not tried", name=row.check.name),
                        detail=row.check.by_hand,
                        options=options,
                    )
                )
            continue
        title = f"{row.check.name}: {result.verdict}"
        items.append(Item(key, Stage.TRIAL, title, detail=result.detail, options=(_accept(key), _again(key))))
    return items


def leg_end_items(items: Sequence[Item], crossing: Crossing) -> list[Item]:
    """The item that begins the next leg, where nothing is open on this one."""
    setup = crossing.setup
    if items or setup.to == setup.target:
        return []
    following = setup.stops[setup.leg + 1]
    go_on = Option(
        BeginNextLeg(),
        tr("Begin the leg to {following}", following=following),
        (tr("nothing is left on {to}", to=setup.to),),
        is_automatic=True,
    )
    title = tr("{to} is reached; the next stop is {following}", to=setup.to, following=following)
    return [Item("trial:leg", Stage.TRIAL, title, needs_you=False, options=(go_on,))]


def _measured(view: TrialView, decided: Mapping[str, Decision]) -> list[Item]:
    """Timings, frames and pictures that differ by more than noise."""
    items = []
    for item in view.timings:
        key = f"trial:time:{item.name}"
        if item.verdict == "slower" and key not in decided:
            title = tr("{name} takes {ratio:.0%} longer", name=item.name, ratio=item.ratio - 1)
            detail = tr(
                "{before} before, {now} now; by chance alone in {chance:.1%} of cases",
                before=seconds(item.before),
                now=seconds(item.now),
                chance=item.chance,
            )
            items.append(Item(key, Stage.TRIAL, title, detail=detail, options=(_accept(key), _again(key))))
    for pair in view.pictures:
        key = f"trial:picture:{pair.name}"
        if key in decided:
            continue
        if pair.difference is not None and not pair.difference.is_same:
            told = pair.difference.why or tr("{share:.1%} of it looks different", share=pair.difference.share)
            items.append(Item(key, Stage.TRIAL, f"{pair.name}: {told}", options=(_accept(key), _again(key))))
        elif pair.trouble and pair.before:
            items.append(Item(key, Stage.TRIAL, f"{pair.name}: {pair.trouble}", options=(_accept(key), _again(key))))
    return items
