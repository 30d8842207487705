"""Facts: named values that a crossing keeps, each with its type and its form in JSON."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, TypeVar

T = TypeVar("T")


def _as_it_is(value: Any) -> Any:
    return value


@dataclass(frozen=True, slots=True)
class Fact(Generic[T]):
    """One fact. `empty` is its value before one was stored; with `per_leg` each leg of the crossing has its own value.

    `read` decodes what JSON holds and may raise ValueError, KeyError or TypeError for damage; `write` encodes.
    """

    name: str
    empty: T
    read: Callable[[Any], T]
    write: Callable[[T], Any] = _as_it_is
    per_leg: bool = False


def text_fact(name: str, *, per_leg: bool = False) -> Fact[str]:
    """A fact that is a text, "" before any was kept."""
    return Fact(name, "", str, per_leg=per_leg)


# The snapshot from before anything was changed; of each leg after the first, that from before it began.
START = text_fact("start")
LEG_START = text_fact("start", per_leg=True)
# The newest snapshot of the project.
NEWEST_SNAPSHOT = text_fact("snapshot")
