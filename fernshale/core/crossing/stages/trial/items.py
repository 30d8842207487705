"""The open items of Trial."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from fernshale.core.base.quantities import seconds
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
    run = (Option(RunGame(), "Run the game", (), is_automatic=True),) if compiles else ()
    detail = "" if compiles else "it is built first"
    return Item("trial:run", Stage.TRIAL, title, detail=detail, needs_you=False, options=run)


def _again(key: str) -> Option:
    return Option(RunGame(key.removeprefix("trial:")), "Run again", ())


def _accept(key: str) -> Option:
    return Option(Choose(key, "accept"), "It is meant to be so", ("write down why",))


def trial_items(view: TrialView, decided: Mapping[str, Decision], compiles: bool) -> list[Item]:
    run = view.run
    assert run is not None
    items = [not_run_item("files changed since the last run", compiles)] if view.is_stale else []
    if not run.passed:
        ending = run.ending
        detail = "\n".join(ending.stack or ending.last)
        items.append(
            Item(
                "trial:failed", Stage.TRIAL, f"the run {ending.words}", detail=detail, options=(_again("trial:failed"),)
            )
        )
    items += tried_items(view, decided)
    for item in view.log.differences:
        worse = item.sign == "new" or (item.sign == "more" and item.severity)
        key = log_key(item)
        if worse and item.severity and key not in decided:
            what = f"new {item.severity} in the log"
            if item.sign == "more":
                what = f"{item.severity} in the log {item.now} times instead of {item.before}"
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
                    Option(MarkCheck(row.check.name, "passed"), "It does", ()),
                    Option(MarkCheck(row.check.name, "failed"), "It does not", ()),
                    _accept(key),
                )
                items.append(
                    Item(key, Stage.TRIAL, f"{row.check.name}: not tried", detail=row.check.by_hand, options=options)
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
        BeginNextLeg(), f"Begin the leg to {following}", (f"nothing is left on {setup.to}",), is_automatic=True
    )
    title = f"{setup.to} is reached; the next stop is {following}"
    return [Item("trial:leg", Stage.TRIAL, title, needs_you=False, options=(go_on,))]


def _measured(view: TrialView, decided: Mapping[str, Decision]) -> list[Item]:
    """Timings, frames and pictures that differ by more than noise."""
    items = []
    for item in view.timings:
        key = f"trial:time:{item.name}"
        if item.verdict == "slower" and key not in decided:
            title = f"{item.name} takes {item.ratio - 1:.0%} longer"
            detail = (
                f"{seconds(item.before)} before, {seconds(item.now)} now; by chance alone in {item.chance:.1%} of cases"
            )
            items.append(Item(key, Stage.TRIAL, title, detail=detail, options=(_accept(key), _again(key))))
    for pair in view.pictures:
        key = f"trial:picture:{pair.name}"
        if key in decided:
            continue
        if pair.difference is not None and not pair.difference.is_same:
            told = pair.difference.why or f"{pair.difference.share:.1%} of it looks different"
            items.append(Item(key, Stage.TRIAL, f"{pair.name}: {told}", options=(_accept(key), _again(key))))
        elif pair.trouble and pair.before:
            items.append(Item(key, Stage.TRIAL, f"{pair.name}: {pair.trouble}", options=(_accept(key), _again(key))))
    return items
