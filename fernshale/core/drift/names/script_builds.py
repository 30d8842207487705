"""Other builds of the same code in a package of scripts: `_esm5/lamp.js` beside `lamp.js`, `dist/cjs/lamp.js` beside `src/lamp.ts`.

A folder is another build if at least half of its modules are modules of a build that was kept before, at the same path below
their common folder. Of each module then the first declaration and the first code are kept.
"""

from __future__ import annotations

import re
from bisect import bisect_left
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass

from fernshale.core.base.languages import SCRIPTS
from fernshale.core.base.lazy_pattern import lazy_pattern

_BUILD = lazy_pattern(
    r"_?f?esm?\d*|cjs|umd|amd|commonjs|bundles?|dist|lib|out|src|types|typings|mjs|modules?", re.IGNORECASE
)
# Those in which code is written most like its authors wrote it, the first best.
_BEST = tuple(lazy_pattern(words, re.IGNORECASE) for words in (r"src", r"mjs|modules?|_?f?esm?\d*", r"(?!umd|amd).*"))
# Builds that put all code into a few files.
_BUNDLES = lazy_pattern(r"bundles?|umd", re.IGNORECASE)
_ENDING = lazy_pattern(r"(?:\.d)?\.[cm]?[jt]sx?\Z")


@dataclass(frozen=True, slots=True)
class _Build:
    """The files of a folder by their modules, the path below the folder without ending."""

    folder: str
    modules: Mapping[str, Sequence[str]]

    @property
    def rank(self) -> tuple[int, bool, int, str]:
        """Which build says most, the first best: that with most declarations, then the package's own folder."""
        declared = sum(any(map(is_declaration, files)) for files in self.modules.values())
        last = self.folder.rpartition("/")[2]
        order = next((at for at, words in enumerate(_BEST) if words.fullmatch(last)), len(_BEST))
        return -declared, _BUILD.fullmatch(last) is not None, order, self.folder


def other_builds(paths: Iterable[str]) -> frozenset[str]:
    """Return the script files that only repeat what others of the same package have."""
    scripts = sorted(path for path in paths if path.endswith(SCRIPTS))
    left_out: set[str] = set()
    for builds in _families(scripts):
        declared: set[str] = set()
        written: set[str] = set()
        for build in sorted(builds, key=lambda build: build.rank):
            known = declared | written
            shared = sum(module in known for module in build.modules)
            is_other = 2 * shared >= len(build.modules) > 0
            is_bundle = known and _BUNDLES.fullmatch(build.folder.rpartition("/")[2])
            for module, files in build.modules.items():
                for file in files:
                    seen = declared if is_declaration(file) else written
                    if is_bundle or (is_other and module in seen):
                        left_out.add(file)
            declared |= {module for module, files in build.modules.items() if any(map(is_declaration, files))}
            written |= {module for module, files in build.modules.items() if not all(map(is_declaration, files))}
    return frozenset(left_out)


def is_declaration(file: str) -> bool:
    """Return whether a script has declarations without code."""
    return ".d." in file.rpartition("/")[2]


def module_of(file: str) -> str:
    """The path of a module without the ending, which is the same for its code and its declarations."""
    return _ENDING.sub("", file)


def package_of(file: str) -> str | None:
    """The folder around the builds of a package that a file is in; None if it is in none."""
    root = _root_of(file)
    return root[0] if root is not None else None


def _families(scripts: Sequence[str]) -> Iterator[Sequence[_Build]]:
    """The builds below each folder that has folders named like builds; the rest of it is one more."""
    roots: dict[str, dict[str, list[str]]] = defaultdict(lambda: defaultdict(list))
    for path in scripts:
        if (root := _root_of(path)) is not None:
            roots[root[0]][root[1]].append(path)
    for parent, folders in roots.items():
        below = _below(scripts, parent)
        built = {path for files in folders.values() for path in files}
        rest = [path for path in below if path not in built]
        yield [_build(folder, files) for folder, files in (*folders.items(), (parent, rest))]


def _root_of(path: str) -> tuple[str, str] | None:
    """The folder of the last build that a file is in, with the folder around it that is no build; None if it is in none."""
    folders = path.split("/")[:-1]
    last = next((at for at in range(len(folders) - 1, -1, -1) if _BUILD.fullmatch(folders[at])), None)
    if last is None:
        return None
    first = last
    while first and _BUILD.fullmatch(folders[first - 1]):
        first -= 1
    return "/".join(folders[:first]), "/".join(folders[: last + 1])


def _below(scripts: Sequence[str], folder: str) -> Sequence[str]:
    """Of sorted paths those in a folder."""
    if not folder:
        return scripts
    return scripts[bisect_left(scripts, f"{folder}/") : bisect_left(scripts, f"{folder}0")]  # "0" follows "/"


def _build(folder: str, files: Iterable[str]) -> _Build:
    modules: dict[str, list[str]] = defaultdict(list)
    start = len(folder) + 1 if folder else 0
    for file in files:
        modules[module_of(file[start:])].append(file)
    return _Build(folder, modules)
