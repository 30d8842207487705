"""Errors that were there before the upgrade: kept by file, code, message and symbol, and recognised again as lines move."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping, Sequence

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.build.causes import detailed_symbol
from fernshale.core.build.owners import Owned

# (file, code, message with its symbol)
ErrorKey = tuple[str, str, str]

_NUMBER = lazy_pattern(r"\d+")


def count_errors(diagnostics: Iterable[Owned]) -> dict[ErrorKey, int]:
    """How often each error occurs; errors that differ only in their line are counted together."""
    return dict(Counter(_key(item) for item in diagnostics if item.diagnostic.severity == "error"))


def split_known(
    diagnostics: Sequence[Owned], known: Mapping[ErrorKey, int]
) -> tuple[tuple[Owned, ...], tuple[Owned, ...]]:
    """(new ones, those that were there before). Of more errors of one kind than before, the last ones are new.

    A file that was moved keeps its errors if another of its name has them.
    """
    left = Counter(known)
    by_name: dict[ErrorKey, list[ErrorKey]] = {}
    for key in known:
        by_name.setdefault(_of_any_folder(key), []).append(key)
    new, before = [], []
    for item in diagnostics:
        key = _key(item)
        if item.diagnostic.severity == "error" and left[key] <= 0:
            key = next((other for other in by_name.get(_of_any_folder(key), ()) if left[other] > 0), key)
        if item.diagnostic.severity == "error" and left[key] > 0:
            left[key] -= 1
            before.append(item)
        else:
            new.append(item)
    return tuple(new), tuple(before)


def _key(item: Owned) -> ErrorKey:
    # Some tools write the same message for every missing name, and the name below it.
    message = " ".join(filter(None, (item.diagnostic.message, detailed_symbol(item.diagnostic)[0])))
    # Messages may have a line's number in them; the linker's have addresses.
    return item.place.file, item.diagnostic.code, _NUMBER.sub("#", message)


def _of_any_folder(key: ErrorKey) -> ErrorKey:
    file, code, message = key
    return file.rsplit("/", 1)[-1], code, message
