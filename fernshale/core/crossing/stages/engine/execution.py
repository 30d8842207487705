"""How the actions of Engine are carried out."""

from __future__ import annotations

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.deferred.plugins import leave_plugin_out
from fernshale.core.crossing.project.action_handlers import Handlers
from fernshale.core.crossing.project.generator import regenerate, restore_swept, unfinished_sweep
from fernshale.core.crossing.project.plugin_builds import rebuild
from fernshale.core.crossing.project.scan import ProjectScan, find_plugin
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.stages.engine.actions import (
    AddWorkaround,
    LeaveOutAndGenerate,
    PointAtRelease,
    RebuildAndGenerate,
    RemoveWorkaround,
    ResolveStaleFiles,
    RestoreGenerated,
    RunGenerator,
    UpdateForkedFile,
)
from fernshale.core.crossing.stages.engine.forked_files import update_copy
from fernshale.core.crossing.stages.engine.generator_items import resolve_stale
from fernshale.core.crossing.stages.engine.release_writes import apply_engine
from fernshale.core.crossing.stages.engine.workarounds import change_workaround


def _restore(crossing: Crossing, scan: ProjectScan, action: RestoreGenerated, author: Author, work: Work) -> None:
    sweep = unfinished_sweep(crossing)
    if sweep is None:
        raise MisuseError(tr("no generated files are missing"), tr("Refresh; it changed in the meantime."))
    restore_swept(crossing, sweep, has_failed=False)


def _leave_out(crossing: Crossing, scan: ProjectScan, action: LeaveOutAndGenerate, author: Author, work: Work) -> None:
    why = author.why or tr("it blocks the generator")
    leave_plugin_out(crossing, scan, find_plugin(scan, action.plugin), why, work)
    regenerate(crossing, work)


def _rebuild(crossing: Crossing, scan: ProjectScan, action: RebuildAndGenerate, author: Author, work: Work) -> None:
    rebuild(crossing, scan, find_plugin(scan, action.plugin), work)
    regenerate(crossing, work)


HANDLERS: Handlers = {
    PointAtRelease: lambda crossing, scan, action, author, work: apply_engine(crossing, scan, work),
    RunGenerator: lambda crossing, scan, action, author, work: regenerate(crossing, work),
    RestoreGenerated: _restore,
    LeaveOutAndGenerate: _leave_out,
    RebuildAndGenerate: _rebuild,
    ResolveStaleFiles: resolve_stale,
    AddWorkaround: change_workaround,
    RemoveWorkaround: change_workaround,
    UpdateForkedFile: update_copy,
}
