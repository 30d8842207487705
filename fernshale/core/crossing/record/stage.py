"""The stages of a leg, in order, and which stage an item's key belongs to."""

from __future__ import annotations

from enum import Enum

from fernshale.core.base.texts import marked, tr_marked


class _Titled(Enum):
    @property
    def title(self) -> str:
        """Its name for people; the value is for files."""
        return tr_marked(self.value)


class Stage(_Titled):
    """The stations of a leg, in order."""

    SURVEY = marked("Survey")
    ROUTE = marked("Route")
    PLUGINS = marked("Plugins")
    ENGINE = marked("Engine")
    BUILD = marked("Build")
    LINKS = marked("Links")
    TRIAL = marked("Trial")


STAGES = tuple(Stage)


class StageState(_Titled):
    """The state of a stage."""

    UNTOUCHED = marked("untouched")
    IN_HAND = marked("in progress")
    NEEDS_YOU = marked("needs you")
    CLEAR = marked("clear")


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
