"""A project as it is described: its facts, the answers, the draft made of both, and the questions that are left."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

from fernshale.core.base.errors import FernshaleError, ProjectError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.textfile import position
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.authoring.answers import (
    Answers,
    PointedValue,
    ProjectCommand,
    ValueMeaning,
    folder_key,
    value_key,
)
from fernshale.core.profile.authoring.draft import ProfileDraft, draft_profile
from fernshale.core.profile.authoring.draft_commands import as_words
from fernshale.core.profile.authoring.project_facts import ProjectFacts
from fernshale.core.profile.model import ProfileCommand, Reach, Role
from fernshale.core.survey.value_access import FoundValue, find_values

MarkKind = Literal["release", "range", "plugin", "belongs", "asked"]
_MOST_ROWS = 60


@dataclass(frozen=True, slots=True)
class Mark:
    """A recognised part of a file's text: its span, its meaning, and the key that strikes it out."""

    start: int
    end: int
    kind: MarkKind
    words: str
    key: str


@dataclass(frozen=True, slots=True)
class Question:
    """A question that only a person can answer. `options` are (answer, words, hint); `file` and `reach` name its value, if any."""

    key: str
    topic: str
    text: str
    options: tuple[tuple[str, str, str], ...]
    file: TreePath | None = None
    reach: Reach | None = None


@dataclass(frozen=True, slots=True)
class Line:
    """A line of a section: its text, its place, and the key that strikes it out ("" if it cannot be)."""

    left: str
    right: str
    file: TreePath | None = None
    line: int = 0
    key: str = ""


@dataclass(frozen=True, slots=True)
class Section:
    """A part of the description. `open` is the number of its questions."""

    topic: str
    title: str
    lines: tuple[Line, ...]
    open: int = 0


@dataclass(frozen=True)
class Description:
    """A project described so far. Without a `draft` nothing in it looks like an engine's release, and `trouble` says so."""

    facts: ProjectFacts
    answers: Answers
    draft: ProfileDraft | None
    trouble: str = ""

    @cached_property
    def questions(self) -> tuple[Question, ...]:
        """What needs a person, the most important first."""
        return tuple(_questions(self))

    @cached_property
    def sections(self) -> tuple[Section, ...]:
        return tuple(_sections(self)) if self.draft is not None else ()

    @property
    def headline(self) -> str:
        """What Fernshale makes of the project, in one sentence."""
        draft = self.draft
        if draft is None:
            return tr("Which value is the engine's release? Point at it.")
        places = sum(len(site.places) for site in draft.sites)
        parts = [
            tr(
                "{engine} {release}, written in {places}",
                engine=draft.engine,
                release=draft.release,
                places=count(places, "place"),
            )
        ]
        if draft.plugins is not None:
            parts.append(count(len(draft.plugins.group.descriptors), "plugin"))
        command = self.command("build")
        if command is not None:
            parts.append(tr("builds with “{command}”", command=as_words(command)))
        return "; ".join(parts) + "."

    def command(self, name: ProjectCommand) -> ProfileCommand | None:
        """The command said or proposed, None where there is none."""
        if name in self.answers.commands:
            return self.answers.commands[name]
        proposed = (item.command for item in (self.draft.commands if self.draft else ()) if item.name == name)
        return next(proposed, None)


def describe(facts: ProjectFacts, answers: Answers) -> Description:
    """Draft the profile again with these answers."""
    try:
        return Description(facts, answers, draft_profile(facts, answers))
    except ProjectError as error:
        return Description(facts, answers, None, error.message)


def telling_files(description: Description) -> tuple[TreePath, ...]:
    """The files worth showing, those first in which most was recognised."""
    draft = description.draft
    if draft is None:
        plain = Counter(item.file for item in description.facts.mentions if item.kind == "release")
        return tuple(
            file for file, _ in sorted(plain.items(), key=lambda pair: (pair[0].count("/"), -pair[1], pair[0]))
        )
    first = draft.sites[0].places[0].file
    counts: Counter[TreePath] = Counter(place.file for site in draft.sites for place in site.places)
    counts.update(item.file for item in draft.belonging)
    return tuple(sorted(counts, key=lambda file: (file != first, file.count("/"), -counts[file], file)))


def marks_of(description: Description, path: TreePath) -> tuple[Mark, ...]:
    """What was recognised in a file, in the order of its text; marks do not overlap."""
    text = description.facts.texts.get(path)
    draft = description.draft
    if text is None or draft is None:
        return ()
    found: list[Mark] = []
    for site in draft.sites:
        kind: MarkKind = "release" if site.notation in ("exact", "series") else "range"
        words = tr("the engine's release") if kind == "release" else tr("a range of the engine's releases")
        found += [
            Mark(place.value.start, place.value.end, kind, words, site.key)
            for place in site.places
            if place.file == path
        ]
    for item in draft.belonging:
        if item.file == path:
            kind = "belongs" if item.said else "asked"
            words = tr("belongs to the engine's release") if item.said else tr("may belong to the engine's release")
            found += [
                Mark(value.start, value.end, kind, words, item.key) for value in values_at(text, item.reach, path)
            ]
    plugins = draft.plugins
    if plugins is not None and path in plugins.group.descriptors:
        for name, reach in (
            ("name", plugins.id),
            ("version", plugins.version),
            (tr("accepted releases"), plugins.accepts),
        ):
            for value in values_at(text, reach, path) if reach is not None else ():
                key = value_key(plugins.group.files, reach) if reach is not None else ""
                found.append(Mark(value.start, value.end, "plugin", tr("the plugin's {name}", name=name), key))
    return tuple(_apart(sorted(found, key=lambda mark: (mark.start, -mark.end))))


def _apart(marks: Sequence[Mark]) -> Iterator[Mark]:
    end = -1
    for mark in marks:
        if mark.start >= end:
            yield mark
            end = mark.end


def values_at(text: str, reach: Reach, path: TreePath) -> tuple[FoundValue, ...]:
    try:
        return find_values(text, reach, path)
    except FernshaleError:
        return ()


def _questions(description: Description) -> Iterator[Question]:
    draft = description.draft
    if draft is None:
        yield Question("release", "release", tr("Which value is the engine's release? Click it in its file."), ())
        return
    if (draft.rivals or not draft.is_sure) and not description.answers.engine:
        names = [(draft.engine, draft.release), *((item.spelling, item.release) for item in draft.rivals)]
        options = tuple((name, f"{name} {release}", "") for name, release in names)
        text = (
            tr("Which of these is the engine? If none is, click its release in a file.")
            if draft.rivals
            else tr("Is this the engine?")
        )
        yield Question("engine", "release", text, options)
    for item in draft.belonging:
        if item.said:
            continue
        contains = draft.release in item.text and item.text != draft.release
        said = tr("contains the engine's release") if contains else tr("is next to the engine's name")
        options = (
            (
                "belongs",
                tr("A value that belongs to each engine release"),
                tr("changes with it; the shelf has the new one"),
            ),
            ("release", tr("The engine's release itself"), tr("changes to the new release")),
            ("mine", tr("My own value"), tr("it stays as it is")),
        )
        yield Question(
            item.key,
            "belonging",
            tr("{words} {said}. What is it?", words=item.text, said=said),
            options,
            item.file,
            item.reach,
        )
    if "build" not in description.answers.commands:
        yield Question("build", "build", tr("How is the project built?"), ())


def answer(description: Description, question: Question, choice: str) -> Description:
    """The description after a question with options was answered."""
    if question.key == "engine":
        return describe(description.facts, replace(description.answers, engine=choice))
    draft = description.draft
    item = next((item for item in draft.belonging if item.key == question.key), None) if draft is not None else None
    if item is None:
        return description
    meaning: ValueMeaning = "belongs" if choice == "belongs" else "release" if choice == "release" else "mine"
    value = PointedValue(item.file, item.reach, item.text, meaning)
    answers = description.answers.with_value(value)
    return describe(description.facts, answers.without(item.key).with_value(value) if meaning == "mine" else answers)


def _sections(description: Description) -> Iterator[Section]:
    draft = description.draft
    assert draft is not None
    open_ = Counter(question.topic for question in description.questions)
    yield Section("release", tr("Engine release"), tuple(_site_lines(description, draft)), open_["release"])
    if draft.plugins is not None:
        yield Section("plugins", tr("Plugins"), tuple(_plugin_lines(draft)))
    if draft.workspace is not None:
        globs = ", ".join(draft.workspace.members)
        yield Section(
            "workspace",
            tr("Members of the workspace"),
            (Line(globs, tr("each with a {descriptor}", descriptor=draft.workspace.descriptor)),),
        )
    yield Section("roles", tr("Roles of files"), tuple(_role_lines(description)))
    yield Section("build", tr("How it is built"), tuple(_command_lines(description, "build")), open_["build"])
    yield Section("run", tr("How it is run"), tuple(_command_lines(description, "run")))
    if draft.links:
        yield Section("links", tr("Ids and paths in assets"), tuple(_link_lines(description, draft)))
    if draft.belonging:
        lines = tuple(
            Line(
                f"{item.name}  {item.text}",
                tr("changes with the release") if item.said else tr("open question"),
                item.file,
                key=item.key,
            )
            for item in draft.belonging
        )
        yield Section("belonging", tr("Values that belong to a release"), lines, open_["belonging"])


def _link_lines(description: Description, draft: ProfileDraft) -> Iterator[Line]:
    words = {"declares id": tr("declares an id"), "uses id": tr("uses an id"), "path": tr("names a file")}
    said = {item.meaning: item for item in description.answers.values if item.meaning in words}
    for item in said.values():
        yield Line(f"{item.file}  {item.text}", words[item.meaning], item.file, 1, value_key(item.file, item.reach))
    yield Line(tr("{rules} for files like these", rules=count(len(draft.links), "rule")), "")


def _site_lines(description: Description, draft: ProfileDraft) -> Iterator[Line]:
    texts = description.facts.texts
    words = {"exact": tr("exact"), "series": tr("its first numbers")}
    for site in draft.sites:
        for place in site.places[:_MOST_ROWS]:
            line = position(texts[place.file], place.value.start)[0] if place.file in texts else 0
            kind = words.get(site.notation, tr("range"))
            yield Line(f"{place.file}:{line}", f"{place.text}  {kind}", place.file, line, site.key)


def _plugin_lines(draft: ProfileDraft) -> Iterator[Line]:
    plugins = draft.plugins
    assert plugins is not None
    group = plugins.group
    total = len(group.descriptors)
    named = (("name", plugins.id), ("version", plugins.version), (tr("accepted releases"), plugins.accepts))
    found = [
        tr("{name} in {found_in} of {total}", name=name, found_in=_found_in(draft, reach), total=total)
        for name, reach in named
        if reach is not None
    ]
    lacking = [tr("no {name}", name=name) for name, reach in named if reach is None]
    yield Line(
        f"{group.folders}/{group.descriptor}", ", ".join([*found, *lacking]), group.descriptors[0], 1, plugins.key
    )


def _found_in(draft: ProfileDraft, reach: Reach) -> int:
    assert draft.plugins is not None
    group = draft.plugins.group
    found = sum(any(item.reach == reach for item in values) for values in group.values.values())
    if found:
        return found
    places = {place.file for site in draft.sites if site.reach == reach for place in site.places}
    return len(places & set(group.descriptors))


def role_counts(description: Description) -> tuple[tuple[Role, int], ...]:
    """How many files have each role, the largest first."""
    draft = description.draft
    if draft is None:
        return ()
    fit = FirstFit([role.files for role in draft.roles])
    counts: Counter[Role] = Counter()
    for path in description.facts.tree.files:
        at = fit.find(path)
        if not path.startswith(".git/"):
            counts["other" if at is None else draft.roles[at].role] += 1
    return tuple(sorted(counts.items(), key=lambda pair: -pair[1]))


def _role_lines(description: Description) -> Iterator[Line]:
    assert description.draft is not None
    for role in description.draft.roles:
        shown = ", ".join(role.files[:4]) + (
            tr(" and {number} more", number=len(role.files) - 4) if len(role.files) > 4 else ""
        )
        keys = [folder_key(folder) for folder, meaning in description.answers.folders if meaning == role.role]
        yield Line(shown, role.role, key=keys[0] if keys else "")


def _command_lines(description: Description, name: ProjectCommand) -> Iterator[Line]:
    draft = description.draft
    assert draft is not None
    said = name in description.answers.commands
    command = description.command(name)
    if command is None:
        unknown = tr("no build file was recognised") if name == "build" else tr("not known")
        yield Line(tr("no command") if said else unknown, tr("you said so") if said else "")
        return
    source = next((item.file for item in draft.commands if item.name == name and item.command == command), None)
    yield Line(as_words(command), "confirmed" if said else tr("from {source}", source=source) if source else "", source)
