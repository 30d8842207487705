"""Plugins: the new releases in, every local edit kept."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.quantities import count
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath, joined, on_disk
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.change.draft import Draft
from fernshale.core.change.preview import EntryReader
from fernshale.core.crossing.deferred.plugins import PluginLeftOut, find_left_out
from fernshale.core.crossing.project.plugin_builds import PluginBuild, find_built
from fernshale.core.crossing.project.plugin_plan import is_wanted, plan, plugin_key
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author, Choose
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.decision_memory import Remembered, recall
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.plugin_updates import PluginUpdate, about, keep_update, plugin_updates
from fernshale.core.crossing.record.stage import Stage
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
from fernshale.core.crossing.stages.plugins.choices import PREFIX, alike, below, decide_all, keep_decisions
from fernshale.core.crossing.stages.plugins.three_way import merge_plugin
from fernshale.core.merge.folder_merge import FileMerge, FolderMerge
from fernshale.core.merge.keyed import KeyedMerge
from fernshale.core.merge.ledger import FATES, Ledger, build_ledger
from fernshale.core.merge.merge_result import Result, build_result, replace_clean
from fernshale.core.merge.soundness import complaints
from fernshale.core.merge.text_merge import TAKINGS, Conflict, Resolution, TextMerge, fingerprint, part_of
from fernshale.core.route.planner import PluginStep
from fernshale.core.snapshot.manifest import EntryKind, TreeEntry
from fernshale.core.survey.plugins import Plugin, plugin_folder


@dataclass(frozen=True, slots=True)
class PluginView:
    """One plugin on this leg. `merge` is None once it is done, or while it has no release to go to.

    `base` is the vendor release taken as the old one; `base_note` says what is odd about that. `odd` has what is odd about
    merged files, in words, by path: they parse no more, or their brackets do not balance.
    """

    plugin: Plugin
    step: PluginStep
    done: bool
    base: str
    base_note: str
    merge: FolderMerge | None
    ledger: Ledger | None
    odd: Mapping[TreePath, tuple[str, ...]] = field(default_factory=dict)

    def due(self, choices: Mapping[str, Resolution]) -> tuple[tuple[FileMerge, Conflict], ...]:
        """The decisions still to be taken."""
        return tuple(item for item in (self.merge.decisions if self.merge else ()) if item[1].id not in choices)


@dataclass(frozen=True, slots=True)
class PluginsView:
    """All plugins with the choices taken so far, by id of the decision; those that are set aside; and what was decided
    about the same conflicts in any project; and those that have compiled parts."""

    plugins: tuple[PluginView, ...]
    choices: Mapping[str, Resolution]
    items: tuple[Item, ...]
    aside: tuple[PluginLeftOut, ...] = ()
    remembered: Mapping[str, Remembered] = field(default_factory=dict)
    built: tuple[PluginBuild, ...] = ()

    def count(self, fate: str) -> int:
        return sum(entry.fate == fate for view in self.plugins if view.ledger for entry in view.ledger.entries)

    @property
    def edits(self) -> int:
        return sum(view.ledger.edits for view in self.plugins if view.ledger)


def plugins(scan: ProjectScan, crossing: Crossing, work: Work) -> PluginsView:
    """Merge in memory; writes nothing."""
    choices = read_choices(crossing)
    standing = {plugin.id: plugin for plugin in scan.plugins}
    taken = plugin_updates(crossing)
    views = []
    steps = plan(scan, crossing, work.token).plugins
    for number, step in enumerate(steps):
        work.progress(f"merging {step.id}", number, len(steps))
        plugin = standing.get(step.id) or Plugin(step.id, plugin_folder(scan.profile, step.id), "", "")
        views.append(_look(scan, crossing, plugin, step, choices, taken, work.token))
    known, settled = recall(), crossing.decisions()
    items = tuple(item for view in views for item in _items(view, choices, settled, known))
    built = find_built(scan)
    items += tuple(_rebuild_items(crossing, built, views))
    aside = find_left_out(crossing, scan)
    items += tuple(_aside_items(scan, crossing, [view.step for view in views], aside))
    return PluginsView(tuple(views), choices, items, aside, known, built)


def read_choices(crossing: Crossing) -> dict[str, Resolution]:
    """The merge decisions taken so far, by id."""
    return {
        key.removeprefix(PREFIX): _choice(item.choice, item.text)
        for key, item in crossing.decisions().items()
        if key.startswith(PREFIX)
    }


def resolve_conflict(
    crossing: Crossing, scan: ProjectScan, action: ResolveConflict, author: Author, work: Work
) -> None:
    """Resolve one conflict. Raises MisuseError for one that is not open or has no such option, FernshaleError for text that
    breaks the file."""
    merge, choices = _merge_of(crossing, scan, action.conflict, work), read_choices(crossing)
    file, due = next(item for item in merge.decisions if item[1].id == action.conflict)
    side, text = action.side, action.text
    if side == "again":
        before = recall().get(action.conflict)
        side, text = ("text", before.text) if before is not None else (side, text)
    if side not in due.ways:
        raise MisuseError(f"{side!r} is no option of {file.shown}", f"Options: {', '.join(due.ways)}.")
    if file.merge is not None:
        file.merge.result({**choices, action.conflict: _choice(side, text)}, "mine")
    keep_decisions(crossing, [action.conflict], side, text, author)


def resolve_alike(crossing: Crossing, scan: ProjectScan, action: ResolveAlike, author: Author, work: Work) -> None:
    """Resolve all conflicts that are like one, except those that were resolved one by one. Raises MisuseError."""
    merge, choices = _merge_of(crossing, scan, action.conflict, work), read_choices(crossing)
    left = [
        item for item in alike(merge, action.conflict) if item[1].id not in choices or item[1].id == action.conflict
    ]
    decide_all(crossing, left, action.side, author)


def resolve_below(crossing: Crossing, scan: ProjectScan, action: ResolveBelow, author: Author, work: Work) -> None:
    """Resolve all conflicts in a folder of a plugin, except those that were resolved before. Raises MisuseError."""
    id, _, place = action.place.partition("/")
    choices = read_choices(crossing)
    merge = next((view.merge for view in _merging(crossing, scan, work) if view.plugin.id == id), None)
    items = below(merge, place) if merge is not None else ()
    decide_all(crossing, [item for item in items if item[1].id not in choices], action.side, author)


def _merging(crossing: Crossing, scan: ProjectScan, work: Work) -> list[PluginView]:
    """The plugins that are still to be merged."""
    return [view for view in plugins(scan, crossing, Work(token=work.token)).plugins if view.merge is not None]


def _merge_of(crossing: Crossing, scan: ProjectScan, conflict: str, work: Work) -> FolderMerge:
    """The merge with a conflict. Raises MisuseError when there is none any more."""
    views = _merging(crossing, scan, work)
    merge = next((view.merge for view in views for _, due in view.due({}) if due.id == conflict), None)
    if merge is None:
        raise MisuseError(f"{conflict} is no open conflict", "Look again; something changed meanwhile.")
    return merge


def decision_key(due_id: str) -> str:
    """The key under which a merge decision is kept."""
    return PREFIX + due_id


@dataclass(frozen=True, slots=True)
class FolderPreview:
    """The folder of a plugin as it will be: what changes in it, and the files that stay. Paths are those of the project."""

    changes: ChangeSet
    staying: Mapping[TreePath, TreeEntry]

    def readers(self, project: Path) -> tuple[EntryReader, EntryReader]:
        """How contents before and after it are read."""
        places = {item.before.content: item.path for item in self.changes.files if item.before is not None}
        places |= {entry.content: path for path, entry in self.staying.items()}

        def before(entry: TreeEntry) -> bytes:
            return on_disk(project, places[entry.content]).read_bytes()

        return before, lambda entry: self.changes.contents[entry.content]


def preview_plugin(view: PluginView, scan: ProjectScan, choices: Mapping[str, Resolution]) -> FolderPreview:
    """What taking the new release would write; what is undecided stands as mine."""
    if view.merge is None:
        return FolderPreview(ChangeSet(()), {})
    result = build_result(view.merge, choices, "mine")
    changes = _change_set(scan, view.plugin, view.merge, result)
    changing = {item.path for item in changes.changes}
    entries = {joined(view.plugin.folder, path): entry for path, entry in result.entries.items()}
    return FolderPreview(changes, {path: entry for path, entry in entries.items() if path not in changing})


def apply_plugin(
    crossing: Crossing, scan: ProjectScan, action: UpdatePlugin | ReplacePlugin, author: Author, work: Work
) -> int:
    """Write the planned release of a plugin; the logbook entry's id.

    Replacing it drops the local edits; files of the user's own stay.
    Raises MisuseError while decisions are due, LedgerUnbalanced when a local edit would be lost.
    """
    id = action.plugin
    view = next(
        (item for item in plugins(scan, crossing, Work(token=work.token)).plugins if item.plugin.id == id), None
    )
    if view is None or view.merge is None:
        raise MisuseError(f"there is nothing to take for the plugin {id}")
    merge, choices = view.merge, read_choices(crossing)
    if isinstance(action, ReplacePlugin):
        merge, choices = replace_clean(merge)
    elif due := view.due(choices):
        names = ", ".join(sorted({file.shown for file, _ in due}))
        raise MisuseError(f"{id}: {len(due)} decisions are due first, in {names}")
    elif odd := [key for key in _odd_keys(view).values() if key not in crossing.decisions()]:
        raise MisuseError(f"{id}: {count(len(odd), 'merged file')} should be looked at first, in {', '.join(view.odd)}")
    result = build_result(merge, choices, "mine")
    ledger = build_ledger(merge, result, choices)
    changes = _change_set(scan, view.plugin, merge, result)
    title = f"{id} {view.step.from_} → {view.step.to} · {count(len(changes.files), 'file')} · {_ledger_words(ledger)}"
    folder, step = view.plugin.folder, view.step
    entry = write_step(crossing, EntryText(Stage.PLUGINS, title, step.why, about(folder)), changes, work)
    taken = PluginUpdate(view.base, step.from_, step.to, ledger, _moves(view.plugin, merge))
    keep_update(crossing, folder, entry, taken)
    return entry


def _moves(plugin: Plugin, merge: FolderMerge) -> dict[TreePath, TreePath]:
    """Where files of the project went, by where they were; links that named them ask for it."""
    moved = ((file.mine, file.path) for file in merge.files)
    return {
        joined(plugin.folder, old): joined(plugin.folder, new)
        for old, new in moved
        if old is not None and new is not None and old != new
    }


def ledger_json(ledger: Ledger) -> dict[str, Any]:
    """A ledger as data."""
    return {
        "edits": ledger.edits,
        **{fate: ledger.count(fate) for fate in FATES},
        "entries": [asdict(entry) for entry in ledger.entries],
    }


def _look(
    scan: ProjectScan,
    crossing: Crossing,
    plugin: Plugin,
    step: PluginStep,
    choices: Mapping[str, Resolution],
    taken: Mapping[str, PluginUpdate],
    token: CancelToken,
) -> PluginView:
    if (kept := taken.get(plugin.folder)) is not None:
        return PluginView(plugin, step, True, kept.base, "", None, kept.ledger)
    if not is_wanted(step, crossing):
        return PluginView(plugin, step, step.action in ("stay", "hold"), plugin.version, "", None, None)
    merge, base, note = merge_plugin(scan, crossing, plugin, step, token)
    result = build_result(merge, choices, "mine")
    ledger = build_ledger(merge, result, choices)
    return PluginView(plugin, step, False, base, note, merge, ledger, _find_odd(merge, result, choices))


def _find_odd(merge: FolderMerge, result: Result, choices: Mapping[str, Resolution]) -> dict[TreePath, tuple[str, ...]]:
    """What is odd about merged files in which nothing is left to decide."""
    found = {}
    for file in merge.files:
        if file.merge is None or file.path is None or any(due.id not in choices for due in file.decisions):
            continue
        texts = [merge.mine.text(file.mine), merge.incoming.text(file.incoming), read_text(result.read(file.path))]
        mine, incoming, now = (text.text if text is not None else "" for text in texts)
        if words := complaints(file.path, mine, incoming, now):
            found[file.path] = words
    return found


def _odd_keys(view: PluginView) -> dict[TreePath, str]:
    """The key of the item of each odd file: another one when it is merged otherwise."""
    return {path: f"odd:{view.plugin.id}:{fingerprint(path, *words)}" for path, words in view.odd.items()}


def _change_set(scan: ProjectScan, plugin: Plugin, merge: FolderMerge, result: Result) -> ChangeSet:
    draft = Draft(scan.project)
    before = merge.mine.things
    for path in before:
        if path not in result.entries:
            draft.delete(f"{plugin.folder}/{path}")
    for path, entry in result.entries.items():
        if before.get(path) == entry:
            continue
        if entry.kind is EntryKind.LINK:
            draft.link(f"{plugin.folder}/{path}", entry.content)
        else:
            draft.write(f"{plugin.folder}/{path}", result.read(path), entry.mode)
    return draft.change_set()


def _items(
    view: PluginView, choices: Mapping[str, Resolution], settled: Collection[str], known: Mapping[str, Remembered]
) -> list[Item]:
    if view.merge is None:
        return []
    plugin, owner = view.plugin, f"plugin {view.plugin.id}"
    due = view.due(choices)
    items = []
    for file, item in due:
        title = f"{file.shown.rsplit('/', 1)[-1]}: {_about(file, item)}"
        place = f"{plugin.folder}/{file.mine or file.shown}" + (f":{item.mine[0] + 1}" if item.kind != "file" else "")
        items.append(
            Item(decision_key(item.id), Stage.PLUGINS, title, owner, place, file.why, True, _ways(file, item, known))
        )
    odd = [(path, key) for path, key in _odd_keys(view).items() if key not in settled]
    for path, key in odd:
        title = f"{path.rsplit('/', 1)[-1]}: merged, but {view.odd[path][0]}"
        leave = Option(Choose(key, "leave"), "It is right as it stands", view.odd[path])
        place = f"{plugin.folder}/{path}"
        items.append(Item(key, Stage.PLUGINS, title, owner, place, "; ".join(view.odd[path]), True, (leave,)))
    ready = "its decisions come first" if due else "nothing is left to decide"
    if odd and not due:
        ready = "what looks odd comes first"
    take = Option(UpdatePlugin(plugin.id), f"Take {view.step.to}", (view.step.why, ready), 1.0, not due and not odd)
    ways = [take]
    if view.ledger is not None and view.ledger.edits:
        lost = view.ledger.edits - view.ledger.count("already")
        words = f"gives up {count(lost, 'edit')}; files of your own stay"
        ways.append(Option(ReplacePlugin(plugin.id), f"Replace it with {view.step.to} as it comes", (words,), 0.1))
    title = f"{plugin.id} {view.step.from_} → {view.step.to}"
    items.append(Item(f"plugin:{plugin.id}", Stage.PLUGINS, title, owner, plugin.folder, ready, False, tuple(ways)))
    return items


def _rebuild_items(crossing: Crossing, built: Sequence[PluginBuild], views: Sequence[PluginView]) -> Iterator[Item]:
    """Compiled plugins whose stamps name other releases; their own new release comes first."""
    to = crossing.setup.to
    coming = {view.plugin.id for view in views if view.merge is not None or view.step.action == "set aside"}
    for item in built:
        if item.is_built_for(to) or item.plugin.id in coming:
            continue
        id = item.plugin.id
        way = Option(
            RebuildPlugin(id),
            f"Build it for {to}",
            ("from its sources, by the engine's own tool", item.words),
            0.9,
            True,
        )
        title = f"{id} is {item.words}, not for {to}"
        yield Item(f"rebuild:{id}", Stage.PLUGINS, title, f"plugin {id}", item.plugin.folder, "", False, (way,))


def _aside_items(
    scan: ProjectScan, crossing: Crossing, steps: Sequence[PluginStep], aside: Sequence[PluginLeftOut]
) -> Iterator[Item]:
    """What is still to be set aside, as was decided, and what could come back."""
    for step in steps:
        if step.action == "set aside":
            decided = crossing.decisions().get(plugin_key(crossing.setup, step.id))
            why = decided.why if decided is not None else ""
            evidence = (why or step.why, "switched off and taken out; one action brings it back")
            way = Option(LeavePluginOut(step.id), f"Set {step.id} aside", evidence, 1.0, True)
            place = next((plugin.folder for plugin in scan.plugins if plugin.id == step.id), "")
            title = f"{step.id} is to be set aside"
            yield Item(f"aside:{step.id}", Stage.PLUGINS, title, f"plugin {step.id}", place, why, False, (way,))
    for item in aside:
        if item.ready:
            back = Option(
                ReturnPlugin(item.id), f"Bring {item.id} back", (f"{item.ready} accepts {crossing.setup.to}",), 0.5
            )
            title = f"{item.id} is set aside, and {item.ready} would fit now"
            yield Item(f"aside:{item.id}", Stage.PLUGINS, title, f"plugin {item.id}", "", item.why, True, (back,))


_WAY_TITLES: Mapping[str, str] = {
    "mine": "Keep yours",
    "incoming": "Take incoming",
    "both": "Both, yours first",
    "swapped": "Both, incoming first",
    "finer": "Merge token by token",
    "base": "As it was before",
}


def _about(file: FileMerge, due: Conflict) -> str:
    """What a decision is about, in a few words."""
    if isinstance(file.merge, KeyedMerge):
        return f"both changed {due.at.lstrip('/')}"
    if isinstance(file.merge, TextMerge):
        mine = " ".join(" ".join(part_of(file.merge, due, "mine")).split())
        return f"both changed “{mine[:44]}{'…' if len(mine) > 44 else ''}”" if mine else file.why.split(";")[0]
    return file.why.split(";")[0]


def _ways(file: FileMerge, due: Conflict, known: Mapping[str, Remembered]) -> tuple[Option, ...]:
    """The ways to settle a decision; first the one that was taken when the same conflict came up before."""
    titles = dict(_WAY_TITLES)
    if due.kind == "file":
        titles["mine"] = "Keep yours" if file.mine else "Leave it deleted"
        titles["incoming"] = "Take incoming" if file.incoming else "Let it go"
    evidence = {"finer": (f"gives: {due.finer.strip()}",)} if due.finer is not None else {}
    if isinstance(file.merge, KeyedMerge):
        versions = dict(zip(("base", "mine", "incoming"), file.merge.versions(due), strict=True))
        evidence = {way: (text or "not there",) for way, text in versions.items()}
    before = known.get(due.id)
    found = [
        Option(ResolveConflict(due.id, way), titles[way], evidence.get(way, ())) for way in due.ways if way in titles
    ]
    if before is not None and before.take in titles:
        found.sort(key=lambda item: item.id != before.take)
        found[0] = replace(found[0], evidence=(*found[0].evidence, before.words), confidence=0.9)
    elif before is not None and before.take == "text" and "text" in due.ways:
        found.insert(
            0, Option(ResolveConflict(due.id, "again"), "As written before", (before.text.strip(), before.words), 0.9)
        )
    return tuple(found)


def _choice(take: str, text: str) -> Resolution:
    if take not in TAKINGS:
        raise FernshaleError(f"a merge decision says {take!r}, which is no way to settle it")
    return Resolution(take, text)  # type: ignore[arg-type]


def _ledger_words(ledger: Ledger) -> str:
    parts = [f"{ledger.count('carried')} of {ledger.edits} edits carried"]
    if ledger.count("already"):
        parts.append(f"{ledger.count('already')} already there")
    if ledger.count("dropped"):
        parts.append(f"{ledger.count('dropped')} dropped by decision")
    return ", ".join(parts)
