"""The stages of a leg, in order, and which stage an item's key belongs to."""

from __future__ import annotations

from enum import Enum

from fernshale.core.base.texts import tr


class Stage(Enum):
    """The stations of a leg, in order."""

    SURVEY = "Survey"
    ROUTE = "Route"
    PLUGINS = "Plugins"
    ENGINE = "Engine"
    BUILD = "Build"
    LINKS = "Links"
    TRIAL = "Trial"

    @property
    def title(self) -> str:
        """Its name for people; the value is for files."""
        return _TITLES[self]


STAGES = tuple(Stage)


class StageState(Enum):
    """The state of a stage."""

    UNTOUCHED = "untouched"
    IN_HAND = "in progress"
    NEEDS_YOU = "needs you"
    CLEAR = "clear"

    @property
    def title(self) -> str:
        """Its name for people; the value is for files."""
        return _STATE_TITLES[self]


_TITLES = {
    Stage.SURVEY: tr("Survey"),
    Stage.ROUTE: tr("Route"),
    Stage.PLUGINS: tr("Plugins"),
    Stage.ENGINE: tr("Engine"),
    Stage.BUILD: tr("Build"),
    Stage.LINKS: tr("Links"),
    Stage.TRIAL: tr("Trial"),
}
_STATE_TITLES = {
    StageState.UNTOUCHED: tr("untouched"),
    StageState.IN_HAND: tr("in progress"),
    StageState.NEEDS_YOU: tr("needs you"),
    StageState.CLEAR: tr("clear"),
}

_STAGES_OF = {
    Stage.SURVEY: ("git", "role", "survey"),
    Stage.ROUTE: ("route", "note", "demand"),
    Stage.PLUGINS: ("plugin", "merge", "merge-like", "merge-below", "aside", "rebuild", "odd"),
    Stage.ENGINE: ("engine", "workaround", "copy"),
    Stage.BUILD: ("build", "cause", "silent", "default", "debt", "fix", "member"),
    Stage.LINKS: ("links", "file", "doubled", "data", "expect", "assets"),
    Stage.TRIAL: ("trial", "check", "propose"),
}


_STAGE_OF = {area: stage for stage, areas in _STAGES_OF.items() for area in areas}


def stage_of(key: str) -> Stage:
    """The stage that an item's key belongs to."""
    return _STAGE_OF.get(key.partition(":")[0], Stage.TRIAL)
