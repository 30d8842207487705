"""The trial as the command line prints it."""

from __future__ import annotations

from fernshale.core.crossing.project.runs import RunRecord
from fernshale.core.crossing.stages.trial.view import TrialView


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
