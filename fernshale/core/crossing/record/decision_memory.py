"""Merge decisions of all crossings, offered again when the same conflict appears in another project.

Two conflicts are the same when their three texts are. One JSON file in Fernshale's data folder, written under a lock.
"""

from __future__ import annotations

import contextlib
import json
import time
from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, cast

from fernshale.core.base.data_folder import home
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.dry_run import is_dry_run
from fernshale.core.base.lock import Held, locked
from fernshale.core.base.texts import tr

_MAX_REMEMBERED = 5_000
_Known = dict[str, dict[str, object]]


@dataclass(frozen=True, slots=True)
class Remembered:
    """The decision about a conflict, with the project and the time (seconds since 1970)."""

    take: str
    text: str
    why: str
    project: str
    time: float

    @property
    def words(self) -> str:
        when = time.strftime("%Y-%m-%d", time.localtime(self.time))
        return tr("decided so in {project} on {when}", project=self.project, when=when) + (
            f": {self.why}" if self.why else ""
        )


def remember(ids: Sequence[str], take: str, text: str, why: str, project: Path) -> None:
    """Store the decisions about conflicts in one write; the latest counts. A failure to store them is ignored."""

    def put(known: _Known) -> None:
        for id in ids:
            known.pop(id, None)
            known[id] = asdict(Remembered(take, text, why, project.name, time.time()))

    _change(put)


def forget(id: str, project: Path) -> None:
    """Delete the decision about a conflict that was taken in `project` and withdrawn there."""

    def drop(known: _Known) -> None:
        if known.get(id, {}).get("project") == project.name:
            del known[id]

    _change(drop)


def recall() -> dict[str, Remembered]:
    """All that is remembered, by the id of the conflict; nothing where the file is damaged."""
    found = {}
    for id, item in _read(_path()).items():
        with contextlib.suppress(TypeError):
            found[id] = Remembered(**cast(dict[str, Any], item))
    return found


def _change(act: Callable[[_Known], None]) -> None:
    if is_dry_run():
        return
    path = _path()
    with contextlib.suppress(OSError, Held):
        path.parent.mkdir(parents=True, exist_ok=True)
        with locked(path.with_suffix(".lock")):
            known = _read(path)
            before = dict(known)
            act(known)
            if known != before:
                write_atomic(path, json.dumps(dict(list(known.items())[-_MAX_REMEMBERED:]), indent=1).encode())


def _read(path: Path) -> _Known:
    try:
        data = json.loads(path.read_bytes())
    except (OSError, ValueError, RecursionError):
        return {}
    return data if isinstance(data, dict) and all(isinstance(item, dict) for item in data.values()) else {}


def _path() -> Path:
    return home() / "decisions.json"
