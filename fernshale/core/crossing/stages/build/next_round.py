"""The next round: rules are learned from manual changes before the build replaces the tree they are compared with."""

from __future__ import annotations

from fernshale.core.base.work import Work
from fernshale.core.build.round_history import Round
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.last_build import LAST_BUILD, ROUNDS
from fernshale.core.crossing.rules.sources import keep_learned
from fernshale.core.crossing.stages.build.build_runs import run_round
from fernshale.core.crossing.stages.build.last_errors import last_errors
from fernshale.core.crossing.stages.build.learned import learn_from_changes


def build_next(crossing: Crossing, scan: ProjectScan, work: Work) -> Round:
    """Build once and keep the result. Raises TrustNeeded, CommandError, Cancelled."""
    last = crossing.read(LAST_BUILD) if crossing.read(ROUNDS) else None
    if last is not None and last.release == crossing.setup.to:
        causes = last_errors(scan, crossing, last, work.token).causes
        keep_learned(crossing, learn_from_changes(scan, crossing, last.snapshot, causes))
    return run_round(crossing, scan, work)
