"""profile draft, profile describe, profile check."""

from __future__ import annotations

import argparse
import sys
from dataclasses import asdict
from pathlib import Path

from fernshale.api.describing import (
    AnswerOptions,
    Description,
    answer,
    answer_by_options,
    describe,
    read_answers,
    read_facts,
    save_profile,
)
from fernshale.api.projects import check_profile, draft_text, keep_draft
from fernshale.cli.output import LEFT_TO_DECIDE, print_data, print_json, print_lines
from fernshale.core.base.work import CancelToken, Work


def draft(options: argparse.Namespace, token: CancelToken) -> int:
    text = draft_text(Path(options.project), token)
    if options.out:
        keep_draft(text, Path(options.out))
    else:
        print_data(text)
    return 0


def describe_project(options: argparse.Namespace, token: CancelToken) -> int:
    """Ask every question that is open, or take the answers from the options, and write the profile."""
    project = Path(options.project)
    work = Work(token=token)
    now = describe(read_facts(project, work), read_answers(project).answers)
    now = answer_by_options(
        now, AnswerOptions(options.engine or "", options.value or (), options.folder or (), options.build)
    )
    print(now.headline)
    for section in now.sections:
        print(f"\n{section.title}")
        print_lines(f"  {line.left}  {line.right}" for line in section.lines)
    if sys.stdin.isatty():
        now = _ask_all(now)
    if now.draft is None:
        print(f"\n{now.trouble}")
        return 1
    path = save_profile(now, Path(options.out) if options.out else None)
    print(f"\nwritten: {path}")
    print_lines(f"still open: {question.text}" for question in now.questions)
    return LEFT_TO_DECIDE if now.questions else 0


def _ask_all(now: Description) -> Description:
    """Ask in the terminal; an empty answer leaves a question open."""
    asked: set[str] = set()
    while question := next((item for item in now.questions if item.key not in asked), None):
        asked.add(question.key)
        print(f"\n{question.text}" + (f"  ({question.file})" if question.file else ""))
        print_lines(f"  {number} {words}  {hint}" for number, (_, words, hint) in enumerate(question.options, 1))
        typed = input("> ").strip()
        if question.key == "build":
            now = answer_by_options(now, AnswerOptions(build=typed or None))
        elif typed.isdigit() and 0 < int(typed) <= len(question.options):
            now = answer(now, question, question.options[int(typed) - 1][0])
    return now


def check(options: argparse.Namespace, token: CancelToken) -> int:
    path = Path(options.file)
    remarks = check_profile(path, Path(options.project) if options.project else None, token)
    bad = any(item.severity == "error" for item in remarks)
    if options.json:
        print_json({"ok": not bad, "remarks": [asdict(item) for item in remarks]})
    else:
        print_lines(f"{path}:{item.line}: {item.severity}: {item.text}" for item in remarks)
        if not remarks:
            print(f"{path}: no problems found")
    return 1 if bad else 0
