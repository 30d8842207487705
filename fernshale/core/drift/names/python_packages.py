"""Names that Python packages re-export: `from .lamps import Lamp` in `wick/__init__.py` makes `wick.Lamp`."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from pathlib import Path

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.names.name_parts import shared_start
from fernshale.core.drift.parsing.python import module_of
from fernshale.core.drift.release_symbols import list_sources, read_bytes

ModuleNames = tuple[str, ...]

_STRINGS_AND_COMMENTS = lazy_pattern(r"(?s)\"{3}.*?\"{3}|'{3}.*?'{3}|#[^\n]*")
_FROM = lazy_pattern(
    r"(?m)^[ \t]*from[ \t]+(?P<dots>\.*)(?P<module>[\w.]*)[ \t]+import[ \t]*"
    r"(?:\((?P<many>[^()]*)\)|(?P<names>[^\n;\\]*(?:\\\r?\n[^\n;\\]*)*))"
)
_DEFINED = lazy_pattern(r"(?m)^(?:(?:async[ \t]+)?def|class)[ \t]+(\w+)|^(\w+)[ \t]*(?::[^=\n]*)?=(?!=)")


@dataclass(frozen=True, slots=True)
class _Module:
    """The names that a module imports, the modules it imports completely, and the names it defines."""

    names: Mapping[str, ModuleNames]
    stars: Sequence[ModuleNames]
    defined: frozenset[str]


class Packages:
    """The Python modules of a release."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._files: dict[ModuleNames, list[str]] = defaultdict(list)
        for path in list_sources(folder, frozenset({"python"})):
            self._files[module_of(path)].append(path)
        self._known: dict[ModuleNames, _Module] = {}

    def file_of(self, module: ModuleNames) -> str:
        """The first file of a module."""
        return next(iter(self._files.get(module, ())), "__init__.py")

    @cached_property
    def shown(self) -> Mapping[ModuleNames, ModuleNames]:
        """Return each name that a package re-exports, with the path of its definition."""
        return dict(self._shown_by(module for module in self._files if self._is_package(module)))

    def written(self, defined_at: ModuleNames) -> ModuleNames | None:
        """Return how users write a definition's path: as re-exported by the outermost package around it, or its own path; for a
        private module, as re-exported by the nearest public module. None if there is none."""
        chains = self._chains.get(defined_at, [])
        round_it = [chain for chain in chains if chain[:-1] == defined_at[: len(chain) - 1]]
        if round_it or _is_for_others(defined_at):
            return min(round_it, key=len, default=defined_at)
        candidates = chains or self._chains_of_modules.get(defined_at, [])
        return min(candidates, key=lambda chain: (-shared_start(chain, defined_at), len(chain), chain), default=None)

    @cached_property
    def _chains(self) -> Mapping[ModuleNames, Sequence[ModuleNames]]:
        return _turned(self.shown.items())

    @cached_property
    def _chains_of_modules(self) -> Mapping[ModuleNames, Sequence[ModuleNames]]:
        return _turned(self._shown_by(module for module in self._files if not self._is_package(module)))

    def _is_package(self, module: ModuleNames) -> bool:
        return any("__init__.py" in path for path in self._files.get(module, ()))

    def _shown_by(self, modules: Iterable[ModuleNames]) -> Iterator[tuple[ModuleNames, ModuleNames]]:
        for module in modules:
            for name in self._public(module) if _is_for_others(module) else ():
                written = (*module, name)
                defined_at = self._find_definition(written, set())
                if defined_at is not None and defined_at != written and defined_at not in self._files:
                    yield written, defined_at

    def has(self, path: ModuleNames) -> bool:
        """Whether a name can be written so: it is shown, defined there, or a module."""
        return path in self.shown or path in self._files or path[-1] in self._module(path[:-1]).defined

    def _find_definition(self, path: ModuleNames, seen: set[ModuleNames]) -> ModuleNames | None:
        """Return the path of the definition of `path`; None if the release does not have it. `seen` are the paths that were looked
        at: packages may show one another in a ring."""
        if path in seen:
            return None
        seen.add(path)
        module = self._module(path[:-1])
        if path[-1] in module.defined:
            return path
        sources = [module.names[path[-1]]] if path[-1] in module.names else [(*star, path[-1]) for star in module.stars]
        found = next((defined_at for source in sources if (defined_at := self._find_definition(source, seen))), None)
        # A function is often in a module of the same name; the function is meant.
        return found or (path if path in self._files else None)

    def _public(self, names: ModuleNames) -> Iterator[str]:
        """The public names of a module, those of modules that it imports whole included."""
        seen, waiting = {names}, [names]
        found: dict[str, None] = {}
        while waiting:
            module = self._module(waiting.pop())
            found.update((name, None) for name in (*module.names, *module.defined) if not name.startswith("_"))
            fresh = [star for star in module.stars if star not in seen]
            seen.update(fresh)
            waiting += fresh
        return iter(found)

    def _module(self, names: ModuleNames) -> _Module:
        if names not in self._known:
            text = "\n".join(
                read_bytes(f"{self._folder}/{path}").decode("utf-8", "replace") for path in self._files.get(names, ())
            )
            self._known[names] = self._read(names, _STRINGS_AND_COMMENTS.sub("", text))
        return self._known[names]

    def _read(self, module: ModuleNames, text: str) -> _Module:
        imported: dict[str, ModuleNames] = {}
        stars: list[ModuleNames] = []
        is_package = self._is_package(module)
        for line in _FROM.finditer(text):
            source = _resolved(module if is_package else module[:-1], len(line["dots"]), line["module"])
            for part in re.sub(r"[\\\s]+", " ", line["many"] or line["names"] or "").split(","):
                words = part.split()
                if words == ["*"]:
                    stars.append(source)
                elif words:
                    imported[words[-1] if len(words) == 3 else words[0]] = (*source, words[0])
        defined = frozenset(found[1] or found[2] for found in _DEFINED.finditer(text))
        return _Module(imported, stars, defined)


def _turned(shown: Iterable[tuple[ModuleNames, ModuleNames]]) -> Mapping[ModuleNames, Sequence[ModuleNames]]:
    found: dict[ModuleNames, list[ModuleNames]] = defaultdict(list)
    for written, defined_at in shown:
        found[defined_at].append(written)
    return found


def _is_for_others(path: ModuleNames) -> bool:
    return not any(part.startswith("_") for part in path)


def _resolved(package: ModuleNames, dots: int, name: str) -> ModuleNames:
    """Return the module that an import in `package` refers to."""
    parts = tuple(filter(None, name.split(".")))
    if dots:
        return (*package[: len(package) - dots + 1], *parts)
    # A release's folder may have more levels above its packages than users see.
    at = package.index(parts[0]) if parts and parts[0] in package else 0
    return (*package[:at], *parts)


@lru_cache(maxsize=16)
def packages_of(folder: Path) -> Packages:
    """The packages of a release, read once: a release does not change."""
    return Packages(folder)
