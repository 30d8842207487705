"""Unpack an archive without writing outside the target folder.

Every file is written by this module. An archive is rejected as a whole if it contains absolute names, names that climb up or
contain a drive or a backslash, devices, or links that lead outside, directly or through other links. Links are created last, so
no file can be written through one. The folder gets its name only when it is complete.
"""

from __future__ import annotations

import lzma
import os
import posixpath
import shutil
import stat
import struct
import tarfile
import uuid
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path
from typing import IO, Any

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.limits import LimitExceeded, limits
from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.route.shelf_file import is_inside

_CHUNK = 1 << 20
# Exceptions of the libraries for damaged archives.
_DAMAGE = (
    tarfile.TarError, zipfile.BadZipFile, zipfile.LargeZipFile, EOFError, zlib.error, lzma.LZMAError, struct.error,
    NotImplementedError, ValueError, OverflowError, RecursionError, MemoryError,
)  # fmt: skip


class BadArchive(FernshaleError):
    """An archive that is damaged or hostile; nothing of it was kept."""

    def __init__(self, path: Path, why: str) -> None:
        super().__init__(
            tr("{name} was not unpacked: {why}", name=path.name, why=why), tr("Download it again from its source.")
        )


@dataclass(frozen=True, slots=True)
class _Member:
    name: str
    kind: str  # file, folder, link, hard link
    mode: int
    size: int
    target: str
    handle: Any


def unpack(archive: Path, folder: Path, work: Work) -> None:
    """Unpack a zip or tar archive into the new `folder`. Raises BadArchive, OSError, Cancelled; the folder does not exist then."""
    folder.parent.mkdir(parents=True, exist_ok=True)
    staging = folder.with_name(f".unpacking-{uuid.uuid4().hex}")
    staging.mkdir(mode=0o755)
    try:
        with ExitStack() as stack:
            try:
                members, opener = _open(archive, stack)
                _write(archive, list(_bounded(archive, members, work.token)), opener, staging, work)
            except _DAMAGE as error:
                raise BadArchive(archive, tr("it is damaged or cut short ({error})", error=error)) from error
            except FileExistsError as error:
                raise BadArchive(
                    archive, tr("two of its entries have one name: {filename}", filename=error.filename)
                ) from error
            except RuntimeError as error:  # zipfile's way to report that a password is required
                raise BadArchive(archive, str(error)) from error
        os.rename(staging, folder)
    except BaseException:
        shutil.rmtree(staging, ignore_errors=True)
        raise


def _bounded(archive: Path, members: Iterator[_Member], token: CancelToken) -> Iterator[_Member]:
    """The members while they stay within the limits. Raises LimitExceeded before anything is written."""
    bound, size = limits(), archive.stat().st_size
    total = 0
    for number, member in enumerate(members):
        token.check()
        total += member.size
        if number >= bound.archive_members:
            raise LimitExceeded(
                tr(
                    "{name} has more than {archive_members:,} entries",
                    name=archive.name,
                    archive_members=bound.archive_members,
                ),
                "archive_members",
            )
        if total > bound.archive_bytes:
            raise LimitExceeded(
                tr(
                    "{name} unpacks to more than {archive_bytes:,} bytes",
                    name=archive.name,
                    archive_bytes=bound.archive_bytes,
                ),
                "archive_bytes",
            )
        if total > bound.archive_small_bytes and total > size * bound.archive_ratio:
            words = tr(
                "{name} unpacks to more than {archive_ratio} times its own {size:,} bytes",
                name=archive.name,
                archive_ratio=bound.archive_ratio,
                size=size,
            )
            raise LimitExceeded(words, "archive_ratio")
        yield member


def _open(archive: Path, stack: ExitStack) -> tuple[Iterator[_Member], Any]:
    if zipfile.is_zipfile(archive):
        zipped = stack.enter_context(zipfile.ZipFile(archive))
        return (_zip_member(info) for info in zipped.infolist()), zipped.open
    if archive.suffix == ".zip":
        raise BadArchive(archive, tr("it is damaged or cut short (its table of contents is missing)"))
    tarred = stack.enter_context(tarfile.TarFile.open(archive, errorlevel=2))
    return _tar_members(archive, tarred), tarred.extractfile


def _tar_members(archive: Path, tarred: tarfile.TarFile) -> Iterator[_Member]:
    for info in tarred:
        yield _tar_member(archive, info)
    # A tar archive that is cut off between two files lacks only the final blocks of zeros.
    assert tarred.fileobj is not None
    tarred.fileobj.seek(tarred.offset)
    if tarred.fileobj.read(512) != bytes(512):
        raise tarfile.ReadError(tr("its end is missing"))


def _zip_member(info: zipfile.ZipInfo) -> _Member:
    mode = info.external_attr >> 16
    kind = "folder" if info.is_dir() else "link" if stat.S_ISLNK(mode) else "file"
    return _Member(info.filename.rstrip("/"), kind, mode & 0o777, info.file_size, "", info)


def _tar_member(archive: Path, info: tarfile.TarInfo) -> _Member:
    for kind, fits in (
        ("folder", info.isdir()),
        ("file", info.isreg()),
        ("link", info.issym()),
        (tr("hard link"), info.islnk()),
    ):
        if fits:
            return _Member(info.name.rstrip("/"), kind, info.mode & 0o777, info.size, info.linkname, info)
    raise BadArchive(archive, tr("{name} is a device or another special file", name=info.name))


def _write(archive: Path, members: list[_Member], opener: Any, staging: Path, work: Work) -> None:
    links: list[tuple[str, str]] = []
    wanted = sum(member.size for member in members)
    free = shutil.disk_usage(staging).free
    if wanted > free:
        raise BadArchive(
            archive, tr("it would take {wanted:,} bytes and only {free:,} are free", wanted=wanted, free=free)
        )
    for number, member in enumerate(members):
        work.check()
        work.progress(tr("unpacking {name}", name=archive.name), number, len(members))
        name = posixpath.normpath(member.name)
        if name == ".":
            continue
        if not is_inside(member.name):
            raise BadArchive(archive, tr("{name!r} leads outside", name=member.name))
        target = staging / name
        target.parent.mkdir(parents=True, exist_ok=True)
        if member.kind == "folder":
            target.mkdir(exist_ok=True)
        elif member.kind == "hard link":
            if not is_inside(member.target):
                raise BadArchive(
                    archive, tr("the link {name!r} leads to {target!r}, outside", name=name, target=member.target)
                )
            source = staging / posixpath.normpath(member.target)
            if not source.is_file():
                raise BadArchive(
                    archive,
                    tr("the link {name!r} leads to {target!r}, which is not in it", name=name, target=member.target),
                )
            shutil.copy2(source, target)
        elif member.kind == "link":
            to = member.target or _link_target(opener, member)
            reached = posixpath.normpath(posixpath.join(posixpath.dirname(name), to))
            if to.startswith("/") or reached.startswith(".."):
                raise BadArchive(archive, tr("the link {name!r} leads to {to!r}, outside", name=name, to=to))
            links.append((name, to))
        else:
            with opener(member.handle) as source_file:
                _copy(archive, source_file, target, member)
    for name, to in links:
        (staging / name).symlink_to(to)
    # By words each stays inside. One that leads through another may still lead out.
    inside = os.path.realpath(staging)
    for name, to in links:
        reached = os.path.realpath(staging / name)
        if reached != inside and not reached.startswith(inside + os.sep):
            raise BadArchive(
                archive,
                tr("the link {name!r} leads to {to!r}, which by way of other links is outside", name=name, to=to),
            )


def _link_target(opener: Any, member: _Member) -> str:
    """Where a link in a zip archive leads; it is kept as the content of the member."""
    with opener(member.handle) as file:
        target: bytes = file.read(4096)
    return target.decode("utf-8", "surrogateescape")


def _copy(archive: Path, source: IO[bytes], target: Path, member: _Member) -> None:
    written = 0
    with open(target, "xb") as file:
        while chunk := source.read(_CHUNK):
            written += len(chunk)
            if written > member.size:
                raise BadArchive(archive, tr("{name} is larger than it says", name=member.name))
            file.write(chunk)
    if written != member.size:
        raise BadArchive(archive, tr("{name} is cut short", name=member.name))
    # The owner can always read and write; set-id and sticky bits are dropped.
    target.chmod((member.mode | 0o600) & 0o755)
