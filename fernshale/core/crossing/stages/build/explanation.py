"""Why nothing is proposed for a cause."""

from __future__ import annotations

from fernshale.core.base.treepath import printable
from fernshale.core.crossing.stages.build.view import BuildView, CauseView

# More reasons than this are not shown: the first ones are about the rules that come nearest.
MAX_REASONS = 4


def explain_nothing(cause: CauseView, view: BuildView) -> tuple[str, ...]:
    """The reasons why a cause has no fix, as sentences; empty where it has one."""
    if cause.fixes:
        return ()
    reasons = [f"The rule {refused.words}." for refused in cause.refused[:MAX_REASONS]]
    if cause.no_code is not None:
        file, role = cause.no_code
        has = "has no role" if role == "other" else f"has the role {role}"
        return (f"{printable(file)} {has}, and only code is changed. If it is code, assign it the role own on Survey.",)
    change = view.change_of(cause.cause)
    if change is not None and change.kind == "removed":
        reasons.append(f"The release removed {change.symbol.full}, and comparing the releases found no successor.")
    elif change is not None:
        reasons.append(f"The releases differ here ({change.what}), but no rule follows from that.")
    if not reasons:
        symbol = cause.cause.symbol
        reasons.append(
            f"No rule of this leg and no difference between the two releases is about {symbol}."
            if symbol
            else "The message names no symbol that a rule could be about."
        )
    return tuple(reasons)
