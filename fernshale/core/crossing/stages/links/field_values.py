"""Proposed values for a field that must not be empty: its value before the crossing, and the values of similar objects."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import partial

from fernshale.core.base.confidence import FORMER_VALUE, REMOVED_VALUE
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.textfile import read_text
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.stages.links.data_rules import found_once, key_of
from fernshale.core.crossing.stages.links.reference_index import Linkage
from fernshale.core.data.formats import Formats
from fernshale.core.data.objects import Found
from fernshale.core.links.constraints import UnmetConstraint, objects_of
from fernshale.core.links.reference_reader import own_formats
from fernshale.core.profile.model import Expect
from fernshale.core.snapshot.manifest import EMPTY, Manifest
from fernshale.core.snapshot.store import Store

_MAX_FILLINGS = 3


@dataclass(frozen=True, slots=True)
class Filling:
    """A value for the field, how likely it is meant (0 to 1), and why."""

    value: str
    score: float
    evidence: tuple[str, ...]


def find_fillings(
    scan: ProjectScan,
    store: Store,
    start: str | None,
    linkage: Linkage,
    unmet: Iterable[UnmetConstraint],
    token: CancelToken,
) -> dict[str, tuple[Filling, ...]]:
    """For each empty field without a default, by the key of its item: values, the likeliest first. Raises Cancelled."""
    formats = own_formats(scan.profile.data)
    before = store.manifest(start) if start else EMPTY
    groups: dict[str, list[UnmetConstraint]] = defaultdict(list)
    for item in unmet:
        if item.fault in ("empty", "not allowed") and not item.can_mend:
            groups[key_of(item)].append(item)
    successors = {item.id: item.candidates[0].id for item in linkage.missing if item.candidates}
    found = {}
    likes: dict[str, Sequence[Filling]] = {}
    for key, items in groups.items():
        expect = items[0].expect
        if expect.id not in likes:  # one pass through all files for all objects that lack a value
            likes[expect.id] = _of_its_like(scan, expect, formats, token)
        told: dict[str, Filling] = {}
        held = [value for item in items for value in _held(scan, item, before, store, formats)]
        if held and len(set(held)) == 1:
            was = held[0]
            now = successors.get(was, was)
            words = tr("it held this before the crossing")
            if now != was:
                words = tr("it held {was} before the crossing, which is called this now", was=was)
            told[now] = Filling(now, FORMER_VALUE if now == was else REMOVED_VALUE, (words,))
        for other in likes[expect.id]:
            told.setdefault(other.value, other)
        allowed = [item for item in told.values() if not expect.values or item.value in expect.values]
        ranked = sorted(allowed, key=lambda item: (-item.score, item.value))
        if ranked:
            found[key] = tuple(ranked[:_MAX_FILLINGS])
    return found


def _held(scan: ProjectScan, item: UnmetConstraint, before: Manifest, store: Store, formats: Formats) -> Iterator[str]:
    """The old values of that field of the objects, matched by their other fields, else by their number."""
    entry = before.files.get(item.file)
    if entry is None:
        return
    name = f"{scan.profile.digest} before {item.expect!r}"
    then = found_once(
        scan.cache, (entry.content, item.file, name), partial(_objects_of, item, entry.content, store, formats)
    )
    for each in item.objects:
        same = [old for old in then if _others(old.fields, item.expect) == _others(each.fields, item.expect)]
        same = same if len(same) == 1 else [old for old in then if old.number == each.number]
        if same and (value := same[0].fields.get(item.expect.field)) not in ("", None):
            yield str(value)


def _objects_of(item: UnmetConstraint, content: str, store: Store, formats: Formats) -> tuple[Found, ...]:
    try:
        text = read_text(store.get(content))
        return objects_of(item.expect, item.file, text.text, formats) if text is not None else ()
    except FernshaleError:
        return ()  # damaged, or invalid even then: no evidence


def _others(fields: Mapping[str, object], expect: Expect) -> dict[str, object]:
    return {name: value for name, value in fields.items() if name != expect.field}


def _of_its_like(scan: ProjectScan, expect: Expect, formats: Formats, token: CancelToken) -> Sequence[Filling]:
    """The values in that field of other objects of the same kind, in all files of the rule."""
    counts: Counter[str] = Counter()
    name = f"{scan.profile.digest} values {expect!r}"
    for path in FirstFit([expect.files]).those(scan.paths):
        token.check()
        try:
            content = scan.manifest.entries[path].content
            counts.update(found_once(scan.cache, (content, path, name), partial(_values, scan, expect, path, formats)))
        except FernshaleError:
            continue  # the scan itself reports a file that cannot be read
    total = counts.total()
    return [
        Filling(
            value,
            0.6 * number / total,
            (tr("{number} of {others} hold it", number=number, others=count(total, "other")),),
        )
        for value, number in counts.most_common(_MAX_FILLINGS + len(expect.values))
    ]


def _values(scan: ProjectScan, expect: Expect, path: TreePath, formats: Formats) -> tuple[str, ...]:
    held = (each.fields.get(expect.field) for each in objects_of(expect, path, scan.read(path) or "", formats))
    return tuple(str(value) for value in held if value not in ("", None))
