"""Plugins: the new releases in, every local edit kept."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.deferred.plugins import PluginLeftOut
from fernshale.core.crossing.project.plugin_builds import PluginBuild
from fernshale.core.crossing.record.decision_memory import Remembered
from fernshale.core.crossing.record.items import Item
from fernshale.core.merge.folder_merge import FileMerge, FolderMerge
from fernshale.core.merge.ledger import Ledger
from fernshale.core.merge.text_merge import Conflict, Resolution
from fernshale.core.route.planner import PluginStep
from fernshale.core.survey.plugins import Plugin


@dataclass(frozen=True, slots=True)
class PluginView:
    """One plugin on this leg. `merge` is None once it is updated, or while it has no new release."""

    plugin: Plugin
    step: PluginStep
    done: bool
    base: str
    base_note: str
    merge: FolderMerge | None
    ledger: Ledger | None
    odd: Mapping[TreePath, tuple[str, ...]] = field(default_factory=dict)

    def open_conflicts(self, choices: Mapping[str, Resolution]) -> tuple[tuple[FileMerge, Conflict], ...]:
        """The open conflicts, each with its file."""
        return tuple(item for item in (self.merge.decisions if self.merge else ()) if item[1].id not in choices)


@dataclass(frozen=True, slots=True)
class PluginsView:
    """All plugins with the choices taken so far, by id of the decision; those that are left out; and what was decided
    about the same conflicts in any project; and those that have compiled parts."""

    plugins: tuple[PluginView, ...]
    choices: Mapping[str, Resolution]
    items: tuple[Item, ...]
    left_out: tuple[PluginLeftOut, ...] = ()
    remembered: Mapping[str, Remembered] = field(default_factory=dict)
    built: tuple[PluginBuild, ...] = ()

    def count(self, fate: str) -> int:
        return sum(entry.fate == fate for view in self.plugins if view.ledger for entry in view.ledger.entries)

    @property
    def edits(self) -> int:
        return sum(view.ledger.edits for view in self.plugins if view.ledger)
