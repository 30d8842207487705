"""Importing own content from an old folder or another project, with everything it depends on and nothing else."""

from __future__ import annotations

import posixpath
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath, on_disk
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.flow.import_source import open_source
from fernshale.core.crossing.project.asset_texts import print_assets
from fernshale.core.crossing.project.scan import ProjectScan, known_engine_folder
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.links.reference_index import project_assets, unread_assets
from fernshale.core.links.binary_assets import with_binary
from fernshale.core.links.dependencies import Closure, Destination, MissingDependency, find_closure
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.path_references import TreePaths
from fernshale.core.links.reference_reader import with_includes
from fernshale.core.snapshot.manifest import EMPTY, EntryKind, TreeEntry
from fernshale.core.snapshot.tree_walk import entry_below, list_tree

ContentState = Literal["copy", "same", "differs"]


@dataclass(frozen=True, slots=True)
class ImportedFile:
    """A file that is chosen or needed: its source, its destination, the state of that place, and the reason, in words."""

    path: TreePath
    target: TreePath
    state: ContentState
    why: str


@dataclass(frozen=True, slots=True)
class ImportPlan:
    """All files to import, and dependencies that were not found.

    `source` is the folder they come from, `into` the folder of the project that matches it. `unread` are the binary assets of
    both sides that were not read yet: what they declare and use is not known.
    """

    source: Path
    into: str
    files: tuple[ImportedFile, ...]
    unmet: tuple[MissingDependency, ...]
    unread: tuple[TreePath, ...] = ()

    def count(self, state: ContentState) -> int:
        return sum(item.state == state for item in self.files)


def plan_import(scan: ProjectScan, folder: Path, chosen: Sequence[str], into: str, token: CancelToken) -> ImportPlan:
    """Find the dependencies of the `chosen` files and folders of `folder`; writes and runs nothing.

    Binary assets count as far as their texts are there. Raises MisuseError for a path that `folder` does not have, FormatError,
    Cancelled.
    """
    source = open_source(scan, folder, into, token)
    picked = source.choose(chosen)

    def state(path: TreePath) -> ContentState:
        here = entry_below(scan.project, path)
        if here is None:
            return "copy"
        return "same" if _content(here) == _content(source.entry(path)) else "differs"

    shape = with_binary(scan.profile.links, scan.profile.binary)
    roots = [root for rule in shape.include for root in rule.roots]
    here = TreePaths(scan.files)
    # A folder can be read by two processes.
    reader = project_assets(scan).reader() if scan.profile.binary else scan.project
    there = LinkIndex(shape, scan.profile.data)
    there.update({path: entry.content for path, entry in scan.files.items()}, reader, Work(token=token))
    engine = _engine_files(scan, token)

    def found_there(what: str, path: TreePath) -> bool:
        return here.resolve(what, posixpath.dirname(path), roots) in here or any(
            item.endswith("/" + what) for item in engine
        )

    destination = Destination(there, lambda path: state(path) != "copy", found_there)
    index = LinkIndex(with_includes(shape, of_code=True), scan.profile.data)
    index.update(dict.fromkeys(source.at, ""), source.assets.reader(), Work(token=token))
    closure = find_closure(index, picked, destination, token)
    files = tuple(
        ImportedFile(source.at[item.path], item.path, state(item.path), _why(closure, item.path))
        for item in closure.needed
    )
    unread = sorted({*source.assets.unread(), *unread_assets(scan)})
    return ImportPlan(source.folder, into, files, closure.unmet, tuple(unread))


def read_assets_for(crossing: Crossing, scan: ProjectScan, plan: ImportPlan, work: Work) -> int:
    """Have the engine print the binary assets of both sides that were not read yet; returns how many.

    Raises TrustNeeded, CommandError, FormatError, Cancelled.
    """
    source = open_source(scan, plan.source, plan.into, work.token)
    return print_assets(crossing, scan, [source.assets, project_assets(scan)], work)


def preview_import(scan: ProjectScan, plan: ImportPlan, over: bool) -> ChangeSet:
    """The changes that an import would write; with `over` also where other files are replaced."""
    draft = Draft(scan.project)
    for item in plan.files:
        if item.state == "copy" or (over and item.state == "differs"):
            entry = entry_below(plan.source, item.path)
            if entry is not None and entry.kind is EntryKind.LINK:
                draft.link(item.target, entry.content)
            elif entry is not None:
                draft.write(item.target, on_disk(plan.source, item.path).read_bytes(), entry.mode)
    return draft.change_set()


def import_content(crossing: Crossing, scan: ProjectScan, plan: ImportPlan, over: bool, why: str, work: Work) -> int:
    """Import as a step that can be undone; returns the id of the logbook entry. Raises MisuseError when there is nothing to
    import."""
    changes = preview_import(scan, plan, over)
    if changes.is_empty:
        raise MisuseError(tr("all of it is in the project already"))
    title = tr("{files} imported from {name}", files=count(len(changes.files), "file"), name=plan.source.name)
    return write_step(crossing, EntryText(Stage.PLUGINS, title, why, "carry"), changes, work)


def _engine_files(scan: ProjectScan, token: CancelToken) -> tuple[str, ...]:
    """The files of the engine's release, which files of the project name, too."""
    folder = known_engine_folder(scan, scan.release)
    if folder is None:
        return ()
    return tuple(list_tree(folder, EMPTY, Work(token=token)).files)


def _content(entry: TreeEntry | None) -> tuple[EntryKind, str] | None:
    return (entry.kind, entry.content) if entry is not None else None


def _why(closure: Closure, path: TreePath) -> str:
    item = next(item for item in closure.needed if item.path == path)
    return tr("{by}:{line} needs {what}", by=item.by, line=item.line, what=item.what) if item.by else "chosen"
