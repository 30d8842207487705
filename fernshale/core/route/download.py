"""Download a file over HTTP: resumed after interruptions, verified, with limits on silence and on slow servers."""

from __future__ import annotations

import contextlib
import hashlib
import os
import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from fernshale.core.base.cached_file import made_once
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.limits import LimitExceeded, limits
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.route.shelf_addresses import credentials_for

if TYPE_CHECKING:
    import httpx


class ShelfError(FernshaleError):
    """A shelf cannot be reached, or does not deliver what it lists."""


@dataclass(frozen=True, slots=True)
class Patience:
    """Time limits: how long a server may take to answer or continue, seconds; and the minimum rate over `window_s`, bytes per
    second."""

    silence_s: float = 10.0
    least_pace: float = 1024.0
    window_s: float = 30.0
    tries: int = 3


PATIENCE = Patience()


def sha256_of(path: Path) -> str:
    """The checksum of a file, as shelves write it."""
    with open(path, "rb") as file:
        return "sha256:" + hashlib.file_digest(file, "sha256").hexdigest()


Largest = tuple[int, str]
"""How many bytes a file may have, and the name of the limit that says so."""


def fetch(
    url: str, to: Path, checksum: str, patience: Patience, work: Work,
    largest: Largest | None = None,
) -> None:  # fmt: skip
    """Download `url` to `to`. The file appears only when it is complete and verified.

    A partial download is kept next to it, and only the rest is requested. Raises ShelfError, LimitExceeded for a file of more
    than `largest` (default `download_bytes`), Cancelled.
    """
    with made_once(to, work.token):
        # Another process may have downloaded it in the meantime.
        if not (checksum and to.is_file() and sha256_of(to) == checksum):
            _download(url, to, checksum, patience, work, largest)


def _download(url: str, to: Path, checksum: str, patience: Patience, work: Work, largest: Largest | None) -> None:
    import httpx

    largest = largest or (limits().download_bytes, "download_bytes")
    part = to.with_name(to.name + ".part")
    timeout, auth = httpx.Timeout(patience.silence_s), credentials_for(url)
    with httpx.Client(timeout=timeout, follow_redirects=True, auth=auth) as client:
        for attempt in range(patience.tries):
            try:
                _get_rest(client, url, part, patience, work, largest)
                break
            except (httpx.TransportError, httpx.StreamError) as error:
                if attempt + 1 == patience.tries:
                    raise _unreachable(url, error, patience) from error
            except (httpx.HTTPError, httpx.InvalidURL, UnicodeError, ValueError) as error:
                # Errors that a retry cannot fix: malformed addresses, redirect loops, invalid headers.
                raise _unreachable(url, error, patience) from error
    if checksum:
        got = sha256_of(part)
        if got != checksum:
            part.unlink()
            _tag_file(part).unlink()
            raise ShelfError(
                tr(
                    "{url} is not what its shelf promises: the checksum is {got}, it should be {checksum}",
                    url=url,
                    got=got,
                    checksum=checksum,
                ),
                tr("It was thrown away. Try again; if it stays so, tell who keeps the shelf."),
            )
    os.replace(part, to)
    with contextlib.suppress(FileNotFoundError):
        _tag_file(part).unlink()


def _get_rest(
    client: httpx.Client,
    url: str,
    part: Path,
    patience: Patience,
    work: Work,
    largest: Largest,
) -> None:
    import httpx

    have = part.stat().st_size if part.exists() else 0
    tag = _tag_file(part).read_text() if have and _tag_file(part).exists() else ""
    headers = {"Range": f"bytes={have}-", "If-Range": tag} if have and tag else {}
    with client.stream("GET", url, headers={**headers, "Accept-Encoding": "identity"}) as answer:
        if answer.status_code == httpx.codes.REQUESTED_RANGE_NOT_SATISFIABLE:
            part.unlink()
            raise httpx.ReadError("the part that is here does not fit")
        if answer.status_code not in (httpx.codes.OK, httpx.codes.PARTIAL_CONTENT):
            raise ShelfError(
                tr(
                    "{url}: the server answers {status_code} {reason_phrase}",
                    url=url,
                    status_code=answer.status_code,
                    reason_phrase=answer.reason_phrase,
                )
            )
        resumed = answer.status_code == httpx.codes.PARTIAL_CONTENT
        have = have if resumed else 0
        length = int(answer.headers.get("content-length", 0))
        total = have + length
        _tag_file(part).write_text(answer.headers.get("etag", ""))
        pace = _Pace(url, patience)
        with open(part, "ab" if resumed else "wb") as file:
            for chunk in answer.iter_raw():
                work.check()
                have += len(chunk)
                if max(have, total) > largest[0]:
                    file.truncate(0)
                    raise LimitExceeded(
                        tr("{url} is larger than {largest:,} bytes", url=url, largest=largest[0]), largest[1]
                    )
                file.write(chunk)
                pace.check(len(chunk))
                work.progress(f"fetching {part.name.removesuffix('.part')}", have, total)
        if length and have < total:
            raise httpx.ReadError(f"it broke off after {have:,} of {total:,} bytes")


class _Pace:
    """Gives up on a server that sends too slowly: each byte arrives in time, but the file would take forever."""

    def __init__(self, url: str, patience: Patience) -> None:
        self._url, self._patience = url, patience
        self._since, self._got = time.monotonic(), 0

    def check(self, size: int) -> None:
        self._got += size
        elapsed = time.monotonic() - self._since
        if elapsed < self._patience.window_s:
            return
        if self._got / elapsed < self._patience.least_pace:
            raise ShelfError(
                tr(
                    "{url}: the server sends {got:,.0f} bytes a second; that is given up",
                    url=self._url,
                    got=self._got / elapsed,
                ),
                tr("What came is kept; the next try goes on from there."),
            )
        self._since, self._got = time.monotonic(), 0


def _unreachable(url: str, error: Exception, patience: Patience) -> ShelfError:
    import httpx

    if isinstance(error, httpx.TooManyRedirects):
        why = "it only leads from one address to another"
    elif isinstance(error, httpx.TimeoutException):
        why = f"no answer within {patience.silence_s:g} seconds"
    else:
        why = str(error) or type(error).__name__
    return ShelfError(
        tr("{url} could not be fetched: {why}", url=url, why=why), tr("Is the server running, and the address right?")
    )


def _tag_file(part: Path) -> Path:
    return part.with_name(part.name + ".etag")
