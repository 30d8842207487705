"""Data that has to be rewritten for the release, and data that violates constraints; both by rules."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import TypeVar

from fernshale.core.base.cache import Cache
from fernshale.core.base.errors import FernshaleError, FormatError, MisuseError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.release import same_release
from fernshale.core.base.texts import count, tr
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
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.rules.sources import written_rules
from fernshale.core.crossing.stages.links.actions import MeetConstraint, RewriteData
from fernshale.core.data.fields import TextChange, apply_changes
from fernshale.core.data.objects import Rewritten
from fernshale.core.fix.dropped_text import words_of_loss
from fernshale.core.fix.rewriters.data import find_rewrites
from fernshale.core.fix.rules import DataRule
from fernshale.core.links.constraints import UnmetConstraint, find_unmet, mend, without
from fernshale.core.links.reference_reader import own_formats
from fernshale.core.links.renamed_targets import AUTOMATIC_SCORE
from fernshale.core.profile.model import Expect
from fernshale.core.survey.release_sites import read_project_text

T = TypeVar("T")


@dataclass(frozen=True, slots=True)
class DataRewrite:
    """A rule that rewrites data, and the objects still to rewrite, by file."""

    rule: DataRule
    source: str
    objects: Mapping[TreePath, tuple[Rewritten, ...]]

    @property
    def total(self) -> int:
        return sum(len(found) for found in self.objects.values())

    @property
    def lost(self) -> str:
        """The first text that would be dropped with a field and is more than a plain value."""
        return next((item.lost for found in self.objects.values() for item in found if item.lost), "")


@dataclass(frozen=True, slots=True)
class DataScan:
    """The objects to rewrite, the unmet constraints, and those that a decision ignores. `troubles` are files that could not be
    read."""

    work: tuple[DataRewrite, ...] = ()
    unmet: tuple[UnmetConstraint, ...] = ()
    ignored: tuple[tuple[UnmetConstraint, str], ...] = ()
    troubles: tuple[str, ...] = ()


def scan_data(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> DataScan:
    """Scan the data files that rules are about, once the project is on the release of the rules. Raises Cancelled."""
    if not same_release(scan.release, crossing.setup.to):
        return DataScan()
    sets = written_rules(scan, crossing.setup.from_, crossing.setup.to)
    decided = crossing.decisions()
    troubles: dict[str, None] = {}
    work = []
    for group in sets:
        for rule in group.rules:
            if isinstance(rule, DataRule) and f"data:{rule.id}" not in decided:
                objects = _objects(scan, rule, decided, troubles, token)
                if objects:
                    work.append(DataRewrite(rule, group.title, objects))
    unmet, ignored = [], []
    expected = [*scan.profile.expect, *(item for group in sets for item in group.expect)]
    for expect in {item.id: item for item in expected}.values():
        for item in _unmet(scan, expect, troubles, token):
            decision = decided.get(key_of(item)) or decided.get(f"expect:{expect.id}")
            if decision is not None and not decision.choice:
                ignored.append((item, decision.why))
            else:
                unmet.append(item)
    return DataScan(tuple(work), tuple(unmet), tuple(ignored), tuple(troubles))


def key_of(unmet: UnmetConstraint) -> str:
    """The key of its item: one for all files where one change fixes all, else one per file."""
    return f"expect:{unmet.expect.id}" if unmet.can_mend else f"expect:{unmet.expect.id}:{unmet.file}"


def constraint_of(unmet: UnmetConstraint) -> str:
    """How an action names it, see MeetConstraint."""
    return key_of(unmet).removeprefix("expect:")


def scan_items(found: DataScan, fillings: Mapping[str, Sequence[Option]]) -> Iterable[Item]:
    """The items of a scan. `fillings` are options for empty fields, by the key of the item."""
    for work in found.work:
        rule = work.rule
        first, objects = next(iter(work.objects.items()))
        automatic = rule.confidence >= AUTOMATIC_SCORE and not work.lost
        evidence = (rule.why, work.source, *((words_of_loss(work.lost),) if work.lost else ()))
        all_ = Option(
            RewriteData(rule.id, "all"),
            tr("Rewrite {objects}", objects=count(work.total, "object")),
            evidence,
            rule.confidence,
            automatic,
        )
        leave = Option(Choose(f"data:{rule.id}", ""), tr("Leave them as they are"), ())
        title = tr(
            "{name}, {objects} in {files}",
            name=rule.name,
            objects=count(work.total, "object"),
            files=count(len(work.objects), "file"),
        )
        place = f"{first}:{objects[0].found.line}"
        yield Item(f"data:{rule.id}", Stage.LINKS, title, "own", place, rule.why, not automatic, (all_, leave))
    groups: dict[str, list[UnmetConstraint]] = {}
    for item in found.unmet:
        groups.setdefault(key_of(item), []).append(item)
    for key, items in groups.items():
        yield _unmet_item(key, items, fillings.get(key, ()))


def apply_data(crossing: Crossing, scan: ProjectScan, action: RewriteData, author: Author, work: Work) -> int:
    """Rewrite all objects of a rule, or one; returns the id of the logbook entry. Raises MisuseError, FormatError."""
    id, how = action.rule, action.objects
    rewrite = next((item for item in scan_data(scan, crossing, work.token).work if item.rule.id == id), None)
    if rewrite is None:
        raise MisuseError(tr("nothing is left to rewrite by {id}", id=id))
    chosen = dict(rewrite.objects)
    if how.startswith("one "):
        path, _, number = how.removeprefix("one ").rpartition("#")
        only = [item for item in rewrite.objects.get(TreePath(path), ()) if str(item.found.number) == number]
        if not only:
            raise MisuseError(tr("{path} has no such object left to rewrite", path=path))
        chosen = {TreePath(path): tuple(only)}
    changes = preview_data(scan, chosen)
    total = sum(len(found) for found in chosen.values())
    title = tr(
        "{name} · {objects} in {files}",
        name=rewrite.rule.name,
        objects=count(total, "object"),
        files=count(len(chosen), "file"),
    )
    reason, now = author.why or rewrite.rule.why, time.time()
    decided = [
        Decision(
            f"data:{id}@{path}#{item.found.number}",
            Stage.LINKS,
            "done",
            "",
            author.who,
            reason,
            now,
        )
        for path, found in chosen.items()
        for item in found
    ]
    return write_step(crossing, EntryText(Stage.LINKS, title, reason, f"data {id}"), changes, work, decided)


def preview_data(scan: ProjectScan, objects: Mapping[TreePath, Sequence[Rewritten]]) -> ChangeSet:
    """The changes that rewriting these objects would write."""
    return _written(
        scan, {path: [change for item in found for change in item.changes] for path, found in objects.items()}
    )


def meet_constraint(crossing: Crossing, scan: ProjectScan, action: MeetConstraint, author: Author, work: Work) -> int:
    """Add an object, fill a field or remove an object; returns the id of the logbook entry. Raises MisuseError, FormatError."""
    key = action.key
    items = [item for item in scan_data(scan, crossing, work.token).unmet if key_of(item) == key]
    if not items:
        raise MisuseError(tr("{id} is met", id=key.partition(":")[2]))
    changes = preview_mending(scan, items, action.how)
    words = items[0].expect.title
    title = f"{words} · {count(len(changes.files), 'file')}"
    reason = author.why or items[0].expect.why
    return write_step(
        crossing,
        EntryText(Stage.LINKS, title, reason, key),
        changes,
        work,
        [action.decision(replace(author, why=reason))],
    )


def preview_mending(scan: ProjectScan, items: Sequence[UnmetConstraint], how: str) -> ChangeSet:
    """The changes that would meet a constraint. Raises FormatError."""
    formats = own_formats(scan.profile.data)
    changes: dict[TreePath, list[TextChange]] = {}
    for item in items:
        text = scan.read(item.file) or ""
        what, _, value = how.partition(" ")
        if what == "drop":
            found = without(item, int(value), text, formats)
        elif what == "set" and item.expect.values and value not in item.expect.values:
            raise MisuseError(
                tr(
                    "{value} is not allowed for {field}: {values}",
                    value=value,
                    field=item.expect.field,
                    values=", ".join(item.expect.values),
                )
            )
        else:
            found = mend(item, text, formats, value if what == "set" else item.expect.default)
        changes.setdefault(item.file, []).extend(found)
    return _written(scan, changes)


def _written(scan: ProjectScan, changes: Mapping[TreePath, Sequence[TextChange]]) -> ChangeSet:
    draft = Draft(scan.project)
    for path, listed in changes.items():
        file = read_project_text(scan.project, path)
        draft.write(path, file.with_text(apply_changes(file.text, list(listed))).encode())
    return draft.change_set()


def _unmet_item(key: str, items: Sequence[UnmetConstraint], fillings: Sequence[Option]) -> Item:
    first = items[0]
    expect = first.expect
    options = [*fillings]
    name = key.removeprefix("expect:")
    if first.can_mend:
        words = (
            tr("Put it in")
            if first.fault == "missing"
            else tr("Set {field} to {default}", field=expect.field, default=expect.default)
        )
        options.append(Option(MeetConstraint(name, "mend"), words, (expect.why,), is_automatic=True))
    elif first.fault == "too many":
        options += [
            Option(
                MeetConstraint(name, f"drop {item.number}"),
                tr("Remove {name}, line {line}", name=item.name, line=item.line),
                (),
            )
            for item in first.objects
        ]
    options.append(Option(Choose(key, ""), tr("Leave it as it is"), (tr("write down why"),)))
    total = sum(max(1, len(item.objects)) for item in items)
    where = (
        tr("{fault} in {files}", fault=first.fault, files=count(len(items), "file"))
        if first.fault != "too many"
        else tr("{number} found", number=len(first.objects))
    )
    place = f"{first.file}:{first.line}" if first.line else first.file
    detail = ", ".join(item.file for item in items[:12])
    noun = tr("{total} times ", total=total) if first.fault in ("empty", "not allowed") and total > 1 else ""
    return Item(
        key, Stage.LINKS, f"{expect.title}: {noun}{where}", "own", place, detail, not first.can_mend, tuple(options)
    )


def _objects(
    scan: ProjectScan, rule: DataRule, decided: Mapping[str, Decision], troubles: dict[str, None], token: CancelToken
) -> dict[TreePath, tuple[Rewritten, ...]]:
    formats = own_formats(scan.profile.data)
    name = f"{scan.profile.digest} {rule!r}"
    found = {}
    for path in FirstFit([rule.files]).those(scan.paths):
        token.check()
        try:
            every = _read_once(scan, path, name, partial(find_rewrites, rule, path, formats=formats))
        except FormatError as error:
            troubles[str(error)] = None
            continue
        left = tuple(item for item in every if f"data:{rule.id}@{path}#{item.found.number}" not in decided)
        if left:
            found[path] = left
    return found


def _unmet(
    scan: ProjectScan, expect: Expect, troubles: dict[str, None], token: CancelToken
) -> Iterable[UnmetConstraint]:
    formats = own_formats(scan.profile.data)
    name = f"{scan.profile.digest} {expect!r}"
    for path in FirstFit([expect.files]).those(scan.paths):
        token.check()
        try:
            yield from _read_once(scan, path, name, partial(find_unmet, expect, path, formats=formats))
        except FernshaleError as error:
            troubles[error.message] = None


def _read_once(scan: ProjectScan, path: TreePath, name: str, find: Callable[[str], tuple[T, ...]]) -> tuple[T, ...]:
    content = scan.manifest.entries[path].content
    return found_once(scan.cache, (content, path, name), lambda: find(scan.read(path) or ""))


def found_once(cache: Cache, key: tuple[str, TreePath, str], find: Callable[[], tuple[T, ...]]) -> tuple[T, ...]:
    """The result of `find` for a file, cached by content, path and `name`, which identifies the rule."""
    return cache.get("data", key, find, lambda found: 1 + len(found))
