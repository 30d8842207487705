"""Members of the project's classes that what they derive from has by the same name now: they override or hide it without a word."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterator, Mapping, Sequence
from functools import cached_property

from fernshale.core.base.errors import StoreError
from fernshale.core.base.textfile import position, read_text
from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.buildmatters import DEFAULT, RIGHT
from fernshale.core.crossing.ground import Ground
from fernshale.core.crossing.matter import Matter, Stage
from fernshale.core.crossing.state import Crossing
from fernshale.core.crossing.texts import Texts
from fernshale.core.drift.compare import Change
from fernshale.core.fix.members import OwnClass, own_classes
from fernshale.core.snapshot.manifest import Entry
from fernshale.core.survey.roles import role_of

# Classes of the project that derive from one another are followed so far.
_DEEPEST = 6
_HEAD = re.compile(r"\b(?:class|struct|interface|impl)\b[^;{}]{0,300}")


def clash_matters(
    ground: Ground, crossing: Crossing, changes: Sequence[Change], texts: Texts, decided: Collection[str]
) -> Iterator[Matter]:
    """One for each class and member, in the order of the files. What a class has only since the leg began was written for the
    new release."""
    before = _Before(ground, crossing)
    came = _came(changes)
    # By the last name of a class, the new members that it has or inherits.
    known: dict[str, Mapping[str, Change]] = {name: members for name, members in came.items() if name in texts.used}
    waiting = list(known)
    heads = _heads(ground, texts) if known else {}
    seen: set[tuple[TreePath, str]] = set()
    for _ in range(_DEEPEST):
        derived = {}
        for base, path in ((base, path) for base in waiting for path, head in heads.items() if base in head):
            for item in own_classes(texts.of[path], path):
                if base in item.bases and (path, item.name) not in seen:
                    seen.add((path, item.name))
                    derived[item.name] = inherited = _inherited(item, known)
                    had = before.members(path, item) if inherited.keys() & item.members.keys() else frozenset()
                    clashing = {name: inherited[name] for name in inherited.keys() & had}
                    yield from _matters(item, path, texts.of[path], clashing, decided)
        waiting = [name for name in derived if name not in known]
        known |= derived


def _heads(ground: Ground, texts: Texts) -> Mapping[TreePath, str]:
    """What stands at the heads of classes in each of the project's own texts: few of many texts have any class in question."""

    def find() -> dict[TreePath, str]:
        found = {path: " ".join(_HEAD.findall(text)) for path, text in texts.of.items()}
        return {path: head for path, head in found.items() if head and role_of(ground.profile, path).role == "own"}

    return ground.manifest.derived(("class heads", ground.profile.role, ground.along), find)


class _Before:
    """The project's classes as they were when the leg began."""

    def __init__(self, ground: Ground, crossing: Crossing) -> None:
        self._ground, self._crossing = ground, crossing

    @cached_property
    def _files(self) -> Mapping[TreePath, Entry]:
        start = self._crossing.leg_fact("start") or self._crossing.fact("start")
        return self._crossing.store.manifest(start).files if start else {}

    def members(self, path: TreePath, item: OwnClass) -> frozenset[str]:
        """The names of the members that a class had; those it has where nothing is known of before."""
        try:
            entry, now = self._files.get(path), self._ground.manifest.files.get(path)
            if entry is None:
                return frozenset()
            if now is not None and now.content == entry.content:
                return frozenset(item.members)
            text = read_text(self._crossing.store.get(entry.content))
        except StoreError:
            return frozenset(item.members)
        classes = own_classes(text.text, path) if text is not None else ()
        return frozenset(name for known in classes if known.name == item.name for name in known.members)


def _came(changes: Sequence[Change]) -> dict[str, dict[str, Change]]:
    """What came into classes that were there before, and has not to be written by who derives from them."""
    due = {change.new.path for change in changes if change.kind == "must-implement" and change.new is not None}
    found: dict[str, dict[str, Change]] = {}
    for change in changes:
        symbol = change.symbol
        if change.kind == "added" and symbol.kind in ("method", "field") and symbol.scope and symbol.path not in due:
            found.setdefault(symbol.scope[-1], {})[symbol.name] = change
    return found


def _inherited(item: OwnClass, known: Mapping[str, Mapping[str, Change]]) -> Mapping[str, Change]:
    return {name: change for base in item.bases for name, change in known.get(base, {}).items()}


def _matters(
    item: OwnClass, path: TreePath, text: str, clashing: Mapping[str, Change], decided: Collection[str]
) -> Iterator[Matter]:
    for name in item.members:
        change = clashing.get(name)
        if change is None:
            continue
        what = f"{item.name} in {path} has a member {name}, and so has {change.symbol.scope[-1]} now"
        key = f"{DEFAULT}{what}"
        if key not in decided:
            place = f"{path}:{position(text, item.members[name])[0]}"
            symbol = change.symbol
            declared = f"{symbol.full}{symbol.signature if symbol.is_callable else ''}"
            why = f"{declared} is new, in {symbol.file}:{symbol.line}. Whatever asks for it finds that of {item.name} instead."
            yield Matter(key, Stage.BUILD, f"{what}: compiles, and may mean something else", "own", place, why, True, (RIGHT,))
