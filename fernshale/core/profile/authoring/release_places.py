"""The places of a project that name the engine's release, and the values that belong to a release."""

from __future__ import annotations

import re
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.globs import literal
from fernshale.core.base.lazy_pattern import lazy_pattern
from fernshale.core.base.range_dialects import Policy, lowest_release
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import is_release, parse_release, same_release
from fernshale.core.base.release_notation import is_series_of, read_written
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.authoring.answers import Answers, value_key
from fernshale.core.profile.authoring.plugin_groups import PluginGroup
from fernshale.core.profile.authoring.project_facts import (
    CODE,
    DATA,
    ProjectFacts,
    is_settings_code,
    is_telling,
    kind_of,
)
from fernshale.core.profile.authoring.subjects import (
    ENGINE_WORDS,
    GENERAL,
    Subject,
    subject_words,
    words_of,
)
from fernshale.core.profile.model import Notation, Reach
from fernshale.core.survey.mentions import Mention
from fernshale.core.survey.value_access import FoundValue

_VERSION_WORDS = frozenset(("version", "release"))
_DOCUMENTS = ("md", "txt", "rst", "html")
# Values that can belong to a release: a number, a date, a digest, a version.
_BELONGING = lazy_pattern(r"\d+|\d{4}[-.]\d\d[-.]\d\d|[0-9a-f]{7,40}|[vV]?\d+(?:\.\d+)+[\w.+-]*")


@dataclass(frozen=True, slots=True)
class Surroundings:
    """The plugins of a project, and the globs of a workspace's members."""

    plugins: PluginGroup | None
    members: tuple[str, ...]

    @property
    def key(self) -> tuple[str, tuple[str, ...]]:
        """A key that distinguishes it from other surroundings in the same project."""
        return self.plugins.files if self.plugins is not None else "", self.members


@dataclass(frozen=True, slots=True)
class DraftSite:
    """A site that names the engine's release. `files` are paths or globs, `places` its mentions, `why` the evidence.

    A `key` is what a person strikes the suggestion out by.
    """

    name: str
    files: tuple[str, ...]
    reach: Reach
    notation: Notation
    policy: Policy
    why: str
    places: tuple[Mention, ...]

    @property
    def key(self) -> str:
        return value_key(self.files[0], self.reach)


@dataclass(frozen=True, slots=True)
class BelongingValue:
    """A value that may move together with the engine's release. `said` is whether a person confirmed it."""

    name: str
    file: TreePath
    reach: Reach
    text: str
    said: bool = False

    @property
    def key(self) -> str:
        return value_key(self.file, self.reach)


def find_sites(facts: ProjectFacts, subject: Subject, around: Surroundings, answers: Answers) -> tuple[DraftSite, ...]:
    """The sites, the descriptor first."""
    group, members = around.plugins, around.members
    pointed = {(item.file, item.reach): item.meaning for item in answers.values}
    kept: list[tuple[Mention, Notation]] = []
    for mention in facts.mentions:
        meaning = pointed.get((mention.file, mention.reach))
        if meaning is not None:
            continue
        notation = notation_of(mention, subject)
        if notation is not None and not _is_excluded(mention, subject, group):
            kept.append((mention, notation))
    for item in answers.values:
        if item.meaning in ("release", "range"):
            mention = _mention_at(facts, item.file, item.reach, item.text)
            kept.append((mention, notation_of(mention, subject) or ("range" if item.meaning == "range" else "exact")))
    sites = [_site(globs, found, subject) for globs, found in _together(kept, group, members)]
    return tuple(sorted((site for site in sites if site.key not in answers.struck), key=_descriptor_first))


def notation_of(mention: Mention, subject: Subject) -> Notation | None:
    """How a mention names the engine's release; None if it names something else."""
    if not _is_about(mention, subject):
        return None
    release = parse_release(subject.release)
    if mention.kind == "range":
        try:
            holds = parse_range(mention.text).contains(release)
            return (
                "range"
                if holds and (not _is_of_a_part(mention, subject) or lowest_release(mention.text) == release)
                else None
            )
        except MisuseError:
            return None
    own = read_written(mention.text)
    if own is None:
        return None
    if own == release:
        return "exact"
    return "series" if is_series_of(own, release) else None


def _is_of_a_part(mention: Mention, subject: Subject) -> bool:
    """Whether the nearest name is that of another package of the engine, which may have releases of its own."""
    words = set(words_of(mention.names[0])) if mention.names else set()
    return subject.word in words and bool(words - {subject.word} - GENERAL)


def _is_about(mention: Mention, subject: Subject) -> bool:
    if kind_of(mention.file) in CODE:
        nearest = set(words_of(mention.names[0])) if mention.names else set()
        if not nearest & _VERSION_WORDS:
            return False
        if is_settings_code(mention.file) and nearest <= _VERSION_WORDS:
            # The line does not say whose version it is, so only the engine's own release counts.
            return read_written(mention.text) == parse_release(subject.release)
        if subject.word not in nearest:
            return False
    if subject.word and subject.word in subject_words(mention):
        return True
    words = {word for name in mention.names[:3] for word in words_of(name)}
    if words & ENGINE_WORDS:
        return True
    # The file is named after the engine, or a name on the same line is the engine's.
    stem = mention.file.rsplit("/", 1)[-1].lower()
    return bool(subject.word) and (subject.word in stem or subject.word in {name.lower() for name in mention.names})


def _is_excluded(mention: Mention, subject: Subject, group: PluginGroup | None) -> bool:
    """Whether a mention is in the output of a build, or in a plugin but not in its descriptor."""
    if _is_of_a_build(mention.file, subject):
        return True
    if group is None or not group.holds(mention.file) or mention.file in group.descriptors:
        return False
    return mention.file.count("/") > group.parent.count("/") + bool(group.parent)


def _is_of_a_build(path: str, subject: Subject) -> bool:
    """Whether a file is in a folder named after the release, which holds the output of a build."""
    release = parse_release(subject.release)
    return any(read_written(part) == release for part in path.split("/")[:-1])


def _together(
    kept: Iterable[tuple[Mention, Notation]], group: PluginGroup | None, members: Sequence[str]
) -> Iterator[tuple[str, list[tuple[Mention, Notation]]]]:
    """Mentions that one site can find: those of one locator in files of one kind in sibling folders."""
    groups: dict[tuple[str, Reach], list[tuple[Mention, Notation]]] = defaultdict(list)
    kept = list(kept)
    alike = Counter((_assets_like(mention.file), mention.reach) for mention, _ in kept)
    for mention, notation in kept:
        path: str = mention.file
        if alike[(_assets_like(path), mention.reach)] > 1 and kind_of(path) in DATA:
            path = _assets_like(path)
        if group is not None and path in group.descriptors:
            glob = group.files
        else:
            glob = next((f"{member}/{path.rsplit('/', 1)[-1]}" for member in members if _is_member(path, member)), path)
        groups[(glob, mention.reach)].append((mention, notation))
    for (glob, _), found in groups.items():
        yield glob, found


def _assets_like(path: str) -> str:
    """A glob of the assets of one kind in one folder."""
    folder, slash, _ = path.rpartition("/")
    return f"{literal(folder)}{slash}*.{path.rpartition('.')[2]}"


def _is_member(path: str, member: str) -> bool:
    folder, _, _ = path.rpartition("/")
    return folder.count("/") == member.count("/") and folder.startswith(member.rstrip("*"))


def _site(glob: str, found: list[tuple[Mention, Notation]], subject: Subject) -> DraftSite:
    mention, notation = found[0]
    mentions = tuple(item for item, _ in found)
    texts = ", ".join(dict.fromkeys(item.text for item in mentions))
    in_plugins = "*" in glob
    key = label_of(mention.names, subject.word) or "the only value"
    name = (
        tr("{key} in each {rsplit}", key=key, rsplit=glob.rsplit("/", 1)[-1])
        if in_plugins
        else tr("{key} in {glob}", key=key, glob=glob)
    )
    why = tr("has {texts}", texts=texts) + (
        tr(", in {number} files", number=len(mentions)) if len(mentions) > 1 else ""
    )
    if notation == "range":
        why += tr(", which contains {release}", release=subject.release)
    elif notation == "series":
        why += tr(", the first numbers of {release}", release=subject.release)
    moves = notation == "range" and not in_plugins
    return DraftSite(name, (glob,), mention.reach, notation, "move" if moves else "next bound", why, mentions)


def label_of(names: Sequence[str], word: str) -> str:
    """What to call a value: by the name that has the engine's in it, else by the nearest."""
    return next((name for name in names if word and word in name.lower()), names[0] if names else "")


def _descriptor_first(site: DraftSite) -> tuple[bool, bool, bool, bool, bool, bool, int, str]:
    """Order sites so that the first is the best place to read the release from: a value of a settings file near the root."""
    file = site.files[0]
    words = set(words_of(file.rsplit("/", 1)[-1]))
    return (
        site.notation != "exact",
        kind_of(file) in DATA,
        kind_of(file) in (*_DOCUMENTS, *CODE) and bool(site.reach.pattern) and not words & _VERSION_WORDS,
        "*" in file,
        bool(site.reach.pattern or site.reach.part),
        not is_telling(file, ""),
        file.count("/"),
        file,
    )


def _mention_at(facts: ProjectFacts, file: TreePath, reach: Reach, text: str) -> Mention:
    known = next((item for item in facts.mentions if item.file == file and item.reach == reach), None)
    return known or Mention(file, reach, (), FoundValue(text, 0, 0), "release" if is_release(text) else "part")


def find_belonging(
    facts: ProjectFacts, subject: Subject, sites: Sequence[DraftSite], around: Surroundings, answers: Answers
) -> tuple[BelongingValue, ...]:
    """Values near the engine's release that may move with it; a person says which do."""
    group, members = around.plugins, around.members
    taken = {(place.file, place.reach) for site in sites for place in site.places}
    pointed = {(item.file, item.reach): item.meaning for item in answers.values}
    taken |= {where for where, meaning in pointed.items() if meaning != "belongs"}
    found: dict[tuple[TreePath, Reach], BelongingValue] = {}

    def add(file: TreePath, reach: Reach, names: Sequence[str], text: str) -> None:
        is_elsewhere = _is_of_a_build(file, subject) or any(_is_member(file, member) for member in members)
        if (file, reach) not in taken and value_key(file, reach) not in answers.struck and not is_elsewhere:
            name = names[0] if names and names[0].lower() not in _VERSION_WORDS else label_of(names, subject.word)
            found.setdefault((file, reach), BelongingValue(name, file, reach, text, (file, reach) in pointed))

    for item in answers.values:
        if item.meaning == "belongs":
            add(item.file, item.reach, _names_at(facts, item.file, item.reach), item.text)
    inside = set(group.descriptors) if group is not None else set()
    for path, values in facts.values.items():
        if path in inside or (group is not None and group.holds(path)) or kind_of(path) in CODE:
            continue
        for value in values:
            if _BELONGING.fullmatch(value.value.text) and _is_part_of(value.names, subject.word):
                add(path, value.reach, value.names, value.value.text)
    holding = {(place.file, place.whole) for site in sites for place in site.places if place.whole is not None}
    for mention in facts.mentions:
        if mention.kind == "range" or mention.file in inside or kind_of(mention.file) in (*CODE, *_DOCUMENTS):
            continue
        # A mention of the engine with another release; or another number in the same value, such as a date.
        if subject.word in subject_words(mention) or (mention.file, mention.whole) in holding:
            add(mention.file, mention.reach, mention.names, mention.text)
        elif mention.whole is not None and _is_compound_of(mention, subject):
            add(mention.file, replace(mention.reach, part=""), mention.names, mention.whole.text)
    known = {item.text for item in found.values() if "." in item.text and not same_release(item.text, subject.release)}
    for mention in facts.mentions:
        if mention.text in known and mention.kind == "release" and mention.file not in inside:
            add(mention.file, mention.reach, mention.names, mention.text)
    return tuple(found.values())


def _names_at(facts: ProjectFacts, file: TreePath, reach: Reach) -> Sequence[str]:
    """The names of a value that a person pointed at."""
    listed = next((item.names for item in facts.values.get(file, ()) if item.reach == reach), None)
    mentioned = (item.names for item in facts.mentions if item.file == file and item.reach == reach)
    return listed or next(mentioned, (reach.text,))


def _is_compound_of(mention: Mention, subject: Subject) -> bool:
    """Whether a value of nothing but numbers, such as a date and a release, has the engine's release in it."""
    own = read_written(mention.text)
    is_long = own is not None and len(own.parts) > 2
    compound = mention.whole is not None and re.fullmatch(r"[vV]?\d[\d._+-]*", mention.whole.text)
    return is_long and own == parse_release(subject.release) and bool(compound)


def _is_part_of(names: Sequence[str], word: str) -> bool:
    """Whether a value is below, or next to, the name of the engine."""
    return bool(word) and any(word in words_of(name) or word == name.lower() for name in names[1:])
