"""The open items of Plugins."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import replace

from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.deferred.plugins import PluginLeftOut
from fernshale.core.crossing.project.plugin_builds import PluginBuild
from fernshale.core.crossing.project.plugin_plan import plugin_key
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decision_memory import Remembered
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.plugins.actions import (
    LeavePluginOut,
    RebuildPlugin,
    ReplacePlugin,
    ResolveConflict,
    ReturnPlugin,
    UpdatePlugin,
)
from fernshale.core.crossing.stages.plugins.choices import PREFIX, conflict_title
from fernshale.core.crossing.stages.plugins.view import PluginView
from fernshale.core.merge.folder_merge import FileMerge
from fernshale.core.merge.keyed import KeyedMerge
from fernshale.core.merge.text_merge import Conflict, Resolution, fingerprint
from fernshale.core.route.planner import PluginStep


def decision_key(conflict_id: str) -> str:
    """The key under which a merge decision is kept."""
    return PREFIX + conflict_id


def odd_keys(view: PluginView) -> dict[TreePath, str]:
    """The key of the item of each odd file: another one when it is merged otherwise."""
    return {path: f"odd:{view.plugin.id}:{fingerprint(path, *words)}" for path, words in view.odd.items()}


def plugin_items(
    view: PluginView, choices: Mapping[str, Resolution], decided: Collection[str], known: Mapping[str, Remembered]
) -> list[Item]:
    if view.merge is None:
        return []
    plugin, owner = view.plugin, f"plugin {view.plugin.id}"
    conflicts = view.open_conflicts(choices)
    items = []
    for file, item in conflicts:
        title = conflict_title(file, item)
        place = f"{plugin.folder}/{file.mine or file.shown}" + (f":{item.mine[0] + 1}" if item.kind != "file" else "")
        items.append(
            Item(decision_key(item.id), Stage.PLUGINS, title, owner, place, file.why, True, _options(file, item, known))
        )
    odd = [(path, key) for path, key in odd_keys(view).items() if key not in decided]
    for path, key in odd:
        title = tr("{rsplit}: merged, but {odd}", rsplit=path.rsplit("/", 1)[-1], odd=view.odd[path][0])
        leave = Option(Choose(key, "leave"), tr("It is right as it is"), view.odd[path])
        place = f"{plugin.folder}/{path}"
        items.append(Item(key, Stage.PLUGINS, title, owner, place, "; ".join(view.odd[path]), True, (leave,)))
    ready = tr("its conflicts come first") if conflicts else tr("no conflict is open")
    if odd and not conflicts:
        ready = tr("check the odd files first")
    take = Option(
        UpdatePlugin(plugin.id),
        tr("Update to {to}", to=view.step.to),
        (view.step.why, ready),
        is_automatic=not conflicts and not odd,
    )
    options = [take]
    if view.ledger is not None and view.ledger.edits:
        lost = view.ledger.edits - view.ledger.count("already")
        words = tr("drops {edits}; files of your own are kept", edits=count(lost, "edit"))
        options.append(
            Option(ReplacePlugin(plugin.id), tr("Replace it with {to} and drop your edits", to=view.step.to), (words,))
        )
    title = f"{plugin.id} {view.step.from_} → {view.step.to}"
    items.append(Item(f"plugin:{plugin.id}", Stage.PLUGINS, title, owner, plugin.folder, ready, False, tuple(options)))
    return items


def rebuild_items(crossing: Crossing, built: Sequence[PluginBuild], views: Sequence[PluginView]) -> Iterator[Item]:
    """Compiled plugins that were built for other releases, unless they are updated first."""
    to = crossing.setup.to
    coming = {view.plugin.id for view in views if view.merge is not None or view.step.action == "left out"}
    for item in built:
        if item.is_built_for(to) or item.plugin.id in coming:
            continue
        id = item.plugin.id
        option = Option(
            RebuildPlugin(id),
            tr("Build it for {to}", to=to),
            (tr("from its sources, by the engine's own tool"), item.words),
            is_automatic=True,
        )
        title = tr("{id} is {words}, not for {to}", id=id, words=item.words, to=to)
        yield Item(f"rebuild:{id}", Stage.PLUGINS, title, f"plugin {id}", item.plugin.folder, "", False, (option,))


def left_out_items(
    scan: ProjectScan, crossing: Crossing, steps: Sequence[PluginStep], left_out: Sequence[PluginLeftOut]
) -> Iterator[Item]:
    """Plugins that are to be left out by decision, and those that could return."""
    for step in steps:
        if step.action == "left out":
            decided = crossing.decisions().get(plugin_key(crossing.setup, step.id))
            why = decided.why if decided is not None else ""
            evidence = (why or step.why, tr("switched off and removed; one action returns it"))
            option = Option(LeavePluginOut(step.id), tr("Leave {id} out", id=step.id), evidence, is_automatic=True)
            place = next((plugin.folder for plugin in scan.plugins if plugin.id == step.id), "")
            title = tr("{id} is to be left out", id=step.id)
            yield Item(f"aside:{step.id}", Stage.PLUGINS, title, f"plugin {step.id}", place, why, False, (option,))
    for item in left_out:
        if item.ready:
            back = Option(
                ReturnPlugin(item.id),
                tr("Return {id}", id=item.id),
                (tr("{ready} accepts {to}", ready=item.ready, to=crossing.setup.to),),
            )
            title = tr("{id} is left out, and {ready} fits now", id=item.id, ready=item.ready)
            yield Item(f"aside:{item.id}", Stage.PLUGINS, title, f"plugin {item.id}", "", item.why, True, (back,))


_WAY_TITLES: Mapping[str, str] = {
    "mine": tr("Keep yours"),
    "incoming": tr("Use the vendor's"),
    "both": tr("Both, yours first"),
    "swapped": tr("Both, the vendor's first"),
    "finer": tr("Merge token by token"),
    "base": tr("As it was before"),
}


def _options(file: FileMerge, conflict: Conflict, known: Mapping[str, Remembered]) -> tuple[Option, ...]:
    """The options of a conflict; first the one that was chosen for the same conflict before."""
    titles = dict(_WAY_TITLES)
    if conflict.kind == "file":
        titles["mine"] = tr("Keep yours") if file.mine else tr("Leave it deleted")
        titles["incoming"] = tr("Use the vendor's") if file.incoming else tr("Remove it")
    evidence = {"finer": (tr("result: {line}", line=conflict.finer.strip()),)} if conflict.finer is not None else {}
    if isinstance(file.merge, KeyedMerge):
        versions = dict(zip(("base", "mine", "incoming"), file.merge.versions(conflict), strict=True))
        evidence = {option: (text or tr("not there"),) for option, text in versions.items()}
    before = known.get(conflict.id)
    found = [
        Option(ResolveConflict(conflict.id, option), titles[option], evidence.get(option, ()))
        for option in conflict.options
        if option in titles
    ]
    if before is not None and before.take in titles:
        found.sort(key=lambda item: item.id != before.take)
        found[0] = replace(found[0], evidence=(*found[0].evidence, before.words), confidence=0.9)
    elif before is not None and before.take == "text" and "text" in conflict.options:
        found.insert(
            0,
            Option(ResolveConflict(conflict.id, "again"), tr("As written before"), (before.text.strip(), before.words)),
        )
    return tuple(found)
