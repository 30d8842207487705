"""List the releases that each plugin could be updated to on an engine release, and the arguments against each."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Literal

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import is_release, parse_release, same_release
from fernshale.core.route.shelf import KnownFault, Need, PluginRelease, Shelf

# How ready a release of a plugin is for an engine release, the best first.
Readiness = Literal["ready", "reported to work", "preview only", "revision only", "untested", "nothing"]
READINESS: tuple[Readiness, ...] = (
    "ready",
    "reported to work",
    "preview only",
    "revision only",
    "untested",
    "nothing",
)


@dataclass(frozen=True, slots=True)
class InstalledPlugin:
    """A plugin as installed in the project; `accepts` is the engine range in its descriptor."""

    id: str
    version: str
    accepts: str


@dataclass(frozen=True, slots=True)
class PluginWishes:
    """Decisions of the user about plugins, by id: keep the copy as it is, leave it out for now, use this exact version."""

    hold: frozenset[str] = frozenset()
    left_out: frozenset[str] = frozenset()
    pinned: frozenset[tuple[str, str]] = frozenset()

    def allows(self, id: str, version: str) -> bool:
        """Whether no other version of the plugin was asked for."""
        asked = [wanted for name, wanted in self.pinned if name == id]
        return not asked or any(same_release(version, wanted) for wanted in asked)


NO_WISHES = PluginWishes()


@dataclass(frozen=True, slots=True)
class PluginCandidate:
    """A plugin release that could be used. `faults` are those that affect this project.

    The installed copy is a candidate, too (`is_here`); keeping it needs no decision, even if a new installation of it would.
    """

    id: str
    version: str
    readiness: Readiness
    is_here: bool
    set: str
    needs: tuple[Need, ...]
    faults: tuple[KnownFault, ...]

    @property
    def risk(self) -> int:
        """The risk of this candidate: a fault that affects the project outweighs any readiness."""
        worth = 0 if self.is_here else READINESS.index(self.readiness)
        return worth + 10 * bool(self.faults)


@dataclass(frozen=True, slots=True)
class CandidateTable:
    """All candidates for one engine release, by plugin; `order` has the plugins of the project first."""

    order: tuple[str, ...]
    here: Mapping[str, InstalledPlugin]
    of: Mapping[str, tuple[PluginCandidate, ...]]
    wishes: PluginWishes = NO_WISHES


def readiness_of(item: PluginRelease, engine: str) -> Readiness:
    """How ready a vendor's release is for an engine release."""
    if not item.accepts and not item.said_to_work:
        return "untested"
    if item.accepts and accepts(item.accepts, engine):
        words: dict[str, Readiness] = {
            "stable": "ready",
            "preview": "preview only",
            "revision": "revision only",
        }
        return words[item.stage]
    if item.said_to_work and accepts(item.said_to_work, engine):
        return "reported to work"
    return "nothing"


@dataclass(frozen=True, slots=True)
class ProjectPlugins:
    """The plugins a project has, and the user's decisions about them. `used` are the names that the project uses, to select the
    faults that affect it; None counts every fault."""

    here: Sequence[InstalledPlugin]
    wishes: PluginWishes = NO_WISHES
    used: Collection[str] | None = None


def find_candidates(shelf: Shelf, engine: str, plugins: ProjectPlugins) -> CandidateTable:
    """Return the candidates of the project's plugins, of their requirements and of their successors."""
    standing = {item.id: item for item in plugins.here}
    found: dict[str, tuple[PluginCandidate, ...]] = {}
    waiting = list(standing)
    while waiting:
        id = waiting.pop(0)
        if id in found:
            continue
        found[id] = tuple(_candidates(shelf, id, engine, standing.get(id), plugins.wishes, plugins.used))
        waiting += [need.id for item in found[id] for need in item.needs]
        succession = shelf.succession(id)
        waiting += succession.to if succession else ()
    return field_of(plugins.here, found, plugins.wishes)


def field_of(
    here: Sequence[InstalledPlugin], found: Mapping[str, tuple[PluginCandidate, ...]], wishes: PluginWishes
) -> CandidateTable:
    """The field of candidates that were found: the project's own plugins first."""
    standing = {item.id: item for item in here}
    return CandidateTable((*standing, *sorted(set(found) - set(standing))), standing, found, wishes)


def concerning(faults: Iterable[KnownFault], used: Collection[str] | None) -> tuple[KnownFault, ...]:
    """The faults that concern a project that uses these names."""
    return tuple(item for item in faults if used is None or not item.concerns or any(n in used for n in item.concerns))


@lru_cache(maxsize=65536)
def accepts(text: str, release: str) -> bool:
    """Return whether a range in any notation contains a release; False for an unreadable range."""
    if not is_release(release):
        return text == "*"
    try:
        return parse_range(text).contains(parse_release(release))
    except MisuseError:
        return False


def _candidates(
    shelf: Shelf, id: str, target: str, here: InstalledPlugin | None, wishes: PluginWishes, used: Collection[str] | None
) -> Iterable[PluginCandidate]:
    releases = shelf.releases_of(id)
    held = id in wishes.hold
    known = shelf.plugin(id, here.version) if here else None
    if here is not None and wishes.allows(id, here.version):
        usual = known or (releases[-1] if releases else None)
        fits = bool(here.accepts) and accepts(here.accepts, target)
        fits = fits or (known is not None and readiness_of(known, target) in ("ready", "reported to work"))
        yield PluginCandidate(
            id, here.version, "ready" if fits or held else "nothing", True, usual.set if usual else "",
            known.requires if known and not held else (), concerning(known.faults, used) if known else (),
        )  # fmt: skip
    if held:
        return
    for item in releases:
        if item is not known and wishes.allows(id, item.version):
            faults = concerning(item.faults, used)
            yield PluginCandidate(id, item.version, readiness_of(item, target), False, item.set, item.requires, faults)
