"""The stages of a leg, in order, and which stage an item's key belongs to."""

from __future__ import annotations

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


class StageState(Enum):
    """The state of a stage."""

    UNTOUCHED = "untouched"
    IN_HAND = "in progress"
    NEEDS_YOU = "needs you"
    CLEAR = "clear"


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
