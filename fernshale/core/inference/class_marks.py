"""Derive marks that derived classes need now: all examples of the new release have them, and none of the old one."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from pathlib import Path

from fernshale.core.base.confidence import MARK_OF_EXAMPLES
from fernshale.core.base.texts import english
from fernshale.core.drift.release_symbols import read_bytes
from fernshale.core.fix.class_marks import CLASS, MarkedClass, marked_classes
from fernshale.core.fix.rules import MarkRule, Where
from fernshale.core.inference.example_folders import example_files

# So many classes of a kind have to agree.
_MIN_CLASSES = 2


def mark_rules(before: Path, after: Path) -> Iterator[MarkRule]:
    """Yield a rule for each mark that all classes of a kind have in the new release's examples, and none in the old one's."""
    old, new = _examples(before), _examples(after)
    for (base, language), classes in new.items():
        earlier = old.get((base, language), ())
        if len(classes) < _MIN_CLASSES or not earlier:
            continue
        had = frozenset().union(*(item.marks for item in earlier))
        for mark in sorted(frozenset.intersection(*(item.marks for item in classes)) - had):
            why = english(
                "all {number} of the new release's examples that derive from {base} have it, and none had it before",
                number=len(classes),
                base=base,
            )
            title = english(
                "{replace} at classes derived from {base}", replace=mark.replace(CLASS, "its name"), base=base
            )
            yield MarkRule(
                f"drift-mark-{base}-{mark}", why, title=title, base=base, text=mark,
                silent=True, where=Where(languages=(language,)), confidence=MARK_OF_EXAMPLES,
            )  # fmt: skip


@lru_cache(maxsize=16)
def _examples(folder: Path) -> Mapping[tuple[str, str], Sequence[MarkedClass]]:
    """The classes of a release's examples by base and ending; cached, since a release does not change."""
    found: dict[tuple[str, str], list[MarkedClass]] = defaultdict(list)
    for path in example_files(folder):
        text = read_bytes(f"{folder}/{path}").decode("utf-8", "replace")
        for item in marked_classes(text, path):
            for base in item.bases:
                found[base, path[path.rfind(".") + 1 :]].append(item)
    return found
