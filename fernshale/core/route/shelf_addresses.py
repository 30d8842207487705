"""Addresses of shelves. A password in one is kept apart, in a file that only its owner may read, and never shown.

HOME/passwords.json     "user:password" by scheme, host and port
"""

from __future__ import annotations

import json
from pathlib import Path
from urllib.parse import SplitResult, unquote, urlsplit

from fernshale.core.base.data_folder import home
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr


def is_server(address: str) -> bool:
    """Whether a shelf's address is that of a server."""
    return address.partition(":")[0].lower() in ("http", "https") and "://" in address


def absolute_address(address: str) -> str:
    """The address for a process that runs in another folder: a server's as it is, a folder's from the root."""
    return address if is_server(address) else str(Path(address).resolve())


def clean_address(address: str) -> str:
    """Remove user and password from an address and remember them. Raises MisuseError for a malformed address."""
    if not is_server(address):
        return address
    parts = split_address(address)
    if "@" not in parts.netloc:
        return address
    user, _, place = parts.netloc.rpartition("@")
    clean = parts._replace(netloc=place)
    known = _read()
    known[_origin(clean)] = ":".join(unquote(part) for part in user.split(":", 1))
    path = _file()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_atomic(path, json.dumps(known, indent=1).encode(), 0o600)
    return clean.geturl()


def split_address(address: str) -> SplitResult:
    """The parts of a server's address. Raises MisuseError, which does not show a password."""
    try:
        parts = urlsplit(address)
        if not parts.hostname or not (parts.port is None or 0 < parts.port < 65536):
            raise ValueError
    except ValueError:
        shown = address.rpartition("@")[2]
        raise MisuseError(
            tr("{shown!r} is no address of a server", shown=shown), tr("An address looks like http://host:8000/folder.")
        ) from None
    return parts


def credentials_for(address: str) -> tuple[str, str] | None:
    """Return the user and password for a server, None if none were given."""
    user, _, password = _read().get(_origin(split_address(address)), "").partition(":")
    return (user, password) if user or password else None


def _origin(parts: SplitResult) -> str:
    return f"{parts.scheme.lower()}://{parts.netloc.lower()}"


def _read() -> dict[str, str]:
    try:
        data = json.loads(_file().read_bytes())
    except (OSError, ValueError, RecursionError):
        return {}
    return {key: value for key, value in data.items() if isinstance(value, str)} if isinstance(data, dict) else {}


def _file() -> Path:
    return home() / "passwords.json"
