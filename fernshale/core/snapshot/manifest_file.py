"""The file format of manifests: a line of JSON (the summary), then zstd frames, then a BLAKE3 digest of everything before.

The frames contain, each as length (8, little-endian) and bytes: JSON of the folders ([path, number of names]) and of the rare
properties (path -> name -> target, attributes in base64, sparse, twin); the names, each followed by a zero byte; the facts, 8
bytes each, column by column; the digests.
"""

from __future__ import annotations

import base64
import json
import sys
from array import array
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import blake3
import zstandard

from fernshale.core.base.errors import StoreError
from fernshale.core.base.texts import tr
from fernshale.core.snapshot.folder_pool import shared
from fernshale.core.snapshot.manifest import FACTS, Extra, Folder, Manifest
from fernshale.core.snapshot.pack import DigestMismatch

FORMAT = "fernshale-snapshot/2"
_DIGEST = 32
_LARGEST = 1 << 33


def encode_manifest(summary: dict[str, Any], entries: memoryview) -> bytes:
    """The bytes of a manifest's file; `entries` is from `encode_entries`, or `read_body` of one with the same."""
    body = json.dumps({"format": FORMAT, **summary}).encode() + b"\n" + entries
    return body + blake3.blake3(body).digest()


def encode_entries(manifest: Manifest) -> memoryview:
    folders = list(manifest.folders.values())
    head = {
        "folders": [[folder.path, len(folder.names)] for folder in folders],
        "extras": {
            folder.path: {name: _extra_json(extra) for name, extra in folder.extras.items()}
            for folder in folders
            if folder.extras
        },
    }
    # Names that are not UTF-8 keep their bytes.
    names = "".join(name + "\0" for folder in folders for name in folder.names)
    facts = array("q")
    for folder in folders:
        facts.extend(folder.facts)
    columns = array("q")
    for column in range(FACTS):
        columns.extend(facts[column::FACTS])
    del facts
    if sys.byteorder == "big":
        columns.byteswap()
    compressor = zstandard.ZstdCompressor(level=1)
    parts: list[bytes] = []
    for section in (
        json.dumps(head).encode(),
        names.encode("utf-8", "surrogateescape"),
        columns.tobytes(),
        b"".join(folder.digests for folder in folders),
    ):
        frame = compressor.compress(section)
        parts += [len(frame).to_bytes(8, "little"), frame]
    return memoryview(b"".join(parts))


def read_summary(path: Path) -> dict[str, Any]:
    """The first line; its digest is checked when the entries are read. Raises StoreError."""
    with path.open("rb") as file:
        line = file.readline(1 << 26)
    try:
        data: dict[str, Any] = json.loads(line)
        if data["format"] != FORMAT:
            raise StoreError(
                tr("snapshot {id} was written by another Fernshale ({format})", id=path.stem, format=data["format"])
            )
        return data
    except (ValueError, KeyError, TypeError) as error:
        raise _damaged(path) from error


def read_manifest(path: Path) -> Manifest:
    """Raises StoreError when it is damaged."""
    summary = read_summary(path)
    try:
        reported = tuple((name, why) for name, why in summary["reported"])
        folders = dict(_folders(_sections(read_body(path))))
        return Manifest(folders, reported, summary["taken_ns"], summary.get("newest_ns"))
    except (ValueError, KeyError, TypeError, IndexError, zstandard.ZstdError) as error:
        raise _damaged(path) from error


def read_body(path: Path) -> memoryview:
    """The entries as they are kept. Raises StoreError when the file is damaged."""
    raw = path.read_bytes()
    if blake3.blake3(memoryview(raw)[:-_DIGEST]).digest() != raw[-_DIGEST:] or b"\n" not in raw:
        raise _damaged(path)
    return memoryview(raw)[raw.index(b"\n") + 1 : -_DIGEST]


def _folders(sections: list[bytes]) -> Iterator[tuple[str, Folder]]:
    """Build the folders. Takes the sections out of the list, so that their memory is freed early."""
    digests = sections.pop()
    columns = array("q", sections.pop())
    if sys.byteorder == "big":
        columns.byteswap()
    count = len(columns) // FACTS
    names = sections.pop().decode("utf-8", "surrogateescape").split("\0")
    head = json.loads(sections.pop())
    extras = head["extras"]
    row = 0
    for path, length in head["folders"]:
        end = row + length
        own = {name: _extra(data) for name, data in extras.get(path, {}).items()}
        facts = array("q", bytes(8 * FACTS * length))
        for column in range(FACTS):
            facts[column::FACTS] = columns[column * count + row : column * count + end]
        yield path, shared(Folder(path, tuple(names[row:end]), facts, digests[_DIGEST * row : _DIGEST * end], own))
        row = end


def _sections(raw: memoryview) -> list[bytes]:
    found = []
    at = 0
    while at < len(raw):
        start = at + 8
        at = start + int.from_bytes(raw[at:start], "little")
        found.append(zstandard.decompress(raw[start:at], max_output_size=_LARGEST))
    return found


def _extra_json(extra: Extra) -> list[Any]:
    attributes = [[name, base64.b64encode(value).decode()] for name, value in extra.attributes]
    return [extra.target, attributes, extra.sparse, extra.twin]


def _extra(data: list[Any]) -> Extra:
    target, attributes, sparse, twin = data
    return Extra(target, tuple((name, base64.b64decode(value)) for name, value in attributes), sparse, twin)


def _damaged(path: Path) -> DigestMismatch:
    return DigestMismatch(tr("the manifest of snapshot {id} is damaged", id=path.stem))
