"""Add a member to classes with a certain base."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import pairwise

from fernshale.core.base.languages import C_FAMILY
from fernshale.core.base.textfile import line_end
from fernshale.core.fix.classes import PYTHON, class_bodies, python_classes
from fernshale.core.fix.rules import AddMemberRule
from fernshale.core.fix.statements import indent_of
from fernshale.core.fix.tokens import Token, tokenize

_STEP = "    "


def find(rule: AddMemberRule, path: str, text: str) -> Iterator[tuple[int, int, str]]:
    if path.endswith(PYTHON):
        yield from _add_python_member(rule, text)
        return
    tokens = tokenize(text, path)
    end_of_line = line_end(text)
    for _, bases, opening, end in class_bodies(tokens):
        if rule.base not in bases:
            continue
        body = tokens[opening + 1 : end - 1]
        if any(item.text == rule.member and item.kind == "name" for item in body):
            continue
        outer = indent_of(text[text.rfind("\n", 0, tokens[opening].start) + 1 :])
        if "\n" not in text[tokens[opening].end : tokens[end - 1].start]:
            # All on one line: the member gets lines of its own.
            spot = tokens[opening].end
            yield spot, spot, f"{end_of_line}{_indented(rule.text, outer + _STEP, end_of_line)}{outer}"
        elif rule.after or path.endswith(C_FAMILY):
            spot, indent = _member_spot(rule, text, tokens[opening], body)
            yield spot, spot, _indented(rule.text, indent, end_of_line)
        else:
            # Behind the others.
            spot = text.rfind("\n", 0, tokens[end - 1].start) + 1
            indent = indent_of(text[text.rfind("\n", 0, body[0].start) + 1 :]) if body else outer + _STEP
            yield spot, spot, f"{end_of_line if body else ''}{_indented(rule.text, indent, end_of_line)}"


def _add_python_member(rule: AddMemberRule, text: str) -> Iterator[tuple[int, int, str]]:
    """At the end of the class."""
    for item in python_classes(text):
        if rule.base in item.bases and rule.member not in item.members and item.indent is not None:
            end_of_line = line_end(text)
            closed = "" if text[: item.end].endswith("\n") else end_of_line
            yield item.end, item.end, f"{closed}{end_of_line}{_indented(rule.text, item.indent, end_of_line)}"


def _indented(text: str, indent: str, end_of_line: str) -> str:
    return "".join(f"{indent}{line}{end_of_line}" if line.strip() else end_of_line for line in text.splitlines())


def _member_spot(rule: AddMemberRule, text: str, opening: Token, body: Sequence[Token]) -> tuple[int, str]:
    """Return the start of the line before which the member is inserted, and its neighbours' indentation."""
    last = body[-1].end if body else opening.end
    anchor = text.find(rule.after, opening.end, last) if rule.after else -1
    if anchor < 0:
        ahead = pairwise(body)
        public = next((item for item, mark in ahead if item.text == "public" and mark.text == ":"), None)
        anchor = public.start if public else opening.start
    spot = text.find("\n", anchor) + 1 or len(text)
    start = text.rfind("\n", 0, anchor) + 1
    line = text[start:spot]
    indent = indent_of(line)
    return spot, indent if rule.after and rule.after in line else indent + _STEP
