"""For which engine releases the compiled parts of plugins were built."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from dataclasses import dataclass

from fernshale.core.base.errors import CommandError, FernshaleError, MisuseError
from fernshale.core.base.globs import literal, matches
from fernshale.core.base.release import is_release, same_release
from fernshale.core.base.textfile import read_text
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath, on_disk, under
from fernshale.core.base.work import Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.commands import CommandCall, run_profile_command, tail
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.profile.model import Compiled
from fernshale.core.snapshot.manifest import EMPTY, EntryKind
from fernshale.core.snapshot.tree_walk import scan_tree
from fernshale.core.survey.plugins import Plugin
from fernshale.core.survey.value_access import find_values


@dataclass(frozen=True, slots=True)
class PluginBuild:
    """A plugin with compiled parts, and the engine release each of its output folders was built for."""

    plugin: Plugin
    stamps: tuple[tuple[TreePath, str], ...]

    def is_built_for(self, release: str) -> bool:
        return any(is_built_for(stamp, release) for _, stamp in self.stamps)

    @property
    def words(self) -> str:
        names = ", ".join(stamp or tr("an unknown release") for _, stamp in self.stamps)
        return tr("built for {names}", names=names) if names else tr("never built here")


def find_built(scan: ProjectScan) -> tuple[PluginBuild, ...]:
    """The plugins that have compiled parts, with their stamps."""
    shape = scan.profile.plugins.compiled
    if shape is None:
        return ()
    return tuple(
        PluginBuild(plugin, tuple(read_stamps(scan, shape, plugin)))
        for plugin in scan.plugins
        if any(matches(shape.sources, path[len(plugin.folder) + 1 :]) for path in _inside(scan, plugin))
    )


def _inside(scan: ProjectScan, plugin: Plugin) -> Iterator[TreePath]:
    return (path for path in scan.paths if under(path, plugin.folder))


def read_stamps(scan: ProjectScan, shape: Compiled, plugin: Plugin) -> Iterator[tuple[TreePath, str]]:
    """Each output folder with the release that its stamp names ("" where the stamp cannot be read)."""
    stamp = _for_plugin(shape.stamp, plugin)
    pattern = f"{literal(_for_plugin(shape.output, plugin)).replace('{release}', '*').strip('/')}/{literal(stamp)}"
    for path in _inside(scan, plugin):
        if matches((pattern,), path[len(plugin.folder) + 1 :]):
            folder = TreePath(path[: -len(stamp) - 1])
            yield folder, read_stamp(shape, on_disk(scan.project, path).read_bytes(), path)


def read_stamp(shape: Compiled, data: bytes | None, path: str) -> str:
    text = read_text(data) if data is not None else None
    if text is None:
        return ""
    try:
        found = find_values(text.text, shape.at, path)
    except FernshaleError:
        return ""
    return found[0].text if found else ""


def is_built_for(stamp: str, release: str) -> bool:
    return is_release(stamp) and same_release(stamp, release)


def rebuild(crossing: Crossing, scan: ProjectScan, plugin: Plugin, work: Work) -> int:
    """Build a plugin from its sources for the target and replace its output; returns the id of the logbook entry.

    Raises TrustNeeded, and CommandError when the build fails or its stamp names another release; then nothing was replaced.
    """
    shape, to = scan.profile.plugins.compiled, crossing.setup.to
    if shape is None:
        raise MisuseError(tr("the profile does not say how plugins are built"), tr("Add [plugins.compiled]."))
    made = crossing.scratch(f"rebuilt/{plugin.folder.replace('/', '-')}-{to}")
    shutil.rmtree(made)
    made.mkdir()
    more = {"plugin": str(on_disk(scan.project, plugin.folder)), "id": plugin.id, "out": str(made)}
    why = tr("{id} must be compiled for {to}", id=plugin.id, to=to)
    finished = run_profile_command(crossing, scan, CommandCall("rebuild", Stage.PLUGINS, why, to, more), work)
    if finished.status != 0:
        said = tail(finished.text.splitlines(), 3)
        raise CommandError(
            tr(
                "{id} could not be built for {to}: {said}",
                id=plugin.id,
                to=to,
                said=said or tr("status {status}", status=finished.status),
            )
        )
    stamp_file = made / _for_plugin(shape.stamp, plugin)
    stamp = read_stamp(shape, stamp_file.read_bytes() if stamp_file.is_file() else None, shape.stamp)
    if not is_built_for(stamp, to):
        found = tr("says {stamp}", stamp=stamp) if stamp else tr("is missing ({stamp})", stamp=shape.stamp)
        raise CommandError(
            tr("{id} was not built for {to}: its stamp {found}", id=plugin.id, to=to, found=found),
            tr("Nothing was replaced."),
        )
    draft = Draft(scan.project)
    target = _output(shape, plugin, to)
    files = scan_tree(made, EMPTY, Work(token=work.token))
    for folder, release in read_stamps(scan, shape, plugin):
        if is_built_for(release, crossing.setup.from_):
            for path in scan.files:
                if under(path, folder) and path[len(folder) + 1 :] in files.entries:
                    draft.delete(path)
    for path, entry in files.entries.items():
        if entry.kind is EntryKind.FILE:
            draft.write(f"{target}/{path}", on_disk(made, path).read_bytes(), entry.mode)
        elif entry.kind is EntryKind.LINK:
            draft.link(f"{target}/{path}", entry.content)
    title = tr("{id} built for {to} · {files}", id=plugin.id, to=to, files=count(len(files.files), "file"))
    return write_step(crossing, EntryText(Stage.PLUGINS, title, why, f"built {plugin.id}"), draft.change_set(), work)


def _output(shape: Compiled, plugin: Plugin, release: str) -> str:
    return f"{plugin.folder}/{_for_plugin(shape.output, plugin).replace('{release}', release).strip('/')}"


def _for_plugin(path: str, plugin: Plugin) -> str:
    """A path in a plugin's folder: `{plugin}` is the folder's own name, `{id}` its id."""
    return path.replace("{plugin}", plugin.folder.rsplit("/", 1)[-1]).replace("{id}", plugin.id)
