"""The confidence from which fixes are applied automatically, and the causes that a person put off."""

from __future__ import annotations

from fernshale.core.base.errors import MisuseError
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact

# Fixes from this confidence on are applied automatically, unless the user chose another.
AUTOMATIC_FROM = 0.9
NEVER = 2.0
_LIMIT: Fact[float] = Fact("sure from", AUTOMATIC_FROM, float)
_LATER: Fact[frozenset[str]] = Fact("put off", frozenset(), frozenset, sorted, per_leg=True)


def automatic_from(crossing: Crossing) -> float:
    """The confidence (0 to 1) from which a fix is applied automatically; above 1 none is."""
    return crossing.read(_LIMIT)


def keep_automatic_from(crossing: Crossing, value: float) -> None:
    """Set the confidence from which fixes are applied automatically. Raises MisuseError where it is out of range."""
    if not 0.5 <= value <= NEVER:
        raise MisuseError(
            f"{value} is out of range for a confidence", "Use 0.5 to 1; above 1 no fix is applied automatically."
        )
    crossing.keep(_LIMIT, value)


def put_off(crossing: Crossing) -> frozenset[str]:
    """The keys of the causes that are not to be looked at now, on this leg."""
    return crossing.read(_LATER)


def put_cause_off(crossing: Crossing, cause: str) -> None:
    crossing.keep(_LATER, put_off(crossing) | {cause})


def take_cause_up(crossing: Crossing, cause: str) -> None:
    crossing.keep(_LATER, put_off(crossing) - {cause})
