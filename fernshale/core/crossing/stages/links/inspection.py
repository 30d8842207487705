"""Inspect the links: missing references, doubled ids, data to rewrite."""

from __future__ import annotations

from fernshale.core.base.texts import tr
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Option
from fernshale.core.crossing.record.plugin_updates import plugin_updates
from fernshale.core.crossing.rules.sources import LegRules, written_rules
from fernshale.core.crossing.stages.links.actions import MeetConstraint
from fernshale.core.crossing.stages.links.binary_ids import with_writable
from fernshale.core.crossing.stages.links.data_rules import scan_data, scan_items
from fernshale.core.crossing.stages.links.field_values import find_fillings
from fernshale.core.crossing.stages.links.items import asset_items, doubled_items, key_of, link_items
from fernshale.core.crossing.stages.links.reference_index import TreeBefore, read_linkage, unread_assets
from fernshale.core.crossing.stages.links.view import LinksView
from fernshale.core.fix.rules import RenameIdRule
from fernshale.core.links.binary_assets import BinaryFiles
from fernshale.core.links.renamed_targets import StatedRenames, TargetEvidence

# The confidence of a replacement that a person wrote down: just above what comparison can reach.
_STATED_WEIGHT = 0.97


def inspect_links(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> LinksView:
    """Inspect the links; writes nothing. Raises FormatError, Cancelled."""
    token.check()
    told = _stated_renames(scan, crossing)
    moved = {old: new for taken in plugin_updates(crossing).values() for old, new in taken.moves.items()}
    then = TreeBefore(crossing.store, crossing.leg_start, crossing.setup.from_)
    linkage = read_linkage(scan, then, moved, told, Work(token=token))
    decided = crossing.decisions()
    index, binary = linkage.now.index, BinaryFiles(scan.profile.binary)
    fresh = [with_writable(item, index, binary) for item in linkage.missing if not item.before]
    left = tuple(item for item in fresh if key_of(item) in decided)
    missing = tuple(item for item in fresh if key_of(item) not in decided)
    before = tuple(item for item in linkage.missing if item.before)
    scanned = scan_data(scan, crossing, token)
    known = set(linkage.before.index.doubled)
    doubled = tuple(id for id in linkage.now.index.doubled if id not in known and f"doubled:{id}" not in decided)
    fillings = find_fillings(scan, crossing.store, crossing.leg_start, linkage, scanned.unmet, token)
    fill_options = {
        key: [
            Option(
                MeetConstraint(key.removeprefix("expect:"), f"set {item.value}"),
                tr("Set it to {value}", value=item.value),
                item.evidence,
                item.score,
            )
            for item in items
        ]
        for key, items in fillings.items()
    }
    of_ids = (*link_items(missing), *doubled_items(doubled, index))
    open_items = (*asset_items(unread_assets(scan)), *of_ids, *scan_items(scanned, fill_options))
    return LinksView(linkage, missing, before, left, doubled, scanned, open_items)


def _stated_renames(scan: ProjectScan, crossing: Crossing) -> StatedRenames:
    rules = LegRules(tuple(written_rules(scan, crossing.setup.from_, crossing.setup.to)))
    return {
        (rule.old, rule.new): TargetEvidence(_STATED_WEIGHT, rule.why)
        for rule in rules.all
        if isinstance(rule, RenameIdRule)
    }
