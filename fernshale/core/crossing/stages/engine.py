"""Engine: point the project at the new release, throw stale generated files away, make them anew."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.base.errors import CommandError
from fernshale.core.base.release import parse_release
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.words import count
from fernshale.core.base.work import CancelToken, Progress
from fernshale.core.change.model import ChangeSet
from fernshale.core.crossing.commands import OnLine, run_profile_command, tail
from fernshale.core.crossing.ground import Ground, crossing_ground
from fernshale.core.crossing.logbook import write_step
from fernshale.core.crossing.matter import Matter, Proposal, Stage
from fernshale.core.crossing.state import Crossing
from fernshale.core.engine.reassociate import SiteChange, draft_sites, plan_sites
from fernshale.core.survey.roles import role_of


@dataclass(frozen=True, slots=True)
class Regenerated:
    """How the engine's generator ended the last time, and for which release."""

    release: str
    status: int
    said: str


@dataclass(frozen=True, slots=True)
class EngineView:
    """Each site before and after, the generated files that go, and how regenerating went."""

    sites: tuple[SiteChange, ...]
    stale: tuple[TreePath, ...]
    regenerated: Regenerated | None
    release: str
    matters: tuple[Matter, ...]

    @property
    def pending(self) -> tuple[SiteChange, ...]:
        return tuple(change for change in self.sites if change.changes)


def site_changes(ground: Ground, from_: str, to: str) -> tuple[SiteChange, ...]:
    """What each site becomes; plugins' pins follow the releases that are in the plugin folders."""
    return plan_sites(ground.sites, from_, to, {item.id: item.version for item in ground.plugins if item.version})


def engine(ground: Ground, crossing: Crossing) -> EngineView:
    """Look; writes nothing."""
    setup = crossing.setup
    sites = site_changes(ground, setup.from_, setup.to)
    there = parse_release(ground.release) == parse_release(setup.to)
    stale = () if there else generated_files(ground)
    kept = crossing.leg_fact("regenerated")
    regenerated = Regenerated(**kept) if kept and kept["release"] == ground.release else None
    view = EngineView(sites, stale, regenerated, ground.release, ())
    return EngineView(sites, stale, regenerated, ground.release, _matters(view, ground, crossing))


def generated_files(ground: Ground) -> tuple[TreePath, ...]:
    """Files the profile calls generated."""
    return tuple(path for path in ground.manifest.files if role_of(ground.profile, path).role == "generated")


def preview_engine(ground: Ground, view: EngineView) -> ChangeSet:
    """The one change set of this stage."""
    draft = draft_sites(ground.project, view.sites)
    for path in view.stale:
        draft.delete(path)
    return draft.change_set()


def apply_engine(
    crossing: Crossing, ground: Ground, on_line: OnLine, progress: Progress, token: CancelToken
) -> Regenerated | None:
    """Change all sites and remove stale generated files in one step, then run the engine's generator."""
    view = engine(ground, crossing)
    changes = preview_engine(ground, view)
    if not changes.is_empty:
        to = crossing.setup.to
        title = f"{count(len(view.pending), 'place')} now name {to}"
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
        outcome = Regenerated(ground.release, finished.status, tail(finished.text.splitlines(), 3))
    except CommandError as error:
        outcome = Regenerated(ground.release, 127, error.message)
    crossing.keep_leg_fact("regenerated", {"release": outcome.release, "status": outcome.status, "said": outcome.said})
    return outcome


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
    if view.pending:
        take = Proposal(
            "apply", f"Change them to {to}", (f"{len(view.stale)} generated files are made anew",), 1.0, True
        )
        title = f"{count(len(view.pending), 'place')} still to name {to}"
        matters.append(Matter("engine:sites", Stage.ENGINE, title, "own", needs_you=False, proposals=(take,)))
    for item in view.sites:
        key = f"engine:trouble:{item.site.file}:{item.site.at.text}"
        if item.trouble and key not in crossing.decisions():
            place = f"{item.site.file}:{item.site.line}"
            keep = Proposal("keep", "Leave it as it is", (item.trouble,), 0.5)
            title = f"{item.site.file} {item.trouble.split(';')[0]}"
            matters.append(Matter(key, Stage.ENGINE, title, "own", place, item.trouble, True, (keep,)))
    if not view.pending and ground.profile.commands.regenerate is not None:
        again = Proposal("regenerate", "Run the generator", (), 1.0, view.regenerated is None)
        if view.regenerated is None:
            title = "the project's build files are to be made anew"
            matters.append(
                Matter("engine:generate", Stage.ENGINE, title, "generated", needs_you=False, proposals=(again,))
            )
        elif view.regenerated.status != 0:
            title = "the engine's generator failed"
            detail = view.regenerated.said
            matters.append(Matter("engine:generate", Stage.ENGINE, title, "generated", "", detail, True, (again,)))
    return tuple(matters)
