"""The open items of Survey."""

from __future__ import annotations

from fernshale.core.base.release import parse_release
from fernshale.core.base.release_notation import read_written
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.project.baseline import Baseline
from fernshale.core.crossing.project.commands import (
    RequirementResult,
)
from fernshale.core.crossing.project.plugin_origins import PluginOrigin
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.survey.actions import CheckRequirements, RemovePath, TakeBaseline
from fernshale.core.crossing.stages.survey.baseline_run import describe_baseline, is_on_start
from fernshale.core.crossing.stages.survey.view import BASELINE_KEY, requirement_key
from fernshale.core.survey.duplicates import DuplicateLibrary
from fernshale.core.survey.release_sites import FoundSite


def survey_items(
    scan: ProjectScan, plugins: tuple[PluginOrigin, ...], requirements: tuple[RequirementResult, ...], alone: bool
) -> list[Item]:
    """The items about unreadable files and requirements; without a crossing (`alone`) also those about plugins and sites."""
    items = []
    for path, why in scan.manifest.reported:
        items.append(
            Item(
                f"survey:unread:{path}",
                Stage.SURVEY,
                tr("{path} could not be read", path=path),
                "own",
                path,
                why,
                needs_you=False,
            )
        )
    for need in requirements:
        if not need.holds:
            detail = f"{need.found}. {need.hint}"
            again = Option(CheckRequirements(need.name), tr("Check again"), (tr("once it is there"),))
            without = Option(
                Choose(requirement_key(need), "without"), tr("Continue anyway"), (tr("the build may fail for it"),)
            )
            title = f"{need.name}: {need.found}"
            items.append(Item(requirement_key(need), Stage.SURVEY, title, detail=detail, options=(again, without)))
    if not alone:
        return items
    for item in plugins:
        if scan.shelf is not None and item.origin is None:
            title = tr("{id}: no release of it is on the shelf", id=item.plugin.id)
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
    release = parse_release(scan.release)
    engine = [site for site in scan.sites if site.names_engine]
    items += [_odd_site(site, scan) for site in engine if read_written(site.value.text) != release]
    return items


def duplicate_items(doubles: tuple[DuplicateLibrary, ...], plugins: tuple[PluginOrigin, ...]) -> list[Item]:
    items = []
    for item in doubles:
        name = f"double:{item.one}:{item.other}"
        key = f"survey:{name}"
        options = [
            Option(RemovePath(name, path), tr("Remove {path}", path=path), (item.why,))
            for path in (item.one, item.other)
        ]
        keep = Option(Choose(key, "keep"), tr("Keep both"), (tr("they are both needed"),))
        title = tr("{one} and {other} seem to be one library", one=item.one, other=item.other)
        items.append(Item(key, Stage.SURVEY, title, "", item.other, item.why, True, (*options, keep)))
    for plugin in plugins:
        origin = plugin.origin
        if origin is None:
            continue
        for path, name in origin.leftovers.items():
            place = f"{plugin.plugin.folder}/{path}"
            name = f"leftover:{place}"
            key = f"survey:{name}"
            options = [
                Option(
                    RemovePath(name, TreePath(place)),
                    tr("Remove it"),
                    (tr("{name} has no such file", name=origin.name),),
                )
            ]
            keep = Option(Choose(key, "keep"), tr("Keep it"), (tr("it is in use"),))
            title = tr("{place} is left over from {id} {name}", place=place, id=plugin.plugin.id, name=name)
            owner = f"plugin {plugin.plugin.id}"
            items.append(Item(key, Stage.SURVEY, title, owner, place, "", True, (*options, keep)))
    return items


def _odd_site(site: FoundSite, scan: ProjectScan) -> Item:
    title = tr(
        "{file} names {words}, the project is on {release}", file=site.file, words=site.value.text, release=scan.release
    )
    return Item(
        f"survey:site:{site.file}:{site.at.text}",
        Stage.SURVEY,
        title,
        "own",
        f"{site.file}:{site.line}",
        needs_you=False,
    )


# By whether the profile can build and whether it can run: the question, and the options.
_BASELINE_WORDS = {
    (True, True): (
        tr("no baseline yet: does it build and run today?"), tr("Build and run it now"), tr("Build and run again"),
    ),
    (True, False): (tr("no baseline yet: does it build today?"), tr("Build it now"), tr("Build again")),
    (False, True): (tr("no baseline yet: does it run today?"), tr("Run it now"), tr("Run again")),
}  # fmt: skip


def baseline_items(scan: ProjectScan, crossing: Crossing | None, baseline: Baseline | None) -> list[Item]:
    commands = scan.profile.commands
    if crossing is None or (commands.build is None and commands.run is None):
        return []
    question, now, again_words = _BASELINE_WORDS[commands.build is not None, commands.run is not None]
    without = Option(
        Choose(BASELINE_KEY, "without"),
        tr("Continue without a baseline"),
        (tr("later errors cannot be distinguished from those that were there before"),),
    )
    is_before = is_on_start(scan, crossing)
    if baseline is None:
        build = Option(
            TakeBaseline(),
            now,
            (tr("the profile has the commands"),),
            is_automatic=True,
        )
        title = question if is_before else tr("no baseline on {before}", before=crossing.setup.from_)
        options = (build, without) if is_before else (without,)
        return [Item(BASELINE_KEY, Stage.SURVEY, title, detail="", options=options, needs_you=not is_before)]
    if not baseline.is_good(commands):
        again = Option(TakeBaseline(), again_words, ())
        title = tr(
            "today's project on {release}: {baseline}",
            release=baseline.release,
            baseline=describe_baseline(baseline),
        )
        options = (again, without) if is_before else (without,)
        return [Item(BASELINE_KEY, Stage.SURVEY, title, detail=baseline.said, options=options)]
    return []
