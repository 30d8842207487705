"""Plugins: the new releases in, every local edit kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import Any

from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.words import count
from fernshale.core.base.work import CancelToken, Progress, no_progress
from fernshale.core.change.draft import Draft
from fernshale.core.change.model import ChangeSet
from fernshale.core.crossing.ground import Ground
from fernshale.core.crossing.logbook import write_step
from fernshale.core.crossing.matter import Matter, Proposal, Stage
from fernshale.core.crossing.merging import merge_plugin
from fernshale.core.crossing.stages.route import is_wanted, plan
from fernshale.core.crossing.state import Crossing
from fernshale.core.merge.folder import FileMerge, FolderMerge
from fernshale.core.merge.keyed import KeyedMerge
from fernshale.core.merge.ledger import FATES, Ledger, LedgerEntry, build_ledger
from fernshale.core.merge.result import Result, build_result
from fernshale.core.merge.textmerge import TAKINGS, Choice, Due, TextMerge, part_of
from fernshale.core.route.planner import PluginStep
from fernshale.core.snapshot.manifest import Kind
from fernshale.core.survey.plugins import Plugin, plugin_folder

_PREFIX = "merge:"


@dataclass(frozen=True, slots=True)
class PluginView:
    """One plugin on this leg. `merge` is None once it is done, or while it has no release to go to.

    `base` is the vendor release taken as the old one; `base_note` says so when it is only the nearest.
    """

    plugin: Plugin
    step: PluginStep
    done: bool
    base: str
    base_note: str
    merge: FolderMerge | None
    ledger: Ledger | None

    def due(self, choices: Mapping[str, Choice]) -> tuple[tuple[FileMerge, Due], ...]:
        """The decisions still to be taken."""
        return tuple(item for item in (self.merge.decisions if self.merge else ()) if item[1].id not in choices)


@dataclass(frozen=True, slots=True)
class PluginsView:
    """All plugins with the choices taken so far, by id of the decision."""

    plugins: tuple[PluginView, ...]
    choices: Mapping[str, Choice]
    matters: tuple[Matter, ...]

    def count(self, fate: str) -> int:
        return sum(entry.fate == fate for view in self.plugins if view.ledger for entry in view.ledger.entries)

    @property
    def edits(self) -> int:
        return sum(view.ledger.edits for view in self.plugins if view.ledger)


def plugins(ground: Ground, crossing: Crossing, progress: Progress, token: CancelToken) -> PluginsView:
    """Merge in memory; writes nothing."""
    choices = read_choices(crossing)
    standing = {plugin.id: plugin for plugin in ground.plugins}
    views = []
    steps = plan(ground, crossing, token).plugins
    for number, step in enumerate(steps):
        progress(f"merging {step.id}", number, len(steps))
        plugin = standing.get(step.id) or Plugin(step.id, plugin_folder(ground.profile, step.id), "", "")
        views.append(_look(ground, crossing, plugin, step, choices, token))
    matters = tuple(matter for view in views for matter in _matters(view, choices))
    return PluginsView(tuple(views), choices, matters)


def read_choices(crossing: Crossing) -> dict[str, Choice]:
    """The merge decisions taken so far."""
    return {
        key.removeprefix(_PREFIX): _choice(item.choice, item.text)
        for key, item in crossing.decisions().items()
        if key.startswith(_PREFIX)
    }


def decision_key(due_id: str) -> str:
    """The key under which a merge decision is kept."""
    return _PREFIX + due_id


def preview_plugin(view: PluginView, ground: Ground, choices: Mapping[str, Choice]) -> ChangeSet:
    """What taking the new release would write; what is undecided stands as mine."""
    if view.merge is None:
        return ChangeSet(())
    return _change_set(ground, view.plugin, view.merge, build_result(view.merge, choices, "mine"))


def apply_plugin(crossing: Crossing, ground: Ground, id: str, progress: Progress, token: CancelToken) -> int:
    """Take the new release of a plugin; the logbook entry's id.

    Raises MisuseError while decisions are due, LedgerUnbalanced when a local edit would be lost.
    """
    view = next((item for item in plugins(ground, crossing, no_progress, token).plugins if item.plugin.id == id), None)
    if view is None or view.merge is None:
        raise MisuseError(f"there is nothing to take for the plugin {id}")
    choices = read_choices(crossing)
    if due := view.due(choices):
        names = ", ".join(sorted({file.shown for file, _ in due}))
        raise MisuseError(f"{id}: {len(due)} decisions are due first, in {names}")
    result = build_result(view.merge, choices, "mine")
    ledger = build_ledger(view.merge, result, choices)
    changes = _change_set(ground, view.plugin, view.merge, result)
    title = f"{id} {view.step.from_} → {view.step.to} · {count(len(changes.files), 'file')} · {_ledger_words(ledger)}"
    about = f"plugin {view.plugin.folder}"
    entry = write_step(crossing, Stage.PLUGINS, title, view.step.why, about, changes, progress, token)
    kept = {"entry": entry, "base": view.base, "entries": ledger_json(ledger)["entries"]}
    crossing.keep_leg_fact(f"ledger {view.plugin.folder}", kept)
    return entry


def ledger_json(ledger: Ledger) -> dict[str, Any]:
    """A ledger as data."""
    return {
        "edits": ledger.edits,
        **{fate: ledger.count(fate) for fate in FATES},
        "entries": [asdict(entry) for entry in ledger.entries],
    }


def kept_ledgers(crossing: Crossing) -> dict[str, Ledger]:
    """The ledgers of plugins whose step on this leg stands in the logbook, by folder."""
    ledgers = {}
    for entry in crossing.logbook():
        if entry.stage is Stage.PLUGINS and entry.state == "done" and entry.about.startswith("plugin "):
            folder = entry.about.removeprefix("plugin ")
            kept = crossing.leg_fact(f"ledger {folder}")
            if kept and kept["entry"] == entry.id:
                ledgers[folder] = Ledger(tuple(LedgerEntry(**item) for item in kept["entries"]))
    return ledgers


def _look(
    ground: Ground,
    crossing: Crossing,
    plugin: Plugin,
    step: PluginStep,
    choices: Mapping[str, Choice],
    token: CancelToken,
) -> PluginView:
    if (kept := kept_ledgers(crossing).get(plugin.folder)) is not None:
        return PluginView(plugin, step, True, crossing.leg_fact(f"ledger {plugin.folder}")["base"], "", None, kept)
    if not is_wanted(step, crossing):
        return PluginView(plugin, step, step.action in ("stay", "hold"), plugin.version, "", None, None)
    merge, base, note = merge_plugin(ground, crossing, plugin, step, token)
    ledger = build_ledger(merge, build_result(merge, choices, "mine"), choices)
    return PluginView(plugin, step, False, base, note, merge, ledger)


def _change_set(ground: Ground, plugin: Plugin, merge: FolderMerge, result: Result) -> ChangeSet:
    draft = Draft(ground.project)
    before = merge.mine.things()
    for path in before:
        if path not in result.entries:
            draft.delete(f"{plugin.folder}/{path}")
    for path, entry in result.entries.items():
        if before.get(path) == entry:
            continue
        if entry.kind is Kind.LINK:
            draft.link(f"{plugin.folder}/{path}", entry.content)
        else:
            draft.write(f"{plugin.folder}/{path}", result.read(path), entry.mode)
    return draft.change_set()


def _matters(view: PluginView, choices: Mapping[str, Choice]) -> list[Matter]:
    if view.merge is None:
        return []
    plugin, owner = view.plugin, f"plugin {view.plugin.id}"
    due = view.due(choices)
    matters = []
    for file, item in due:
        title = f"{file.shown.rsplit('/', 1)[-1]}: {_about(file, item)}"
        place = f"{plugin.folder}/{file.mine or file.shown}" + (f":{item.mine[0] + 1}" if item.kind != "file" else "")
        matters.append(
            Matter(decision_key(item.id), Stage.PLUGINS, title, owner, place, file.why, True, _ways(file, item))
        )
    ready = "its decisions come first" if due else "nothing is left to decide"
    take = Proposal("take", f"Take {view.step.to}", (view.step.why, ready), 1.0, not due)
    title = f"{plugin.id} {view.step.from_} → {view.step.to}"
    matters.append(Matter(f"plugin:{plugin.id}", Stage.PLUGINS, title, owner, plugin.folder, ready, False, (take,)))
    return matters


_WAY_TITLES: Mapping[str, str] = {
    "mine": "Keep yours",
    "incoming": "Take incoming",
    "both": "Both, yours first",
    "swapped": "Both, incoming first",
    "finer": "Merge token by token",
    "base": "As it was before",
}


def _about(file: FileMerge, due: Due) -> str:
    """What a decision is about, in a few words."""
    if isinstance(file.merge, KeyedMerge):
        return f"both changed {due.at.lstrip('/')}"
    if isinstance(file.merge, TextMerge):
        mine = " ".join(" ".join(part_of(file.merge, due, "mine")).split())
        return f"both changed “{mine[:44]}{'…' if len(mine) > 44 else ''}”" if mine else file.why.split(";")[0]
    return file.why.split(";")[0]


def _ways(file: FileMerge, due: Due) -> tuple[Proposal, ...]:
    titles = dict(_WAY_TITLES)
    if due.kind == "file":
        titles["mine"] = "Keep yours" if file.mine else "Leave it deleted"
        titles["incoming"] = "Take incoming" if file.incoming else "Let it go"
    evidence = {"finer": (f"gives: {due.finer.strip()}",)} if due.finer is not None else {}
    if isinstance(file.merge, KeyedMerge):
        before, mine, incoming = (text or "not there" for text in file.merge.versions(due))
        evidence = {"mine": (mine,), "incoming": (incoming,), "base": (before,)}
    return tuple(Proposal(way, titles[way], evidence.get(way, ())) for way in due.ways if way in titles)


def _choice(take: str, text: str) -> Choice:
    if take not in TAKINGS:
        raise FernshaleError(f"a merge decision says {take!r}, which is no way to settle it")
    return Choice(take, text)  # type: ignore[arg-type]


def _ledger_words(ledger: Ledger) -> str:
    parts = [f"{ledger.count('carried')} of {ledger.edits} edits carried"]
    if ledger.count("already"):
        parts.append(f"{ledger.count('already')} already there")
    if ledger.count("dropped"):
        parts.append(f"{ledger.count('dropped')} dropped by decision")
    return ", ".join(parts)
