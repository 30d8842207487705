"""The cache of an open project: computed values, kept up to a total weight."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Any, TypeVar, cast

T = TypeVar("T")

# The weight of all that is kept; a value weighs about as many as the files, objects or lines that it holds.
MAX_WEIGHT = 4_000_000


class Cache:
    """Values by topic and key. Above `max_weight`, the least recently used ones are removed. Thread-safe."""

    def __init__(self, max_weight: int = MAX_WEIGHT) -> None:
        self._max_weight = max_weight
        self._weight = 0
        self._kept: OrderedDict[tuple[str, Hashable], tuple[Any, int]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, topic: str, key: Hashable, make: Callable[[], T], weight: Callable[[T], int] | None = None) -> T:
        """Return the value of a key; call `make` if it is not cached. An exception from `make` is passed on, and nothing is
        stored."""
        kept = self.find(topic, key, make)
        if kept is not None:
            return kept
        value = make()
        self.put(topic, key, value, weight(value) if weight is not None else 1)
        return value

    def find(self, topic: str, key: Hashable, like: Callable[[], T] | None = None) -> T | None:
        """Return the value of a key, or None if it is not cached. `like` only declares its type."""
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
        """Remove everything."""
        with self._lock:
            self._kept.clear()
            self._weight = 0
