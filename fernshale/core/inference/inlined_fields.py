"""Derive rules for a field whose type is gone, where the class of the field has the members of that type itself now:
`event.key.scancode` becomes `event.scancode`."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from pathlib import Path

from fernshale.core.base.confidence import AUTOMATIC_FROM, SHARE_MATCHED_BY_NAME, SHARE_MATCHED_BY_TYPE
from fernshale.core.base.languages import C_FAMILY, ENDINGS, language_of
from fernshale.core.base.texts import english
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.declarations import plain_type, renamed_type
from fernshale.core.drift.symbols import CONTAINER, Symbol
from fernshale.core.drift.type_exchange import names_in_type
from fernshale.core.fix.rules import RewriteRule
from fernshale.core.inference.overrides import rule_id
from fernshale.core.inference.release_lookup import members

# Languages in which a pattern can follow a chain of members.
_CHAINS = (*C_FAMILY, *ENDINGS["c#"], *ENDINGS["java"], *ENDINGS["rust"], *ENDINGS["typescript"], *ENDINGS["python"])
# A type with fewer members that its owner has now may just have a common one.
_MIN_SHARED = 2


def inlined_rules(
    changes: Sequence[ApiChange], before: Path, after: Path, types: Mapping[str, str]
) -> Iterator[RewriteRule]:
    """Yield a rule for each member of a type that is gone, where the owner of a field of that type has the member instead.

    `before` and `after` are the folders of the releases, `types` the renamed types.
    """
    gone = {item.old.name for item in changes if item.old is not None and _is_lost(item)}
    for change in changes:
        field = change.old
        if field is None or field.kind != "field" or not field.scope or not field.file.endswith(_CHAINS):
            continue
        lost = gone.intersection(names_in_type(field.returns)[-1:])
        if change.kind in ("removed", "renamed") and lost:
            yield from _rules_of(field, lost, before, after, types)


def _is_lost(change: ApiChange) -> bool:
    """Whether a type is gone without a certain successor."""
    is_certain = bool(change.candidates) and change.candidates[0].score >= AUTOMATIC_FROM
    return change.kind in ("removed", "renamed") and change.symbol.kind in CONTAINER and not is_certain


def _rules_of(
    field: Symbol, lost: Collection[str], before: Path, after: Path, types: Mapping[str, str]
) -> Iterator[RewriteRule]:
    language, owner = language_of(field.file), field.scope[-1]
    inner = [item for name in lost for item in members(before, name, language) if item.kind == "field"]
    known = {item.name for item in members(before, owner, language)}
    fresh = [
        item
        for item in members(after, types.get(owner, owner), language)
        if item.kind == "field" and item.name not in known
    ]
    by_name = {item.name: item for item in fresh}
    same = [item for item in inner if item.name in by_name]
    if len(same) < _MIN_SHARED:
        return
    for item in same:
        yield _rule(field, item, by_name[item.name], SHARE_MATCHED_BY_NAME)
    left = [item for item in inner if item not in same]
    free = [item for item in fresh if all(item.name != other.name for other in same)]
    for item in left:
        # The one of its type among those that are left, on both sides.
        mine = [other for other in left if renamed_type(other.returns, types) == renamed_type(item.returns, types)]
        theirs = [other for other in free if plain_type(other.returns) == renamed_type(item.returns, types)]
        if len(mine) == len(theirs) == 1:
            yield _rule(field, item, theirs[0], SHARE_MATCHED_BY_TYPE)


def _rule(field: Symbol, inner: Symbol, new: Symbol, confidence: float) -> RewriteRule:
    why = english(
        "{scope} has the members of {type} itself now",
        scope=".".join(field.scope),
        type=plain_type(field.returns),
    )
    return RewriteRule(
        f"{rule_id(field)}-{inner.name}", why, title=f"{field.name}.{inner.name} → {new.name}",
        pattern=f"$it.{field.name}.{inner.name}", replacement=f"$it.{new.name}", confidence=confidence, named=True,
    )  # fmt: skip
