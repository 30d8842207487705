"""Engine: point the project at the new release and have its generator replace the generated files."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass, replace

from fernshale.core.base.quantities import count
from fernshale.core.base.release import is_release, parse_release, same_release
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.crossing.project.generator import Regenerated, files_to_replace, read_regenerated, regenerate
from fernshale.core.crossing.project.plugin_plan import SAID, said_key
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.database import Crossing, EntryText, Setup
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.engine.actions import PointAtRelease
from fernshale.core.crossing.stages.engine.forked_files import ForkedFile, copy_items, find_copies
from fernshale.core.crossing.stages.engine.generated_files import generator_items, stale_items
from fernshale.core.crossing.stages.engine.workarounds import WorkaroundLine, find_lines, workaround_items
from fernshale.core.engine.release_update import SiteChange, draft_sites, plan_sites
from fernshale.core.survey.release_sites import read_project_text
from fernshale.core.survey.workspace_members import choose_members, with_override


@dataclass(frozen=True, slots=True)
class EngineView:
    """Each site before and after, the generated files that the generator's next run replaces, and how its last run went.

    `overrides` are descriptors of members that inherit and get a release of their own; `copies` files that were copied
    from the engine and edited; `workarounds` lines that only some releases need.
    """

    sites: tuple[SiteChange, ...]
    overrides: tuple[TreePath, ...]
    stale: tuple[TreePath, ...]
    regenerated: Regenerated | None
    release: str
    copies: tuple[ForkedFile, ...]
    items: tuple[Item, ...]
    workarounds: tuple[WorkaroundLine, ...] = ()

    @property
    def pending(self) -> tuple[SiteChange, ...]:
        return tuple(change for change in self.sites if change.changes)

    @property
    def places(self) -> int:
        """How many places are still to name the target."""
        return len(self.pending) + len(self.overrides)


def site_changes(scan: ProjectScan, from_: str, to: str, asked: Collection[str] = ()) -> tuple[SiteChange, ...]:
    """What each site becomes; plugins' pins follow the releases that are in the plugin folders.

    `asked` are keys of sites that name another release and are to follow all the same.
    """
    versions = {item.id: item.version for item in scan.plugins if item.version}
    planned = plan_sites(scan.sites, from_, to, versions)
    return tuple(replace(item, after=to, trouble="") if _key(item) in asked else item for item in planned)


def _key(change: SiteChange) -> str:
    return f"engine:trouble:{change.site.file}:{change.site.name}"


def engine(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> EngineView:
    """Look; writes nothing. Raises Cancelled."""
    setup = crossing.setup
    asked = {key for key, item in crossing.decisions().items() if item.choice == "follow"}
    sites = _leg_changes(scan, setup, asked)
    overrides = _overrides(scan, setup) if setup.members else ()
    there = parse_release(scan.release) == parse_release(setup.to) and not overrides
    stale = files_to_replace(scan, crossing, is_moved=there)
    regenerated = read_regenerated(crossing, scan.release)
    copies = find_copies(scan, crossing, token)
    lines = find_lines(scan, setup.to)
    view = EngineView(sites, overrides, stale, regenerated, scan.release, copies, (), lines)
    more = (*copy_items(copies, crossing), *workaround_items(lines, setup.to, crossing.left_so()))
    return replace(view, items=(*_items(view, scan, crossing), *more))


def _leg_changes(scan: ProjectScan, setup: Setup, asked: Collection[str]) -> tuple[SiteChange, ...]:
    """What each site becomes on the leg in hand; where only some members of a workspace cross, the rest stays."""
    changes = site_changes(scan, setup.from_, setup.to, asked)
    if not setup.members:
        return changes
    chosen = {item.folder for item in choose_members(scan.members, setup.members)}
    return tuple(
        item if item.site.member in chosen else replace(item, after=item.before, trouble="") for item in changes
    )


def _overrides(scan: ProjectScan, setup: Setup) -> tuple[TreePath, ...]:
    chosen = choose_members(scan.members, setup.members)
    return tuple(
        item.descriptor for item in chosen if item.how == "inherits" and not same_release(item.release, setup.to)
    )


def preview_engine(scan: ProjectScan, view: EngineView, to: str) -> ChangeSet:
    """The one change set of this stage."""
    draft = draft_sites(scan.project, view.sites)
    workspace = scan.profile.workspace
    for path in view.overrides:
        assert workspace is not None
        file = read_project_text(scan.project, path)
        draft.write(path, file.with_text(with_override(workspace, file.text, to, path)).encode())
    return draft.change_set()


def apply_engine(crossing: Crossing, scan: ProjectScan, work: Work) -> Regenerated | None:
    """Change all sites in one step, then run the engine's generator."""
    view = engine(scan, crossing, work.token)
    changes = preview_engine(scan, view, crossing.setup.to)
    if not changes.is_empty:
        to = crossing.setup.to
        # Ranges are widened, too; the plan goes on to ask what the plugins said before.
        if crossing.leg_fact(SAID) is None:
            crossing.keep_leg_fact(SAID, {said_key(plugin): plugin.accepts for plugin in scan.plugins})
        title = f"{count(view.places, 'place')} now {'names' if view.places == 1 else 'name'} {to}"
        write_step(crossing, EntryText(Stage.ENGINE, title, f"the target is {to}", "engine"), changes, work)
    return regenerate(crossing, work)


def engine_json(sites: tuple[SiteChange, ...], items: tuple[Item, ...]) -> dict[str, object]:
    """The sites as the command line prints them."""
    return {
        "sites": [
            {
                "file": item.site.file,
                "line": item.site.line,
                "at": item.site.at.text,
                "before": item.before,
                "after": item.after,
                "trouble": item.trouble,
            }
            for item in sites
        ],
        "items": [{"key": open_item.key, "title": open_item.title} for open_item in items],
    }


def _items(view: EngineView, scan: ProjectScan, crossing: Crossing) -> tuple[Item, ...]:
    items = []
    to = crossing.setup.to
    for item in view.sites:
        key = _key(item)
        if item.trouble and key not in crossing.decisions():
            place = f"{item.site.file}:{item.site.line}"
            keep = Option(Choose(key, "keep"), "Leave it as it is", (item.trouble,), 0.5)
            title = f"{item.site.file} {item.trouble.split(';')[0]}"
            follow = Option(
                Choose(key, "follow"), f"Let it name {to} as well", ("it names another release today",), 0.3
            )
            ways = (keep, follow) if item.site.notation == "exact" and is_release(item.before) else (keep,)
            items.append(Item(key, Stage.ENGINE, title, "own", place, item.trouble, True, ways))
    if view.places:
        evidence = f"the generator then replaces {count(len(view.stale), 'generated file')}" if view.stale else ""
        take = Option(PointAtRelease(), f"Change them to {to}", (evidence,), 1.0, True)
        title = f"{count(view.places, 'place')} still to name {to}"
        items.append(Item("engine:sites", Stage.ENGINE, title, "own", needs_you=False, options=(take,)))
    else:
        items += generator_items(scan, crossing, view.regenerated)
        items += stale_items(scan, crossing, view.regenerated)
    return tuple(items)
