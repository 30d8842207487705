"""How the interfaces of the engine and the plugins change on a leg, and which of the changes the project uses."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.languages import SCRIPTS
from fernshale.core.base.release import parse_release
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.scan import ProjectScan, engine_folder
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.plugin_updates import plugin_updates
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.comparison_cache import ReleasePlaces, compare_releases
from fernshale.core.drift.stated.between import releases_to_read
from fernshale.core.route.shelf import ShelfRelease


@dataclass(frozen=True, slots=True)
class Used:
    """A change, with the number of uses in the project's code."""

    change: ApiChange
    uses: int


def engine_places(scan: ProjectScan, from_: str, to: str, token: CancelToken) -> ReleasePlaces | None:
    """Where two releases of the engine and those between them are; None where one of the two is not available."""
    try:
        old, new = (engine_folder(scan, release) for release in (from_, to))
    except FernshaleError:
        return None
    if not (old.is_dir() and new.is_dir()):
        return None
    shelf = scan.shelf
    known = [item for item in shelf.engines_of(scan.profile.id) if item.stage == "stable"] if shelf else []
    return ReleasePlaces(old, new, _between(scan, known, from_, to, token))


def engine_drift(scan: ProjectScan, from_: str, to: str, work: Work) -> tuple[ApiChange, ...]:
    """The changes between two releases of the engine; none where one of the releases is not available. Raises Cancelled."""
    places = engine_places(scan, from_, to, work.token)
    return () if places is None else compare_releases(places, "", work, scan.cache)


@dataclass(frozen=True, slots=True)
class PluginDrift:
    """How the interface of an updated plugin changes, and where its releases are."""

    plugin: str
    from_: str
    to: str
    places: ReleasePlaces
    changes: tuple[ApiChange, ...]


def plugin_drift(scan: ProjectScan, crossing: Crossing, work: Work) -> tuple[PluginDrift, ...]:
    """The changes of each plugin that was updated on the leg and whose two releases are available. Raises Cancelled."""
    found = []
    ids = {plugin.folder: plugin.id for plugin in scan.plugins}
    for folder, taken in plugin_updates(crossing).items():
        id = ids.get(TreePath(folder), "")
        old, new = (_release_folder(scan, id, version, work.token) for version in (taken.from_, taken.to))
        if old is None or new is None:
            continue
        known = [item for item in scan.shelf.releases_of(id) if item.stage == "stable"] if scan.shelf else []
        places = ReleasePlaces(old, new, _between(scan, known, taken.from_, taken.to, work.token))
        if changes := compare_releases(places, "", work, scan.cache):
            found.append(PluginDrift(id, taken.from_, taken.to, places, changes))
    return tuple(found)


def _between(
    scan: ProjectScan, known: Sequence[ShelfRelease], from_: str, to: str, token: CancelToken
) -> tuple[tuple[str, Path], ...]:
    """Return the releases between two that are on this machine and worth reading; nothing is downloaded."""
    here = {parse_release(item.version): item for item in known if scan.shelf is not None and scan.shelf.is_here(item)}
    found = []
    for release in releases_to_read(tuple(here), parse_release(from_), parse_release(to)):
        folder = _place_of(scan, here[release], token)
        if folder is not None:
            found.append((f"{here[release].id} {release}", folder))
    return tuple(found)


def _release_folder(scan: ProjectScan, plugin: str, version: str, token: CancelToken) -> Path | None:
    releases = scan.shelf.releases_of(plugin) if scan.shelf is not None else ()
    release = next((item for item in releases if item.version == version), None)
    return None if release is None else _place_of(scan, release, token)


def _place_of(scan: ProjectScan, release: ShelfRelease, token: CancelToken) -> Path | None:
    if scan.shelf is None:
        return None
    try:
        folder = scan.shelf.place(release, Work(token=token))
    except FernshaleError:
        return None
    return folder if folder.is_dir() else None


def used_changes(
    changes: Sequence[ApiChange], used: Mapping[str, int], declared: Callable[[str], int] | None = None
) -> tuple[Used, ...]:
    """The changes of names that a project uses, the most used first. `used` counts the names in its code, `declared` the functions
    of a name that it declares. Changes that affect only overriding classes are left to the compiler where it reports them."""
    of_interest = (item for item in changes if item.kind != "added" and (item.kind != "wider" or item.is_silent))
    found = [Used(change, uses) for change in of_interest if (uses := uses_of(change, used))]
    if declared is not None:
        # Code that only calls a method overrides nothing.
        found = [
            Used(item.change, uses)
            for item in found
            if (uses := declared(item.change.symbol.name) if item.change.kind == "no-longer-overrides" else item.uses)
        ]
    return tuple(sorted(found, key=lambda item: (-item.uses, item.change.symbol.path)))


def uses_of(change: ApiChange, used: Mapping[str, int]) -> int:
    """How often a project uses a changed symbol. A method that has to be implemented counts for the classes that derive from
    its class; a name that is imported from another module only where all words of the old module occur as well."""
    symbol = change.symbol
    if change.kind == "imported-from":
        words = {symbol.name, *re.findall(r"\w+", " ".join(symbol.scope))}
        return min(used.get(word, 0) for word in words)
    if change.kind == "moved" and change.new is not None and change.new.path == symbol.path:
        # Only its file is another one, which matters to code that names the file.
        return min(used.get(word, 0) for word in (symbol.called, *_file_words(symbol.file)))
    if (
        symbol.scope
        and symbol.file.endswith(SCRIPTS)
        and (symbol.is_of_class or symbol.kind in ("constant", "function"))
    ):
        # Code writes it with the name of its class or namespace.
        return min(used.get(word, 0) for word in (symbol.name, symbol.scope[-1]))
    return used.get(symbol.scope[-1] if change.kind == "must-implement" and symbol.scope else symbol.called, 0)


def _file_words(file: str) -> list[str]:
    """The words of the last part of a path without its endings, as far as they count as names."""
    return re.findall(r"[A-Za-z_][A-Za-z0-9_]{2,}", file.rpartition("/")[2].split(".")[0])
