"""The printed texts of binary assets: made by a command of the profile under trust, and kept by the content of the asset.

HOME/assets/KEY   one text, by a digest of the asset's content, the command and the engine's release
"""

from __future__ import annotations

import hashlib
import json
import tempfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path

from fernshale.core.base.data_folder import cache_folder
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import CommandError, FernshaleError, FormatError, MisuseError
from fernshale.core.base.texts import count, tr
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
        return content if format is None or self.has(format, content) else f"{content} unread"

    def text(self, format: BinaryFormat, content: str) -> bytes | None:
        try:
            return self._file(format, content).read_bytes()
        except OSError:
            return None

    def has(self, format: BinaryFormat, content: str) -> bool:
        return self._file(format, content).is_file()

    def keep(self, format: BinaryFormat, content: str, text: str) -> None:
        path = self._file(format, content)
        path.parent.mkdir(parents=True, exist_ok=True)
        write_atomic(path, text.encode("utf-8", "surrogateescape"), 0o600)

    def _file(self, format: BinaryFormat, content: str) -> Path:
        return cache_folder() / "assets" / _key(format.print, self.release, content)


@lru_cache(maxsize=65536)
def _key(command: tuple[str, ...], release: str, content: str) -> str:
    return hashlib.sha256("\0".join((*command, release, content)).encode("utf-8", "surrogateescape")).hexdigest()[:40]


@dataclass(frozen=True, slots=True)
class AssetTree:
    """A tree with binary assets: their texts, its files and a function to read them."""

    texts: AssetTexts
    manifest: Manifest
    read: Callable[[TreePath], bytes | None]

    def reader(self) -> Callable[[TreePath], bytes | None]:
        """Reads a binary asset as its text (nothing while it has none), and any other file as it is."""

        def text_of(path: TreePath) -> bytes | None:
            format = self.texts.files.format_of(path)
            if format is None:
                return self.read(path)
            entry = self.manifest.files.get(path)
            return self.texts.text(format, entry.content) if entry is not None else None

        return text_of

    def unread(self) -> Mapping[TreePath, BinaryFormat]:
        """The binary assets whose text is not there yet."""
        if not self.texts.has_formats:
            return {}
        found = {}
        for path, entry in self.manifest.files.items():
            format = self.texts.files.format_of(path)
            if format is not None and not self.texts.has(format, entry.content):
                found[path] = format
        return found


def print_assets(crossing: Crossing, scan: ProjectScan, trees: Sequence[AssetTree], work: Work) -> int:
    """Have the engine print every asset of the trees that has no text yet; returns how many it printed.

    The command gets a copy of the asset. Assets that it cannot print are left unread, and the others are still read; then
    CommandError names them. Raises TrustNeeded, Cancelled; the texts made before stay.
    """
    require_trust(scan.profile)
    unread = [(tree, *item) for tree in trees for item in tree.unread().items()]
    places = {
        release: command_places(crossing, scan, release) for release in {tree.texts.release for tree, *_ in unread}
    }
    failed: list[FernshaleError] = []
    printed = 0
    with tempfile.TemporaryDirectory(prefix="fernshale-asset-") as scratch:
        for number, (tree, path, format) in enumerate(unread):
            work.check()
            work.progress("reading binary assets", number, len(unread))
            content = tree.manifest.files[path].content
            data = tree.read(path) if not tree.texts.has(format, content) else None
            if data is None:
                continue  # it was removed meanwhile, or equals one that was read
            copy = Path(scratch) / path.rpartition("/")[2]
            copy.write_bytes(data)
            try:
                output = _run(format.print, {**places[tree.texts.release], "file": str(copy)}, scan.project, path, work)
                tree.texts.keep(format, content, plain_text(output, path))
                printed += 1
            except (CommandError, FormatError) as error:
                failed.append(error)
            copy.unlink()
    if len(failed) == 1:
        raise failed[0]
    if failed:
        raise CommandError(
            tr(
                "{number} of {binary_assets} could not be read; the first: {failed}",
                number=len(failed),
                binary_assets=count(printed + len(failed), "binary asset"),
                failed=failed[0],
            ),
            tr("Open these files in the engine's editor. Their ids are not checked."),
        )
    return printed


def write_ids(
    crossing: Crossing, scan: ProjectScan, path: TreePath, data: bytes, new_ids: Mapping[str, str], work: Work
) -> bytes:
    """A binary asset with other ids, as the engine's own command writes it.

    The written file is printed again: its text is kept, and an old id in it is an error. Raises TrustNeeded, MisuseError,
    CommandError, FormatError.
    """
    format = BinaryFiles(scan.profile.binary).format_of(path)
    if format is None or not format.write:
        raise MisuseError(
            tr("the profile has no command that writes ids into {path}", path=path),
            tr("Add `write` to its [[binary]]."),
        )
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
            raise CommandError(tr("{path}: the command that writes ids wrote no file", path=path))
        written = out.read_bytes()
        text = plain_text(_run(format.print, {**places, "file": str(out)}, scan.project, path, work), path)
        left = [
            old
            for old in new_ids
            if old not in new_ids.values() and f'"uses": {json.dumps(old, ensure_ascii=False)}' in text
        ]
        if left:
            raise CommandError(
                tr("{path}: the command that writes ids left {left} in it", path=path, left=", ".join(left))
            )
        AssetTexts(BinaryFiles(scan.profile.binary), scan.release).keep(format, digest_of(written), text)
        return written


def _run(command: tuple[str, ...], places: Mapping[str, str], folder: Path, path: TreePath, work: Work) -> bytes:
    arguments = [fill(part, dict(places)) for part in command]
    finished = run_command(arguments, folder, Work(token=work.token), {}, _TIMEOUT_S)
    if finished.status != 0:
        said = tail(finished.text.splitlines(), 2) or f"status {finished.status}"
        raise CommandError(tr("{path}: {arguments} failed: {said}", path=path, arguments=arguments[0], said=said))
    return finished.output
