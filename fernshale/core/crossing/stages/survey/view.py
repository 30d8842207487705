"""Survey: what is there, and does it build and run today?"""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import astuple, dataclass, replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.quantities import count, seconds
from fernshale.core.base.release import parse_release
from fernshale.core.base.treepath import TreePath, under
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.build.reading import read_diagnostics
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.baseline import Baseline, read_baseline
from fernshale.core.crossing.project.commands import (
    CommandCall,
    RequirementResult,
    check_requirements,
    read_requirements,
    run_profile_command,
    tail,
)
from fernshale.core.crossing.project.plugin_origins import PluginOrigin, find_origins, local_json
from fernshale.core.crossing.project.runs import run_game
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.logbook import note, write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.survey.actions import CheckRequirements, RemovePath, TakeBaseline
from fernshale.core.crossing.stages.survey.git_items import git_items
from fernshale.core.profile.model import Role
from fernshale.core.survey.duplicates import DuplicateLibrary, Stale, find_doubles, find_stale
from fernshale.core.survey.release_sites import FoundSite
from fernshale.core.survey.roles import files_by_role

_BASELINE = TakeBaseline().key


@dataclass(frozen=True, slots=True)
class SurveyView:
    """What the survey found. `sizes` are bytes by role."""

    scan: ProjectScan
    roles: Mapping[Role, tuple[TreePath, ...]]
    sizes: Mapping[Role, int]
    plugins: tuple[PluginOrigin, ...]
    doubles: tuple[DuplicateLibrary, ...]
    stale: tuple[Stale, ...]
    requirements: tuple[RequirementResult, ...]
    baseline: Baseline | None
    items: tuple[Item, ...]

    @property
    def can_compare(self) -> bool:
        """Whether the profile has a command whose outcome can be held against the baseline's."""
        return self.scan.profile.commands.build is not None or self.scan.profile.commands.run is not None


def survey(scan: ProjectScan, crossing: Crossing | None, token: CancelToken) -> SurveyView:
    """Look at the project; runs nothing and writes nothing."""
    roles = files_by_role(scan.profile, scan.manifest)
    entries = scan.manifest.files
    sizes = scan.manifest.derived(
        ("sizes", scan.profile.role),
        lambda: {role: sum(entries[path].size for path in paths) for role, paths in roles.items()},
    )
    plugins = find_origins(scan, crossing, token)
    baseline = read_baseline(crossing) if crossing else None
    requirements = read_requirements(crossing) if crossing else ()
    doubles = find_doubles(scan.profile, scan.project, scan.manifest, token)
    stale = find_stale(scan.profile, scan.manifest)
    left_so = crossing.left_so() if crossing else frozenset()
    items = (
        *_items(scan, plugins, requirements, crossing is None),
        *_double_items(doubles, plugins),
        *_baseline_items(scan, crossing, baseline),
    )
    open_ = tuple(item for item in items if item.key not in left_so)
    if crossing is not None:
        open_ = (*open_, *git_items(crossing, scan.project))
    return SurveyView(scan, roles, sizes, plugins, doubles, stale, requirements, baseline, open_)


def take_baseline(crossing: Crossing, scan: ProjectScan, work: Work) -> Baseline | None:
    """Build and run the project as it is, and keep how that went.

    The profile's preconditions are tried first; None while one does not hold and nobody decided to go on all the same.
    Raises MisuseError once the project has left its release.
    """
    if not _is_before(scan, crossing):
        raise MisuseError(
            f"the project is on {scan.release} already; a baseline is taken on {crossing.setup.from_}",
            "Undo back to the start for a baseline.",
        )
    requirements = try_requirements(crossing, scan, work.token)
    decided = crossing.decisions()
    if any(not item.holds and _need_key(item) not in decided for item in requirements):
        return None
    commands = scan.profile.commands
    baseline = Baseline(scan.release, True, 0.0, 0, "", None, time.time())
    if commands.build is not None:
        work.progress("building as it is today", 0, 2)
        built = run_profile_command(crossing, scan, CommandCall("build", Stage.SURVEY, "the baseline"), work)
        lines = built.text.splitlines()
        warnings = sum(item.severity == "warning" for item in read_diagnostics(lines, scan.profile.diagnostic))
        baseline = replace(
            baseline, built=built.status == 0, build_s=built.elapsed_s, warnings=warnings, said=tail(lines),
            log=str(crossing.fact("log build")),
        )  # fmt: skip
    if commands.run is not None and baseline.built:
        work.progress("running as it is today", 1, 2)
        baseline = replace(baseline, run=run_game(crossing, scan, Stage.SURVEY, work))
    crossing.keep_fact("baseline", _to_json(baseline))
    note(crossing, Stage.SURVEY, f"baseline on {scan.release}: {describe(baseline)}", "", "baseline")
    return baseline


def try_requirements(crossing: Crossing, scan: ProjectScan, token: CancelToken) -> tuple[RequirementResult, ...]:
    """Try the profile's preconditions and keep what came of it. Raises TrustNeeded."""
    requirements = check_requirements(scan, token)
    crossing.keep_fact("requirements", [list(astuple(item)) for item in requirements])
    for item in requirements:
        if not item.holds:
            note(crossing, Stage.SURVEY, f"{item.name} does not hold: {item.found}", item.hint, "requirements")
    return requirements


def remove_thing(crossing: Crossing, scan: ProjectScan, place: TreePath, decided: Decision, work: Work) -> int:
    """Take a file or a folder out of the project, as was decided; the entry's id. Raises MisuseError when it is not there."""
    paths = [path for path in scan.manifest.paths() if under(path, place)]
    if not paths:
        raise MisuseError(f"{place} is not there any more")
    draft = Draft(scan.project)
    for path in paths:
        draft.delete(path)
    title = f"{place} removed · {count(len(paths), 'file')}"
    why, about = decided.why or "there is one too many", f"removed {place}"
    return write_step(crossing, EntryText(Stage.SURVEY, title, why, about), draft.change_set(), work, [decided])


def describe(baseline: Baseline) -> str:
    """How the baseline went, in a few words."""
    if not baseline.built:
        return "does not build"
    parts = [f"builds in {seconds(baseline.build_s)}"] if baseline.log else []
    if baseline.run is not None:
        fails = "but the run fails" if parts else "does not run"
        parts.append(f"runs in {seconds(baseline.run.elapsed_s)}" if baseline.run.passed else fails)
    return ", ".join(parts)


def survey_json(view: SurveyView) -> dict[str, object]:
    """The survey as the command line prints it."""
    scan = view.scan
    return {
        "engine": {"id": scan.profile.id, "title": scan.profile.title, "release": scan.release},
        "sites": [
            {
                "file": site.file,
                "at": site.at.text,
                "line": site.line,
                "value": site.value.text,
                "name": site.name,
                "plugin": site.plugin,
            }
            for site in scan.sites
        ],
        "members": [
            {"name": item.name, "folder": item.folder, "how": item.how, "release": item.release}
            for item in scan.members
        ],
        "plugins": [_plugin_json(item) for item in view.plugins],
        "roles": {role: len(paths) for role, paths in view.roles.items()},
        "doubles": [{"one": item.one, "other": item.other, "how": item.how, "why": item.why} for item in view.doubles],
        "stale": [{"file": item.file, "source": item.source} for item in view.stale],
        "baseline": _to_json(view.baseline) if view.baseline else None,
        "items": [{"key": item.key, "title": item.title, "place": item.place} for item in view.items],
    }


def _origin_json(item: PluginOrigin) -> dict[str, object]:
    origin = item.origin
    assert origin is not None
    return {
        "version": origin.name,
        "score": round(origin.score, 3),
        "sure": round(origin.sure, 3),
        "runner_up": origin.runner_up,
        "source": item.source,
        "note": item.note,
    }


def _plugin_json(item: PluginOrigin) -> dict[str, object]:
    origin = item.origin
    return {
        "id": item.plugin.id,
        "folder": item.plugin.folder,
        "version": item.plugin.version,
        "accepts": item.plugin.accepts,
        "origin": _origin_json(item) if origin else None,
        **local_json(origin),
    }


def _items(
    scan: ProjectScan, plugins: tuple[PluginOrigin, ...], requirements: tuple[RequirementResult, ...], alone: bool
) -> list[Item]:
    """`alone`: no crossing was begun; in one, Route and Engine speak of plugins and sites."""
    items = []
    for path, why in scan.manifest.reported:
        items.append(
            Item(f"survey:unread:{path}", Stage.SURVEY, f"{path} could not be read", "own", path, why, needs_you=False)
        )
    for need in requirements:
        if not need.holds:
            detail = f"{need.found}. {need.hint}"
            again = Option(CheckRequirements(need.name), "Look again", ("once it is there",), 0.5)
            without = Option(
                Choose(_need_key(need), "without"), "Go on all the same", ("the build may fail for it",), 0.2
            )
            title = f"{need.name}: {need.found}"
            items.append(Item(_need_key(need), Stage.SURVEY, title, detail=detail, options=(again, without)))
    if not alone:
        return items
    for item in plugins:
        if scan.shelf is not None and item.origin is None:
            title = f"{item.plugin.id}: no release of it is on the shelf"
            items.append(
                Item(
                    f"survey:origin:{item.plugin.id}",
                    Stage.SURVEY,
                    title,
                    "plugin",
                    item.plugin.folder,
                    needs_you=False,
                )
            )
    engine = [site for site in scan.sites if not site.plugin and site.notation == "exact"]
    items += [_odd_site(site, scan) for site in engine if site.value.text != scan.release]
    return items


def _double_items(doubles: tuple[DuplicateLibrary, ...], plugins: tuple[PluginOrigin, ...]) -> list[Item]:
    items = []
    for item in doubles:
        name = f"double:{item.one}:{item.other}"
        key = f"survey:{name}"
        ways = [Option(RemovePath(name, path), f"Remove {path}", (item.why,), 0.4) for path in (item.one, item.other)]
        keep = Option(Choose(key, "keep"), "Keep both", ("they are both needed",), 0.3)
        title = f"{item.one} and {item.other} seem to be one library"
        items.append(Item(key, Stage.SURVEY, title, "", item.other, item.why, True, (*ways, keep)))
    for plugin in plugins:
        origin = plugin.origin
        if origin is None:
            continue
        for path, name in origin.leftovers.items():
            place = f"{plugin.plugin.folder}/{path}"
            name = f"leftover:{place}"
            key = f"survey:{name}"
            ways = [Option(RemovePath(name, TreePath(place)), "Remove it", (f"{origin.name} has no such file",), 0.6)]
            keep = Option(Choose(key, "keep"), "Keep it", ("it is in use",), 0.3)
            title = f"{place} is left over from {plugin.plugin.id} {name}"
            owner = f"plugin {plugin.plugin.id}"
            items.append(Item(key, Stage.SURVEY, title, owner, place, "", True, (*ways, keep)))
    return items


def _need_key(need: RequirementResult) -> str:
    return f"survey:needs:{need.name}"


def _odd_site(site: FoundSite, scan: ProjectScan) -> Item:
    title = f"{site.file} names {site.value.text}, the project is on {scan.release}"
    return Item(
        f"survey:site:{site.file}:{site.at.text}",
        Stage.SURVEY,
        title,
        "own",
        f"{site.file}:{site.line}",
        needs_you=False,
    )


def _baseline_items(scan: ProjectScan, crossing: Crossing | None, baseline: Baseline | None) -> list[Item]:
    commands = scan.profile.commands
    does = " and ".join(
        word for word, command in (("build", commands.build), ("run", commands.run)) if command is not None
    )
    if crossing is None or not does:
        return []
    without = Option(
        Choose(_BASELINE, "without"),
        "Go on without a baseline",
        ("what was broken before cannot be told apart later",),
        0.2,
    )
    is_before = _is_before(scan, crossing)
    if baseline is None:
        build = Option(TakeBaseline(), f"{does.capitalize()} it now", ("the profile has the commands",), 1.0, True)
        title = f"no baseline yet: does it {does} today?" if is_before else f"no baseline on {crossing.setup.from_}"
        ways = (build, without) if is_before else (without,)
        return [Item(_BASELINE, Stage.SURVEY, title, detail="", options=ways, needs_you=not is_before)]
    if not baseline.is_good(commands):
        again = Option(TakeBaseline(), f"{does.capitalize()} again", (), 0.5)
        title = f"today's project on {baseline.release}: {describe(baseline)}"
        ways = (again, without) if is_before else (without,)
        return [Item(_BASELINE, Stage.SURVEY, title, detail=baseline.said, options=ways)]
    return []


def _is_before(scan: ProjectScan, crossing: Crossing) -> bool:
    """Whether the project is still on the release that the crossing comes from, so that a baseline can be taken."""
    return parse_release(scan.release) == parse_release(crossing.setup.from_)


def _to_json(baseline: Baseline) -> dict[str, object]:
    return {
        "release": baseline.release,
        "built": baseline.built,
        "build_s": baseline.build_s,
        "warnings": baseline.warnings,
        "said": baseline.said,
        "run": baseline.run.to_json() if baseline.run else None,
        "time": baseline.time,
        "log": baseline.log,
    }
