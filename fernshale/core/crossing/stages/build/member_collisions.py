"""Members of the project's classes that collide with new members of their base classes: they override or hide them silently."""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from itertools import chain, count
from pathlib import Path

from fernshale.core.base.confidence import OWN_MEMBER_RENAMED
from fernshale.core.base.errors import StoreError
from fernshale.core.base.globs import literal
from fernshale.core.base.languages import ENDINGS, SCRIPTS, is_root_member, language_of
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.textfile import position, read_text
from fernshale.core.base.texts import english, tr, tr_kept
from fernshale.core.base.treepath import TreePath
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import CLASH, OVERRIDE
from fernshale.core.crossing.project.scan import ProjectScan, known_engine_folder
from fernshale.core.crossing.project.source_texts import Texts
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.rules.sources import LegRules
from fernshale.core.crossing.stages.build.actions import PinDefault
from fernshale.core.crossing.stages.build.items import DEFAULT, right
from fernshale.core.crossing.stages.build.script_bases import may_derive
from fernshale.core.drift.comparison import ApiChange
from fernshale.core.drift.names.script_packages import script_packages_of
from fernshale.core.drift.symbols import Symbol
from fernshale.core.fix.members import OwnClass, own_classes
from fernshale.core.fix.rules import RenameMemberRule, Where
from fernshale.core.inference.release_lookup import has_member
from fernshale.core.snapshot.manifest import TreeEntry
from fernshale.core.survey.roles import role_of

# Languages in which the names of members are written like `hourOfDay`.
_CAMEL_CASE = (*SCRIPTS, *ENDINGS["java"], *ENDINGS["c#"])
# The kinds of errors that a clash can be.
_KINDS = (CLASH, OVERRIDE)
_HEAD = lazy_pattern(r"\b(?:class|struct|interface|impl)\b[^;{}]{0,300}")


@dataclass(frozen=True, slots=True)
class Clash:
    """A member of an own class, and the new member of its base class that has its name. `rule` renames the own one."""

    class_name: str
    path: TreePath
    line: int
    symbol: Symbol
    rule: RenameMemberRule

    @property
    def what(self) -> str:
        return english(
            "{class_name} in {path} has a member {member}, and so has {scope} now",
            class_name=self.class_name,
            path=self.path,
            member=self.rule.old,
            scope=self.symbol.scope[-1],
        )

    @property
    def key(self) -> str:
        """The key of the item for it."""
        return f"{DEFAULT}{self.what}"


def find_clashes(scan: ProjectScan, crossing: Crossing, changes: Sequence[ApiChange], texts: Texts) -> Iterator[Clash]:
    """All clashes, in file order. Members that the class got since the leg began are left out: they were written for the new
    release."""
    old, release = (known_engine_folder(scan, version) for version in (crossing.setup.from_, crossing.setup.to))
    # By the last name of a class, the new members that it has or inherits.
    known: dict[str, Mapping[str, Symbol]] = {**_came(changes, texts.used, old)}
    before = _Before(scan, crossing)
    find = partial(_inherited, known=known, texts=texts, is_of_release=partial(_is_of, release))
    heads = _heads(scan, texts) if known else {}
    for path, classes in _derived(known, heads, texts, find).items():
        for item in classes:
            inherited = find(path, item)
            if clashing := inherited.keys() & item.members.keys():
                had = before.members(path, item)
                for name in item.members:
                    if name in clashing & had:
                        line = position(texts.of[path], item.members[name])[0]
                        rule = _rename(item, name, path, inherited[name], texts, heads)
                        yield Clash(item.name, path, line, inherited[name], rule)


def clash_items(clashes: Sequence[Clash], decided: Collection[str]) -> Iterator[Item]:
    """One item for each clash that nothing was decided about."""
    for clash in clashes:
        if clash.key not in decided:
            rename = Option(PinDefault(clash.what), tr_kept(clash.rule.title), (tr_kept(clash.rule.why),))
            title = tr("{what}: compiles, and may mean something else", what=tr_kept(clash.what))
            place, options = f"{clash.path}:{clash.line}", (rename, right(clash.key))
            yield Item(clash.key, Stage.BUILD, title, "own", place, tr_kept(clash.rule.why), True, options)


def reported_clashes(causes: Sequence[Cause], clashes: Sequence[Clash]) -> tuple[Clash, ...]:
    """The clashes that an error in the file of their class is about."""
    named = {(cause.symbol, file) for cause in causes if cause.kind in _KINDS for file in cause.files}
    return tuple(clash for clash in clashes if (clash.rule.old, str(clash.path)) in named)


def with_renamed_members(rules: LegRules, reported: Sequence[Clash]) -> LegRules:
    """`rules`, and those that rename own members whose clash is an error."""
    return rules.with_further("the names of the project's own members", (clash.rule for clash in reported))


def _derived(
    known: dict[str, Mapping[str, Symbol]],
    heads: Mapping[TreePath, str],
    texts: Texts,
    find: Callable[[TreePath, OwnClass], Mapping[str, Symbol]],
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


def _came(changes: Sequence[ApiChange], classes: Collection[str], release: Path | None) -> dict[str, dict[str, Symbol]]:
    """New members of `classes` of the release, also those that were renamed or moved there, except those that subclasses have to
    implement. `release` is the folder of the old one: a renamed member may become one that the class had before, of its own or
    from a base."""
    required = {change.new.path for change in changes if change.kind == "must-implement" and change.new is not None}
    found: dict[str, dict[str, Symbol]] = {}
    for change in changes:
        symbol = change.new
        if (
            change.kind in ("added", "renamed", "moved")
            and symbol is not None
            and symbol.kind in ("method", "field")
            and symbol.scope
            and symbol.scope[-1] in classes
            and symbol.path not in required
            and not is_root_member(symbol.name, symbol.file)
            and (change.kind == "added" or (release is not None and not _had(release, symbol)))
        ):
            found.setdefault(symbol.scope[-1], {})[symbol.name] = symbol
    return found


def _had(release: Path, member: Symbol) -> bool:
    """Whether a class of the name of a member's had such a member in a release, of its own or from a base."""
    return has_member(release, member.scope[-1], member.name, language_of(member.file))


def _inherited(
    path: TreePath,
    item: OwnClass,
    known: Mapping[str, Mapping[str, Symbol]],
    texts: Texts,
    is_of_release: Callable[[str], bool],
) -> Mapping[str, Symbol]:
    """The new members that a class has from its bases."""
    return {
        name: symbol
        for base in item.bases
        for name, symbol in known.get(base, {}).items()
        # A class of the project that is between the two was looked at by itself.
        if symbol.scope[-1] != base
        or may_derive(path, texts.of[path], item.name, base, symbol.scope[:-1], is_of_release)
    }


def _is_of(release: Path | None, module: str) -> bool:
    """Whether a module that a script imports may be one of the release: it is in a package of it, or it has no packages."""
    packages = script_packages_of(release) if release is not None else None
    return packages is None or not packages.has_packages or packages.is_packaged(module)


def _rename(
    item: OwnClass, name: str, path: TreePath, symbol: Symbol, texts: Texts, heads: Mapping[TreePath, str]
) -> RenameMemberRule:
    """The rule that gives a member of a class another name: in all files, or in this one if others have a class of its name."""
    head = re.compile(rf"\b(?:class|struct)\s+{re.escape(item.name)}\b")
    is_only = not any(head.search(text) for other, text in heads.items() if other != path and item.name in text)
    where = Where() if is_only else Where(files=(literal(path),))
    new = free_name(name, path, texts)
    declared = f"{symbol.full}{symbol.signature if symbol.is_callable else ''}"
    why = english(
        "{declared} is new, in {file}:{line}. Lookups now resolve to the member of {name}.",
        declared=declared,
        file=symbol.file,
        line=symbol.line,
        name=item.name,
    )
    title = english("Rename {member} of {class_name} to {new}", member=name, class_name=item.name, new=new)
    return RenameMemberRule(
        f"own-{path}-{item.name}-{name}", why, title=title, old=name, new=new, of=item.name, where=where,
        confidence=OWN_MEMBER_RENAMED,
    )  # fmt: skip


def free_name(name: str, path: TreePath, texts: Texts) -> str:
    """A name that no file of the project has, written as `name` is: `own_hour`, `ownHour`, `OwnHour`, `OWN_HOUR`."""
    word = name.lstrip("_")
    before = name[: len(name) - len(word)]
    if word.isupper():
        new = f"OWN_{word}"
    elif word[:1].isupper():
        new = f"Own{word}"
    elif path.endswith(_CAMEL_CASE) or not word.islower():
        new = f"own{word[:1].upper()}{word[1:]}"
    else:
        new = f"own_{word}"
    names = chain((f"{before}{new}",), (f"{before}{new}{number}" for number in count(2)))
    return next(name for name in names if name not in texts.used)
