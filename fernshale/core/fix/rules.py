"""Fix rules as values, read from `*.rules.toml`.

rename        the name `old` is `new` now
header        the included file `old` is `new` now
getter        the field `old` is the function `new()` now, set with `setter`
add-argument  calls of `call` with `arguments` arguments get `text` as argument number `position`
add-member    classes derived from `base` without `member` get `text` behind the line that has `after` (or at their start)
rewrite       `pattern` becomes `replacement`, both with metavariables (see `pattern`)
rename-id     the id `old` is `new` now, in assets
delete        the files `files` (globs) go; they are made again
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import ClassVar, Literal

import regex

from fernshale.core.base.errors import FormatError, MisuseError
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import parse_release
from fernshale.core.base.schema import STRICT, read_toml
from fernshale.core.fix.pattern import parse_pattern

FORMAT = "fernshale-rules/1"
RuleKind = Literal["rename", "header", "getter", "add-argument", "add-member", "rewrite", "rename-id", "delete"]
_NEEDS: dict[str, tuple[str, ...]] = {
    "rename": ("old", "new"),
    "header": ("old", "new"),
    "getter": ("old", "new"),
    "add-argument": ("call", "text", "position"),
    "add-member": ("base", "member", "text"),
    "rewrite": ("pattern",),
    "rename-id": ("old", "new"),
    "delete": ("files",),
}


@dataclass(frozen=True, slots=True)
class Rule:
    """One change to follow. `diagnostic` narrows the errors it is offered for; `silent`: the compiler will not tell."""

    __pydantic_config__: ClassVar = STRICT
    id: str
    kind: RuleKind
    why: str
    title: str = ""
    old: str = ""
    new: str = ""
    setter: str = ""
    call: str = ""
    arguments: int = 0
    position: int = 0
    text: str = ""
    base: str = ""
    member: str = ""
    after: str = ""
    pattern: str = ""
    replacement: str = ""
    files: tuple[str, ...] = ()
    diagnostic: str = ""
    silent: bool = False

    def __post_init__(self) -> None:
        missing = [name for name in _NEEDS[self.kind] if not getattr(self, name)]
        if missing:
            raise ValueError(f"a rule of kind {self.kind} needs {', '.join(missing)}")
        if self.diagnostic:
            try:
                regex.compile(self.diagnostic)
            except regex.error as error:
                raise ValueError(f"bad regular expression in diagnostic: {error}") from error
        if self.kind == "rewrite":
            try:
                parse_pattern(self.pattern)
            except MisuseError as error:
                raise ValueError(error.message) from error

    @property
    def name(self) -> str:
        """The rule in a few words: its title, or what it does."""
        if self.title:
            return self.title
        match self.kind:
            case "rename" | "header" | "rename-id":
                return f"{self.old} → {self.new}"
            case "getter":
                return f".{self.old} → .{self.new}()"
            case "add-argument":
                return f"{self.call}(…) gets {self.text}"
            case "add-member":
                return f"{self.base} wants {self.member}()"
            case "delete":
                return f"remove {', '.join(self.files)}"
            case "rewrite":
                return f"{_short(self.pattern)} → {_short(self.replacement) or 'nothing'}"


@dataclass(frozen=True, slots=True)
class RuleSet:
    """A file of rules: what it covers and where it comes from."""

    title: str
    rules: tuple[Rule, ...]
    path: Path


@dataclass(frozen=True, slots=True)
class _RuleFile:
    __pydantic_config__: ClassVar = STRICT
    title: str = ""
    from_: str = "*"
    to: str = "*"
    rule: tuple[Rule, ...] = ()


def read_rules(path: Path) -> RuleSet:
    """The rules at `path`. Raises MisuseError, or FormatError with every fault."""
    return _as_set(_read(path), path)


def rules_for(path: Path, from_: str, to: str) -> RuleSet:
    """The rules at `path` if the file covers this leg, else none of them."""
    file = _read(path)
    covers = _holds(file.from_, from_) and _holds(file.to, to)
    rules = _as_set(file, path)
    return rules if covers else RuleSet(rules.title, (), path)


def _read(path: Path) -> _RuleFile:
    file = read_toml(path, _RuleFile, FORMAT)
    ids = [rule.id for rule in file.rule]
    if doubles := sorted({id for id in ids if ids.count(id) > 1}):
        raise FormatError(path, [(0, f"two rules have the id {id}") for id in doubles])
    return file


def _as_set(file: _RuleFile, path: Path) -> RuleSet:
    return RuleSet(file.title or path.name, file.rule, path)


def _holds(range_: str, release: str) -> bool:
    return parse_range(range_).contains(parse_release(release))


def _short(code: str) -> str:
    line = " ".join(code.split())
    return line if len(line) <= 48 else line[:47] + "…"
