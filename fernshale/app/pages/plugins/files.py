"""The files of all plugins by outcome: those that need a person on top, long groups folded."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

from fernshale.app.theme import Tone
from fernshale.app.widgets.rows import Row
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import printable
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.plugins.view import PluginView
from fernshale.core.merge.folder_merge import FileMerge
from fernshale.core.merge.ledger import FATE_WORDS

_GROUPS: tuple[tuple[str, tuple[str, ...], str, Tone], ...] = (
    (tr("Your edits"), ("merged", "carried", "decide"), "●", "mine"),
    (tr("Yours alone"), ("own",), "○", "mine"),
    (tr("New from the vendor"), ("updated", "added"), "◐", "incoming"),
    (tr("Removed in this release"), ("removed",), "–", "base"),
)
# A group with more files is folded; files that the user edited are always shown.
_MAX_SHOWN = 5


@dataclass(frozen=True, slots=True)
class FileOf:
    """A file of a plugin's merge, as a row's payload."""

    plugin: str
    path: str


@dataclass(frozen=True, slots=True)
class GroupOf:
    """A group of a plugin's files that can be folded."""

    plugin: str
    title: str


@dataclass(frozen=True, slots=True)
class ItemOf:
    """An item about a plugin that is not a conflict."""

    key: str


@dataclass(frozen=True, slots=True)
class LeftOutOf:
    """A plugin that is left out."""

    id: str


@dataclass(frozen=True, slots=True)
class ReadyOf:
    """All plugins that are ready to be updated."""


def ready_plugins(overview: Overview) -> list[PluginView]:
    """The plugins that are merged without open conflicts and files to check."""
    choices = overview.plugins.choices
    views = [view for view in overview.plugins.plugins if view.merge is not None]
    return [view for view in views if not view.open_conflicts(choices) and not is_odd(view, overview)]


def is_odd(view: PluginView, overview: Overview) -> bool:
    """Whether a result of its merge is still to be looked at."""
    return any(item.key.startswith(f"odd:{view.plugin.id}:") for item in overview.plugins.items)


def file_rows(overview: Overview, unfolded: Collection[GroupOf]) -> tuple[Row, ...]:
    """The rows of the list, in the order they item."""
    view = overview.plugins
    conflict = [row for plugin in view.plugins for row in _conflict_rows(plugin, overview)]
    odd = [row for plugin in view.plugins for row in _odd_rows(plugin)]
    rows: list[Row] = []
    if conflict:
        rows += [Row(tr("◆ To decide"), right=str(len(conflict)), heading=True), *conflict]
    if odd:
        rows += [Row(tr("◇ Check these"), right=str(len(odd)), heading=True), *odd]
    if len(ready := ready_plugins(overview)) > 1:
        names = ", ".join(item.plugin.id for item in ready)
        rows.append(Row(tr("● Ready to update"), right=str(len(ready)), heading=True))
        rows.append(Row(names, tr("no conflict is open"), tr("update them"), payload=ReadyOf(), link=True))
    if steps := plugin_steps(overview):
        rows.append(Row(tr("▸ To do"), right=str(len(steps)), heading=True))
        for open_item in steps:
            rows.append(
                Row(open_item.title, open_item.options[0].title, "", "▸", "base", payload=ItemOf(open_item.key))
            )
    for plugin in view.plugins:
        rows += _plugin_rows(plugin, overview, unfolded)
    if view.left_out:
        rows.append(Row(tr("Left out"), right=str(len(view.left_out)), heading=True))
        for item in view.left_out:
            title = f"{item.id} {item.version}"
            rows.append(
                Row(
                    title,
                    tr("returns with {condition}", condition=item.condition),
                    "",
                    "◌",
                    "base",
                    payload=LeftOutOf(item.id),
                )
            )
    return tuple(rows)


def plugin_steps(overview: Overview) -> list[Item]:
    """Items about plugins other than merging: leaving one out, building one."""
    left_out = {item.id for item in overview.plugins.left_out}
    keys = ("rebuild:", "aside:")
    return [
        open_item
        for open_item in overview.plugins.items
        if open_item.key.startswith(keys) and open_item.key.partition(":")[2] not in left_out
    ]


def _conflict_rows(view: PluginView, overview: Overview) -> Iterator[Row]:
    choices = overview.plugins.choices
    for file in view.merge.files if view.merge else ():
        left = sum(conflict.id not in choices for conflict in file.decisions)
        if left:
            sub = f"{view.plugin.id} · {count(left, 'decision')}{_moved(file)}"
            payload = FileOf(view.plugin.id, file.shown)
            yield Row(printable(file.shown), sub, "", "", "alarm", "alarm", payload=payload, code=True)


def _odd_rows(view: PluginView) -> Iterator[Row]:
    for path, words in view.odd.items():
        payload = FileOf(view.plugin.id, path)
        yield Row(printable(path), f"{view.plugin.id} · {words[0]}", "", "", "alarm", payload=payload, code=True)


def _plugin_rows(view: PluginView, overview: Overview, unfolded: Collection[GroupOf]) -> Iterator[Row]:
    start, to = (view.base if view.done else view.step.from_), view.step.to
    arrow = (
        tr("{start} stays", start=start)
        if to == start
        else f"{start} → {to}"
        if to
        else tr("{start}, nothing for {to}", start=start, to=overview.setup.to)
    )
    word = tr("updated") if view.done and view.ledger else "" if view.merge or view.done else tr("waits for Route")
    if view.step.action in ("left out", "hold"):
        word = tr("to be left out") if view.step.action == "left out" else tr("held back")
    yield Row(f"{view.plugin.id} {arrow}", right=word, heading=True)
    if view.merge is None:
        for path in dict.fromkeys(entry.path for entry in view.ledger.entries) if view.ledger else ():
            yield _done_row(view, path)
        return
    choices = overview.plugins.choices
    for title, outcomes, glyph, tone in _GROUPS:
        files = [
            file
            for file in view.merge.files
            if file.outcome in outcomes and all(conflict.id in choices for conflict in file.decisions)
        ]
        group = GroupOf(view.plugin.id, title)
        folds = len(files) > _MAX_SHOWN and title != "Your edits"
        if folds:
            word = tr("hide") if group in unfolded else tr("show")
            yield Row(title, "", f"{len(files)}  {word}", glyph, tone, payload=group, link=True)
        if not folds or group in unfolded:
            for file in files:
                sub = tr("as you decided") if file.decisions else f"{title} · {file.why.split(';')[0]}"
                payload = FileOf(view.plugin.id, file.shown)
                yield Row(printable(file.shown), sub + _moved(file), "", glyph, tone, payload=payload, code=True)


def _moved(file: FileMerge) -> str:
    if file.path and file.base and file.base != file.path:
        return tr(" · was {base}", base=printable(file.base))
    return ""


def _done_row(view: PluginView, path: str) -> Row:
    entries = [entry for entry in view.ledger.entries if entry.path == path] if view.ledger else []
    fates = ", ".join(dict.fromkeys(FATE_WORDS[entry.fate] for entry in entries))
    payload = FileOf(view.plugin.id, path)
    return Row(printable(path), f"{count(len(entries), 'edit')} · {fates}", "", "●", "mine", payload=payload, code=True)
