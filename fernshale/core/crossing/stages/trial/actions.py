"""What can be done on the Trial page."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from fernshale.core.crossing.record.actions import Action


@dataclass(frozen=True, slots=True)
class RunGame(Action):
    """Run the game and compare it with the baseline. `item` is the item that asks for it."""

    KEY = "trial:{item}"
    OPTION = "run"
    item: str = "run"


@dataclass(frozen=True, slots=True)
class MarkCheck(Action):
    """Record the result of a check that a person tried."""

    KEY = "trial:check:{check}"
    OPTION = "{verdict}"
    check: str
    verdict: Literal["passed", "failed"]


@dataclass(frozen=True, slots=True)
class BeginNextLeg(Action):
    """Begin the next leg of the crossing."""

    KEY = "trial:leg"
    OPTION = "next"


KINDS: tuple[type[Action], ...] = (
    RunGame,
    MarkCheck,
    BeginNextLeg,
)
