"""What can be done on the Plugins page."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.crossing.record.actions import Action


@dataclass(frozen=True, slots=True)
class UpdatePlugin(Action):
    """Move a plugin to the planned release and keep the local edits."""

    KEY = "plugin:{plugin}"
    OPTION = "take"
    plugin: str


@dataclass(frozen=True, slots=True)
class ReplacePlugin(Action):
    """Replace a plugin by the planned release and drop the local edits."""

    KEY = "plugin:{plugin}"
    OPTION = "clean"
    plugin: str


@dataclass(frozen=True, slots=True)
class ResolveConflict(Action):
    """Resolve one conflict: keep one side or both, or write `text`."""

    KEY = "merge:{conflict}"
    OPTION = "{side}"
    conflict: str
    side: str
    text: str = ""


@dataclass(frozen=True, slots=True)
class ResolveAlike(Action):
    """Resolve all conflicts that are alike in the same way."""

    KEY = "merge-like:{conflict}"
    OPTION = "{side}"
    conflict: str
    side: str


@dataclass(frozen=True, slots=True)
class ResolveBelow(Action):
    """Resolve all conflicts below a folder of a plugin in the same way. `place` is PLUGIN/PATH."""

    KEY = "merge-below:{place}"
    OPTION = "{side}"
    place: str
    side: str


@dataclass(frozen=True, slots=True)
class LeavePluginOut(Action):
    """Switch a plugin off and remove it from the project until a release fits."""

    KEY = "aside:{plugin}"
    OPTION = "aside"
    plugin: str


@dataclass(frozen=True, slots=True)
class ReturnPlugin(Action):
    """Put a plugin that was left out back as it was."""

    KEY = "aside:{plugin}"
    OPTION = "return"
    plugin: str


@dataclass(frozen=True, slots=True)
class RebuildPlugin(Action):
    """Build a plugin's compiled parts for the target."""

    KEY = "rebuild:{plugin}"
    OPTION = "rebuild"
    plugin: str


KINDS: tuple[type[Action], ...] = (
    UpdatePlugin,
    ReplacePlugin,
    ResolveConflict,
    ResolveAlike,
    ResolveBelow,
    LeavePluginOut,
    ReturnPlugin,
    RebuildPlugin,
)
