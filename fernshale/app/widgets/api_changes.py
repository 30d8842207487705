"""A change of an interface in a few words."""

from __future__ import annotations

from fernshale.core.drift.comparison import ApiChange


def title_of_change(change: ApiChange) -> str:
    """A change in a few words, without the scopes that all have in common."""
    old, new = change.old, change.new
    if old is not None and new is not None and change.kind in ("renamed", "moved"):
        shared = next((at for at, (a, b) in enumerate(zip(old.scope, new.scope, strict=False)) if a != b), None)
        if shared is None and old.scope == new.scope:
            return f"{old.name} → {new.name}" if old.name != new.name else f"{old.name} is declared in {new.file}"
        return f"{old.mark.join(old.path[shared:])} → {new.mark.join(new.path[shared:])}"
    if old is not None and new is not None and change.kind == "imported-from":
        return f"{new.name} from {'.'.join(new.scope)}, not {'.'.join(old.scope)}"
    near = change.symbol.mark.join(change.symbol.path[-2:])
    if change.kind == "reordered":
        return f"{near.removesuffix('.__init__')} takes its arguments in another order"
    if change.kind == "signature" and old is not None and new is not None and old.is_callable == new.is_callable:
        if not old.is_callable:
            return f"{near} has another type"
        return f"{near} returns another type" if old.parameters == new.parameters else f"{near} takes other arguments"
    return change.what if len(change.what) < 60 else f"{near}: {change.kind}"
