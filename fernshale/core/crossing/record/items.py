"""Open items, their options, and decisions: what every stage returns and accepts."""

from __future__ import annotations

from dataclasses import dataclass
from enum import Enum


class Stage(Enum):
    """The stations of a leg, in order."""

    SURVEY = "Survey"
    ROUTE = "Route"
    PLUGINS = "Plugins"
    ENGINE = "Engine"
    BUILD = "Build"
    LINKS = "Links"
    TRIAL = "Trial"


STAGES = tuple(Stage)


class State(Enum):
    """How a stage stands."""

    UNTOUCHED = "untouched"
    IN_HAND = "in hand"
    NEEDS_YOU = "needs you"
    CLEAR = "clear"


@dataclass(frozen=True, slots=True)
class Option:
    """A way to settle an item. `confidence` is 0..1; a sure one may be taken without looking.

    With `asks` it needs a line of text from a person, which `asks` names. With `confirm` a person has to have read that before it
    is carried out.
    """

    id: str
    title: str
    evidence: tuple[str, ...] = ()
    confidence: float = 0.5
    sure: bool = False
    asks: str = ""
    confirm: str = ""


@dataclass(frozen=True, slots=True)
class Item:
    """One open thing between now and a running game. `place` is a file with a line, a folder or a name.

    `needs_you`: nothing settles it but a decision; otherwise the stage's own next step does.
    """

    key: str
    stage: Stage
    title: str
    owner: str = ""
    place: str = ""
    detail: str = ""
    needs_you: bool = True
    options: tuple[Option, ...] = ()


_STAGES_OF = {
    Stage.SURVEY: ("git", "role", "survey"),
    Stage.ROUTE: ("route", "note", "demand"),
    Stage.PLUGINS: ("plugin", "merge", "merge-like", "merge-below", "aside", "rebuild", "odd"),
    Stage.ENGINE: ("engine", "workaround", "copy"),
    Stage.BUILD: ("build", "cause", "silent", "default", "debt", "fix", "member"),
    Stage.LINKS: ("links", "file", "doubled", "data", "expect"),
    Stage.TRIAL: ("trial", "check", "propose"),
}
_STAGE_OF = {area: stage for stage, areas in _STAGES_OF.items() for area in areas}


def stage_of(key: str) -> Stage:
    """The stage that an item's key belongs to."""
    return _STAGE_OF.get(key.partition(":")[0], Stage.TRIAL)


@dataclass(frozen=True, slots=True)
class Decision:
    """An option that was chosen or refused: by whom, why, and in which logbook entry it was carried out (0: none)."""

    key: str
    stage: Stage
    choice: str
    text: str
    who: str
    why: str
    time: float
    entry: int = 0
