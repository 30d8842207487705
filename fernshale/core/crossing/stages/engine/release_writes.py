"""Writing the target wherever the project names its release."""

from __future__ import annotations

from fernshale.core.base.texts import count, tr
from fernshale.core.base.work import Work
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.crossing.project.generator import Regenerated, regenerate
from fernshale.core.crossing.project.plugin_plan import ACCEPTED_BEFORE, accepted_key
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.engine.inspection import inspect_engine
from fernshale.core.crossing.stages.engine.view import EngineView
from fernshale.core.engine.release_update import draft_sites
from fernshale.core.survey.release_sites import read_project_text
from fernshale.core.survey.workspace_members import with_override


def preview_engine(scan: ProjectScan, view: EngineView, to: str) -> ChangeSet:
    """The one change set of this stage."""
    draft = draft_sites(scan.project, view.sites)
    workspace = scan.profile.workspace
    for path in view.overrides:
        assert workspace is not None
        file = read_project_text(scan.project, path)
        draft.write(path, file.with_text(with_override(workspace, file.text, to, path)).encode())
    return draft.change_set()


def apply_engine(crossing: Crossing, scan: ProjectScan, work: Work) -> Regenerated | None:
    """Change all sites in one step, then run the engine's generator."""
    view = inspect_engine(scan, crossing, work.token)
    changes = preview_engine(scan, view, crossing.setup.to)
    if not changes.is_empty:
        to = crossing.setup.to
        # The ranges are widened now; the plan needs what the plugins accepted before.
        if crossing.read(ACCEPTED_BEFORE) is None:
            crossing.keep(ACCEPTED_BEFORE, {accepted_key(plugin): plugin.accepts for plugin in scan.plugins})
        title = tr(
            "{places_name} {to}",
            places_name=count(view.places, "place now names", "places now name"),
            to=to,
        )
        write_step(crossing, EntryText(Stage.ENGINE, title, tr("the target is {to}", to=to), "engine"), changes, work)
    return regenerate(crossing, work)
