"""The releases that the shelves have for a project and those that they lack, in words, before a crossing begins."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.data_folder import home
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.release import parse_release, same_release
from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.project.preconditions import HASTY, ProjectProbe
from fernshale.core.route.shelf_addresses import is_server
from fernshale.core.route.shelf_file import NAME
from fernshale.core.route.shelf_sources import read_shelf


@dataclass(frozen=True, slots=True)
class ShelfOverview:
    """`targets` are the releases to move to, the newest stable one first. `lacking` says which releases would be needed and are
    not there; the crossing goes on without those of plugins."""

    targets: tuple[str, ...]
    engines: int
    plugins: int
    lacking: tuple[str, ...]

    @property
    def words(self) -> str:
        return tr(
            "{engines} of the engine, {plugins} of this project's plugins",
            engines=count(self.engines, "release"),
            plugins=count(self.plugins, "release"),
        )


def own_shelf(profile_id: str) -> Path:
    """The folder into which releases are put by pointing at them."""
    return home() / "releases" / profile_id


def suggested_shelf(remembered: Sequence[str], opening: ProjectProbe) -> Sequence[str]:
    """The shelves to begin with: those used last if they have releases for this project, else the one of its engine."""
    own = own_shelf(opening.profile.id)
    if not (own / NAME).is_file() or any(is_server(address) for address in remembered):
        return remembered
    return remembered if _has_targets(remembered, opening) else [str(own)]


def shelf_to_fill(shelves: Sequence[str], opening: ProjectProbe) -> Path:
    """The folder onto whose shelf releases go: the first one named if it has releases for this project, else the engine's own."""
    first = shelves[0] if shelves and not is_server(shelves[0]) else ""
    return Path(first) if first and _has_targets([first], opening) else own_shelf(opening.profile.id)


def _has_targets(shelves: Sequence[str], opening: ProjectProbe) -> bool:
    try:
        return bool(shelves) and bool(shelf_overview(shelves, opening).targets)
    except FernshaleError:
        return False


def shelf_overview(shelves: Sequence[str | Path], opening: ProjectProbe) -> ShelfOverview:
    """What the shelves have for the project. Raises MisuseError, FormatError, ShelfError."""
    shelf = read_shelf(shelves, HASTY)
    here = parse_release(opening.release)
    engines = shelf.engines_of(opening.profile.id)
    others = [item for item in engines if parse_release(item.version) != here]
    ordered = sorted(others, key=lambda item: parse_release(item.version), reverse=True)
    targets = tuple(item.version for item in sorted(ordered, key=lambda item: item.stage != "stable"))
    lacking = []
    if not any(parse_release(item.version) == here for item in engines):
        lacking.append(
            tr(
                "{title} {release}, the release the project is on: changes of the engine cannot be listed",
                title=opening.profile.title,
                release=opening.release,
            )
        )
    if not targets:
        lacking.append(tr("a release of {title} to move to", title=opening.profile.title))
    plugins = 0
    for plugin in opening.plugins:
        releases = shelf.releases_of(plugin.id)
        plugins += len(releases)
        if plugin.version and not any(same_release(item.version, plugin.version) for item in releases):
            lacking.append(
                tr(
                    "{id} {version}, which the project has: your edits in it cannot be found",
                    id=plugin.id,
                    version=plugin.version,
                )
            )
    return ShelfOverview(targets, len(engines), plugins, tuple(lacking))
