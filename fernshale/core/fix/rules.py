"""Fix rules as values: one frozen class per kind. `AnyRule` is the union of all kinds, distinguished by the key `kind`.

`docs/formats.md` describes the kinds for people who write rules; `rule_file` reads and writes them.
"""

from __future__ import annotations

import re
from dataclasses import KW_ONLY, MISSING, Field, dataclass, field, fields
from typing import Annotated, ClassVar, Literal

from fernshale.core.base.bounded_regex import pattern_trouble
from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import english, tr
from fernshale.core.base.toml_schema import STRICT, ByKind
from fernshale.core.data.objects import Rewrite, check_rewrite, is_repeatable
from fernshale.core.fix.code_patterns import parse_pattern
from fernshale.core.fix.tokens import literal_text, tokenize

# Prefix of the placeholder for a value that a person has to write; no compiler accepts it.
PLACEHOLDER = "FILL_IN_"
# Longest code shown in a rule's name, characters.
_MAX_SHOWN = 48


# How a function takes an object: before the dot, by a pointer or by value.
Takes = Literal["", "pointer", "value"]


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
    """What rules of all kinds have. `diagnostic` narrows the errors it is offered for; `silent`: no compiler reports the places.

    `confidence` is that of its author, 0 to 1; `named`: only at places that a tool reports, because the name alone is ambiguous.
    Creating a rule raises ValueError for values that contradict each other.
    """

    __pydantic_config__: ClassVar = STRICT
    id: str
    why: str
    _: KW_ONLY
    kind: str = ""
    title: str = ""
    diagnostic: str = ""
    silent: bool = False
    where: Where = Where()
    confidence: float = 1.0
    named: bool = False
    example: tuple[Example, ...] = ()

    def __post_init__(self) -> None:
        missing = [item.name for item in _required_fields(self) if not getattr(self, item.name)]
        if missing:
            raise ValueError(tr("a rule of kind {kind} needs {missing}", kind=self.kind, missing=", ".join(missing)))
        if not 0 <= self.confidence <= 1:
            raise ValueError(tr("confidence is a number from 0 to 1"))
        if self.diagnostic and (trouble := pattern_trouble(self.diagnostic)):
            raise ValueError(tr("diagnostic: {trouble}", trouble=trouble))
        try:
            self._check()
        except MisuseError as error:
            raise ValueError(error.message) from error

    def _check(self) -> None:
        """Raise ValueError or MisuseError for values that this kind cannot have."""

    @property
    def name(self) -> str:
        """A short description of the rule: its title, or its effect."""
        return self.title or self._effect

    @property
    def _effect(self) -> str:
        return self.kind

    @property
    def symbols(self) -> tuple[str, ...]:
        """The symbols the rule is about, as written in the rule: with or without their scopes."""
        return ()

    @property
    def new_name(self) -> str:
        """What the first of the symbols becomes; "" if it keeps its name."""
        return ""

    @property
    def subjects(self) -> tuple[str, ...]:
        """The texts that tell which code the rule is about: its symbols, and its pattern."""
        return self.symbols

    @property
    def owner(self) -> str:
        """The type whose member the rule changes; "" for any."""
        return ""

    @property
    def needed_words(self) -> tuple[str, ...]:
        """The words that a text must have for the rule to match in it, the longest first."""
        return _longest_first(self.symbols[:1])

    @property
    def is_repeatable(self) -> bool:
        """Whether the rule may be applied any number of times."""
        return True

    @property
    def leaves_placeholder(self) -> bool:
        """Whether the rule writes a placeholder, which a person has to replace."""
        return False


def _required_fields(rule: Rule) -> tuple[Field[object], ...]:
    return tuple(item for item in fields(rule) if item.kw_only and item.default is item.default_factory is MISSING)


def _longest_first(words: tuple[str, ...] | list[str]) -> tuple[str, ...]:
    return tuple(sorted(dict.fromkeys(filter(None, words)), key=len, reverse=True))


@dataclass(frozen=True, slots=True, kw_only=True)
class Replacement(Rule):
    """What kinds have that put the text `new` in the place of `old`."""

    old: str
    new: str

    @property
    def _effect(self) -> str:
        return f"{self.old} → {self.new}"

    @property
    def symbols(self) -> tuple[str, ...]:
        return (self.old,)

    @property
    def new_name(self) -> str:
        return self.new


@dataclass(frozen=True, slots=True, kw_only=True)
class NewName(Replacement):
    """What kinds have that give a symbol a new name.

    `imports` is the class that contains the new name and has to be imported, `text` the line that does. `signatures` are the
    parameters of a renamed function (see `call_acceptance`): if it does not accept a call as written, Fernshale asks. `result` is
    the type that calls give now, if code that uses the result compiles with it and may mean something else.
    """

    imports: str = ""
    text: str = ""
    signatures: tuple[str, ...] = ()
    result: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class RenameRule(NewName):
    """Replace the name `old` by `new`; with `of`, not where it certainly belongs to another type."""

    kind: Literal["rename"] = "rename"
    of: str = ""

    @property
    def owner(self) -> str:
        return self.of


@dataclass(frozen=True, slots=True, kw_only=True)
class MoveRule(NewName):
    """Replace the qualified name `old` by `new`, also where only its end is written, and in imports.

    `holder` is the Python class that contains the new name, if any.
    """

    kind: Literal["move"] = "move"
    holder: str = ""

    @property
    def replaces_import(self) -> bool:
        """Whether a name of a script that is imported alone is a member now, so that its import is a fault."""
        return re.search(r"::|\.", self.old) is None

    @property
    def needed_words(self) -> tuple[str, ...]:
        # The name with its qualifiers: in a chain of names, or as the module it is imported from.
        return _longest_first(re.split(r"::|\.", self.old)[-2:])


@dataclass(frozen=True, slots=True, kw_only=True)
class HeaderRule(Replacement):
    """Replace the included file `old` by `new`; in scripts the imported module of that path."""

    kind: Literal["header"] = "header"


@dataclass(frozen=True, slots=True, kw_only=True)
class ImportRule(Rule):
    """Add the import line `text` to files that use the name `old` without importing it."""

    kind: Literal["import"] = "import"
    old: str
    text: str

    @property
    def _effect(self) -> str:
        return self.text

    @property
    def symbols(self) -> tuple[str, ...]:
        return (self.old,)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReimportRule(Rule):
    """Import `names` of scripts from the module `new` instead of `old`; both may be the ends of longer paths."""

    kind: Literal["reimport"] = "reimport"
    old: str
    new: str
    names: tuple[str, ...]

    @property
    def _effect(self) -> str:
        return english("{names} from {new}, not {old}", names=_short(", ".join(self.names)), new=self.new, old=self.old)

    @property
    def symbols(self) -> tuple[str, ...]:
        return self.names

    @property
    def subjects(self) -> tuple[str, ...]:
        return (*self.names, self.old)

    @property
    def needed_words(self) -> tuple[str, ...]:
        return (self.old,)


@dataclass(frozen=True, slots=True, kw_only=True)
class UnimportRule(Rule):
    """Take the name `old` out of the imports of files that do not use it; in C and C++, the header `old`."""

    kind: Literal["unimport"] = "unimport"
    old: str

    @property
    def _effect(self) -> str:
        return english("no import of {name}", name=self.old)

    @property
    def symbols(self) -> tuple[str, ...]:
        return (self.old,)


@dataclass(frozen=True, slots=True, kw_only=True)
class GetterRule(Replacement):
    """Replace the field `old` by the function `new()`, and assignments by `setter`; with `of`, also the bare name in derived
    classes.

    With `takes`, the functions take the object as their argument, as a "pointer" or by "value"; `setter_takes` is for the setter,
    if it takes the object in another way.
    """

    kind: Literal["getter"] = "getter"
    setter: str = ""
    of: str = ""
    takes: Takes = ""
    setter_takes: Takes = ""

    @property
    def _effect(self) -> str:
        return f".{self.old} → {self.new}(…)" if self.takes else f".{self.old} → .{self.new}()"

    @property
    def owner(self) -> str:
        return self.of


@dataclass(frozen=True, slots=True, kw_only=True)
class AddArgumentRule(Rule):
    """Add `text` as argument number `position` (from 1) to calls of `call` with `arguments` arguments; 0: one fewer than
    `position`."""

    kind: Literal["add-argument"] = "add-argument"
    call: str
    text: str
    position: int
    arguments: int = 0

    @property
    def _effect(self) -> str:
        return english("{called}(…) gets {words}", called=self.call, words=self.text)

    @property
    def symbols(self) -> tuple[str, ...]:
        return (self.call,)

    @property
    def leaves_placeholder(self) -> bool:
        return self.text.startswith(PLACEHOLDER)


@dataclass(frozen=True, slots=True, kw_only=True)
class KeywordRule(Replacement):
    """Rename the keyword argument `old` of calls of `call` to `new`."""

    kind: Literal["keyword"] = "keyword"
    call: str

    @property
    def _effect(self) -> str:
        return f"{self.call}({self.old} = …) → {self.new} = …"

    @property
    def symbols(self) -> tuple[str, ...]:
        return self.old, self.call

    @property
    def needed_words(self) -> tuple[str, ...]:
        return _longest_first(self.symbols)


@dataclass(frozen=True, slots=True, kw_only=True)
class ReorderRule(Rule):
    """Reorder the arguments of calls of `call`.

    `order` lists for each new position the old one (from 1), and 0 for an added argument, which gets the next text of `fill`.
    `new` is the function's new name, if any. With `names`, the old parameters, arguments that cannot be passed by position are
    passed by keyword. `wants` are the types of parameters where others were: errors about these types are about such calls.
    """

    kind: Literal["reorder"] = "reorder"
    call: str
    order: tuple[int, ...]
    new: str = ""
    fill: tuple[str, ...] = ()
    names: tuple[str, ...] = ()
    of: str = ""
    wants: tuple[str, ...] = ()

    def _check(self) -> None:
        numbers = [was for was in self.order if was]
        ordered = list(range(1, len(numbers) + 1))
        if sorted(numbers) != ordered or (numbers and list(self.order[: len(numbers)]) == ordered):
            raise ValueError(tr("order lists each number from 1 on once, and not all at their own positions"))
        if self.names and len(self.names) != len(numbers):
            raise ValueError(tr("names lists a name for each number of order"))

    @property
    def _effect(self) -> str:
        return english("{old}(…) → {new}(…), arguments at other places", old=self.call, new=self.new or self.call)

    @property
    def symbols(self) -> tuple[str, ...]:
        return (self.call,)

    @property
    def new_name(self) -> str:
        return self.new

    @property
    def owner(self) -> str:
        return self.of

    @property
    def is_repeatable(self) -> bool:
        """Under the same name, a second application would reorder the arguments again."""
        return bool(self.new)


@dataclass(frozen=True, slots=True, kw_only=True)
class CallRule(Rule):
    """Write calls of `call` as `new`, in which `$name` is the argument for the old parameter `name`, and `$it` the object that
    the method is called on. `call` has the class of a static function before it, as calls have.

    `parameters` are the old parameters in order, an optional one as `name=default`. `of` is the type whose method is called, ""
    for a function. `imports` is a class that `new` needs and that has to be imported, `text` the line that does. Calls with
    other arguments than these stay as they are.
    """

    kind: Literal["call"] = "call"
    call: str
    new: str
    parameters: tuple[str, ...] = ()
    of: str = ""
    imports: str = ""
    text: str = ""

    def _check(self) -> None:
        known = {"it", *(item.partition("=")[0].strip() for item in self.parameters)}
        unknown = [name for name in self.metavariables if name not in known]
        if unknown:
            raise ValueError(tr("new has ${unknown}, and no parameter is called {unknown}", unknown=unknown[0]))

    @property
    def metavariables(self) -> tuple[str, ...]:
        """The names in `new` that stand for parts of the old call."""
        return tuple(dict.fromkeys(re.findall(r"\$(\w+)", self.new)))

    @property
    def loses(self) -> tuple[str, ...]:
        """The parameters that the new call has no place for; `it` for the object."""
        given = [item.partition("=")[0].strip() for item in self.parameters]
        return tuple(name for name in (*(("it",) if self.of else ()), *given) if name not in self.metavariables)

    @property
    def leaves_placeholder(self) -> bool:
        return PLACEHOLDER in self.new

    @property
    def _effect(self) -> str:
        named = (item.partition("=")[0].strip() for item in self.parameters)
        front = "it." if self.of else ""
        return f"{front}{self.call}({', '.join(named)}) → {_short(self.new.replace('$', ''))}"

    @property
    def symbols(self) -> tuple[str, ...]:
        return (self.call,)

    @property
    def owner(self) -> str:
        return self.of

    @property
    def needed_words(self) -> tuple[str, ...]:
        # A method is called on objects, whose class many files do not name.
        names = re.split(r"::|\.", self.call)
        return _longest_first(names[-1:] if self.of else names)

    @property
    def is_repeatable(self) -> bool:
        """A rule whose result is a call of the same function could match again."""
        return re.search(rf"(?<!\w){re.escape(self.call)}\s*\(", self.new) is None


@dataclass(frozen=True, slots=True, kw_only=True)
class LiteralRule(Replacement):
    """Replace the number or string `old` by `new`; with `call`, only as its argument number `position` (from 1)."""

    kind: Literal["literal"] = "literal"
    call: str = ""
    position: int = 0

    def _check(self) -> None:
        if bool(self.call) != bool(self.position):
            raise ValueError(tr("a rule of kind literal has both call and position, or neither"))
        tokens = [token.text for token in tokenize(self.new, "") if token.kind in ("number", "string")]
        # It would grow with each application.
        if self.old in {self.new, *tokens, *map(literal_text, tokens)}:
            raise ValueError(tr("the new text contains the old one; write a rule of kind rewrite for the call"))

    @property
    def symbols(self) -> tuple[str, ...]:
        return tuple(filter(None, (self.old, self.call)))

    @property
    def needed_words(self) -> tuple[str, ...]:
        return (self.call or self.old,)


@dataclass(frozen=True, slots=True, kw_only=True)
class DeclareRule(Replacement):
    """Annotate the variable or field `old` with the type `new` where it is first set, in Python."""

    kind: Literal["declare"] = "declare"

    @property
    def _effect(self) -> str:
        return f"{self.old}: {self.new}"


@dataclass(frozen=True, slots=True, kw_only=True)
class RenameMemberRule(Replacement):
    """Rename the member `old` of the project's own class `of`: its declaration, and its uses where an object's class is certain."""

    of: str
    kind: Literal["rename-member"] = "rename-member"

    @property
    def owner(self) -> str:
        return self.of


@dataclass(frozen=True, slots=True, kw_only=True)
class AddMemberRule(Rule):
    """Add `text` to classes that derive from `base` without `member`, after the line with `after`, or at their start."""

    kind: Literal["add-member"] = "add-member"
    base: str
    member: str
    text: str
    after: str = ""

    @property
    def _effect(self) -> str:
        return english("{base} needs {member}()", base=self.base, member=self.member)

    @property
    def symbols(self) -> tuple[str, ...]:
        return (self.member,)

    @property
    def needed_words(self) -> tuple[str, ...]:
        return (self.base,)


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkRule(Rule):
    """Put `text` at classes that derive from `base` without it: above the declaration, in C++ at the start of the body. `$class`
    is the name of the class."""

    kind: Literal["mark"] = "mark"
    base: str
    text: str

    @property
    def _effect(self) -> str:
        return english("{words} at each {base}", words=self.text, base=self.base)

    @property
    def symbols(self) -> tuple[str, ...]:
        return (self.base,)


@dataclass(frozen=True, slots=True, kw_only=True)
class PatternRule(Rule):
    """What kinds have that match code by a pattern with metavariables (see `code_patterns`)."""

    pattern: str

    def _check(self) -> None:
        parse_pattern(self.pattern)

    @property
    def subjects(self) -> tuple[str, ...]:
        return (*self.symbols, self.pattern)

    @property
    def needed_words(self) -> tuple[str, ...]:
        return _longest_first(re.findall(r"(?<![$\w])[A-Za-z_]\w+", self.pattern))


@dataclass(frozen=True, slots=True, kw_only=True)
class RewriteRule(PatternRule):
    """Replace `pattern` by `replacement`; without one, remove statements that match. `member` is the member whose declarations
    it rewrites, if any."""

    kind: Literal["rewrite"] = "rewrite"
    replacement: str = ""
    member: str = ""

    @property
    def _effect(self) -> str:
        return f"{_short(self.pattern)} → {_short(self.replacement) or 'nothing'}"

    @property
    def symbols(self) -> tuple[str, ...]:
        return tuple(filter(None, (self.member,)))

    @property
    def removes_statements(self) -> bool:
        return not self.replacement


@dataclass(frozen=True, slots=True, kw_only=True)
class SwitchOffRule(PatternRule):
    """Turn statements that match `pattern` into comments, until someone writes a replacement."""

    kind: Literal["switch-off"] = "switch-off"

    @property
    def _effect(self) -> str:
        return english("switch off {pattern}", pattern=_short(self.pattern))


@dataclass(frozen=True, slots=True)
class LineChange:
    """Line `line` (1-based) of a file that reads `old`, and becomes `new`."""

    file: str
    line: int
    old: str
    new: str


@dataclass(frozen=True, slots=True, kw_only=True)
class LinesRule(Rule):
    """Change certain lines, each where it still reads as it did. Of `symbol` is the error that the lines have."""

    kind: Literal["lines"] = "lines"
    changes: tuple[LineChange, ...]
    symbol: str = ""

    @property
    def _effect(self) -> str:
        old, new = _changed_words(self.changes[0].old, self.changes[0].new)
        return f"{_short(old)} → {_short(new) or 'nothing'}"

    @property
    def symbols(self) -> tuple[str, ...]:
        return (self.symbol,) if self.symbol else ()

    @property
    def needed_words(self) -> tuple[str, ...]:
        return ()


@dataclass(frozen=True, slots=True, kw_only=True)
class RenameIdRule(Replacement):
    """Replace the id `old` by `new`, in assets."""

    kind: Literal["rename-id"] = "rename-id"


@dataclass(frozen=True, slots=True, kw_only=True)
class DataRule(Rule):
    """Change the objects at `object` in data files `files` (globs) for which `when` is true: rename fields (`rename`), set them
    to the value of an expression (`set`), drop them (`drop`)."""

    kind: Literal["data"] = "data"
    files: tuple[str, ...]
    object: str = ""
    when: str = ""
    rename: dict[str, str] = field(default_factory=dict, hash=False)
    set: dict[str, str] = field(default_factory=dict, hash=False)
    drop: tuple[str, ...] = ()

    def _check(self) -> None:
        check_rewrite(self.rewrite, self.when)

    @property
    def rewrite(self) -> Rewrite:
        return Rewrite(self.rename, self.set, self.drop)

    @property
    def _effect(self) -> str:
        renamed = [f"{old} → {new}" for old, new in self.rename.items()]
        computed = [f"{name} = {_short(text)}" for name, text in self.set.items()]
        return ", ".join([*renamed, *computed, *(f"no {name}" for name in self.drop)])

    @property
    def is_repeatable(self) -> bool:
        """A rule that computes a field from itself is not repeatable."""
        return is_repeatable(self.rewrite)


@dataclass(frozen=True, slots=True, kw_only=True)
class DeleteRule(Rule):
    """Remove the files `files` (globs); they are generated again."""

    kind: Literal["delete"] = "delete"
    files: tuple[str, ...]

    @property
    def _effect(self) -> str:
        return english("remove {files}", files=", ".join(self.files))


AnyRule = Annotated[
    RenameRule | MoveRule | HeaderRule | ImportRule | ReimportRule | UnimportRule | GetterRule | AddArgumentRule
    | KeywordRule | ReorderRule | CallRule | LiteralRule | DeclareRule | RenameMemberRule | AddMemberRule | MarkRule | RewriteRule
    | SwitchOffRule | LinesRule | RenameIdRule | DataRule | DeleteRule,
    ByKind(),
]  # fmt: skip


def _changed_words(old: str, new: str) -> tuple[str, str]:
    """What two lines differ in, with the rest of the words that it is part of."""
    words = [re.findall(r"\S+|\s+", line) for line in (old, new)]
    while all(words) and words[0][0] == words[1][0]:
        words = [line[1:] for line in words]
    while all(words) and words[0][-1] == words[1][-1]:
        words = [line[:-1] for line in words]
    return "".join(words[0]), "".join(words[1])


def _short(code: str) -> str:
    line = " ".join(code.split())
    return line if len(line) <= _MAX_SHOWN else line[: _MAX_SHOWN - 1] + "…"
