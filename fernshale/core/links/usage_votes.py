"""Votes of other files about an id: files that used it before and use another one in its place now."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from difflib import SequenceMatcher

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.links.index import Use
from fernshale.core.links.reference_reader import Reference
from fernshale.core.links.targets import LinkSide

# The word directly before a place, separated only by punctuation; else the key of the enclosing list.
_BEFORE = lazy_pattern(r"""([A-Za-z_@$][\w.-]*)["']?[\s:=>(@#&*]*["'\[{(]*$""")
_KEY = lazy_pattern(r"""([A-Za-z_@$][\w.-]*)["']?\s*[:=]""")
_TAG = lazy_pattern(r"<([\w:.-]+)[^<>]*>?\s*$")
# Keys that only announce an id; the key before them is its purpose.
_BARE = frozenset(
    {"id", "guid", "uuid", "uid", "ref", "href", "uri", "path", "file", "src", "source", "key", "asset", "value"}
)
_CONTEXT = 240


@dataclass(frozen=True, slots=True)
class Votes:
    """For each id: how often another one replaces it now, by slot. `files` counts the files."""

    of: Mapping[str, Counter[tuple[str, str]]] = field(default_factory=dict)
    example: Mapping[tuple[str, str], TreePath] = field(default_factory=dict)

    def total(self, id: str) -> Counter[str]:
        """Return how often each other id replaced `id`."""
        found: Counter[str] = Counter()
        for (_, other), count in self.of.get(id, Counter()).items():
            found[other] += count
        return found

    def in_slot(self, id: str, slot: str) -> Counter[str]:
        return Counter({other: count for (place, other), count in self.of.get(id, Counter()).items() if place == slot})


def slot_of(text: str, mark: Reference) -> str:
    """Return the purpose of a use: the key or word before it, with the enclosing element, or with the key before if its own key
    is not specific."""
    line = text.rfind("\n", 0, mark.start) + 1
    near = text[max(line, mark.start - _CONTEXT) : mark.start]
    if not near.strip(" \t\"'-[{(,"):
        near = text[max(0, mark.start - _CONTEXT) : mark.start].rstrip(" \t\r\n\"'-")
    before = _BEFORE.search(near)
    keys = _KEY.findall(near)
    last = before[1] if before else keys[-1] if keys else ""
    tag = _TAG.search(near)
    if tag is not None:
        return tag[1] if tag[1] == last else f"{tag[1]} {last}"
    if last.lower().lstrip("@$_") in _BARE:
        others = keys[:-1] if keys and keys[-1] == last else keys
        return f"{others[-1]} {last}" if others else last
    return last


def slots_of(side: LinkSide, uses: Sequence[Use]) -> dict[Use, str]:
    """The slot of each use; files are read once each."""
    texts: dict[TreePath, str] = {}
    found = {}
    for use in uses:
        if use.file not in texts:
            texts[use.file] = side.text(use.file) or ""
        rule = side.index.rules.all[use.mark.rule]
        found[use] = rule.kind or (
            slot_of(texts[use.file], use.mark) if use.line else tr("rule {rule}", rule=use.mark.rule)
        )
    return found


def count_votes(before: LinkSide, now: LinkSide, gone: Collection[str], files: Mapping[TreePath, TreePath]) -> Votes:
    """Count the votes of files that used one of `gone` before. `files` maps moved files to their new paths."""
    voting: dict[TreePath, None] = {}
    for id in gone:
        voting.update(dict.fromkeys(before.index.users(id)))
    of: dict[str, Counter[tuple[str, str]]] = {}
    example: dict[tuple[str, str], TreePath] = {}
    for path in voting:
        here = files.get(path, path)
        old, new = before.index.files.get(path), now.index.files.get(here)
        if old is None or new is None:
            continue
        pairs = [pair for pair in _replaced(old.used, new.used) if pair[0].id in gone and pair[1].id not in gone]
        if not pairs:
            continue
        slots = slots_of(now, [Use(here, mark) for _, mark in pairs])
        for was, mark in pairs:
            of.setdefault(was.id, Counter())[slots[Use(here, mark)], mark.id] += 1
            example.setdefault((was.id, mark.id), here)
    return Votes(of, example)


def _replaced(old: Sequence[Reference], new: Sequence[Reference]) -> list[tuple[Reference, Reference]]:
    """Yield marks that replaced each other: runs of the same length between unchanged ids."""
    matcher = SequenceMatcher(None, [mark.id for mark in old], [mark.id for mark in new], autojunk=False)
    found = []
    for tag, start, end, first, last in matcher.get_opcodes():
        if tag == "replace" and end - start == last - first:
            pairs = zip(old[start:end], new[first:last], strict=True)
            found += [(was, is_) for was, is_ in pairs if was.rule == is_.rule]
    return found
