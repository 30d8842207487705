"""Tools that most projects need: which of them this machine lacks, and how to get them."""

from __future__ import annotations

import shutil
from collections.abc import Mapping
from dataclasses import dataclass

from fernshale.core.base.texts import tr

# How each package manager installs.
_MANAGERS = {
    "apt": "sudo apt install",
    "dnf": "sudo dnf install",
    "zypper": "sudo zypper install",
    "pacman": "sudo pacman -S",
    "apk": "sudo apk add",
}
# Words, program, and the names of its package by manager.
_TOOLS: tuple[tuple[str, str, Mapping[str, str]], ...] = (
    (tr("a C++ compiler (g++)"), "g++", {"": "g++", "dnf": "gcc-c++", "zypper": "gcc-c++", "pacman": "gcc"}),
    ("make", "make", {"": "make"}),
    ("git", "git", {"": "git"}),
)


@dataclass(frozen=True, slots=True)
class MissingTool:
    """A tool that most projects need and that this machine lacks; `install` is the command that installs it, "" if not known."""

    words: str
    install: str


def missing_tools() -> tuple[MissingTool, ...]:
    """The tools that most projects need and that this machine lacks."""
    return tuple(
        MissingTool(words, install_command(packages))
        for words, program, packages in _TOOLS
        if shutil.which(program) is None
    )


def install_command(packages: Mapping[str, str]) -> str:
    """The command that installs a package with the package manager of this machine; `packages` are its names, "" for any other
    manager. It is for a person to run."""
    found = next((name for name in _MANAGERS if shutil.which(name)), "")
    return f"{_MANAGERS[found]} {packages.get(found, packages[''])}" if found else ""
