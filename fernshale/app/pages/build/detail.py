"""The view model of the Build page's detail, without Qt; `detail.html.j2` renders it as HTML."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from fernshale.api.building import default_key, explain_nothing
from fernshale.app.theme import Tone
from fernshale.core.base.quantities import count
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


@dataclass(frozen=True, slots=True)
class Span:
    """A piece of code. `tone` is a colour of the theme, `mark` "old" for removed text and "new" for inserted text."""

    text: str
    tone: str = ""
    mark: str = ""


@dataclass(frozen=True, slots=True)
class Words:
    """A paragraph; `lead` is printed in bold before it, in the colour `tone`."""

    text: str
    lead: str = ""
    tone: str = ""


@dataclass(frozen=True, slots=True)
class Code:
    """Code, with the place it is from as a link; `is_here` marks the place that the narrower scopes mean."""

    spans: tuple[Span, ...]
    place: str = ""
    link: str = ""
    is_here: bool = False
    remark: str = ""


Block = Words | Code


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
        code = Code((Span(_line(overview, path, int(line) if line.isdigit() else 0)),))
        return Detail(
            debt.title, debt.place, "", (Words(debt.why), Words("A debt until it is switched on again."), code)
        )
    if selection.accepted is not None:
        words = "You said that this is right as it is. Nothing is changed, and you are not asked again."
        return Detail(selection.accepted[1], "right as it is", "", (Words(words),))
    change = _change(overview, selection)
    if default is not None and fix is None:
        path, _, line = default.place.rpartition(":")
        shown = _error(overview, path, int(line) if line.isdigit() else 0, default.title)
        return Detail(
            default.key.removeprefix(DEFAULT),
            default.place,
            "",
            (*((Words(default.detail),) if default.detail else ()), shown),
        )
    if cause is None and fix is None:
        if change is not None:
            return Detail(change.symbol.full, change.kind, "", (Words(change.what), *_declarations(change, None)))
        return Detail("It compiles and links" if overview.build.passed else "Nothing to show yet")
    return Detail(
        fix.rule.name if fix is not None else cause.cause.title if cause is not None else "",
        _subtitle(cause, fix),
        _hint(cause, fix),
        tuple(_blocks(overview, selection, change)),
    )


def _subtitle(cause: CauseView | None, fix: Fix | None) -> str:
    if fix is not None:
        return f"{count(len(fix.edits), 'place')} in {count(len(fix.files), 'file')}"
    return "changed since the build" if cause is not None and cause.is_settled else "no fix found"


def _hint(cause: CauseView | None, fix: Fix | None) -> str:
    if fix is not None and len(fix.edits) > 1:
        return "▸ marks the place that “In this file” and “Only here” mean. Click another place to move it."
    if fix is None and not (cause is not None and cause.is_settled):
        return "Change one place in your editor, and Fernshale proposes the same change for the others."
    return ""


def _blocks(overview: Overview, selection: Selection, change: ApiChange | None) -> Iterator[Block]:
    cause, fix = selection.cause, selection.fix
    if fix is not None:
        yield Words(" · ".join(fix.evidence), f"{fix.confidence:.2f}", "mine")
    if change is not None:
        yield from _declarations(change, fix)
    if fix is not None and fix.rule.silent and cause is None:
        means = "the new release may need this" if fix.is_guess else "the code means something else now"
        yield Words(f"No error is reported here, and {means}.", "!", "incoming")
    if cause is not None and cause.left_out:
        yield Words(f"{cause.left_out} had it and is left out. Return it, or switch off the code that uses it.")
    is_unexplained = cause is not None and fix is None and not (cause.is_settled or cause.cause.under or cause.left_out)
    if is_unexplained and cause is not None:
        for number, reason in enumerate(explain_nothing(cause, overview.build)):
            yield Words(reason, "Why no fix was found:" if not number else "")
    if cause is not None and not (fix and fix.edits):
        for error in cause.cause.errors[:MAX_DRAWN]:
            yield _error(overview, error.place.file, error.place.line, error.diagnostic.message)
    if fix is None:
        return
    messages = {(e.place.file, e.place.line): e.diagnostic.message for e in cause.cause.errors} if cause else {}
    for number, edit in enumerate(fix.edits[:MAX_DRAWN]):
        remark = "" if edit in fix.named or not messages else "not reported by the compiler"
        spans = _edited(overview, edit, messages.get((str(edit.path), edit.line), ""))
        place = f"{printable(edit.path)} : {edit.line}"
        yield Code(spans, place, f"place:{number}", edit == selection.at, remark)
    if len(fix.edits) > MAX_DRAWN:
        yield Words(f"and {len(fix.edits) - MAX_DRAWN} more places")
    for path in fix.removes:
        yield Words(f"removed: {printable(path)}")


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
    spans: list[Span] = []
    for symbol, glyph, tone in ((change.old, "−", "base"), (now, "+", "incoming")):
        if symbol is not None:
            spans += [Span("\n")] if spans else []
            spans += [Span(f"{glyph} {_declared(symbol)}", tone), Span(f"   {symbol.file}:{symbol.line}", "quiet")]
    if spans:
        yield Code(tuple(spans))


def _error(overview: Overview, file: str, line: int, message: str) -> Code:
    name = printable(file)
    place = f"{name} : {line}" if line else f"{name}, a line that was changed since"
    code = (Span(_line(overview, file, line) + "\n"),) if line else ()
    return Code((*code, Span(f"▴ {message}", "alarm")), place, f"edit:{file}:{line}")


def _edited(overview: Overview, edit: CodeEdit, message: str) -> tuple[Span, ...]:
    """The lines around an edit with the old text struck out and the new one after it."""
    text = overview.scan.read(edit.path)
    if text is None:
        return ()
    start = text.rfind("\n", 0, edit.start) + 1
    end = text.find("\n", max(edit.end, edit.start))
    end = len(text) if end < 0 else end
    after = text[edit.end : end] if edit.end <= end else ""
    spans = [Span(text[start : edit.start])]
    if edit.old.strip():
        spans.append(Span(edit.old.rstrip("\n"), "alarm", "old"))
    spans.append(Span(edit.new.rstrip("\n"), "mine", "new"))
    spans.append(Span(("\n" if edit.new.endswith("\n") and after.strip() else "") + after))
    if message:
        spans.append(Span(f"\n▴ {message}", "alarm"))
    return tuple(spans)


def _line(overview: Overview, file: str, line: int) -> str:
    text = overview.scan.read(TreePath(file)) if file and not file.startswith("/") else None
    lines = text.split("\n") if text else []
    return lines[line - 1] if 0 < line <= len(lines) else ""


def _declared(symbol: Symbol) -> str:
    """A declaration as people read it in any language: kind, name, signature."""
    end = symbol.signature if symbol.is_callable else f": {symbol.signature}" if symbol.signature else ""
    return f"{symbol.kind} {symbol.full}{end}"


def render(detail: Detail, colours: Mapping[Tone, str], font: Mapping[str, Any]) -> str:
    """The blocks as HTML. `colours` maps the tones that are used to colours; `font` has the family and the pixel size."""
    return str(_template().render(blocks=detail.blocks, colours=colours, font=font))


@cache
def _template() -> Any:
    from jinja2 import Environment, FileSystemLoader

    environment = Environment(loader=FileSystemLoader(Path(__file__).parent), autoescape=True, trim_blocks=True)
    return environment.get_template("detail.html.j2")
