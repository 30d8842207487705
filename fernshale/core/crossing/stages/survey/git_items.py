"""The question whether steps are committed to git, and what prevents it."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.git_commits import (
    KEY,
    branch_name,
    consent_to,
    filter_lines,
    find_work_tree,
    read_committing,
    used_filters,
)
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.survey.actions import CommitSteps, LeaveGitAlone
from fernshale.core.process.git import Filter


def git_items(crossing: Crossing, project: Path) -> tuple[Item, ...]:
    """The question while it is open, and the reason where git refused a commit."""
    now = read_committing(crossing)
    leave = Option(
        LeaveGitAlone(),
        tr("Leave git alone"),
        (tr("snapshots keep everything as well"),),
        is_automatic=now.branch is None,
    )
    if now.branch is not None:
        if not now.trouble or not now.branch:
            return ()
        filters = used_filters(project)
        words = (
            tr("Try again")
            if not filters
            else tr("Try again, and let git run {filters}…", filters=count(len(filters), "filter"))
        )
        again = _committing(consent_to(filters), words, filter_lines(filters), filters)
        return (
            Item(KEY, Stage.SURVEY, tr("Steps are not committed to git"), detail=now.trouble, options=(again, leave)),
        )
    tree = find_work_tree(project)
    if tree is None:
        return ()
    if tree.obstacles:
        title, detail = tr("Steps cannot be committed to git as it is"), "; ".join(tree.obstacles)
        return (Item(KEY, Stage.SURVEY, title, detail=detail, needs_you=False, options=(leave,)),)
    title = tr("Keep each step as a commit in git?")
    here = tree.branch or tr("no branch")
    detail = "; ".join(
        (
            tr(
                "The project is on {here}; the steps would be on {branch_name}",
                here=here,
                branch_name=branch_name(crossing),
            ),
            *tree.remarks,
        )
    )
    evidence = (*tree.remarks, *filter_lines(tree.filters))
    words = tr("Commit each step on a branch of its own")
    if tree.filters:
        words += tr(", and let git run {filters}…", filters=count(len(tree.filters), "filter"))
        detail = tr(
            "{detail}; git would run {filter_lines}", detail=detail, filter_lines="; ".join(filter_lines(tree.filters))
        )
    commit = _committing(tree.consent, words, evidence, tree.filters)
    return (Item(KEY, Stage.SURVEY, title, detail=detail, needs_you=False, options=(commit, leave)),)


def _committing(consent: str, title: str, evidence: tuple[str, ...], filters: Sequence[Filter]) -> Option:
    lines = filter_lines(filters)
    heading = tr("Git would run these commands on your files whenever a step is committed:")
    confirm = "\n".join((heading, "", *lines)) if lines else ""
    return Option(CommitSteps(consent), title, evidence, confirm=confirm)
