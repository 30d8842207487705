"""Carry a decision out: the one door through which window, command line and the automatic crossing act."""

from __future__ import annotations

import time
from collections.abc import Sequence
from dataclasses import replace
from typing import cast

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.release import same_release
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.deferred.code import What, pay_debt, set_code_aside
from fernshale.core.crossing.deferred.plugins import bring_back, set_aside
from fernshale.core.crossing.project.plugin_plan import plugin_key
from fernshale.core.crossing.project.roles import give_role
from fernshale.core.crossing.project.scan import Ground, crossing_ground
from fernshale.core.crossing.record.automation import keep_sure_from, put_cause_off, take_cause_up
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decisions import Taken
from fernshale.core.crossing.record.git_commits import commit_from_now_on, leave_alone
from fernshale.core.crossing.record.items import Decision, Item, Stage, stage_of
from fernshale.core.crossing.record.legs import go_on
from fernshale.core.crossing.record.logbook import note, undo
from fernshale.core.crossing.stages.build.items import DEFAULT
from fernshale.core.crossing.stages.build.rounds import build, run_round, write_fix
from fernshale.core.crossing.stages.build.view import Fix, Scope
from fernshale.core.crossing.stages.build.workspace_members import leave_out, take_along
from fernshale.core.crossing.stages.engine.forked_files import settle_copy
from fernshale.core.crossing.stages.engine.generator import KEY as STALE
from fernshale.core.crossing.stages.engine.generator import regenerate, resolve_stale, restore_swept, unsettled_sweep
from fernshale.core.crossing.stages.engine.view import apply_engine
from fernshale.core.crossing.stages.engine.workarounds import settle_workaround
from fernshale.core.crossing.stages.links.data_rules import apply_data, apply_mending
from fernshale.core.crossing.stages.links.view import apply_relink
from fernshale.core.crossing.stages.plugins.choices import withdraw_choice
from fernshale.core.crossing.stages.plugins.compiled_plugins import rebuild
from fernshale.core.crossing.stages.plugins.view import apply_plugin, settle_merge
from fernshale.core.crossing.stages.route.toolchain import find_demand, raise_standard
from fernshale.core.crossing.stages.route.view import choose_way
from fernshale.core.crossing.stages.survey.view import remove_thing, take_baseline, try_requirements
from fernshale.core.crossing.stages.trial.checks import mark_check
from fernshale.core.crossing.stages.trial.view import run_trial
from fernshale.core.fix.apply import Edit
from fernshale.core.survey.plugins import Plugin
from fernshale.core.trial.checks import Verdict

# Whatever does not compile after so many rounds by itself wants a person.
_MOST_ROUNDS = 12
_LEFT = "left as it is"


def settle(crossing: Crossing, taken: Taken, work: Work) -> None:
    """Carry out what was decided. Raises what the stage raises; then the decision is not kept either."""
    with crossing.acting():
        _settle(crossing, taken, work)


def withdraw(crossing: Crossing, key: str) -> None:
    """Take a decision back that was not carried out yet."""
    with crossing.acting():
        withdraw_choice(crossing, key)


def _settle(crossing: Crossing, taken: Taken, work: Work) -> None:
    area, _, rest = taken.key.partition(":")
    ground = crossing_ground(crossing, work)
    match area, taken.option:
        case "git", way if way.partition(" ")[0] == "commit":
            name = commit_from_now_on(crossing, way)
            note(crossing, Stage.SURVEY, f"steps are committed on the branch {name}", taken.why, taken.key)
        case "git", _:
            leave_alone(crossing)
            note(crossing, Stage.SURVEY, "git is left alone", taken.why, taken.key)
        case "survey", "again":
            try_requirements(crossing, ground, work.token)
        case "survey", way if way.startswith("remove "):
            place = TreePath(way.removeprefix("remove "))
            remove_thing(crossing, ground, place, _decision(taken), work)
        case "role", role:
            note(crossing, Stage.SURVEY, give_role(ground.project, TreePath(rest), role), taken.why, "role")
        case "survey", "take":
            take_baseline(crossing, ground, work)
        case "aside", "aside":
            decided = crossing.decisions().get(plugin_key(crossing.setup, rest))
            why = taken.why or (decided.why if decided is not None else "") or "it cannot come along yet"
            set_aside(crossing, ground, _plugin(ground, rest), why, work)
        case "rebuild", "rebuild":
            rebuild(crossing, ground, _plugin(ground, rest), work)
        case "aside", "return":
            bring_back(crossing, rest, work)
        case "plugin", "take" | "clean" as way:
            apply_plugin(crossing, ground, rest, way == "clean", work)
        case "merge" | "merge-like" | "merge-below", way:
            settle_merge(crossing, ground, taken.key, way, taken.text, taken.who, taken.why, work.token)
        case "engine", "apply":
            apply_engine(crossing, ground, work)
        case "engine", way if rest == "generate" and way.startswith(("aside ", "rebuild ")):
            how, _, id = way.partition(" ")
            if how == "aside":
                why = taken.why or "it stands in the generator's way"
                set_aside(crossing, ground, _plugin(ground, id), why, work)
            else:
                rebuild(crossing, ground, _plugin(ground, id), work)
            regenerate(crossing, work)
        case "engine", "regenerate":
            regenerate(crossing, work)
        case "engine", "restore" if rest == "generate" and (sweep := unsettled_sweep(crossing)):
            restore_swept(crossing, sweep, has_failed=False)
        case "engine", _ if taken.key.startswith(STALE):
            resolve_stale(crossing, ground, _decision(taken), work)
        case "build", "build":
            run_round(crossing, ground, work)
        case "trial", "passed" | "failed" if rest.startswith("check:"):
            mark_check(crossing, ground, rest.removeprefix("check:"), cast(Verdict, taken.option), taken.why, taken.who)
        case "trial", "run":
            run_trial(crossing, ground, work)
        case "trial", "next":
            go_on(crossing, work)
        case "route", way if way.startswith("way "):
            choose_way(crossing, ground, way.split()[1:], taken.who, taken.why)
        case "demand", "raise":
            raise_standard(crossing, ground, find_demand(ground, rest), work)
        case "workaround", "add" | "remove":
            settle_workaround(crossing, ground, _decision(taken), work)
        case "copy", way:
            settle_copy(crossing, ground, TreePath(rest), way, taken.who, taken.why, work)
        case "member", "leave":
            leave_out(crossing, ground, rest, taken.who, taken.why, work)
        case "member", "return":
            take_along(crossing, ground, rest, taken.who, taken.why, work)
        case "default", "pin":
            fix = find_pin(crossing, ground, rest, work.token)
            decided = replace(_decision(taken), why=taken.why or fix.rule.why)
            apply_fix(crossing, ground, fix, "everywhere", None, taken.who, work, [decided])
        case "debt", "return":
            pay_debt(crossing, int(rest), work)
        case "cause", "aside line" | "aside function" | "aside file" as way:
            what = cast(What, way.removeprefix("aside "))
            path, line = first_place(crossing, ground, taken.key, work.token)
            why = taken.why or "it cannot be mended now"
            set_code_aside(crossing, ground, path, line, what, why, work)
        case "cause", way if way.startswith("return "):
            bring_back(crossing, way.removeprefix("return "), work)
        case "cause", "later":
            put_cause_off(crossing, rest)
        case "cause", "now":
            take_cause_up(crossing, rest)
        case "silent", "noted":
            _record(crossing, taken)
        case "cause" | "silent", rule:
            fix = find_fix(crossing, ground, taken.key, rule, work.token)
            apply_fix(crossing, ground, fix, "everywhere", None, taken.who, work)
        case "data", way if way:
            apply_data(crossing, ground, rest, way, taken.who, taken.why, work)
        case "expect", way if way:
            apply_mending(crossing, ground, _decision(taken), work)
        case "links" | "file", new if new:
            apply_relink(crossing, ground, taken.key, new, taken.who, taken.why, work)
        case _:
            _record(crossing, taken)


def apply_fix(
    crossing: Crossing,
    ground: Ground,
    fix: Fix,
    scope: Scope,
    at: Edit | None,
    who: str,
    work: Work,
    decided: Sequence[Decision] = (),
) -> int:
    """Write a fix, and run the generator where the fix removes generated files; the logbook entry's id."""
    entry = write_fix(crossing, ground, fix, scope, at, who, work, decided)
    if fix.removes:
        regenerate(crossing, work)
    return entry


def choose_sure_from(crossing: Crossing, value: float) -> None:
    """Say from which confidence on fixes are taken by themselves. Raises MisuseError."""
    with crossing.acting():
        keep_sure_from(crossing, value)


def take_sure_fixes(crossing: Crossing, who: str, work: Work) -> int:
    """Apply every sure fix everywhere, one step each, looking anew after each; how many."""
    with crossing.acting():
        return len(_take_sure(crossing, who, work))


def go_rounds(crossing: Crossing, who: str, work: Work) -> str:
    """Build, take what is sure, build again; why it stopped, in words.

    It stops when the project compiles, when nothing sure is left, or when a round made it worse, which is then undone: there
    are not fewer errors than before, and most of the places that were changed still have one. (More errors alone say little:
    a header that is found again shows what was hidden behind it.) Raises MisuseError while the project is on another release.
    """
    with crossing.acting():
        release = crossing_ground(crossing, work).release
        if not same_release(release, crossing.setup.to):
            raise MisuseError(f"the project is on {release} still", f"Point it at {crossing.setup.to} first.")
        view = build(crossing_ground(crossing, work), crossing, work.token)
        if view.is_stale or not view.rounds:
            run_round(crossing, crossing_ground(crossing, work), work)
        for _ in range(_MOST_ROUNDS):
            view = build(crossing_ground(crossing, work), crossing, work.token)
            if view.passed:
                return "it compiles and links"
            before = view.rounds[-1]
            taken = _take_sure(crossing, who, work)
            if not taken:
                return "nothing sure is left"
            after = run_round(crossing, crossing_ground(crossing, work), work)
            changed = {place for fix, _ in taken for place in fix.places}
            still = changed & _error_places(crossing, work)
            if after.total >= before.total and len(still) * 2 > len(changed):
                for _, entry in reversed(taken):
                    undo(crossing, entry, work)
                said = f"round {after.number} made it worse, {before.total} errors became {after.total}; it was undone"
                note(crossing, Stage.BUILD, said, "", "round")
                return said
    return f"{_MOST_ROUNDS} rounds were gone"


def _error_places(crossing: Crossing, work: Work) -> set[tuple[str, int]]:
    view = build(crossing_ground(crossing, work), crossing, work.token)
    return {(error.place.file, error.place.line) for item in view.causes for error in item.cause.errors}


def _take_sure(crossing: Crossing, who: str, work: Work) -> list[tuple[Fix, int]]:
    """The sure fixes that were applied with their logbook entries, in order."""
    taken: dict[str, tuple[Fix, int]] = {}
    while True:
        work.check()
        ground = crossing_ground(crossing, work)
        sure = build(ground, crossing, work.token).sure
        fresh = [fix for fix in sure if fix.rule.id not in taken]
        if not fresh:
            return list(taken.values())
        touched: set[TreePath] = set()
        for fix in fresh:
            if touched.isdisjoint(fix.files):  # else its places are not where they were
                work.progress(fix.rule.name, len(taken), len(taken) + len(sure))
                entry = apply_fix(crossing, ground, fix, "everywhere", None, who, work)
                taken[fix.rule.id] = fix, entry
                touched.update(fix.files)


def find_fix(crossing: Crossing, ground: Ground, key: str, rule: str, token: CancelToken) -> Fix:
    """The fix an item of Build proposes. Raises MisuseError when there is none any more."""
    view = build(ground, crossing, token)
    fixes = [fix for cause in view.causes if f"cause:{cause.cause.key}" == key for fix in cause.fixes]
    fixes += [fix for fix in view.silent if f"silent:{fix.rule.id}" == key]
    found = next((fix for fix in fixes if fix.rule.id == rule), None)
    if found is None:
        raise MisuseError(f"{rule} is no way to settle {key} any more", "Look again; something changed meanwhile.")
    return found


def find_pin(crossing: Crossing, ground: Ground, what: str, token: CancelToken) -> Fix:
    """The fix that writes an old default at the calls that left it out. Raises MisuseError when there is none."""
    fix = build(ground, crossing, token).pins.get(f"{DEFAULT}{what}")
    if fix is None:
        raise MisuseError(f"no call leaves it out: {what}")
    return fix


def first_place(crossing: Crossing, ground: Ground, key: str, token: CancelToken) -> tuple[TreePath, int]:
    """The first place of a cause that is in the project and still as it was built. Raises MisuseError without one."""
    view = build(ground, crossing, token)
    errors = (error for item in view.causes if f"cause:{item.cause.key}" == key for error in item.cause.errors)
    place = next(
        (error.place for error in errors if error.place.line > 0 and error.place.file in ground.manifest.files), None
    )
    if place is None:
        raise MisuseError(f"{key} has no place in the project that could be set aside")
    return TreePath(place.file), place.line


def _plugin(ground: Ground, id: str) -> Plugin:
    found = next((item for item in ground.plugins if item.id == id), None)
    if found is None:
        raise MisuseError(f"there is no plugin {id}")
    return found


def _record(crossing: Crossing, taken: Taken) -> None:
    """A decision that writes nothing by itself: how lines are merged, what is left as it is."""
    decided = _decision(taken)
    stage = decided.stage
    crossing.decide(decided)
    # Merge decisions stand in the ledger, and a tick beside a note is no step of the way.
    if stage is not Stage.PLUGINS and not taken.key.startswith("note:"):
        words = taken.words or f"{taken.key} · {taken.option or _LEFT}"
        note(crossing, stage, f"decided: {words}", taken.why, taken.key)


def _decision(taken: Taken) -> Decision:
    return Decision(taken.key, stage_of(taken.key), taken.option, taken.text, taken.who, taken.why, time.time())


def in_words(item: Item, id: str) -> str:
    """A item and the way it was settled, for the logbook."""
    return f"{item.title} · {option_title(item, id) or _LEFT}"


def option_title(open_item: Item, id: str) -> str:
    """The title of an option of an item, or its id where it is not among them."""
    return next((item.title for item in open_item.options if item.id == id), id)
