"""A small server for a shelf: the stand-in for where releases come from, and enough for a team's own network.

It gives out `shelf.toml`, in which every release is an archive with a checksum, those archives, and the notes and rules
the shelf names. Nothing else of the folder can be asked for. Parts of files can be (RFC 9110, section 14).
"""

from __future__ import annotations

import gzip
import io
import re
import tarfile
import threading
from collections.abc import Mapping
from dataclasses import replace
from http import HTTPStatus
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from urllib.parse import unquote, urlsplit

from fernshale.core.base.work import CancelToken, Progress
from fernshale.core.route.fetch import sha256_of
from fernshale.core.route.shelf import Release
from fernshale.core.route.shelffile import NAME, ShelfFile, files_of, write_shelf_file
from fernshale.core.route.sources import read_shelf_folder

_CHUNK = 1 << 18


class ShelfServer:
    """A shelf that is being served until it is closed. `address` is what `--shelf` takes."""

    def __init__(self, shelf: Path, packed: Path, host: str, port: int, progress: Progress, token: CancelToken) -> None:
        """Pack what lies in folders into `packed`. Raises MisuseError, FormatError, OSError when the port is taken."""
        given = _give_out(read_shelf_folder(shelf), shelf.resolve(), packed, progress, token)

        class Handler(_Handler):
            files = given

        self._server = ThreadingHTTPServer((host, port), Handler)
        self._thread = threading.Thread(target=self._server.serve_forever, kwargs={"poll_interval": 0.1}, daemon=True)
        self._thread.start()

    @property
    def address(self) -> str:
        host, port = self._server.server_address[:2]
        return f"http://{host if isinstance(host, str) else host.decode()}:{port}"

    def close(self) -> None:
        """Answer nobody any more."""
        self._server.shutdown()
        self._server.server_close()
        self._thread.join()


def _give_out(
    file: ShelfFile, shelf: Path, packed: Path, progress: Progress, token: CancelToken
) -> Mapping[str, Path | bytes]:
    """What can be asked for, by path: the shelf file itself, archives, single files."""
    given: dict[str, Path | bytes] = {}
    sums: dict[str, str] = {}

    def as_archive(item: Release, number: int) -> Release:
        token.check()
        progress(f"packing {item.id} {item.version}", number, len(file.releases))
        if item.archive:
            given[item.archive] = shelf / item.archive
            return replace(item, checksum=item.checksum or sha256_of(shelf / item.archive))
        name = re.sub(r"[^\w.+-]", "-", f"{item.id}-{item.version}") + ".tar.gz"
        path = packed / type(item).__name__ / name
        _pack(shelf / item.folder, path)
        given[f"packed/{type(item).__name__}/{name}"] = path
        return replace(item, folder="", archive=f"packed/{type(item).__name__}/{name}", checksum=sha256_of(path))

    engines = tuple(as_archive(item, number) for number, item in enumerate(file.engine))
    plugins = tuple(as_archive(item, len(engines) + number) for number, item in enumerate(file.plugin))
    for item in file.releases:
        for path in files_of(item):
            given[path] = shelf / path
            sums[path] = sha256_of(shelf / path)
    told = replace(file, engine=engines, plugin=plugins, files=sums)  # type: ignore[arg-type]
    given[NAME] = write_shelf_file(told).encode()
    return given


def _pack(folder: Path, path: Path) -> None:
    """A folder as an archive; the same folder gives the same bytes, so that a cache stays good."""
    path.parent.mkdir(parents=True, exist_ok=True)

    def plain(info: tarfile.TarInfo) -> tarfile.TarInfo:
        info.uid = info.gid = info.mtime = 0
        info.uname = info.gname = ""
        return info

    with (
        open(path, "wb") as raw,
        gzip.GzipFile("", "wb", 6, raw, mtime=0) as zipped,
        tarfile.TarFile(fileobj=zipped, mode="w") as archive,
    ):
        for item in sorted(folder.rglob("*")):
            archive.add(item, item.relative_to(folder).as_posix(), recursive=False, filter=plain)


class _Handler(BaseHTTPRequestHandler):
    files: Mapping[str, Path | bytes] = {}
    protocol_version = "HTTP/1.1"
    server_version = "fernshale-shelf"
    timeout = 60

    def do_GET(self) -> None:
        self._answer(with_body=True)

    def do_HEAD(self) -> None:
        self._answer(with_body=False)

    def _answer(self, with_body: bool) -> None:
        found = self.files.get(unquote(urlsplit(self.path).path).lstrip("/"))
        if found is None:
            self.send_error(HTTPStatus.NOT_FOUND)
            return
        with io.BytesIO(found) if isinstance(found, bytes) else open(found, "rb") as file:
            size = file.seek(0, io.SEEK_END)
            tag = f'"{size}-{hash(found)}"' if isinstance(found, bytes) else f'"{size}-{found.stat().st_mtime_ns}"'
            start, end = self._part(size, tag)
            if start < 0:
                self.send_response(HTTPStatus.REQUESTED_RANGE_NOT_SATISFIABLE)
                self.send_header("Content-Range", f"bytes */{size}")
                self.send_header("Content-Length", "0")
                self.end_headers()
                return
            whole = start == 0 and end == size
            self.send_response(HTTPStatus.OK if whole else HTTPStatus.PARTIAL_CONTENT)
            self.send_header("Content-Type", "application/octet-stream")
            self.send_header("Content-Length", str(end - start))
            self.send_header("Accept-Ranges", "bytes")
            self.send_header("ETag", tag)
            if not whole:
                self.send_header("Content-Range", f"bytes {start}-{end - 1}/{size}")
            self.end_headers()
            if with_body:
                file.seek(start)
                self._send(file, end - start)

    def _send(self, file: io.BufferedIOBase | io.BytesIO, size: int) -> None:
        while size > 0 and (chunk := file.read(min(_CHUNK, size))):
            try:
                self.wfile.write(chunk)
            except (BrokenPipeError, ConnectionResetError):
                self.close_connection = True
                return
            size -= len(chunk)

    def _part(self, size: int, tag: str) -> tuple[int, int]:
        """The half-open part that is asked for; (-1, -1) when there is no such part."""
        asked = re.fullmatch(r"bytes=(\d+)-(\d*)", self.headers.get("Range", ""))
        if asked is None or self.headers.get("If-Range", tag) != tag:
            return 0, size
        start, end = int(asked[1]), int(asked[2]) + 1 if asked[2] else size
        return (start, min(end, size)) if start < size else (-1, -1)

    def log_message(self, format: str, *_: object) -> None:
        """Say nothing: who serves sees the address, not each file."""
