"""Names that modules of TypeScript and JavaScript export, whatever module defines them: `import { Lamp } from "wick"` may lead to
`wick/internal/lamp.ts`.
"""

from __future__ import annotations

import json
import posixpath
import re
from collections import defaultdict
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from pathlib import Path
from typing import Any, NamedTuple

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.release_symbols import included, languages_of, list_sources, read_bytes

_COMMENTS = lazy_pattern(r"/\*.*?\*/|(?<![:'\"\\/])//[^\n]*", re.DOTALL)
_FROM = r"\s*from\s*['\"](?P<module>[^'\"\n]+)['\"]"
_LISTED = lazy_pattern(r"\bexport\s+(?:type\s+)?\{(?P<names>[^{}]*)\}(?:" + _FROM + ")?")
_STAR = lazy_pattern(r"\bexport\s*\*(?:\s*as\s+(?P<name>[\w$]+))?" + _FROM)
_DECLARED = lazy_pattern(
    r"\bexport\s+(?P<default>default\s+)?(?:declare\s+)?(?:abstract\s+|async\s+)*"
    r"(?:class|interface|enum|const\s+enum|type|namespace|function\*?|const|let|var)\s+(?P<name>[A-Za-z_$][\w$]*)"
)
_IMPORTED = lazy_pattern(r"\bimport\s+(?:type\s+)?(?:[\w$]+\s*,\s*)?\{(?P<names>[^{}]*)\}" + _FROM)
_OLD_NAME = lazy_pattern(
    r"\b(?:module\.)?exports\.(?P<name>[A-Za-z_$][\w$]*)\s*=(?!=)|defineProperty\(exports,\s*['\"](?P<other>[\w$]+)"
)
_OLD_LIST = lazy_pattern(r"\bmodule\.exports\s*=\s*\{(?P<names>[^{}]*)\}")
_OLD_STAR = lazy_pattern(r"(?:__export\w*\(|\bmodule\.exports\s*=\s*)require\(\s*['\"](?P<module>[^'\"\n]+)['\"]")
# The head of a namespace: what it exports are its members, not names of the module.
_NAMESPACE = lazy_pattern(r"\b(?:namespace|module)\s+[A-Za-z_$][\w$.]*\s*\{")
_BRACE = lazy_pattern(r"[{}]")
_ENDING = lazy_pattern(r"(?:\.d)?\.[cm]?[jt]sx?\Z")
# Parts of a module's path that say that others should not import it, or that it is another build of the same code.
_PRIVATE = lazy_pattern(r"_.*|internal.*|private|esm\w*|cjs|umd|bundles?|dist|src|node_modules")


class Definition(NamedTuple):
    """Where a name is defined: its module, by path without ending, and its name there."""

    module: str
    name: str


@dataclass(frozen=True, slots=True)
class _Module:
    """The names that a module defines, those it takes from others, and the modules all of whose names it exports."""

    own: frozenset[str]
    taken: Mapping[str, Definition]
    stars: Sequence[str]


class ScriptPackages:
    """The modules of a release that are written in TypeScript and JavaScript."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        files: dict[str, str] = {}
        for path in list_sources(folder, languages_of("typescript") | languages_of("javascript")):
            # Declarations say best what there is.
            module = _ENDING.sub("", path)
            if module not in files or ".d." in path.rpartition("/")[2]:
                files[module] = path
        self._files = files
        self._known: dict[str, _Module] = {}

    def file_of(self, module: str) -> str:
        """The file of a module, by its path without ending."""
        return self._files[module]

    def line_of(self, defined: Definition) -> int:
        """The 1-based line of a definition; the first one if it is not found."""
        text = read_bytes(f"{self._folder}/{self.file_of(defined.module)}").decode("utf-8", "replace")
        name = re.escape(defined.name)
        found = re.search(rf"(?m)^.*\bexport\b.*(?<![\w$]){name}(?![\w$])", text) if defined.name else None
        return text.count("\n", 0, found.start()) + 1 if found is not None else 1

    @cached_property
    def exported(self) -> Mapping[tuple[str, str], Definition]:
        """Each name by the module that users import it from and the name, with its definition."""
        found: dict[tuple[str, str], Definition] = {}
        for specifier, module in self._specifiers.items():
            for name in self._names(module):
                defined = self._find(module, name, set())
                if defined is not None:
                    found[specifier, name] = defined
        return found

    @cached_property
    def by_name(self) -> Mapping[str, Sequence[tuple[str, Definition]]]:
        """The modules that export each name, with its definitions."""
        found: dict[str, list[tuple[str, Definition]]] = defaultdict(list)
        for (specifier, name), defined in self.exported.items():
            found[name].append((specifier, defined))
        return found

    @property
    def has_packages(self) -> bool:
        """Whether any package is described."""
        return bool(self._packages)

    def is_packaged(self, specifier: str) -> bool:
        """Return whether a module is named by the package it is in."""
        whole = f"{specifier}/"
        return any(whole.startswith(f"{data['name']}/") for data in self._packages.values())

    def are_of_one(self, module: str, other: str) -> bool:
        """Return whether two modules, by path without ending, are of one package."""
        package = self._package_of(module)
        return package is not None and package == self._package_of(other)

    @cached_property
    def _specifiers(self) -> Mapping[str, str]:
        """The modules by what an import names them with: the package and the path in it, or what the package lists."""
        found: dict[str, str] = {}
        listed: set[str] = set()
        for folder, data in self._packages.items():
            name = data["name"]
            for key, value in _listed_exports(data):
                module = self._resolved(folder, "./" + value)
                if module is not None:
                    found[posixpath.normpath(f"{name}/{key}")] = module
            if "exports" in data:
                listed.add(folder)
            else:
                main = next(
                    (data[key] for key in ("types", "typings", "module", "main") if isinstance(data.get(key), str)),
                    "index",
                )
                # The files that a package names may have to be built first.
                places = (self._resolved(folder, "./" + path) for path in (main, "index", "src/index"))
                if (module := next((found for found in places if found is not None), None)) is not None:
                    found[name] = module
        for module, path in self._files.items():
            package = self._package_of(module)
            if package is None:
                if specifier := included(path):
                    found.setdefault(specifier, module)
            elif package not in listed:
                inner = re.sub(r"(?:^|/)index\Z", "", module[len(package) :].lstrip("/"))
                found.setdefault(posixpath.normpath(f"{self._packages[package]['name']}/{inner}"), module)
        return found

    @cached_property
    def _packages(self) -> Mapping[str, dict[str, Any]]:
        """What the description of each package says, by the folder that has it."""
        found = {}
        folders = {folder for module in self._files for folder in _folders_of(module)}
        for folder in sorted(folders):
            data = read_bytes(f"{self._folder}/{folder}/package.json" if folder else f"{self._folder}/package.json")
            try:
                described = json.loads(data) if data else None
            except (ValueError, RecursionError):
                continue
            if isinstance(described, dict) and isinstance(described.get("name"), str):
                found[folder] = described
        return found

    def _package_of(self, module: str) -> str | None:
        return next((folder for folder in reversed(_folders_of(module)) if folder in self._packages), None)

    def _names(self, module: str) -> Iterator[str]:
        """The names that a module exports, those of modules that it exports whole included."""
        seen, waiting = {module}, [module]
        found: dict[str, None] = {}
        while waiting:
            read = self._module(waiting.pop())
            found.update(dict.fromkeys((*read.own, *read.taken)))
            fresh = [star for star in read.stars if star not in seen]
            seen.update(fresh)
            waiting += fresh
        return iter(found)

    def _find(self, module: str, name: str, seen: set[tuple[str, str]]) -> Definition | None:
        """Where a name that a module exports is defined. `seen` are the modules that were asked for it: some export one another."""
        if (module, name) in seen:
            return None
        seen.add((module, name))
        read = self._module(module)
        if name in read.own:
            return Definition(module, name)
        if name in read.taken:
            there = read.taken[name]
            return self._find(there.module, there.name, seen) if there.name else there
        return next((found for star in read.stars if (found := self._find(star, name, seen)) is not None), None)

    def _module(self, module: str) -> _Module:
        if module not in self._known:
            text = read_bytes(f"{self._folder}/{self._files[module]}").decode("utf-8", "replace")
            self._known[module] = self._read(module, _outside_namespaces(_COMMENTS.sub("", text)))
        return self._known[module]

    def _read(self, module: str, text: str) -> _Module:
        own = {found["name"] for found in _DECLARED.finditer(text)}
        folder = posixpath.dirname(module)
        imported: dict[str, Definition] = {}
        for found in _IMPORTED.finditer(text):
            there = self._resolved(folder, found["module"])
            for name, alias in _aliases(found["names"]):
                if there is not None:
                    imported[alias] = Definition(there, name)
        taken: dict[str, Definition] = {}
        for found in _LISTED.finditer(text):
            there = self._resolved(folder, found["module"]) if found["module"] else None
            for name, alias in _aliases(found["names"]):
                if there is not None:
                    taken[alias] = Definition(there, name)
                elif found["module"] is None and name in imported:
                    taken[alias] = imported[name]
                elif found["module"] is None:
                    own.add(alias)
        stars = []
        for found in (*_STAR.finditer(text), *_OLD_STAR.finditer(text)):
            there = self._resolved(folder, found["module"])
            if there is not None and (shown_as := found.groupdict().get("name")):
                taken[shown_as] = Definition(there, "")
            elif there is not None:
                stars.append(there)
        if not _IMPORTED.search(text):
            own |= {found["name"] or found["other"] for found in _OLD_NAME.finditer(text)} - {"__esModule", "default"}
            own |= {
                alias
                for found in _OLD_LIST.finditer(text)
                for _, alias in _aliases(found["names"].replace(":", " as "))
            }
        return _Module(frozenset(own), taken, stars)

    def _resolved(self, folder: str, written: str) -> str | None:
        """The module that an import in a folder names; None for one of another package."""
        if written.startswith("."):
            path = posixpath.normpath(posixpath.join(folder, written))
        else:
            whole = f"{written}/"
            at = next((at for at, data in self._packages.items() if whole.startswith(f"{data['name']}/")), None)
            if at is None:
                return None
            path = posixpath.normpath(f"{at}/{written[len(self._packages[at]['name']) :]}".strip("/"))
        path = _ENDING.sub("", "" if path == "." else path)
        return next((item for item in (path, f"{path}/index".lstrip("/")) if item in self._files), None)


def _outside_namespaces(text: str) -> str:
    """A text without the bodies of its namespaces; the whole text where a brace is missing."""
    parts, at = [], 0
    while (head := _NAMESPACE.search(text, at)) is not None:
        parts.append(text[at : head.end()])
        at, depth = head.end(), 1
        while depth and (brace := _BRACE.search(text, at)) is not None:
            depth += 1 if brace[0] == "{" else -1
            at = brace.end()
        if depth:
            return text
        parts.append("}")
    return "".join((*parts, text[at:]))


def is_internal(specifier: str) -> bool:
    """Whether a module is not meant for users of its package, or is another build of the same code."""
    return rank_of(specifier)[0] > 0


def rank_of(specifier: str) -> tuple[int, int, str]:
    """How good a module is to import from, the best first: one for others, near the root of its package."""
    parts = specifier.split("/")
    return sum(_PRIVATE.fullmatch(part) is not None for part in parts[1:]), len(parts), specifier


def _aliases(names: str) -> Iterator[tuple[str, str]]:
    """The names of an import or export list, each with the name it gets."""
    for part in names.split(","):
        words = part.split()
        words = words[1:] if words[:1] == ["type"] and len(words) > 1 else words
        if words and all(re.fullmatch(r"[\w$]+", word) for word in words):
            yield words[0], words[2] if len(words) == 3 and words[1] == "as" else words[0]


def _listed_exports(data: Mapping[str, Any]) -> Iterator[tuple[str, str]]:
    """What a package lists under `exports`, without patterns: the path in the package, and the file."""
    listed = data.get("exports")
    table = listed if isinstance(listed, dict) and any(key.startswith(".") for key in listed) else {".": listed}
    for key, value in table.items():
        path = _first_path(value)
        if path and "*" not in key:
            yield key, path.removeprefix("./")


def _first_path(value: Any) -> str:
    """The file of an entry, which may differ by condition; declarations first."""
    if isinstance(value, str):
        return value
    if isinstance(value, dict):
        ordered = sorted(value.items(), key=lambda item: item[0] != "types")
        return next((path for _, inner in ordered if (path := _first_path(inner))), "")
    return next((path for inner in value if (path := _first_path(inner))), "") if isinstance(value, list) else ""


def _folders_of(module: str) -> list[str]:
    """The folders around a module, the outermost first."""
    parts = module.split("/")[:-1]
    return ["/".join(parts[:end]) for end in range(len(parts) + 1)]


@lru_cache(maxsize=16)
def script_packages_of(folder: Path) -> ScriptPackages:
    """The script modules of a release, read once: a release does not change."""
    return ScriptPackages(folder)
