"""The answers of a description as a person types them on the command line."""

from __future__ import annotations

import re
import shlex
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import cast, get_args

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.profile.authoring.answers import FolderMeaning, ValueMeaning
from fernshale.core.profile.authoring.description import Description, describe
from fernshale.core.profile.authoring.pointing import Pointed, point_at, say
from fernshale.core.profile.model import ROLES, ProfileCommand


@dataclass(frozen=True, slots=True)
class AnswerOptions:
    """Answers as they are typed: `values` as FILE:LINE:TEXT=WHAT, `folders` as FOLDER=WHAT, `build` "" for no command."""

    engine: str = ""
    values: Sequence[str] = ()
    folders: Sequence[str] = ()
    build: str | None = None


def answer_by_options(description: Description, options: AnswerOptions) -> Description:
    """The description after typed answers. Raises MisuseError for one that cannot be read or names nothing."""
    facts, answers = description.facts, description.answers
    if options.engine:
        answers = replace(answers, engine=options.engine)
    for text in options.folders:
        folder, _, what = text.rpartition("=")
        if what not in ("plugins", *ROLES):
            raise MisuseError(tr("{words!r} does not say what the folder is", words=text))
        answers = answers.with_folder(TreePath(folder.strip("/")), cast(FolderMeaning, what))
    if options.build is not None:
        command = ProfileCommand(tuple(shlex.split(options.build))) if options.build.strip() else None
        answers = answers.with_command("build", command)
    now = describe(facts, answers)
    for text in options.values:
        place, _, what = text.rpartition("=")
        if what not in get_args(ValueMeaning):
            raise MisuseError(
                tr("{words!r} does not say what the value is", words=text),
                tr("One of {get_args}.", get_args=", ".join(get_args(ValueMeaning))),
            )
        now = say(now, _typed_place(now, place), cast(ValueMeaning, what))
    return now


def _typed_place(description: Description, place: str) -> Pointed:
    found = re.fullmatch(r"(?P<file>.+?):(?P<line>\d+):(?P<text>.+)", place)
    text = description.facts.texts.get(TreePath(found["file"])) if found is not None else None
    if found is None or text is None:
        raise MisuseError(
            tr("{place!r} names no place", place=place), tr("Write FILE:LINE:TEXT, with a file of the project.")
        )
    start = sum(len(line) + 1 for line in text.split("\n")[: int(found["line"]) - 1])
    at = text.find(found["text"], start)
    end = text.find("\n", start)
    pointed = point_at(description, TreePath(found["file"]), at) if 0 <= at < (end if end >= 0 else len(text)) else None
    if pointed is None:
        raise MisuseError(
            tr("{file}:{line} has no value {words!r}", file=found["file"], line=found["line"], words=found["text"])
        )
    return pointed
