"""Plugins with compiled parts: what release they were built for, and building them again from their sources.

The engine's own build tool writes into a folder outside the project. Only when its stamp says the release that was asked
for does the output go in. The same step takes out the files built for the release before that the build made again.
"""

from __future__ import annotations

import shutil

from fernshale.core.base.errors import CommandError, MisuseError
from fernshale.core.base.quantities import count
from fernshale.core.base.treepath import on_disk, under
from fernshale.core.base.work import Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.commands import run_profile_command, tail
from fernshale.core.crossing.project.plugin_builds import is_built_for, read_stamp, read_stamps
from fernshale.core.crossing.project.scan import Ground
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Stage
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.profile.model import Compiled
from fernshale.core.snapshot.manifest import EMPTY, Kind
from fernshale.core.snapshot.tree_walk import scan_tree
from fernshale.core.survey.plugins import Plugin


def rebuild(crossing: Crossing, ground: Ground, plugin: Plugin, work: Work) -> int:
    """Build a plugin from its sources for the leg's target and swap the output in; the logbook entry's id.

    Raises TrustNeeded, CommandError when the build fails or its stamp says another release; then nothing was swapped.
    """
    shape, to = ground.profile.plugins.compiled, crossing.setup.to
    if shape is None:
        raise MisuseError("the profile does not say how plugins are built", "Add [plugins.compiled].")
    made = crossing.scratch(f"rebuilt/{plugin.folder.replace('/', '-')}-{to}")
    shutil.rmtree(made)
    made.mkdir()
    more = {"plugin": str(on_disk(ground.project, plugin.folder)), "id": plugin.id, "out": str(made)}
    why = f"{plugin.id} must be compiled for {to}"
    finished = run_profile_command(crossing, ground, "rebuild", Stage.PLUGINS, why, work, to, more)
    if finished.status != 0:
        said = tail(finished.text.splitlines(), 3)
        raise CommandError(f"{plugin.id} could not be built for {to}: {said or f'status {finished.status}'}")
    stamp = read_stamp(
        shape, (made / shape.stamp).read_bytes() if (made / shape.stamp).is_file() else None, shape.stamp
    )
    if not is_built_for(stamp, to):
        found = f"says {stamp}" if stamp else f"is missing ({shape.stamp})"
        raise CommandError(f"{plugin.id} was not built for {to}: its stamp {found}", "Nothing was taken over.")
    draft = Draft(ground.project)
    target = _output(shape, plugin, to)
    files = scan_tree(made, EMPTY, Work(token=work.token))
    for folder, release in read_stamps(ground, shape, plugin):
        if is_built_for(release, crossing.setup.from_):
            for path in ground.files:
                if under(path, folder) and path[len(folder) + 1 :] in files.entries:
                    draft.delete(path)
    for path, entry in files.entries.items():
        if entry.kind is Kind.FILE:
            draft.write(f"{target}/{path}", on_disk(made, path).read_bytes(), entry.mode)
        elif entry.kind is Kind.LINK:
            draft.link(f"{target}/{path}", entry.content)
    title = f"{plugin.id} built for {to} · {count(len(files.files), 'file')}"
    return write_step(crossing, Stage.PLUGINS, title, why, f"built {plugin.id}", draft.change_set(), work)


def _output(shape: Compiled, plugin: Plugin, release: str) -> str:
    return f"{plugin.folder}/{shape.output.replace('{release}', release).strip('/')}"
