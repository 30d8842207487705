"""Members of the project's classes that collide with new members of their base classes: they override or hide them silently."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from functools import cached_property, partial
from pathlib import Path

from fernshale.core.base.errors import StoreError
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.textfile import position, read_text
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.project.source_texts import Texts
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.build.items import DEFAULT, right
from fernshale.core.crossing.stages.build.script_bases import may_derive
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.names.script_packages import script_packages_of
from fernshale.core.fix.members import OwnClass, own_classes
from fernshale.core.snapshot.manifest import TreeEntry
from fernshale.core.survey.roles import role_of

_HEAD = lazy_pattern(r"\b(?:class|struct|interface|impl)\b[^;{}]{0,300}")


def clash_items(
    scan: ProjectScan,
    crossing: Crossing,
    changes: Sequence[ApiChange],
    texts: Texts,
    decided: Collection[str],
    release: Path | None,
) -> Iterator[Item]:
    """One item for each class and member, in file order. Members that the class got since the leg began are left out.

    They were written for the new release, whose folder is `release`.
    """
    # By the last name of a class, the new members that it has or inherits.
    known: dict[str, Mapping[str, ApiChange]] = {
        name: members for name, members in _came(changes).items() if name in texts.used
    }
    before = _Before(scan, crossing)
    find = partial(_inherited, known=known, texts=texts, is_of_release=partial(_is_of, release))
    for path, classes in _derived(known, _heads(scan, texts) if known else {}, texts, find).items():
        for item in classes:
            inherited = find(path, item)
            if clashing := inherited.keys() & item.members.keys():
                had = before.members(path, item)
                yield from _items(
                    item, path, texts.of[path], {name: inherited[name] for name in clashing & had}, decided
                )


def _derived(
    known: dict[str, Mapping[str, ApiChange]],
    heads: Mapping[TreePath, str],
    texts: Texts,
    find: Callable[[TreePath, OwnClass], Mapping[str, ApiChange]],
) -> Mapping[TreePath, Sequence[OwnClass]]:
    """The classes of the files that derive from one in `known`. They are added to `known`, since others derive from them."""
    found: dict[TreePath, Sequence[OwnClass]] = {}
    count = -1
    while count < len(known):
        count = len(known)
        for path, head in heads.items():
            if path not in found and any(name in head for name in known):
                found[path] = own_classes(texts.of[path], path)
        for path, item in ((path, item) for path, classes in found.items() for item in classes):
            if inherited := find(path, item):
                known.setdefault(item.name, inherited)
    return {path: found[path] for path in heads if path in found}


def _heads(scan: ProjectScan, texts: Texts) -> Mapping[TreePath, str]:
    """The texts of class heads in each of the project's own files that may derive from a class in question."""

    def find() -> dict[TreePath, str]:
        found = {path: " ".join(_HEAD.findall(text)) for path, text in texts.of.items()}
        return {path: head for path, head in found.items() if head and role_of(scan.profile, path).role == "own"}

    return scan.manifest.derived(("class heads", scan.profile.role, scan.along), find)


class _Before:
    """The project's classes as they were when the leg began."""

    def __init__(self, scan: ProjectScan, crossing: Crossing) -> None:
        self._scan, self._crossing = scan, crossing

    @cached_property
    def _files(self) -> Mapping[TreePath, TreeEntry]:
        start = self._crossing.leg_start
        return self._crossing.store.manifest(start).files if start else {}

    def members(self, path: TreePath, item: OwnClass) -> frozenset[str]:
        """The names of the members that a class had at the start of the leg; its current members where that is unknown."""
        try:
            entry, now = self._files.get(path), self._scan.manifest.files.get(path)
            if entry is None:
                return frozenset()
            if now is not None and now.content == entry.content:
                return frozenset(item.members)
            text = read_text(self._crossing.store.get(entry.content))
        except StoreError:
            return frozenset(item.members)
        classes = own_classes(text.text, path) if text is not None else ()
        return frozenset(name for known in classes if known.name == item.name for name in known.members)


def _came(changes: Sequence[ApiChange]) -> dict[str, dict[str, ApiChange]]:
    """New members of classes that both releases have, except those that subclasses have to implement."""
    required = {change.new.path for change in changes if change.kind == "must-implement" and change.new is not None}
    found: dict[str, dict[str, ApiChange]] = {}
    for change in changes:
        symbol = change.symbol
        if (
            change.kind == "added"
            and symbol.kind in ("method", "field")
            and symbol.scope
            and symbol.path not in required
        ):
            found.setdefault(symbol.scope[-1], {})[symbol.name] = change
    return found


def _inherited(
    path: TreePath,
    item: OwnClass,
    known: Mapping[str, Mapping[str, ApiChange]],
    texts: Texts,
    is_of_release: Callable[[str], bool],
) -> Mapping[str, ApiChange]:
    """The new members that a class has from its bases."""
    return {
        name: change
        for base in item.bases
        for name, change in known.get(base, {}).items()
        # A class of the project that is between the two was looked at by itself.
        if change.symbol.scope[-1] != base
        or may_derive(path, texts.of[path], item.name, base, change.symbol.scope[:-1], is_of_release)
    }


def _is_of(release: Path | None, module: str) -> bool:
    """Whether a module that a script imports may be one of the release: it is in a package of it, or it has no packages."""
    packages = script_packages_of(release) if release is not None else None
    return packages is None or not packages.has_packages or packages.is_packaged(module)


def _items(
    item: OwnClass, path: TreePath, text: str, clashing: Mapping[str, ApiChange], decided: Collection[str]
) -> Iterator[Item]:
    for name in item.members:
        change = clashing.get(name)
        if change is None:
            continue
        what = tr(
            "{class_name} in {path} has a member {member}, and so has {scope} now",
            class_name=item.name,
            path=path,
            member=name,
            scope=change.symbol.scope[-1],
        )
        key = f"{DEFAULT}{what}"
        if key not in decided:
            place = f"{path}:{position(text, item.members[name])[0]}"
            symbol = change.symbol
            declared = f"{symbol.full}{symbol.signature if symbol.is_callable else ''}"
            why = tr(
                "{declared} is new, in {file}:{line}. Lookups now resolve to the member of {name}.",
                declared=declared,
                file=symbol.file,
                line=symbol.line,
                name=item.name,
            )
            yield Item(
                key,
                Stage.BUILD,
                tr("{what}: compiles, and may mean something else", what=what),
                "own",
                place,
                why,
                True,
                (right(key),),
            )
