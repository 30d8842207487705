"""Values worked out once and kept while there is room: the cache of an open project."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar, cast

T = TypeVar("T")

# The weight of all that is kept; a value weighs about as many as the files, objects or lines that it holds.
MAX_WEIGHT = 4_000_000


class Cache:
    """Values by topic and key. Beyond `max_weight` those go that were not asked for the longest. Safe for several threads."""

    def __init__(self, max_weight: int = MAX_WEIGHT) -> None:
        self._max_weight = max_weight
        self._weight = 0
        self._kept: OrderedDict[tuple[str, Hashable], tuple[Any, int]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, topic: str, key: Hashable, make: Callable[[], T], weight: Callable[[T], int] | None = None) -> T:
        """The value of a key, made where it is not kept. What `make` raises is raised, and nothing is kept."""
        kept = self.find(topic, key, make)
        if kept is not None:
            return kept
        value = make()
        self.put(topic, key, value, weight(value) if weight is not None else 1)
        return value

    def find(self, topic: str, key: Hashable, like: Callable[[], T] | None = None) -> T | None:
        """The value of a key, None where it is not kept. `like` says of what type it is."""
        with self._lock:
            found = self._kept.get((topic, key))
            if found is None:
                return None
            self._kept.move_to_end((topic, key))
            return cast(T, found[0])

    def put(self, topic: str, key: Hashable, value: object, weight: int = 1) -> None:
        """Keep a value, in place of the one that was kept under the key. One that weighs too much alone is not kept."""
        with self._lock:
            _, before = self._kept.pop((topic, key), (None, 0))
            self._weight -= before
            if weight > self._max_weight:
                return
            self._kept[topic, key] = value, weight
            self._weight += weight
            while self._weight > self._max_weight:
                _, (_, gone) = self._kept.popitem(last=False)
                self._weight -= gone

    def clear(self) -> None:
        """Keep nothing."""
        with self._lock:
            self._kept.clear()
            self._weight = 0
