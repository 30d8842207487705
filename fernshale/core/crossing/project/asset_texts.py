"""The printed texts of binary assets: made by a command of the profile under trust, and kept by the content of the asset.

HOME/assets/KEY   one text, by a digest of the asset's content, the command and the engine's release
"""

from __future__ import annotations

import hashlib
import json
import tempfile
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from fernshale.core.base.data_folder import home
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import CommandError, MisuseError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.commands import tail
from fernshale.core.crossing.project.scan import ProjectScan, command_places
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.trust import require_trust
from fernshale.core.links.binary_assets import BinaryFiles, plain_text
from fernshale.core.process.command import run_command
from fernshale.core.profile.model import BinaryFormat
from fernshale.core.profile.read import fill
from fernshale.core.snapshot.manifest import Manifest, digest_of

_TIMEOUT_S = 120.0


@dataclass(frozen=True, slots=True)
class AssetTexts:
    """The texts of the binary assets of one tree, which is made for one release of the engine."""

    files: BinaryFiles
    release: str

    @property
    def has_formats(self) -> bool:
        return self.files.has_formats

    def stamp(self, path: TreePath, content: str) -> str:
        """The stamp of a file for an index: it changes once its text is there."""
        format = self.files.format_of(path)
        return content if format is None or self._file(format, content).is_file() else f"{content} unread"

    def reader(
        self, manifest: Manifest, read: Callable[[TreePath], bytes | None]
    ) -> Callable[[TreePath], bytes | None]:
        """Reads a binary asset as its text (nothing while it has none), and any other file as it is."""

        def text_of(path: TreePath) -> bytes | None:
            format = self.files.format_of(path)
            if format is None:
                return read(path)
            entry = manifest.files.get(path)
            return self.text(format, entry.content) if entry is not None else None

        return text_of

    def text(self, format: BinaryFormat, content: str) -> bytes | None:
        try:
            return self._file(format, content).read_bytes()
        except OSError:
            return None

    def unread(self, manifest: Manifest) -> Mapping[TreePath, BinaryFormat]:
        """The binary assets whose text is not there yet."""
        found = {}
        for path, entry in manifest.files.items():
            format = self.files.format_of(path)
            if format is not None and not self._file(format, entry.content).is_file():
                found[path] = format
        return found

    def keep(self, format: BinaryFormat, content: str, text: str) -> None:
        path = self._file(format, content)
        path.parent.mkdir(parents=True, exist_ok=True)
        write_atomic(path, text.encode("utf-8", "surrogateescape"), 0o600)

    def _file(self, format: BinaryFormat, content: str) -> Path:
        return home() / "assets" / _key(format.print, self.release, content)


@lru_cache(maxsize=65536)
def _key(command: tuple[str, ...], release: str, content: str) -> str:
    return hashlib.sha256("\0".join((*command, release, content)).encode("utf-8", "surrogateescape")).hexdigest()[:40]


def print_assets(
    crossing: Crossing,
    scan: ProjectScan,
    texts: AssetTexts,
    manifest: Manifest,
    read: Callable[[TreePath], bytes | None],
    work: Work,
) -> int:
    """Have the engine print every asset of a tree that has no text yet; returns how many.

    The command gets a copy of the asset. Raises TrustNeeded, CommandError for an asset that the command cannot print,
    FormatError for what it printed, Cancelled; the texts made before stay.
    """
    require_trust(scan.profile)
    places = command_places(crossing, scan, texts.release)
    unread = texts.unread(manifest)
    with tempfile.TemporaryDirectory(prefix="fernshale-asset-") as scratch:
        for number, (path, format) in enumerate(unread.items()):
            work.check()
            work.progress("reading binary assets", number, len(unread))
            data = read(path)
            if data is None:
                continue
            copy = Path(scratch) / path.rpartition("/")[2]
            copy.write_bytes(data)
            output = _run(format.print, {**places, "file": str(copy)}, scan.project, path, work)
            texts.keep(format, manifest.files[path].content, plain_text(output, path))
            copy.unlink()
    return len(unread)


def write_ids(
    crossing: Crossing, scan: ProjectScan, path: TreePath, data: bytes, new_ids: Mapping[str, str], work: Work
) -> bytes:
    """A binary asset with other ids, as the engine's own command writes it.

    What was written is printed again: its text is kept, and an id that is still there is an error. Raises TrustNeeded, MisuseError,
    CommandError, FormatError.
    """
    format = BinaryFiles(scan.profile.binary).format_of(path)
    if format is None or not format.write:
        raise MisuseError(f"the profile has no command that writes ids into {path}", "Add `write` to its [[binary]].")
    require_trust(scan.profile)
    with tempfile.TemporaryDirectory(prefix="fernshale-asset-") as scratch:
        copy, out, changes = (Path(scratch) / name for name in (path.rpartition("/")[2], "written", "changes.json"))
        copy.write_bytes(data)
        changes.write_text(json.dumps(dict(new_ids)))
        places = {
            **command_places(crossing, scan, scan.release),
            "file": str(copy),
            "changes": str(changes),
            "out": str(out),
        }
        _run(format.write, places, scan.project, path, work)
        if not out.is_file():
            raise CommandError(f"{path}: the command that writes ids wrote no file")
        written = out.read_bytes()
        text = plain_text(_run(format.print, {**places, "file": str(out)}, scan.project, path, work), path)
        left = [
            old
            for old in new_ids
            if old not in new_ids.values() and f'"uses": {json.dumps(old, ensure_ascii=False)}' in text
        ]
        if left:
            raise CommandError(f"{path}: the command that writes ids left {', '.join(left)} in it")
        AssetTexts(BinaryFiles(scan.profile.binary), scan.release).keep(format, digest_of(written), text)
        return written


def _run(command: tuple[str, ...], places: Mapping[str, str], folder: Path, path: TreePath, work: Work) -> bytes:
    arguments = [fill(part, dict(places)) for part in command]
    finished = run_command(arguments, folder, Work(token=work.token), {}, _TIMEOUT_S)
    if finished.status != 0:
        said = tail(finished.text.splitlines(), 2) or f"status {finished.status}"
        raise CommandError(f"{path}: {arguments[0]} failed: {said}")
    return finished.output
