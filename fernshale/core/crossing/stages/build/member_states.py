"""Members of a workspace on a crossing: the state of each, and leaving one on its old release."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.release import same_release
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import under
from fernshale.core.base.work import Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.build.actions import LeaveMemberBehind, TakeMemberAlong
from fernshale.core.crossing.stages.build.view import BuildView, CauseView
from fernshale.core.survey.release_sites import read_project_text
from fernshale.core.survey.value_access import replace_values
from fernshale.core.survey.workspace_members import Member, choose_members, with_override


@dataclass(frozen=True, slots=True)
class MemberState:
    """The state of a member: its release, whether it crosses with the others, its errors in the last build, and why it was left
    out."""

    member: Member
    crosses: bool
    errors: int
    causes: int
    left_out: str = ""

    @property
    def words(self) -> str:
        if self.left_out:
            return tr("left out on {release}: {left_out}", release=self.member.release, left_out=self.left_out)
        if not self.crosses:
            return tr("stays on {release}, which it {how}", release=self.member.release, how=self.member.how)
        return (
            tr("{errors} of {causes}", errors=count(self.errors, "error"), causes=count(self.causes, "cause"))
            if self.errors
            else tr("compiles")
        )


def member_states(scan: ProjectScan, build: BuildView, crossing: Crossing) -> tuple[MemberState, ...]:
    """All members of the workspace, in the order of their folders."""
    decided = crossing.decisions()
    found = []
    for member in scan.members:
        mine = _causes_of(member, build)
        errors = sum(under(error.place.file, member.folder) for item in mine for error in item.cause.errors)
        decision = decided.get(_key(member))
        left = decision.why or tr("no reason given") if decision is not None and decision.choice == "leave" else ""
        crosses = member.folder in scan.along and not left
        found.append(MemberState(member, crosses, errors, len(mine), left))
    return tuple(found)


def member_items(scan: ProjectScan, build: BuildView, crossing: Crossing) -> Iterator[Item]:
    """Members with errors and no high-confidence fix, each of which may be left on its old release."""
    for state in member_states(scan, build, crossing):
        member = state.member
        if state.left_out:
            continue
        stuck = [item for item in _causes_of(member, build) if not any(fix.is_automatic for fix in item.fixes)]
        if state.crosses and stuck and len(scan.along) > 1 and scan.profile.workspace is not None:
            leave = Option(
                LeaveMemberBehind(member.name),
                tr("Leave {name} on {before}", name=member.name, before=crossing.setup.from_),
                (tr("the others move on"),),
            )
            title = tr(
                "{name} cannot move yet, {causes} without a high-confidence fix",
                name=member.name,
                causes=count(len(stuck), "cause"),
            )
            yield Item(_key(member), Stage.BUILD, title, "own", member.folder, "", False, (leave,))


def with_members(build: BuildView, scan: ProjectScan, crossing: Crossing) -> BuildView:
    """The build with the items of members among its own."""
    more = tuple(member_items(scan, build, crossing)) if scan.members else ()
    return replace(build, items=(*build.items, *more)) if more else build


MemberAction = LeaveMemberBehind | TakeMemberAlong


def move_member(crossing: Crossing, scan: ProjectScan, action: MemberAction, author: Author, work: Work) -> int:
    """Write the release that a member stays on or moves to; the logbook entry's id. Raises MisuseError."""
    name, leaves = action.member, isinstance(action, LeaveMemberBehind)
    release = crossing.setup.from_ if leaves else crossing.setup.to
    (member,) = choose_members(scan.members, [name])
    workspace = scan.profile.workspace
    if workspace is None or same_release(member.release, release):
        raise MisuseError(tr("{name} is on {release} already", name=member.name, release=release))
    file = read_project_text(scan.project, member.descriptor)
    draft = Draft(scan.project)
    if member.site is not None:
        text = replace_values(file.text, [(member.site.value, release)])
    else:
        text = with_override(workspace, file.text, release, member.descriptor)
    draft.write(member.descriptor, file.with_text(text).encode())
    title = (
        tr("{name} stays on {release}", name=member.name, release=release)
        if leaves
        else tr("{name} moves to {release}", name=member.name, release=release)
    )
    about = f"member {member.name}"
    return write_step(
        crossing, EntryText(Stage.BUILD, title, author.why, about), draft.change_set(), work, [action.decision(author)]
    )


def _causes_of(member: Member, build: BuildView) -> list[CauseView]:
    """The causes with an error in a member's folder."""
    return [item for item in build.causes if any(under(error.place.file, member.folder) for error in item.cause.errors)]


def _key(member: Member) -> str:
    return f"member:{member.name}"
