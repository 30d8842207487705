"""Merge three trees of settings: by key, and list entries by identity. The result is a plan of what to write.

The plan follows the local tree, so its order, comments and formatting stay; orders are never compared.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from fernshale.core.base.texts import tr
from fernshale.core.data.tree import DataDocument, KeyedNode, Node, NotKeyed
from fernshale.core.merge.keyed.list_keys import EntryKeys, entries_by_key
from fernshale.core.merge.line_merge import RegionKind, merge_tokens


@dataclass(frozen=True, slots=True)
class Clash:
    """An entry that both sides changed. `at` is its data path; None for a side that does not have it."""

    at: str
    base: KeyedNode | None
    mine: KeyedNode | None
    incoming: KeyedNode | None


@dataclass(frozen=True, slots=True)
class PlannedEntry:
    """An entry of the result: from `mine` (with the merge of its value, if merged), or new from `incoming`; with a `clash`, the
    decision selects either, or none."""

    mine: KeyedNode | None
    incoming: KeyedNode | None
    value: MergePlan | None = None
    clash: Clash | None = None


@dataclass(frozen=True, slots=True)
class MergePlan:
    """The result of a container (`entries`), or of a value `taken` from incoming; with neither, it is unchanged."""

    node: Node
    entries: tuple[PlannedEntry, ...] | None = None
    taken: Node | None = None


@dataclass(frozen=True, slots=True)
class Three:
    """The documents, and the identity of each list's entries (see `find_entry_keys`)."""

    base: DataDocument
    mine: DataDocument
    incoming: DataDocument
    entry_keys: EntryKeys


def make_plan(three: Three) -> MergePlan:
    """The merge of the roots."""
    return _merge_maps(three, three.base.root, three.mine.root, three.incoming.root, "")


def _merge_values(three: Three, base: Node | None, mine: Node, incoming: Node, at: str) -> MergePlan | None:
    """The merge of two versions of a value; None where they clash as a whole.

    Raises NotKeyed for a tag or an anchor that changed: it is not part of the value.
    """
    if len({node.mark for node in (base, mine, incoming) if node is not None and not node.mark.startswith("*")}) > 1:
        raise NotKeyed(tr("a tag or an anchor that changed"))
    if mine.canon == incoming.canon or (base is not None and incoming.canon == base.canon):
        return MergePlan(mine)
    if (
        base is not None
        and base.kind == "value"
        and base.canon_value in ("", "s")
        and "value" not in (mine.kind, incoming.kind)
    ):
        base = None  # an element that was empty
    if base is not None and _is_whole(base, mine, incoming):
        return (
            MergePlan(mine, taken=incoming)
            if mine.canon == base.canon and not _own_comments(three, base, mine)
            else None
        )
    if mine.kind != incoming.kind or mine.label != incoming.label or (base is not None and base.kind != mine.kind):
        return None
    if mine.kind == "map":
        if mine.fixed and {item.key for item in mine.items} != {item.key for item in incoming.items}:
            return None
        return _merge_maps(three, base, mine, incoming, at)
    if mine.kind == "list":
        return _merge_lists(three, base, mine, incoming, at)
    return None


def _is_whole(base: Node, mine: Node, incoming: Node) -> bool:
    """Return whether a change cannot be divided: values, or different kinds."""
    if not base.kind == mine.kind == incoming.kind:
        return True
    if mine.kind == "value":
        return True
    keys = [{item.key for item in node.items} for node in (base, mine, incoming)]
    return mine.fixed and not keys[0] == keys[1] == keys[2]


def _own_comments(three: Three, base: Node, mine: Node) -> bool:
    """Whether the local text of a value has comments the old one had not: taking the new one would lose them."""
    return bool(set(three.mine.comments(mine.span)) - set(three.base.comments(base.span)))


def _merge_maps(three: Three, base: Node | None, mine: Node, incoming: Node, at: str) -> MergePlan:
    keys = [
        (entries_by_key(node, at, three.entry_keys) or {}) if node is not None else {}
        for node in (base, mine, incoming)
    ]
    entries = _merge_keys(three, keys[0], keys[1], keys[2], at)
    order = list(entries)
    if mine.kind == "list" and _kept_order(keys[0], keys[1]) and not _kept_order(keys[0], keys[2]):
        order = _in_order_of(keys[2], order)
    return MergePlan(mine, tuple(entries[key] for key in order))


def _kept_order(base: Collection[str], now: Collection[str]) -> bool:
    """Whether the entries that a list had before are in the same order."""
    return [key for key in base if key in now] == [key for key in now if key in base]


def _in_order_of(incoming: Collection[str], order: Sequence[str]) -> list[str]:
    """Return the keys in the order of the new release; local keys keep their predecessor."""
    result = [key for key in incoming if key in order]
    for at, key in enumerate(order):
        if key not in incoming:
            before = order[at - 1] if at else None
            result.insert(result.index(before) + 1 if before in result else 0, key)
    return result


def _merge_keys(
    three: Three,
    base: Mapping[str, KeyedNode],
    mine: Mapping[str, KeyedNode],
    incoming: Mapping[str, KeyedNode],
    at: str,
) -> Mapping[str, PlannedEntry]:
    """Merge entries in local order; new ones follow the entry that precedes them in the new release."""
    entries: dict[str, PlannedEntry] = {}
    for key, item in mine.items():
        made = _merge_entry(three, base.get(key), item, incoming.get(key), f"{at}/{key}")
        if made is not None:
            entries[key] = made
    order = list(entries)
    before: str | None = None
    for key, item in incoming.items():
        if key not in mine:
            old = base.get(key)
            place = order.index(before) + 1 if before in order else 0
            if old is None:
                entries[key] = PlannedEntry(None, item)
                order.insert(place, key)
            elif item.node.canon != old.node.canon:
                entries[key] = PlannedEntry(None, None, None, Clash(f"{at}/{key}", old, None, item))
                order.insert(place, key)
        if key in entries:
            before = key
    return {key: entries[key] for key in order}


def _merge_entry(
    three: Three, old: KeyedNode | None, item: KeyedNode, new: KeyedNode | None, at: str
) -> PlannedEntry | None:
    """Merge a local entry; None if it is removed."""
    if new is None:
        if old is None:
            return PlannedEntry(item, None)
        if item.node.canon == old.node.canon and not _has_own_comments(three, old, item):
            return None
        return PlannedEntry(item, None, None, Clash(at, old, item, None))
    value = _merge_values(three, old.node if old else None, item.node, new.node, at)
    if value is None:
        return PlannedEntry(item, None, None, Clash(at, old, item, new))
    return PlannedEntry(item, None, value)


def _has_own_comments(three: Three, old: KeyedNode, item: KeyedNode) -> bool:
    spans = (old.lead[0], old.trail[1]), (item.lead[0], item.trail[1])
    return bool(set(three.mine.comments(spans[1])) - set(three.base.comments(spans[0])))


# -- lists


def _merge_lists(three: Three, base: Node | None, mine: Node, incoming: Node, at: str) -> MergePlan | None:
    if three.entry_keys.get(at) is not None:
        return _merge_maps(three, base, mine, incoming, at)
    return _merge_sequence(base, mine, incoming)


def _merge_sequence(base: Node | None, mine: Node, incoming: Node) -> MergePlan | None:
    """Merge entries without identity like lines of a text; None if both sides changed one place."""
    sides = [
        [repr(item.node.canon) for item in node.items] if node is not None else [] for node in (base, mine, incoming)
    ]
    entries: list[PlannedEntry] = []
    for region in merge_tokens(sides[0], sides[1], sides[2]):
        if region.kind is RegionKind.DECIDE:
            return None
        if region.kind is RegionKind.INCOMING:
            entries += [PlannedEntry(None, item) for item in incoming.items[slice(*region.incoming)]]
        else:
            entries += [PlannedEntry(item, None) for item in mine.items[slice(*region.mine)]]
    return MergePlan(mine, tuple(entries))
