"""Plugins that are left out until a release fits: switched off and removed from the project.

Leaving a plugin out is a step like any other. The old copy is in the snapshot before it. Returning the plugin undoes that step
and keeps later changes.
"""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Any

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.globs import matches
from fernshale.core.base.textfile import read_text
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath, under
from fernshale.core.base.work import Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.record.temporary_removals import take_back, waiting_steps
from fernshale.core.data.tree import NotKeyed
from fernshale.core.merge.keyed.entry_removal import without_entry
from fernshale.core.profile.model import Switch
from fernshale.core.route.candidates import accepts
from fernshale.core.snapshot.manifest import EntryKind
from fernshale.core.survey.plugins import Plugin
from fernshale.core.survey.release_sites import fill_plugin
from fernshale.core.survey.value_access import find_values, replace_values

_ABOUT = "aside "
# Of each logbook entry that left a plugin out: id, version, reason, condition, and releases that were there and did not fit.
_FACT: Fact[dict[str, list[Any]]] = Fact("aside", {}, dict)


@dataclass(frozen=True, slots=True)
class PluginLeftOut:
    """A plugin that is left out: the reason, the condition for its return, and the logbook entry that removed it.

    `ready` is a release that fits now and did not fit, or was not there, when the plugin was left out.
    """

    id: str
    version: str
    why: str
    condition: str
    entry: int
    ready: str = ""


def leave_plugin_out(crossing: Crossing, scan: ProjectScan, plugin: Plugin, why: str, work: Work) -> int:
    """Switch a plugin off and remove its folder from the project; returns the id of the logbook entry.

    Raises MisuseError where a file lacks the switch that the profile names.
    """
    draft = Draft(scan.project)
    for switch in scan.profile.plugins.switch:
        for path in scan.files:
            if matches([fill_plugin(glob, plugin) for glob in switch.files], path) and not under(path, plugin.folder):
                _switch_off(draft, scan, switch, path, plugin)
    entries = scan.manifest.entries
    inside = [path for path in entries if under(path, plugin.folder) and entries[path].kind is not EntryKind.FOLDER]
    for path in inside:
        draft.delete(path)
    title = tr(
        "{id} {version} left out · {files} removed",
        id=plugin.id,
        version=plugin.version,
        files=count(len(inside), "file"),
    )
    entry = write_step(crossing, EntryText(Stage.PLUGINS, title, why, f"{_ABOUT}{plugin.id}"), draft.change_set(), work)
    condition = tr("a release of it that accepts {to}", to=crossing.setup.to)
    kept = crossing.read(_FACT)
    declined = _fitting(scan, plugin.id, crossing.setup.to)
    crossing.keep(_FACT, {**kept, str(entry): [plugin.id, plugin.version, why, condition, declined]})
    return entry


def return_plugin(crossing: Crossing, id: str, work: Work) -> int:
    """Put a plugin back as it was and keep later changes. Raises MisuseError with the obstacles."""
    found = next((item for item in find_left_out(crossing, None) if item.id == id), None)
    if found is None:
        raise MisuseError(tr("{id} is not left out", id=id))
    title = tr("{id} {version} returned", id=id, version=found.version)
    return take_back(crossing, found.entry, Stage.PLUGINS, title, tr("{id} cannot be returned", id=id), work)


def find_left_out(crossing: Crossing, scan: ProjectScan | None) -> tuple[PluginLeftOut, ...]:
    """The plugins that are still left out. With a scan, also whether the shelf has a release that fits."""
    known = crossing.read(_FACT)
    found = []
    for entry in waiting_steps(crossing, _ABOUT):
        if str(entry.id) in known:
            id, version, why, condition, *more = known[str(entry.id)]
            declined = more[0] if more else ()
            fitting = [item for item in _fitting(scan, id, crossing.setup.to) if item not in declined]
            found.append(PluginLeftOut(id, version, why, condition, entry.id, fitting[-1] if fitting else ""))
    return tuple(found)


def left_out_files(crossing: Crossing) -> dict[str, tuple[TreePath, ...]]:
    """The files of each plugin that is left out, with their paths in the project."""
    return {
        entry.about.removeprefix(_ABOUT): tuple(file.path for file in entry.changes.files) if entry.changes else ()
        for entry in waiting_steps(crossing, _ABOUT)
    }


def has_file(files: Collection[TreePath], name: str) -> bool:
    """Whether a header or module is among them, as code names it: `map/fold.hpp`, `map.fold`."""
    header, module = f"/{name}", f"/{name.replace('.', '/')}."
    return any(f"/{path}".endswith(header) or module in f"/{path}" for path in files)


def _fitting(scan: ProjectScan | None, id: str, to: str) -> list[str]:
    """The releases of a plugin that accept the engine release `to`, the newest last."""
    if scan is None or scan.shelf is None:
        return []
    return [item.version for item in scan.shelf.releases_of(id) if item.accepts and accepts(item.accepts, to)]


def _switch_off(draft: Draft, scan: ProjectScan, switch: Switch, path: TreePath, plugin: Plugin) -> None:
    data = draft.read(path)
    text = read_text(data) if data is not None else None
    if text is None:
        return
    reach = switch.at.filled(plugin=plugin.id, id=plugin.id)
    if switch.off:
        values = find_values(text.text, reach, path)
        new = replace_values(text.text, [(value, switch.off) for value in values])
    else:
        steps = [part.replace("~1", "/").replace("~0", "~") for part in reach.json.strip("/").split("/") if part]
        steps = steps or [part for part in (reach.yaml.strip("/").split("/")) if part] or reach.toml.split(".")
        try:
            new = without_entry(path, text.text, steps, plugin.id) or text.text
        except NotKeyed as error:
            raise MisuseError(
                tr("{id} cannot be switched off in {path}: {error}", id=plugin.id, path=path, error=error)
            ) from error
    if new != text.text:
        draft.write(path, text.with_text(new).encode())
