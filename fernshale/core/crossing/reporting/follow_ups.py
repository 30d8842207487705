"""What to consider after the crossing: new features of the release, and deprecations that matter at the next upgrade."""

from __future__ import annotations

from fernshale.core.base.texts import tr, tr_kept
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.interface_changes import engine_drift
from fernshale.core.crossing.stages.overview import Overview

_MAX_FOLLOW_UPS = 20


def follow_ups(overview: Overview) -> list[dict[str, str]]:
    """Points of the notes about features that the project does not use yet, and deprecations of what it uses."""
    return [*_new_things(overview), *_deprecated(overview)][:_MAX_FOLLOW_UPS]


def _new_things(overview: Overview) -> list[dict[str, str]]:
    setup = overview.setup
    changes = engine_drift(overview.scan, setup.from_, setup.to, Work())
    added = {change.symbol.name for change in changes if change.kind == "added"}
    found = []
    for note in overview.route.notes:
        # Changes that the project had to follow are done; features that it does not use yet may be worth using.
        if note.uses == 0 and note.point.names and set(note.point.names) & added:
            found.append({"kind": "new", "source": note.source, "text": note.point.text})
    return found


def _deprecated(overview: Overview) -> list[dict[str, str]]:
    found = []
    for item in overview.build.drift:
        if item.change.kind == "deprecated":
            text = tr("{what}; used {uses} times here", what=tr_kept(item.change.what), uses=item.uses)
            source = tr("comparing {before} with {to}", before=overview.setup.from_, to=overview.setup.to)
            found.append({"kind": "deprecated", "source": source, "text": text})
    return found
