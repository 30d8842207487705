"""Derived rules, kept: deriving them again at each look, and in each process, takes longer than all else.

They depend on the two releases, the rules from better sources, and this code. In memory they are kept with the comparison that they
were derived from, on disk in the cache folder by a digest of all of that.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Collection, Sequence
from functools import cache
from typing import TYPE_CHECKING, Any

from fernshale.core.base.cache import Cache
from fernshale.core.base.cached_file import cached_file
from fernshale.core.base.code_digest import code_digest
from fernshale.core.base.data_folder import cache_folder
from fernshale.core.base.texts import add_origins, origins_of
from fernshale.core.base.work import CancelToken
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.comparison_cache import ReleasePlaces, comparison_stamp
from fernshale.core.fix.rule_file import RuleSet
from fernshale.core.fix.rules import AnyRule, Rule
from fernshale.core.inference.from_api_diff import guess_rules

if TYPE_CHECKING:
    import pydantic


def derived_rules(
    changes: Sequence[ApiChange], places: ReleasePlaces, title: str, known: Collection[str], kept: Cache
) -> RuleSet:
    """The rules that `guess_rules` derives from the changes between two releases, from a cache where they were derived before."""
    key = title, frozenset(known)
    found = kept.find("derived rules", key, lambda: (changes, RuleSet(title, (), places.new)))
    # The same comparison is the same object as long as neither release changes.
    if found is not None and found[0] is changes:
        return found[1]
    rules = _from_disk(changes, places, title, known)
    kept.put("derived rules", key, (changes, rules), len(rules.rules))
    return rules


def _from_disk(changes: Sequence[ApiChange], places: ReleasePlaces, title: str, known: Collection[str]) -> RuleSet:
    digest = hashlib.sha256(f"{code_digest('inference', 'fix')}\0{comparison_stamp(places)}".encode())
    digest.update("\0".join(sorted(known)).encode("utf-8", "surrogateescape"))
    path = cache_folder() / "drift" / f"{digest.hexdigest()[:32]}.rules.json"
    return cached_file(
        path,
        lambda data: RuleSet(title, _read(data), places.new),
        lambda: guess_rules(changes, places.old, places.new, title, known),
        lambda rules: _written(rules.rules),
        CancelToken(),
    )


def _written(rules: Sequence[Rule]) -> bytes:
    """The origins of the rules' sentences on the first line, then the rules."""
    sentences = (words for rule in rules for words in (rule.why, rule.name))
    return json.dumps(origins_of(sentences)).encode() + b"\n" + _reader().dump_json(tuple(rules))


def _read(data: bytes) -> tuple[Rule, ...]:
    origins, _, rules = data.partition(b"\n")
    add_origins(json.loads(origins))
    return _reader().validate_json(rules)


@cache
def _reader() -> pydantic.TypeAdapter[tuple[Rule, ...]]:
    import pydantic

    reader: Any = pydantic.TypeAdapter(tuple[AnyRule, ...])
    return reader  # type: ignore[no-any-return]
