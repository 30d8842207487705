"""A finished crossing as one file for the next project: decisions with their reasons, fix rules, checks."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import asdict, dataclass, replace
from pathlib import Path
from typing import Any, ClassVar

from fernshale.core.base.toml_schema import STRICT, read_toml
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.check_runs import own_checks
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decisions import Decision, Recorded
from fernshale.core.crossing.record.stage import STAGES, Stage, stage_of
from fernshale.core.crossing.rules.sources import keep_rules, leg_rules, own_rules
from fernshale.core.crossing.stages.trial.check_list import add_check
from fernshale.core.fix.rule_file import rule_table
from fernshale.core.fix.rules import AnyRule, Rule
from fernshale.core.profile.model import Check

FORMAT = "fernshale-way/1"
# Rules of these kinds are derived again in the next project.
_BY_ITSELF = ("automatic", "Fernshale")
# Decisions about this project's own steps, which another project does not meet.
_OF_THIS_ONE = ("git", "debt", "data")


@dataclass(frozen=True, slots=True)
class Playbook:
    """The contents of a playbook file."""

    __pydantic_config__: ClassVar = STRICT
    title: str = ""
    from_: str = ""
    to: str = ""
    decision: tuple[Recorded, ...] = ()
    rule: tuple[AnyRule, ...] = ()
    check: tuple[Check, ...] = ()


def read_playbook(path: Path) -> Playbook:
    """Raises MisuseError, FormatError."""
    return read_toml(path, Playbook, FORMAT)


def export_playbook(crossing: Crossing, scan: ProjectScan, token: CancelToken) -> str:
    """The crossing's decisions by people, its own rules and those that people chose, its checks; as TOML."""
    import tomlkit

    setup = crossing.setup
    document = tomlkit.document()
    document["format"] = FORMAT
    document["title"] = f"{setup.project.name} from {scan.profile.title} {setup.start} to {setup.target}"
    document["from"], document["to"] = setup.start, setup.target
    decisions, rules, checks = tomlkit.aot(), tomlkit.aot(), tomlkit.aot()
    for item in _decisions(crossing.decisions()):
        decisions.append(
            _table({"key": item.key, "take": item.choice, "why": item.why, "text": item.text}, ("key", "take", "why"))
        )
    for rule in _rules(crossing, scan, token):
        rules.append(rule_table(rule))
    for check in own_checks(crossing):
        checks.append(_table(asdict(check), ("name",)))
    for name, listed in (("decision", decisions), ("rule", rules), ("check", checks)):
        if listed:
            document[name] = listed
    return tomlkit.dumps(document)


def follow_playbook(crossing: Crossing, scan: ProjectScan, playbook: Playbook) -> dict[str, Recorded]:
    """Keep a playbook's rules and checks on another crossing; returns its decisions by key, to be applied where they fit."""
    if playbook.rule:
        keep_rules(crossing, playbook.rule)
    known = {item.name for item in (*scan.profile.check, *own_checks(crossing))}
    for check in playbook.check:
        if check.name not in known:
            add_check(crossing, scan, check)
    return {item.key: item for item in playbook.decision}


def unfit(
    playbook: Playbook, crossing: Crossing, taken: Collection[str], stopped: Stage | None
) -> tuple[tuple[str, ...], int]:
    """What of a playbook did not fit: decisions whose item never came up, rules that found no place; and how many of both are
    for stages behind the one at which the crossing `stopped`, and may fit yet."""
    decided = crossing.decisions()
    used = {entry.about.partition(" ")[2] for entry in crossing.logbook() if entry.state == "done"}
    left = [
        (stage_of(item.key), f"decision {item.key}: {item.why}")
        for item in playbook.decision
        if item.key not in taken and item.key not in decided
    ]
    left += [(Stage.BUILD, f"rule {rule.id}: {rule.name}") for rule in playbook.rule if rule.id not in used]
    behind = STAGES[STAGES.index(stopped) + 1 :] if stopped is not None else ()
    missed = tuple(words for stage, words in left if stage not in behind)
    return missed, len(left) - len(missed)


def _decisions(decisions: Mapping[str, Decision]) -> list[Decision]:
    kept = []
    for item in decisions.values():
        area = item.key.partition(":")[0]
        if item.who not in _BY_ITSELF and area not in (*_OF_THIS_ONE, "fix"):
            kept.append(item)
    return kept


def _rules(crossing: Crossing, scan: ProjectScan, token: CancelToken) -> list[Rule]:
    """The crossing's own rules, and those that a person chose, with full confidence."""
    chosen = {
        item.key.removeprefix("fix:").partition(":")[0]
        for item in crossing.decisions().values()
        if item.key.startswith("fix:") and item.who not in _BY_ITSELF
    }
    rules = {rule.id: rule for rule in own_rules(crossing).rules}
    if chosen - rules.keys():
        for rule in leg_rules(scan, crossing, Work(token=token)).all:
            if rule.id in chosen:
                rules.setdefault(rule.id, replace(rule, confidence=1.0))
    return list(rules.values())


def _table(values: Mapping[str, Any], always: Collection[str]) -> Any:
    import tomlkit

    table = tomlkit.table()
    for name, value in values.items():
        if value or name in always:
            table[name] = list(value) if isinstance(value, tuple) else value
    if table.get("timeout_s") == Check("x", by_hand="x").timeout_s:
        del table["timeout_s"]
    return table
