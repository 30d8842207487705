"""The stored builds of a leg: the numbers of every round, and the log and tree of the last one."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from fernshale.core.build.round_history import Round
from fernshale.core.crossing.record.facts import Fact


@dataclass(frozen=True, slots=True)
class LastBuild:
    """The last build: its log file, whether it passed, for which release, and the tree it built (fingerprint and snapshot)."""

    log: str
    passed: bool
    fingerprint: str
    release: str
    snapshot: str


ROUNDS: Fact[tuple[Round, ...]] = Fact(
    "rounds",
    (),
    lambda data: tuple(Round.from_json(item) for item in data),
    lambda rounds: [item.to_json() for item in rounds],
    per_leg=True,
)
LAST_BUILD: Fact[LastBuild | None] = Fact(
    "last build",
    None,
    lambda data: LastBuild(**data),
    lambda value: asdict(value) if value is not None else None,
    per_leg=True,
)
