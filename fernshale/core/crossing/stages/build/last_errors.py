"""The errors of the last build, mapped to the project as it is now."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from fernshale.core.base.work import CancelToken
from fernshale.core.build.causes import Cause, find_causes
from fernshale.core.build.known_errors import split_known
from fernshale.core.build.owners import Owned, OwnerContext, find_owners
from fernshale.core.crossing.project.build_places import owner_context
from fernshale.core.crossing.project.own_bases import base_reader
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.last_build import LastBuild
from fernshale.core.crossing.stages.build.build_runs import known_errors, line_reader, read_round_log
from fernshale.core.crossing.stages.build.line_tracking import LinesNow
from fernshale.core.crossing.stages.build.symbol_uses import with_symbol_uses


@dataclass(frozen=True)
class LastErrors:
    """The causes of the new errors, and the errors that were there before the upgrade.

    `shape` maps places of the log to the project; `near` the same, but a line that was edited keeps its place.
    """

    causes: tuple[Cause, ...]
    before: tuple[Owned, ...]
    shape: OwnerContext
    near: OwnerContext


def last_errors(scan: ProjectScan, crossing: Crossing, last: LastBuild, token: CancelToken) -> LastErrors:
    """Raises Cancelled."""
    lines = LinesNow(scan, crossing, last.snapshot)
    shape = owner_context(scan, crossing, lines.line_now)
    every = find_owners(read_round_log(Path(last.log), scan), shape)
    new, before = split_known(every, known_errors(crossing))
    causes = find_causes(with_symbol_uses(new, scan, token), line_reader(scan), base_reader(scan, token))
    # One fix may leave another's place on a line that it changed.
    return LastErrors(causes, before, shape, replace(shape, line_now=lines.line_near))
