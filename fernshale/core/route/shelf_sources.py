"""Sources of shelves: a local folder, or a server whose files are downloaded into a cache.

HOME/shelves/KEY/               one folder for each shelf, by a digest of its address
  shelf.toml files/ archives/   from a server: downloaded and verified
  unpacked/DIGEST/              unpacked releases, by the digest of their archive
"""

from __future__ import annotations

import hashlib
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from urllib.parse import quote

from fernshale.core.base.cached_file import made_once
from fernshale.core.base.data_folder import cache_folder
from fernshale.core.base.errors import FormatError, MisuseError
from fernshale.core.base.limits import LimitExceeded, limits
from fernshale.core.base.release import parse_release
from fernshale.core.base.texts import tr
from fernshale.core.base.toml_schema import read_utf8
from fernshale.core.base.work import Work
from fernshale.core.route.download import PATIENCE, Patience, ShelfError, fetch, sha256_of
from fernshale.core.route.shelf import EngineRelease, PluginRelease, Shelf, ShelfRelease, ShelfSource
from fernshale.core.route.shelf_addresses import clean_address, is_server
from fernshale.core.route.shelf_file import NAME, ShelfFile, files_of, oddities, parse_shelf_file, paths_of
from fernshale.core.route.shelf_places import is_allowed
from fernshale.core.route.unpack import unpack

_FRESH_S = 60.0
_last_fetched: dict[Path, float] = {}
_unreached: dict[Path, str] = {}


@dataclass(frozen=True, slots=True)
class FolderSource:
    """A shelf in a folder of this machine."""

    address: str
    folder: Path

    def file(self, path: str) -> Path:
        """Raises ShelfError when it leads out of the shelf by a link."""
        target = (self.folder / path).resolve()
        if not target.is_relative_to(self.folder.resolve()):
            raise ShelfError(tr("{path} lies outside the shelf {address}", path=path, address=self.address))
        return target

    def is_here(self, item: ShelfRelease) -> bool:
        """Always: nothing of a folder is downloaded."""
        return True

    def place(self, item: ShelfRelease, work: Work) -> Path:
        """Raises ShelfError for a checksum that differs or a place nobody allowed, BadArchive, Cancelled."""
        if item.place:
            return self._outside(item)
        if not item.archive:
            return _within(self.folder, item.folder)
        archive = self.file(item.archive)
        if item.checksum and (got := _known_checksum(archive)) != item.checksum:
            raise ShelfError(
                tr(
                    "{archive}: the checksum is {got}, {address}/{name} says {checksum}",
                    archive=archive,
                    got=got,
                    address=self.address,
                    name=NAME,
                    checksum=item.checksum,
                ),
                tr("The archive was changed or damaged; put the right one there."),
            )
        return _unpacked(_cache_of(self.address), archive, item.folder, work)

    def _outside(self, item: ShelfRelease) -> Path:
        place = Path(item.place)
        if not is_allowed(self.folder, item.place):
            raise ShelfError(
                tr(
                    "{id} {version} is outside the shelf {address}, in {place}, and nobody has allowed that",
                    id=item.id,
                    version=item.version,
                    address=self.address,
                    place=place,
                ),
                tr("Allow it with `fernshale shelf add SHELF PLACE --in-place`, if you know the place."),
            )
        if not place.is_dir():
            raise ShelfError(
                tr("{id} {version}: {place} is not there any more", id=item.id, version=item.version, place=place)
            )
        return place


@dataclass(frozen=True, slots=True)
class ServerSource:
    """A shelf on a server, and its downloaded files."""

    address: str
    folder: Path
    patience: Patience = PATIENCE
    checksums: dict[str, str] = field(default_factory=dict, compare=False)

    def file(self, path: str) -> Path:
        """Raises ShelfError."""
        target = self.folder / "files" / path
        if not target.is_file():
            fetch(self.url(path), target, self.checksums[path], self.patience, Work())
        return target

    def is_here(self, item: ShelfRelease) -> bool:
        """Whether the archive of a release was downloaded before."""
        return self._archive(item).exists()

    def _archive(self, item: ShelfRelease) -> Path:
        return self.folder / "archives" / f"{item.checksum.removeprefix('sha256:')}-{Path(item.archive).name}"

    def place(self, item: ShelfRelease, work: Work) -> Path:
        """Raises ShelfError, BadArchive, Cancelled."""
        archive = self._archive(item)
        if not archive.exists():
            fetch(self.url(item.archive), archive, item.checksum, self.patience, work)
        return _unpacked(self.folder, archive, item.folder, work)

    def url(self, path: str) -> str:
        """Return the URL of a file of the shelf."""
        return f"{self.address.rstrip('/')}/{quote(path)}"


def read_shelf(addresses: Sequence[str | Path], patience: Patience = PATIENCE) -> Shelf:
    """Read the shelves at `addresses` as one; if two have the same release, the first one is used.

    Raises MisuseError for an address without a shelf, FormatError with all errors of a shelf file, ShelfError for a server that
    cannot be reached and has no cached files.
    """
    key = tuple(clean_address(str(address)) for address in addresses)
    stamps = tuple(_stamp_of(address) for address in key)
    if key in _read and _read[key][0] == stamps and "" not in stamps:
        return _read[key][1]
    shelf = _read_all(key, patience)
    _read[key] = (tuple(_stamp_of(address) for address in key), shelf)
    return shelf


_read: dict[tuple[str, ...], tuple[tuple[str, ...], Shelf]] = {}


def _stamp_of(address: str) -> str:
    """A value that changes with the shelf file; empty if the file has to be read in any case."""
    folder = _cache_of(address) if is_server(address) else Path(address)
    if is_server(address) and not _is_fresh(folder):
        return ""
    try:
        status = (folder / NAME).stat()
    except OSError:
        return ""
    return f"{status.st_mtime_ns} {status.st_size} {status.st_ino}"


def _read_all(addresses: Sequence[str], patience: Patience) -> Shelf:
    if not addresses:
        raise MisuseError(tr("no shelf was named"), tr("Name the folder or server of the releases with --shelf."))
    title, notices, sources = "", [], []
    owners: dict[ShelfRelease, ShelfSource] = {}
    known: dict[tuple[type, str, object], ShelfRelease] = {}
    successions = {}
    for address in addresses:
        source, file, said = _open(address, patience)
        title = title or file.title or source.folder.name
        sources.append(source)
        notices += [*said, *oddities(file)]
        for item in file.releases:
            key = (type(item), item.id, parse_release(item.version))
            first = known.setdefault(key, item)
            owners.setdefault(first, source)
            if first.checksum and item.checksum and first.checksum != item.checksum:
                notices.append(
                    tr(
                        "{id} {version} differs between {first} and {second}; the first is taken",
                        id=item.id,
                        version=item.version,
                        first=owners[first].address,
                        second=source.address,
                    )
                )
        successions.update({item.id: item for item in file.succession if item.id not in successions})
    ordered = [item for _, item in sorted(known.items(), key=lambda pair: (pair[0][1], pair[0][2]))]
    return Shelf(
        title,
        tuple(item for item in ordered if isinstance(item, EngineRelease)),
        tuple(item for item in ordered if isinstance(item, PluginRelease)),
        tuple(successions.values()),
        tuple(notices),
        tuple(sources),
        owners,
    )


def _open(address: str, patience: Patience) -> tuple[ShelfSource, ShelfFile, list[str]]:
    if not is_server(address):
        folder = Path(address).resolve()
        file = read_shelf_folder(folder)
        return FolderSource(str(folder), folder), file, []
    folder = _cache_of(address)
    source = ServerSource(address, folder, patience)
    index = folder / NAME
    if not _is_fresh(folder) or not index.exists():
        try:
            largest = limits().shelf_file_bytes, "shelf_file_bytes"
            fetch(source.url(NAME), index, "", patience, Work(), largest)
            _unreached.pop(folder, None)
        except ShelfError as error:
            if not index.exists():
                raise
            _unreached[folder] = tr("{message}; what was fetched of it before is used", message=error.message)
        # Also remember failures: each attempt to reach a dead server takes the whole time limit.
        _last_fetched[folder] = time.monotonic()
    notices = [_unreached[folder]] if folder in _unreached else []
    file = parse_shelf_file(_text_of(index), index)
    unchecked = [f"{item.id} {item.version}" for item in file.releases if not (item.archive and item.checksum)]
    unchecked += [path for item in file.releases for path in files_of(item) if path not in file.files]
    if unchecked:
        raise ShelfError(
            tr(
                "{address} gives no archive or no checksum for {unchecked}",
                address=address,
                unchecked=", ".join(unchecked[:4]),
            )
        )
    source.checksums.update(file.files)
    _drop_changed(folder, file)
    return source, file, notices


def _is_fresh(folder: Path) -> bool:
    return time.monotonic() - _last_fetched.get(folder, -_FRESH_S) < _FRESH_S


def _drop_changed(folder: Path, file: ShelfFile) -> None:
    """Remove single files whose checksum in the shelf has changed; they are downloaded again on demand."""
    for path, checksum in file.files.items():
        target = folder / "files" / path
        if target.is_file() and sha256_of(target) != checksum:
            target.unlink()


def read_shelf_folder(folder: Path) -> ShelfFile:
    """Read the shelf file of a folder and check that everything it names exists. Raises MisuseError, FormatError."""
    folder = folder.resolve()
    path = folder / NAME
    if not path.is_file():
        raise MisuseError(
            tr("{folder} is no shelf: it has no {name}", folder=folder, name=NAME),
            tr("Name the folder that holds {name}.", name=NAME),
        )
    file = parse_shelf_file(_text_of(path), path)
    missing = []
    for item in file.releases:
        for name in paths_of(item):
            target = (folder / name).resolve()
            if not target.is_relative_to(folder):
                missing.append(
                    (
                        0,
                        tr(
                            "{id} {version}: {name} lies outside the shelf", id=item.id, version=item.version, name=name
                        ),
                    )
                )
            elif not target.exists():
                missing.append(
                    (0, tr("{id} {version}: {name} is not there", id=item.id, version=item.version, name=name))
                )
    if missing:
        raise FormatError(path, missing)
    return file


def _text_of(path: Path) -> str:
    largest = limits().shelf_file_bytes
    if path.stat().st_size > largest:
        raise LimitExceeded(
            tr("{path} has more than {largest:,} bytes", path=path, largest=largest), "shelf_file_bytes"
        )
    return read_utf8(path)[1]


def _unpacked(cache: Path, archive: Path, inside: str, work: Work) -> Path:
    folder = cache / "unpacked" / _known_checksum(archive).removeprefix("sha256:")[:32]
    if not folder.is_dir():
        with made_once(folder, work.token):
            if not folder.is_dir():
                unpack(archive, folder, work)
    place = _within(folder, inside)
    if not place.is_dir():
        raise ShelfError(tr("{name} has no folder {inside}", name=archive.name, inside=inside))
    return place


def _within(folder: Path, inside: str) -> Path:
    """A folder of a release, wherever links within the shelf lead. Raises ShelfError where they lead out of it."""
    place, root = (folder / inside).resolve(), folder.resolve()
    if not place.is_relative_to(root):
        raise ShelfError(
            tr(
                "the folder {inside} of {folder} is a link that leads to {place}, outside",
                inside=inside,
                folder=folder,
                place=place,
            )
        )
    return place


_checksums: dict[tuple[str, int, int], str] = {}


def _known_checksum(archive: Path) -> str:
    """The checksum of an archive, computed once as long as it is not touched."""
    try:
        status = archive.stat()
    except OSError as error:
        raise ShelfError(
            tr("{archive} cannot be read: {strerror}", archive=archive, strerror=error.strerror)
        ) from error
    key = (str(archive), status.st_mtime_ns, status.st_size)
    if key not in _checksums:
        _checksums[key] = sha256_of(archive)
    return _checksums[key]


def _cache_of(address: str) -> Path:
    return cache_folder() / "shelves" / hashlib.sha256(address.rstrip("/").encode()).hexdigest()[:24]
