"""A project as it is described: what was found in it, what a person said, what is still a question, and what a click means."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Literal

from fernshale.core.base.errors import FernshaleError, ProjectError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.quantities import count
from fernshale.core.base.textfile import position
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
from fernshale.core.profile.authoring.release_places import DraftSite
from fernshale.core.profile.model import ProfileCommand, Reach, Role
from fernshale.core.survey.mentions import line_pattern
from fernshale.core.survey.value_access import FoundValue, find_values

MarkKind = Literal["release", "range", "plugin", "belongs", "asked"]
_MOST_ROWS = 60


@dataclass(frozen=True, slots=True)
class Mark:
    """A part of a file's text that was recognised: its span, what it is, and the key to strike it out by."""

    start: int
    end: int
    kind: MarkKind
    words: str
    key: str


@dataclass(frozen=True, slots=True)
class Pointed:
    """What lies under a click: a value, how to reach it, and what the same rule finds elsewhere.

    `elsewhere` are (file, line, text); `lacking` are files of the same kind in which the rule finds nothing.
    """

    file: TreePath
    value: FoundValue
    reach: Reach
    line: int
    now: str
    elsewhere: tuple[tuple[TreePath, int, str], ...]
    lacking: tuple[TreePath, ...]
    meanings: tuple[tuple[ValueMeaning, str, str], ...]


@dataclass(frozen=True, slots=True)
class Question:
    """Something that only a person can say. `options` are (answer, words, hint); where it stands, if it is about a value."""

    key: str
    topic: str
    text: str
    options: tuple[tuple[str, str, str], ...]
    file: TreePath | None = None
    reach: Reach | None = None


@dataclass(frozen=True, slots=True)
class Line:
    """A line of a section: what it says, where that stands, and the key to strike it out by ("" if it cannot be)."""

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
            return "Which value is the engine's release? Point at it."
        places = sum(len(site.places) for site in draft.sites)
        parts = [f"{draft.engine} {draft.release}, written in {count(places, 'place')}"]
        if draft.plugins is not None:
            parts.append(count(len(draft.plugins.group.descriptors), "plugin"))
        command = self.command("build")
        if command is not None:
            parts.append(f"builds with {as_words(command)}")
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
        words = "the engine's release" if kind == "release" else "a range of the engine's releases"
        found += [
            Mark(place.value.start, place.value.end, kind, words, site.key)
            for place in site.places
            if place.file == path
        ]
    for item in draft.belonging:
        if item.file == path:
            kind = "belongs" if item.said else "asked"
            words = "belongs to the engine's release" if item.said else "may belong to the engine's release"
            found += [Mark(value.start, value.end, kind, words, item.key) for value in _values(text, item.reach, path)]
    plugins = draft.plugins
    if plugins is not None and path in plugins.group.descriptors:
        for name, reach in (("name", plugins.id), ("version", plugins.version), ("accepted releases", plugins.accepts)):
            for value in _values(text, reach, path) if reach is not None else ():
                key = value_key(plugins.group.files, reach) if reach is not None else ""
                found.append(Mark(value.start, value.end, "plugin", f"the plugin's {name}", key))
    return tuple(_apart(sorted(found, key=lambda mark: (mark.start, -mark.end))))


def _apart(marks: Sequence[Mark]) -> Iterator[Mark]:
    end = -1
    for mark in marks:
        if mark.start >= end:
            yield mark
            end = mark.end


def _values(text: str, reach: Reach, path: TreePath) -> tuple[FoundValue, ...]:
    try:
        return find_values(text, reach, path)
    except FernshaleError:
        return ()


def point_at(description: Description, path: TreePath, offset: int) -> Pointed | None:
    """What lies at a place of a file; None between values."""
    facts = description.facts
    text = facts.texts.get(path)
    if text is None:
        return None
    found = _asked_at(description, path, text, offset) or _reach_at(facts, path, text, offset)
    if found is None:
        return None
    reach, value = found
    mark = next((mark for mark in marks_of(description, path) if mark.start <= offset < mark.end), None)
    group = description.draft.plugins.group if description.draft and description.draft.plugins else None
    alike = [other for other in (group.descriptors if group and path in group.descriptors else ()) if other != path]
    elsewhere, lacking = [], []
    for other in alike:
        values = _values(facts.texts[other], reach, other)
        elsewhere += [(other, position(facts.texts[other], item.start)[0], item.text) for item in values]
        lacking += [] if values else [other]
    seen = {file for file, _, _ in elsewhere}
    named = _named_alike(description, path, reach)
    for item in facts.mentions:
        is_same = item.text == value.text or (item.whole is not None and item.whole.text == value.text)
        is_same = is_same or (item.file, item.reach) in named
        if is_same and item.file != path and item.file not in seen:
            elsewhere.append((item.file, position(facts.texts[item.file], item.value.start)[0], item.text))
    return Pointed(
        path, value, reach, position(text, value.start)[0], mark.words if mark is not None else "",
        tuple(elsewhere), tuple(lacking), _meanings(bool(alike) or (group is not None and path in group.descriptors)),
    )  # fmt: skip


def _named_alike(description: Description, path: TreePath, reach: Reach) -> set[tuple[TreePath, Reach]]:
    """Where the engine's release is written, if this place is one of them."""
    sites = description.draft.sites if description.draft is not None else ()
    exact = {(place.file, place.reach) for site in sites if site.notation == "exact" for place in site.places}
    return exact if (path, reach) in exact else set()


def _meanings(in_descriptor: bool) -> tuple[tuple[ValueMeaning, str, str], ...]:
    of_plugin: tuple[tuple[ValueMeaning, str, str], ...] = (
        ("plugin version", "The plugin's version", "found in each descriptor by the same rule"),
        ("plugin accepts", "The engine releases that the plugin accepts", "found in each descriptor by the same rule"),
        ("plugin id", "The plugin's name", "found in each descriptor by the same rule"),
    )
    usual: tuple[tuple[ValueMeaning, str, str], ...] = (
        ("release", "The engine's release", "changes to the new release"),
        ("range", "A range of the engine's releases", "follows the new release in its own notation"),
        ("belongs", "A value that belongs to each engine release", "moves with it; the shelf has the new one"),
    )
    mine: tuple[tuple[ValueMeaning, str, str], ...] = (("mine", "Something of mine", "it is left alone"),)
    return (*of_plugin, *usual, *mine) if in_descriptor else (*usual, *mine)


def _asked_at(description: Description, path: TreePath, text: str, offset: int) -> tuple[Reach, FoundValue] | None:
    """The value at a place that may belong to a release, whole, so that a click on it answers its question."""
    belonging = description.draft.belonging if description.draft is not None else ()
    for item in belonging:
        for value in _values(text, item.reach, path) if item.file == path else ():
            if value.start <= offset < value.end:
                return item.reach, value
    return None


def _reach_at(facts: ProjectFacts, path: TreePath, text: str, offset: int) -> tuple[Reach, FoundValue] | None:
    """How to reach the value at a place: by a release in it, by its key, or by its line."""
    mentioned = (item for item in facts.mentions if item.file == path and item.value.start <= offset < item.value.end)
    if (mention := next(mentioned, None)) is not None:
        return mention.reach, mention.value
    listed = [item for item in facts.values.get(path, ()) if item.value.start <= offset < item.value.end]
    if listed:
        item = min(listed, key=lambda found: found.value.end - found.value.start)
        return item.reach, item.value
    start = end = offset
    while start > 0 and not text[start - 1].isspace() and text[start - 1] not in "\"'`=,;<>()":
        start -= 1
    while end < len(text) and not text[end].isspace() and text[end] not in "\"'`=,;<>()":
        end += 1
    if start == end:
        return None
    begin = text.rfind("\n", 0, start) + 1
    stop = text.find("\n", end)
    line = text[begin : stop if stop >= 0 else len(text)]
    reach = Reach(pattern=line_pattern(line, start - begin, end - begin))
    found = next((item for item in _values(text, reach, path) if item.start == start), None)
    return (reach, found) if found is not None else None


def say(description: Description, pointed: Pointed, meaning: ValueMeaning) -> Description:
    """The description after a person said what a value is."""
    value = PointedValue(pointed.file, pointed.reach, pointed.value.text, meaning)
    answers = description.answers.with_value(value)
    if meaning == "mine":
        answers = answers.without(value_key(pointed.file, pointed.reach)).with_value(value)
        site = _site_at(description, pointed)
        answers = replace(answers, struck=answers.struck | ({site.key} if site is not None else set()))
    return describe(description.facts, answers)


def _site_at(description: Description, pointed: Pointed) -> DraftSite | None:
    sites = description.draft.sites if description.draft is not None else ()
    return next(
        (site for site in sites for place in site.places if (place.file, place.reach) == (pointed.file, pointed.reach)),
        None,
    )


def _questions(description: Description) -> Iterator[Question]:
    draft = description.draft
    if draft is None:
        yield Question("release", "release", "Which value is the engine's release? Click it in its file.", ())
        return
    if draft.rivals and not description.answers.engine:
        names = [(draft.engine, draft.release), *((item.spelling, item.release) for item in draft.rivals)]
        options = tuple((name, f"{name} {release}", "") for name, release in names)
        yield Question("engine", "release", "Which of these is the engine?", options)
    for item in draft.belonging:
        if item.said:
            continue
        contains = draft.release in item.text and item.text != draft.release
        said = "contains the engine's release" if contains else "stands beside the engine's name"
        options = (
            ("belongs", "A value that belongs to each engine release", "moves with it; the shelf has the new one"),
            ("release", "The engine's release itself", "changes to the new release"),
            ("mine", "Something of mine", "it is left alone"),
        )
        yield Question(item.key, "belonging", f"{item.text} {said}. What is it?", options, item.file, item.reach)
    if "build" not in description.answers.commands:
        yield Question("build", "build", "How is the project built?", ())


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
    yield Section("release", "Engine release", tuple(_site_lines(description, draft)), open_["release"])
    if draft.plugins is not None:
        yield Section("plugins", "Plugins", tuple(_plugin_lines(draft)))
    if draft.workspace is not None:
        globs = ", ".join(draft.workspace.members)
        yield Section(
            "workspace", "Members of the workspace", (Line(globs, f"each with a {draft.workspace.descriptor}"),)
        )
    yield Section("roles", "Yours, theirs, made by tools", tuple(_role_lines(description)))
    yield Section("build", "How it is built", tuple(_command_lines(description, "build")), open_["build"])
    yield Section("run", "How it is run", tuple(_command_lines(description, "run")))
    if draft.belonging:
        lines = tuple(
            Line(
                f"{item.name}  {item.text}", "moves with the release" if item.said else "asked", item.file, key=item.key
            )
            for item in draft.belonging
        )
        yield Section("belonging", "Values that belong to a release", lines, open_["belonging"])


def _site_lines(description: Description, draft: ProfileDraft) -> Iterator[Line]:
    texts = description.facts.texts
    words = {"exact": "exact", "series": "its first numbers"}
    for site in draft.sites:
        for place in site.places[:_MOST_ROWS]:
            line = position(texts[place.file], place.value.start)[0] if place.file in texts else 0
            kind = words.get(site.notation, "range")
            yield Line(f"{place.file}:{line}", f"{place.text}  {kind}", place.file, line, site.key)


def _plugin_lines(draft: ProfileDraft) -> Iterator[Line]:
    plugins = draft.plugins
    assert plugins is not None
    group = plugins.group
    total = len(group.descriptors)
    named = (("name", plugins.id), ("version", plugins.version), ("what it accepts", plugins.accepts))
    found = [f"{name} in {_found_in(draft, reach)} of {total}" for name, reach in named if reach is not None]
    lacking = [f"no {name}" for name, reach in named if reach is None]
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
        shown = ", ".join(role.files[:4]) + (f" and {len(role.files) - 4} more" if len(role.files) > 4 else "")
        keys = [folder_key(folder) for folder, meaning in description.answers.folders if meaning == role.role]
        yield Line(shown, role.role, key=keys[0] if keys else "")


def _command_lines(description: Description, name: ProjectCommand) -> Iterator[Line]:
    draft = description.draft
    assert draft is not None
    said = name in description.answers.commands
    command = description.command(name)
    if command is None:
        unknown = "no build file was recognised" if name == "build" else "not known"
        yield Line("no command" if said else unknown, "you said so" if said else "")
        return
    source = next((item.file for item in draft.commands if item.name == name and item.command == command), None)
    yield Line(as_words(command), "confirmed" if said else f"from {source}" if source else "", source)
