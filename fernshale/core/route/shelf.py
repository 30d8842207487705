"""A shelf: a folder with `shelf.toml` that says which releases of engines and plugins lie where."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar, Literal

from fernshale.core.base.errors import FernshaleError, FormatError, MisuseError
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import parse_release
from fernshale.core.base.schema import STRICT, read_toml

FORMAT = "fernshale-shelf/1"
Stage = Literal["stable", "preview", "revision"]


class NotOnShelf(FernshaleError):
    """A release that was asked for is not there."""


@dataclass(frozen=True, slots=True)
class EngineRelease:
    """A release of an engine; paths are relative to the shelf. `faults` are known faults in words."""

    __pydantic_config__: ClassVar = STRICT
    id: str
    version: str
    folder: str
    stage: Stage = "stable"
    notes: str = ""
    rules: tuple[str, ...] = ()
    faults: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PluginRelease:
    """A vendor's release of a plugin and the engine releases it accepts."""

    __pydantic_config__: ClassVar = STRICT
    id: str
    version: str
    folder: str
    accepts: str = "*"
    stage: Stage = "stable"
    notes: str = ""


@dataclass(frozen=True, slots=True)
class _ShelfFile:
    __pydantic_config__: ClassVar = STRICT
    title: str = ""
    engine: tuple[EngineRelease, ...] = ()
    plugin: tuple[PluginRelease, ...] = ()


@dataclass(frozen=True, slots=True)
class Shelf:
    """A shelf that was read; releases are in ascending order."""

    folder: Path
    title: str
    engines: tuple[EngineRelease, ...]
    plugins: tuple[PluginRelease, ...]

    def engine(self, id: str, version: str) -> EngineRelease:
        """Raises NotOnShelf, with what is there."""
        wanted = parse_release(version)
        there = [item for item in self.engines if item.id == id]
        for item in there:
            if parse_release(item.version) == wanted:
                return item
        names = ", ".join(item.version for item in there) or "no release of it"
        raise NotOnShelf(f"{id} {version} is not on the shelf {self.folder}; there is {names}")

    def releases_of(self, plugin: str) -> tuple[PluginRelease, ...]:
        return tuple(item for item in self.plugins if item.id == plugin)

    def plugin(self, id: str, version: str) -> PluginRelease | None:
        """The release of a plugin, None when it is not here."""
        return next((item for item in self.releases_of(id) if _same_release(item.version, version)), None)

    def place(self, folder: str) -> Path:
        """Where a release lies on disk."""
        return self.folder / folder


def read_shelf(folder: Path) -> Shelf:
    """The shelf at `folder`. Raises MisuseError, or FormatError with every fault."""
    path = folder / "shelf.toml"
    if not path.is_file():
        raise MisuseError(f"{folder} is no shelf: it has no shelf.toml", "Name the folder that holds shelf.toml.")
    file = read_toml(path, _ShelfFile, FORMAT)
    items: tuple[EngineRelease | PluginRelease, ...] = (*file.engine, *file.plugin)
    faults = [(0, fault) for item in items for fault in _faults(folder, item)]
    if faults:
        raise FormatError(path, faults)
    return Shelf(
        folder.resolve(),
        file.title or folder.name,
        tuple(sorted(file.engine, key=lambda item: (item.id, parse_release(item.version)))),
        tuple(sorted(file.plugin, key=lambda item: (item.id, parse_release(item.version)))),
    )


def _faults(shelf: Path, item: EngineRelease | PluginRelease) -> list[str]:
    name = f"{item.id} {item.version}"
    faults = []
    try:
        parse_release(item.version)
        if isinstance(item, PluginRelease):
            parse_range(item.accepts)
    except MisuseError as error:
        faults.append(f"{name}: {error.message}")
    rules = item.rules if isinstance(item, EngineRelease) else ()
    for path in (item.folder, *([item.notes] if item.notes else []), *rules):
        target = (shelf / path).resolve()
        if not target.is_relative_to(shelf.resolve()):
            faults.append(f"{name}: {path} lies outside the shelf")
        elif not target.exists():
            faults.append(f"{name}: {path} is not there")
    return faults


def _same_release(left: str, right: str) -> bool:
    try:
        return parse_release(left) == parse_release(right)
    except MisuseError:
        return left == right
