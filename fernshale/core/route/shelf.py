"""A shelf as a value: its releases of engines and plugins, their metadata and locations."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import ClassVar, Literal, Protocol

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.release import parse_release, same_release
from fernshale.core.base.texts import tr
from fernshale.core.base.toml_schema import STRICT
from fernshale.core.base.work import UNWATCHED, Work

ReleaseStage = Literal["stable", "preview", "revision"]
ShelfKind = Literal["renamed", "split", "folded", "deprecated"]


class NotOnShelf(FernshaleError):
    """A release that was asked for is not there."""


@dataclass(frozen=True, slots=True)
class KnownFault:
    """A known bug of a release. It affects projects that use one of the names in `concerns`; without names, all projects."""

    __pydantic_config__: ClassVar = STRICT
    what: str
    concerns: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Demand:
    """A toolchain version that a release demands: at least this version of the profile's standard or requirement of that name."""

    __pydantic_config__: ClassVar = STRICT
    name: str
    at_least: str
    why: str = ""


@dataclass(frozen=True, slots=True)
class Workaround:
    """A line that files of a project (`file`, a glob) need for a release, inserted after the last line that contains `after`,
    or at the end.

    It is no longer needed from the release `until` on; empty if that release is unknown.
    """

    __pydantic_config__: ClassVar = STRICT
    file: str
    line: str
    why: str
    after: str = ""
    until: str = ""

    def __post_init__(self) -> None:
        if not self.line.strip() or "\n" in self.line:
            raise ValueError(tr("a workaround is one line with something on it"))
        if self.until:
            try:
                parse_release(self.until)
            except FernshaleError as error:
                raise ValueError(error.message) from error


@dataclass(frozen=True, slots=True)
class Need:
    """Another plugin that a release needs, in one of the releases it accepts."""

    __pydantic_config__: ClassVar = STRICT
    id: str
    accepts: str = "*"


@dataclass(frozen=True, slots=True)
class EngineRelease:
    """A release of an engine, in a `folder` of the shelf or in an `archive` (then `folder` is a folder inside the archive).

    `place` is a folder outside of the shelf, which a person has to allow. `values` belong to this release and move with
    it in a project, such as the number of its data format, by name.
    """

    __pydantic_config__: ClassVar = STRICT
    id: str
    version: str
    folder: str = ""
    archive: str = ""
    checksum: str = ""
    place: str = ""
    stage: ReleaseStage = "stable"
    notes: str = ""
    rules: tuple[str, ...] = ()
    faults: tuple[KnownFault, ...] = ()
    demands: tuple[Demand, ...] = ()
    workarounds: tuple[Workaround, ...] = ()
    values: Mapping[str, str] = field(default_factory=dict, hash=False)


@dataclass(frozen=True, slots=True)
class PluginRelease:
    """A vendor's release of a plugin; `place` as for an engine.

    `accepts` is the range of engine releases it declares, empty if unknown; `said_to_work` is the range reported by
    others. All plugins of one `set` have the same version in a project.
    """

    __pydantic_config__: ClassVar = STRICT
    id: str
    version: str
    folder: str = ""
    archive: str = ""
    checksum: str = ""
    place: str = ""
    accepts: str = ""
    said_to_work: str = ""
    stage: ReleaseStage = "stable"
    notes: str = ""
    set: str = ""
    requires: tuple[Need, ...] = ()
    faults: tuple[KnownFault, ...] = ()


@dataclass(frozen=True, slots=True)
class Succession:
    """The successor of a plugin: renamed, split into several, folded into another, or deprecated without one."""

    __pydantic_config__: ClassVar = STRICT
    id: str
    kind: ShelfKind
    to: tuple[str, ...] = ()
    why: str = ""


ShelfRelease = EngineRelease | PluginRelease


class ShelfSource(Protocol):
    """Where one shelf is: a folder of this machine, or a server."""

    @property
    def address(self) -> str:
        """As the user named it."""
        ...

    @property
    def folder(self) -> Path:
        """A local folder with the release's files."""
        ...

    def file(self, path: str) -> Path:
        """A single file of the shelf on this machine. Raises ShelfError."""
        ...

    def is_here(self, item: ShelfRelease) -> bool:
        """Whether a release can be read without a download."""
        ...

    def place(self, item: ShelfRelease, work: Work) -> Path:
        """The folder of a release on this machine, fetched and unpacked where need be. Raises ShelfError, Cancelled."""
        ...


@dataclass(frozen=True, eq=False)
class Shelf:
    """One or several shelves; releases are in ascending order. `notices` are harmless inconsistencies, in words.

    Caches of values computed from a shelf are keyed by the Shelf object, so a shelf that is read again invalidates them.
    """

    title: str
    engines: tuple[EngineRelease, ...]
    plugins: tuple[PluginRelease, ...]
    successions: tuple[Succession, ...]
    notices: tuple[str, ...]
    sources: tuple[ShelfSource, ...]
    owners: Mapping[ShelfRelease, ShelfSource] = field(repr=False)

    @property
    def addresses(self) -> tuple[str, ...]:
        return tuple(source.address for source in self.sources)

    def engine(self, id: str, version: str) -> EngineRelease:
        """Return a release of the engine. Raises NotOnShelf, which lists the available ones."""
        there = self.engines_of(id)
        found = next((item for item in there if same_release(item.version, version)), None)
        if found is not None:
            return found
        names = ", ".join(item.version for item in there) or tr("no release of it")
        raise NotOnShelf(
            tr(
                "{id} {version} is not on the shelf {addresses}; there is {names}",
                id=id,
                version=version,
                addresses=", ".join(self.addresses),
                names=names,
            )
        )

    def engines_of(self, id: str) -> tuple[EngineRelease, ...]:
        return tuple(item for item in self.engines if item.id == id)

    def releases_of(self, plugin: str) -> tuple[PluginRelease, ...]:
        return self._by_plugin.get(plugin, ())

    @cached_property
    def _by_plugin(self) -> Mapping[str, tuple[PluginRelease, ...]]:
        found: dict[str, list[PluginRelease]] = {}
        for item in self.plugins:
            found.setdefault(item.id, []).append(item)
        return {id: tuple(items) for id, items in found.items()}

    def plugin(self, id: str, version: str) -> PluginRelease | None:
        """The release of a plugin, None when it is not here."""
        return next((item for item in self.releases_of(id) if same_release(item.version, version)), None)

    def succession(self, plugin: str) -> Succession | None:
        """Return the succession of a plugin, None if there is none."""
        return next((item for item in self.successions if item.id == plugin), None)

    def is_here(self, item: ShelfRelease) -> bool:
        """Whether a release can be read without a download."""
        return self.owners[item].is_here(item)

    def place(self, item: ShelfRelease, work: Work = UNWATCHED) -> Path:
        """The folder of a release on this machine. Raises ShelfError, Cancelled."""
        return self.owners[item].place(item, work)

    def file(self, item: ShelfRelease, path: str) -> Path:
        """Return a file of a release, such as its notes. Raises ShelfError."""
        return self.owners[item].file(path)
