"""Limits on all input from outside, and how a user raises one.

Each limit has a name and a default. A file `limits.toml` in the user's configuration folder raises those it names:

    format = "fernshale-limits/1"
    archive_ratio = 500
"""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import ClassVar

from fernshale.core.base.data_folder import config_folder
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import tr
from fernshale.core.base.toml_schema import STRICT, read_toml

FORMAT = "fernshale-limits/1"
NAME = "limits.toml"
_MIB = 1 << 20
_GIB = 1 << 30


@dataclass(frozen=True, slots=True)
class Limits:
    """All bounds. Sizes are bytes, times seconds."""

    __pydantic_config__: ClassVar = STRICT
    # Archives: unpacked size, and its ratio to the packed size once it is more than `archive_small_bytes`.
    archive_bytes: int = 100 * _GIB
    archive_ratio: int = 100
    archive_small_bytes: int = 100 * _MIB
    archive_members: int = 3_000_000
    # Downloads from a server.
    shelf_file_bytes: int = 16 * _MIB
    download_bytes: int = 100 * _GIB
    # Output of a command: how much to keep in total, and per line.
    output_bytes: int = 256 * _MIB
    output_line_bytes: int = _MIB
    # The number of values that a drafted profile examines in one file, since aliases can multiply them.
    draft_values: int = 1_000_000
    # The number of text files that a drafted profile reads; those nearest to the root come first.
    draft_files: int = 20_000
    # Time limit for parsing one source file.
    parse_seconds: float = 10.0
    # Patterns of profiles and rules: their length, and how long they may search one log or file.
    pattern_length: int = 20_000
    pattern_seconds: float = 10.0
    # The expressions of data rules.
    expression_length: int = 2000
    expression_depth: int = 60
    expression_text: int = _MIB
    expression_digits: int = 400
    # The server of a shelf.
    server_connections: int = 64
    server_seconds: float = 30.0

    def __post_init__(self) -> None:
        for item in fields(self):
            if getattr(self, item.name) <= 0:
                raise ValueError(tr("{name} must be more than 0", name=item.name))


class LimitExceeded(FernshaleError):
    """Input from outside is larger, deeper or slower than allowed; `limit` is the name of the limit."""

    def __init__(self, message: str, limit: str) -> None:
        self.limit = limit
        super().__init__(
            message,
            tr(
                "If that is meant, raise {limit} in {config_folder} (docs/security.md).",
                limit=limit,
                config_folder=config_folder() / NAME,
            ),
        )


_read: dict[tuple[str, int, int], Limits] = {}


def limits() -> Limits:
    """The bounds that hold now. Raises FormatError, MisuseError for a damaged `limits.toml`."""
    path = config_folder() / NAME
    try:
        status = path.stat()
    except OSError:
        return _DEFAULTS
    key = (str(path), status.st_mtime_ns, status.st_size)
    if key not in _read:
        _read.clear()
        _read[key] = read_toml(path, Limits, FORMAT)
    return _read[key]


_DEFAULTS = Limits()
