"""Trial: does it behave as before?"""

from __future__ import annotations

from dataclasses import dataclass, replace

from fernshale.core.base.words import seconds
from fernshale.core.base.work import CancelToken, Progress
from fernshale.core.crossing.commands import OnLine, RunRecord, run_game
from fernshale.core.crossing.ground import Ground
from fernshale.core.crossing.logbook import note
from fernshale.core.crossing.matter import Matter, Proposal, Stage
from fernshale.core.crossing.stages.survey import Baseline, read_baseline
from fernshale.core.crossing.state import Crossing
from fernshale.core.trial.logs import LogLine, compare_logs


@dataclass(frozen=True, slots=True)
class TrialView:
    """The last run on the target beside the baseline's. `is_stale`: files changed since."""

    run: RunRecord | None
    baseline: Baseline | None
    log: tuple[LogLine, ...]
    is_stale: bool
    matters: tuple[Matter, ...]

    def count(self, sign: str, severity: str = "") -> int:
        return sum(line.sign == sign and (not severity or line.severity == severity) for line in self.log)

    @property
    def passed(self) -> bool:
        run = self.run
        good = run is not None and run.passed and all(check.verdict == "passed" for check in run.checks)
        return good and not self.is_stale


def trial(ground: Ground, crossing: Crossing) -> TrialView:
    """Look at the last run; runs nothing."""
    kept = crossing.leg_fact("trial")
    baseline = read_baseline(crossing)
    if kept is None or kept["run"]["release"] != crossing.setup.to:
        return TrialView(None, baseline, (), True, (_not_run("not run yet on this release"),))
    run = RunRecord.from_json(kept["run"])
    before = baseline.run.log if baseline and baseline.run else ()
    log = compare_logs(before, run.log, ground.profile.log)
    is_stale = kept["fingerprint"] != ground.fingerprint(("generated",))
    view = TrialView(run, baseline, log, is_stale, ())
    return replace(view, matters=tuple(_matters(view, crossing)))


def run_trial(crossing: Crossing, ground: Ground, on_line: OnLine, progress: Progress, token: CancelToken) -> RunRecord:
    """Run the game on the release the project is on, and keep how it went."""
    progress("running the game", 0, 1)
    run = run_game(crossing, ground, Stage.TRIAL, on_line, progress, token)
    crossing.keep_leg_fact("trial", {"run": run.to_json(), "fingerprint": ground.fingerprint(("generated",))})
    words = f"runs in {seconds(run.elapsed_s)}" if run.passed else f"ends with status {run.status}"
    checks = "".join(f" · {check.name} {check.verdict}" for check in run.checks)
    note(crossing, Stage.TRIAL, f"trial on {run.release}: {words}{checks}", "", "trial")
    return run


def to_json(view: TrialView) -> dict[str, object]:
    """The trial as the command line prints it."""
    run = view.run
    return {
        "run": run.to_json() if run else None,
        "passed": view.passed,
        "log": [
            {"sign": line.sign, "severity": line.severity, "text": line.text}
            for line in view.log
            if line.sign != "same"
        ],
        "checks": [{"name": item.name, "verdict": item.verdict, "detail": item.detail} for item in run.checks]
        if run
        else [],
        "matters": [{"key": matter.key, "title": matter.title} for matter in view.matters],
    }


def _not_run(title: str) -> Matter:
    run = Proposal("run", "Run the game", (), 1.0, True)
    return Matter("trial:run", Stage.TRIAL, title, needs_you=False, proposals=(run,))


def _matters(view: TrialView, crossing: Crossing) -> list[Matter]:
    run = view.run
    assert run is not None
    matters = [_not_run("files changed since the last run")] if view.is_stale else []
    decided = crossing.decisions()
    again = Proposal("run", "Run again", (), 0.5)
    accept = Proposal("accept", "It is meant to be so", ("write down why",), 0.2)
    if not run.passed:
        how = "took too long" if run.timed_out else f"ended with status {run.status}"
        detail = "\n".join(run.log[-8:])
        matters.append(Matter("trial:failed", Stage.TRIAL, f"the run {how}", detail=detail, proposals=(again,)))
    for check in run.checks:
        key = f"trial:check:{check.name}"
        if check.verdict != "passed" and key not in decided:
            title = f"{check.name}: {check.verdict}"
            matters.append(Matter(key, Stage.TRIAL, title, detail=check.detail, proposals=(accept, again)))
    for severity in ("error", "warning"):
        key = f"trial:log:{severity}"
        count = view.count("new", severity)
        if count and key not in decided:
            lines = "\n".join(line.text for line in view.log if line.sign == "new" and line.severity == severity)
            title = f"{count} new {severity}s in the log" if count > 1 else f"a new {severity} in the log"
            matters.append(Matter(key, Stage.TRIAL, title, detail=lines, proposals=(accept, again)))
    setup = crossing.setup
    if not matters and setup.to != setup.target:
        following = setup.stops[setup.leg + 1]
        go_on = Proposal("next", f"Go on to {following}", (f"{setup.to} runs as it should",), 1.0, True)
        title = f"{setup.to} is reached; the next stop is {following}"
        matters.append(Matter("trial:leg", Stage.TRIAL, title, needs_you=False, proposals=(go_on,)))
    return matters
