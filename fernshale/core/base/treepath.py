"""Paths inside a tree: relative, `/` between the parts, bytes that are not UTF-8 as surrogate escapes.

On disk `pathlib.Path` is used; a TreePath never leaves its tree.
"""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import NewType

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import tr

TreePath = NewType("TreePath", str)
# A part that is empty, `.` or `..`, or the byte that ends names.
_OUTSIDE = lazy_pattern(r"(?:\A|/)\.{0,2}(?:/|\Z)|\0")

# Control characters, marks that turn the direction of text, and invisible separators of lines.
_PICTURES = {
    **{code: 0x2400 + code for code in range(32) if code not in (9, 10)},
    127: 0x2421,
    **dict.fromkeys(
        (*range(0x80, 0xA0), *range(0x202A, 0x202F), *range(0x2066, 0x206A), 0x2028, 0x2029, 0x200E, 0x200F), 0xFFFD
    ),
}

# Names under which git keeps its history in a project.
GITS_OWN = frozenset({".git"})

# Files up to this size are read in one call, bytes.
_SMALL = 1 << 16


def tree_path(text: str) -> TreePath:
    """Return `text` as a path inside a tree. Raises ProjectError if it would leave the tree."""
    if _OUTSIDE.search(text):
        raise ProjectError(tr("the path {words!r} does not stay inside its folder", words=text))
    return TreePath(text)


def on_disk(root: Path, path: TreePath) -> Path:
    """Return the location of `path` under `root`. Raises ProjectError if a parent folder is a symbolic link."""
    here = root
    parts = tree_path(path).split("/")
    for part in parts[:-1]:
        here = here / part
        if here.is_symlink():
            raise ProjectError(tr("{here} is a symbolic link; nothing is written through it", here=here))
    return here / parts[-1]


def reader(root: Path) -> Callable[[TreePath], bytes]:
    """Return a function that reads files below `root` without following symbolic links; each parent folder is checked once.

    The function raises ProjectError and OSError.
    """
    place = os.fspath(root)
    safe: set[str] = set()
    flags = os.O_RDONLY | os.O_NOFOLLOW | os.O_CLOEXEC

    def read(path: TreePath) -> bytes:
        head = path[: path.rfind("/") + 1]
        if head not in safe:
            on_disk(root, path)
            safe.add(head)
        # Straight to the system: whole folders are read like this, and most files are small.
        handle = os.open(f"{place}/{path}", flags)
        try:
            data = os.read(handle, _SMALL)
            if len(data) < _SMALL:
                return data  # a short read of a file is its end
            parts = [data]
            while len(parts[-1]):
                parts.append(os.read(handle, max(_SMALL, os.fstat(handle).st_size)))
            return b"".join(parts)
        finally:
            os.close(handle)

    return read


def in_tree(root: Path, path: Path) -> TreePath:
    """Return `path` relative to `root`. Raises ValueError if it is outside."""
    return TreePath(path.relative_to(root).as_posix())


def joined(folder: str, name: str) -> TreePath:
    """`name` in `folder`; the empty folder name is the tree itself."""
    return TreePath(f"{folder}/{name}" if folder else name)


def parents(path: str) -> list[TreePath]:
    """The folders above `path`, outermost first."""
    parts = path.split("/")[:-1]
    return [TreePath("/".join(parts[: count + 1])) for count in range(len(parts))]


def under(path: str, folder: str) -> bool:
    """Return whether `path` is `folder` or inside it; every path is inside the empty folder name."""
    return not folder or path == folder or path.startswith(folder + "/")


def is_gits_own(path: str) -> bool:
    """Return whether `path` belongs to git's own data, which no step changes or restores."""
    return not GITS_OWN.isdisjoint(path.split("/"))


def printable(text: str) -> str:
    """Make text from outside safe to print: bytes that are not UTF-8 become replacement characters, control characters become
    their

    pictures. A name or message then cannot move the cursor, change a title or reverse the text next to it.

    Line ends and tabs stay.
    """
    if text.isascii() and text.isprintable():
        return text
    return text.encode("utf-8", "surrogateescape").decode("utf-8", "replace").translate(_PICTURES)
