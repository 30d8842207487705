"""Steps of a crossing as tests take them: an action by the key of its item and the id of an option."""

from __future__ import annotations

from fernshale.core.base.work import UNWATCHED, Work
from fernshale.core.crossing.flow.actions import carry_out, parse_action
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing


def act(
    crossing: Crossing,
    key: str,
    option: str,
    *,
    who: str = "test",
    why: str = "",
    text: str = "",
    work: Work = UNWATCHED,
) -> None:
    """Carry an action out."""
    carry_out(crossing, parse_action(key, option, text), Author(who, why), work)
