"""The settings of a user: `settings.toml` in the user's configuration folder, written by hand or in the window.

format = "fernshale-settings/1"
[work]
jobs = 4
"""

from __future__ import annotations

import os
from collections.abc import Mapping
from dataclasses import dataclass, field, fields
from pathlib import Path
from typing import Any, ClassVar, Literal

from fernshale.core.base.confidence import AUTOMATIC_FROM
from fernshale.core.base.data_folder import config_folder
from fernshale.core.base.disk import write_atomic
from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.toml_schema import STRICT, parse_toml, read_toml, read_utf8

FORMAT = "fernshale-settings/1"
NAME = "settings.toml"
JOBS_VARIABLE = "FERNSHALE_JOBS"
_GIB = 1 << 30


@dataclass(frozen=True, slots=True)
class Look:
    """How the window looks. `letters` is their size, 1 being the usual one, 0 as the desktop's. `language` is the code of a
    translation, "" for the desktop's language."""

    __pydantic_config__: ClassVar = STRICT
    theme: Literal["desktop", "light", "dark"] = "desktop"
    contrast: Literal["usual", "high"] = "usual"
    letters: float = 0.0
    language: str = ""

    def __post_init__(self) -> None:
        if self.letters and not 0.85 <= self.letters <= 2:
            raise ValueError(tr("letters must be 0, or from 0.85 to 2"))


@dataclass(frozen=True, slots=True)
class WorkSettings:
    """`editor` is a command with `{file}` and `{line}`. `jobs` are parallel jobs of a build, 0 for one per processor.
    `apply_from` is the confidence, 0.5 to 1, from which new crossings apply fixes automatically; above 1 none."""

    __pydantic_config__: ClassVar = STRICT
    editor: str = ""
    jobs: int = 0
    apply_from: float = AUTOMATIC_FROM

    def __post_init__(self) -> None:
        if not 0 <= self.jobs <= 1024:
            raise ValueError(tr("jobs must be from 0 to 1024"))
        if not 0.5 <= self.apply_from <= 2:
            raise ValueError(tr("apply_from must be from 0.5 to 1, or 2 for never"))


@dataclass(frozen=True, slots=True)
class StoreSettings:
    """The snapshot store: its folder, "" for the usual one; from how many GiB on the start page says so, 0 for never; and what
    deleting by a rule keeps of each project: the last snapshots, and the latest of each of the last days."""

    __pydantic_config__: ClassVar = STRICT
    folder: str = ""
    warn_from_gib: float = 0.0
    keep_last: int = 10
    keep_days: int = 14

    def __post_init__(self) -> None:
        if self.folder and not Path(self.folder).expanduser().is_absolute():
            raise ValueError(tr("folder must be an absolute path"))
        if self.warn_from_gib < 0 or self.keep_last < 0 or self.keep_days < 0:
            raise ValueError(tr("sizes and counts must not be negative"))
        if not (self.keep_last or self.keep_days):
            raise ValueError(tr("keep_last or keep_days must be more than 0"))

    @property
    def warn_from_bytes(self) -> int:
        return round(self.warn_from_gib * _GIB)


@dataclass(frozen=True, slots=True)
class ScratchSettings:
    """Copies in which proposals are tried: the largest one in GiB, 0 for as much as the disk has room for."""

    __pydantic_config__: ClassVar = STRICT
    largest_gib: float = 0.0

    def __post_init__(self) -> None:
        if self.largest_gib < 0:
            raise ValueError(tr("largest_gib must not be negative"))

    @property
    def largest_bytes(self) -> int:
        return round(self.largest_gib * _GIB)


@dataclass(frozen=True, slots=True)
class RehearsalSettings:
    """Whether releases that are new on the shelf are rehearsed in the background, in projects that were rehearsed before."""

    __pydantic_config__: ClassVar = STRICT
    new_releases: bool = False


@dataclass(frozen=True, slots=True)
class Notifications:
    """Whether the desktop is notified when work ends while the window is not active, and after how many seconds of work."""

    __pydantic_config__: ClassVar = STRICT
    enabled: bool = True
    after_seconds: float = 10.0


@dataclass(frozen=True, slots=True)
class LogSettings:
    """How much the log says."""

    __pydantic_config__: ClassVar = STRICT
    level: Literal["debug", "info", "warning"] = "info"


@dataclass(frozen=True, slots=True)
class Settings:
    """All settings. Each table and each key may be missing."""

    __pydantic_config__: ClassVar = STRICT
    look: Look = field(default_factory=Look)
    work: WorkSettings = field(default_factory=WorkSettings)
    store: StoreSettings = field(default_factory=StoreSettings)
    scratch: ScratchSettings = field(default_factory=ScratchSettings)
    rehearsal: RehearsalSettings = field(default_factory=RehearsalSettings)
    notifications: Notifications = field(default_factory=Notifications)
    log: LogSettings = field(default_factory=LogSettings)


_DEFAULTS = Settings()


def settings_file() -> Path:
    return config_folder() / NAME


def settings() -> Settings:
    """The settings that hold now. Raises FormatError, MisuseError for a damaged file."""
    path = settings_file()
    return read_toml(path, Settings, FORMAT) if path.exists() else _DEFAULTS


def usable_settings() -> Settings:
    """As `settings`, or the usual ones where the file is damaged: the program has to start to say so."""
    try:
        return settings()
    except FernshaleError:
        return _DEFAULTS


def change_settings(values: Mapping[str, Any]) -> Settings:
    """Write values by `table.key` into the file, and return the settings. Comments and other keys of the file stay.

    Raises MisuseError for a key that does not exist or a file that cannot be written, FormatError for a value that is not allowed;
    then nothing is written.
    """
    import tomlkit

    path = settings_file()
    text = read_utf8(path)[1] if path.exists() else f'format = "{FORMAT}"\n'
    document = tomlkit.parse(text)
    for key, value in values.items():
        table, _, name = key.partition(".")
        if name not in _keys(table):
            raise MisuseError(
                tr("{key} is no setting", key=key), tr("There is {all_keys}.", all_keys=", ".join(all_keys()))
            )
        document.setdefault(table, tomlkit.table())[name] = value
    written = tomlkit.dumps(document)
    found: Settings = parse_toml(written, path, Settings, FORMAT)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
        write_atomic(path, written.encode())
    except OSError as error:
        raise MisuseError(
            tr("{path} cannot be written: {strerror}", path=path, strerror=error.strerror or error)
        ) from error
    return found


def all_keys() -> tuple[str, ...]:
    """Every setting as `table.key`."""
    return tuple(f"{item.name}.{name}" for item in fields(Settings) for name in _keys(item.name))


def _keys(table: str) -> tuple[str, ...]:
    value = getattr(_DEFAULTS, table, None)
    return () if value is None else tuple(item.name for item in fields(value))


def parallel_jobs() -> int:
    """How many jobs a build runs at once; the variable FERNSHALE_JOBS says it for one process."""
    chosen = os.environ.get(JOBS_VARIABLE, "")
    if chosen.isdigit() and int(chosen):
        return int(chosen)
    return usable_settings().work.jobs or os.cpu_count() or 1
