"""The report as Markdown, and the short form of it for a merge request."""

from __future__ import annotations

import re
import time
from collections.abc import Mapping, Sequence
from typing import Any

from fernshale.core.base.quantities import count, seconds
from fernshale.core.base.treepath import printable
from fernshale.core.crossing.reporting.data import figure_name
from fernshale.core.merge.ledger import FATE_WORDS

Data = Mapping[str, Any]
# Characters that begin or end markup in Markdown, in tables and in HTML. An underscore inside a word does not.
_MARKUP = re.compile(r"[\\`*\[\]<>|&~]|(?<![^\W_])_|_(?![^\W_])|^[#+=-](?=\s|$|[-=#+])|^\d+(?=[.)]\s)")


def report_markdown(data: Data) -> str:
    """The whole report. Text from outside (messages of tools, names, reasons) is escaped."""
    raw, data = data, _escaped(data)
    parts = [f"# {data['project']}: {data['title']}", "", data["verdict"], ""]
    parts += _table(
        ("stage", "state", "open"), [(name, state, data["open"][name] or "") for name, state in data["stages"].items()]
    )
    parts += [", ".join(f"{number} {figure_name(name, number)}" for name, number in data["figures"].items()) + ".", ""]
    parts += [
        *_trial(data, raw),
        *_route(data),
        *_edits(data),
        *_rounds(data),
        *_members(data),
        *_links(data),
        *_decisions(data),
    ]
    parts += [*_accepted(data), *_steps(data), *_debts(data, raw), *_follow_ups(data), *_left(data)]
    return "\n".join(parts).rstrip() + "\n"


def report_message(data: Data) -> str:
    """A short message for a merge request: the changes, the result, and the places that a reviewer should check."""
    data = _escaped(data)
    figures = data["figures"]
    parts = [f"Move {data['project']} from {data['start']} to {data['to']}", "", data["verdict"], ""]
    steps = f"{count(figures['steps'], 'step')} over {count(figures['files touched'], 'file')}"
    errors = count(figures["errors at first"], "error")
    parts.append(f"- {steps}; {count(figures['rounds'], 'build')}, the first with {errors}")
    if figures["local edits"]:
        sums = {words: sum(_sum(leg, fate) for leg in _legs(data)) for fate, words in FATE_WORDS.items()}
        told = ", ".join(f"{number} {words}" for words, number in sums.items() if number)
        parts.append(f"- {figures['local edits']} local edits in plugins: {told}")
    moved = [row for leg in _legs(data) for row in leg["route"] if row["to"] and row["to"] != row["from"]]
    parts += [f"- {row['plugin']} {row['from']} → {row['to']}" for row in moved]
    checks = data["trial"]["checks"]
    good = sum(row["results"].get(data["to"]) == "passed" for row in checks)
    if checks:
        parts.append(f"- {good} of {len(checks)} checks passed on {data['to']}")
    asked = [row for row in data["decisions"] if row["who"] != "automatic" and row["why"]]
    parts += _titled("\nPlease check", [f"- {row['what']}, {row['taken']}: {row['why']}" for row in asked][:12])
    parts += _titled("\nAccepted", [f"- {row['what']}: {row['why']}" for row in data["accepted"]])
    debts = [f"- {row['title']}: {row['why']}" for row in data["debts"]]
    debts += [f"- {row['plugin']} is left out until {row['until']}" for row in data["left_out"]]
    parts += _titled("\nDebts", debts)
    return "\n".join(parts).rstrip() + "\n"


def _trial(data: Data, raw: Data) -> list[str]:
    trial = data["trial"]
    parts = ["## Before and now", "", f"- before, {trial['before'] or 'no baseline was taken'}"]
    if trial["now"]:
        parts += [f"- now, {trial['now']}", f"- messages in the log: {trial['new']} new, {trial['gone']} gone"]
        for item in raw["trial"]["messages"][:20]:
            how = f"{item['sign']} {item['severity']}".strip()
            parts.append(f"- {how}: {_code(item['text'])}")
        for item in trial["timings"]:
            parts.append(
                f"- {item['name']}: {seconds(item['before'])} before, {seconds(item['now'])} now, {item['verdict']}"
            )
        parts += [f"- {item['name']}: {item['says']}" for item in trial["pictures"]]
    parts.append("")
    if trial["checks"]:
        rows = [(row["name"], *(row["results"].get(each, "") for each in trial["releases"])) for row in trial["checks"]]
        parts += ["### Checks", "", *_table(("check", *trial["releases"]), rows)]
    return parts


def _legs(data: Data) -> list[Data]:
    """All legs in order, the current one last."""
    here = {
        "from": data["from"],
        "to": data["to"],
        "route": data["route"],
        "ledgers": data["ledgers"],
        "rounds": data["rounds"],
    }
    return [*data["earlier"], here]


def _named(leg: Data, of: int) -> list[str]:
    """The title of a leg, where there are several."""
    return [f"### {leg['from']} → {leg['to']}", ""] if of > 1 else []


def _route(data: Data) -> list[str]:
    legs = _legs(data)
    parts = ["## Route", "", " → ".join([data["start"], *data["stops"]]), ""]
    for leg in legs:
        rows = [(row["plugin"], row["from"], row["to"] or "nothing", row["action"], row["why"]) for row in leg["route"]]
        if rows:
            parts += [*_named(leg, len(legs)), *_table(("plugin", "from", "to", "what", "why"), rows)]
    return parts


def _edits(data: Data) -> list[str]:
    legs = _legs(data)
    if not any(leg["ledgers"] for leg in legs):
        return []
    parts = ["## Local edits in plugins", ""]
    for leg in legs:
        ledgers = leg["ledgers"]
        total = sum(ledger["edits"] for ledger in ledgers.values())
        carried, already, decide, dropped = (_sum(leg, fate) for fate in ("carried", "already", "decide", "dropped"))
        sums = f"{total} = {carried} kept + {already} already in the new release + {decide} to decide"
        sums += f" + {dropped} dropped by decision."
        rows = [
            (
                plugin,
                entry["path"],
                entry["lines"],
                entry["what"],
                FATE_WORDS[entry["fate"]],
                entry["now"],
                entry["why"],
            )
            for plugin, ledger in ledgers.items()
            for entry in ledger["entries"]
        ]
        parts += [*_named(leg, len(legs)), sums, ""]
        parts += _table(("plugin", "file", "lines", "edit", "fate", "now", "why"), rows) if rows else []
    return parts


def _rounds(data: Data) -> list[str]:
    rows = [
        (
            leg["to"],
            item["number"],
            sum(item["errors"].values()),
            len(item["causes"]),
            item["warnings"],
            f"{item['elapsed_s']:.1f}",
        )
        for leg in _legs(data)
        for item in leg["rounds"]
    ]
    if not rows:
        return []
    return ["## Rounds", "", *_table(("for", "round", "errors", "causes", "warnings", "seconds"), rows)]


def _members(data: Data) -> list[str]:
    rows = [(row["name"], row["release"], row["says"]) for row in data["members"]]
    return ["## Members", "", *_table(("member", "release", "how far"), rows)] if rows else []


def _links(data: Data) -> list[str]:
    links = data["links"]
    parts = [f"- {row['id']} is missing, {row['uses']} uses" for row in links["dangling"]]
    parts += [f"- {row['id']} is missing by decision, {row['uses']} uses" for row in links["left"]]
    parts += [f"- {row['id']} was missing before, {row['uses']} uses" for row in links["dangled_before"]]
    parts += [
        f"- {row['what']}: {row['file']} was left as it is, {row['why'] or 'without a reason'}"
        for row in links["ignored"]
    ]
    return _titled("## Links", parts)


def _decisions(data: Data) -> list[str]:
    rows = [(row["what"], row["taken"], row["who"], row["why"]) for row in data["decisions"]]
    return ["## Decisions", "", *_table(("what", "taken", "by", "why"), rows)] if rows else []


def _accepted(data: Data) -> list[str]:
    return _titled(
        "## Accepted as meant", [f"- {row['what']}: {row['why'] or 'no reason given'}" for row in data["accepted"]]
    )


def _steps(data: Data) -> list[str]:
    parts = []
    for step in data["steps"]:
        when = time.strftime("%Y-%m-%d %H:%M", time.localtime(step["time"]))
        undone = " (undone)" if step["state"] == "undone" else ""
        why = f" — {step['why']}" if step["why"] else ""
        parts.append(f"- {when} · {step['stage']} · {step['title']}{why}{undone}")
    return _titled("## Steps", parts)


def _debts(data: Data, raw: Data) -> list[str]:
    """Debts, with the condition for their return."""
    parts = [
        f"- {item['title']} ({item['place']}): {item['why']}. {_code(as_is['key'])}"
        for item, as_is in zip(data["debts"], raw["debts"], strict=True)
    ]
    for item in data["left_out"]:
        ready = f"; {item['ready']} would fit now" if item["ready"] else ""
        parts.append(f"- {item['plugin']} {item['version']}: {item['why']}. It returns with {item['until']}{ready}.")
    return _titled("## Left out", parts)


def _follow_ups(data: Data) -> list[str]:
    words = {"new": "worth checking", "deprecated": "will bite next time"}
    return _titled(
        "## Follow-ups", [f"- {words[item['kind']]}: {item['text']} ({item['source']})" for item in data["follow_ups"]]
    )


def _left(data: Data) -> list[str]:
    parts = []
    for item in data["left"]:
        place = f" ({item['place']})" if item["place"] else ""
        parts.append(f"- [ ] {item['stage']}: {item['title']}{place}")
    return ["## Open items", "", *(parts or ["Nothing."]), ""]


def _sum(data: Data, fate: str) -> int:
    return sum(ledger[fate] for ledger in data["ledgers"].values())


def _titled(title: str, parts: Sequence[str]) -> list[str]:
    return [title, "", *parts, ""] if parts else []


def _table(head: Sequence[str], rows: Sequence[Sequence[Any]]) -> list[str]:
    lines = ["| " + " | ".join(head) + " |", "|" + "---|" * len(head)]
    return [*lines, *("| " + " | ".join(map(str, row)) + " |" for row in rows), ""]


def _escaped(value: Any) -> Any:
    """The data with each text in it on one line and without anything that Markdown or HTML would read as markup."""
    if isinstance(value, str):
        return _MARKUP.sub(r"\\\g<0>", " ".join(printable(value).split()))
    if isinstance(value, Mapping):
        return {_escaped(key): _escaped(item) for key, item in value.items()}
    return [_escaped(item) for item in value] if isinstance(value, (list, tuple)) else value


def _code(text: str) -> str:
    """A text as it is, as code on one line."""
    text = " ".join(printable(text).split())
    fence = "`" * (max(map(len, re.findall("`+", text)), default=0) + 1)
    space = " " if text[:1] == "`" or text[-1:] == "`" else ""
    return f"{fence}{space}{text}{space}{fence}"
