"""Reading binary assets: those of the project for the release it is on, those of the snapshot before for the old one."""

from __future__ import annotations

from fernshale.core.base.quantities import count
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.asset_texts import print_assets
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import note
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.links.actions import ReadAssets
from fernshale.core.crossing.stages.links.reference_index import from_store, read_bytes, texts_of


def read_assets(crossing: Crossing, scan: ProjectScan, action: ReadAssets, author: Author, work: Work) -> None:
    """Print every asset whose text is not kept yet. Raises TrustNeeded, CommandError, FormatError, Cancelled."""
    texts = texts_of(scan, scan.release)
    read = print_assets(crossing, scan, texts, scan.manifest, lambda path: read_bytes(scan.project, path), work)
    if crossing.leg_start:
        before = crossing.store.manifest(crossing.leg_start)
        then = texts_of(scan, crossing.setup.from_)
        read += print_assets(crossing, scan, then, before, from_store(crossing.store, before), work)
    note(crossing, Stage.LINKS, f"{count(read, 'binary asset')} read", author.why, "assets")
