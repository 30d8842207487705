"""Derive values for a new argument: what the release's own code, tests and examples pass, and what is a default elsewhere."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from pathlib import Path

from fernshale.core.base.confidence import COPIED_VALUE, DEFAULT_ELSEWHERE, PLACEHOLDER
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.texts import english
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.declarations import plain_type
from fernshale.core.drift.names.script_builds import is_declaration
from fernshale.core.drift.release_symbols import languages_of, list_sources, read_bytes
from fernshale.core.fix.calls import find_calls
from fernshale.core.fix.rules import AddArgumentRule, Rule
from fernshale.core.fix.tokens import tokenize
from fernshale.core.inference.call_forms import placeholder
from fernshale.core.inference.example_folders import example_files
from fernshale.core.inference.overrides import rule_id

# Values that may mean the same in other files: literals, and names with their owners.
_PORTABLE = lazy_pattern(
    r"(?P<owner>[A-Za-z_]\w*)(?P<mark>::|\.)\w+(?:(?:::|\.)\w+)*|-?\d[\w.]*|\"[^\"]*\"|true|false|nullptr|None|True|False"
)
_OBJECTS = frozenset(("this", "self", "cls", "super", "base", "Self"))
_FROM_ELSEWHERE = (
    r"(?m)^\s*(?:import|from|use|using|(?:local|const|let|var)\b.*\brequire)\b.*\b{name}\b|\bnamespace\s+{name}\b"
)
Defaults = Mapping[tuple[str, str], Counter[str]]
"""How often each value is the default of a parameter, by its name and type."""


def usual_defaults(changes: Sequence[ApiChange]) -> Defaults:
    """Count the defaults of the new release's changed and added functions that mean the same in other files."""
    found: dict[tuple[str, str], Counter[str]] = defaultdict(Counter)
    for symbol in {change.new for change in changes if change.new is not None and change.new.is_callable}:
        for item in symbol.given:
            if item.default and is_portable(item.default):
                found[item.name, plain_type(item.type)][item.default] += 1
    return found


def is_portable(value: str, text: str = "") -> bool:
    """Whether a value of a file with this text means the same in other files. A member of an object does not: the owner has to be
    a type, a namespace, or a module that the file imports."""
    found = _PORTABLE.fullmatch(value)
    if found is None or found["owner"] in _OBJECTS:
        return False
    owner = found["owner"]
    if not owner or found["mark"] == "::" or owner[:1].isupper():
        return True
    return re.search(_FROM_ELSEWHERE.format(name=re.escape(owner)), text) is not None


def added_parameter(change: ApiChange) -> int | None:
    """The place of the one parameter without a default that a function has more than before, from 0; None where it is not one."""
    if change.kind != "signature" or change.old is None or change.new is None:
        return None
    ours, theirs = [item.name for item in change.old.given], change.new.given
    added = [at for at, item in enumerate(theirs) if item.name not in ours]
    is_one = len(theirs) == len(ours) + 1 and len(added) == 1 and not theirs[added[0]].default
    return added[0] if is_one and change.old.is_callable else None


def argument_rules(change: ApiChange, folder: Path, defaults: Defaults) -> Iterator[Rule]:
    """Yield rules that pass a new argument without a default: the value that the release's own code passes most often, the usual
    default of such a parameter, or else a placeholder. `folder` is the new release."""
    at = added_parameter(change)
    if at is None or change.old is None or change.new is None:
        return
    old, item = change.old, change.new.given[at]
    wanted = english(
        "{full} wants {parameter}", full=old.full, parameter=" ".join(filter(None, (item.type, item.name)))
    )
    values: list[tuple[str, str, float]] = []
    if (passed := _passed(folder, old.called, len(change.new.given), at)) is not None:
        values.append(
            (
                passed[0],
                english(
                    "{wanted}; the release's own code passes {value}, {times} times",
                    wanted=wanted,
                    value=passed[0],
                    times=passed[1],
                ),
                COPIED_VALUE,
            )
        )
    for text, times in defaults.get((item.name, plain_type(item.type)), Counter[str]()).most_common(1):
        if text not in [known for known, _, _ in values]:
            functions = (
                english("1 other function has") if times == 1 else english("{times} other functions have", times=times)
            )
            values.append(
                (
                    text,
                    english(
                        "{wanted}; {functions} {words} as default for it",
                        wanted=wanted,
                        functions=functions,
                        words=text,
                    ),
                    DEFAULT_ELSEWHERE,
                )
            )
    if not values:
        text = placeholder(item.name or "argument")
        values.append(
            (
                text,
                english(
                    "{wanted}, and the release shows no value: replace {words} by yours", wanted=wanted, words=text
                ),
                PLACEHOLDER,
            )
        )
    for number, (text, why, confidence) in enumerate(values):
        yield AddArgumentRule(
            rule_id(old, f"{number + 1}" if number else ""), why,
            title=english("{called}(…) gets {words}", called=old.called, words=text), call=old.called,
            arguments=len(old.given), position=at + 1, text=text, confidence=confidence,
        )  # fmt: skip


@lru_cache(maxsize=512)
def _passed(folder: Path, call: str, arguments: int, at: int) -> tuple[str, int] | None:
    """Return the argument that a release's code most often passes at one position, and how often.

    Cached, since a release does not change.
    """
    found: Counter[str] = Counter()
    plain = re.escape(call)
    is_called = re.compile(rf"{plain}(?<!\w{plain})\s*\(")
    for path in (*list_sources(folder, languages_of("")), *example_files(folder)):
        text = read_bytes(f"{folder}/{path}").decode("utf-8", "replace") if not is_declaration(path) else ""
        if is_called.search(text) is None:
            continue
        tokens = tokenize(text, path)
        for _, _, spans in find_calls(text, path, call):
            if len(spans) == arguments:
                first, last = spans[at]
                given = text[tokens[first].start : tokens[last - 1].end]
                if is_portable(given, text):
                    found[given] += 1
    return found.most_common(1)[0] if found else None
