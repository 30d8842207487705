"""The plugins that were taken on a leg and still stand: from which release to which, with the ledger and where files went."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.merge.ledger import Ledger, LedgerEntry

_ABOUT = "plugin "


@dataclass(frozen=True, slots=True)
class PluginUpdate:
    """`moves` says where the merge moved files of the project to, by where they were."""

    base: str
    from_: str
    to: str
    ledger: Ledger
    moves: Mapping[TreePath, TreePath]


def about(folder: str) -> str:
    """What the logbook entry of taking the plugin in that folder is about."""
    return _ABOUT + folder


def keep_update(crossing: Crossing, folder: str, entry: int, taken: PluginUpdate) -> None:
    """Keep what a plugin's step did; `entry` is its logbook entry."""
    kept = {
        "entry": entry,
        "base": taken.base,
        "entries": [asdict(item) for item in taken.ledger.entries],
        "from": taken.from_,
        "to": taken.to,
        "moves": dict(taken.moves),
    }
    crossing.keep_leg_fact(_fact(folder), kept)


def plugin_updates(crossing: Crossing) -> dict[str, PluginUpdate]:
    """Those of the leg in hand whose step was not undone, by folder."""
    found = {}
    for entry in crossing.logbook():
        if entry.stage is Stage.PLUGINS and entry.state == "done" and entry.about.startswith(_ABOUT):
            folder = entry.about.removeprefix(_ABOUT)
            kept = crossing.leg_fact(_fact(folder))
            if kept and kept["entry"] == entry.id:
                ledger = Ledger(tuple(LedgerEntry(**item) for item in kept["entries"]))
                moves = {TreePath(old): TreePath(new) for old, new in kept.get("moves", {}).items()}
                found[folder] = PluginUpdate(kept["base"], kept["from"], kept["to"], ledger, moves)
    return found


def _fact(folder: str) -> str:
    return f"ledger {folder}"
