"""What can be done on the Links page."""

from __future__ import annotations

from dataclasses import dataclass

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.record.actions import Action


@dataclass(frozen=True, slots=True)
class Relink(Action):
    """Write another id wherever a missing one is used; "split" writes several, by the purpose of each use."""

    KEY = "links:{id}"
    OPTION = "{new}"
    id: str
    new: str


@dataclass(frozen=True, slots=True)
class RelinkFile(Action):
    """Write another path wherever a missing file is named."""

    KEY = "file:{path}"
    OPTION = "{new}"
    path: TreePath
    new: str


@dataclass(frozen=True, slots=True)
class ReadAssets(Action):
    """Have the engine's command print the binary assets, as they are now and as they were before."""

    KEY = "assets:unread"
    OPTION = "read"


@dataclass(frozen=True, slots=True)
class RewriteData(Action):
    """Rewrite data by a rule: "all" objects, or "one FILE#NUMBER"."""

    KEY = "data:{rule}"
    OPTION = "{objects}"
    rule: str
    objects: str


@dataclass(frozen=True, slots=True)
class MeetConstraint(Action):
    """Add missing data ("mend"), fill a field ("set VALUE") or remove an object ("drop NUMBER")."""

    KEY = "expect:{constraint}"
    OPTION = "{how}"
    constraint: str
    how: str


KINDS: tuple[type[Action], ...] = (
    ReadAssets,
    Relink,
    RelinkFile,
    RewriteData,
    MeetConstraint,
)
