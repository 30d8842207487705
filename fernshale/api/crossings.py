"""Crossings: begin, inspect, act, go back, and list debts."""

from __future__ import annotations

from fernshale.core.crossing.flow.actions import (
    apply_confident_fixes,
    build_and_fix,
    carry_out,
    choose_attempts,
    choose_confidence,
    withdraw,
)
from fernshale.core.crossing.flow.batch.cluster import Cluster
from fernshale.core.crossing.flow.batch.crossing_job import CrossingJob, run_in_process
from fernshale.core.crossing.flow.batch.in_parallel import ProjectTask, State, run_all
from fernshale.core.crossing.flow.batch.progress import PlaybookOutcome, ProjectProgress
from fernshale.core.crossing.flow.batch.project_crossing import cross_one
from fernshale.core.crossing.flow.crossing_transfer import (
    EXPORTED_SUFFIX,
    ExportedCrossing,
    ImportPlan,
    export_crossing,
    import_crossing,
    is_here,
    read_exported,
)
from fernshale.core.crossing.flow.import_content import ContentState, import_content, plan_import, read_assets_for
from fernshale.core.crossing.flow.last_look import LAST_LOOK, keep_last_look
from fernshale.core.crossing.flow.outstanding import DebtKind, find_outstanding
from fernshale.core.crossing.flow.standalone_changes import write_changes, write_links
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.flow.summaries import FindingParts, finding_of
from fernshale.core.crossing.project.check_runs import check_rows
from fernshale.core.crossing.record.crossing_archive import (
    IS_ARCHIVED,
    archivable_bytes,
    archive_crossing,
    take_from_archive,
)
from fernshale.core.crossing.record.crossing_deletion import delete_crossing, find_own_parts
from fernshale.core.crossing.record.database import Crossing, all_crossings, find_crossing, folder_of, open_crossing
from fernshale.core.crossing.record.decisions import read_decisions
from fernshale.core.crossing.record.fix_settings import attempts_per_build
from fernshale.core.crossing.record.items import choose
from fernshale.core.crossing.record.logbook import (
    Rewind,
    edits_since,
    go_back_to,
    preview_undo_plan,
    redo,
    restore_snapshot,
    steps_since,
    undo,
)
from fernshale.core.crossing.record.undo_plan import sides_of
from fernshale.core.crossing.stages.build.member_states import member_states
from fernshale.core.crossing.stages.overview import has_changed, inspect
from fernshale.core.crossing.stages.survey.baseline_run import describe_baseline
from fernshale.core.crossing.stages.survey.inspection import inspect_survey as inspect_project
from fernshale.core.crossing.stages.survey.json_data import survey_json
from fernshale.core.crossing.stages.trial.check_list import (
    add_check,
    drop_check,
    mark_check,
    propose_checks,
    refuse_check,
)

__all__ = [
    "EXPORTED_SUFFIX",
    "IS_ARCHIVED",
    "LAST_LOOK",
    "Cluster",
    "ContentState",
    "Crossing",
    "CrossingJob",
    "DebtKind",
    "ExportedCrossing",
    "FindingParts",
    "ImportPlan",
    "PlaybookOutcome",
    "ProjectProgress",
    "ProjectTask",
    "Rewind",
    "State",
    "add_check",
    "all_crossings",
    "apply_confident_fixes",
    "archivable_bytes",
    "archive_crossing",
    "attempts_per_build",
    "begin_crossing",
    "build_and_fix",
    "carry_out",
    "check_rows",
    "choose",
    "choose_attempts",
    "choose_confidence",
    "cross_one",
    "delete_crossing",
    "describe_baseline",
    "drop_check",
    "edits_since",
    "export_crossing",
    "find_crossing",
    "find_outstanding",
    "find_own_parts",
    "finding_of",
    "folder_of",
    "go_back_to",
    "has_changed",
    "import_content",
    "import_crossing",
    "inspect",
    "inspect_project",
    "is_here",
    "keep_last_look",
    "mark_check",
    "member_states",
    "open_crossing",
    "plan_import",
    "preview_undo_plan",
    "propose_checks",
    "read_assets_for",
    "read_decisions",
    "read_exported",
    "redo",
    "refuse_check",
    "restore_snapshot",
    "run_all",
    "run_in_process",
    "sides_of",
    "steps_since",
    "survey_json",
    "take_from_archive",
    "undo",
    "withdraw",
    "write_changes",
    "write_links",
]
