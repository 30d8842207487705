"""Rules that pass a variable as a new argument: one of its type that is in scope at every reported call of a file."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterator, Sequence

from fernshale.core.base.confidence import NAMED_VALUE_IN_SCOPE, VALUE_IN_SCOPE
from fernshale.core.base.texts import english
from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import last_name
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.symbols import Parameter
from fernshale.core.fix.calls import find_calls
from fernshale.core.fix.names_in_scope import names_in_scope
from fernshale.core.fix.rules import AddArgumentRule, Rule, Where
from fernshale.core.fix.tokens import tokenize
from fernshale.core.inference.new_arguments import added_parameter

# Types that say nothing about what a value is for.
_PLAIN = frozenset(
    ("int", "float", "double", "bool", "boolean", "str", "string", "String", "char", "number", "any", "object", "Object", "void",
     "size_t", "auto", "list", "dict", "i32", "u32", "u8", "f32", "f64", "usize", "long", "short", "unsigned")
)  # fmt: skip


def with_values_in_scope(rules: LegRules, causes: Sequence[Cause], scan: ProjectScan) -> LegRules:
    """`rules`, and rules that pass variables for the new arguments of functions that causes are about."""
    wanted = {
        change.symbol.called: (change, at) for change in rules.changes if (at := added_parameter(change)) is not None
    }
    named = [(cause, wanted.get(last_name(cause.symbol))) for cause in causes if cause.symbol]
    further = (rule for cause, found in named if found is not None for rule in _rules_of(cause, *found, scan))
    return rules.with_further("variables in scope", further)


def _rules_of(cause: Cause, change: ApiChange, at: int, scan: ProjectScan) -> Iterator[Rule]:
    assert change.old is not None and change.new is not None
    item = change.new.given[at]
    files: dict[str, list[TreePath]] = defaultdict(list)
    for file in cause.files:
        text = scan.read(TreePath(file)) if file in scan.manifest.files else None
        lines = {error.place.line for error in cause.errors if error.place.file == file}
        for name in _shared(text, file, change, lines, item) if text is not None else ():
            files[name].append(TreePath(file))
    for name, paths in files.items():
        words = re.sub(r"\W", "-", name)
        is_named = name.removeprefix("this.").removeprefix("self.").strip("_") == item.name
        yield AddArgumentRule(
            f"in-scope-{change.symbol.called}-{words}",
            english(
                "{full} wants {type} {name}; {variable} is in scope at each of these calls",
                full=change.old.full,
                type=item.type,
                name=item.name,
                variable=name,
            ),
            title=english("{called}(…) gets {name}", called=change.old.called, name=name),
            call=change.old.called,
            arguments=len(change.old.given),
            position=at + 1,
            text=name,
            named=True,
            where=Where(files=tuple(map(str, paths))),
            confidence=NAMED_VALUE_IN_SCOPE if is_named else VALUE_IN_SCOPE,
        )


def _shared(text: str, file: str, change: ApiChange, lines: set[int], item: Parameter) -> Sequence[str]:
    """The names of a parameter's type that every reported call of a file can use, the nearest of the first call first."""
    type_ = (re.findall(r"\w+", item.type) or [""])[-1]
    assert change.old is not None
    if not type_ or type_ in _PLAIN or re.search(r"[<\[(|]", item.type):
        return ()
    tokens = tokenize(text, file)
    starts = [tokens[name].start for name, _, _ in find_calls(text, file, change.old.called)]
    at_calls = [names_in_scope(text, file, start, type_) for start in starts if text.count("\n", 0, start) + 1 in lines]
    if not at_calls:
        return ()
    return [name for name in at_calls[0] if all(name in listed for listed in at_calls)]
