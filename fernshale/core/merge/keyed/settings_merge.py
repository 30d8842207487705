"""The keyed merge of one settings file. The result always parses: otherwise the file is merged by lines."""

from __future__ import annotations

import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.textfile import TextFile
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.data.formats import FormatReader, find_reader
from fernshale.core.data.tree import DataDocument, KeyedNode, Node, NotKeyed
from fernshale.core.merge.align import align_lines, equal_lines
from fernshale.core.merge.keyed.list_keys import VALUE, EntryKeys, entries_by_key, find_entry_keys
from fernshale.core.merge.keyed.plan import Clash, MergePlan, Three, make_plan
from fernshale.core.merge.keyed.plan_writer import Writer
from fernshale.core.merge.ledger import Fate
from fernshale.core.merge.line_merge import RegionKind
from fernshale.core.merge.text_merge import Conflict, Resolution, Taking, Undecided, WovenLine, fingerprint
from fernshale.core.merge.text_style import can_encode, one_encoding, read_lines

_LARGEST = 4 << 20
_NOWHERE = (0, 0)


@dataclass(frozen=True, slots=True)
class Identities:
    """The profile's keyed files: globs in order, each with the fields that identify list entries."""

    rules: tuple[tuple[tuple[str, ...], tuple[str, ...]], ...] = ()

    def fields(self, path: str) -> tuple[str, ...]:
        at = FirstFit([globs for globs, _ in self.rules]).find(path)
        return () if at is None else self.rules[at][1]


@dataclass(frozen=True)
class KeyedMerge:
    """The merge of a settings file by its keys."""

    three: Three
    plan: MergePlan
    conflicts: Mapping[str, tuple[Conflict, Clash]]
    local: TextFile
    read: FormatReader

    @property
    def decisions(self) -> tuple[Conflict, ...]:
        return tuple(conflict for conflict, _ in self.conflicts.values())

    def text(self, choices: Mapping[str, Resolution]) -> str:
        """The result; undecided entries keep the user's value."""
        ids = {clash.at: conflict.id for conflict, clash in self.conflicts.values()}

        def decide(clash: Clash) -> tuple[str, str]:
            choice = choices.get(ids[clash.at], Resolution("mine"))
            return choice.take, choice.text.rstrip("\n")

        three = self.three
        start, end = three.mine.root.span
        written = Writer(three.base, three.mine, three.incoming, decide).write(self.plan)
        return three.mine.text[:start] + written + three.mine.text[end:]

    def result(self, choices: Mapping[str, Resolution], undecided: Undecided) -> TextFile | None:
        """Return the result. A settings file never contains conflict markers, since it must parse.

        Raises FernshaleError when a value written by hand does not fit.
        """
        if undecided == "nothing" and any(id not in choices for id in self.conflicts):
            return None
        text = self.text(choices)
        try:
            self.read(text)
        except NotKeyed as error:
            raise FernshaleError(
                tr("a value written by hand breaks the file: {error}", error=error),
                tr("Withdraw the decision and write it again."),
            ) from error
        return self.local.with_text(text)

    def weave(self, choices: Mapping[str, Resolution]) -> tuple[WovenLine, ...]:
        """The result line by line, a decision in front of the line it is about."""
        now = self.read(self.text(choices))
        lines = read_lines(now.text).lines
        sources = _sources(lines, *(read_lines(side.text).lines for side in (self.three.base, self.three.mine)))
        places: dict[int, list[str]] = {}
        for id, (_, clash) in self.conflicts.items():
            places.setdefault(_place(now, clash.at, self.three.entry_keys), []).append(id)
        woven: list[WovenLine] = []
        for number, line in enumerate(lines):
            for id in places.pop(number, ()):
                kind = RegionKind.MINE if id in choices else RegionKind.DECIDE
                woven.append(WovenLine("", kind, id, False))
            woven.append(WovenLine(line, sources[number]))
        woven += [WovenLine("", RegionKind.DECIDE, id, False) for ids in places.values() for id in ids]
        return tuple(woven)

    def versions(self, conflict: Conflict) -> tuple[str | None, str | None, str | None]:
        """Return the entry of a decision in the base, in the local file and in the vendor's."""
        sides = _sides(self.three, self.conflicts[conflict.id][1])
        before, mine, incoming = (side.cut(item.body) if item is not None else None for side, item in sides)
        return before, mine, incoming

    def value(self, conflict: Conflict) -> str:
        """The local value a decision is about, to be edited by hand."""
        item = self.conflicts[conflict.id][1].mine
        return self.three.mine.cut(item.node.span) if item is not None else ""

    # -- the ledger

    def find_edits(
        self, now: TextFile, choices: Mapping[str, Resolution]
    ) -> Iterator[tuple[str, str, Fate | None, str, str]]:
        """Yield each local edit as found in the text `now`: lines, description, fate (None: lost), current line, reason."""
        document, entry_keys = self.read(now.text), self.three.entry_keys
        for at, old, item in self.edits:
            where = f"{self.three.mine.line(item.body[0]) + 1}" if item is not None else ""
            what = _what(self.three, at, old, item)
            conflict = self.asked(at)
            here = _follow(document.root, at, entry_keys)
            line = f"{document.line(here.body[0]) + 1}" if here is not None else ""
            if conflict is not None and conflict.id not in choices:
                yield where, what, "decide", line, tr("both changed this value")
            elif _is_kept(item, here, at, entry_keys):
                if _is_kept(item, _follow(self.three.incoming.root, at, entry_keys), at, entry_keys):
                    yield where, what, "already", line, tr("the new release has the same")
                else:
                    yield where, what, "carried", line, tr("kept by decision") if conflict else tr("merged by key")
            elif conflict is not None:
                yield where, what, "dropped", "", tr("given up by decision: {take}", take=choices[conflict.id].take)
            else:
                yield where, what, None, "", ""
        yield from self._comment_edits(document)

    @cached_property
    def edits(self) -> tuple[tuple[str, KeyedNode | None, KeyedNode | None], ...]:
        """Yield the local edits: the entry's data path, its value before and after."""
        return tuple(_differences(self.three.base.root, self.three.mine.root, "", self.three.entry_keys))

    def asked(self, at: str) -> Conflict | None:
        """The conflict that an entry belongs to, or one inside it or around it."""
        for conflict, clash in self.conflicts.values():
            if at == clash.at or at.startswith(clash.at + "/") or clash.at.startswith(at + "/"):
                return conflict
        return None

    def _comment_edits(self, now: DataDocument) -> Iterator[tuple[str, str, Fate | None, str, str]]:
        sides = [side.comments((0, len(side.text))) for side in (self.three.base, self.three.mine, now)]
        stands = now.text.split("\n")
        for comment in dict.fromkeys(sides[1]):
            if comment not in sides[0]:
                at = next((n for n, line in enumerate(self.three.mine.text.split("\n")) if line.strip() == comment), 0)
                line = next((n for n, text in enumerate(stands) if text.strip() == comment), 0)
                fate: Fate | None = "carried" if comment in sides[2] else None
                yield (
                    str(at + 1),
                    tr("comment: {comment}", comment=comment[:60]),
                    fate,
                    str(line + 1),
                    tr("comments of the local file stay"),
                )


def merge_keyed(
    path: TreePath, base: TextFile, mine: TextFile, incoming: TextFile, identities: Identities
) -> KeyedMerge | None:
    """The merge by key; None where the file has no keys, one version is broken, or the result would not be sound."""
    read = find_reader(path, mine.text)
    if read is None or max(len(text.text) for text in (base, mine, incoming)) > _LARGEST:
        return None
    old, local, new = one_encoding(base, mine, incoming)
    try:
        sides = read(old.text or _empty(mine)), read(local.text), read(new.text)
        entry_keys = find_entry_keys([side.root for side in sides], identities.fields(path))
        three = Three(*sides, entry_keys)
        plan = make_plan(three)
        merge = KeyedMerge(three, plan, _conflicts(three, plan), local, read)
        _check(merge)
    except NotKeyed:
        return None
    return merge


def _empty(mine: TextFile) -> str:
    """An empty file of the kind of another."""
    start = mine.text.lstrip("\ufeff \t\r\n")[:1]
    if start == "<":
        raise NotKeyed(tr("no old version"))
    return "{}" if start == "{" else "[]" if start == "[" and "\n[" not in mine.text else ""


def _check(merge: KeyedMerge) -> None:
    """Raises NotKeyed unless each outcome parses, and has every change of both sides that is not to be decided."""
    three = merge.three
    theirs = list(_differences(three.base.root, three.incoming.root, "", three.entry_keys))
    takes: tuple[Taking, ...] = ("mine", "incoming", "base") if merge.conflicts else ("mine",)
    for take in takes:
        choices = {id: Resolution(take) for id in merge.conflicts}
        text = merge.text(choices)
        found = merge.read(text)
        if three.mine.format == "json" and _is_strict_json(merge.local.text) and not _is_strict_json(text):
            raise NotKeyed(tr("a comment would come into a file that has none"))
        if not can_encode(merge.local.with_text(text)):
            raise NotKeyed(tr("letters the file's encoding does not have"))
        for at, _, item in (*merge.edits, *theirs):
            if merge.asked(at) is None and not _is_kept(
                item, _follow(found.root, at, three.entry_keys), at, three.entry_keys
            ):
                raise NotKeyed(tr("a change would be lost: {at}", at=at))


def _is_strict_json(text: str) -> bool:
    try:
        json.loads(text)
    except (ValueError, RecursionError):
        return False
    return True


def _is_kept(item: KeyedNode | None, found: KeyedNode | None, at: str, entry_keys: EntryKeys) -> bool:
    """Whether a change, of an entry to `item` or its removal, is there."""
    if item is None or found is None:
        return item is None and found is None
    return _holds(item.node, found.node, at, entry_keys)


def _sides(three: Three, clash: Clash) -> tuple[tuple[DataDocument, KeyedNode | None], ...]:
    """A clash's entry on each side, with the document it is in."""
    return (three.base, clash.base), (three.mine, clash.mine), (three.incoming, clash.incoming)


def _conflicts(three: Three, plan: MergePlan) -> dict[str, tuple[Conflict, Clash]]:
    conflicts: dict[str, tuple[Conflict, Clash]] = {}
    for clash in _clashes(plan):
        sides = _sides(three, clash)
        id = fingerprint(clash.at, *(side.cut(item.body) if item is not None else "" for side, item in sides))
        spans = [
            (side.line(item.body[0]), side.line(item.body[1]) + 1) if item is not None else _NOWHERE
            for side, item in sides
        ]
        options: tuple[Taking, ...] = (
            "mine",
            "incoming",
            *(("base",) if clash.base else ()),
            *(("text",) if clash.mine else ()),
        )
        conflicts[id] = (Conflict(id, "key", spans[0], spans[1], spans[2], options, None, clash.at), clash)
    return conflicts


def _clashes(plan: MergePlan) -> Iterator[Clash]:
    for entry in plan.entries or ():
        if entry.clash is not None:
            yield entry.clash
        elif entry.value is not None:
            yield from _clashes(entry.value)


def _differences(
    base: Node, mine: Node, at: str, entry_keys: EntryKeys
) -> Iterator[tuple[str, KeyedNode | None, KeyedNode | None]]:
    """Yield the smallest entries in which two trees differ, with their data paths."""
    olds, ours = entries_by_key(base, at, entry_keys) or {}, entries_by_key(mine, at, entry_keys) or {}
    for key in {**ours, **olds}:
        place, old, item = f"{at}/{key}", olds.get(key), ours.get(key)
        if old is None or item is None:
            yield place, old, item
        elif old.node.canon != item.node.canon:
            if old.node.kind == item.node.kind and None not in (
                entries_by_key(old.node, place, entry_keys),
                entries_by_key(item.node, place, entry_keys),
            ):
                yield from _differences(old.node, item.node, place, entry_keys)
            else:
                yield place, old, item


def _follow(root: Node, at: str, entry_keys: EntryKeys) -> KeyedNode | None:
    node, item, place = root, None, ""
    for step in at.split("/")[1:]:
        item = (entries_by_key(node, place, entry_keys) or {}).get(step)
        if item is None:
            return None
        node, place = item.node, f"{place}/{step}"
    return item


def _place(now: DataDocument, at: str, entry_keys: EntryKeys) -> int:
    """The line of an entry, or of the one that would hold it."""
    steps = at.split("/")
    while len(steps) > 1:
        item = _follow(now.root, "/".join(steps), entry_keys)
        if item is not None:
            return now.line(item.body[0])
        steps.pop()
    return 0


def _holds(wanted: Node, found: Node, at: str, entry_keys: EntryKeys) -> bool:
    """Return whether a value contains everything of another."""
    if wanted.canon == found.canon:
        return True
    if wanted.kind != found.kind:
        return False
    ours, theirs = entries_by_key(wanted, at, entry_keys), entries_by_key(found, at, entry_keys)
    if ours is None or theirs is None:
        return False
    return all(
        key in theirs and _holds(item.node, theirs[key].node, f"{at}/{key}", entry_keys) for key, item in ours.items()
    )


def _what(three: Three, at: str, old: KeyedNode | None, item: KeyedNode | None) -> str:
    name = at.lstrip("/")
    above = at.rpartition("/")[0]
    if three.entry_keys.get(above) == VALUE:
        entry = three.mine.cut(item.body) if item is not None else three.base.cut(old.body) if old is not None else ""
        return f"{above.lstrip('/')}: {entry} {'added' if item is not None else 'removed'}"
    if item is None:
        return tr("{name} removed", name=name)
    value = " ".join(three.mine.cut(item.node.span).split())
    if old is None:
        return tr("{name} added: {value}", name=name, value=value[:60])
    before = " ".join(three.base.cut(old.node.span).split())
    return f"{name}: {before[:40]} → {value[:40]}"


def _sources(lines: Sequence[str], base: Sequence[str], mine: Sequence[str]) -> list[RegionKind]:
    """Return the source of each line of the result: the vendor if it is not in mine, mine if it is not in the base."""
    old = set(equal_lines(align_lines(base, mine), len(base)).values())
    sources = [RegionKind.INCOMING] * len(lines)
    for line, place in equal_lines(align_lines(mine, lines), len(mine)).items():
        sources[place] = RegionKind.SAME if line in old else RegionKind.MINE
    return sources
