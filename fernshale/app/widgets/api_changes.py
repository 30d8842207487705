"""A change of an interface in a few words."""

from __future__ import annotations

from collections.abc import Mapping

from fernshale.core.base.texts import tr, tr_kept
from fernshale.core.drift.comparison import ApiChange

KIND_TITLES: Mapping[str, str] = {
    "renamed": tr("renamed"),
    "moved": tr("moved"),
    "removed": tr("removed"),
    "added": tr("added"),
    "signature": tr("another signature"),
    "reordered": tr("arguments in another order"),
    "wider": tr("accepts more"),
    "default": tr("another default"),
    "deprecated": tr("deprecated"),
    "must-implement": tr("must be implemented"),
    "no-longer-overrides": tr("overrides nothing now"),
    "imported-from": tr("imported from elsewhere"),
}


def title_of_change(change: ApiChange) -> str:
    """A change in a few words, without the scopes that all have in common."""
    old, new = change.old, change.new
    if old is not None and new is not None and change.kind in ("renamed", "moved"):
        shared = next((at for at, (a, b) in enumerate(zip(old.scope, new.scope, strict=False)) if a != b), None)
        if shared is None and old.scope == new.scope:
            return (
                f"{old.name} → {new.name}"
                if old.name != new.name
                else tr("{name} is declared in {file}", name=old.name, file=new.file)
            )
        return f"{old.mark.join(old.path[shared:])} → {new.mark.join(new.path[shared:])}"
    if old is not None and new is not None and change.kind == "imported-from":
        return tr("{name} from {now}, not {before}", name=new.name, now=".".join(new.scope), before=".".join(old.scope))
    near = change.symbol.mark.join(change.symbol.path[-2:])
    if change.kind == "reordered":
        return tr("{function} takes its arguments in another order", function=near.removesuffix(".__init__"))
    if change.kind == "signature" and old is not None and new is not None and old.is_callable == new.is_callable:
        if not old.is_callable:
            return tr("{near} has another type", near=near)
        return (
            tr("{near} returns another type", near=near)
            if old.parameters == new.parameters
            else tr("{near} takes other arguments", near=near)
        )
    what = tr_kept(change.what)
    return what if len(what) < 60 else f"{near}: {KIND_TITLES[change.kind]}"
