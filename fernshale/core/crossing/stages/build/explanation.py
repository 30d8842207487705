"""Why nothing is proposed for a cause."""

from __future__ import annotations

from fernshale.core.base.texts import tr, tr_kept
from fernshale.core.base.treepath import printable
from fernshale.core.crossing.stages.build.view import BuildView, CauseView

# More reasons than this are not shown: the first ones are about the rules that come nearest.
MAX_REASONS = 4


def explain_nothing(cause: CauseView, view: BuildView) -> tuple[str, ...]:
    """The reasons why a cause has no fix, as sentences; empty where it has one."""
    if cause.fixes:
        return ()
    reasons = [tr("The rule {words}.", words=refused.words) for refused in cause.refused[:MAX_REASONS]]
    if cause.no_code is not None:
        file, role = cause.no_code
        has = tr("has no role") if role == "other" else tr("has the role {role}", role=role)
        return (
            tr(
                "{file} {has}, and only code is changed. If it is code, assign it the role own on Survey.",
                file=printable(file),
                has=has,
            ),
        )
    change = view.change_of(cause.cause)
    if change is not None and change.kind == "removed":
        reasons.append(
            tr("The release removed {full}, and comparing the releases found no successor.", full=change.symbol.full)
        )
    elif change is not None:
        reasons.append(
            tr("The releases differ here ({what}), but no rule follows from that.", what=tr_kept(change.what))
        )
    if not reasons:
        symbol = cause.cause.symbol
        reasons.append(
            tr("No rule of this leg and no difference between the two releases is about {symbol}.", symbol=symbol)
            if symbol
            else tr("The message names no symbol that a rule could be about.")
        )
    return tuple(reasons)
