"""Find the identity of list entries: a field that is present in every entry, and unique."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from fernshale.core.data.list_identity import find_identity, has_usual_name
from fernshale.core.data.tree import KeyedNode, Node

VALUE = "="
# The identity of list entries: a field, or VALUE for plain values without duplicates; for entries with labels, one for each
# label, "" if the label alone is unique. None if there is no identity.
EntryKey = str | Mapping[str, str] | None
# The identity for each list, by its data path.
EntryKeys = Mapping[str, EntryKey]


def find_entry_keys(roots: Sequence[Node], named: Sequence[str]) -> dict[str, EntryKey]:
    """Return the identity for each list in several versions of a tree; it must be unique in all versions that have the list."""
    entry_keys: dict[str, EntryKey] = {}
    _find_entry_keys(list(roots), "", named, entry_keys)
    return entry_keys


def _find_entry_keys(nodes: Sequence[Node], at: str, named: Sequence[str], entry_keys: dict[str, EntryKey]) -> None:
    lists = [[item.node for item in node.items] for node in nodes if node.kind == "list"]
    if lists:
        parts = [part for part in lists if part]
        if any(node.label for part in parts for node in part):
            entry_keys[at] = _labels(parts, named)
        else:
            field = find_identity(parts, named)
            entry_keys[at] = VALUE if field is None and all(_is_set(part) for part in parts) else field
    children: dict[str, list[Node]] = {}
    for node in nodes:
        for key, item in (entries_by_key(node, at, entry_keys) or {}).items():
            children.setdefault(key, []).append(item.node)
    for key, found in children.items():
        if any(node.items for node in found):
            _find_entry_keys(found, f"{at}/{key}", named, entry_keys)


def entries_by_key(node: Node, at: str, entry_keys: EntryKeys) -> dict[str, KeyedNode] | None:
    """Return the entries of a container by identity, as a step of their data path; None without one."""
    if node.kind == "map":
        return {_step(item.key): item for item in node.items}
    entry_key = entry_keys.get(at)
    if node.kind == "value" or entry_key is None:
        return None
    found = {}
    for item in node.items:
        key = _key(item.node, entry_key)
        if key is None:
            return None
        found[_step(key)] = item
    return found


def _key(node: Node, entry_key: str | Mapping[str, str]) -> str | None:
    """Return an entry's key by the given identity."""
    if isinstance(entry_key, str):
        if entry_key == VALUE:
            return str(node.canon_value)
        value = node.find(entry_key)
        return None if value is None else f"{entry_key}={_shown(value.node)}"
    field = entry_key.get(node.label)
    if not field:
        return None if field is None else f"<{node.label}>"
    part = node.find("content" if field == VALUE else "@")
    value = part if field == VALUE else part.node.find(field) if part is not None else None
    if value is None:
        return None
    return f"<{node.label}>{_shown(value.node)}" if field == VALUE else f"<{node.label} {field}={_shown(value.node)}>"


def _labels(parts: Sequence[Sequence[Node]], named: Sequence[str]) -> EntryKey:
    """Return the identity for each label: the label alone, an attribute, or the text."""
    found: dict[str, str] = {}
    for label in dict.fromkeys(node.label for part in parts for node in part):
        groups = [group for part in parts if (group := [node for node in part if node.label == label])]
        attributes = [[part.node for node in group if (part := node.find("@")) is not None] for group in groups]
        texts = [[part.node for node in group if (part := node.find("content")) is not None] for group in groups]
        field = find_identity(attributes, named)
        if field is not None and (field in named or has_usual_name(field)):
            found[label] = field
        elif all(len(group) == 1 for group in groups):
            found[label] = ""
        elif field is not None:
            found[label] = field
        elif all(len(inner) == len(group) and _is_set(inner) for inner, group in zip(texts, groups, strict=True)):
            found[label] = VALUE
        else:
            return None
    return found


def _shown(node: Node) -> str:
    return node.canon_value.removeprefix("s")


def _is_set(part: Sequence[Node]) -> bool:
    """Whether the entries are plain values without a double."""
    values = [node.canon_value for node in part if node.kind == "value"]
    return len(set(values)) == len(part)


def _step(key: str) -> str:
    return key.replace("~", "~0").replace("/", "~1")
