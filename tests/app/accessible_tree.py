"""The accessibility tree of a widget, as a screen reader walks it."""

from __future__ import annotations

import itertools
from collections.abc import Iterator

from PySide6.QtCore import QObject
from PySide6.QtGui import QAccessible, QAccessibleInterface

_MOST = 6000


def shown_below(top: QObject) -> list[QAccessibleInterface]:
    """What the tree below a widget has on the screen."""
    every = itertools.islice(_walk(QAccessible.queryAccessibleInterface(top)), _MOST)
    return [item for item in every if not item.state().invisible]


def _walk(found: QAccessibleInterface) -> Iterator[QAccessibleInterface]:
    yield found
    for number in range(found.childCount()):
        inner = found.child(number)
        if inner is not None and inner.isValid():
            yield from _walk(inner)
