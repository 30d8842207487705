"""Open items and their options, from which a person or the automatic crossing chooses."""

from __future__ import annotations

from dataclasses import dataclass, replace

from fernshale.core.base.texts import tr
from fernshale.core.crossing.record.actions import Action, Choose
from fernshale.core.crossing.record.stage import Stage


@dataclass(frozen=True, slots=True)
class Option:
    """One resolution of an item: its action, with evidence. One that `is_automatic` may be carried out without asking.

    `confidence` is the probability, 0 to 1, that it is right, None for a choice that is a person's: the order of the options is
    their rank.

    Where `asks` is set, a person has to type the line of text that it names. Where `confirm` is set, a person has to read it
    and agree before the action is carried out.
    """

    action: Action
    title: str
    evidence: tuple[str, ...] = ()
    confidence: float | None = None
    is_automatic: bool = False
    asks: str = ""
    confirm: str = ""

    @property
    def id(self) -> str:
        """The text that names the option among those of its item."""
        return self.action.option


@dataclass(frozen=True, slots=True)
class Item:
    """One thing that is still open between now and a running game. `place` is a file with a line, a folder or a name.

    `needs_you`: only a decision resolves it; otherwise the next step of the stage does. One that `blocks` keeps the automatic
    crossing from the next stage; all others wait, and the project stays as it is in that place.
    """

    key: str
    stage: Stage
    title: str
    owner: str = ""
    place: str = ""
    detail: str = ""
    needs_you: bool = True
    options: tuple[Option, ...] = ()
    blocks: bool = True

    def option(self, id: str) -> Option | None:
        """The option of that id, None where the item has none."""
        return next((option for option in self.options if option.id == id), None)


def choose(item: Item, id: str, text: str = "") -> Action | None:
    """The action of an item's option, ready to be carried out; None where the item has no such option.

    `text` is what a person typed, where the option asks for it.
    """
    option = item.option(id)
    if option is None:
        return None
    action = option.action
    if isinstance(action, Choose):
        action = replace(action, words=f"{item.title} · {option.title or tr('left as it is')}")
    return replace(action, text=text) if text else action  # type: ignore[call-arg]  # only options that ask have a text
