"""How the actions of Build are carried out."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.crossing.deferred.code import CodeLine, switch_code_off, switch_code_on
from fernshale.core.crossing.deferred.plugins import return_plugin
from fernshale.core.crossing.project.action_handlers import Handlers, record_choice
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author, Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.fix_settings import put_cause_off, take_cause_up
from fernshale.core.crossing.stages.build.actions import (
    AcceptSilent,
    LeaveMemberBehind,
    PinDefault,
    PutCauseOff,
    ReturnPluginForCause,
    RunBuild,
    SwitchCodeOff,
    SwitchCodeOn,
    TakeCauseUp,
    TakeMemberAlong,
    UseRule,
    UseRuleAt,
    UseSilentRule,
)
from fernshale.core.crossing.stages.build.fix_application import apply_all, apply_fix
from fernshale.core.crossing.stages.build.handled import keep_handled
from fernshale.core.crossing.stages.build.inspection import inspect_build
from fernshale.core.crossing.stages.build.member_states import move_member
from fernshale.core.crossing.stages.build.next_round import build_next
from fernshale.core.crossing.stages.build.view import BuildView, ChosenEdits, Fix


def _use_rule(
    crossing: Crossing, scan: ProjectScan, action: UseRule | UseSilentRule, author: Author, work: Work
) -> None:
    view = inspect_build(scan, crossing, work.token)
    fix = find_fix(view, action)
    keep_handled(crossing, view, fix, apply_fix(crossing, scan, ChosenEdits(fix), author, work))


def use_rules(
    crossing: Crossing,
    scan: ProjectScan,
    view: BuildView,
    uses: Sequence[tuple[UseRule, Author]],
    on_use: Callable[[UseRule], None],
    work: Work,
) -> None:
    """Apply the fixes of several causes, as `view` proposes them; `on_use` is called before each.

    Those that change the same text as one before are left for the next time, but never the first. Raises MisuseError when one is
    not proposed any more.
    """
    fixes = [(find_fix(view, action), author) for action, author in uses]
    action_of = {id(fix): action for (fix, _), (action, _) in zip(fixes, uses, strict=True)}
    apply_all(crossing, scan, view, fixes, lambda fix: on_use(action_of[id(fix)]), work)


def _use_rule_at(crossing: Crossing, scan: ProjectScan, action: UseRuleAt, author: Author, work: Work) -> None:
    view = inspect_build(scan, crossing, work.token)
    fix = next((fix for fix in view.every_fix if fix.rule.id == action.rule), None)
    at = (
        next((edit for edit in fix.edits if (edit.path, edit.start) == (action.path, action.start)), None)
        if fix
        else None
    )
    if fix is None or at is None:
        raise MisuseError(
            tr("{rule} changes nothing in {path}:{line}", rule=action.rule, path=action.path, line=action.line),
            tr("Refresh; it changed in the meantime."),
        )
    apply_fix(crossing, scan, ChosenEdits(fix, action.scope, at), author, work)


def _pin_default(crossing: Crossing, scan: ProjectScan, action: PinDefault, author: Author, work: Work) -> None:
    fix = inspect_build(scan, crossing, work.token).pins.get(action.key)
    if fix is None:
        raise MisuseError(tr("no call leaves it out: {change}", change=action.change))
    decided = replace(action.decision(author), why=author.why or fix.rule.why)
    apply_fix(crossing, scan, ChosenEdits(fix), author, work, [decided])


def _switch_off(crossing: Crossing, scan: ProjectScan, action: SwitchCodeOff, author: Author, work: Work) -> None:
    path, line = first_place(inspect_build(scan, crossing, work.token), scan, action.key)
    why = author.why or tr("it cannot be fixed now")
    switch_code_off(crossing, scan, CodeLine(path, line), action.part, why, work)


def _accept(crossing: Crossing, scan: ProjectScan, action: AcceptSilent, author: Author, work: Work) -> None:
    record_choice(crossing, scan, Choose(action.key, action.option), author, work)


def find_fix(view: BuildView, action: UseRule | UseSilentRule) -> Fix:
    """The fix that an action applies. Raises MisuseError when it is not proposed any more."""
    fixes = [fix for cause in view.causes if cause.key == action.key for fix in cause.fixes]
    fixes += [fix for fix in view.silent if f"silent:{fix.rule.id}" == action.key]
    found = next((fix for fix in fixes if fix.rule.id == action.rule), None)
    if found is None:
        raise MisuseError(
            tr("{rule} is no option of {key} any more", rule=action.rule, key=action.key),
            tr("Refresh; it changed in the meantime."),
        )
    return found


def first_place(view: BuildView, scan: ProjectScan, key: str) -> tuple[TreePath, int]:
    """The first place of a cause that is in the project and still as it was built. Raises MisuseError without one."""
    errors = (error for item in view.causes if item.key == key for error in item.cause.errors)
    places = (error.place for error in errors if error.place.line > 0 and error.place.file in scan.manifest.files)
    place = next(places, None)
    if place is None:
        raise MisuseError(tr("{key} has no place in the project that can be switched off", key=key))
    return TreePath(place.file), place.line


HANDLERS: Handlers = {
    RunBuild: lambda crossing, scan, action, author, work: build_next(crossing, scan, work),
    UseRule: _use_rule,
    UseSilentRule: _use_rule,
    AcceptSilent: _accept,
    UseRuleAt: _use_rule_at,
    PinDefault: _pin_default,
    SwitchCodeOff: _switch_off,
    SwitchCodeOn: lambda crossing, scan, action, author, work: switch_code_on(crossing, action.entry, work),
    ReturnPluginForCause: lambda crossing, scan, action, author, work: return_plugin(crossing, action.plugin, work),
    PutCauseOff: lambda crossing, scan, action, author, work: put_cause_off(crossing, action.cause),
    TakeCauseUp: lambda crossing, scan, action, author, work: take_cause_up(crossing, action.cause),
    LeaveMemberBehind: move_member,
    TakeMemberAlong: move_member,
}
