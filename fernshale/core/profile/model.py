"""The values of an engine profile, as docs/profile.md describes them for those who write one."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import ClassVar, Literal

import regex

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.range_dialects import Dialect, Policy
from fernshale.core.base.texts import tr
from fernshale.core.base.toml_schema import STRICT
from fernshale.core.data.expressions import parse_expression

# "exact" is a release, "series" its first numbers; all others are ranges.
Notation = Literal["exact", "series"] | Dialect
# How far a release is, and what the suffix of its number can say.
Stage = Literal["stable", "preview", "revision"]
Role = Literal["own", "plugin", "user content", "generated", "asset", "settings", "other"]
ROLES: tuple[Role, ...] = ("own", "plugin", "user content", "generated", "asset", "settings", "other")


# The placeholder of a plugin in paths and locators.
_OF_PLUGIN = ("{plugin}", "{id}")

SYNTAXES = ("json", "toml", "yaml", "xml", "ini", "properties", "script", "cmake", "pattern")


def has_plugin_placeholder(text: str) -> bool:
    """Whether a glob or a locator is meant for each plugin."""
    return any(name in text for name in _OF_PLUGIN)


@dataclass(frozen=True, slots=True)
class Reach:
    """How to reach one value in a file; exactly one of the locators is set.

    `json` and `yaml` are JSON pointers, `toml` a dotted key, `xml` an XPath to an element or attribute, `ini` a
    `section.key` (or a `key` before any section), `properties` a key of a `key=value` file, `script` the dotted path of
    an assignment or call in nested braces (`ext.engineRelease`), `cmake` a command and the argument before the value
    (`set ENGINE_RELEASE`), `pattern` a regular expression with a group named `value`. With `part`, another such expression,
    the value is a part of the one that the locator finds.
    """

    __pydantic_config__: ClassVar = STRICT
    json: str = ""
    toml: str = ""
    yaml: str = ""
    xml: str = ""
    ini: str = ""
    properties: str = ""
    script: str = ""
    cmake: str = ""
    pattern: str = ""
    part: str = ""

    def __post_init__(self) -> None:
        if sum(bool(getattr(self, syntax)) for syntax in SYNTAXES) != 1:
            raise ValueError(
                tr(
                    "exactly one of {syntaxes} and {last} must be given",
                    syntaxes=", ".join(SYNTAXES[:-1]),
                    last=SYNTAXES[-1],
                )
            )

    @property
    def syntax(self) -> str:
        """The name of the locator that is set."""
        return next(syntax for syntax in SYNTAXES if getattr(self, syntax))

    @property
    def text(self) -> str:
        """The locator's value, for people."""
        where = f"/{self.pattern}/" if self.pattern else str(getattr(self, self.syntax))
        return f"{where} /{self.part}/" if self.part else where

    @property
    def patterns(self) -> tuple[str, ...]:
        """The regular expressions in it, with a word for each plugin placeholder."""
        filled = self.filled(plugin="plugin", id="plugin")
        return tuple(text for text in (filled.pattern, filled.part) if text)

    def filled(self, **values: str) -> Reach:
        """The same locator with `{name}` replaced by each of the values; in patterns, as literal text."""
        changed = {syntax: getattr(self, syntax) for syntax in (self.syntax, "part")}
        for name, value in values.items():
            for syntax, text in changed.items():
                literal = regex.escape(value) if syntax in ("pattern", "part") else value
                changed[syntax] = text.replace(f"{{{name}}}", literal)
        return replace(self, **changed)


@dataclass(frozen=True, slots=True)
class Site:
    """A place that names a release, of the engine or (`of`) of a plugin.

    With `{plugin}` or `{id}` it exists once for each plugin: in `files` they are the plugin's folder and its id, in the locator
    both are its id. A site with one of them in its locator names that plugin's release unless `of` says otherwise.

    `policy` is what happens to a range that does not hold the new release: one end is moved ("widen"), the upper end is
    moved to the next bound of its kind ("next bound"), or both ends are ("move"), because old releases are not meant any more.
    """

    __pydantic_config__: ClassVar = STRICT
    name: str
    files: tuple[str, ...]
    at: Reach
    notation: Notation = "exact"
    required: bool = False
    of: Literal["", "engine", "plugin"] = ""
    policy: Policy = "widen"

    @property
    def is_per_plugin(self) -> bool:
        return any(has_plugin_placeholder(text) for text in (*self.files, self.at.text))

    @property
    def names_plugin(self) -> bool:
        """Whether it is a plugin's release that is written here."""
        return self.of == "plugin" or (not self.of and has_plugin_placeholder(self.at.text))


@dataclass(frozen=True, slots=True)
class ReleaseValue:
    """A value that belongs to each release of the engine, such as the version of its build plugin or the number of its data
    format. The shelf has it for each release, under the same name."""

    __pydantic_config__: ClassVar = STRICT
    name: str
    files: tuple[str, ...]
    at: Reach


@dataclass(frozen=True, slots=True)
class Recognise:
    """A folder is a project's root when each glob fits at least one file of it.

    With `holds`, one of these files must also contain that text, because their names alone tell too little.
    """

    __pydantic_config__: ClassVar = STRICT
    files: tuple[str, ...]
    holds: str = ""

    def __post_init__(self) -> None:
        for glob in self.files:
            if not glob.strip("/") or ".." in glob.split("/") or glob.startswith("/"):
                raise ValueError(tr("{glob!r} is no glob of files in the project's folder", glob=glob))


@dataclass(frozen=True, slots=True)
class Switch:
    """Where a plugin is switched on: a value that becomes `off` (`{plugin}` in `at` is its name), or, without `off`, a list of
    plugin

    names.
    """

    __pydantic_config__: ClassVar = STRICT
    files: tuple[str, ...]
    at: Reach
    off: str = ""


@dataclass(frozen=True, slots=True)
class Compiled:
    """Plugins with compiled parts: those with files that match `sources`. `commands.rebuild` writes into the folder `output`,
    one for

    each engine release; the file `stamp` in it names, at `at`, the release it was built for.
    """

    __pydantic_config__: ClassVar = STRICT
    sources: tuple[str, ...]
    output: str
    stamp: str
    at: Reach


@dataclass(frozen=True, slots=True)
class PluginShape:
    """Where plugins are and how to read their descriptors. `folders` are globs of folders.

    `descriptor` is the name of a file in the folder, or a glob of one. `{plugin}` in it is the folder's own name.
    """

    __pydantic_config__: ClassVar = STRICT
    folders: tuple[str, ...] = ()
    descriptor: str = ""
    id: Reach | None = None
    version: Reach | None = None
    accepts: Reach | None = None
    accepts_notation: Notation = "interval"
    switch: tuple[Switch, ...] = ()
    compiled: Compiled | None = None


@dataclass(frozen=True, slots=True)
class EngineShape:
    """How a folder is recognised as a release of the engine: by a file in it, and where that has the version."""

    __pydantic_config__: ClassVar = STRICT
    descriptor: str
    version: Reach


@dataclass(frozen=True, slots=True)
class RoleRule:
    """Files of one role; the first rule that matches applies.

    Generated files may name their sources (`from`, globs): those older than a source are stale.
    """

    __pydantic_config__: ClassVar = STRICT
    role: Role
    files: tuple[str, ...]
    made_from: tuple[str, ...] = ()
    why: str = ""


@dataclass(frozen=True, slots=True)
class Override:
    """How to give a member that inherits its own release: insert `text` after the match of `after`, or at the end."""

    __pydantic_config__: ClassVar = STRICT
    text: str
    after: str = ""


@dataclass(frozen=True, slots=True)
class Workspace:
    """Small projects that inherit the release from the root. `members` are globs of folders, each with a `descriptor`.

    A member pins a release (`pin` finds one), overrides it (`release` finds one), or inherits the root's;
    `inherits` is the value at `release` that means so.
    """

    __pydantic_config__: ClassVar = STRICT
    members: tuple[str, ...]
    descriptor: str
    name: Reach | None = None
    release: Reach | None = None
    pin: Reach | None = None
    inherits: str = ""
    override: Override | None = None


@dataclass(frozen=True, slots=True)
class Standard:
    """A number the project states for its toolchain, as the language standard it is compiled by."""

    __pydantic_config__: ClassVar = STRICT
    name: str
    files: tuple[str, ...]
    at: Reach


@dataclass(frozen=True, slots=True)
class ProfileCommand:
    """A command as an argument list with placeholders."""

    __pydantic_config__: ClassVar = STRICT
    run: tuple[str, ...]
    folder: str = "{project}"
    environment: dict[str, str] = field(default_factory=dict)
    timeout_s: float = 3600.0
    # End the command after this much time without output; 0 for never.
    silence_s: float = 0.0

    def __post_init__(self) -> None:
        if not self.run or not self.run[0].strip():
            raise ValueError(tr("run must name a program"))


@dataclass(frozen=True, slots=True)
class Commands:
    __pydantic_config__: ClassVar = STRICT
    regenerate: ProfileCommand | None = None
    build: ProfileCommand | None = None
    run: ProfileCommand | None = None
    rebuild: ProfileCommand | None = None

    @property
    def named(self) -> tuple[tuple[str, ProfileCommand], ...]:
        """Those that are there, by name."""
        found = (("regenerate", self.regenerate), ("build", self.build), ("run", self.run), ("rebuild", self.rebuild))
        return tuple((name, command) for name, command in found if command is not None)


@dataclass(frozen=True, slots=True)
class Requirement:
    """A precondition: the environment has a `variable`, or the command succeeds and the `version` group of `pattern` is at
    least

    `at_least`.
    """

    __pydantic_config__: ClassVar = STRICT
    name: str
    run: tuple[str, ...] = ()
    variable: str = ""
    pattern: str = ""
    at_least: str = ""
    hint: str = ""

    def __post_init__(self) -> None:
        if bool(self.run) == bool(self.variable):
            raise ValueError(tr("exactly one of run and variable must be given"))


@dataclass(frozen=True, slots=True)
class Frames:
    """Where a run writes its frame times: a CSV `file`, their `column`, and how many of its units make a second.

    `runs` is the number of runs of the game, to separate differences from noise.
    """

    __pydantic_config__: ClassVar = STRICT
    file: str
    column: str
    per_second: float = 1000.0
    runs: int = 3


@dataclass(frozen=True, slots=True)
class Picture:
    """A picture that a run leaves; `tolerance` is the colour difference (ΔE*ab) that does not count."""

    __pydantic_config__: ClassVar = STRICT
    name: str
    produced: str
    tolerance: float = 2.3


@dataclass(frozen=True, slots=True)
class SeverityRule:
    __pydantic_config__: ClassVar = STRICT
    severity: Literal["error", "warning"]
    pattern: str


@dataclass(frozen=True, slots=True)
class LogShape:
    """How to read a run's log: parts that change from run to run, lines that are errors or warnings, and the line that reports
    that the

    game has started.
    """

    __pydantic_config__: ClassVar = STRICT
    volatile: tuple[str, ...] = ()
    severity: tuple[SeverityRule, ...] = ()
    started: str = ""


@dataclass(frozen=True, slots=True)
class Check:
    """A check of the game's behaviour, in one of four forms: `produced` (a file of the run) is compared with `expected`; a line
    of the

    log matches `prints`, or none matches `never`; the command `run` succeeds (and prints `prints`); or a person follows the
    instruction `by_hand`. `why` is the purpose.
    """

    __pydantic_config__: ClassVar = STRICT
    name: str
    produced: str = ""
    expected: str = ""
    prints: str = ""
    never: str = ""
    run: tuple[str, ...] = ()
    by_hand: str = ""
    why: str = ""
    timeout_s: float = 600.0

    def __post_init__(self) -> None:
        kinds = (self.produced, self.run, self.by_hand, (self.prints or self.never) and not self.run)
        if sum(map(bool, kinds)) != 1:
            raise ValueError(tr("exactly one of produced, run, by_hand, and prints or never must be given"))
        if bool(self.produced) != bool(self.expected):
            raise ValueError(tr("produced and expected go together"))


@dataclass(frozen=True, slots=True)
class IdPattern:
    """Where ids are, in one of three forms: `pattern` has a group named `id`; `key` names the keys whose values they are, in
    files of a

    known format; `at` is a data path (`nodes/*/mesh`).

    `kind` is the kind of object they identify. With `names = "file"` they are paths, resolved against the file's folder, the
    project's root and folders that match `roots`. With `raw`, the pattern matches bytes, and the id is stored as text, as bytes
    that are written as hex digits, or as the bytes of a UUID.
    """

    __pydantic_config__: ClassVar = STRICT
    files: tuple[str, ...]
    pattern: str = ""
    key: tuple[str, ...] = ()
    at: str = ""
    kind: str = ""
    names: Literal["id", "file"] = "id"
    roots: tuple[str, ...] = ()
    raw: Literal["", "text", "hex", "uuid"] = ""

    def __post_init__(self) -> None:
        if sum(map(bool, (self.pattern, self.key, self.at))) != 1:
            raise ValueError(tr("exactly one of pattern, key and at must be given"))
        if self.raw and not self.pattern:
            raise ValueError(tr("raw goes with a pattern"))


@dataclass(frozen=True, slots=True)
class PathPattern:
    """Where files name other files: `pattern` has a group named `path`. It is resolved against the file's folder, the project's
    root,

    and folders that match one of the globs in `roots`.
    """

    __pydantic_config__: ClassVar = STRICT
    files: tuple[str, ...]
    pattern: str
    roots: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class LinkShape:
    """Ids that assets declare, ids that assets use, and files that name others."""

    __pydantic_config__: ClassVar = STRICT
    declare: tuple[IdPattern, ...] = ()
    use: tuple[IdPattern, ...] = ()
    include: tuple[PathPattern, ...] = ()


@dataclass(frozen=True, slots=True)
class BinaryFormat:
    """Assets that only the engine can read: a command `print`s what one declares and uses, and one `write`s other ids into it.

    `print` gets {file} and prints a JSON object a line, with "declares" or "uses", and "kind" and "at" if it likes. `write` gets
    {file}, {changes} (a JSON file with the new id of each old one) and {out}. `kinds` are the kinds of ids, if there are several.
    """

    __pydantic_config__: ClassVar = STRICT
    files: tuple[str, ...]
    print: tuple[str, ...]
    write: tuple[str, ...] = ()
    kinds: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        if not self.print or not self.print[0].strip():
            raise ValueError(tr("print must name a program"))


@dataclass(frozen=True, slots=True)
class DiagnosticPattern:
    """An extra shape of diagnostic line: a pattern with groups `file`, `line`, `message` and maybe more."""

    __pydantic_config__: ClassVar = STRICT
    pattern: str
    severity: Literal["error", "warning"] = "error"


@dataclass(frozen=True, slots=True)
class Keyed:
    """Settings with lists whose entries are identified by one of the fields in `by`; the first that fits is used."""

    __pydantic_config__: ClassVar = STRICT
    files: tuple[str, ...]
    by: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class DataFormat:
    """A format of the engine's own: a pattern for objects (`object`, optionally with a group `kind`) and one for the fields
    inside them

    (`field`, with groups `key` and `value`). `comment` starts a comment.
    """

    __pydantic_config__: ClassVar = STRICT
    files: tuple[str, ...]
    object: str
    field: str
    comment: str = "#"


@dataclass(frozen=True, slots=True)
class Expect:
    """A requirement that every one of some data files has to meet.

    `object` is a data path (as `objects/*`, "" for the whole file), `when` a condition on its fields. Each file has at `least` and
    at `most` that many such objects, where given; `add` is the text to insert for a missing one. With `field`, each object has this
    field, not empty, and with one of `values` where given; `default` is inserted where it is missing.
    """

    __pydantic_config__: ClassVar = STRICT
    id: str
    title: str
    files: tuple[str, ...]
    object: str = ""
    when: str = ""
    least: int | None = None
    most: int | None = None
    add: str = ""
    field: str = ""
    values: tuple[str, ...] = ()
    default: str = ""
    why: str = ""

    def __post_init__(self) -> None:
        if (self.least is None and self.most is None) == (not self.field):
            raise ValueError(tr("either field, or least or most, must be given"))
        if self.when:
            try:
                parse_expression(self.when)
            except MisuseError as error:
                raise ValueError(error.message) from error


@dataclass(frozen=True, slots=True)
class Profile:
    """One engine, as described by a file. `path` is that file, `digest` the digest of the bytes that were read.

    `suffixes` say what a word at the end of a version means, as `{ nightly = "preview" }`. `libraries` are globs of files
    that count as libraries in any folder, for finding duplicates.
    """

    __pydantic_config__: ClassVar = STRICT
    id: str
    title: str
    recognise: Recognise
    site: tuple[Site, ...]
    installed: tuple[str, ...] = ()
    engine: EngineShape | None = None
    plugins: PluginShape = PluginShape()
    workspace: Workspace | None = None
    standard: tuple[Standard, ...] = ()
    release_value: tuple[ReleaseValue, ...] = ()
    suffixes: dict[str, Stage] = field(default_factory=dict)
    libraries: tuple[str, ...] = ()
    frames: Frames | None = None
    role: tuple[RoleRule, ...] = ()
    commands: Commands = Commands()
    requirement: tuple[Requirement, ...] = ()
    log: LogShape = LogShape()
    check: tuple[Check, ...] = ()
    picture: tuple[Picture, ...] = ()
    data: tuple[DataFormat, ...] = ()
    expect: tuple[Expect, ...] = ()
    links: LinkShape = LinkShape()
    diagnostic: tuple[DiagnosticPattern, ...] = ()
    binary: tuple[BinaryFormat, ...] = ()
    keyed: tuple[Keyed, ...] = ()
    path: Path = field(default=Path(), kw_only=True)
    digest: str = field(default="", kw_only=True)

    @property
    def locators(self) -> tuple[Reach, ...]:
        """Every locator of the profile."""
        shape, workspace = self.plugins, self.workspace
        found = [shape.id, shape.version, shape.accepts, shape.compiled.at if shape.compiled else None]
        groups: tuple[tuple[Site | Standard | ReleaseValue | Switch, ...], ...]
        groups = (self.site, self.standard, self.release_value, shape.switch)
        found += [item.at for group in groups for item in group]
        found += [workspace.name, workspace.release, workspace.pin] if workspace is not None else []
        found += [self.engine.version] if self.engine is not None else []
        return tuple(reach for reach in found if reach is not None)
