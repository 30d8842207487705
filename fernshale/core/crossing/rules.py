"""The fix rules that hold on a leg: those of the target's notes, then those the shelf has learned."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.crossing.ground import Ground
from fernshale.core.crossing.state import Crossing
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


def leg_rules(ground: Ground, crossing: Crossing) -> LegRules:
    """Rules for the crossing's leg. Raises FormatError for a broken file."""
    setup, shelf = crossing.setup, ground.shelf
    if shelf is None:
        return LegRules(())
    target = shelf.engine(ground.profile.id, setup.to)
    return LegRules(tuple(rules_for(shelf.place(path), setup.from_, setup.to) for path in target.rules))
