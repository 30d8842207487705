"""What can be done on the Survey page."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.record.actions import Action


@dataclass(frozen=True, slots=True)
class CommitSteps(Action):
    """Commit each step to git. `consent` names the filters that git may run, see `WorkTree.consent`."""

    KEY = "git:steps"
    OPTION = "{consent}"
    consent: str = "commit"


@dataclass(frozen=True, slots=True)
class LeaveGitAlone(Action):
    """Commit nothing to git."""

    KEY = "git:steps"
    OPTION = "leave"


@dataclass(frozen=True, slots=True)
class CheckRequirements(Action):
    """Check again whether the requirements of the profile hold."""

    KEY = "survey:needs:{requirement}"
    OPTION = "again"
    requirement: str


@dataclass(frozen=True, slots=True)
class TakeBaseline(Action):
    """Build and run the project as it is and keep the result."""

    KEY = "survey:baseline"
    OPTION = "take"


@dataclass(frozen=True, slots=True)
class RemovePath(Action):
    """Remove a file or folder that an item of Survey names."""

    KEY = "survey:{item}"
    OPTION = "remove {path}"
    item: str
    path: TreePath


@dataclass(frozen=True, slots=True)
class AssignRole(Action):
    """Assign another role to a file or folder, or with "" the role of the profile."""

    KEY = "role:{path}"
    OPTION = "{role}"
    path: TreePath
    role: str = ""


@dataclass(frozen=True, slots=True)
class LetStepsWrite(Action):
    """Let steps write read-only files: by making them writable, or after the command in `text` checked them out."""

    KEY = "survey:read-only"
    OPTION = "{how}"
    how: Literal["writable", "command"]
    text: str = ""


KINDS: tuple[type[Action], ...] = (
    CommitSteps,
    LeaveGitAlone,
    CheckRequirements,
    TakeBaseline,
    RemovePath,
    AssignRole,
    LetStepsWrite,
)
