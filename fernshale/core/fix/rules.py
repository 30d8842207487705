"""Fix rules as values, read from `*.rules.toml`.

rename        replaces the name `old` by `new`; with `of`, not where it certainly belongs to another type
move          replaces the qualified name `old` by `new`, also where only its end is written, and in imports
header        replaces the included file `old` by `new`; in scripts the imported module of that path
import        adds the import line `text` to files that use the name `old` without importing it
getter        replaces the field `old` by the function `new()`, and assignments by `setter`; with `of`, also the bare name in
              derived classes
add-argument  adds `text` as argument number `position` to calls of `call` with `arguments` arguments
keyword       renames the keyword argument `old` of calls of `call` to `new`
reorder       reorders the arguments of calls of `call`: `order` lists for each new position the old one, and 0 for an added
              argument, which gets the next text of `fill`; `new` is the function's new name, if any; with `names`, the old
              parameters, arguments that cannot be passed by position are passed by keyword
literal       replaces the number or string `old` by `new`; with `call`, only as its argument number `position`
declare       annotates the variable or field `old` with the type `new` where it is first set, in Python
switch-off    turns statements that match `pattern` into comments, until someone writes a replacement
add-member    adds `text` to classes that derive from `base` without `member`, after the line with `after` (or at their start)
rewrite       replaces `pattern` by `replacement`, both with metavariables (see `code_patterns`)
rename-id     replaces the id `old` by `new`, in assets
data          changes the objects at `object` in data files `files` for which `when` is true: renames fields (`rename`), sets
              them to the value of an expression (`set`), drops them (`drop`)
delete        removes the files `files` (globs); they are generated again
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import MISSING, asdict, dataclass, field, fields
from pathlib import Path
from typing import TYPE_CHECKING, ClassVar, Literal

from fernshale.core.base.bounded_regex import pattern_trouble
from fernshale.core.base.errors import FormatError, MisuseError
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import parse_release
from fernshale.core.base.toml_schema import STRICT, read_toml
from fernshale.core.data.objects import Rewrite, check_rewrite
from fernshale.core.fix.code_patterns import parse_pattern
from fernshale.core.fix.tokens import literal_text, tokenize
from fernshale.core.profile.model import Expect

if TYPE_CHECKING:
    from tomlkit.items import Table

FORMAT = "fernshale-rules/1"
RuleKind = Literal[
    "rename", "move", "header", "import", "getter", "add-argument", "keyword", "reorder", "add-member", "rewrite", "literal",
    "declare", "switch-off", "rename-id", "data", "delete",
]  # fmt: skip
_NEEDS: dict[str, tuple[str, ...]] = {
    "rename": ("old", "new"),
    "move": ("old", "new"),
    "header": ("old", "new"),
    "import": ("old", "text"),
    "getter": ("old", "new"),
    "add-argument": ("call", "text", "position"),
    "keyword": ("call", "old", "new"),
    "reorder": ("call", "order"),
    "add-member": ("base", "member", "text"),
    "rewrite": ("pattern",),
    "literal": ("old", "new"),
    "declare": ("old", "new"),
    "switch-off": ("pattern",),
    "rename-id": ("old", "new"),
    "data": ("files",),
    "delete": ("files",),
}


@dataclass(frozen=True, slots=True)
class Where:
    """Where a rule applies: in `files` (globs), in `languages`, in classes that derive from one of `derives`; not in files that
    contain one of the words `unless`. Empty values do not restrict."""

    __pydantic_config__: ClassVar = STRICT
    files: tuple[str, ...] = ()
    languages: tuple[str, ...] = ()
    derives: tuple[str, ...] = ()
    unless: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Example:
    """A text before and after the rule, to test it. The ending of `file` determines the language."""

    __pydantic_config__: ClassVar = STRICT
    before: str
    after: str
    file: str = "example.cpp"


@dataclass(frozen=True, slots=True)
class Rule:
    """One change to apply. `diagnostic` narrows the errors it is offered for; `silent`: no compiler reports the places.

    `confidence` is that of its author; `named`: only at places that a tool reports, because the name alone is ambiguous.
    `imports` is the class that contains the new name and has to be imported, `text` the line that does. `signatures` are the
    parameters of a renamed function (see `call_acceptance`): if it does not accept a call as written, Fernshale asks.
    """

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
    object: str = ""
    when: str = ""
    rename: dict[str, str] = field(default_factory=dict, hash=False)
    set: dict[str, str] = field(default_factory=dict, hash=False)
    drop: tuple[str, ...] = ()
    order: tuple[int, ...] = ()
    fill: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    diagnostic: str = ""
    silent: bool = False
    of: str = ""
    holder: str = ""
    imports: str = ""
    where: Where = Where()
    confidence: float = 1.0
    named: bool = False
    signatures: tuple[str, ...] = ()
    example: tuple[Example, ...] = ()

    def __post_init__(self) -> None:
        missing = [name for name in _NEEDS[self.kind] if not getattr(self, name)]
        if missing:
            raise ValueError(f"a rule of kind {self.kind} needs {', '.join(missing)}")
        if not 0 <= self.confidence <= 1:
            raise ValueError("confidence is a number from 0 to 1")
        if self.diagnostic and (trouble := pattern_trouble(self.diagnostic)):
            raise ValueError(f"diagnostic: {trouble}")
        numbers = [was for was in self.order if was]
        ordered = list(range(1, len(numbers) + 1))
        if sorted(numbers) != ordered or (numbers and list(self.order[: len(numbers)]) == ordered):
            raise ValueError("order tells each number from 1 on once, and not all at their own places")
        if self.names and len(self.names) != len(numbers):
            raise ValueError("names tells a name for each number of order")
        try:
            if self.kind in ("rewrite", "switch-off"):
                parse_pattern(self.pattern)
            elif self.kind == "literal":
                self._check_literal()
            elif self.kind == "data":
                check_rewrite(Rewrite(self.rename, self.set, self.drop), self.when)
        except MisuseError as error:
            raise ValueError(error.message) from error

    def _check_literal(self) -> None:
        """Check that the new literal does not contain the old one, since it would grow with each application."""
        if bool(self.call) != bool(self.position):
            raise ValueError("a rule of kind literal says both call and position, or neither")
        tokens = [token.text for token in tokenize(self.new, "") if token.kind in ("number", "string")]
        if self.old in {self.new, *tokens, *map(literal_text, tokens)}:
            raise ValueError("the new text holds the old one; say it as a rewrite of the call")

    @property
    def name(self) -> str:
        """A short description of the rule: its title, or its effect."""
        if self.title:
            return self.title
        match self.kind:
            case "rename" | "move" | "header" | "rename-id" | "literal":
                return f"{self.old} → {self.new}"
            case "import":
                return self.text
            case "declare":
                return f"{self.old}: {self.new}"
            case "getter":
                return f".{self.old} → .{self.new}()"
            case "add-argument":
                return f"{self.call}(…) gets {self.text}"
            case "keyword":
                return f"{self.call}({self.old} = …) → {self.new} = …"
            case "reorder":
                return f"{self.call}(…) → {self.new or self.call}(…), arguments at other places"
            case "add-member":
                return f"{self.base} wants {self.member}()"
            case "data":
                renamed = [f"{old} → {new}" for old, new in self.rename.items()]
                counted = [f"{name} = {_short(text)}" for name, text in self.set.items()]
                return ", ".join([*renamed, *counted, *(f"no {name}" for name in self.drop)])
            case "delete":
                return f"remove {', '.join(self.files)}"
            case "switch-off":
                return f"switch off {_short(self.pattern)}"
            case "rewrite":
                return f"{_short(self.pattern)} → {_short(self.replacement) or 'nothing'}"


@dataclass(frozen=True, slots=True)
class RuleSet:
    """A file of rules: the releases it covers, its expectations of data files, and its source.

    `is_declared`: written for the release, so the rules have the release's authority.
    """

    title: str
    rules: tuple[Rule, ...]
    path: Path
    expect: tuple[Expect, ...] = ()
    is_declared: bool = False


@dataclass(frozen=True, slots=True)
class _RuleFile:
    __pydantic_config__: ClassVar = STRICT
    title: str = ""
    from_: str = "*"
    to: str = "*"
    rule: tuple[Rule, ...] = ()
    expect: tuple[Expect, ...] = ()


def read_rules(path: Path) -> RuleSet:
    """The rules at `path`. Raises MisuseError, or FormatError with every fault."""
    return _as_set(_read(path), path)


def rules_for(path: Path, from_: str, to: str) -> RuleSet:
    """The rules at `path` if the file covers this leg, else none of them."""
    file = _read(path)
    covers = _holds(file.from_, from_) and _holds(file.to, to)
    rules = _as_set(file, path)
    return rules if covers else RuleSet(rules.title, (), path, rules.expect)


def write_rules(rules: Sequence[Rule], title: str, from_: str, to: str) -> str:
    """Return rules as a file to share, in TOML, without default values."""
    import tomlkit

    document = tomlkit.document()
    document["format"] = FORMAT
    document["title"] = title
    document["from"] = from_
    document["to"] = to
    listed = tomlkit.aot()
    for rule in rules:
        listed.append(rule_table(rule))
    document["rule"] = listed
    return tomlkit.dumps(document)


def rule_table(rule: Rule) -> Table:
    """Return a rule as a TOML table, without default values."""
    import tomlkit

    table = tomlkit.table()
    for item in fields(rule):
        value = getattr(rule, item.name)
        default = item.default if item.default_factory is MISSING else item.default_factory()
        if value == default and item.name not in ("id", "kind", "why"):
            continue
        if item.name in ("where", "rename", "set"):
            inner = tomlkit.inline_table()
            parts = asdict(value) if item.name == "where" else value
            inner.update(
                {name: list(each) if isinstance(each, tuple) else each for name, each in parts.items() if each}
            )
            table[item.name] = inner
        elif item.name == "example":
            table[item.name] = [asdict(each) for each in value]
        else:
            table[item.name] = list(value) if isinstance(value, tuple) else value
    return table


def _read(path: Path) -> _RuleFile:
    file = read_toml(path, _RuleFile, FORMAT)
    ids = [rule.id for rule in file.rule]
    if doubles := sorted({id for id in ids if ids.count(id) > 1}):
        raise FormatError(path, [(0, f"two rules have the id {id}") for id in doubles])
    return file


def _as_set(file: _RuleFile, path: Path) -> RuleSet:
    return RuleSet(file.title or path.name, file.rule, path, file.expect)


def _holds(range_: str, release: str) -> bool:
    return parse_range(range_).contains(parse_release(release))


def _short(code: str) -> str:
    line = " ".join(code.split())
    return line if len(line) <= 48 else line[:47] + "…"
