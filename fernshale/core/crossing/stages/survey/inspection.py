"""Inspect the project: roles, plugins and their origin, duplicates, requirements, baseline."""

from __future__ import annotations

from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.baseline import read_baseline
from fernshale.core.crossing.project.commands import (
    read_requirements,
)
from fernshale.core.crossing.project.plugin_origins import find_origins
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.stages.survey.git_items import git_items
from fernshale.core.crossing.stages.survey.items import baseline_items, duplicate_items, survey_items
from fernshale.core.crossing.stages.survey.read_only_items import read_only_items
from fernshale.core.crossing.stages.survey.view import SurveyView
from fernshale.core.survey.duplicates import find_doubles, find_stale
from fernshale.core.survey.roles import files_by_role


def inspect_survey(scan: ProjectScan, crossing: Crossing | None, token: CancelToken) -> SurveyView:
    """Inspect the project; runs nothing and writes nothing. Raises Cancelled."""
    roles = files_by_role(scan.profile, scan.manifest)
    of_files = scan.manifest.sizes
    sizes = scan.manifest.derived(
        ("sizes", scan.profile.role),
        lambda: {role: sum(of_files[path] for path in paths) for role, paths in roles.items()},
    )
    plugins = find_origins(scan, crossing, token)
    baseline = read_baseline(crossing) if crossing else None
    requirements = read_requirements(crossing) if crossing else ()
    doubles = find_doubles(scan.profile, scan.project, scan.manifest, token)
    stale = find_stale(scan.profile, scan.manifest)
    left_so = crossing.left_so() if crossing else frozenset()
    items = (
        *survey_items(scan, plugins, requirements, crossing is None),
        *duplicate_items(doubles, plugins),
        *baseline_items(scan, crossing, baseline),
    )
    open_ = tuple(item for item in items if item.key not in left_so)
    if crossing is not None:
        open_ = (*open_, *read_only_items(crossing, scan), *git_items(crossing, scan.project))
    return SurveyView(scan, roles, sizes, plugins, doubles, stale, requirements, baseline, open_)
