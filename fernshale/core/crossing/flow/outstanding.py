"""Everything that was set aside on a crossing, in one list: what it is, what brings it back, and whether it could come now."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.stages.build.workspace_members import member_states
from fernshale.core.crossing.stages.engine.workarounds import is_needed
from fernshale.core.crossing.stages.overview import Overview

Kind = Literal["plugin", "code", "member", "line"]


@dataclass(frozen=True, slots=True)
class Owed:
    """Something to come back to. `key` and `way` settle it; `ready` says why that can be done now, "" while it cannot."""

    kind: Kind
    title: str
    place: str
    why: str
    condition: str
    ready: str
    key: str
    way: str


def owed(overview: Overview, crossing: Crossing) -> tuple[Owed, ...]:
    """All debts, those that can be paid now first."""
    found = [
        Owed(
            "plugin", f"{item.id} {item.version}", item.id, item.why, f"comes back with {item.condition}",
            f"{item.ready} would fit now" if item.ready else "", f"aside:{item.id}", "return",
        )
        for item in overview.plugins.aside
    ]  # fmt: skip
    found += [
        Owed(
            "code",
            item.title,
            item.place,
            item.why,
            "comes back when it can be mended",
            "",
            f"debt:{item.entry}",
            "return",
        )
        for item in overview.build.debts
    ]
    lines = overview.engine.workarounds
    for item in (item for item in lines if item.line):
        ready = "" if is_needed(item, lines, overview.setup.to) else f"{overview.setup.to} does not need it"
        found.append(
            Owed("line", item.words, item.place, item.workaround.why, item.condition, ready, item.key, "remove")
        )
    for state in member_states(overview.ground, overview.build, crossing):
        if state.left_out:
            member, to = state.member, overview.setup.to
            words = f"comes along when it can be mended for {to}"
            title = f"{member.name} stays on {member.release}"
            found.append(
                Owed("member", title, member.folder, state.left_out, words, "", f"member:{member.name}", "return")
            )
    return tuple(sorted(found, key=lambda item: not item.ready))
