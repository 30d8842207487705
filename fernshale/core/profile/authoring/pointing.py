"""What a click on a place of a file means: the value there, how to reach it, what the same rule finds elsewhere."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace

from fernshale.core.base.textfile import position
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.authoring.answers import PointedValue, ValueMeaning, value_key
from fernshale.core.profile.authoring.description import Description, describe, marks_of, values_at
from fernshale.core.profile.authoring.project_facts import ProjectFacts
from fernshale.core.profile.authoring.release_places import DraftSite
from fernshale.core.profile.model import Reach
from fernshale.core.survey.mentions import line_pattern
from fernshale.core.survey.value_access import FoundValue


@dataclass(frozen=True, slots=True)
class Pointed:
    """The value under a click, its locator, and the places that the same rule finds in other files.

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


def point_at(description: Description, path: TreePath, offset: int) -> Pointed | None:
    """The value at a place of a file; None between values."""
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
        values = values_at(facts.texts[other], reach, other)
        elsewhere += [(other, position(facts.texts[other], item.start)[0], item.text) for item in values]
        lacking += [] if values else [other]
    seen = {file for file, _, _ in elsewhere}
    named = _named_alike(description, path, reach)
    for item in facts.mentions:
        is_same = item.text == value.text or (item.whole is not None and item.whole.text == value.text)
        is_same = is_same or (item.file, item.reach) in named
        if is_same and item.file != path and item.file not in seen:
            elsewhere.append((item.file, position(facts.texts[item.file], item.value.start)[0], item.text))
    in_descriptor = group is not None and path in group.descriptors
    return Pointed(
        path, value, reach, position(text, value.start)[0], mark.words if mark is not None else "",
        tuple(elsewhere), tuple(lacking), _meanings(value.text, in_descriptor=in_descriptor),
    )  # fmt: skip


def _named_alike(description: Description, path: TreePath, reach: Reach) -> set[tuple[TreePath, Reach]]:
    """Where the engine's release is written, if this place is one of them."""
    sites = description.draft.sites if description.draft is not None else ()
    exact = {(place.file, place.reach) for site in sites if site.notation == "exact" for place in site.places}
    return exact if (path, reach) in exact else set()


def _meanings(text: str, *, in_descriptor: bool) -> tuple[tuple[ValueMeaning, str, str], ...]:
    of_plugin: tuple[tuple[ValueMeaning, str, str], ...] = (
        ("plugin version", tr("The plugin's version"), tr("found in each descriptor by the same rule")),
        (
            "plugin accepts",
            tr("The engine releases that the plugin accepts"),
            tr("found in each descriptor by the same rule"),
        ),
        ("plugin id", tr("The plugin's name"), tr("found in each descriptor by the same rule")),
    )
    usual: tuple[tuple[ValueMeaning, str, str], ...] = (
        ("release", tr("The engine's release"), tr("changes to the new release")),
        ("range", tr("A range of the engine's releases"), tr("follows the new release in its own notation")),
        (
            "belongs",
            tr("A value that belongs to each engine release"),
            tr("changes with it; the shelf has the new one"),
        ),
    )
    of_assets: tuple[tuple[ValueMeaning, str, str], ...] = (
        (
            "declares id",
            tr("An id that this file declares"),
            tr("files like this one declare theirs by the same key"),
        ),
        ("uses id", tr("An id that this file uses"), tr("follows when that gets another id")),
        ("path", tr("The path of a file"), tr("follows when that file moves")),
    )
    mine: tuple[tuple[ValueMeaning, str, str], ...] = (("mine", tr("My own value"), tr("it stays as it is")),)
    if not re.search(r"\d", text) or not re.fullmatch(r"[\w.+\-\[\](),<>=^~*| ]+", text) or len(text) > 24:
        # It cannot be a release.
        return (*(of_plugin[2:] if in_descriptor else ()), *of_assets, *mine)
    return (*of_plugin, *usual, *of_assets[:2], *mine) if in_descriptor else (*usual, *of_assets[:2], *mine)


def _asked_at(description: Description, path: TreePath, text: str, offset: int) -> tuple[Reach, FoundValue] | None:
    """The value at a place that may belong to a release, whole, so that a click on it answers its question."""
    belonging = description.draft.belonging if description.draft is not None else ()
    for item in belonging:
        for value in values_at(text, item.reach, path) if item.file == path else ():
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
    found = next((item for item in values_at(text, reach, path) if item.start == start), None)
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
