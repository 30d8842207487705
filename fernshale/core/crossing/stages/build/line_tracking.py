"""Maps the lines that a build named to their current lines."""

from __future__ import annotations

from typing import Literal

from fernshale.core.base.errors import StoreError
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.merge.align import align_lines, counterparts, equal_lines
from fernshale.core.merge.text_style import read_lines
from fernshale.core.snapshot.manifest import EMPTY, Manifest


class LinesNow:
    """Maps lines of a build to current lines; each changed file is aligned once."""

    def __init__(self, scan: ProjectScan, crossing: Crossing, snapshot: str) -> None:
        self._scan, self._crossing = scan, crossing
        try:
            self._built: Manifest = crossing.store.manifest(snapshot)
        except StoreError:
            self._built = EMPTY  # lines are then assumed to be unchanged
        self._known: dict[str, tuple[dict[int, int], dict[int, int]] | None] = {}

    def line_now(self, path: str, line: int) -> int:
        """1-based, 0 when the line was changed."""
        return self._find(path, line, 0)

    def line_near(self, path: str, line: int) -> int:
        """Like `line_now`, but a line that was edited keeps its place."""
        return self._find(path, line, 1)

    def _find(self, path: str, line: int, which: Literal[0, 1]) -> int:
        if path not in self._known:
            self._known[path] = self._align(TreePath(path))
        known = self._known[path]
        return line if known is None else known[which].get(line - 1, -1) + 1

    def _align(self, path: TreePath) -> tuple[dict[int, int], dict[int, int]] | None:
        """New line for each kept line, and for each kept or changed one, 0-based; None when the file is as it was built."""
        before, now = self._built.files.get(path), self._scan.manifest.files.get(path)
        if before is None or (now is not None and now.content == before.content):
            return None
        text = self._scan.read(path) if now is not None else ""
        try:
            old = read_text(self._crossing.store.get(before.content))
        except StoreError:
            return None
        if old is None or text is None:
            return None
        old_lines = read_lines(old.text).lines
        hunks = align_lines(old_lines, read_lines(text).lines)
        return equal_lines(hunks, len(old_lines)), counterparts(hunks, len(old_lines))
