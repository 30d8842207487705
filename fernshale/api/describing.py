"""Describing a project that no profile fits."""

from __future__ import annotations

from fernshale.core.crossing.project.describing import (
    CommandTrial,
    KeptDescription,
    keep_answers,
    known_engine,
    read_again,
    read_answers,
    save_profile,
    try_command,
)
from fernshale.core.profile.authoring.answers import Answers, FolderMeaning, ProjectCommand, ValueMeaning
from fernshale.core.profile.authoring.description import (
    Description,
    Line,
    Mark,
    Question,
    Section,
    answer,
    describe,
    marks_of,
    role_counts,
    telling_files,
)
from fernshale.core.profile.authoring.draft_commands import as_words
from fernshale.core.profile.authoring.error_lines import pattern_of_line
from fernshale.core.profile.authoring.pointing import Pointed, point_at, say
from fernshale.core.profile.authoring.project_facts import read_facts
from fernshale.core.profile.authoring.typed_answers import AnswerOptions, answer_by_options

__all__ = [
    "AnswerOptions",
    "Answers",
    "CommandTrial",
    "Description",
    "FolderMeaning",
    "KeptDescription",
    "Line",
    "Mark",
    "Pointed",
    "ProjectCommand",
    "Question",
    "Section",
    "ValueMeaning",
    "answer",
    "answer_by_options",
    "as_words",
    "describe",
    "keep_answers",
    "known_engine",
    "marks_of",
    "pattern_of_line",
    "point_at",
    "read_again",
    "read_answers",
    "read_facts",
    "role_counts",
    "save_profile",
    "say",
    "telling_files",
    "try_command",
]
