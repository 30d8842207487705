"""The plugin updates of a leg that were not undone: from which release to which, the ledger, and where files moved."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, replace
from typing import Any

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.merge.ledger import Ledger, LedgerEntry

_ABOUT = "plugin "


@dataclass(frozen=True, slots=True)
class PluginUpdate:
    """An update of a plugin. `moves` maps the old paths of moved files to the new ones, in the project."""

    base: str
    from_: str
    to: str
    ledger: Ledger
    moves: Mapping[TreePath, TreePath]
    entry: int = 0


def about(folder: str) -> str:
    """The `about` of the logbook entry that updated the plugin in a folder."""
    return _ABOUT + folder


def keep_update(crossing: Crossing, folder: str, entry: int, update: PluginUpdate) -> None:
    """Store the result of a plugin update; `entry` is its logbook entry."""
    crossing.keep(update_fact(folder), replace(update, entry=entry))


def plugin_updates(crossing: Crossing) -> dict[str, PluginUpdate]:
    """The updates of the current leg that were not undone, by folder."""
    found = {}
    for entry in crossing.logbook():
        if entry.stage is Stage.PLUGINS and entry.state == "done" and entry.about.startswith(_ABOUT):
            folder = entry.about.removeprefix(_ABOUT)
            kept = crossing.read(update_fact(folder))
            if kept is not None and kept.entry == entry.id:
                found[folder] = kept
    return found


def update_fact(folder: str) -> Fact[PluginUpdate | None]:
    """The last update of the plugin in a folder, whether it was undone or not."""
    return Fact(f"ledger {folder}", None, _from_json, _to_json, per_leg=True)


def _to_json(update: PluginUpdate | None) -> object:
    if update is None:
        return None
    return {
        "entry": update.entry,
        "base": update.base,
        "entries": [asdict(item) for item in update.ledger.entries],
        "from": update.from_,
        "to": update.to,
        "moves": dict(update.moves),
    }


def _from_json(data: dict[str, Any]) -> PluginUpdate:
    ledger = Ledger(tuple(LedgerEntry(**item) for item in data["entries"]))
    moves = {TreePath(old): TreePath(new) for old, new in data.get("moves", {}).items()}
    return PluginUpdate(data["base"], data.get("from", ""), data.get("to", ""), ledger, moves, data["entry"])
