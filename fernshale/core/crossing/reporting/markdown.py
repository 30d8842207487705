"""The report as Markdown, and the short form of it for a merge request."""

from __future__ import annotations

import re
import time
from collections.abc import Mapping, Sequence
from typing import Any

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import count, tr, tr_marked
from fernshale.core.base.treepath import printable
from fernshale.core.crossing.reporting.data import figure_name
from fernshale.core.merge.ledger import FATE_WORDS

Data = Mapping[str, Any]
# Characters that begin or end markup in Markdown, in tables and in HTML. An underscore inside a word does not.
_MARKUP = lazy_pattern(r"[\\`*\[\]<>|&~]|(?<![^\W_])_|_(?![^\W_])|^[#+=-](?=\s|$|[-=#+])|^\d+(?=[.)]\s)")


def report_markdown(data: Data) -> str:
    """The whole report. Text from outside (messages of tools, names, reasons) is escaped."""
    raw, data = data, _escaped(data)
    parts = [f"# {data['project']}: {data['title']}", "", data["verdict"], ""]
    parts += _table(
        (tr("stage"), tr("state"), tr("open")),
        [(tr_marked(name), tr_marked(state), data["open"][name] or "") for name, state in data["stages"].items()],
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
    parts = [
        tr("Move {project} from {start} to {to}", project=data["project"], start=data["start"], to=data["to"]),
        "",
        data["verdict"],
        "",
    ]
    steps = tr(
        "{steps} over {files}", steps=count(figures["steps"], "step"), files=count(figures["files touched"], "file")
    )
    errors = count(figures["errors at first"], "error")
    parts.append(
        tr(
            "- {steps}; {builds}, the first with {errors}",
            steps=steps,
            builds=count(figures["rounds"], "build"),
            errors=errors,
        )
    )
    if figures["local edits"]:
        sums = {words: sum(_sum(leg, fate) for leg in _legs(data)) for fate, words in FATE_WORDS.items()}
        told = ", ".join(f"{number} {words}" for words, number in sums.items() if number)
        parts.append(
            tr("- {local_edits} local edits in plugins: {told}", local_edits=figures["local edits"], told=told)
        )
    moved = [row for leg in _legs(data) for row in leg["route"] if row["to"] and row["to"] != row["from"]]
    parts += [f"- {row['plugin']} {row['from']} → {row['to']}" for row in moved]
    checks = data["trial"]["checks"]
    good = sum(row["results"].get(data["to"]) == "passed" for row in checks)
    if checks:
        parts.append(tr("- {good} of {number} checks passed on {to}", good=good, number=len(checks), to=data["to"]))
    asked = [row for row in data["decisions"] if row["who"] != "automatic" and row["why"]]
    parts += _titled(tr("\nPlease check"), [f"- {row['what']}, {row['taken']}: {row['why']}" for row in asked][:12])
    parts += _titled(tr("\nAccepted"), [f"- {row['what']}: {row['why']}" for row in data["accepted"]])
    debts = [f"- {row['title']}: {row['why']}" for row in data["debts"]]
    debts += [
        tr("- {plugin} is left out until {until}", plugin=row["plugin"], until=row["until"]) for row in data["left_out"]
    ]
    parts += _titled(tr("\nDebts"), debts)
    return "\n".join(parts).rstrip() + "\n"


def _trial(data: Data, raw: Data) -> list[str]:
    trial = data["trial"]
    parts = [
        tr("## Before and now"),
        "",
        tr("- before, {before}", before=trial["before"] or tr("no baseline was taken")),
    ]
    if trial["now"]:
        parts += [
            tr("- now, {now}", now=trial["now"]),
            tr("- messages in the log: {new} new, {gone} gone", new=trial["new"], gone=trial["gone"]),
        ]
        for item in raw["trial"]["messages"][:20]:
            how = f"{item['sign']} {item['severity']}".strip()
            parts.append(f"- {how}: {_code(item['text'])}")
        for item in trial["timings"]:
            parts.append(
                tr(
                    "- {name}: {before} before, {now} now, {verdict}",
                    name=item["name"],
                    before=seconds(item["before"]),
                    now=seconds(item["now"]),
                    verdict=tr_marked(item["verdict"]),
                )
            )
        parts += [f"- {item['name']}: {item['says']}" for item in trial["pictures"]]
    parts.append("")
    if trial["checks"]:
        rows = [(row["name"], *(row["results"].get(each, "") for each in trial["releases"])) for row in trial["checks"]]
        parts += [tr("### Checks"), "", *_table((tr("check"), *trial["releases"]), rows)]
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
    parts = [tr("## Route"), "", " → ".join([data["start"], *data["stops"]]), ""]
    for leg in legs:
        rows = [
            (row["plugin"], row["from"], row["to"] or tr("nothing"), _action(row["action"]), row["why"])
            for row in leg["route"]
        ]
        if rows:
            parts += [
                *_named(leg, len(legs)),
                *_table((tr("plugin"), tr("from"), tr("to"), tr("what"), tr("why")), rows),
            ]
    return parts


def _action(action: str) -> str:
    return tr("updated") if action == "taken" else tr_marked(action)


def _edits(data: Data) -> list[str]:
    legs = _legs(data)
    if not any(leg["ledgers"] for leg in legs):
        return []
    parts = [tr("## Local edits in plugins"), ""]
    for leg in legs:
        ledgers = leg["ledgers"]
        total = sum(ledger["edits"] for ledger in ledgers.values())
        carried, already, decide, dropped = (_sum(leg, fate) for fate in ("carried", "already", "decide", "dropped"))
        sums = tr(
            "{total} = {carried} kept + {already} already in the new release + {decide} to decide",
            total=total,
            carried=carried,
            already=already,
            decide=decide,
        )
        sums += tr(" + {dropped} dropped by decision.", dropped=dropped)
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
        parts += (
            _table((tr("plugin"), tr("file"), tr("lines"), tr("edit"), tr("fate"), tr("now"), tr("why")), rows)
            if rows
            else []
        )
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
    return [
        tr("## Rounds"),
        "",
        *_table((tr("for"), tr("round"), tr("errors"), tr("causes"), tr("warnings"), tr("seconds")), rows),
    ]


def _members(data: Data) -> list[str]:
    rows = [(row["name"], row["release"], row["says"]) for row in data["members"]]
    return [tr("## Members"), "", *_table((tr("member"), tr("release"), tr("how far")), rows)] if rows else []


def _links(data: Data) -> list[str]:
    links = data["links"]
    parts = [tr("- {id} is missing, {uses} uses", id=row["id"], uses=row["uses"]) for row in links["dangling"]]
    parts += [tr("- {id} is missing by decision, {uses} uses", id=row["id"], uses=row["uses"]) for row in links["left"]]
    parts += [
        tr("- {id} was missing before, {uses} uses", id=row["id"], uses=row["uses"]) for row in links["dangled_before"]
    ]
    parts += [
        tr(
            "- {what}: {file} was left as it is, {why}",
            what=row["what"],
            file=row["file"],
            why=row["why"] or tr("without a reason"),
        )
        for row in links["ignored"]
    ]
    return _titled(tr("## Links"), parts)


def _decisions(data: Data) -> list[str]:
    rows = [(row["what"], row["taken"], row["who"], row["why"]) for row in data["decisions"]]
    return [tr("## Decisions"), "", *_table((tr("what"), tr("chosen"), tr("by"), tr("why")), rows)] if rows else []


def _accepted(data: Data) -> list[str]:
    return _titled(
        tr("## Accepted as meant"),
        [f"- {row['what']}: {row['why'] or tr('no reason given')}" for row in data["accepted"]],
    )


def _steps(data: Data) -> list[str]:
    parts = []
    for step in data["steps"]:
        when = time.strftime("%Y-%m-%d %H:%M", time.localtime(step["time"]))
        undone = tr(" (undone)") if step["state"] == "undone" else ""
        why = f" — {step['why']}" if step["why"] else ""
        parts.append(f"- {when} · {step['stage']} · {step['title']}{why}{undone}")
    return _titled(tr("## Steps"), parts)


def _debts(data: Data, raw: Data) -> list[str]:
    """Debts, with the condition for their return."""
    parts = [
        f"- {item['title']} ({item['place']}): {item['why']}. {_code(as_is['key'])}"
        for item, as_is in zip(data["debts"], raw["debts"], strict=True)
    ]
    for item in data["left_out"]:
        ready = tr("; {ready} would fit now", ready=item["ready"]) if item["ready"] else ""
        parts.append(
            tr(
                "- {plugin} {version}: {why}. It returns with {until}{ready}.",
                plugin=item["plugin"],
                version=item["version"],
                why=item["why"],
                until=item["until"],
                ready=ready,
            )
        )
    return _titled(tr("## Left out"), parts)


def _follow_ups(data: Data) -> list[str]:
    words = {"new": tr("worth checking"), "deprecated": tr("will bite next time")}
    return _titled(
        tr("## Follow-ups"),
        [f"- {words[item['kind']]}: {item['text']} ({item['source']})" for item in data["follow_ups"]],
    )


def _left(data: Data) -> list[str]:
    parts = []
    for item in data["left"]:
        place = f" ({item['place']})" if item["place"] else ""
        parts.append(f"- [ ] {item['stage']}: {item['title']}{place}")
    return [tr("## Open items"), "", *(parts or [tr("Nothing.")]), ""]


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
