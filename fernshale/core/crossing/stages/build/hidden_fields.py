"""Rules for fields of C structures that a compiler misses although the releases compared do not: conditionals hide them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from pathlib import Path

from fernshale.core.base.languages import C_FAMILY, ENDINGS
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import MEMBER, last_name
from fernshale.core.crossing.project.scan import ProjectScan, known_engine_folder
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.drift.symbols import Symbol
from fernshale.core.fix.rules import Rule
from fernshale.core.inference.accessors import accessor_rule
from fernshale.core.inference.release_lookup import members, names_of_type


def with_accessors(rules: LegRules, causes: Sequence[Cause], scan: ProjectScan, releases: tuple[str, str]) -> LegRules:
    """`rules`, and rules that read missing fields by functions. `releases` are the two releases of the leg."""
    before, after = (known_engine_folder(scan, release) for release in releases)
    members_of_c = (cause for cause in causes if cause.kind == MEMBER and cause.scope)
    lacking = [cause for cause in members_of_c if any(file.endswith(C_FAMILY) for file in cause.files)]
    if before is None or after is None or not lacking:
        return rules
    known = {rule.id for group in rules.sets for rule in group.rules}
    found = (rule for cause in lacking for rule in _rules_of(cause, before, after) if rule.id not in known)
    return rules.with_further("hidden fields", found)


def _rules_of(cause: Cause, before: Path, after: Path) -> Iterator[Rule]:
    scope = last_name(cause.scope)
    field = _field(before, (scope, f"_{scope}", scope.lstrip("_")), cause.symbol)
    if field is None and any(file.endswith(ENDINGS["c"]) for file in cause.files):
        field = _field(before, names_of_type(before, scope), cause.symbol)
    rule = accessor_rule(field, after) if field is not None else None
    if rule is not None:
        yield rule


def _field(release: Path, structs: Iterable[str], name: str) -> Symbol | None:
    """The field of one of some structures of a release."""
    known = (item for struct in structs for item in members(release, struct, "c"))
    return next((item for item in known if item.name == name and item.kind == "field"), None)
