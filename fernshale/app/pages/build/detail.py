"""The view model of the Build page's detail, without Qt."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from fernshale.api.building import default_key, explain_nothing
from fernshale.app.hunks import HunkLine, LineKind, around, make_hunks
from fernshale.app.theme import Tone
from fernshale.core.base.texts import count, tr, tr_kept, tr_marked
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.crossing.deferred.code import Debt
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.stages.build.items import DEFAULT
from fernshale.core.crossing.stages.build.view import CauseView, Fix
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.symbols import Symbol
from fernshale.core.fix.apply import CodeEdit

# More places than this are counted, not drawn: nobody reads the hundredth.
MAX_DRAWN = 40
# And so many lines of what a tool printed.
_MAX_SAID = 200


@dataclass(frozen=True, slots=True)
class Words:
    """A paragraph; `lead` is printed in bold before it, in the colour `tone`."""

    text: str
    lead: str = ""
    tone: Tone = "plain"


@dataclass(frozen=True, slots=True)
class Folded:
    """A line that opens to more lines: what a tool printed."""

    text: str
    lines: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Code:
    """Lines of the file `path`, below the place they are from as a link. `is_here` marks the place that the narrower scopes
    mean; `edits` are the numbers of the edits drawn in."""

    lines: tuple[HunkLine, ...]
    path: str = ""
    place: str = ""
    link: str = ""
    is_here: bool = False
    remark: str = ""
    edits: tuple[int, ...] = ()


Block = Words | Folded | Code


@dataclass(frozen=True, slots=True)
class Detail:
    """The title of the card, the note next to it, the hint below, and the blocks of the text."""

    title: str
    subtitle: str = ""
    hint: str = ""
    blocks: tuple[Block, ...] = ()


@dataclass(frozen=True, slots=True)
class Selection:
    """The selection: the key of a row, and the value of that row; `at` is the place that the narrower scopes mean."""

    key: str = ""
    cause: CauseView | None = None
    fix: Fix | None = None
    default: Item | None = None
    debt: Debt | None = None
    accepted: tuple[str, str] | None = None
    at: CodeEdit | None = None


def make_detail(overview: Overview, selection: Selection) -> Detail:
    """The detail of a selection."""
    debt, default, cause, fix = selection.debt, selection.default, selection.cause, selection.fix
    if debt is not None:
        path, _, line = debt.place.rpartition(":")
        code = _place(overview, path, int(line) if line.isdigit() else 0)
        return Detail(
            debt.title, debt.place, "", (Words(debt.why), Words(tr("A debt until it is switched on again.")), code)
        )
    if selection.accepted is not None:
        words = tr("You said that this is right as it is. Nothing is changed, and you are not asked again.")
        return Detail(selection.accepted[1], tr("right as it is"), "", (Words(words),))
    change = _change(overview, selection)
    if default is not None and fix is None:
        path, _, line = default.place.rpartition(":")
        shown = _error(overview, path, int(line) if line.isdigit() else 0, default.title)
        return Detail(
            tr_kept(default.key.removeprefix(DEFAULT)),
            default.place,
            "",
            (*((Words(default.detail),) if default.detail else ()), shown),
        )
    if cause is None and fix is None:
        if change is not None:
            return Detail(
                change.symbol.full, change.kind, "", (Words(tr_kept(change.what)), *_declarations(change, None))
            )
        return Detail(tr("It compiles and links") if overview.build.passed else tr("Nothing to show yet"))
    return Detail(
        tr_kept(fix.rule.name) if fix is not None else cause.cause.title if cause is not None else "",
        _subtitle(cause, fix),
        _hint(cause, fix) if default is None else "",
        tuple(_blocks(overview, selection, change)),
    )


def _subtitle(cause: CauseView | None, fix: Fix | None) -> str:
    if fix is not None:
        return tr("{places} in {files}", places=count(len(fix.edits), "place"), files=count(len(fix.files), "file"))
    return cause.settled_words if cause is not None and cause.is_settled else tr("no fix found")


def _hint(cause: CauseView | None, fix: Fix | None) -> str:
    if fix is not None and len(fix.edits) > 1:
        return tr("▸ marks the place that “In this file” and “Only here” mean. Click another changed line to move it.")
    if fix is None and not (cause is not None and cause.is_settled):
        return tr("Change one place in your editor, and Fernshale proposes the same change for the others.")
    return ""


def _blocks(overview: Overview, selection: Selection, change: ApiChange | None) -> Iterator[Block]:
    cause, fix = selection.cause, selection.fix
    if fix is not None:
        yield Words(" · ".join(fix.evidence), f"{fix.confidence:.2f}", "mine")
    if change is not None:
        yield from _declarations(change, fix)
    if fix is not None and fix.rule.silent and cause is None:
        means = tr("the new release may need this") if fix.is_guess else tr("the code means something else now")
        yield Words(tr("No error is reported here, and {means}.", means=means), "!", "incoming")
    if cause is not None and cause.left_out:
        yield Words(
            tr(
                "{left_out} had it and is left out. Return it, or switch off the code that uses it.",
                left_out=cause.left_out,
            )
        )
    is_unexplained = cause is not None and fix is None and not (cause.is_settled or cause.cause.under or cause.left_out)
    if is_unexplained and cause is not None:
        for number, reason in enumerate(explain_nothing(cause, overview.build)):
            yield Words(reason, tr("Why no fix was found:") if not number else "")
    if cause is not None and not (fix and fix.edits):
        for error in cause.cause.errors[:MAX_DRAWN]:
            yield _error(overview, error.place.file, error.place.line, error.diagnostic.message)
    if cause is not None and (said := _said(cause)) is not None:
        yield said
    if fix is None:
        return
    yield from _changed(overview, selection, fix)
    for path in fix.removes:
        yield Words(tr("removed: {path}", path=printable(path)))


def _change(overview: Overview, selection: Selection) -> ApiChange | None:
    """The change of the interface that the selection is about."""
    if selection.cause is not None:
        return overview.build.change_of(selection.cause.cause)
    keys = ((item.change, drift_key(item.change)) for item in overview.build.drift)
    return next((change for change, key in keys if selection.key in (key, default_key(change))), None)


def drift_key(change: ApiChange) -> str:
    """The key of the row of a change that the project's code uses."""
    return f"drift:{change.kind}:{change.symbol.full}"


def _declarations(change: ApiChange, fix: Fix | None) -> Iterator[Code]:
    """The declaration in the old release above the one in the new, where the comparison found both."""
    now = change.new
    if fix is not None and fix.rule.new_name:
        name = fix.rule.new_name.split("::")[-1].split(".")[-1]
        now = next((item.symbol for item in change.candidates if item.symbol.name == name), now)
    kinds: tuple[tuple[LineKind, Symbol | None], ...] = (("old", change.old), ("new", now))
    lines = tuple(
        HunkLine(kind, 0, f"{_declared(symbol)}   {symbol.file}:{symbol.line}") for kind, symbol in kinds if symbol
    )
    if lines:
        yield Code(lines)


def _said(cause: CauseView) -> Folded | None:
    """What the tool printed about a cause, each message once."""
    messages: dict[str, list[str]] = {}
    for error in cause.cause.errors:
        item = error.diagnostic
        head = " ".join(
            filter(
                None,
                (
                    f"{item.tool}:" if item.tool not in ("", "compiler") else "",
                    tr_marked(item.severity),
                    f"[{item.code}]" if item.code else "",
                ),
            )
        )
        own = messages.setdefault(f"{head}: {item.message}", [])
        own.append(tr("    at {place}", place=_place_words(error.place.file, error.place.line)))
        own += [f"    {note.message}" for note in item.notes]
    if not messages:
        return None
    first, *others = messages
    lines = tuple(line for message, own in messages.items() for line in (message, *dict.fromkeys(own)))
    return Folded(
        first + (tr("   and {other_messages}", other_messages=count(len(others), "other message")) if others else ""),
        lines[:_MAX_SAID],
    )


def _error(overview: Overview, file: str, line: int, message: str) -> Code:
    code = _place(overview, file, line)
    at = next((at for at, shown in enumerate(code.lines) if shown.number == line and line), len(code.lines) - 1)
    lines = (*code.lines[: at + 1], HunkLine("said", 0, message), *code.lines[at + 1 :])
    return replace(code, lines=lines, place=_place_words(file, line), link=f"edit:{file}:{line}")


def _place(overview: Overview, file: str, line: int) -> Code:
    """The lines around a place of the project."""
    text = overview.scan.read(TreePath(file)) if file and not file.startswith("/") else None
    return Code(around(text, line) if text is not None else (), file)


def _place_words(file: str, line: int) -> str:
    return f"{printable(file)} : {line}" if line else tr("{file}, a line that was changed since", file=printable(file))


def _changed(overview: Overview, selection: Selection, fix: Fix) -> Iterator[Block]:
    """The code with the edits of a fix drawn in, file by file."""
    drawn = fix.edits[:MAX_DRAWN]
    numbers = {edit: number for number, edit in enumerate(drawn)}
    for path in dict.fromkeys(edit.path for edit in drawn):
        text = overview.scan.read(path)
        for hunk in make_hunks(text, [edit for edit in drawn if edit.path == path]) if text is not None else ():
            lines = ", ".join(dict.fromkeys(str(edit.line) for edit in hunk.edits))
            is_named = selection.cause is None or any(edit in fix.named or edit.is_added_import for edit in hunk.edits)
            yield Code(
                hunk.lines,
                path,
                f"{printable(path)} : {lines}",
                f"place:{numbers[hunk.edits[0]]}",
                selection.at in hunk.edits,
                "" if is_named else tr("not reported by the compiler"),
                tuple(numbers[edit] for edit in hunk.edits),
            )
    if len(fix.edits) > MAX_DRAWN:
        yield Words(tr("and {more_places}", more_places=count(len(fix.edits) - MAX_DRAWN, "more place")))


def _declared(symbol: Symbol) -> str:
    """A declaration as people read it in any language: kind, name, signature."""
    end = symbol.signature if symbol.is_callable else f": {symbol.signature}" if symbol.signature else ""
    return f"{tr_marked(symbol.kind)} {symbol.full}{end}"
