"""Reading binary assets: those of the project for the release it is on, those of the snapshot before for the old one."""

from __future__ import annotations

from fernshale.core.base.texts import count, tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.asset_texts import AssetTree, print_assets
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import note
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.links.actions import ReadAssets
from fernshale.core.crossing.stages.links.reference_index import from_store, project_assets, texts_of


def read_assets(crossing: Crossing, scan: ProjectScan, action: ReadAssets, author: Author, work: Work) -> None:
    """Print every asset whose text is not kept yet. Raises TrustNeeded, CommandError, FormatError, Cancelled."""
    trees = [project_assets(scan)]
    if crossing.leg_start:
        before = crossing.store.manifest(crossing.leg_start)
        trees.append(AssetTree(texts_of(scan, crossing.setup.from_), before, from_store(crossing.store, before)))
    read = print_assets(crossing, scan, trees, work)
    note(
        crossing,
        Stage.LINKS,
        tr("{binary_assets} read", binary_assets=count(read, "binary asset")),
        author.why,
        "assets",
    )
