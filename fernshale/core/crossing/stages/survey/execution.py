"""How the actions of Survey are carried out."""

from __future__ import annotations

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath, under
from fernshale.core.base.work import Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.action_handlers import Handlers
from fernshale.core.crossing.project.role_of_place import give_role
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.checkouts import CHECKOUT, CheckoutRule, check_rule
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.git_commits import commit_from_now_on, leave_alone
from fernshale.core.crossing.record.logbook import note, write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.survey.actions import (
    AssignRole,
    CheckRequirements,
    CommitSteps,
    LeaveGitAlone,
    LetStepsWrite,
    RemovePath,
    TakeBaseline,
)
from fernshale.core.crossing.stages.survey.baseline_run import take_baseline, try_requirements


def _commit_steps(crossing: Crossing, scan: ProjectScan, action: CommitSteps, author: Author, work: Work) -> None:
    name = commit_from_now_on(crossing, action.consent)
    note(crossing, Stage.SURVEY, tr("steps are committed on the branch {name}", name=name), author.why, action.key)


def _leave_git_alone(crossing: Crossing, scan: ProjectScan, action: LeaveGitAlone, author: Author, work: Work) -> None:
    leave_alone(crossing)
    note(crossing, Stage.SURVEY, "git is left alone", author.why, action.key)


def _remove_path(crossing: Crossing, scan: ProjectScan, action: RemovePath, author: Author, work: Work) -> None:
    remove_path(crossing, scan, action.path, action.decision(author), work)


def _assign_role(crossing: Crossing, scan: ProjectScan, action: AssignRole, author: Author, work: Work) -> None:
    note(crossing, Stage.SURVEY, give_role(scan.project, action.path, action.role), author.why, "role")


def _let_steps_write(crossing: Crossing, scan: ProjectScan, action: LetStepsWrite, author: Author, work: Work) -> None:
    rule = CheckoutRule(action.how, action.text)
    check_rule(rule)
    crossing.keep(CHECKOUT, rule)
    words = (
        tr("this command first: {words}", words=action.text) if action.how == "command" else tr("making them writable")
    )
    note(crossing, Stage.SURVEY, tr("steps may write read-only files, by {words}", words=words), author.why, action.key)


HANDLERS: Handlers = {
    CommitSteps: _commit_steps,
    LeaveGitAlone: _leave_git_alone,
    CheckRequirements: lambda crossing, scan, action, author, work: try_requirements(crossing, scan, work.token),
    TakeBaseline: lambda crossing, scan, action, author, work: take_baseline(crossing, scan, work),
    RemovePath: _remove_path,
    AssignRole: _assign_role,
    LetStepsWrite: _let_steps_write,
}


def remove_path(crossing: Crossing, scan: ProjectScan, place: TreePath, decided: Decision, work: Work) -> int:
    """Remove a file or folder from the project; returns the entry's id. Raises MisuseError when it does not exist."""
    paths = [path for path in scan.manifest.paths() if under(path, place)]
    if not paths:
        raise MisuseError(tr("{place} is not there any more", place=place))
    draft = Draft(scan.project)
    for path in paths:
        draft.delete(path)
    title = tr("{place} removed · {files}", place=place, files=count(len(paths), "file"))
    why, about = decided.why or tr("it is a duplicate"), f"removed {place}"
    return write_step(crossing, EntryText(Stage.SURVEY, title, why, about), draft.change_set(), work, [decided])
