"""Survey: the contents of the project, and whether it builds and runs today."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.project.baseline import Baseline
from fernshale.core.crossing.project.commands import (
    RequirementResult,
)
from fernshale.core.crossing.project.plugin_origins import PluginOrigin
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.stages.survey.actions import TakeBaseline
from fernshale.core.profile.model import Role
from fernshale.core.survey.duplicates import DuplicateLibrary, Stale

BASELINE_KEY = TakeBaseline().key


@dataclass(frozen=True, slots=True)
class SurveyView:
    """The result of the survey. `sizes` are bytes by role."""

    scan: ProjectScan
    roles: Mapping[Role, tuple[TreePath, ...]]
    sizes: Mapping[Role, int]
    plugins: tuple[PluginOrigin, ...]
    doubles: tuple[DuplicateLibrary, ...]
    stale: tuple[Stale, ...]
    requirements: tuple[RequirementResult, ...]
    baseline: Baseline | None
    items: tuple[Item, ...]

    @property
    def can_compare(self) -> bool:
        """Whether the profile has a command whose result can be compared with the baseline."""
        return self.scan.profile.commands.build is not None or self.scan.profile.commands.run is not None


def requirement_key(need: RequirementResult) -> str:
    return f"survey:needs:{need.name}"
