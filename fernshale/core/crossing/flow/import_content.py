"""Importing own content from an old folder or another project, with everything it depends on and nothing else."""

from __future__ import annotations

import posixpath
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from fernshale.core.base.errors import MisuseError, ProjectError
from fernshale.core.base.quantities import count
from fernshale.core.base.treepath import GITS_OWN, TreePath, on_disk, tree_path, under
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.scan import ProjectScan, engine_folder
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.links.dependencies import Closure, Destination, MissingDependency, find_closure
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.path_references import TreePaths
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
    """All files to import, and dependencies that were not found. `source` is the folder they come from."""

    source: Path
    files: tuple[ImportedFile, ...]
    unmet: tuple[MissingDependency, ...]

    def count(self, state: ContentState) -> int:
        return sum(item.state == state for item in self.files)


def plan_import(scan: ProjectScan, source: Path, chosen: Sequence[str], into: str, token: CancelToken) -> ImportPlan:
    """Find the dependencies of the `chosen` files and folders of `source`; writes nothing. Raises MisuseError for a path that
    `source` does not have."""
    source = source.resolve()
    if not source.is_dir():
        raise MisuseError(f"{source} is not a folder")
    prefix = f"{tree_path(into)}/" if into else ""
    tree = list_tree(source, EMPTY, Work(token=token), GITS_OWN)
    # Rules of the profile see every file under its path in the project.
    at = {TreePath(prefix + path): path for path, entry in tree.entries.items() if entry.kind is not EntryKind.FOLDER}
    picked = [path for path in at if any(under(path, prefix + tree_path(item)) for item in chosen)]
    for item in chosen:
        if not any(under(path, prefix + tree_path(item)) for path in at):
            raise MisuseError(f"there is nothing at {item} in {source}")

    def read(path: TreePath) -> bytes | None:
        entry = tree.entries[at[path]]
        return on_disk(source, at[path]).read_bytes() if entry.kind is EntryKind.FILE else None

    def state(path: TreePath) -> ContentState:
        here = entry_below(scan.project, path)
        if here is None:
            return "copy"
        return "same" if _content(here) == _content(entry_below(source, at[path])) else "differs"

    shape = scan.profile.links
    roots = [root for rule in shape.include for root in rule.roots]
    here = TreePaths(scan.files)
    there = LinkIndex(shape)
    there.update({path: entry.content for path, entry in scan.files.items()}, scan.project, Work(token=token))
    engine = _engine_files(scan, token)

    def found_there(what: str, path: TreePath) -> bool:
        return here.resolve(what, posixpath.dirname(path), roots) in here or any(
            item.endswith("/" + what) for item in engine
        )

    destination = Destination(there, lambda path: state(path) != "copy", found_there)
    closure = find_closure(shape, picked, at.keys(), read, destination, token)
    files = tuple(
        ImportedFile(at[item.path], item.path, state(item.path), _why(closure, item.path)) for item in closure.needed
    )
    return ImportPlan(source, files, closure.unmet)


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
        raise MisuseError("all of it is in the project already")
    title = f"{count(len(changes.files), 'file')} brought over from {plan.source.name}"
    return write_step(crossing, EntryText(Stage.PLUGINS, title, why, "carry"), changes, work)


def _engine_files(scan: ProjectScan, token: CancelToken) -> tuple[str, ...]:
    """The files of the engine's release, which files of the project name, too."""
    try:
        folder = engine_folder(scan, scan.release)
    except ProjectError:
        return ()
    return tuple(list_tree(folder, EMPTY, Work(token=token)).files)


def _content(entry: TreeEntry | None) -> tuple[EntryKind, str] | None:
    return (entry.kind, entry.content) if entry is not None else None


def _why(closure: Closure, path: TreePath) -> str:
    item = next(item for item in closure.needed if item.path == path)
    return f"{item.by}:{item.line} needs {item.what}" if item.by else "chosen"
