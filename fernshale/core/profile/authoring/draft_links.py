"""Rules about ids and paths, made from values that a person pointed at: files like that one, and the key of the value."""

from __future__ import annotations

import re
from dataclasses import dataclass

from fernshale.core.base.globs import literal
from fernshale.core.profile.authoring.answers import Answers, PointedValue
from fernshale.core.profile.authoring.project_facts import ProjectFacts, kind_of


@dataclass(frozen=True, slots=True)
class DraftLink:
    """A rule of `[links]`: its table, its globs, and the key or the pattern that finds the values."""

    table: str
    files: tuple[str, ...]
    key: str
    pattern: str
    names_files: bool
    count: int


def draft_links(facts: ProjectFacts, answers: Answers) -> tuple[DraftLink, ...]:
    """One rule for each value that was said to be an id or a path; equal rules once."""
    found = [_link(facts, item) for item in answers.values if item.meaning in ("declares id", "uses id", "path")]
    return tuple(dict.fromkeys(found))


def _link(facts: ProjectFacts, item: PointedValue) -> DraftLink:
    table = "links.declare" if item.meaning == "declares id" else "links.use"
    folder, kind = item.file.rpartition("/")[0], kind_of(item.file)
    glob = f"{literal(folder)}/**/*.{kind}" if folder and kind else f"*.{kind}" if kind else literal(item.file)
    top = f"{folder}/" if folder else ""
    count = sum(path.startswith(top) and kind_of(path) == kind for path in facts.tree.files)
    key = _last_key(item)
    pattern = "" if key else _pattern(item)
    return DraftLink(table, (glob,), key, pattern, item.meaning == "path", count)


def _last_key(item: PointedValue) -> str:
    """The key that leads to a value in a format with keys, else nothing."""
    reach = item.reach
    if reach.json or reach.yaml:
        steps = re.split(r"[/\[]", reach.json or reach.yaml)
        return next((step for step in reversed(steps) if step and not step.isdigit() and not step.endswith("]")), "")
    if reach.toml or reach.ini:
        return re.split(r"[.\[]", reach.toml or reach.ini)[-1].rstrip("]").strip("\"'")
    return reach.properties


def _pattern(item: PointedValue) -> str:
    """The pattern of a line, with its group called `id`."""
    return item.reach.pattern.replace("(?P<value>", "(?P<id>")
