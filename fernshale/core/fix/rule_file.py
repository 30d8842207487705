"""Files of fix rules, `*.rules.toml`: read them, check which releases they cover, and write them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import MISSING, Field, asdict, dataclass, fields
from pathlib import Path
from typing import TYPE_CHECKING, Any, ClassVar

from fernshale.core.base.errors import FormatError
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import parse_release
from fernshale.core.base.texts import tr
from fernshale.core.base.toml_schema import STRICT, read_toml
from fernshale.core.fix.rules import AnyRule, Rule
from fernshale.core.profile.model import Expect

if TYPE_CHECKING:
    from tomlkit.items import Table

FORMAT = "fernshale-rules/1"
# Keys that stand at the head of a rule, in this order; those of its kind follow, then those of all kinds.
_HEAD = ("id", "kind", "why", "title")
_INLINE = ("where", "rename", "set")


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
    rule: tuple[AnyRule, ...] = ()
    expect: tuple[Expect, ...] = ()


def read_rules(path: Path) -> RuleSet:
    """The rules at `path`. Raises MisuseError, or FormatError with every fault."""
    return _as_set(_read(path), path)


def rules_for(path: Path, from_: str, to: str) -> RuleSet:
    """The rules at `path` if the file covers this leg, else none of them. Raises as `read_rules`."""
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
    for item in _in_order(rule):
        value = getattr(rule, item.name)
        default = item.default if item.default_factory is MISSING else item.default_factory()
        if value == default and item.name != "kind":
            continue
        if item.name in _INLINE:
            inner = tomlkit.inline_table()
            parts = asdict(value) if item.name == "where" else value
            inner.update(
                {name: list(each) if isinstance(each, tuple) else each for name, each in parts.items() if each}
            )
            table[item.name] = inner
        elif item.name in ("example", "changes"):
            table[item.name] = [asdict(each) for each in value]
        else:
            table[item.name] = list(value) if isinstance(value, tuple) else value
    return table


def _in_order(rule: Rule) -> list[Field[Any]]:
    """The fields of a rule in the order in which they are written."""
    common = [item.name for item in fields(Rule)]
    by_name = {item.name: item for item in fields(rule)}
    of_kind = [name for name in by_name if name not in common]
    return [by_name[name] for name in (*_HEAD, *of_kind, *(name for name in common if name not in _HEAD))]


def _read(path: Path) -> _RuleFile:
    file = read_toml(path, _RuleFile, FORMAT)
    ids = [rule.id for rule in file.rule]
    if doubles := sorted({id for id in ids if ids.count(id) > 1}):
        raise FormatError(path, [(0, tr("two rules have the id {id}", id=id)) for id in doubles])
    return file


def _as_set(file: _RuleFile, path: Path) -> RuleSet:
    return RuleSet(file.title or path.name, file.rule, path, file.expect)


def _holds(range_: str, release: str) -> bool:
    return parse_range(range_).contains(parse_release(release))
