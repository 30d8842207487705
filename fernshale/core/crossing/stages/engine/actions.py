"""What can be done on the Engine page."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.record.actions import Action


@dataclass(frozen=True, slots=True)
class PointAtRelease(Action):
    """Write the target wherever the project names its release, then run the generator."""

    KEY = "engine:sites"
    OPTION = "apply"


@dataclass(frozen=True, slots=True)
class RunGenerator(Action):
    """Run the engine's generator."""

    KEY = "engine:generate"
    OPTION = "regenerate"


@dataclass(frozen=True, slots=True)
class RestoreGenerated(Action):
    """Restore the generated files that an interrupted run of the generator left missing."""

    KEY = "engine:generate"
    OPTION = "restore"


@dataclass(frozen=True, slots=True)
class LeaveOutAndGenerate(Action):
    """Leave a plugin out, then run the generator."""

    KEY = "engine:generate"
    OPTION = "aside {plugin}"
    plugin: str


@dataclass(frozen=True, slots=True)
class RebuildAndGenerate(Action):
    """Rebuild a plugin, then run the generator."""

    KEY = "engine:generate"
    OPTION = "rebuild {plugin}"
    plugin: str


@dataclass(frozen=True, slots=True)
class ResolveStaleFiles(Action):
    """Keep or delete stale generated files, or run the command in `text` to make them again."""

    KEY = "engine:stale:{globs}"
    OPTION = "{choice}"
    globs: str
    choice: Literal["keep", "delete", "run"]
    text: str = ""


@dataclass(frozen=True, slots=True)
class AddWorkaround(Action):
    """Add a line that the target needs, with a note until which release."""

    KEY = "workaround:{workaround}"
    OPTION = "add"
    workaround: str


@dataclass(frozen=True, slots=True)
class RemoveWorkaround(Action):
    """Remove a line that the target does not need any more."""

    KEY = "workaround:{workaround}"
    OPTION = "remove"
    workaround: str


CopyChoice = Literal["merge", "mine", "incoming", "leave"]


@dataclass(frozen=True, slots=True)
class UpdateForkedFile(Action):
    """Merge the new release into a copy of an engine file, or leave it; `choice` resolves the conflicts."""

    KEY = "copy:{path}"
    OPTION = "{choice}"
    path: TreePath
    choice: CopyChoice


KINDS: tuple[type[Action], ...] = (
    PointAtRelease,
    RunGenerator,
    RestoreGenerated,
    LeaveOutAndGenerate,
    RebuildAndGenerate,
    ResolveStaleFiles,
    AddWorkaround,
    RemoveWorkaround,
    UpdateForkedFile,
)
