"""The plan of a leg: which release each plugin moves to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from fernshale.core.base.release import is_release, parse_release, same_release
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.scan import ProjectScan, shelf_of
from fernshale.core.crossing.project.source_texts import read_texts
from fernshale.core.crossing.record.database import Crossing, Setup
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.route.candidates import InstalledPlugin, PluginWishes
from fernshale.core.route.planner import Leg, PluginStep, plan_leg
from fernshale.core.route.shelf import EngineRelease
from fernshale.core.survey.plugins import Plugin

# The leg fact with what plugins said they accept, from before the project was pointed at the leg's target.
SAID: Fact[Mapping[str, str] | None] = Fact("plugins said", None, dict, per_leg=True)


# How a decision names one version of a plugin.
_VERSION = "version "


def plan(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> Leg:
    """The leg in hand for the project's plugins as they are. Raises NotOnShelf for an unknown target."""
    setup = crossing.setup
    said = crossing.read(SAID) or {}
    return plan_for(scan, setup.from_, setup.to, read_wishes(crossing), token, said)


def plan_for(
    scan: ProjectScan,
    from_: str,
    to: str,
    wishes: PluginWishes,
    token: CancelToken,
    said: Mapping[str, str] | None = None,
) -> Leg:
    """As `plan`, for any leg. `said` is what plugins accepted before ranges were widened for it (see `said_key`)."""
    shelf = shelf_of(scan)
    shelf.engine(scan.profile.id, to)
    here = tuple(
        InstalledPlugin(item.id, item.version, (said or {}).get(said_key(item), item.accepts)) for item in scan.plugins
    )
    used = read_texts(scan, token).used.keys()
    targets = other_targets(shelf.engines_of(scan.profile.id), from_, to)
    return plan_leg(shelf, from_, to, here, wishes, used, targets)


def said_key(plugin: Plugin) -> str:
    """How a plugin is named in the leg fact SAID."""
    return f"{plugin.id} {plugin.version}"


def read_wishes(crossing: Crossing) -> PluginWishes:
    """What was decided of plugins for the leg in hand."""
    hold, aside, pinned = set(), set(), set()
    prefix = plugin_key(crossing.setup, "")
    for key, item in crossing.decisions().items():
        if key.startswith(prefix):
            id = key.removeprefix(prefix)
            hold |= {id} if item.choice == "keep" else set()
            aside |= {id} if item.choice == "aside" else set()
            if item.choice.startswith(_VERSION):
                pinned.add((id, item.choice.removeprefix(_VERSION)))
    return PluginWishes(frozenset(hold), frozenset(aside), frozenset(pinned))


def is_wanted(step: PluginStep, crossing: Crossing) -> bool:
    """Whether a plugin's step is to be taken: it is sure, or was decided so."""
    if step.action in ("update", "add"):
        return True
    decision = crossing.decisions().get(plugin_key(crossing.setup, step.id))
    return (
        decision is not None and (decision.choice == "take" or decision.choice.startswith(_VERSION)) and bool(step.to)
    )


def plugin_key(setup: Setup, id: str) -> str:
    """The key under which it is kept what a plugin does on the leg in hand."""
    return f"route:{setup.to}:{id}"


def other_targets(releases: Sequence[EngineRelease], from_: str, to: str) -> list[str]:
    """Stable releases that could be gone to instead, the nearest to `to` first."""
    here = parse_release(from_)
    found = [item.version for item in releases if item.stage == "stable" and is_release(item.version)]
    newer = [text for text in found if parse_release(text) > here and not same_release(text, to)]
    return sorted(newer, key=parse_release, reverse=True)[:3]
