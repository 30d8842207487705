"""Projects, profiles and shelves on disk: find, read, describe, trust."""

from __future__ import annotations

from fernshale.core.crossing.project.needed_tools import missing_tools
from fernshale.core.crossing.project.plugin_origins import file_states, local_json
from fernshale.core.crossing.project.plugin_plan import plugin_key
from fernshale.core.crossing.project.preconditions import probe_project
from fernshale.core.crossing.project.profile_drafts import check_profile, draft_text, keep_draft
from fernshale.core.crossing.project.role_of_place import give_role, role_at
from fernshale.core.crossing.project.scan import scan_crossing, scan_project
from fernshale.core.crossing.project.shelf_overview import shelf_overview, shelf_to_fill, suggested_shelf
from fernshale.core.crossing.record.git_commits import find_work_tree
from fernshale.core.crossing.record.trust import is_trusted, trust
from fernshale.core.profile.kept import keep_profile
from fernshale.core.profile.read import find_profile, read_profile
from fernshale.core.route.shelf_adding import add_releases, find_releases
from fernshale.core.route.shelf_server import ShelfServer
from fernshale.core.route.shelf_sources import read_shelf
from fernshale.core.snapshot.working_copy import duplicate_tree
from fernshale.core.survey.role_overrides import is_own_rule
from fernshale.core.survey.roles import role_of

__all__ = [
    "ShelfServer",
    "add_releases",
    "check_profile",
    "draft_text",
    "duplicate_tree",
    "file_states",
    "find_profile",
    "find_releases",
    "find_work_tree",
    "give_role",
    "is_own_rule",
    "is_trusted",
    "keep_draft",
    "keep_profile",
    "local_json",
    "missing_tools",
    "plugin_key",
    "probe_project",
    "read_profile",
    "read_shelf",
    "role_at",
    "role_of",
    "scan_crossing",
    "scan_project",
    "shelf_overview",
    "shelf_to_fill",
    "suggested_shelf",
    "trust",
]
