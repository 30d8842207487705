"""Engine: point the project at the new release, throw stale generated files away, make them anew."""

from __future__ import annotations

import re
from collections.abc import Collection
from dataclasses import dataclass, replace

from fernshale.core.base.errors import CommandError
from fernshale.core.base.release import is_release, parse_release, same_release
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.words import count
from fernshale.core.base.work import CancelToken, Progress
from fernshale.core.change.model import ChangeSet
from fernshale.core.crossing.commands import OnLine, run_profile_command, tail
from fernshale.core.crossing.copies import Copy, copy_matters, find_copies
from fernshale.core.crossing.ground import Ground, crossing_ground
from fernshale.core.crossing.logbook import write_step
from fernshale.core.crossing.matter import Matter, Proposal, Stage
from fernshale.core.crossing.rebuild import find_built
from fernshale.core.crossing.stages.route import SAID, said_key
from fernshale.core.crossing.state import Crossing, Setup
from fernshale.core.crossing.workarounds import Line, find_lines, workaround_matters
from fernshale.core.engine.reassociate import SiteChange, draft_sites, plan_sites
from fernshale.core.survey.members import choose_members, with_override
from fernshale.core.survey.roles import files_of
from fernshale.core.survey.sites import read_project_text

# So many lines of what a generator said are kept when it failed.
_SAID_LINES = 6


@dataclass(frozen=True, slots=True)
class Regenerated:
    """How the engine's generator ended the last time, and for which release."""

    release: str
    status: int
    said: str


@dataclass(frozen=True, slots=True)
class EngineView:
    """Each site before and after, the generated files that go, and how regenerating went.

    `overrides` are descriptors of members that inherit and get a release of their own; `copies` files that were copied
    from the engine and edited; `workarounds` lines that only some releases need.
    """

    sites: tuple[SiteChange, ...]
    overrides: tuple[TreePath, ...]
    stale: tuple[TreePath, ...]
    regenerated: Regenerated | None
    release: str
    copies: tuple[Copy, ...]
    matters: tuple[Matter, ...]
    workarounds: tuple[Line, ...] = ()

    @property
    def pending(self) -> tuple[SiteChange, ...]:
        return tuple(change for change in self.sites if change.changes)

    @property
    def places(self) -> int:
        """How many places are still to name the target."""
        return len(self.pending) + len(self.overrides)


def site_changes(ground: Ground, from_: str, to: str, asked: Collection[str] = ()) -> tuple[SiteChange, ...]:
    """What each site becomes; plugins' pins follow the releases that are in the plugin folders.

    `asked` are keys of sites that name another release and are to follow all the same.
    """
    versions = {item.id: item.version for item in ground.plugins if item.version}
    planned = plan_sites(ground.sites, from_, to, versions)
    return tuple(replace(item, after=to, trouble="") if _key(item) in asked else item for item in planned)


def _key(change: SiteChange) -> str:
    return f"engine:trouble:{change.site.file}:{change.site.name}"


def engine(ground: Ground, crossing: Crossing, token: CancelToken) -> EngineView:
    """Look; writes nothing. Raises Cancelled."""
    setup = crossing.setup
    asked = {key for key, item in crossing.decisions().items() if item.choice == "follow"}
    sites = _leg_changes(ground, setup, asked)
    overrides = _overrides(ground, setup) if setup.members else ()
    there = parse_release(ground.release) == parse_release(setup.to) and not overrides
    stale = () if there else generated_files(ground)
    kept = crossing.leg_fact("regenerated")
    regenerated = Regenerated(**kept) if kept and kept["release"] == ground.release else None
    copies = find_copies(ground, crossing, token)
    lines = find_lines(ground, setup.to)
    view = EngineView(sites, overrides, stale, regenerated, ground.release, copies, (), lines)
    more = (*copy_matters(copies, crossing), *workaround_matters(lines, setup.to, crossing.left_so()))
    return replace(view, matters=(*_matters(view, ground, crossing), *more))


def _leg_changes(ground: Ground, setup: Setup, asked: Collection[str]) -> tuple[SiteChange, ...]:
    """What each site becomes on the leg in hand; where only some members of a workspace cross, the rest stays."""
    changes = site_changes(ground, setup.from_, setup.to, asked)
    if not setup.members:
        return changes
    chosen = {item.folder for item in choose_members(ground.members, setup.members)}
    return tuple(
        item if item.site.member in chosen else replace(item, after=item.before, trouble="") for item in changes
    )


def _overrides(ground: Ground, setup: Setup) -> tuple[TreePath, ...]:
    chosen = choose_members(ground.members, setup.members)
    return tuple(item.descriptor for item in chosen if item.how == "inherits" and not same_release(item.release, setup.to))


def generated_files(ground: Ground) -> tuple[TreePath, ...]:
    """Files the profile calls generated."""
    return files_of(ground.profile, ground.manifest.paths(), "generated")


def preview_engine(ground: Ground, view: EngineView, to: str) -> ChangeSet:
    """The one change set of this stage."""
    draft = draft_sites(ground.project, view.sites)
    workspace = ground.profile.workspace
    for path in view.overrides:
        assert workspace is not None
        file = read_project_text(ground.project, path)
        draft.write(path, file.with_text(with_override(workspace, file.text, to, path)).encode())
    for path in view.stale:
        draft.delete(path)
    return draft.change_set()


def apply_engine(
    crossing: Crossing, ground: Ground, on_line: OnLine, progress: Progress, token: CancelToken
) -> Regenerated | None:
    """Change all sites and remove stale generated files in one step, then run the engine's generator."""
    view = engine(ground, crossing, token)
    changes = preview_engine(ground, view, crossing.setup.to)
    if not changes.is_empty:
        to = crossing.setup.to
        # Ranges are widened, too; the plan goes on to ask what the plugins said before.
        if crossing.leg_fact(SAID) is None:
            crossing.keep_leg_fact(SAID, {said_key(plugin): plugin.accepts for plugin in ground.plugins})
        title = f"{count(view.places, 'place')} now {'names' if view.places == 1 else 'name'} {to}"
        if view.stale:
            title += f" · {count(len(view.stale), 'stale file')} removed"
        write_step(crossing, Stage.ENGINE, title, f"the target is {to}", "engine", changes, progress, token)
    return regenerate(crossing, on_line, progress, token)


def regenerate(crossing: Crossing, on_line: OnLine, progress: Progress, token: CancelToken) -> Regenerated | None:
    """Run the generator for the release the project is on now; None when the profile has none."""
    ground = crossing_ground(crossing, progress, token)
    if ground.profile.commands.regenerate is None:
        return None
    why = "project files are made by the engine's own generator"
    try:
        finished = run_profile_command(crossing, ground, "regenerate", Stage.ENGINE, why, on_line, progress, token)
        outcome = Regenerated(ground.release, finished.status, tail(finished.text.splitlines(), _SAID_LINES))
    except CommandError as error:
        outcome = Regenerated(ground.release, 127, error.message)
    crossing.keep_leg_fact("regenerated", {"release": outcome.release, "status": outcome.status, "said": outcome.said})
    return outcome


def _around(ground: Ground, said: str) -> tuple[Proposal, ...]:
    """Ways to get a plugin out of the generator's way: those that it names."""
    ways = []
    compiled = {item.plugin.id for item in find_built(ground)}
    for plugin in ground.plugins:
        named = re.search(rf"(?<![\w-]){re.escape(plugin.id)}(?![\w-])", said) or f"{plugin.folder}/" in said
        if not named:
            continue
        evidence = (f"the generator says: {said.splitlines()[-1].strip()}",)
        if plugin.id in compiled:
            ways.append(Proposal(f"rebuild {plugin.id}", f"Build {plugin.id} anew and run it again", evidence, 0.6))
        ways.append(Proposal(f"aside {plugin.id}", f"Set {plugin.id} aside and run it again", evidence, 0.5))
    return tuple(ways)


def to_json(sites: tuple[SiteChange, ...], matters: tuple[Matter, ...]) -> dict[str, object]:
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
        "matters": [{"key": matter.key, "title": matter.title} for matter in matters],
    }


def _matters(view: EngineView, ground: Ground, crossing: Crossing) -> tuple[Matter, ...]:
    matters = []
    to = crossing.setup.to
    for item in view.sites:
        key = _key(item)
        if item.trouble and key not in crossing.decisions():
            place = f"{item.site.file}:{item.site.line}"
            keep = Proposal("keep", "Leave it as it is", (item.trouble,), 0.5)
            title = f"{item.site.file} {item.trouble.split(';')[0]}"
            follow = Proposal("follow", f"Let it name {to} as well", ("it names another release today",), 0.3)
            ways = (keep, follow) if item.site.notation == "exact" and is_release(item.before) else (keep,)
            matters.append(Matter(key, Stage.ENGINE, title, "own", place, item.trouble, True, ways))
    if view.places:
        take = Proposal(
            "apply", f"Change them to {to}", (f"{len(view.stale)} generated files are made anew",), 1.0, True
        )
        title = f"{count(view.places, 'place')} still to name {to}"
        matters.append(Matter("engine:sites", Stage.ENGINE, title, "own", needs_you=False, proposals=(take,)))
    if not view.places and ground.profile.commands.regenerate is not None:
        again = Proposal("regenerate", "Run the generator", (), 1.0, view.regenerated is None)
        if view.regenerated is None:
            title = "the project's build files are to be made anew"
            matters.append(
                Matter("engine:generate", Stage.ENGINE, title, "generated", needs_you=False, proposals=(again,))
            )
        elif view.regenerated.status != 0:
            title = "the engine's generator failed"
            detail = view.regenerated.said
            around = (again, *_around(ground, detail))
            matters.append(Matter("engine:generate", Stage.ENGINE, title, "generated", "", detail, True, around))
    return tuple(matters)
