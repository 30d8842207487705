"""Draft a profile for an unknown project from its files, and from what a person said about it.

First the plugins are looked for, since their names are no engines, then the engine's name and release, then every place that
names it. What is found is a suggestion with its evidence; a person's answers come before it.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.globs import matches
from fernshale.core.base.release_notation import read_written
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.authoring.answers import Answers, PointedValue, folder_key, value_key
from fernshale.core.profile.authoring.draft_commands import DraftCommand, draft_commands
from fernshale.core.profile.authoring.draft_links import DraftLink, draft_links
from fernshale.core.profile.authoring.draft_roles import DraftRole, draft_roles
from fernshale.core.profile.authoring.plugin_groups import (
    PluginGroup,
    accepted_in,
    common,
    find_plugin_groups,
    workspace_members,
)
from fernshale.core.profile.authoring.project_facts import ProjectFacts, is_telling
from fernshale.core.profile.authoring.release_places import (
    BelongingValue,
    DraftSite,
    Surroundings,
    find_belonging,
    find_sites,
)
from fernshale.core.profile.authoring.subjects import (
    ENGINE_WORDS,
    GENERAL,
    Subject,
    agreed_release,
    is_about,
    own_words,
    rank_subjects,
    subject_words,
    words_of,
)
from fernshale.core.profile.model import Reach

# Two candidates for the engine whose scores differ by less are a question.
_CLOSE = 1.0


@dataclass(frozen=True, slots=True)
class DraftPlugins:
    """Folders that look like plugins, and how their descriptors are read."""

    group: PluginGroup
    id: Reach | None
    version: Reach | None
    accepts: Reach | None

    @property
    def key(self) -> str:
        return folder_key(self.group.parent)


@dataclass(frozen=True, slots=True)
class DraftWorkspace:
    """The members of a workspace; `release` and `pin` are where a member names a release of its own."""

    members: tuple[str, ...]
    descriptor: str
    name: Reach | None
    release: Reach | None
    pin: Reach | None


@dataclass(frozen=True, slots=True)
class ProfileDraft:
    """A drafted profile. `rivals` are other names that could be the engine's, with almost as much evidence, or any at all where it
    `is_sure` of none."""

    engine: str
    release: str
    evidence: tuple[str, ...]
    rivals: tuple[Subject, ...]
    is_sure: bool
    recognise: tuple[str, ...]
    holds: str
    sites: tuple[DraftSite, ...]
    belonging: tuple[BelongingValue, ...]
    plugins: DraftPlugins | None
    workspace: DraftWorkspace | None
    roles: tuple[DraftRole, ...]
    commands: tuple[DraftCommand, ...]
    links: tuple[DraftLink, ...]
    unread: int

    @property
    def id(self) -> str:
        """The engine's name as an id."""
        return re.sub(r"[^\w.-]+", "-", self.engine).strip("-.") or "engine"


def draft_profile(facts: ProjectFacts, answers: Answers = Answers()) -> ProfileDraft:  # noqa: B008 - a frozen value
    """Draft a profile. Raises ProjectError when nothing in the project looks like an engine's release."""
    manifests = list(workspace_members(facts))
    members = tuple(glob for _, glob, _ in manifests)
    groups = _plugin_groups(facts, members, answers)
    subject, rivals, is_sure = _engine(facts, groups, answers)
    group = _with_evidence(groups, facts, subject)
    around = Surroundings(group, members)
    sites = find_sites(facts, subject, around, answers)
    if not sites:
        raise ProjectError(
            tr("nothing in {root} looks like the release of an engine", root=facts.root),
            tr("Point at the value that is the engine's release, in the window under “Describe this project”."),
        )
    recognise, holds = _recognised_by(facts, sites, subject)
    return ProfileDraft(
        subject.spelling or "engine",
        subject.release,
        subject.evidence,
        rivals,
        is_sure,
        recognise,
        holds,
        sites,
        find_belonging(facts, subject, sites, around, answers),
        _plugins(facts, group, subject, answers),
        _workspace(facts, manifests, subject),
        facts.remember(
            ("roles", around.key, answers.folders, answers.struck), lambda: draft_roles(facts, around, answers)
        ),
        facts.remember("commands", lambda: draft_commands(facts)),
        draft_links(facts, answers),
        facts.unread,
    )


def _plugin_groups(facts: ProjectFacts, members: Sequence[str], answers: Answers) -> list[PluginGroup]:
    groups = facts.remember(("plugins", tuple(members)), lambda: find_plugin_groups(facts, members))
    found = [item for item in groups if folder_key(item.parent) not in answers.struck]
    wanted = [folder for folder, meaning in answers.folders if meaning == "plugins"]
    others = {folder for folder, meaning in answers.folders if meaning != "plugins"}
    found = [item for item in found if item.parent not in others]
    return sorted(found, key=lambda item: item.parent not in wanted)


def _engine(
    facts: ProjectFacts, groups: Sequence[PluginGroup], answers: Answers
) -> tuple[Subject, tuple[Subject, ...], bool]:
    own = facts.remember(tr("own words"), lambda: frozenset(own_words(facts)))
    plugin_ids = {word for group in groups for id in group.ids for word in (id.lower(), *words_of(id))}
    descriptors = frozenset(path for group in groups[:1] for path in group.descriptors)
    named = own | frozenset(_only_of_plugins(plugin_ids, facts))
    ranked = facts.remember(("subjects", named, descriptors), lambda: rank_subjects(facts, named, descriptors))
    pointed = next((item for item in answers.values if item.meaning == "release" and read_written(item.text)), None)
    if answers.engine:
        word = answers.engine.lower()
        known = next((item for item in ranked if item.word == word), None)
        return known or Subject(word, answers.engine, _release_of(facts, word), 0.0, (tr("you named it"),)), (), True
    if pointed is not None:
        return _pointed_at(facts, pointed, ranked), (), True
    if not ranked:
        return _unnamed(facts), (), True
    subject = ranked[0]
    rivals = tuple(item for item in ranked[1:5] if not subject.is_sure or subject.score - item.score < _CLOSE)
    return subject, rivals, subject.is_sure


def _pointed_at(facts: ProjectFacts, pointed: PointedValue, ranked: Sequence[Subject]) -> Subject:
    """The engine by the value that a person pointed at. Its name is the best candidate among the value's names, or the nearest."""
    written = read_written(pointed.text)
    assert written is not None  # only such values are asked for
    mention = next((item for item in facts.mentions if (item.file, item.reach) == (pointed.file, pointed.reach)), None)
    words = subject_words(mention) if mention is not None else ()
    known = next((item for item in ranked if item.word in words), None)
    evidence = (tr("you pointed at it"),)
    if known is not None:
        return Subject(known.word, known.spelling, written.text, known.score, evidence)
    word = next((word for word in words if word not in GENERAL and word not in ENGINE_WORDS), "")
    return Subject(word, word or "engine", written.text, 0.0, evidence)


def _only_of_plugins(words: set[str], facts: ProjectFacts) -> set[str]:
    """Words of plugins' names, apart from those that most of their own code imports: an engine's name can be part of them."""
    return {word for word in words if facts.code.get(word, 0) * 2 < facts.code_files}


def _release_of(facts: ProjectFacts, word: str) -> str:
    return agreed_release([item for item in facts.mentions if item.kind != "range" and is_about(item, word)])[0]


def _unnamed(facts: ProjectFacts) -> Subject:
    """An engine that no file names: the value called an engine's release, or the only release at the root."""

    def called(mention_words: set[str]) -> bool:
        return bool(mention_words & ENGINE_WORDS)

    plain = [item for item in facts.mentions if item.kind == "release"]
    named = [item for item in plain if called({word for name in item.names[:3] for word in words_of(name)})]
    release, files = agreed_release(named or [item for item in plain if "/" not in item.file])
    if not release:
        raise ProjectError(
            tr("nothing in {root} looks like the release of an engine", root=facts.root),
            tr("Point at the value that is the engine's release, in the window under “Describe this project”."),
        )
    return Subject("", "engine", release, 0.0, (tr("{number} files say so", number=len(files)),))


def _with_evidence(groups: Sequence[PluginGroup], facts: ProjectFacts, subject: Subject) -> PluginGroup | None:
    """The first group, or a later one whose descriptors name the engine where the first one's do not."""
    naming = [group for group in groups if accepted_in(group, facts.mentions, subject.word) is not None]
    return next(iter(naming), next(iter(groups), None))


def _plugins(facts: ProjectFacts, group: PluginGroup | None, subject: Subject, answers: Answers) -> DraftPlugins | None:
    if group is None:
        return None
    said = {item.meaning: item.reach for item in answers.values if item.meaning.startswith("plugin")}
    accepts = accepted_in(group, facts.mentions, subject.word)

    def kept(reach: Reach | None) -> Reach | None:
        return None if reach is not None and value_key(group.files, reach) in answers.struck else reach

    return DraftPlugins(
        group,
        said.get("plugin id") or kept(group.id),
        said.get("plugin version") or kept(group.version),
        said.get("plugin accepts") or kept(accepts),
    )


def _workspace(
    facts: ProjectFacts, manifests: Sequence[tuple[TreePath, str, str]], subject: Subject
) -> DraftWorkspace | None:
    if not manifests:
        return None
    globs = tuple(dict.fromkeys(glob for _, glob, _ in manifests))
    descriptor = manifests[0][2]
    paths = [
        path for path in facts.texts if path.endswith(f"/{descriptor}") and matches(globs, path.rpartition("/")[0])
    ]
    values = {path: facts.values.get(path, ()) for path in paths}
    if not values:
        return None
    name = common(values, lambda item: item.names[0] == "name")
    own: dict[str, Reach] = {}
    for items in values.values():
        for item in items:
            key = item.names[0].lower()
            if subject.word in (key, *(name.lower() for name in item.names[1:2])):
                if key == "rev" and subject.word == item.names[1].lower():
                    own.setdefault("pin", item.reach)
                elif key == subject.word or key == "version":
                    own.setdefault("release", item.reach)
    return DraftWorkspace(globs, descriptor, name, own.get("release"), own.get("pin"))


def _recognised_by(facts: ProjectFacts, sites: Sequence[DraftSite], subject: Subject) -> tuple[tuple[str, ...], str]:
    """(globs of the files that identify such a project, a text that they must contain if their names are too general)."""
    named = [site.files[0] for site in sites if "*" not in site.files[0]]
    files = sorted(named, key=lambda file: (not is_telling(file, subject.word), named.index(file)))
    file = files[0] if files else sites[0].places[0].file
    name = file.rsplit("/", 1)[-1]
    stem, dot, kind = name.rpartition(".")
    if "/" not in file and stem and is_telling(file, subject.word) and subject.word not in name.lower():
        return (f"*{dot}{kind}",), ""
    holds = "" if is_telling(file, subject.word) else _literal_in(facts.texts.get(TreePath(file), ""), subject)
    return (file,), holds


def _literal_in(text: str, subject: Subject) -> str:
    found = re.search(re.escape(subject.word), text, re.IGNORECASE) if subject.word else None
    return found[0] if found else ""
