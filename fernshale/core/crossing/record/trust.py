"""Which profiles may run their commands: those whose exact bytes the user has trusted."""

from __future__ import annotations

import json
from pathlib import Path

from fernshale.core.base.data_folder import home
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.lock import locked
from fernshale.core.base.texts import tr
from fernshale.core.profile.model import Profile


class TrustNeeded(MisuseError):
    """A command of the profile was needed, and this version of the file is not trusted."""


def is_trusted(profile: Profile) -> bool:
    return profile.digest in _read(home() / "trusted.json")


def trust(profile: Profile, data_folder: Path | None = None) -> None:
    """Allow this profile to run its commands, for the user or for another data folder; a changed file has to be trusted again."""
    path = (data_folder or home()) / "trusted.json"
    path.parent.mkdir(parents=True, exist_ok=True)
    with locked(path.with_suffix(".lock"), on_wait=lambda holder: None):
        known = _read(path)
        if profile.digest not in known:
            known[profile.digest] = str(profile.path)
            write_atomic(path, json.dumps(known, indent=1).encode(), 0o600)


def require_trust(profile: Profile) -> None:
    """Raises TrustNeeded."""
    if not is_trusted(profile):
        raise TrustNeeded(
            tr("the profile {path} would run commands, and you have not trusted it yet", path=profile.path),
            tr("Read it, then trust it with --trust or in the window."),
        )


def _read(path: Path) -> dict[str, str]:
    try:
        data = json.loads(path.read_bytes())
    except (OSError, ValueError, RecursionError):
        return {}
    return {str(key): str(value) for key, value in data.items()} if isinstance(data, dict) else {}
