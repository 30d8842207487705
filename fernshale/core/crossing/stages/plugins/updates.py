"""Writing a plugin's new release into the project, and previewing it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath, joined, on_disk
from fernshale.core.base.work import Work
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.change.draft import Draft
from fernshale.core.change.preview import EntryReader
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.plugin_updates import PluginUpdate, about, keep_update
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.plugins.actions import (
    ReplacePlugin,
    UpdatePlugin,
)
from fernshale.core.crossing.stages.plugins.choices import read_choices
from fernshale.core.crossing.stages.plugins.inspection import inspect_plugins
from fernshale.core.crossing.stages.plugins.items import odd_keys
from fernshale.core.crossing.stages.plugins.view import PluginView
from fernshale.core.merge.folder_merge import FolderMerge
from fernshale.core.merge.ledger import Ledger, build_ledger
from fernshale.core.merge.merge_result import Result, build_result, replace_clean
from fernshale.core.merge.text_merge import Resolution
from fernshale.core.snapshot.manifest import EntryKind, TreeEntry
from fernshale.core.survey.plugins import Plugin


@dataclass(frozen=True, slots=True)
class FolderPreview:
    """The folder of a plugin after the update: its changes, and the files that stay. Paths are those of the project."""

    changes: ChangeSet
    staying: Mapping[TreePath, TreeEntry]

    def readers(self, project: Path) -> tuple[EntryReader, EntryReader]:
        """How contents before and after it are read."""
        places = {item.before.content: item.path for item in self.changes.files if item.before is not None}
        places |= {entry.content: path for path, entry in self.staying.items()}

        def before(entry: TreeEntry) -> bytes:
            return on_disk(project, places[entry.content]).read_bytes()

        return before, lambda entry: self.changes.contents[entry.content]


def preview_plugin(view: PluginView, scan: ProjectScan, choices: Mapping[str, Resolution]) -> FolderPreview:
    """The changes that an update would write; open conflicts are shown as yours."""
    if view.merge is None:
        return FolderPreview(ChangeSet(()), {})
    result = build_result(view.merge, choices, "mine")
    changes = folder_changes(scan, view.plugin, view.merge, result)
    changing = {item.path for item in changes.changes}
    entries = {joined(view.plugin.folder, path): entry for path, entry in result.entries.items()}
    return FolderPreview(changes, {path: entry for path, entry in entries.items() if path not in changing})


def apply_plugin(
    crossing: Crossing, scan: ProjectScan, action: UpdatePlugin | ReplacePlugin, author: Author, work: Work
) -> int:
    """Write the planned release of a plugin; the logbook entry's id.

    Replacing it drops the local edits; files of the user's own stay. Raises MisuseError while decisions are open, LedgerUnbalanced
    when a local edit would be lost.
    """
    id = action.plugin
    view = next(
        (item for item in inspect_plugins(scan, crossing, Work(token=work.token)).plugins if item.plugin.id == id), None
    )
    if view is None or view.merge is None:
        raise MisuseError(tr("there is no update for the plugin {id}", id=id))
    merge, choices = view.merge, read_choices(crossing)
    if isinstance(action, ReplacePlugin):
        merge, choices = replace_clean(merge)
    elif conflicts := view.open_conflicts(choices):
        names = ", ".join(sorted({file.shown for file, _ in conflicts}))
        raise MisuseError(
            tr("{id}: {number} conflicts are open, in {names}", id=id, number=len(conflicts), names=names)
        )
    elif odd := [key for key in odd_keys(view).values() if key not in crossing.decisions()]:
        raise MisuseError(
            tr(
                "{id}: {merged_files} should be looked at first, in {odd}",
                id=id,
                merged_files=count(len(odd), "merged file"),
                odd=", ".join(view.odd),
            )
        )
    result = build_result(merge, choices, "mine")
    ledger = build_ledger(merge, result, choices)
    changes = folder_changes(scan, view.plugin, merge, result)
    title = f"{id} {view.step.from_} → {view.step.to} · {count(len(changes.files), 'file')} · {_ledger_words(ledger)}"
    folder, step = view.plugin.folder, view.step
    entry = write_step(crossing, EntryText(Stage.PLUGINS, title, step.why, about(folder)), changes, work)
    taken = PluginUpdate(view.base, step.from_, step.to, ledger, _moves(view.plugin, merge))
    keep_update(crossing, folder, entry, taken)
    return entry


def _moves(plugin: Plugin, merge: FolderMerge) -> dict[TreePath, TreePath]:
    """Where files of the project went, by where they were; links that named them ask for it."""
    moved = ((file.mine, file.path) for file in merge.files)
    return {
        joined(plugin.folder, old): joined(plugin.folder, new)
        for old, new in moved
        if old is not None and new is not None and old != new
    }


def folder_changes(scan: ProjectScan, plugin: Plugin, merge: FolderMerge, result: Result) -> ChangeSet:
    draft = Draft(scan.project)
    before = merge.mine.things
    for path in before:
        if path not in result.entries:
            draft.delete(f"{plugin.folder}/{path}")
    for path, entry in result.entries.items():
        if before.get(path) == entry:
            continue
        if entry.kind is EntryKind.LINK:
            draft.link(f"{plugin.folder}/{path}", entry.content)
        else:
            draft.write(f"{plugin.folder}/{path}", result.read(path), entry.mode)
    return draft.change_set()


def _ledger_words(ledger: Ledger) -> str:
    if not ledger.edits:
        return tr("no edits of yours")
    parts = [tr("{number} of {edits} kept", number=ledger.count("carried"), edits=count(ledger.edits, "edit"))]
    if ledger.count("already"):
        parts.append(tr("{number} already in the new release", number=ledger.count("already")))
    if ledger.count("dropped"):
        parts.append(tr("{number} dropped by decision", number=ledger.count("dropped")))
    return ", ".join(parts)
