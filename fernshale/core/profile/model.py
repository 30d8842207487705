"""The values of an engine profile, as docs/profile.md describes them for those who write one."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path
from typing import ClassVar, Literal

from fernshale.core.base.schema import STRICT

Notation = Literal["exact", "interval", "comparators"]
Role = Literal["own", "plugin", "user content", "generated", "asset", "settings", "other"]
ROLES: tuple[Role, ...] = ("own", "plugin", "user content", "generated", "asset", "settings", "other")


@dataclass(frozen=True, slots=True)
class Reach:
    """How to reach one value in a file: exactly one of the four is set.

    `json` is a JSON pointer, `toml` a dotted key, `ini` a `section.key` (or a `key` before any section), `pattern` a
    regular expression with a group named `value`.
    """

    __pydantic_config__: ClassVar = STRICT
    json: str = ""
    toml: str = ""
    ini: str = ""
    pattern: str = ""

    def __post_init__(self) -> None:
        if sum(bool(way) for way in (self.json, self.toml, self.ini, self.pattern)) != 1:
            raise ValueError("exactly one of json, toml, ini and pattern must be given")

    @property
    def text(self) -> str:
        return self.json or self.toml or self.ini or f"/{self.pattern}/"


@dataclass(frozen=True, slots=True)
class Site:
    """A place where a release is written. With `{plugin}` in its reach it stands once for each plugin's release."""

    __pydantic_config__: ClassVar = STRICT
    name: str
    files: tuple[str, ...]
    at: Reach
    notation: Notation = "exact"
    required: bool = False


@dataclass(frozen=True, slots=True)
class Recognise:
    """A folder is a project's root when each glob fits at least one file of it."""

    __pydantic_config__: ClassVar = STRICT
    files: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class PluginShape:
    """Where plugins stand and what their descriptor says. `folders` are globs of folders."""

    __pydantic_config__: ClassVar = STRICT
    folders: tuple[str, ...] = ()
    descriptor: str = ""
    id: Reach | None = None
    version: Reach | None = None
    accepts: Reach | None = None
    accepts_notation: Notation = "interval"


@dataclass(frozen=True, slots=True)
class RoleRule:
    """Files of one role; the first rule that fits decides."""

    __pydantic_config__: ClassVar = STRICT
    role: Role
    files: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Command:
    """A command as an argument list with placeholders."""

    __pydantic_config__: ClassVar = STRICT
    run: tuple[str, ...]
    folder: str = "{project}"
    environment: dict[str, str] = field(default_factory=dict)
    timeout_s: float = 3600.0


@dataclass(frozen=True, slots=True)
class Commands:
    __pydantic_config__: ClassVar = STRICT
    regenerate: Command | None = None
    build: Command | None = None
    run: Command | None = None


@dataclass(frozen=True, slots=True)
class Requirement:
    """A precondition: the command runs, and what `pattern` finds as `version` is `at_least` as new."""

    __pydantic_config__: ClassVar = STRICT
    name: str
    run: tuple[str, ...]
    pattern: str = ""
    at_least: str = ""
    hint: str = ""


@dataclass(frozen=True, slots=True)
class Severity:
    __pydantic_config__: ClassVar = STRICT
    severity: Literal["error", "warning"]
    pattern: str


@dataclass(frozen=True, slots=True)
class LogShape:
    """How to read a run's log: parts that change from run to run, and lines that are errors or warnings."""

    __pydantic_config__: ClassVar = STRICT
    volatile: tuple[str, ...] = ()
    severity: tuple[Severity, ...] = ()


@dataclass(frozen=True, slots=True)
class Check:
    """A file the run produces, compared with one that says how it should be."""

    __pydantic_config__: ClassVar = STRICT
    name: str
    produced: str
    expected: str


@dataclass(frozen=True, slots=True)
class IdPattern:
    """Where ids stand: `pattern` has a group named `id`."""

    __pydantic_config__: ClassVar = STRICT
    files: tuple[str, ...]
    pattern: str


@dataclass(frozen=True, slots=True)
class LinkShape:
    """Ids that assets declare and ids that assets use."""

    __pydantic_config__: ClassVar = STRICT
    declare: tuple[IdPattern, ...] = ()
    use: tuple[IdPattern, ...] = ()


@dataclass(frozen=True, slots=True)
class DiagnosticPattern:
    """An extra shape of diagnostic line: a pattern with groups `file`, `line`, `message` and maybe more."""

    __pydantic_config__: ClassVar = STRICT
    pattern: str
    severity: Literal["error", "warning"] = "error"


@dataclass(frozen=True, slots=True)
class Profile:
    """One engine, as a file describes it. `path` is where it was read from, `digest` of what bytes."""

    __pydantic_config__: ClassVar = STRICT
    id: str
    title: str
    recognise: Recognise
    site: tuple[Site, ...]
    installed: tuple[str, ...] = ()
    plugins: PluginShape = PluginShape()
    role: tuple[RoleRule, ...] = ()
    commands: Commands = Commands()
    requirement: tuple[Requirement, ...] = ()
    log: LogShape = LogShape()
    check: tuple[Check, ...] = ()
    links: LinkShape = LinkShape()
    diagnostic: tuple[DiagnosticPattern, ...] = ()
    path: Path = field(default=Path(), kw_only=True)
    digest: str = field(default="", kw_only=True)
