"""The changes between two releases, and the places where a project names its release."""

from __future__ import annotations

from fernshale.core.crossing.project.interface_changes import used_changes, uses_of
from fernshale.core.crossing.project.scan import known_engine_folder
from fernshale.core.crossing.project.source_texts import names_in
from fernshale.core.crossing.stages.engine.forked_files import preview_copy
from fernshale.core.crossing.stages.engine.inspection import site_changes
from fernshale.core.crossing.stages.engine.json_data import engine_json
from fernshale.core.crossing.stages.engine.release_writes import preview_engine
from fernshale.core.crossing.stages.engine.workarounds import is_needed
from fernshale.core.crossing.stages.route.json_data import route_json
from fernshale.core.drift.comparison_cache import ReleasePlaces, compare_releases
from fernshale.core.drift.release_symbols import languages_of, list_sources
from fernshale.core.engine.release_update import draft_sites

__all__ = [
    "ReleasePlaces",
    "compare_releases",
    "draft_sites",
    "engine_json",
    "is_needed",
    "known_engine_folder",
    "languages_of",
    "list_sources",
    "names_in",
    "preview_copy",
    "preview_engine",
    "route_json",
    "site_changes",
    "used_changes",
    "uses_of",
]
