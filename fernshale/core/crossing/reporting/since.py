"""What changed between two reports of a crossing: for a run each night against a new release."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.toml_schema import read_utf8

_FORMAT = "fernshale-report/1"


def read_report(path: Path) -> Mapping[str, Any]:
    """A report that was written as JSON. Raises MisuseError for another file."""
    try:
        data = json.loads(read_utf8(path)[1])
    except (ValueError, RecursionError) as error:
        raise MisuseError(tr("{path} is not JSON: {error}", path=path, error=error)) from error
    if not isinstance(data, dict) or data.get("format") != _FORMAT:
        raise MisuseError(
            tr("{path} is no report of a crossing", path=path),
            tr("Name a file that `cross --json` or `report --out` wrote."),
        )
    return data


def report_difference(before: Mapping[str, Any], now: Mapping[str, Any]) -> dict[str, Any]:
    """The differences as JSON values: open items that are new or resolved, stages, errors of the last build, plugins, the target.

    Raises MisuseError for reports of two projects.
    """
    if before.get("project") != now["project"]:
        raise MisuseError(
            tr(
                "the earlier report is about {get}, this one about {project}",
                get=before.get("project"),
                project=now["project"],
            )
        )
    olds, news = ({item["key"]: item for item in report.get("left", ())} for report in (before, now))
    stages = {
        stage: {"before": before.get("stages", {}).get(stage, ""), "now": state}
        for stage, state in now["stages"].items()
        if before.get("stages", {}).get(stage, "") != state
    }
    plugins = {
        row["plugin"]: {"before": _of_plugin(old), "now": _of_plugin(row)}
        for row in now["route"]
        if _of_plugin(old := _row(before.get("route", ()), row["plugin"])) != _of_plugin(row)
    }
    return {
        "target": {"before": before.get("target", ""), "now": now["target"]},
        "done": {"before": bool(before.get("done")), "now": now["done"]},
        "errors": {"before": _errors(before), "now": _errors(now)},
        "stages": stages,
        "plugins": plugins,
        "new": [_item(item) for key, item in news.items() if key not in olds],
        "resolved": [_item(item) for key, item in olds.items() if key not in news],
    }


def difference_lines(difference: Mapping[str, Any]) -> Sequence[str]:
    """The differences as lines for people; one line says so where there are none."""
    lines = []
    target, errors = difference["target"], difference["errors"]
    if target["before"] != target["now"]:
        lines.append(tr("the target is {now}, not {before}", now=target["now"], before=target["before"]))
    if difference["done"]["now"] and not difference["done"]["before"]:
        lines.append(tr("the crossing is done"))
    if errors["before"] != errors["now"]:
        words = [tr("not built") if number is None else count(number, "error") for number in errors.values()]
        lines.append(tr("{now}, before {before}", now=words[1], before=words[0]))
    lines += [
        tr("{name}: {now}, before {before}", name=name, now=row["now"], before=row["before"] or tr("not there"))
        for name, row in difference["plugins"].items()
    ]
    lines += [
        tr("{stage}: {now}, before {before}", stage=stage, now=row["now"], before=row["before"])
        for stage, row in difference["stages"].items()
    ]
    lines += [tr("new: {title}", title=item["title"]) for item in difference["new"]]
    lines += [tr("resolved: {title}", title=item["title"]) for item in difference["resolved"]]
    return lines or [tr("nothing changed")]


def _errors(report: Mapping[str, Any]) -> int | None:
    """The errors of the last build, None where there was none."""
    rounds = report.get("rounds") or ()
    return sum(rounds[-1]["errors"].values()) if rounds else None


def _row(route: Sequence[Mapping[str, str]], plugin: str) -> Mapping[str, str]:
    return next((row for row in route if row.get("plugin") == plugin), {})


def _of_plugin(row: Mapping[str, str]) -> str:
    return f"{row['action']} {row['from']} → {row['to']}" if row else ""


def _item(item: Mapping[str, Any]) -> dict[str, Any]:
    return {name: item[name] for name in ("key", "stage", "title", "needs_you")}
