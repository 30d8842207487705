"""Which file of the project a tool means: it may work in another folder, in a container, or print names only."""

from __future__ import annotations

import os
from collections.abc import Iterable
from functools import cached_property
from pathlib import Path

from fernshale.core.build.diagnostics import SourcePlace


class ProjectFiles:
    """The files of a project, found by the end of their path."""

    def __init__(self, root: Path, files: Iterable[str]) -> None:
        self._root = root
        self._real_root = os.path.realpath(root)
        self._files = frozenset(files)

    def find(self, place: SourcePlace) -> str | None:
        """The path inside the project, None for a file elsewhere.

        A path that leads into the project counts as it is, also of a file that is missing by now. Else the longest end of
        the path that fits one file alone decides: of a relative path any end, of an absolute one at least a folder and
        a name, and only where this machine has no such file.
        """
        name = place.file if "/" in place.file else place.file.replace("\\", "/")
        direct = self._inside(os.path.normpath(self._root / place.folder / name))
        if direct is not None and (direct in self._files or name.startswith("/")):
            return direct
        if place.folder and (plain := self._inside(os.path.normpath(self._root / name))) in self._files:
            return plain
        is_absolute = name.startswith("/") or name[1:2] == ":"
        if is_absolute and name[1:2] != ":" and Path(name).exists():
            # It may be the project by another name, through a link.
            return self._inside(os.path.realpath(name))
        parts = [part for part in name.split("/") if part not in ("", ".", "..")]
        found = self._by_end(parts, 2 if is_absolute else 1)
        return found or direct

    def _inside(self, path: str) -> str | None:
        for root in (str(self._root), self._real_root):
            if path.startswith(root + os.sep):
                return path[len(root) + 1 :]
        return None

    def _by_end(self, parts: list[str], least: int) -> str | None:
        if not parts:
            return None
        known = self._by_name.get(parts[-1], ())
        for first in range(len(parts) - least + 1):
            end = "/".join(parts[first:])
            fitting = [path for path in known if path == end or path.endswith("/" + end)]
            if fitting:
                return fitting[0] if len(fitting) == 1 else None
        return None

    @cached_property
    def _by_name(self) -> dict[str, list[str]]:
        names: dict[str, list[str]] = {}
        for path in self._files:
            names.setdefault(path.rsplit("/", 1)[-1], []).append(path)
        return names
