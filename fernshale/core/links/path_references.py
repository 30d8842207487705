"""Paths as files write them: which file of a tree is meant, and how another one would be written in its place."""

from __future__ import annotations

import posixpath
from collections.abc import Collection, Sequence
from urllib.parse import quote, unquote

from fernshale.core.base.globs import matches
from fernshale.core.base.treepath import TreePath


class TreePaths:
    """The files of a tree, and which of them a written path means."""

    def __init__(self, files: Collection[TreePath] = ()) -> None:
        self.files = files
        self._by_name: dict[str, list[TreePath]] | None = None

    def __contains__(self, path: object) -> bool:
        return path in self.files

    def resolve(self, written: str, folder: str, roots: Sequence[str]) -> TreePath | None:
        """Resolve a path in a file of `folder`: against that folder, the tree's root, or a folder that matches `roots`.

        If no file exists, returns where it would be; None for paths that lead elsewhere (another scheme, out of the tree).
        """
        plain = unquote(written).replace("\\", "/")
        if not plain or "://" in plain or plain.startswith(("data:", "#")) or "\0" in plain:
            return None
        inner = plain.lstrip("/")
        relative = posixpath.normpath(posixpath.join(folder, inner))
        both = (relative, posixpath.normpath(inner)) if inner == plain else (posixpath.normpath(inner), relative)
        places = [place for place in both if not place.startswith("..")]
        for place in places:
            if place in self.files:
                return TreePath(place)
        if roots:
            ends = "/" + posixpath.normpath(inner)
            named = self._called(posixpath.basename(inner)) if inner else []
            found = [item for item in named if item.endswith(ends) and matches(roots, item[: -len(ends)] + "/x")]
            if found:
                return min(found)
        return TreePath(places[0]) if places else None

    def _called(self, name: str) -> list[TreePath]:
        if self._by_name is None:
            self._by_name = {}
            for path in self.files:
                self._by_name.setdefault(posixpath.basename(path), []).append(path)
        return self._by_name.get(name, [])


def spell_path(target: TreePath, written: str, folder: str, old: TreePath) -> str:
    """Write `target` in the form of `written`, a path in a file in `folder` that named `old`: relative to the same folder, with
    the same kind of slash and escapes."""
    slashes = "\\" if "\\" in written and "/" not in written else "/"
    plain = unquote(written).replace("\\", "/")
    if posixpath.normpath(posixpath.join(folder, plain)) == old and not plain.startswith("/"):
        new = posixpath.relpath(target, folder or ".")
        new = "./" + new if plain.startswith("./") and not new.startswith("../") else new
    elif posixpath.normpath(plain.lstrip("/")) == old:
        new = ("/" if plain.startswith("/") else "") + target
    else:
        # Relative to a root: the part of the old path that is not written stays unwritten.
        root = old.removesuffix(posixpath.normpath(plain.lstrip("/")))
        new = target.removeprefix(root) if target.startswith(root) else target
    if "%" in written or (written != unquote(written)):
        new = quote(new)
    return new.replace("/", slashes)
