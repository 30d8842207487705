"""The release notes of engine and plugins between two releases, point by point, with the project's uses of each."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator
from dataclasses import dataclass

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.release import is_release, parse_release
from fernshale.core.base.texts import tr
from fernshale.core.crossing.project.source_texts import Texts
from fernshale.core.drift.stated.note_points import NotePoint, read_points
from fernshale.core.profile.model import Profile
from fernshale.core.route.planner import Leg
from fernshale.core.route.shelf import Shelf, ShelfRelease
from fernshale.core.snapshot.manifest import digest_of


@dataclass(frozen=True, slots=True)
class NoteUse:
    """A point of release notes. `uses` counts the places of the project that use a name in it.

    `source` names the notes; a decision under `key` marks the point as dealt with.
    """

    key: str
    source: str
    point: NotePoint
    uses: int
    dealt: bool

    @property
    def concerns(self) -> bool:
        """Whether a point concerns this project: it names a symbol that is used, or no symbol at all."""
        return self.uses > 0 or not self.point.names


def find_notes(shelf: Shelf, profile: Profile, leg: Leg, texts: Texts, decided: Collection[str]) -> tuple[NoteUse, ...]:
    """Every point between the two releases: the engine's first, release by release, then those of the plugins."""
    notes = []
    for source, item in _releases(shelf, profile.id, profile.title, leg):
        if not item.notes:
            continue
        try:
            text = shelf.file(item, item.notes).read_text("utf-8", "replace")
        except (FernshaleError, OSError) as error:
            text = tr("- the notes cannot be read: {error}", error=error)
        for point in read_points(text):
            key = "note:" + digest_of(f"{source}\n{point.text}".encode())[:12]
            notes.append(NoteUse(key, source, point, _count_uses(point, texts), key in decided))
    return tuple(notes)


def _releases(shelf: Shelf, engine: str, title: str, leg: Leg) -> Iterator[tuple[str, ShelfRelease]]:
    low, high = parse_release(leg.from_), parse_release(leg.to)
    for item in shelf.engines_of(engine):
        release = parse_release(item.version)
        if low < release <= high and (item.stage == "stable" or release == high):
            yield f"{title} {item.version}", item
    for step in leg.plugins:
        if not step.to or not is_release(step.to):
            continue
        floor = parse_release(step.from_) if is_release(step.from_) else None
        for plugin in shelf.releases_of(step.becomes or step.id):
            release = parse_release(plugin.version)
            if release <= parse_release(step.to) and (floor is None or step.becomes or floor < release):
                yield f"{plugin.id} {plugin.version}", plugin


def _count_uses(point: NotePoint, texts: Texts) -> int:
    uses = sum(texts.used.get(name, 0) for name in point.names if name.isidentifier())
    others = [name for name in point.names if not name.isidentifier()]
    if others:
        pattern = re.compile(r"(?<!\w)(?:" + "|".join(map(re.escape, others)) + r")(?!\w)")
        uses += sum(len(pattern.findall(text)) for text in texts.of.values())
    return uses
