"""Find the base, outside the project, of a class of the project."""

from __future__ import annotations

from functools import cache

from fernshale.core.base.work import CancelToken
from fernshale.core.build.causes import OwnerOf
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.project.source_texts import texts_with
from fernshale.core.fix.members import own_classes

# A longer line of bases is a ring.
_DEEPEST = 12


def base_reader(scan: ProjectScan, token: CancelToken) -> OwnerOf:
    """A function that returns the one class outside the project that a class of the project derives from, "" otherwise.

    It raises Cancelled.
    """

    @cache
    def bases_of(name: str) -> tuple[str, ...] | None:
        """The bases of a class of the project, None for a class that is none."""
        found: set[str] = set()
        is_own = False
        for path, text in texts_with(scan, {name}, token).items():
            for item in own_classes(text, path) if name in text else ():
                if item.name == name:
                    is_own = True
                    found.update(item.bases)
        return tuple(sorted(found)) if is_own else None

    def owner_of(scope: str) -> str:
        pending, outside = [scope], set()
        for _ in range(_DEEPEST):
            names, pending = pending, []
            for name in names:
                bases = bases_of(name)
                if bases is None and name != scope:
                    outside.add(name)
                pending += bases or ()
        return outside.pop() if len(outside) == 1 and not pending else ""

    return owner_of
