"""The fix rules that hold on a leg: those of the target's notes, then those the shelf has learned."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.base.release import parse_release
from fernshale.core.crossing.ground import Ground
from fernshale.core.fix.rules import Rule, RuleSet, rules_for


@dataclass(frozen=True, slots=True)
class LegRules:
    """Rule sets in the order of their authority."""

    sets: tuple[RuleSet, ...]

    @property
    def all(self) -> tuple[Rule, ...]:
        return tuple(rule for group in self.sets for rule in group.rules)

    def source(self, rule: Rule) -> str:
        """Where a rule comes from, for its evidence."""
        return next((group.title for group in self.sets if rule in group.rules), "")


def leg_rules(ground: Ground, from_: str, to: str) -> LegRules:
    """Rules for the way between two releases: those of every release on it, in order. Raises FormatError, ShelfError."""
    shelf = ground.shelf
    if shelf is None:
        return LegRules(())
    low, high = parse_release(from_), parse_release(to)
    on_the_way = [
        item
        for item in shelf.engines_of(ground.profile.id)
        if low < parse_release(item.version) <= high and (item.stage == "stable" or item.version == to)
    ]
    files = dict.fromkeys((path, item) for item in on_the_way for path in item.rules)
    seen: dict[str, None] = {}
    sets = []
    for path, item in files:
        if path not in seen:
            seen[path] = None
            sets.append(rules_for(shelf.file(item, path), from_, to))
    return LegRules(tuple(sets))
