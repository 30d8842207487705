"""The crossing as a document for the team: steps, decisions, the ledger of edits, what is left."""

from __future__ import annotations

import time
from typing import Any

from fernshale.core.base.treepath import printable
from fernshale.core.crossing.matter import STAGES
from fernshale.core.crossing.overview import Overview
from fernshale.core.crossing.stages.plugins import ledger_json
from fernshale.core.crossing.stages.survey import describe
from fernshale.core.crossing.state import Crossing


def report_json(overview: Overview, crossing: Crossing) -> dict[str, Any]:
    """Everything the report tells, as data."""
    setup = overview.setup
    return {
        "format": "fernshale-report/1",
        "project": setup.project.name,
        "engine": overview.ground.profile.id,
        "from": setup.from_,
        "to": setup.to,
        "done": overview.is_done,
        "stages": {stage.value: overview.states[stage].value for stage in STAGES},
        "steps": [
            {
                "id": entry.id,
                "time": entry.time,
                "stage": entry.stage.value,
                "title": entry.title,
                "why": entry.why,
                "files": [change.path for change in entry.changes.files] if entry.changes else [],
                "state": entry.state,
            }
            for entry in overview.logbook
        ],
        "decisions": [
            {"key": item.key, "choice": item.choice, "text": item.text, "who": item.who, "why": item.why}
            for item in crossing.decisions().values()
        ],
        "ledgers": {
            view.plugin.id: {"done": view.done, **ledger_json(view.ledger)}
            for view in overview.plugins.plugins
            if view.ledger
        },
        "aside": [
            {"plugin": item.id, "version": item.version, "why": item.why, "until": item.condition, "ready": item.ready}
            for item in overview.plugins.aside
        ],
        "rounds": [item.to_json() for item in overview.build.rounds],
        "debts": [
            {"what": item.what, "title": item.title, "place": item.place, "why": item.why, "key": f"debt:{item.entry}"}
            for item in overview.build.debts
        ],
        "left": [
            {"key": item.key, "stage": item.stage.value, "title": item.title, "place": item.place}
            for item in overview.matters
        ],
    }


def report_markdown(overview: Overview, crossing: Crossing) -> str:
    """The report as Markdown."""
    setup = overview.setup
    title = f"{overview.ground.profile.title} {setup.from_} → {setup.to}"
    parts = [f"# {setup.project.name}: {title}", "", _verdict(overview), ""]
    parts += ["| stage | state | open |", "|---|---|---|"]
    for stage in STAGES:
        parts.append(f"| {stage.value} | {overview.states[stage].value} | {len(overview.matters_of(stage)) or ''} |")
    parts += ["", *_before(overview), *_edits(overview), *_rounds(overview), *_decisions(crossing)]
    parts += [*_steps(overview), *_debts(overview), *_left(overview)]
    return "\n".join(parts).rstrip() + "\n"


def _verdict(overview: Overview) -> str:
    if overview.is_done:
        return "It compiles, runs and passes its checks; nothing is left open."
    needs = sum(matter.needs_you for matter in overview.matters)
    return f"{len(overview.matters)} matters are open, {needs} of them need a decision."


def _before(overview: Overview) -> list[str]:
    baseline, run = overview.survey.baseline, overview.trial.run
    parts = ["## Before and now", ""]
    parts.append(
        f"- before, on {baseline.release}: {describe(baseline)}" if baseline else "- before: no baseline was taken"
    )
    if run:
        parts.append(f"- now, on {run.release}: " + ("runs" if run.passed else f"ends with status {run.status}"))
        parts.append(f"- in the log: {overview.trial.log.count('new')} messages new, {overview.trial.log.count('gone')} gone")
        parts += [f"- {check.name}: {check.verdict}" for check in run.checks]
    return [*parts, ""]


def _edits(overview: Overview) -> list[str]:
    views = [view for view in overview.plugins.plugins if view.ledger]
    if not views:
        return []
    total, count = overview.plugins.edits, overview.plugins.count
    sums = f"{total} = {count('carried')} carried + {count('already')} already there + {count('decide')} to decide"
    parts = ["## Local edits in plugins", "", f"{sums} + {count('dropped')} dropped by decision.", ""]
    parts += ["| plugin | file | lines | edit | fate | now | why |", "|---|---|---|---|---|---|---|"]
    for view in views:
        for entry in view.ledger.entries if view.ledger else ():
            where, now = printable(entry.path), printable(entry.now)
            cells = (view.plugin.id, where, entry.lines, entry.what, entry.fate, now, entry.why)
            parts.append("| " + " | ".join(_cell(text) for text in cells) + " |")
    return [*parts, ""]


def _rounds(overview: Overview) -> list[str]:
    if not overview.build.rounds:
        return []
    parts = ["## Rounds", "", "| round | errors | causes | warnings | seconds |", "|---|---|---|---|---|"]
    for item in overview.build.rounds:
        parts.append(f"| {item.number} | {item.total} | {len(item.causes)} | {item.warnings} | {item.elapsed_s:.1f} |")
    return [*parts, ""]


def _decisions(crossing: Crossing) -> list[str]:
    decisions = crossing.decisions().values()
    if not decisions:
        return []
    parts = ["## Decisions", "", "| what | taken | by | why |", "|---|---|---|---|"]
    parts += [
        f"| {_cell(item.key)} | {_cell(item.choice or 'left as it is')} | {_cell(item.who)} | {_cell(item.why)} |"
        for item in decisions
    ]
    return [*parts, ""]


def _steps(overview: Overview) -> list[str]:
    parts = ["## Steps", ""]
    for entry in overview.logbook:
        when = time.strftime("%Y-%m-%d %H:%M", time.localtime(entry.time))
        undone = " (undone)" if entry.state == "undone" else ""
        why = f" — {entry.why}" if entry.why else ""
        parts.append(f"- {when} · {entry.stage.value} · {entry.title}{why}{undone}")
    return [*parts, ""]


def _debts(overview: Overview) -> list[str]:
    """What is set aside, and what brings it back."""
    if not overview.plugins.aside and not overview.build.debts:
        return []
    parts = ["## Set aside", ""]
    parts += [f"- {item.title} ({item.place}): {item.why}. `debt:{item.entry}`" for item in overview.build.debts]
    for item in overview.plugins.aside:
        ready = f"; {item.ready} would fit now" if item.ready else ""
        parts.append(f"- {item.id} {item.version}: {item.why}. It comes back with {item.condition}{ready}.")
    return [*parts, ""]


def _left(overview: Overview) -> list[str]:
    parts = ["## What is left", ""]
    if not overview.matters:
        return [*parts, "Nothing.", ""]
    for matter in overview.matters:
        place = f" ({matter.place})" if matter.place else ""
        parts.append(f"- [ ] {matter.stage.value}: {matter.title}{place}")
    return [*parts, ""]


def _cell(text: str) -> str:
    return " ".join(text.split()).replace("|", "\\|")
