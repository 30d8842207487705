"""Writing another id or path wherever a missing one is used."""

from __future__ import annotations

import time
from collections.abc import Iterable, Sequence

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.asset_texts import write_ids
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.links.actions import Relink, RelinkFile
from fernshale.core.crossing.stages.links.binary_ids import ids_to_write
from fernshale.core.crossing.stages.links.inspection import inspect_links
from fernshale.core.crossing.stages.links.items import TOGETHER, key_of
from fernshale.core.crossing.stages.links.reference_index import read_bytes
from fernshale.core.links.binary_assets import BinaryFiles
from fernshale.core.links.index import LinkIndex
from fernshale.core.links.missing_references import MissingReference
from fernshale.core.links.relink import Replacements, replacements, rewrite
from fernshale.core.links.renamed_targets import AUTOMATIC_SCORE, TargetCandidate
from fernshale.core.links.targets import LinkSide


def declaration(side: LinkSide, item: MissingReference, id: str) -> tuple[str, str, int]:
    """Where an id was or is declared (or the file a path means): the file, its text, the 1-based line; empty for none."""
    uses = side.index.declarations(id)
    path = TreePath(id) if item.is_file else uses[0].file if uses else TreePath("")
    text = side.text(path) if path else None
    return path, text or "", uses[0].line if uses and not item.is_file else 1


def preview_relink(
    scan: ProjectScan, index: LinkIndex, chosen: Iterable[tuple[MissingReference, TargetCandidate]]
) -> ChangeSet:
    """The changes that write the new ids and paths wherever the old ones are used. Raises FormatError."""
    return _relink_texts(scan, index, replacements(chosen)).change_set()


def _relink_texts(scan: ProjectScan, index: LinkIndex, changes: Replacements) -> Draft:
    """The new ids and paths in everything but binary assets, which only the engine's command can write."""
    binary = BinaryFiles(scan.profile.binary)
    texts = {path: listed for path, listed in changes.items() if binary.format_of(path) is None}
    draft = Draft(scan.project)
    for path, data in rewrite(index.rules, texts, lambda path: read_bytes(scan.project, path)).items():
        draft.write(path, data)
    return draft


def _relink_assets(
    crossing: Crossing, scan: ProjectScan, index: LinkIndex, changes: Replacements, draft: Draft, work: Work
) -> None:
    binary = BinaryFiles(scan.profile.binary)
    for path, listed in changes.items():
        data = read_bytes(scan.project, path) if binary.format_of(path) is not None else None
        if data is not None:
            draft.write(path, write_ids(crossing, scan, path, data, ids_to_write(index, path, listed), work))


def apply_relink(crossing: Crossing, scan: ProjectScan, action: Relink | RelinkFile, author: Author, work: Work) -> int:
    """Write the new id or path wherever a missing one is used ("split": several); returns the id of the logbook entry.

    With the key of the item for all of them, every high-confidence replacement is written. Raises MisuseError, FormatError.
    """
    key, new = action.key, action.new
    view = inspect_links(scan, crossing, work.token)
    if key == f"links:{TOGETHER}":
        chosen = [(item, candidate) for item in view.automatic for candidate in item.automatic]
    else:
        item = next((entry for entry in view.missing if key_of(entry) == key), None)
        if item is None:
            raise MisuseError(tr("{id} is not missing", id=key.partition(":")[2]))
        chosen = [(item, candidate) for candidate in _candidates(item, new, view.index)]
    listed = replacements(chosen)
    draft = _relink_texts(scan, view.index, listed)
    _relink_assets(crossing, scan, view.index, listed, draft, work)
    changes = draft.change_set()
    items = list(dict.fromkeys(id(item) for item, _ in chosen))
    uses = sum(len(item.uses_in(candidate.slots)) for item, candidate in chosen)
    reason = author.why or "; ".join(chosen[0][1].evidence[:1]) or "chosen"
    if len(items) == 1:
        item = chosen[0][0]
        title = f"{item.id} → {' and '.join(candidate.id for _, candidate in chosen)} · {count(uses, 'use')}"
        about = f"link {item.id}"
    else:
        title, about = tr("{links} follow · {uses}", links=count(len(items), "link"), uses=count(uses, "use")), "links"
        reason = author.why or tr(
            "each has a confidence of {automatic_score:.0%} or more", automatic_score=AUTOMATIC_SCORE
        )
    title += tr(" in {files}", files=count(len(changes.files), "file"))
    decided = [
        Decision(
            key_of(item), Stage.LINKS, new if new == "split" else candidate.id, "", author.who,
            "; ".join(candidate.evidence[:1]) or reason, time.time(),
        )
        for item, candidate in chosen
    ]  # fmt: skip
    return write_step(crossing, EntryText(Stage.LINKS, title, reason, about), changes, work, decided)


def _candidates(item: MissingReference, new: str, index: LinkIndex) -> Sequence[TargetCandidate]:
    if new == "split":
        return [candidate for candidate in item.candidates if candidate.slots]
    known = next((candidate for candidate in item.candidates if candidate.id == new), None)
    if known is not None:
        return [TargetCandidate(known.id, known.score, known.evidence)]
    if not (new in index.paths if item.is_file else index.declares(new)):
        raise MisuseError(
            tr("there is no file {new}", new=new) if item.is_file else tr("nothing declares the id {new}", new=new)
        )
    return [TargetCandidate(new, 1.0, ("chosen",))]
