"""How the actions of Trial are carried out."""

from __future__ import annotations

from fernshale.core.crossing.project.action_handlers import Handlers
from fernshale.core.crossing.record.legs import begin_next_leg
from fernshale.core.crossing.stages.trial.actions import BeginNextLeg, MarkCheck, RunGame
from fernshale.core.crossing.stages.trial.check_list import mark_check
from fernshale.core.crossing.stages.trial.inspection import run_trial

HANDLERS: Handlers = {
    RunGame: lambda crossing, scan, action, author, work: run_trial(crossing, scan, work),
    MarkCheck: lambda crossing, scan, action, author, work: mark_check(crossing, scan, action, author),
    BeginNextLeg: lambda crossing, scan, action, author, work: begin_next_leg(crossing, work),
}
