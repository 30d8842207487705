"""The survey as the command line prints it."""

from __future__ import annotations

from fernshale.core.crossing.project.baseline import baseline_json
from fernshale.core.crossing.project.plugin_origins import PluginOrigin, local_json
from fernshale.core.crossing.stages.survey.view import SurveyView


def survey_json(view: SurveyView) -> dict[str, object]:
    """The survey as the command line prints it."""
    scan = view.scan
    return {
        "engine": {"id": scan.profile.id, "title": scan.profile.title, "release": scan.release},
        "sites": [
            {
                "file": site.file,
                "at": site.at.text,
                "line": site.line,
                "value": site.value.text,
                "name": site.name,
                "plugin": site.plugin,
            }
            for site in scan.sites
        ],
        "members": [
            {"name": item.name, "folder": item.folder, "how": item.how, "release": item.release}
            for item in scan.members
        ],
        "plugins": [_plugin_json(item) for item in view.plugins],
        "roles": {role: len(paths) for role, paths in view.roles.items()},
        "doubles": [{"one": item.one, "other": item.other, "how": item.how, "why": item.why} for item in view.doubles],
        "stale": [{"file": item.file, "source": item.source} for item in view.stale],
        "baseline": baseline_json(view.baseline) if view.baseline else None,
        "items": [{"key": item.key, "title": item.title, "place": item.place} for item in view.items],
    }


def _origin_json(item: PluginOrigin) -> dict[str, object]:
    origin = item.origin
    assert origin is not None
    return {
        "version": origin.name,
        "score": round(origin.score, 3),
        "sure": round(origin.confidence, 3),
        "runner_up": origin.runner_up,
        "tied": list(origin.tied),
        "source": item.source,
        "note": item.note,
    }


def _plugin_json(item: PluginOrigin) -> dict[str, object]:
    origin = item.origin
    return {
        "id": item.plugin.id,
        "folder": item.plugin.folder,
        "version": item.plugin.version,
        "accepts": item.plugin.accepts,
        "origin": _origin_json(item) if origin else None,
        **local_json(origin),
    }
