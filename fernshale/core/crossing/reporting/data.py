"""The report as data: route, steps, ledger, decisions, rounds, trial, debts, follow-ups, figures."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from fernshale.core.base.texts import and_list, count, noun, tr
from fernshale.core.base.treepath import printable
from fernshale.core.crossing.record.database import Crossing, LogEntry
from fernshale.core.crossing.record.decision_titles import decision_words
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.last_build import ROUNDS
from fernshale.core.crossing.record.plugin_updates import plugin_updates, update_fact
from fernshale.core.crossing.record.stage import STAGES
from fernshale.core.crossing.reporting.follow_ups import follow_ups
from fernshale.core.crossing.stages.build.member_states import member_states
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.plugins.json_data import ledger_json
from fernshale.core.crossing.stages.survey.baseline_run import describe_baseline
from fernshale.core.crossing.stages.trial.items import accepted_words
from fernshale.core.crossing.stages.trial.view import PicturePair


def report_data(overview: Overview, crossing: Crossing) -> dict[str, Any]:
    """All data of the report as JSON values; `--json` prints them and every document is written from them."""
    setup = overview.setup
    decisions, words = crossing.decisions(), decision_words(crossing)
    earlier = [_earlier_leg(overview, crossing, leg) for leg in range(setup.leg)]
    return {
        "format": "fernshale-report/1",
        "project": setup.project.name,
        "engine": overview.scan.profile.id,
        "title": f"{overview.scan.profile.title} {setup.start} → {setup.to}",
        "from": setup.from_,
        "to": setup.to,
        "start": setup.start,
        "target": setup.target,
        "stops": list(setup.stops),
        "done": overview.is_done,
        "verdict": _verdict(overview),
        "stages": {stage.value: overview.states[stage].value for stage in STAGES},
        "open": {stage.value: len(overview.items_of(stage)) for stage in STAGES},
        "figures": _figures(overview, decisions, earlier),
        "earlier": earlier,
        "route": _route(overview, crossing),
        "steps": [_step(entry) for entry in overview.logbook],
        "decisions": [
            {
                "key": item.key,
                "what": words[item.key][0],
                "taken": words[item.key][1],
                "stage": item.stage.value,
                "choice": item.choice,
                "text": item.text,
                "who": item.who,
                "why": item.why,
            }
            for item in decisions.values()
            if not item.key.startswith(("data:", "note:"))
        ],
        "ledgers": {
            view.plugin.id: {"done": view.done, **ledger_json(view.ledger)}
            for view in overview.plugins.plugins
            if view.ledger
        },
        "left_out": [
            {"plugin": item.id, "version": item.version, "why": item.why, "until": item.condition, "ready": item.ready}
            for item in overview.plugins.left_out
        ],
        "rounds": [item.to_json() for item in overview.build.rounds],
        "members": [
            {
                "name": item.member.name,
                "release": item.member.release,
                "crosses": item.crosses,
                "errors": item.errors,
                "says": item.words,
            }
            for item in member_states(overview.scan, overview.build, crossing)
        ],
        "links": _links(overview),
        "trial": _trial(overview),
        "accepted": [
            {"key": key, "what": accepted_words(overview.trial, key), "why": why}
            for key, why in overview.trial.accepted.items()
        ],
        "debts": [
            {"what": item.what, "title": item.title, "place": item.place, "why": item.why, "key": f"debt:{item.entry}"}
            for item in overview.build.debts
        ]
        + [
            {
                "what": "line",
                "title": item.words,
                "place": item.place,
                "why": f"{item.workaround.why}; {item.condition}",
                "key": item.key,
            }
            for item in overview.engine.workarounds
            if item.line
        ],
        "follow_ups": follow_ups(overview),
        "left": [
            {
                "key": item.key,
                "stage": item.stage.value,
                "title": item.title,
                "place": item.place,
                "owner": item.owner,
                "needs_you": item.needs_you,
                "options": [
                    {
                        "option": option.id,
                        "title": option.title,
                        "confidence": None if option.confidence is None else round(option.confidence, 3),
                        "why": list(option.evidence),
                    }
                    for option in item.options
                ],
            }
            for item in overview.items
        ],
    }


def _verdict(overview: Overview) -> str:
    if overview.is_done:
        commands = overview.scan.profile.commands
        did = [tr("compiles")] if commands.build is not None else []
        did += [tr("runs"), tr("passes its checks")] if commands.run is not None else []
        words = and_list(filter(None, (", ".join(did[:-1]), *did[-1:])))
        return (
            tr("It {words}; nothing is left open.", words=words)
            if did
            else tr("Nothing is left open; nothing was built or run.")
        )
    needs = sum(item.needs_you for item in overview.items)
    wanted = (
        tr("{items_need} a decision", items_need=count(needs, "of them needs", "of them need"))
        if needs
        else tr("none needs a decision")
    )
    return tr(
        "{items_are} open, {wanted}.", items_are=count(len(overview.items), "item is", "items are"), wanted=wanted
    )


def _earlier_leg(overview: Overview, crossing: Crossing, leg: int) -> dict[str, Any]:
    """The results of a finished leg: its plugins, their ledgers, its rounds."""
    stops = [overview.setup.start, *overview.setup.stops]
    route, ledgers = [], {}
    for plugin in overview.scan.plugins:
        kept = crossing.read(update_fact(plugin.folder), leg)
        if kept is not None:
            ledgers[plugin.id] = ledger_json(kept.ledger)
            route.append({"plugin": plugin.id, "from": kept.from_, "to": kept.to, "action": "taken", "why": ""})
    rounds = [item.to_json() for item in crossing.read(ROUNDS, leg)]
    return {"from": stops[leg], "to": stops[leg + 1], "route": route, "ledgers": ledgers, "rounds": rounds}


def figure_name(name: str, number: int) -> str:
    """The name of a figure for its number: "steps", "file touched", "local edit"."""
    return {
        "steps": noun(number, "step"),
        "files touched": noun(number, "file touched", "files touched"),
        "local edits": noun(number, "local edit"),
        "rounds": noun(number, "round"),
        "errors at first": noun(number, "error at first", "errors at first"),
        "decisions": noun(number, "decision"),
        "decisions by people": noun(number, "decision by people", "decisions by people"),
    }[name]


def _figures(
    overview: Overview, decisions: Mapping[str, Decision], earlier: Sequence[Mapping[str, Any]]
) -> dict[str, int]:
    done = [entry for entry in overview.logbook if entry.state == "done" and entry.changes]
    files = {change.path for entry in done if entry.changes for change in entry.changes.files}
    rounds = [item for leg in earlier for item in leg["rounds"]] + [item.to_json() for item in overview.build.rounds]
    asked = [item for item in decisions.values() if item.who not in ("automatic", "Fernshale")]
    return {
        "steps": len(done),
        "files touched": len(files),
        "local edits": overview.plugins.edits
        + sum(ledger["edits"] for leg in earlier for ledger in leg["ledgers"].values()),
        "rounds": len(rounds),
        "errors at first": sum(rounds[0]["errors"].values()) if rounds else 0,
        "decisions": len({item.key.partition("@")[0] for item in decisions.values()}),
        "decisions by people": len({item.key.partition("@")[0] for item in asked}),
    }


def _route(overview: Overview, crossing: Crossing) -> list[dict[str, str]]:
    """The plan for each plugin on the leg, or the result of its update."""
    folders = {item.id: item.folder for item in overview.scan.plugins}
    taken = plugin_updates(crossing)
    rows = []
    for step in overview.route.leg.plugins:
        done = taken.get(folders.get(step.id, ""))
        from_, to = (done.from_, done.to) if done is not None else (step.from_, step.to)
        rows.append(
            {"plugin": step.id, "from": from_, "to": to, "action": "taken" if done else step.action, "why": step.why}
        )
    return rows


def _step(entry: LogEntry) -> dict[str, Any]:
    return {
        "id": entry.id,
        "time": entry.time,
        "stage": entry.stage.value,
        "title": entry.title,
        "why": entry.why,
        "files": [printable(change.path) for change in entry.changes.files] if entry.changes else [],
        "state": entry.state,
    }


def _links(overview: Overview) -> dict[str, Any]:
    view = overview.links
    return {
        "ids": len(view.index.ids_used()),
        "dangling": [{"id": item.id, "uses": len(item.uses)} for item in view.missing],
        "left": [{"id": item.id, "uses": len(item.uses)} for item in view.left],
        "dangled_before": [{"id": item.id, "uses": len(item.uses)} for item in view.before],
        "ignored": [{"what": item.expect.title, "file": item.file, "why": why} for item, why in view.data_scan.ignored],
    }


def _trial(overview: Overview) -> dict[str, Any]:
    view, baseline = overview.trial, overview.survey.baseline
    releases = list(dict.fromkeys([overview.setup.start, *overview.setup.stops]))
    return {
        "before": tr("on {release}: {baseline}", release=baseline.release, baseline=describe_baseline(baseline))
        if baseline
        else "",
        "now": tr("on {release}: {words}", release=view.run.release, words=view.run.ending.words) if view.run else "",
        "new": view.log.count("new"),
        "gone": view.log.count("gone"),
        "messages": [
            {"sign": item.sign, "severity": item.severity, "text": item.sample, "before": item.before, "now": item.now}
            for item in view.log.differences
        ],
        "releases": releases,
        "checks": [
            {
                "name": row.check.name,
                "results": {each: row.on(each).verdict for each in releases if each in row.results},
            }
            for row in view.checks
        ],
        "timings": [
            {"name": item.name, "before": item.before, "now": item.now, "verdict": item.verdict}
            for item in view.timings
        ],
        "pictures": [{"name": item.name, "says": _picture_words(item)} for item in view.pictures],
    }


def _picture_words(pair: PicturePair) -> str:
    """How a picture compares with that of the baseline."""
    if pair.difference is None:
        return pair.trouble
    if pair.difference.is_same:
        return tr("looks the same")
    return pair.difference.why or tr("{share:.1%} of it looks different", share=pair.difference.share)
