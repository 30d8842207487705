"""Whether a fix rule is an option for a cause: a list of named filters, each of which gives its reason for refusing."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import cached_property, lru_cache

from fernshale.core.base.bounded_regex import search
from fernshale.core.base.texts import tr
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import (
    CALL,
    CLASH,
    CONVERSION,
    EMPTY,
    IMPLEMENT,
    INCOMPLETE,
    MISSING,
    NO_STRUCTURE,
    NUMBER,
    OVERRIDE,
    PRIVATE,
    SYNTAX,
    UNTYPED,
    last_name,
)
from fernshale.core.fix.apply import CodeEdit
from fernshale.core.fix.rules import (
    AddMemberRule,
    CallRule,
    DeclareRule,
    GetterRule,
    HeaderRule,
    ImportRule,
    KeywordRule,
    MoveRule,
    NewName,
    ReimportRule,
    RenameMemberRule,
    RenameRule,
    ReorderRule,
    RewriteRule,
    Rule,
)

# Kinds that fix a name far from the place that is reported: where it is imported, or where it is first set.
FAR_KINDS: Mapping[type[Rule], tuple[str, ...]] = {
    ImportRule: (*MISSING, INCOMPLETE), DeclareRule: (EMPTY, UNTYPED, NUMBER), RenameMemberRule: (CLASH, OVERRIDE),
}  # fmt: skip


@dataclass(frozen=True)
class Case:
    """A rule that is considered for a cause, with the edits it would make in the whole project."""

    rule: Rule
    cause: Cause
    edits: tuple[CodeEdit, ...]

    @cached_property
    def messages_fit(self) -> tuple[bool, ...]:
        """For each error of the cause, whether the rule's own pattern finds its message; empty without a pattern."""
        pattern = self.rule.diagnostic
        messages = (error.diagnostic.message for error in self.cause.errors)
        return tuple(search(pattern, message) is not None for message in messages) if pattern else ()

    @cached_property
    def adds_the_member(self) -> bool:
        """Whether the rule adds the very member that the cause misses."""
        return member_of(self.rule) == self.cause.symbol != "" and self.cause.kind in (IMPLEMENT, OVERRIDE)

    @cached_property
    def names_symbol(self) -> bool:
        """Whether the rule is about the symbol that the cause names, or about its message."""
        if isinstance(self.rule, GetterRule) and self.cause.kind in (INCOMPLETE, NO_STRUCTURE):
            return last_name(self.rule.of).lstrip("_") == self.cause.symbol.lstrip("_")
        wanted = "".join(self.cause.symbol.split())
        if self.cause.kind == CONVERSION and self._gives(wanted):
            return True
        return any(self.messages_fit) or names_symbol(self.rule, self.cause.symbol)

    def _gives(self, wanted: str) -> bool:
        """Whether the rule gives calls the type that a compiler wants."""
        if isinstance(self.rule, RewriteRule | CallRule):
            text = self.rule.replacement if isinstance(self.rule, RewriteRule) else self.rule.new
            made = re.findall(r"(?<!\$)\b\w+", text)
            return last_name(wanted) in made and last_name(wanted) not in words_of(self.rule)
        return isinstance(self.rule, ReorderRule) and wanted in self.rule.wants


def member_of(rule: Rule) -> str:
    """The member that a rule adds to classes or rewrites in them; "" for other rules."""
    return rule.member if isinstance(rule, AddMemberRule | RewriteRule) else ""


def names_symbol(rule: Rule, symbol: str) -> bool:
    """Whether a rule changes a symbol of this name."""
    if isinstance(rule, MoveRule) and rule.old.startswith((f"{symbol}.", f"{symbol}::")):
        return True  # a name of a module that is missing
    if isinstance(rule, HeaderRule | ReimportRule) and f"/{symbol}".endswith(f"/{rule.old}"):
        return True  # a module of a package, by its path in the package
    return symbol in words_of(rule)


@lru_cache(maxsize=16_384)
def words_of(rule: Rule) -> frozenset[str]:
    """The words and paths that a rule is about; `$canvas` of a pattern is any expression."""
    words = re.sub(r"\$+\w+", " ", " ".join(rule.subjects))
    return frozenset((*re.findall(r"[\w/.]+", words), *re.findall(r"\w+", words)))


def _silent(case: Case) -> str:
    return tr("is for a change that compilers do not report") if case.rule.silent and not case.adds_the_member else ""


def _other_message(case: Case) -> str:
    misses = bool(case.messages_fit) and not any(case.messages_fit)
    return tr("is for errors with another message") if misses else ""


def _no_call(case: Case) -> str:
    is_refused = isinstance(case.rule, KeywordRule) and case.cause.kind != CALL
    return tr("renames an argument, and this is no error about a call") if is_refused else ""


def _still_declared(case: Case) -> str:
    removes = isinstance(case.rule, RewriteRule) and case.rule.removes_statements
    return tr("removes a statement, and the name still exists") if removes and case.cause.kind not in MISSING else ""


def _other_name(case: Case) -> str:
    kinds = FAR_KINDS.get(type(case.rule))
    is_refused = kinds is not None and (case.cause.symbol not in case.rule.symbols or case.cause.kind not in kinds)
    return tr("adds an import or a declaration for another name") if is_refused else ""


def _other_member(case: Case) -> str:
    member = member_of(case.rule)
    is_refused = bool(member) and not case.adds_the_member and case.cause.kind != IMPLEMENT
    return tr("adds the member {member}, and another one is missing", member=member) if is_refused else ""


def _private(case: Case) -> str:
    is_refused = case.cause.kind == PRIVATE and not case.names_symbol
    return tr("changes another name than the one that must not be used") if is_refused else ""


def _named_elsewhere(case: Case) -> str:
    is_narrow = case.rule.named and isinstance(case.rule, RenameRule) and bool(case.cause.symbol)
    return tr("renames another name than the one that is reported") if is_narrow and not case.names_symbol else ""


def _only_announced(case: Case) -> str:
    is_other = isinstance(case.rule, NewName) and last_name(case.rule.old) != case.cause.symbol
    return tr("renames another name than the type") if case.cause.kind == INCOMPLETE and is_other else ""


def _unparsed(case: Case) -> str:
    is_refused = case.cause.kind == SYNTAX and isinstance(case.rule, RenameRule) and bool(case.rule.of)
    return tr("renames a member, and code parses without it") if is_refused else ""


def _value(case: Case) -> str:
    is_of_value = case.cause.kind in (EMPTY, UNTYPED, NUMBER) and not isinstance(case.rule, DeclareRule | RewriteRule)
    is_refused = is_of_value and not case.names_symbol
    return tr("changes another name, and the error is about a value") if is_refused else ""


# In this order; the first that gives a reason refuses the rule.
FILTERS: tuple[Callable[[Case], str], ...] = (
    _silent,
    _other_message,
    _no_call,
    _still_declared,
    _other_name,
    _other_member,
    _private,
    _named_elsewhere,
    _only_announced,
    _unparsed,
    _value,
)


def find_refusal(case: Case) -> str:
    """The reason why a rule is no option for a cause, as a predicate of the rule; "" where it is one."""
    return next((reason for filter_ in FILTERS if (reason := filter_(case))), "")
