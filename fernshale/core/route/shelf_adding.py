"""Put releases on a shelf: copied into its folder, or, after consent, used in place.

SHELF/releases/ID/VERSION   folders and commits that were copied
SHELF/archives/NAME         archives
HOME/places.json            the places outside of shelves that a person has allowed
"""

from __future__ import annotations

import os
import shutil
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.release import same_release
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.process.git_tree import is_repository
from fernshale.core.profile.model import Profile
from fernshale.core.route.download import sha256_of
from fernshale.core.route.git_releases import export_commit, find_git_releases
from fernshale.core.route.release_recognition import FoundRelease, recognise_releases
from fernshale.core.route.shelf import EngineRelease, PluginRelease, ShelfRelease
from fernshale.core.route.shelf_file import NAME, ShelfFile, parse_shelf_file, write_releases, write_shelf_file
from fernshale.core.route.shelf_places import allow_place
from fernshale.core.snapshot.working_copy import duplicate_tree


def find_releases(source: Path, profile: Profile | None, work: Work) -> tuple[FoundRelease, ...]:
    """The releases at a place: a folder, an archive, a folder of them, a git repository, a folder of downloaded packages.

    Raises MisuseError where nothing is, CommandError for a repository that git cannot read, BadArchive, OSError, Cancelled.
    """
    source = source.expanduser()
    if not source.exists():
        raise MisuseError(tr("{source} does not exist", source=source))
    source = source.resolve()
    if source.is_dir() and is_repository(source):
        return find_git_releases(source, profile, work.token)
    return recognise_releases(source, profile, work)


def add_releases(
    shelf: Path, found: Sequence[FoundRelease], work: Work, *, in_place: bool = False
) -> tuple[ShelfRelease, ...]:
    """Put releases on the shelf in a folder of this machine, which is made if need be; returns the new ones, in order.

    With `in_place`, folders stay where they are, and the shelf names them. A release that the shelf has already is passed over.
    Raises MisuseError for a release without a version or in a place that the shelf cannot have, OSError, Cancelled; what was
    added before stays.
    """
    for item in found:
        if not item.is_complete:
            raise MisuseError(
                tr(
                    "{place}: its {missing} is not known",
                    place=item.place,
                    missing=tr("version") if item.id else tr("name"),
                ),
                tr("Say it with --id and --version."),
            )
    shelf = shelf.expanduser().resolve()
    file = _read_or_make(shelf)
    added: list[ShelfRelease] = []
    for item in found:
        work.token.check()
        there = [*file.releases, *added]
        if any(other.id == item.id and same_release(other.version, item.version) for other in there):
            continue
        added.append(_placed(shelf, item, work, in_place=in_place))
        _append(shelf, added[-1])
    return tuple(added)


def _read_or_make(shelf: Path) -> ShelfFile:
    path = shelf / NAME
    if not path.exists():
        shelf.mkdir(parents=True, exist_ok=True)
        write_atomic(path, write_shelf_file(ShelfFile(title=shelf.name)).encode(), 0o644)
    return parse_shelf_file(path.read_text("utf-8"), path)


def _placed(shelf: Path, item: FoundRelease, work: Work, *, in_place: bool) -> ShelfRelease:
    if item.commit:
        folder = f"releases/{_safe(item.id)}/{_safe(item.version)}"
        export_commit(item, _new(shelf / folder), work)
        return _release(item, _Where(folder))
    if item.place.is_file():
        archive = f"archives/{item.place.name}"
        target = shelf / archive
        target.parent.mkdir(exist_ok=True)
        if not (target.exists() and target.samefile(item.place)):
            partial = target.with_name(f".copying-{item.place.name}")
            shutil.copyfile(item.place, partial)
            os.replace(partial, target)
        return _release(item, _Where(item.inside, archive, sha256_of(target)))
    if item.place.is_relative_to(shelf):
        return _release(item, _Where(item.place.relative_to(shelf).as_posix()))
    if in_place:
        allow_place(shelf, item.place)
        return _release(item, _Where(place=str(item.place)))
    if shelf.is_relative_to(item.place):
        raise MisuseError(
            tr("the shelf {shelf} is inside {place}", shelf=shelf, place=item.place),
            tr("Choose another folder for the shelf."),
        )
    folder = f"releases/{_safe(item.id)}/{_safe(item.version)}"
    duplicate_tree(item.place, _new(shelf / folder), work)
    return _release(item, _Where(folder))


@dataclass(frozen=True, slots=True)
class _Where:
    """Where a release is on its shelf; as in `ShelfRelease`."""

    folder: str = ""
    archive: str = ""
    checksum: str = ""
    place: str = ""


def _release(item: FoundRelease, where: _Where) -> ShelfRelease:
    at = (where.folder, where.archive, where.checksum, where.place)
    if item.kind == "engine":
        return EngineRelease(item.id, item.version, *at, stage=item.stage)
    return PluginRelease(item.id, item.version, *at, accepts=item.accepts, stage=item.stage)


def _new(folder: Path) -> Path:
    """A new folder. The remains of an interrupted try are not on the shelf, and are removed."""
    if folder.exists():
        shutil.rmtree(folder)
    return folder


def _safe(name: str) -> str:
    """A name as one part of a path."""
    return name.replace("/", "-").lstrip(".") or "release"


def _append(shelf: Path, item: ShelfRelease) -> None:
    """Add a release at the end of the shelf file; the rest of its text is kept."""
    path = shelf / NAME
    text = path.read_text("utf-8")
    added = text.rstrip("\n") + "\n\n" + write_releases([item])
    parse_shelf_file(added, path)
    write_atomic(path, added.encode(), 0o644)
