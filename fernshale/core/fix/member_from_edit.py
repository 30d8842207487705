"""Learn from one member that was put into a class: the others that derive from the same get it, too."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from textwrap import dedent

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.classes import PYTHON, class_bodies, python_classes
from fernshale.core.fix.rules import AddMemberRule, Rule
from fernshale.core.fix.tokens import tokenize


@dataclass(frozen=True, slots=True)
class AddedLines:
    """Whole lines that were added to a file: characters `start` to `end` of its text."""

    text: str
    path: TreePath
    start: int
    end: int


def learn_member(lines: AddedLines, member: str, base: str, id: str, why: str) -> Rule | None:
    """Learn the rule that adds the member in some lines of a class to all classes with the same base.

    `member` is the name that must be declared there; `base` is used if the class derives from it, else its first base. None if
    the text is no such declaration.
    """
    text, path, start, end = lines.text, lines.path, lines.start, lines.end
    added = text[start:end]
    tokens = tokenize(added, path)
    named = any(
        token.text == member and token.kind == "name" and tokens[at + 1].text == "("
        for at, token in enumerate(tokens[:-1])
    )
    # Empty lines round it may belong to the class or not.
    first_word, last_word = start + len(added) - len(added.lstrip()), start + len(added.rstrip())
    around = [
        bases for bases, first, last in _classes(text, path) if first < first_word and last_word <= last and bases
    ]
    if not named or not around:
        return None
    bases = around[-1]
    words = dedent(added).strip("\r\n")
    return AddMemberRule(id, why, base=base if base in bases else bases[0], member=member, text=words)


def _classes(text: str, path: TreePath) -> Sequence[tuple[tuple[str, ...], int, int]]:
    """Bases and character span of each class, outer ones first."""
    if path.endswith(PYTHON):
        return [(item.bases, item.start, item.end) for item in python_classes(text)]
    tokens = tokenize(text, path)
    return [(bases, tokens[first].start, tokens[last - 1].end) for _, bases, first, last in class_bodies(tokens)]
