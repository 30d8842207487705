"""Remove one entry from a settings file; everything else stays byte for byte."""

from __future__ import annotations

from collections.abc import Sequence

from fernshale.core.base.texts import tr
from fernshale.core.data.formats import find_reader
from fernshale.core.data.tree import DataDocument, KeyedNode, NotKeyed
from fernshale.core.merge.keyed.plan import Clash, MergePlan, PlannedEntry
from fernshale.core.merge.keyed.plan_writer import Writer


def without_entry(path: str, text: str, steps: Sequence[str], words: str) -> str | None:
    """Return `text` without the entry of the list at `steps` with the value `words`; None if there is none.

    Raises NotKeyed for a file that has no keys or is broken.
    """
    read = find_reader(path, text)
    if read is None:
        raise NotKeyed(tr("{path} has no keys that could be followed", path=path))
    document = read(text)
    chain: list[KeyedNode] = []
    node = document.root
    for step in steps:
        item = node.find(step) or node.find(f"[{step}]")
        if item is None:
            return None
        chain.append(item)
        node = item.node
    rest = tuple(PlannedEntry(item, None) for item in node.items if item.node.canon_value.removeprefix("s") != words)
    if node.kind != "list" or len(rest) == len(node.items):
        return None
    plan = MergePlan(node, rest)
    for at in range(len(chain) - 1, -1, -1):
        above = chain[at - 1].node if at else document.root
        plan = MergePlan(
            above, tuple(PlannedEntry(item, None, plan if item is chain[at] else None) for item in above.items)
        )
    return _written(document, plan)


def _written(document: DataDocument, plan: MergePlan) -> str:
    def decide(_clash: Clash) -> tuple[str, str]:
        raise AssertionError("nothing clashes with itself")

    start, end = document.root.span
    written = Writer(document, document, document, decide).write(plan)
    return document.text[:start] + written + document.text[end:]
