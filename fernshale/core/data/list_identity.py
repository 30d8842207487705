"""Find the field that identifies the entries of a list: present in every entry, and unique."""

from __future__ import annotations

from collections.abc import Sequence

from fernshale.core.data.tree import Node

_USUAL = ("id", "guid", "uuid", "key", "name", "path", "file", "ref", "title", "type")


def find_identity(lists: Sequence[Sequence[Node]], named: Sequence[str]) -> str | None:
    """Return the field that is present and unique in every map of each list; one of `named` first, then a usual name.

    None if there is none, or if the lists do not contain only maps.
    """
    nodes = [node for part in lists for node in part]
    if not nodes or any(node.kind != "map" for node in nodes):
        return None
    fields = [item.key for item in nodes[0].items if item.node.kind == "value"]
    ranked = sorted(fields, key=lambda field: (_rank(field, named), fields.index(field)))
    return next((field for field in ranked if all(_is_unique(part, field) for part in lists)), None)


def _rank(field: str, named: Sequence[str]) -> int:
    if field in named:
        return named.index(field) - len(named)
    word = field.lstrip("@").lower()
    return _USUAL.index(word) if word in _USUAL else len(_USUAL)


def _is_unique(nodes: Sequence[Node], field: str) -> bool:
    found = [node.find(field) for node in nodes]
    values = [item.node.canon_value for item in found if item is not None and item.node.kind == "value"]
    return len(values) == len(nodes) == len(set(values))


def has_usual_name(field: str) -> bool:
    """Return whether the field has one of the names that usually identify entries."""
    return field.lstrip("@").lower() in _USUAL
