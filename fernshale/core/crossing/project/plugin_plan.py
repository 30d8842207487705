"""The plan of a leg: which release each plugin moves to."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from fernshale.core.base.release import is_release, parse_release, same_release
from fernshale.core.base.work import CancelToken
from fernshale.core.crossing.project.scan import ProjectScan, shelf_of
from fernshale.core.crossing.project.source_texts import read_texts
from fernshale.core.crossing.record.database import Crossing, Setup
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.route.candidates import InstalledPlugin, PluginWishes, ProjectPlugins
from fernshale.core.route.planner import Leg, PluginStep, plan_leg
from fernshale.core.route.shelf import EngineRelease
from fernshale.core.survey.plugins import Plugin

# The ranges that plugins accepted before the project was pointed at the target of the leg.
ACCEPTED_BEFORE: Fact[Mapping[str, str] | None] = Fact("plugins said", None, dict, per_leg=True)


# How a decision names one version of a plugin.
_VERSION = "version "


def plan(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> Leg:
    """The plan of the current leg for the project's plugins. Raises NotOnShelf for an unknown target."""
    setup = crossing.setup
    accepted = crossing.read(ACCEPTED_BEFORE) or {}
    return plan_for(scan, setup.from_, setup.to, read_wishes(crossing), token, accepted)


def plan_for(
    scan: ProjectScan,
    from_: str,
    to: str,
    wishes: PluginWishes,
    token: CancelToken,
    accepted: Mapping[str, str] | None = None,
) -> Leg:
    """Like `plan`, for any leg. `said` are the ranges that plugins accepted before these were widened (see `said_key`)."""
    shelf = shelf_of(scan)
    shelf.engine(scan.profile.id, to)
    here = tuple(
        InstalledPlugin(item.id, item.version, (accepted or {}).get(accepted_key(item), item.accepts))
        for item in scan.plugins
    )
    used = read_texts(scan, token).used.keys()
    targets = other_targets(shelf.engines_of(scan.profile.id), from_, to)
    return plan_leg(shelf, from_, to, ProjectPlugins(here, wishes, used), targets)


def accepted_key(plugin: Plugin) -> str:
    """The key of a plugin in the fact ACCEPTED_BEFORE."""
    return f"{plugin.id} {plugin.version}"


def read_wishes(crossing: Crossing) -> PluginWishes:
    """The decisions about plugins on the current leg."""
    hold, left_out, pinned = set(), set(), set()
    prefix = plugin_key(crossing.setup, "")
    for key, item in crossing.decisions().items():
        if key.startswith(prefix):
            id = key.removeprefix(prefix)
            hold |= {id} if item.choice == "keep" else set()
            left_out |= {id} if item.choice == "aside" else set()
            if item.choice.startswith(_VERSION):
                pinned.add((id, item.choice.removeprefix(_VERSION)))
    return PluginWishes(frozenset(hold), frozenset(left_out), frozenset(pinned))


def is_wanted(step: PluginStep, crossing: Crossing) -> bool:
    """Whether a plugin's planned update is to be carried out: it is certain, or a person chose it."""
    if step.action in ("update", "add"):
        return True
    decision = crossing.decisions().get(plugin_key(crossing.setup, step.id))
    return (
        decision is not None and (decision.choice == "take" or decision.choice.startswith(_VERSION)) and bool(step.to)
    )


def plugin_key(setup: Setup, id: str) -> str:
    """The key of the decision about a plugin on the current leg."""
    return f"route:{setup.to}:{id}"


def other_targets(releases: Sequence[EngineRelease], from_: str, to: str) -> list[str]:
    """Other stable releases to move to, the nearest to `to` first."""
    here = parse_release(from_)
    found = [item.version for item in releases if item.stage == "stable" and is_release(item.version)]
    newer = [text for text in found if parse_release(text) > here and not same_release(text, to)]
    return sorted(newer, key=parse_release, reverse=True)[:3]
