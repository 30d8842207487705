"""Rehearsals side by side, for people: a table as text, and a page to share."""

from __future__ import annotations

from collections.abc import Sequence
from html import escape

from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.flow.rehearsal.effort import Pace
from fernshale.core.crossing.flow.rehearsal.outcome import Outcome

_ROWS = (
    tr("plugins"),
    tr("your edits"),
    tr("errors"),
    tr("compiles and is wrong"),
    tr("links"),
    tr("runs"),
    tr("log, pictures, times"),
    tr("left for you"),
    tr("not tried"),
    tr("took"),
)
_MAX_NAMED = 3


def comparison_rows(outcomes: Sequence[Outcome], pace: Pace | None) -> Sequence[tuple[str, tuple[str, ...]]]:
    """The rows of the table: what a row is about, and its cell for each rehearsal."""
    cells = [_cells(outcome, pace) for outcome in outcomes]
    return [(name, tuple(cell[at] for cell in cells)) for at, name in enumerate(_ROWS)]


def best_of(outcomes: Sequence[Outcome]) -> Outcome:
    """The one that leaves the least: it ended, then fewest errors, decisions, plugins that do not come."""

    def left(outcome: Outcome) -> tuple[int, ...]:
        errors = outcome.errors_left if outcome.errors_left is not None else 1_000_000
        return 0 if outcome.is_whole else 1, errors, len(outcome.decisions), len(outcome.plugins) - outcome.come

    return min(outcomes, key=left)


def comparison_text(outcomes: Sequence[Outcome], pace: Pace | None) -> Sequence[str]:
    """The table as lines of text."""
    table = [("", tuple(outcome.plan.title for outcome in outcomes)), *comparison_rows(outcomes, pace)]
    first = max(len(name) for name, _ in table)
    wide = [max(len(line) for _, row in table for line in row[at].split("\n")) for at in range(len(outcomes))]
    lines = []
    for name, row in table:
        parts = [cell.split("\n") for cell in row]
        for number in range(max(map(len, parts))):
            words = [part[number] if number < len(part) else "" for part in parts]
            columns = (word.ljust(wide[at]) for at, word in enumerate(words))
            lines.append("  ".join(((name if not number else "").ljust(first), *columns)).rstrip())
    return [*lines, "", best_of(outcomes).words + tr("; your project was not touched.")]


def comparison_page(project: str, outcomes: Sequence[Outcome], pace: Pace | None) -> str:
    """The table as a page of its own, with what is left for a person by rehearsal."""
    heads = "".join(f"<th>{escape(outcome.plan.title)}</th>" for outcome in outcomes)
    rows = "".join(
        f"<tr><th>{escape(name)}</th>" + "".join(f"<td>{cell_lines(cell)}</td>" for cell in row) + "</tr>"
        for name, row in comparison_rows(outcomes, pace)
    )
    lists = "".join(decision_list(outcome) for outcome in outcomes)
    return f"""<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>Rehearsal of {escape(project)}</title>
<style>body {{ font: 15px sans-serif; margin: 2em auto; max-width: 70em; color: #1f2923; background: #fdfdfb; }}
table {{ border-collapse: collapse; }}
th, td {{ text-align: left; vertical-align: top; padding: .4em 1em; border-bottom: 1px solid #cdd3ca; }}
</style></head><body><h1>Rehearsal of {escape(project)}</h1><p>{escape(best_of(outcomes).words)}. The project was not touched.</p>
<table><tr><th></th>{heads}</tr>{rows}</table>{lists}</body></html>
"""


def _cells(outcome: Outcome, pace: Pace | None) -> tuple[str, ...]:
    return (
        _plugins(outcome), _edits(outcome), _errors(outcome), count(outcome.silent, "place") if outcome.silent else "none",
        _links(outcome), _runs(outcome), _differences(outcome),
        _left(outcome, pace), "\n".join(outcome.not_tried) or "-", _took(outcome),
    )  # fmt: skip


def _plugins(outcome: Outcome) -> str:
    missing = [f"{item.id}: {item.why}" for item in outcome.plugins if not item.comes]
    shown = missing[:_MAX_NAMED] + (
        [tr("and {number} more", number=len(missing) - _MAX_NAMED)] if len(missing) > _MAX_NAMED else []
    )
    return "\n".join((tr("{come} of {number} come", come=outcome.come, number=len(outcome.plugins)), *shown))


def _edits(outcome: Outcome) -> str:
    kept, already, conflicts = outcome.edits
    return tr(
        "{kept} kept, {already} already there, {conflicts}",
        kept=kept,
        already=already,
        conflicts=count(conflicts, "conflict"),
    )


def _errors(outcome: Outcome) -> str:
    if outcome.errors_left is None:
        return tr("not built")
    first = tr(", then ").join(map(str, outcome.errors_at_first))
    proposed = sum(cause.has_proposal for cause in outcome.causes)
    causes = (
        tr(", from {causes}, {proposed} with a proposal", causes=count(len(outcome.causes), "cause"), proposed=proposed)
        if outcome.causes
        else ""
    )
    leg = (
        tr(" on the leg to {reached}", reached=outcome.reached) if outcome.reached not in ("", outcome.plan.to) else ""
    )
    return tr(
        "{first} at first\n{errors_left} left{leg}{causes}",
        first=first,
        errors_left=outcome.errors_left,
        leg=leg,
        causes=causes,
    )


def _links(outcome: Outcome) -> str:
    return tr("{links_left} to ask", links_left=outcome.links_left) if outcome.links_left else tr("none left")


def _runs(outcome: Outcome) -> str:
    if outcome.runs is None:
        return tr("not reached")
    return (tr("yes") if outcome.runs else tr("no")) + (f"\n{outcome.trial}" if outcome.trial else "")


def _differences(outcome: Outcome) -> str:
    return "\n".join(outcome.differs) or (
        tr("not reached") if outcome.runs is None else tr("no baseline to compare with")
    )


def _left(outcome: Outcome, pace: Pace | None) -> str:
    number = len(outcome.decisions)
    time = pace.words(number) if pace is not None and number else tr("no earlier crossings to measure the time on")
    return count(number, "decision") + (f"\n{time}" if number else "")


def _took(outcome: Outcome) -> str:
    stopped = (
        tr(", stopped {why}", why=outcome.why)
        if outcome.ending == "stopped"
        else f", {outcome.why}"
        if outcome.why
        else ""
    )
    build = tr(", a build {build_s}", build_s=seconds(outcome.build_s)) if outcome.build_s else ""
    return f"{seconds(outcome.elapsed_s)}{build}{stopped}"


def cell_lines(cell: str) -> str:
    """The text of a cell as a piece of a page."""
    return "<br>".join(map(escape, cell.split("\n")))


def decision_list(outcome: Outcome, heading: str = "h2") -> str:
    """What a rehearsal left for a person, as a piece of a page; "" for nothing."""
    if not outcome.decisions:
        return ""
    rows = "".join(
        f"<li>{escape(item.stage)}: {escape(item.title)}"
        + (tr(" <i>rehearsed with: {chosen}</i>", chosen=escape(item.chosen)) if item.chosen else "")
        + "</li>"
        for item in outcome.decisions
    )
    return tr(
        "<{heading}>Left for you: {title}</{heading}><ul>{rows}</ul>",
        heading=heading,
        title=escape(outcome.plan.title),
        rows=rows,
    )
