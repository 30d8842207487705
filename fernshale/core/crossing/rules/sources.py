"""The fix rules of a leg: the user's own, those of notes and shelf, then those from comparing the two releases."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path

from fernshale.core.base.disk import write_atomic
from fernshale.core.base.release import parse_release
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.interface_changes import engine_places, plugin_drift
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.comparison_cache import compare_releases
from fernshale.core.fix.rule_file import RuleSet, read_rules, rules_for, write_rules
from fernshale.core.fix.rules import Rule
from fernshale.core.inference.from_api_diff import symbols_named
from fernshale.core.inference.rule_cache import derived_rules

# The prefix of the ids of learned rules.
LEARNED = "learned-"
_MAX_LEARNED = 100


@dataclass(frozen=True)
class LegRules:
    """Rule sets in the order of their authority, and how the interfaces of engine and plugins change on the leg."""

    sets: tuple[RuleSet, ...]
    changes: tuple[ApiChange, ...] = ()

    @cached_property
    def all(self) -> tuple[Rule, ...]:
        """All rules; of several with one id only the one with the highest authority, since its places would be changed twice."""
        found: dict[str, Rule] = {}
        for group in self.sets:
            for rule in group.rules:
                found.setdefault(rule.id, rule)
        return tuple(found.values())

    def with_learned(self, rules: Sequence[Rule]) -> LegRules:
        """These rules with those that were just learned first: they are what the person at work means."""
        if not rules:
            return self
        known = {rule.id for rule in self.all}
        fresh = tuple(rule for rule in rules if rule.id not in known)
        return LegRules((RuleSet(tr("learned from your change"), fresh, Path()), *self.sets), self.changes)

    def with_further(self, title: str, rules: Iterable[Rule]) -> LegRules:
        """These rules, followed by further ones."""
        found = tuple(rules)
        return LegRules((*self.sets, RuleSet(title, found, Path())), self.changes) if found else self

    def is_declared(self, rule: Rule) -> bool:
        """Whether the release itself declares a rule."""
        return any(group.is_declared for group, known in self._by_id.get(rule.id, ()) if known == rule)

    def source(self, rule: Rule) -> str:
        """The source of a rule, for its evidence."""
        return next((group.title for group, known in self._by_id.get(rule.id, ()) if known == rule), "")

    @cached_property
    def _by_id(self) -> Mapping[str, list[tuple[RuleSet, Rule]]]:
        found: dict[str, list[tuple[RuleSet, Rule]]] = {}
        for group in self.sets:
            for rule in group.rules:
                found.setdefault(rule.id, []).append((group, rule))
        return found


def leg_rules(scan: ProjectScan, crossing: Crossing, work: Work) -> LegRules:
    """The rules of the current leg. Raises FormatError, ShelfError, Cancelled."""
    from_, to = crossing.setup.from_, crossing.setup.to
    own = own_rules(crossing)
    sets = [*([own] if own.rules else []), *written_rules(scan, from_, to)]
    known = symbols_named([rule for group in sets for rule in group.rules])
    places = engine_places(scan, from_, to, work.token)
    changes = () if places is None else compare_releases(places, "", work, scan.cache)
    if places is not None and changes:
        title = tr("comparing {title} {before} with {to}", title=scan.profile.title, before=from_, to=to)
        sets.append(derived_rules(changes, places, title, known, scan.cache))
    for drift in plugin_drift(scan, crossing, work):
        title = tr("comparing {plugin} {before} with {to}", plugin=drift.plugin, before=drift.from_, to=drift.to)
        sets.append(derived_rules(drift.changes, drift.places, title, known, scan.cache))
        changes += drift.changes
    return LegRules(tuple(sets), changes)


def written_rules(scan: ProjectScan, from_: str, to: str) -> list[RuleSet]:
    """The rules that notes and shelves have for each release between two releases, in order.

    Raises FormatError, ShelfError.
    """
    shelf = scan.shelf
    if shelf is None:
        return []
    low, high = parse_release(from_), parse_release(to)
    of_leg = [
        item
        for item in shelf.engines_of(scan.profile.id)
        if low < parse_release(item.version) <= high and (item.stage == "stable" or item.version == to)
    ]
    files = dict.fromkeys((path, item) for item in of_leg for path in item.rules)
    seen: dict[str, None] = {}
    sets = []
    for path, item in files:
        if path not in seen:
            seen[path] = None
            sets.append(replace(rules_for(shelf.file(item, path), from_, to), is_declared=True))
    return sets


def own_rules(crossing: Crossing) -> RuleSet:
    """The rules that were learned on this crossing or imported from another. Raises FormatError."""
    path = _own_file(crossing)
    if not path.is_file():
        return RuleSet(tr("your own rules"), (), path)
    return rules_for(path, crossing.setup.from_, crossing.setup.to)


def keep_rules(crossing: Crossing, rules: Sequence[Rule]) -> None:
    """Add rules to the crossing's own; one with the same id is replaced."""
    path = _own_file(crossing)
    before = read_rules(path).rules if path.is_file() else ()
    kept = {rule.id: rule for rule in (*before, *rules)}
    write_atomic(path, write_rules(list(kept.values()), tr("your own rules"), "*", "*").encode())


def learned_rules(crossing: Crossing) -> tuple[Rule, ...]:
    """The rules that were learned from changes before earlier builds, the newest first. Raises FormatError."""
    path = _learned_file(crossing)
    return read_rules(path).rules if path.is_file() else ()


def keep_learned(crossing: Crossing, rules: Sequence[Rule]) -> None:
    """Keep rules for the builds to come; the oldest go where there are many. Raises FormatError."""
    if rules:
        kept = {rule.id: rule for rule in (*rules, *learned_rules(crossing))}
        text = write_rules(list(kept.values())[:_MAX_LEARNED], tr("learned from your changes"), "*", "*")
        write_atomic(_learned_file(crossing), text.encode())


def export_rules(crossing: Crossing, scan: ProjectScan) -> str:
    """The crossing's own rules as a file for others, from its start to its target."""
    setup = crossing.setup
    title = tr(
        "learned from {title} {start} to {target}", title=scan.profile.title, start=setup.start, target=setup.target
    )
    return write_rules(own_rules(crossing).rules, title, f">={setup.start}", f">={setup.stops[0]}")


def _learned_file(crossing: Crossing) -> Path:
    return crossing.folder / "learned.rules.toml"


def _own_file(crossing: Crossing) -> Path:
    return crossing.folder / "own.rules.toml"
