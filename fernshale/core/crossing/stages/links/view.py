"""Links: ids and paths in assets that meant something before and dangle now."""

from __future__ import annotations

import time
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.quantities import count
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author, Choose
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.plugin_updates import plugin_updates
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.rules.sources import LegRules, written_rules
from fernshale.core.crossing.stages.links.actions import MeetConstraint, Relink, RelinkFile
from fernshale.core.crossing.stages.links.data_rules import DataScan, scan_data, scan_items
from fernshale.core.crossing.stages.links.field_values import find_fillings
from fernshale.core.crossing.stages.links.reference_index import Linkage, read_bytes, read_linkage
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.missing_references import MissingReference
from fernshale.core.links.relink import replacements, rewrite
from fernshale.core.links.renamed_targets import SURE, TargetCandidate, TargetEvidence, Told
from fernshale.core.links.targets import LinkSide

# So many that are sure are settled together.
_MANY = 4
# What someone wrote down is as good as sure, and a step ahead of what was only compared.
_TOLD = 0.97
_TOGETHER = "together:sure"


@dataclass(frozen=True, slots=True)
class LinksView:
    """The links of the project now. `dangling` is what dangles since the crossing began and is not left so by a decision;
    `before` counts what dangled before anything was touched, `left` what a decision left. `doubled` are ids that are declared
    twice since the crossing began."""

    linkage: Linkage
    dangling: tuple[MissingReference, ...]
    before: tuple[MissingReference, ...]
    left: tuple[MissingReference, ...]
    doubled: tuple[str, ...]
    data_scan: DataScan
    items: tuple[Item, ...]

    @property
    def index(self) -> LinkIndex:
        return self.linkage.now.index

    @property
    def sure(self) -> tuple[MissingReference, ...]:
        return tuple(item for item in self.dangling if item.sure)


def links(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> LinksView:
    """Look; writes nothing."""
    token.check()
    told = _told(scan, crossing)
    moved = {old: new for taken in plugin_updates(crossing).values() for old, new in taken.moves.items()}
    linkage = read_linkage(scan, crossing.store, crossing.leg_start, moved, told, Work(token=token))
    decided = crossing.decisions()
    fresh = [item for item in linkage.dangling if not item.before]
    left = tuple(item for item in fresh if key_of(item) in decided)
    dangling = tuple(item for item in fresh if key_of(item) not in decided)
    before = tuple(item for item in linkage.dangling if item.before)
    scanned = scan_data(scan, crossing, token)
    known = set(linkage.before.index.doubled)
    doubled = tuple(id for id in linkage.now.index.doubled if id not in known and f"doubled:{id}" not in decided)
    fillings = find_fillings(scan, crossing.store, crossing.leg_start, linkage, scanned.unmet, token)
    ways = {
        key: [
            Option(
                MeetConstraint(key.removeprefix("expect:"), f"set {item.value}"),
                f"Set it to {item.value}",
                item.evidence,
                item.score,
            )
            for item in items
        ]
        for key, items in fillings.items()
    }
    open_items = (*_items(dangling), *_doubled_items(doubled, linkage.now.index), *scan_items(scanned, ways))
    return LinksView(linkage, dangling, before, left, doubled, scanned, open_items)


def key_of(item: MissingReference) -> str:
    """The key of its item."""
    return f"{'file' if item.is_file else 'links'}:{item.id}"


def declaration(side: LinkSide, item: MissingReference, id: str) -> tuple[str, str, int]:
    """Where an id was or is declared (or the file a path means): the file, its text, the 1-based line; empty for none."""
    uses = side.index.declarations(id)
    path = TreePath(id) if item.is_file else uses[0].file if uses else TreePath("")
    text = side.text(path) if path else None
    return path, text or "", uses[0].line if uses and not item.is_file else 1


def preview_relink(
    scan: ProjectScan, index: LinkIndex, chosen: Iterable[tuple[MissingReference, TargetCandidate]]
) -> ChangeSet:
    """What giving things their new names everywhere they are used would write. Raises FormatError."""
    changes = replacements(chosen)
    draft = Draft(scan.project)
    for path, data in rewrite(index.rules, changes, lambda path: read_bytes(scan.project, path)).items():
        draft.write(path, data)
    return draft.change_set()


def apply_relink(crossing: Crossing, scan: ProjectScan, action: Relink | RelinkFile, author: Author, work: Work) -> int:
    """Give what dangles its new name, or names by what they are used for (`new` is "split"); the logbook entry's id.

    With the key of those that are sure, all of them. Raises MisuseError, FormatError.
    """
    key, new = action.key, action.new
    view = links(scan, crossing, work.token)
    if key == f"links:{_TOGETHER}":
        chosen = [(item, way) for item in view.sure for way in item.sure]
    else:
        item = next((entry for entry in view.dangling if key_of(entry) == key), None)
        if item is None:
            raise MisuseError(f"{key.partition(':')[2]} does not dangle")
        chosen = [(item, way) for way in _ways(item, new, view.index)]
    changes = preview_relink(scan, view.index, chosen)
    items = list(dict.fromkeys(id(item) for item, _ in chosen))
    uses = sum(len(item.uses_in(way.slots)) for item, way in chosen)
    reason = author.why or "; ".join(chosen[0][1].evidence[:1]) or "chosen"
    if len(items) == 1:
        item = chosen[0][0]
        title = f"{item.id} → {' and '.join(way.id for _, way in chosen)} · {count(uses, 'use')}"
        about = f"link {item.id}"
    else:
        title, about = f"{count(len(items), 'link')} follow · {count(uses, 'use')}", "links"
        reason = author.why or f"each is {SURE:.0%} sure or more"
    title += f" in {count(len(changes.files), 'file')}"
    decided = [
        Decision(
            key_of(item), Stage.LINKS, new if new == "split" else way.id, "", author.who,
            "; ".join(way.evidence[:1]) or reason, time.time(),
        )
        for item, way in chosen
    ]  # fmt: skip
    return write_step(crossing, EntryText(Stage.LINKS, title, reason, about), changes, work, decided)


def _ways(item: MissingReference, new: str, index: LinkIndex) -> Sequence[TargetCandidate]:
    if new == "split":
        return [way for way in item.candidates if way.slots]
    known = next((way for way in item.candidates if way.id == new), None)
    if known is not None:
        return [TargetCandidate(known.id, known.score, known.evidence)]
    if not (new in index.paths if item.is_file else index.declares(new)):
        raise MisuseError(f"there is no file {new}" if item.is_file else f"nothing declares the id {new}")
    return [TargetCandidate(new, 1.0, ("chosen",))]


def _told(scan: ProjectScan, crossing: Crossing) -> Told:
    rules = LegRules(tuple(written_rules(scan, crossing.setup.from_, crossing.setup.to)))
    return {(rule.old, rule.new): TargetEvidence(_TOLD, rule.why) for rule in rules.all if rule.kind == "rename-id"}


def _items(dangling: Sequence[MissingReference]) -> Iterable[Item]:
    sure = [item for item in dangling if item.sure]
    together = len(sure) >= _MANY
    if together:
        uses = sum(len(item.uses) for item in sure)
        least = min(way.score for item in sure for way in item.sure)
        all_ = Option(
            Relink(_TOGETHER, "sure"), "Relink them all", (f"the least sure of them is {least:.0%}",), least, True
        )
        yield Item(
            f"links:{_TOGETHER}", Stage.LINKS, f"{len(sure)} links dangle and have a sure successor, {count(uses, 'use')}",
            "own", "", ", ".join(item.id for item in sure[:12]), False, (all_,),
        )  # fmt: skip
    for item in dangling:
        if not (together and item.sure):
            yield _item(item)


def _doubled_items(doubled: Sequence[str], index: LinkIndex) -> Iterable[Item]:
    """Ids that two declare, of which a use can mean only one."""
    for id in doubled:
        places = [f"{use.file}:{use.line}" for use in index.declarations(id)]
        leave = Option(Choose(f"doubled:{id}", ""), "Leave it so", ("write down why",), 0.1)
        title = f"{id} is declared {len(places)} times"
        yield Item(f"doubled:{id}", Stage.LINKS, title, "own", places[-1], "; ".join(places), True, (leave,))


def relink(item: MissingReference, new: str) -> Relink | RelinkFile:
    """The action that writes `new` wherever what is missing is used."""
    return RelinkFile(TreePath(item.id), new) if item.is_file else Relink(item.id, new)


def _item(item: MissingReference) -> Item:
    ways = []
    if item.candidates and item.candidates[0].slots:
        parts = [way for way in item.candidates if way.slots]
        told = tuple(f"{way.id} for {', '.join(way.slots)}" for way in parts)
        least = min(way.score for way in parts)
        ways.append(
            Option(relink(item, "split"), f"{item.id} became {count(len(parts), 'id')}", told, least, least >= SURE)
        )
    split = bool(ways)
    for way in item.candidates:
        score = min(way.score, 0.6) if split else way.score
        ways.append(Option(relink(item, way.id), f"{item.id} → {way.id}", way.evidence, score, score >= SURE))
    ways.append(Option(Choose(key_of(item), ""), "Leave it dangling", ("it is known and wanted so",), 0.1))
    first = item.uses[0]
    place = f"{first.file}:{first.line}" if first.line else first.file
    what = "was there" if item.is_file else f"was declared in {item.was}"
    title = f"{item.id} {'is gone' if item.is_file else 'dangles'}, {count(len(item.uses), 'use')}"
    return Item(key_of(item), Stage.LINKS, title, "own", place, what, True, tuple(ways))
