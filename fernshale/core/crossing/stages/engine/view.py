"""Engine: point the project at the new release and have its generator replace the generated files."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.project.generator import Regenerated
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.stages.engine.forked_files import ForkedFile
from fernshale.core.crossing.stages.engine.workarounds import WorkaroundLine
from fernshale.core.engine.release_update import SiteChange


@dataclass(frozen=True, slots=True)
class EngineView:
    """Each site before and after, the generated files that the generator's next run replaces, and how its last run went.

    `overrides` are descriptors of members that inherit and get a release of their own; `copies` files that were copied
    from the engine and edited; `workarounds` lines that only some releases need.
    """

    sites: tuple[SiteChange, ...]
    overrides: tuple[TreePath, ...]
    stale: tuple[TreePath, ...]
    regenerated: Regenerated | None
    release: str
    copies: tuple[ForkedFile, ...]
    items: tuple[Item, ...]
    workarounds: tuple[WorkaroundLine, ...] = ()

    @property
    def pending(self) -> tuple[SiteChange, ...]:
        return tuple(change for change in self.sites if change.changes)

    @property
    def places(self) -> int:
        """How many places are still to name the target."""
        return len(self.pending) + len(self.overrides)
