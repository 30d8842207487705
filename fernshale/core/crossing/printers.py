"""Where a message of the log is printed: the places in code that hold its words."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.textfile import position, read_text
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, no_progress
from fernshale.core.crossing.ground import Ground, engine_folder
from fernshale.core.snapshot.manifest import EMPTY
from fernshale.core.snapshot.walk import list_tree
from fernshale.core.survey.roles import role_of
from fernshale.core.trial.messages import literal_parts

_MOST = 12
_LARGEST = 1 << 20
_CODE_ROLES = ("own", "plugin", "user content")


@dataclass(frozen=True, slots=True)
class Printer:
    """A line of code that has words of a message. `in_engine`: the path is seen from the engine's folder."""

    path: TreePath
    line: int
    text: str
    words: str
    in_engine: bool


def find_printers(ground: Ground, template: str, token: CancelToken) -> tuple[Printer, ...]:
    """The places that may print a message, those with the most of its words first: in the project, else in the engine."""
    parts = [part for whole in literal_parts(template) for part in (whole, *_halves(whole))]
    mine = [path for path in ground.paths if role_of(ground.profile, path).role in _CODE_ROLES]
    for part in dict.fromkeys(parts):
        found = _search(ground.project, mine, part, False, token)
        if not found:
            try:
                folder = engine_folder(ground, ground.release)
            except ProjectError:
                continue
            found = _search(folder, list(list_tree(folder, EMPTY, no_progress, token).files), part, True, token)
        if found:
            return tuple(found[:_MOST])
    return ()


def _halves(part: str) -> list[str]:
    """A message is often put together from pieces; its beginning and its end are more likely to stand alone."""
    words = part.split()
    return [" ".join(words[:size]) for size in range(len(words) - 1, 1, -1)] + [
        " ".join(words[-size:]) for size in range(len(words) - 1, 1, -1)
    ]


def _search(root: Path, paths: list[TreePath], words: str, in_engine: bool, token: CancelToken) -> list[Printer]:
    wanted = words.encode()
    found = []
    for path in sorted(paths):
        token.check()
        try:
            data = (root / path).read_bytes()
        except OSError:
            continue
        if len(data) > _LARGEST or wanted not in data:
            continue
        file = read_text(data)
        at = file.text.find(words) if file is not None else -1
        if file is not None and at >= 0:
            line = position(file.text, at)[0]
            found.append(Printer(path, line, file.text.split("\n")[line - 1].strip(), words, in_engine))
    return found
