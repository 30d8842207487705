"""Links: ids and paths in assets that existed before the crossing and are missing now."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.stages.links.data_rules import DataScan
from fernshale.core.crossing.stages.links.reference_index import Linkage
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.missing_references import MissingReference


@dataclass(frozen=True, slots=True)
class LinksView:
    """The links of the project now. `missing` are the references that are missing since the crossing began and need a decision;
    `before` those that were missing in the baseline, `left` those that a decision leaves as they are. `doubled` are ids with a
    second declaration since the crossing began."""

    linkage: Linkage
    missing: tuple[MissingReference, ...]
    before: tuple[MissingReference, ...]
    left: tuple[MissingReference, ...]
    doubled: tuple[str, ...]
    data_scan: DataScan
    items: tuple[Item, ...]

    @property
    def index(self) -> LinkIndex:
        return self.linkage.now.index

    @property
    def automatic(self) -> tuple[MissingReference, ...]:
        return tuple(item for item in self.missing if item.automatic)
