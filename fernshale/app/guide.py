"""The guide as it ships with the program: its chapters, and the place in it that is about a page."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from pathlib import Path

import fernshale

# In the order of the list of chapters.
_CHAPTERS = (
    "first-crossing", "your-own-project", "the-window", "pages", "words", "releases-and-shelves", "rehearsing", "when-a-merge-asks",
    "fixing-the-build", "links-and-data", "trial-and-report", "with-your-team", "settings", "command-line", "scripting",
    "troubleshooting",
)  # fmt: skip
FIRST_CHAPTER = _CHAPTERS[0]


@dataclass(frozen=True, slots=True)
class Chapter:
    """A page of the guide."""

    name: str
    title: str
    path: Path


@cache
def guide_folder() -> Path:
    """The folder of the guide: in the installed package, else in the sources."""
    package = Path(fernshale.__file__).parent
    inside = package / "docs" / "guide"
    return inside if inside.is_dir() else package.parent / "docs" / "guide"


@cache
def chapters() -> tuple[Chapter, ...]:
    """All chapters that are there, in order."""
    found = [(name, guide_folder() / f"{name}.md") for name in _CHAPTERS]
    return tuple(Chapter(name, _title(path), path) for name, path in found if path.is_file())


def _title(path: Path) -> str:
    return path.read_text(encoding="utf-8").partition("\n")[0].lstrip("# ")


def about_page(title: str) -> str:
    """What the guide says about a page in its first paragraph, "" if nothing."""
    path = guide_folder() / "pages.md"
    text = path.read_text(encoding="utf-8") if path.is_file() else ""
    _, _, after = text.partition(f"\n## {title}\n\n")
    return " ".join(after.partition("\n\n")[0].split())
