"""Inspect the plugins: each merged with its new release, the ledger of edits, conflicts."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from fernshale.core.base.textfile import read_text
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.deferred.plugins import find_left_out
from fernshale.core.crossing.project.plugin_builds import find_built
from fernshale.core.crossing.project.plugin_plan import is_wanted, plan
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decision_memory import recall
from fernshale.core.crossing.record.plugin_updates import plugin_updates
from fernshale.core.crossing.stages.plugins.choices import read_choices
from fernshale.core.crossing.stages.plugins.items import left_out_items, plugin_items, rebuild_items
from fernshale.core.crossing.stages.plugins.three_way import merge_plugin
from fernshale.core.crossing.stages.plugins.view import PluginsView, PluginView
from fernshale.core.merge.folder_merge import FolderMerge
from fernshale.core.merge.ledger import build_ledger
from fernshale.core.merge.merge_result import Result, build_result
from fernshale.core.merge.soundness import complaints
from fernshale.core.merge.text_merge import Resolution
from fernshale.core.route.planner import PluginStep
from fernshale.core.survey.plugins import Plugin, plugin_folder


def inspect_plugins(scan: ProjectScan, crossing: Crossing, work: Work) -> PluginsView:
    """Merge in memory; writes nothing."""
    choices = read_choices(crossing)
    taken = plugin_updates(crossing)
    views = []
    for plugin, step in _steps(scan, crossing, work):
        updated = taken.get(plugin.folder)
        if updated is not None:
            views.append(PluginView(plugin, step, True, updated.base, "", None, updated.ledger))
        else:
            views.append(_inspect_plugin(scan, crossing, plugin, step, choices, work.token))
    known, decided = recall(), crossing.decisions()
    items = tuple(item for view in views for item in plugin_items(view, choices, decided, known))
    built = find_built(scan)
    items += tuple(rebuild_items(crossing, built, views))
    left_out = find_left_out(crossing, scan)
    items += tuple(left_out_items(scan, crossing, [view.step for view in views], left_out))
    return PluginsView(tuple(views), choices, items, left_out, known, built)


def plugin_merges(scan: ProjectScan, crossing: Crossing, work: Work) -> Iterator[tuple[Plugin, FolderMerge]]:
    """The merges of the plugins that are not updated yet; a merge of before is used where nothing of it has changed."""
    taken = plugin_updates(crossing)
    for plugin, step in _steps(scan, crossing, work):
        if plugin.folder not in taken and is_wanted(step, crossing):
            yield plugin, merge_plugin(scan, crossing, plugin, step, work.token).merge


def _steps(scan: ProjectScan, crossing: Crossing, work: Work) -> Iterator[tuple[Plugin, PluginStep]]:
    """What the plan does with each plugin."""
    standing = {plugin.id: plugin for plugin in scan.plugins}
    steps = plan(scan, crossing, work.token).plugins
    for number, step in enumerate(steps):
        work.progress(tr("merging {id}", id=step.id), number, len(steps))
        yield standing.get(step.id) or Plugin(step.id, plugin_folder(scan.profile, step.id), "", ""), step


def _inspect_plugin(
    scan: ProjectScan,
    crossing: Crossing,
    plugin: Plugin,
    step: PluginStep,
    choices: Mapping[str, Resolution],
    token: CancelToken,
) -> PluginView:
    if not is_wanted(step, crossing):
        return PluginView(plugin, step, step.action in ("stay", "hold"), plugin.version, "", None, None)
    merged = merge_plugin(scan, crossing, plugin, step, token)
    merge = merged.merge
    result = build_result(merge, choices, "mine")
    ledger = build_ledger(merge, result, choices, found=merged.found)
    odd = _find_odd(merge, result, choices)
    return PluginView(plugin, step, False, merged.base, merged.note, merge, ledger, odd)


def _find_odd(merge: FolderMerge, result: Result, choices: Mapping[str, Resolution]) -> dict[TreePath, tuple[str, ...]]:
    """Findings about merged files without open conflicts."""
    found = {}
    for file in merge.files:
        if file.merge is None or file.path is None or any(conflict.id not in choices for conflict in file.decisions):
            continue
        texts = [merge.mine.text(file.mine), merge.incoming.text(file.incoming), read_text(result.read(file.path))]
        mine, incoming, now = (text.text if text is not None else "" for text in texts)
        if words := complaints(file.path, mine, incoming, now):
            found[file.path] = words
    return found
