"""Everything that was switched off or left out on a crossing, in one list, with the condition for its return."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from fernshale.core.crossing.record.actions import Action
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.stages.build.actions import SwitchCodeOn, TakeMemberAlong
from fernshale.core.crossing.stages.build.member_states import member_states
from fernshale.core.crossing.stages.engine.actions import RemoveWorkaround
from fernshale.core.crossing.stages.engine.workarounds import is_needed
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.crossing.stages.plugins.actions import ReturnPlugin

DebtKind = Literal["plugin", "code", "member", "line"]


@dataclass(frozen=True, slots=True)
class OutstandingDebt:
    """One debt. `action` pays it; `ready` says why that is possible now, "" while it is not."""

    kind: DebtKind
    title: str
    place: str
    why: str
    condition: str
    ready: str
    action: Action

    @property
    def key(self) -> str:
        """The key of the item that the action resolves."""
        return self.action.key


def find_outstanding(overview: Overview, crossing: Crossing) -> tuple[OutstandingDebt, ...]:
    """All debts, those that can be resolved now first."""
    found = [
        OutstandingDebt(
            "plugin", f"{item.id} {item.version}", item.id, item.why, f"returns with {item.condition}",
            f"{item.ready} fits now" if item.ready else "", ReturnPlugin(item.id),
        )
        for item in overview.plugins.left_out
    ]  # fmt: skip
    found += [
        OutstandingDebt(
            "code",
            item.title,
            item.place,
            item.why,
            "until it can be fixed",
            "",
            SwitchCodeOn(item.entry),
        )
        for item in overview.build.debts
    ]
    lines = overview.engine.workarounds
    for item in (item for item in lines if item.line):
        ready = "" if is_needed(item, lines, overview.setup.to) else f"{overview.setup.to} does not need it"
        found.append(
            OutstandingDebt(
                "line", item.words, item.place, item.workaround.why, item.condition, ready, RemoveWorkaround(item.name)
            )
        )
    for state in member_states(overview.scan, overview.build, crossing):
        if state.left_out:
            member, to = state.member, overview.setup.to
            words = f"moves when it can be fixed for {to}"
            title = f"{member.name} stays on {member.release}"
            found.append(
                OutstandingDebt("member", title, member.folder, state.left_out, words, "", TakeMemberAlong(member.name))
            )
    return tuple(sorted(found, key=lambda item: not item.ready))
