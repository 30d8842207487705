"""Trial: does it behave as before? The last run on the target beside the baseline's."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

from fernshale.core.base.quantities import seconds
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.baseline import Baseline, read_baseline
from fernshale.core.crossing.project.checks import CheckRow, check_rows
from fernshale.core.crossing.project.freshness import fingerprint
from fernshale.core.crossing.project.runs import RunRecord, run_game
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.logbook import note
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.trial.actions import BeginNextLeg, MarkCheck, RunGame
from fernshale.core.crossing.stages.trial.checks import ProposedCheck, propose_checks
from fernshale.core.profile.model import LogShape
from fernshale.core.trial.frame_times import Hitch, Timing, compare_times, find_hitches
from fernshale.core.trial.image_diff import NoPicture, PictureDifference, compare_pictures
from fernshale.core.trial.log_diff import Difference, LogComparison, compare_logs

# Differences nobody feels are no item, however sure they are.
_FELT_S, _FELT_FRAME_S = 0.25, 0.0005


@dataclass(frozen=True, slots=True)
class PicturePair:
    """A picture of the baseline and of the run, and how they differ; `trouble` where one is missing or cannot be read."""

    name: str
    before: str
    now: str
    difference: PictureDifference | None
    trouble: str = ""


@dataclass(frozen=True, slots=True)
class TrialView:
    """The last run on the target beside the baseline's. `is_stale`: files changed since. `accepted` are differences that a decision
    calls meant, with why."""

    run: RunRecord | None
    baseline: Baseline | None
    log: LogComparison
    is_stale: bool
    items: tuple[Item, ...]
    checks: tuple[CheckRow, ...] = ()
    proposed: tuple[ProposedCheck, ...] = ()
    timings: tuple[Timing, ...] = ()
    hitches: tuple[Hitch, ...] = ()
    pictures: tuple[PicturePair, ...] = ()
    accepted: Mapping[str, str] = field(default_factory=dict)
    release: str = ""
    can_run: bool = True

    @property
    def before(self) -> RunRecord | None:
        return self.baseline.run if self.baseline else None

    @property
    def passed(self) -> bool:
        run = self.run
        if run is None:
            return not self.can_run
        return run.passed and all(check.is_good for check in run.checks) and not self.is_stale


def trial(scan: ProjectScan, crossing: Crossing, compiles: bool = True) -> TrialView:
    """Look at the last run; runs nothing. What does not compile is built first."""
    kept = crossing.leg_fact("trial")
    baseline = read_baseline(crossing)
    rows = check_rows(crossing, scan)
    to = crossing.setup.to
    if kept is None or kept["run"]["release"] != to:
        can_run = scan.profile.commands.run is not None
        view = TrialView(None, baseline, LogComparison(), can_run, (), rows, release=to, can_run=can_run)
        items = [_not_run("not run yet on this release", compiles)] if can_run else []
        items += _tried(view, crossing.decisions())
        return replace(view, items=(*items, *(_leg_end(items, crossing) if compiles else ())))
    run = RunRecord.from_json(kept["run"])
    before = baseline.run if baseline else None
    decided = crossing.decisions()
    view = TrialView(
        run,
        baseline,
        _compared(before, run, scan.profile.log),
        kept["fingerprint"] != fingerprint(crossing, scan, ("generated",)),
        (),
        rows,
        propose_checks(crossing, scan),
        _timings(before, run),
        find_hitches(before.frame_runs if before else (), run.frame_runs) if before else (),
        _pictures(before, run, scan),
        {key: item.why for key, item in decided.items() if key.startswith("trial:")},
        to,
    )
    items = _items(view, decided, compiles)
    return replace(view, items=(*items, *_leg_end(items, crossing)))


def run_trial(crossing: Crossing, scan: ProjectScan, work: Work) -> RunRecord:
    """Run the game on the release the project is on, and keep how it went."""
    run = run_game(crossing, scan, Stage.TRIAL, work)
    crossing.keep_leg_fact("trial", {"run": run.to_json(), "fingerprint": fingerprint(crossing, scan, ("generated",))})
    words = f"runs in {seconds(run.elapsed_s)}" if run.passed else run.ending.words
    checks = "".join(f" · {check.name} {check.verdict}" for check in run.checks)
    note(crossing, Stage.TRIAL, f"trial on {run.release}: {words}{checks}", "", "trial")
    return run


def log_key(item: Difference) -> str:
    """The key of the item about a message."""
    return f"trial:log:{item.key}"


def trial_json(view: TrialView) -> dict[str, object]:
    """The trial as the command line prints it."""
    run = view.run
    return {
        "run": _run_json(run) if run else None,
        "passed": view.passed,
        "log": [
            {
                "sign": item.sign,
                "severity": item.severity,
                "text": item.sample,
                "template": item.template,
                "before": item.before,
                "now": item.now,
                "line": item.line,
            }
            for item in view.log.differences
        ],
        "checks": [
            {"name": row.check.name, "verdict": result.verdict, "detail": result.detail, "release": result.release}
            for row in view.checks
            for result in (row.on(view.release),)
        ],
        "proposed_checks": [
            {"name": item.check.name, "try": item.check.by_hand, "reason": item.reason} for item in view.proposed
        ],
        "timings": [
            {
                "name": item.name,
                "before": item.before,
                "now": item.now,
                "ratio": item.ratio,
                "verdict": item.verdict,
                "chance": item.chance,
                "runs": list(item.runs),
            }
            for item in view.timings
        ],
        "hitches": [
            {"frame": item.frame, "now_ms": item.now_ms, "usual_ms": item.usual_ms, "runs": item.runs}
            for item in view.hitches
        ],
        "pictures": [
            {
                "name": item.name,
                "share": item.difference.share if item.difference else None,
                "box": list(item.difference.box) if item.difference else None,
                "trouble": item.trouble,
            }
            for item in view.pictures
        ],
        "items": [{"key": open_item.key, "title": open_item.title} for open_item in view.items],
    }


def _run_json(run: RunRecord) -> dict[str, object]:
    ending = run.ending
    return {**run.to_json(), "ending": ending.kind, "said": ending.words, "stack": list(ending.stack)}


# The last comparisons, so that each look at a project need not read its logs and pictures again.
_compared_logs: dict[tuple[str, str, LogShape], LogComparison] = {}
_compared_pictures: dict[tuple[str, float, str, float, float], PictureDifference] = {}
_MOST_COMPARED = 8


def _compared(before: RunRecord | None, run: RunRecord, shape: LogShape) -> LogComparison:
    key = (before.log_file if before else "", run.log_file, shape)
    if key not in _compared_logs:
        if len(_compared_logs) >= _MOST_COMPARED:
            _compared_logs.clear()
        _compared_logs[key] = compare_logs(before.data() if before else b"", run.data(), shape)
    return _compared_logs[key]


def _timings(before: RunRecord | None, run: RunRecord) -> tuple[Timing, ...]:
    if before is None:
        return ()
    middle = [[_middle(times) for times in record.frame_runs if times] for record in (before, run)]
    found = (
        compare_times("whole run", before.elapsed_runs, run.elapsed_runs, _FELT_S),
        compare_times("until it has started", before.started_runs, run.started_runs, _FELT_S),
        compare_times(
            "a frame", [value / 1000 for value in middle[0]], [value / 1000 for value in middle[1]], _FELT_FRAME_S
        ),
    )
    return tuple(item for item in found if item is not None)


def _middle(times: tuple[float, ...]) -> float:
    return sorted(times)[len(times) // 2]


def _pictures(before: RunRecord | None, run: RunRecord, scan: ProjectScan) -> tuple[PicturePair, ...]:
    pairs = []
    for picture in scan.profile.picture:
        old = before.pictures.get(picture.name, "") if before else ""
        new = run.pictures.get(picture.name, "")
        if not old or not new:
            trouble = "the run did not leave it" if not new else "the baseline has none"
            pairs.append(PicturePair(picture.name, old, new, None, trouble))
            continue
        try:
            pairs.append(PicturePair(picture.name, old, new, _picture(old, new, picture.tolerance)))
        except NoPicture as error:
            pairs.append(PicturePair(picture.name, old, new, None, error.message))
    return tuple(pairs)


def _picture(before: str, now: str, tolerance: float) -> PictureDifference:
    try:
        key = (before, Path(before).stat().st_mtime, now, Path(now).stat().st_mtime, tolerance)
    except OSError as error:
        raise NoPicture(f"{error.filename} is gone") from error
    if key not in _compared_pictures:
        if len(_compared_pictures) >= _MOST_COMPARED:
            _compared_pictures.clear()
        _compared_pictures[key] = compare_pictures(Path(before), Path(now), tolerance)[0]
    return _compared_pictures[key]


def _not_run(title: str, compiles: bool) -> Item:
    run = (Option(RunGame(), "Run the game", (), 1.0, True),) if compiles else ()
    detail = "" if compiles else "it is built first"
    return Item("trial:run", Stage.TRIAL, title, detail=detail, needs_you=False, options=run)


def _again(key: str) -> Option:
    return Option(RunGame(key.removeprefix("trial:")), "Run again", (), 0.5)


def _accept(key: str) -> Option:
    return Option(Choose(key, "accept"), "It is meant to be so", ("write down why",), 0.2)


def _items(view: TrialView, decided: Mapping[str, Decision], compiles: bool) -> list[Item]:
    run = view.run
    assert run is not None
    items = [_not_run("files changed since the last run", compiles)] if view.is_stale else []
    if not run.passed:
        ending = run.ending
        detail = "\n".join(ending.stack or ending.last)
        items.append(
            Item(
                "trial:failed", Stage.TRIAL, f"the run {ending.words}", detail=detail, options=(_again("trial:failed"),)
            )
        )
    items += _tried(view, decided)
    for item in view.log.differences:
        worse = item.sign == "new" or (item.sign == "more" and item.severity)
        key = log_key(item)
        if worse and item.severity and key not in decided:
            what = f"new {item.severity} in the log"
            if item.sign == "more":
                what = f"{item.severity} in the log {item.now} times instead of {item.before}"
            items.append(Item(key, Stage.TRIAL, what, detail=item.sample, options=(_accept(key), _again(key))))
    return items + _measured(view, decided)


def _tried(view: TrialView, decided: Mapping[str, Decision]) -> list[Item]:
    """Checks that did not come out well, and those that a person has to try."""
    items = []
    for row in view.checks:
        result = row.on(view.release)
        key = f"trial:check:{row.check.name}"
        if key in decided or result.is_good:
            continue
        if result.verdict == "not tried":
            if row.check.by_hand:
                ways = (
                    Option(MarkCheck(row.check.name, "passed"), "It does", (), 0.5),
                    Option(MarkCheck(row.check.name, "failed"), "It does not", (), 0.5),
                    _accept(key),
                )
                items.append(
                    Item(key, Stage.TRIAL, f"{row.check.name}: not tried", detail=row.check.by_hand, options=ways)
                )
            continue
        title = f"{row.check.name}: {result.verdict}"
        items.append(Item(key, Stage.TRIAL, title, detail=result.detail, options=(_accept(key), _again(key))))
    return items


def _leg_end(items: Sequence[Item], crossing: Crossing) -> list[Item]:
    """The way on to the next leg, where nothing is left of this one."""
    setup = crossing.setup
    if items or setup.to == setup.target:
        return []
    following = setup.stops[setup.leg + 1]
    go_on = Option(BeginNextLeg(), f"Go on to {following}", (f"nothing is left on {setup.to}",), 1.0, True)
    title = f"{setup.to} is reached; the next stop is {following}"
    return [Item("trial:leg", Stage.TRIAL, title, needs_you=False, options=(go_on,))]


def _measured(view: TrialView, decided: Mapping[str, Decision]) -> list[Item]:
    """What takes longer, hitches, and looks different, beyond noise."""
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
