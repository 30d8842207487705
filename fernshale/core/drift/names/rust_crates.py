"""Names that users of a Rust crate write: `pub use builder::Lamp;` in its `lib.rs` makes `wick::Lamp`, wherever it is defined."""

from __future__ import annotations

import tomllib
from collections import defaultdict
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path
from typing import TYPE_CHECKING, NamedTuple

from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.drift.parsing.languages import parse
from fernshale.core.drift.parsing.rust import module_of, node_text, used_names
from fernshale.core.drift.release_symbols import list_sources, read_bytes

if TYPE_CHECKING:
    from tree_sitter import Node

NamePath = tuple[str, ...]
_RUST = frozenset({"rust"})
# Only such files need a syntax tree; of the others, the items without indentation are public.
_HAS_TREE = lazy_pattern(rb"\bpub\s+use\b|\bmod\s+\w+\s*[;{]")
_ITEM = lazy_pattern(
    rb"(?m)^pub (?:unsafe |async |const |extern \"C\" )*(?:struct|enum|union|trait|fn|const|static|type) (?:mut )?"
    rb"(?P<name>[A-Za-z_]\w*)"
)
_MACRO = lazy_pattern(rb"#\[macro_export[^\]]*\]\s*(?:#\[[^\]]*\]\s*)*macro_rules!\s*(?P<name>[A-Za-z_]\w*)")
_ITEMS = (
    "struct_item",
    "enum_item",
    "union_item",
    "trait_item",
    "function_item",
    "const_item",
    "static_item",
    "type_item",
)
_MAX_DEPTH = 8


class Definition(NamedTuple):
    """Where an item is defined: its path from the root of its crate, and the file. `named_at` is the path of the name by which it
    is shown, which may be another one for it."""

    path: NamePath
    file: str
    named_at: NamePath


class _Target(NamedTuple):
    """What a name stands for: a path that begins at the root of the crate, or in the module `at` where there is one."""

    path: NamePath
    at: NamePath | None = None


@dataclass(slots=True)
class _Module:
    """The names that others can write here, those that only the crate itself can, and what it takes all names from."""

    public: dict[str, _Target] = field(default_factory=dict)
    private: dict[str, _Target] = field(default_factory=dict)
    stars: list[_Target] = field(default_factory=list)
    file: str = ""


@lru_cache(maxsize=16)
def shown_names(folder: Path) -> Mapping[NamePath, Definition]:
    """Return each name that users of the crates of a release can write, the crate first, with its definition; cached, since a
    release does not change."""
    files = [path for path in list_sources(folder, _RUST) if path.endswith(".rs")]
    roots = sorted({path[: -len("src/lib.rs")] for path in files if f"/{path}".endswith("/src/lib.rs")}, key=len)
    found: dict[NamePath, Definition] = {}
    for root in roots:
        inner = [f"{other}src/" for other in roots if other != root and other.startswith(root)]
        own = [path for path in files if path.startswith(f"{root}src/") and not path.startswith(tuple(inner))]
        if name := _crate_name(folder / root):
            crate = _Crate(_read_modules(folder, own))
            found |= {(name, *shown): there for shown, there in crate.shown().items()}
    return found


def written_path(path: NamePath, folder: Path) -> NamePath | None:
    """Return how users write the path of a definition or of a member of one, the crate first; None where they cannot."""
    shortest = _written(folder)
    for end in range(len(path), 0, -1):
        if (shown := shortest.get(path[:end])) is not None:
            return (*shown, *path[end:])
    return None


@lru_cache(maxsize=16)
def _written(folder: Path) -> Mapping[NamePath, NamePath]:
    """The shortest name of each definition."""
    found: dict[NamePath, NamePath] = {}
    for shown, there in sorted(shown_names(folder).items(), key=lambda item: (len(item[0]), item[0])):
        for path in (there.path, there.named_at):
            found.setdefault(path, shown)
    return found


def _crate_name(folder: Path) -> str:
    try:
        data = tomllib.loads((folder / "Cargo.toml").read_text("utf-8", "replace"))
    except (OSError, tomllib.TOMLDecodeError):
        return ""
    said = [data.get(table) for table in ("lib", "package")]
    names = [table.get("name") for table in said if isinstance(table, dict)]
    return next((name.replace("-", "_") for name in names if isinstance(name, str)), "")


def _read_modules(folder: Path, files: Iterable[str]) -> dict[NamePath, _Module]:
    modules: dict[NamePath, _Module] = defaultdict(_Module)
    for path in files:
        at, data = module_of(path), read_bytes(f"{folder}/{path}")
        modules[at].file = path
        if _HAS_TREE.search(data) and (root := parse(data, path)) is not None:
            _read(root, at, modules)
        else:
            for found in _ITEM.finditer(data):
                name = found["name"].decode("ascii", "replace")
                modules[at].public[name] = _Target((*at, name))
        for found in _MACRO.finditer(data):
            name = found["name"].decode("ascii", "replace")
            modules[()].public[name] = _Target((name,))
    return dict(modules)


def _read(parent: Node, at: NamePath, modules: dict[NamePath, _Module]) -> None:
    for child in parent.children:
        is_public = any(item.type == "visibility_modifier" and node_text(item) == "pub" for item in child.children)
        names = modules[at].public if is_public else modules[at].private
        name = node_text(child.child_by_field_name("name"))
        if child.type == "mod_item" and name:
            names[name] = _Target((*at, name))
            inner = modules[(*at, name)]
            if (body := child.child_by_field_name("body")) is not None:
                inner.file = modules[at].file
                _read(body, (*at, name), modules)
        elif child.type == "use_declaration" and (tree := child.child_by_field_name("argument")) is not None:
            for path, name_here in used_names(tree):
                if name_here != "*":
                    names[name_here] = _target(path, at)
                elif is_public:
                    modules[at].stars.append(_target(path, at))
        elif child.type in _ITEMS and name:
            names[name] = _Target((*at, name))


def _target(path: NamePath, at: NamePath) -> _Target:
    """What a path that is written in the module `at` means."""
    if path[:1] == ("crate",):
        return _Target(path[1:])
    if path[:1] == ("self",):
        return _Target((*at, *path[1:]))
    depth = next((number for number, name in enumerate(path) if name != "super"), len(path))
    return _Target((*at[: len(at) - depth], *path[depth:])) if depth else _Target(path, at)


class _Crate:
    """The modules of a crate, to follow names through them."""

    def __init__(self, modules: Mapping[NamePath, _Module]) -> None:
        self._modules = modules

    def shown(self) -> dict[NamePath, Definition]:
        """Return definitions by the paths that lead to them from the root, through public names alone."""
        found: dict[NamePath, Definition] = {}
        waiting: list[tuple[NamePath, NamePath]] = [((), ())]
        visited: set[tuple[NamePath, NamePath]] = set()
        while waiting:
            shown, module = waiting.pop()
            # A module that shows itself under another name would have no end.
            if (shown, module) in visited or len(shown) > _MAX_DEPTH:
                continue
            visited.add((shown, module))
            for name, target in self._public(module, set()).items():
                there = self._resolved(target, set())
                if there is None:
                    continue
                if there in self._modules:
                    waiting.append(((*shown, name), there))
                else:
                    holder = self._modules.get(there[:-1])
                    found.setdefault((*shown, name), Definition(there, holder.file if holder else "", (*module, name)))
        return found

    def _public(self, module: NamePath, visited: set[NamePath]) -> Mapping[str, _Target]:
        here = self._modules.get(module)
        if here is None or module in visited:
            return {}
        visited.add(module)
        names: dict[str, _Target] = {}
        for star in here.stars:
            there = self._resolved(star, set())
            names |= self._public(there, visited) if there is not None else {}
        return names | here.public

    def _resolved(self, target: _Target, visited: set[_Target]) -> NamePath | None:
        """The path of the definition or module that a name stands for; None for one of another crate, and for an endless one."""
        if target in visited:
            return None
        visited.add(target)
        at, path = target.at or (), target.path
        for number, name in enumerate(path):
            here = self._modules.get(at)
            if here is None:
                return (*at, *path[number:])  # a member of a definition
            known = here.public.get(name) or here.private.get(name) or self._public(at, set()).get(name)
            if known is None:
                return None
            if known == _Target((*at, name)):
                at = (*at, name)
            elif (there := self._resolved(known, visited)) is None:
                return None
            else:
                at = there
        return at
