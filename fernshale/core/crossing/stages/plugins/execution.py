"""How the actions of Plugins are carried out."""

from __future__ import annotations

from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.deferred.plugins import leave_plugin_out, return_plugin
from fernshale.core.crossing.project.action_handlers import Handlers
from fernshale.core.crossing.project.plugin_builds import rebuild
from fernshale.core.crossing.project.plugin_plan import plugin_key
from fernshale.core.crossing.project.scan import ProjectScan, find_plugin
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.stages.plugins.actions import (
    LeavePluginOut,
    RebuildPlugin,
    ReplacePlugin,
    ResolveAlike,
    ResolveBelow,
    ResolveConflict,
    ReturnPlugin,
    UpdatePlugin,
)
from fernshale.core.crossing.stages.plugins.resolutions import resolve_alike, resolve_below, resolve_conflict
from fernshale.core.crossing.stages.plugins.updates import apply_plugin


def _leave_out(crossing: Crossing, scan: ProjectScan, action: LeavePluginOut, author: Author, work: Work) -> None:
    decided = crossing.decisions().get(plugin_key(crossing.setup, action.plugin))
    why = author.why or (decided.why if decided is not None else "") or tr("it cannot move yet")
    leave_plugin_out(crossing, scan, find_plugin(scan, action.plugin), why, work)


def _rebuild(crossing: Crossing, scan: ProjectScan, action: RebuildPlugin, author: Author, work: Work) -> None:
    rebuild(crossing, scan, find_plugin(scan, action.plugin), work)


HANDLERS: Handlers = {
    UpdatePlugin: apply_plugin,
    ReplacePlugin: apply_plugin,
    ResolveConflict: resolve_conflict,
    ResolveAlike: resolve_alike,
    ResolveBelow: resolve_below,
    LeavePluginOut: _leave_out,
    ReturnPlugin: lambda crossing, scan, action, author, work: return_plugin(crossing, action.plugin, work),
    RebuildPlugin: _rebuild,
}
