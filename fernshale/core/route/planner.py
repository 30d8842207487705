"""What each plugin does on a leg: come along in which release, stay, or wait for a decision."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import Release, parse_release
from fernshale.core.route.shelf import PluginRelease, Shelf

Action = Literal["update", "stay", "preview only", "nothing"]
Readiness = Literal["ready", "preview only", "source revision", "nothing yet"]


@dataclass(frozen=True, slots=True)
class PluginStep:
    """One plugin on one leg. `to` equals `from_` when it stays, and is empty when there is nothing for the target."""

    id: str
    from_: str
    to: str
    action: Action
    why: str


@dataclass(frozen=True, slots=True)
class Leg:
    """From one engine release to the next."""

    from_: str
    to: str
    plugins: tuple[PluginStep, ...]


@dataclass(frozen=True, slots=True)
class Cell:
    """One field of the plugin x release table."""

    readiness: Readiness
    release: str


def plan_leg(shelf: Shelf, from_: str, to: str, plugins: Sequence[tuple[str, str, str]]) -> Leg:
    """The leg for `plugins`, given as (id, version here, engine releases it says it accepts).

    Staying is preferred when the copy at hand accepts the target; else the newest stable release that does.
    """
    target = parse_release(to)
    return Leg(from_, to, tuple(_plan_plugin(shelf, target, *plugin) for plugin in plugins))


def readiness(shelf: Shelf, plugin: str, engine: str) -> Cell:
    """Which release of a plugin is the one to take on an engine release."""
    fitting = _fitting(shelf, plugin, parse_release(engine))
    words: dict[str, Readiness] = {"stable": "ready", "preview": "preview only", "revision": "source revision"}
    for stage, word in words.items():
        if found := [item for item in fitting if item.stage == stage]:
            return Cell(word, found[-1].version)
    return Cell("nothing yet", "")


def _plan_plugin(shelf: Shelf, target: Release, id: str, version: str, accepts: str) -> PluginStep:
    if accepts and _accepts(accepts, target):
        return PluginStep(id, version, version, "stay", f"{version} accepts {accepts}, which holds {target}")
    fitting = _fitting(shelf, id, target)
    for item in reversed(fitting):
        if item.stage == "stable":
            return PluginStep(id, version, item.version, "update", f"{item.version} accepts {item.accepts}")
    if fitting:
        item = fitting[-1]
        return PluginStep(
            id, version, item.version, "preview only", f"only {item.stage} {item.version} accepts {target}"
        )
    known = ", ".join(item.version for item in shelf.releases_of(id))
    why = f"none of {known} accepts {target}" if known else "no release of it is on the shelf"
    return PluginStep(id, version, "", "nothing", why)


def _fitting(shelf: Shelf, plugin: str, target: Release) -> list[PluginRelease]:
    return [item for item in shelf.releases_of(plugin) if _accepts(item.accepts, target)]


def _accepts(text: str, release: Release) -> bool:
    try:
        return parse_range(text).contains(release)
    except MisuseError:
        return False  # a descriptor we cannot read promises nothing
