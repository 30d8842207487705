"""Where a message of the log is printed: the places in code that hold its words."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.textfile import position, text_of
from fernshale.core.base.treepath import TreePath, reader
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.scan import ProjectScan, engine_folder
from fernshale.core.process.text_search import files_with
from fernshale.core.snapshot.manifest import EMPTY
from fernshale.core.snapshot.tree_walk import list_tree
from fernshale.core.survey.roles import CODE_ROLES, files_of
from fernshale.core.trial.log_messages import literal_parts

_MAX_ORIGINS = 12
_LARGEST = 1 << 20


@dataclass(frozen=True, slots=True)
class Printer:
    """A line of code that has words of a message. `in_engine`: the path is seen from the engine's folder."""

    path: TreePath
    line: int
    text: str
    words: str
    in_engine: bool


def find_printers(scan: ProjectScan, template: str, token: CancelToken) -> tuple[Printer, ...]:
    """The places that may print a message, those with the most of its words first: in the project, else in the engine."""
    parts = list(dict.fromkeys(part for whole in literal_parts(template) for part in (whole, *_halves(whole))))
    mine = _Places(scan.project, files_of(scan.profile, scan.paths, *CODE_ROLES), parts, False, token)
    engines: _Places | None = None
    for part in parts:
        found = mine.find(part)
        if not found:
            try:
                engines = engines or _engine_places(scan, parts, token)
            except ProjectError:
                continue
            found = engines.find(part)
        if found:
            return tuple(found[:_MAX_ORIGINS])
    return ()


def _engine_places(scan: ProjectScan, parts: Sequence[str], token: CancelToken) -> _Places:
    folder = engine_folder(scan, scan.release)
    return _Places(folder, list_tree(folder, EMPTY, Work(token=token)).paths(), parts, True, token)


def _halves(part: str) -> list[str]:
    """A message is often put together from pieces; its first and last piece are more likely to occur in the code."""
    words = part.split()
    return [" ".join(words[:size]) for size in range(len(words) - 1, 1, -1)] + [
        " ".join(words[-size:]) for size in range(len(words) - 1, 1, -1)
    ]


class _Places:
    """The files of a tree that have one of a message's parts, each read once."""

    def __init__(
        self, root: Path, paths: Sequence[TreePath], parts: Sequence[str], in_engine: bool, token: CancelToken
    ) -> None:
        # Whatever contains a longer piece contains the shorter ones in it.
        shortest = [part for part in parts if not any(other in part for other in parts if other != part)]
        self._in_engine = in_engine
        self._texts: dict[TreePath, str] = {}
        read_file = reader(root)
        for path in files_with(root, paths, shortest, token):
            token.check()
            try:
                data = read_file(path)
            except (OSError, ProjectError):
                continue
            text = text_of(data) if len(data) <= _LARGEST else None
            if text is not None and any(part in text for part in shortest):
                self._texts[path] = text

    def find(self, words: str) -> list[Printer]:
        found = []
        for path, text in self._texts.items():
            if (at := text.find(words)) >= 0:
                line = position(text, at)[0]
                found.append(Printer(path, line, text.split("\n")[line - 1].strip(), words, self._in_engine))
        return found
