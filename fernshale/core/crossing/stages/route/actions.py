"""What can be done on the Route page."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.crossing.record.actions import Action


@dataclass(frozen=True, slots=True)
class ChooseRoute(Action):
    """Cross over these stops, separated by blanks; the last is the target. `item` is the item that offered it."""

    KEY = "route:{item}"
    OPTION = "way {stops}"
    stops: str
    item: str = "way"


@dataclass(frozen=True, slots=True)
class RaiseStandard(Action):
    """Write the number a release demands wherever the project states a lower one. `demand` is RELEASE:NAME."""

    KEY = "demand:{demand}"
    OPTION = "raise"
    demand: str


KINDS: tuple[type[Action], ...] = (
    ChooseRoute,
    RaiseStandard,
)
