"""Links: ids in assets that meant something before and dangle now."""

from __future__ import annotations

import time
from dataclasses import dataclass

from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.words import count
from fernshale.core.base.work import CancelToken, Progress
from fernshale.core.change.draft import Draft
from fernshale.core.change.model import ChangeSet
from fernshale.core.crossing.ground import Ground
from fernshale.core.crossing.logbook import write_step
from fernshale.core.crossing.matter import Decision, Matter, Proposal, Stage
from fernshale.core.crossing.rules import LegRules, written_rules
from fernshale.core.crossing.state import Crossing
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.rules import Rule
from fernshale.core.links.ids import Candidate, Ids, Use, find_candidates, read_ids
from fernshale.core.survey.sites import read_project_text


@dataclass(frozen=True, slots=True)
class DanglingId:
    """An id that is used and not declared; `was` says where it was declared before. Candidates are best first."""

    id: str
    uses: tuple[Use, ...]
    was: str
    candidates: tuple[Candidate, ...]


@dataclass(frozen=True, slots=True)
class LinksView:
    """Ids of the project now. `before` counts those that dangled before anything was touched."""

    ids: Ids
    dangling: tuple[DanglingId, ...]
    before: int
    matters: tuple[Matter, ...]


def links(ground: Ground, crossing: Crossing, token: CancelToken) -> LinksView:
    """Look; writes nothing."""
    token.check()
    shape = ground.profile.links
    now = read_ids(shape, ground.manifest.files, ground.read)
    before = _ids_before(ground, crossing)
    rules = LegRules(tuple(written_rules(ground, crossing.setup.from_, crossing.setup.to)))
    renames = {rule.old: rule for rule in rules.all if rule.kind == "rename-id"}
    dangling = tuple(_dangling(id, now, before, renames.get(id)) for id in now.dangling if id not in before.dangling)
    decided = crossing.decisions()
    matters = tuple(_matter(item) for item in dangling if f"links:{item.id}" not in decided)
    return LinksView(now, dangling, len(before.dangling), matters)


def preview_relink(ground: Ground, item: DanglingId, new: str) -> ChangeSet:
    """What giving the id its new name everywhere it is used would write."""
    rule = Rule("relink", "rename-id", "relink", old=item.id, new=new)
    draft = Draft(ground.project)
    for path in sorted({use.file for use in item.uses}):
        file = read_project_text(ground.project, path)
        draft.write(path, file.with_text(apply_edits(file.text, find_edits(rule, path, file.text))).encode())
    return draft.change_set()


def apply_relink(
    crossing: Crossing, ground: Ground, id: str, new: str, who: str, progress: Progress, token: CancelToken
) -> int:
    """Give a dangling id its new name; the logbook entry's id."""
    view = links(ground, crossing, token)
    item = next((entry for entry in view.dangling if entry.id == id), None)
    if item is None:
        raise MisuseError(f"the id {id} does not dangle")
    if new not in view.ids.declared:
        raise MisuseError(f"nothing declares the id {new}")
    changes = preview_relink(ground, item, new)
    why = next((entry.evidence for entry in item.candidates if entry.id == new), "chosen")
    title = f"{id} → {new} · {count(len(item.uses), 'use')} in {count(len(changes.files), 'file')}"
    entry = write_step(crossing, Stage.LINKS, title, why, f"link {id}", changes, progress, token)
    crossing.decide(Decision(f"links:{id}", Stage.LINKS, new, "", who, why, time.time(), entry))
    return entry


def _ids_before(ground: Ground, crossing: Crossing) -> Ids:
    start = crossing.leg_fact("start") or crossing.fact("start")
    if start is None:
        return Ids({}, {})
    manifest = crossing.store.manifest(start)

    def read(path: TreePath) -> str | None:
        try:
            text = read_text(crossing.store.get(manifest.entries[path].content))
        except FernshaleError:
            return None  # a damaged blob costs the comparison, not the stage
        return text.text if text is not None else None

    return read_ids(ground.profile.links, manifest.files, read)


def _dangling(id: str, now: Ids, before: Ids, rename: Rule | None) -> DanglingId:
    was = before.declared.get(id, ())
    candidates = find_candidates(id, before, now)
    if rename is not None and rename.new in now.declared:
        told = Candidate(rename.new, 0.97, rename.why)
        candidates = (told, *(item for item in candidates if item.id != rename.new))
    return DanglingId(id, now.used[id], f"{was[0].file}:{was[0].line}" if was else "", candidates)


def _matter(item: DanglingId) -> Matter:
    uses = count(len(item.uses), "use")
    ways = [
        Proposal(entry.id, f"{item.id} → {entry.id}", (entry.evidence,), entry.score, entry.score >= 0.9)
        for entry in item.candidates
    ]
    ways.append(Proposal("", "Leave it dangling", ("it is known and wanted so",), 0.1))
    first = item.uses[0]
    detail = f"was declared in {item.was}" if item.was else "nothing declared it before either"
    title = f"{item.id} dangles, {uses}"
    return Matter(
        f"links:{item.id}", Stage.LINKS, title, "own", f"{first.file}:{first.line}", detail, True, tuple(ways)
    )
