"""A person's answers about a project while describing it. A draft is made of the facts and of these answers.

Each answer is about something that can be pointed at: a value in a file, a folder, a command, or a suggestion of the draft.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Literal

from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.model import ProfileCommand, Reach, Role

# What a value in a file can be.
ValueMeaning = Literal[
    "release",
    "range",
    "belongs",
    "plugin id",
    "plugin version",
    "plugin accepts",
    "declares id",
    "uses id",
    "path",
    "mine",
]
# What a folder can be: a role of its files, or the parent of plugin folders.
FolderMeaning = Literal["plugins"] | Role
ProjectCommand = Literal["build", "run"]
CommandName = Literal["build", "run", "regenerate", "rebuild"]


@dataclass(frozen=True, slots=True)
class PointedValue:
    """A value that a person pointed at: its file, its locator, its text then, and its meaning."""

    file: TreePath
    reach: Reach
    text: str
    meaning: ValueMeaning


@dataclass(frozen=True, slots=True)
class Answers:
    """All answers so far. `struck` are the keys of suggestions that were struck out; they are not made again.

    `commands` has None for a command that the project does not have. `patterns` read error lines that a person pointed at.
    """

    engine: str = ""
    values: tuple[PointedValue, ...] = ()
    folders: tuple[tuple[TreePath, FolderMeaning], ...] = ()
    struck: frozenset[str] = frozenset()
    commands: dict[CommandName, ProfileCommand | None] = field(default_factory=dict)
    patterns: tuple[str, ...] = ()

    def with_value(self, value: PointedValue) -> Answers:
        """With a new answer about a value; an earlier one about the same value is replaced."""
        others = tuple(item for item in self.values if (item.file, item.reach) != (value.file, value.reach))
        return replace(self, values=(*others, value), struck=self.struck - {value_key(value.file, value.reach)})

    def with_folder(self, folder: TreePath, meaning: FolderMeaning) -> Answers:
        others = tuple(item for item in self.folders if item[0] != folder)
        return replace(self, folders=(*others, (folder, meaning)))

    def without(self, key: str) -> Answers:
        """With a suggestion struck out, or an own answer taken back."""
        values = tuple(item for item in self.values if value_key(item.file, item.reach) != key)
        folders = tuple(item for item in self.folders if folder_key(item[0]) != key)
        return replace(self, values=values, folders=folders, struck=self.struck | {key})

    def with_pattern(self, pattern: str) -> Answers:
        return replace(self, patterns=tuple(dict.fromkeys((*self.patterns, pattern))))

    def with_command(self, name: CommandName, command: ProfileCommand | None) -> Answers:
        return replace(self, commands={**self.commands, name: command})


def value_key(file: str, reach: Reach) -> str:
    """The key of a suggestion about a value."""
    return tr("value {file} {syntax} {words}", file=file, syntax=reach.syntax, words=reach.text)


def folder_key(folder: str) -> str:
    """The key of a suggestion about a folder."""
    return tr("folder {folder}", folder=folder)
