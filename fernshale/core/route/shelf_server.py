"""A small HTTP server for a shelf, also suitable for a team's own network.

It serves `shelf.toml`, in which every release is an archive with a checksum, those archives, and the notes and rules
that the shelf names. It serves nothing else of the folder and follows no links below it. Range requests are supported
(RFC 9110, section 14). The number of connections and the time to send a request are limited.
"""

from __future__ import annotations

import contextlib
import errno
import gzip
import io
import os
import re
import socket
import stat
import tarfile
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass, replace
from http import HTTPStatus
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import IO, Any
from urllib.parse import unquote, urlsplit

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.handles import Below
from fernshale.core.base.limits import limits
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.route.download import sha256_of
from fernshale.core.route.shelf import ShelfRelease
from fernshale.core.route.shelf_file import NAME, ShelfFile, files_of, write_shelf_file
from fernshale.core.route.shelf_sources import read_shelf_folder

_CHUNK = 1 << 18
# How long a connection waits for another one to end.
_WAIT_S = 1.0


@dataclass(frozen=True, slots=True)
class Given:
    """A served file: opened below its root for each request, so a link never leads elsewhere."""

    root: Path
    path: str

    def open(self) -> IO[bytes]:
        """Raises OSError."""
        with Below(self.root) as tree:
            handle = tree.open(self.path, os.O_RDONLY | os.O_NONBLOCK)
        file = os.fdopen(handle, "rb")
        if not stat.S_ISREG(os.fstat(handle).st_mode):
            file.close()
            raise OSError(errno.EINVAL, "not a file", self.path)
        return file


class _BoundedServer(ThreadingHTTPServer):
    """Answers a limited number of connections at a time; a further one waits a moment and is then closed."""

    daemon_threads = True
    request_queue_size = 16

    def __init__(self, address: tuple[str, int], handler: type[BaseHTTPRequestHandler]) -> None:
        self._free = threading.BoundedSemaphore(limits().server_connections)
        # Connections without a complete request, with their deadlines.
        self.asking: dict[socket.socket, float] = {}
        super().__init__(address, handler)

    def service_actions(self) -> None:
        for connection, until in list(self.asking.items()):
            if time.monotonic() > until:
                self.asking.pop(connection, None)
                with contextlib.suppress(OSError):
                    connection.shutdown(socket.SHUT_RDWR)

    def process_request(self, request: Any, client_address: Any) -> None:
        if self._free.acquire(timeout=_WAIT_S):
            super().process_request(request, client_address)
        else:
            self.shutdown_request(request)

    def process_request_thread(self, request: Any, client_address: Any) -> None:
        try:
            super().process_request_thread(request, client_address)
        finally:
            self._free.release()

    def handle_error(self, request: Any, client_address: Any) -> None:
        """Ignore errors from clients that close early."""


class ShelfServer:
    """A shelf that is served until it is closed. `address` is the value for `--shelf`."""

    def __init__(self, shelf: Path, packed: Path, host: str, port: int, work: Work) -> None:
        """Pack the contents of folders into `packed`. Raises FormatError, MisuseError, also when the port cannot be had."""
        given = _give_out(read_shelf_folder(shelf), shelf.resolve(), packed, work)

        class Handler(_Handler):
            files = given

        try:
            self._server = _BoundedServer((host, port), Handler)
        except (OverflowError, OSError) as error:
            why = getattr(error, "strerror", None) or error
            raise MisuseError(
                tr("the shelf cannot be given out at {host}, port {port}: {why}", host=host, port=port, why=why)
            ) from error
        self._thread = threading.Thread(target=self._server.serve_forever, kwargs={"poll_interval": 0.1}, daemon=True)
        self._thread.start()

    @property
    def address(self) -> str:
        host, port = self._server.server_address[:2]
        return f"http://{host if isinstance(host, str) else host.decode()}:{port}"

    def close(self) -> None:
        """Stop serving."""
        self._server.shutdown()
        self._server.server_close()
        self._thread.join()


def _give_out(file: ShelfFile, shelf: Path, packed: Path, work: Work) -> Mapping[str, Given | bytes]:
    """Return the served files by path: the shelf file, archives, single files."""
    given: dict[str, Given | bytes] = {}
    sums: dict[str, str] = {}

    def as_archive(item: ShelfRelease, number: int) -> ShelfRelease:
        work.check()
        work.progress(f"packing {item.id} {item.version}", number, len(file.releases))
        if item.archive:
            given[item.archive] = Given(shelf, item.archive)
            return replace(item, checksum=item.checksum or sha256_of(shelf / item.archive))
        name = re.sub(r"[^\w.+-]", "-", f"{item.id}-{item.version}") + ".tar.gz"
        path = packed / type(item).__name__ / name
        _pack(shelf / item.folder, path)
        given[f"packed/{type(item).__name__}/{name}"] = Given(packed, path.relative_to(packed).as_posix())
        return replace(item, folder="", archive=f"packed/{type(item).__name__}/{name}", checksum=sha256_of(path))

    engines = tuple(as_archive(item, number) for number, item in enumerate(file.engine))
    plugins = tuple(as_archive(item, len(engines) + number) for number, item in enumerate(file.plugin))
    for item in file.releases:
        for path in files_of(item):
            given[path] = Given(shelf, path)
            sums[path] = sha256_of(shelf / path)
    told = replace(file, engine=engines, plugin=plugins, files=sums)  # type: ignore[arg-type]
    given[NAME] = write_shelf_file(told).encode()
    return given


def _pack(folder: Path, path: Path) -> None:
    """Pack a folder into an archive; the same folder always gives the same bytes, so caches stay valid."""
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
    files: Mapping[str, Given | bytes] = {}
    protocol_version = "HTTP/1.1"
    server_version = "fernshale-shelf"

    server: _BoundedServer

    def setup(self) -> None:
        super().setup()
        # One deadline for the whole request, however slowly its bytes arrive; the answer has no deadline.
        self.server.asking[self.connection] = time.monotonic() + limits().server_seconds

    def finish(self) -> None:
        self.server.asking.pop(self.connection, None)
        with contextlib.suppress(OSError, ValueError):
            super().finish()

    def handle_one_request(self) -> None:
        with contextlib.suppress(OSError):
            super().handle_one_request()
            return
        self.close_connection = True

    def do_GET(self) -> None:
        self._answer(with_body=True)

    def do_HEAD(self) -> None:
        self._answer(with_body=False)

    def _answer(self, with_body: bool) -> None:
        self.server.asking.pop(self.connection, None)
        self.close_connection = True  # each request has a time of its own
        try:
            found = self.files.get(unquote(urlsplit(self.path).path).lstrip("/"))
            opened = None if found is None else io.BytesIO(found) if isinstance(found, bytes) else found.open()
        except (OSError, ValueError):
            opened = None
        if opened is None:
            self.send_error(HTTPStatus.NOT_FOUND)
            return
        with opened as file:
            size = file.seek(0, io.SEEK_END)
            tag = (
                f'"{size}-{hash(found)}"'
                if isinstance(found, bytes)
                else f'"{size}-{os.fstat(file.fileno()).st_mtime_ns}"'
            )
            start, end = self._part(size, tag)
            if start < 0:
                self.send_response(HTTPStatus.REQUESTED_RANGE_NOT_SATISFIABLE)
                self.send_header("Content-Range", f"bytes */{size}")
                self.send_header("Content-Length", "0")
                self.send_header("Connection", "close")
                self.end_headers()
                return
            whole = start == 0 and end == size
            self.send_response(HTTPStatus.OK if whole else HTTPStatus.PARTIAL_CONTENT)
            self.send_header("Content-Type", "application/octet-stream")
            self.send_header("Content-Length", str(end - start))
            self.send_header("Accept-Ranges", "bytes")
            self.send_header("ETag", tag)
            self.send_header("Connection", "close")
            if not whole:
                self.send_header("Content-Range", f"bytes {start}-{end - 1}/{size}")
            self.end_headers()
            if with_body:
                file.seek(start)
                self._send(file, end - start)

    def _send(self, file: IO[bytes], size: int) -> None:
        while size > 0 and (chunk := file.read(min(_CHUNK, size))):
            try:
                self.wfile.write(chunk)
            except (BrokenPipeError, ConnectionResetError):
                self.close_connection = True
                return
            size -= len(chunk)

    def _part(self, size: int, tag: str) -> tuple[int, int]:
        """Return the requested range, half-open; (-1, -1) if it is not satisfiable."""
        asked = re.fullmatch(r"bytes=(\d+)-(\d*)", self.headers.get("Range", ""))
        if asked is None or self.headers.get("If-Range", tag) != tag:
            return 0, size
        try:
            start, end = int(asked[1]), int(asked[2]) + 1 if asked[2] else size
        except ValueError:  # thousands of digits
            return -1, -1
        if end <= start and asked[2]:
            return 0, size  # no range at all, which is passed over (RFC 9110, section 14.1.1)
        return (start, min(end, size)) if start < size else (-1, -1)

    def log_message(self, format: str, *_: object) -> None:
        """Print nothing: the user wants to see the address, not each request."""
