"""The confidence from which fixes are applied automatically, whether proposals are tried, and causes that a person put off."""

from __future__ import annotations

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.settings import settings
from fernshale.core.base.texts import tr
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact

NEVER = 2.0
# 0: as in the settings.
_LIMIT: Fact[float] = Fact("sure from", 0.0, float)
# Builds in a copy of the project that may be spent on the proposals of one build; 0: none are tried unasked.
_ATTEMPTS: Fact[int] = Fact("attempts per build", 0, int)
_LATER: Fact[frozenset[str]] = Fact("put off", frozenset(), frozenset, sorted, per_leg=True)


def automatic_from(crossing: Crossing) -> float:
    """The confidence (0 to 1) from which a fix is applied automatically; above 1 none is.

    Raises FormatError, MisuseError for damaged settings.
    """
    return crossing.read(_LIMIT) or settings().work.apply_from


def keep_automatic_from(crossing: Crossing, value: float) -> None:
    """Set the confidence from which fixes are applied automatically. Raises MisuseError where it is out of range."""
    if not 0.5 <= value <= NEVER:
        raise MisuseError(
            tr("{value} is out of range for a confidence", value=value),
            tr("Use 0.5 to 1; above 1 no fix is applied automatically."),
        )
    crossing.keep(_LIMIT, value)


def attempts_per_build(crossing: Crossing) -> int:
    """How many builds in a copy are spent on the proposals of each build; 0 where they are not tried unasked."""
    return crossing.read(_ATTEMPTS)


def keep_attempts_per_build(crossing: Crossing, builds: int) -> None:
    """Set how many builds in a copy are spent on proposals. Raises MisuseError where it is negative."""
    if builds < 0:
        raise MisuseError(tr("{builds} is no number of builds", builds=builds), tr("Use 0 to try no proposals."))
    crossing.keep(_ATTEMPTS, builds)


def put_off(crossing: Crossing) -> frozenset[str]:
    """The keys of the causes that are not to be looked at now, on this leg."""
    return crossing.read(_LATER)


def put_cause_off(crossing: Crossing, cause: str) -> None:
    crossing.keep(_LATER, put_off(crossing) | {cause})


def take_cause_up(crossing: Crossing, cause: str) -> None:
    crossing.keep(_LATER, put_off(crossing) - {cause})
