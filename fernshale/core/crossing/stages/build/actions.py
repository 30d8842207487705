"""What can be done on the Build page."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.record.actions import Action

# How much of the code around a place is switched off.
CodePart = Literal["line", "function", "file"]
# Where a fix is applied, seen from a place.
FixScope = Literal["here", "file", "everywhere"]


@dataclass(frozen=True, slots=True)
class RunBuild(Action):
    """Build once."""

    KEY = "build:run"
    OPTION = "build"


@dataclass(frozen=True, slots=True)
class UseRule(Action):
    """Apply a fix rule everywhere for a cause."""

    KEY = "cause:{cause}"
    OPTION = "{rule}"
    cause: str
    rule: str


@dataclass(frozen=True, slots=True)
class UseSilentRule(Action):
    """Apply a fix rule everywhere that no tool reports an error for."""

    KEY = "silent:{silent}"
    OPTION = "{rule}"
    silent: str
    rule: str


@dataclass(frozen=True, slots=True)
class AcceptSilent(Action):
    """Record that the code is right as it is."""

    KEY = "silent:{silent}"
    OPTION = "noted"
    silent: str


@dataclass(frozen=True, slots=True)
class UseRuleAt(Action):
    """Apply a fix rule at one place, or in the file of that place. `line` is 1-based, `start` the 0-based offset in the text."""

    KEY = "fix:{rule}"
    OPTION = "{scope} {path}:{line}:{start}"
    rule: str
    scope: FixScope
    path: TreePath
    line: int
    start: int


@dataclass(frozen=True, slots=True)
class PinDefault(Action):
    """Keep the old meaning: write the old default at each call that left it out, or rename a member that a new one clashes with."""

    KEY = "default:{change}"
    OPTION = "pin"
    change: str


@dataclass(frozen=True, slots=True)
class SwitchCodeOff(Action):
    """Switch off the line, the function or the file of the first place of a cause."""

    KEY = "cause:{cause}"
    OPTION = "aside {part}"
    cause: str
    part: CodePart


@dataclass(frozen=True, slots=True)
class SwitchCodeOn(Action):
    """Put code back that a logbook entry switched off."""

    KEY = "debt:{entry}"
    OPTION = "return"
    entry: int


@dataclass(frozen=True, slots=True)
class ReturnPluginForCause(Action):
    """Return a plugin whose absence is the cause."""

    KEY = "cause:{cause}"
    OPTION = "return {plugin}"
    cause: str
    plugin: str


@dataclass(frozen=True, slots=True)
class PutCauseOff(Action):
    """List a cause last."""

    KEY = "cause:{cause}"
    OPTION = "later"
    cause: str


@dataclass(frozen=True, slots=True)
class TakeCauseUp(Action):
    """List a cause that was put off in its usual place again."""

    KEY = "cause:{cause}"
    OPTION = "now"
    cause: str


@dataclass(frozen=True, slots=True)
class LeaveMemberBehind(Action):
    """Leave a member of the workspace on the release it comes from."""

    KEY = "member:{member}"
    OPTION = "leave"
    member: str


@dataclass(frozen=True, slots=True)
class TakeMemberAlong(Action):
    """Bring a member of the workspace to the release of the others."""

    KEY = "member:{member}"
    OPTION = "return"
    member: str


KINDS: tuple[type[Action], ...] = (
    RunBuild,
    UseRule,
    UseSilentRule,
    AcceptSilent,
    UseRuleAt,
    PinDefault,
    SwitchCodeOff,
    SwitchCodeOn,
    ReturnPluginForCause,
    PutCauseOff,
    TakeCauseUp,
    LeaveMemberBehind,
    TakeMemberAlong,
)
