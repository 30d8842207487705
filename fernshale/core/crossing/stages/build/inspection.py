"""Inspect the last round: causes, fixes, silent changes, debts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from fernshale.core.base.confidence import OLD_DEFAULT
from fernshale.core.base.texts import tr, tr_kept
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.build.causes import Cause
from fernshale.core.build.message_patterns import HEADER
from fernshale.core.build.owners import Owned, all_places
from fernshale.core.build.round_history import cause_states
from fernshale.core.crossing.deferred.code import find_debts
from fernshale.core.crossing.deferred.plugins import has_file, left_out_files
from fernshale.core.crossing.project.freshness import fingerprint
from fernshale.core.crossing.project.interface_changes import used_changes
from fernshale.core.crossing.project.scan import ProjectScan, known_engine_folder
from fernshale.core.crossing.project.source_texts import read_texts
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.fix_settings import NEVER, automatic_from, put_off
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.last_build import LAST_BUILD, ROUNDS
from fernshale.core.crossing.rules.search import find_all_edits
from fernshale.core.crossing.rules.sources import learned_rules, leg_rules
from fernshale.core.crossing.stages.build.attempts import ATTEMPTS, with_verdicts
from fernshale.core.crossing.stages.build.build_runs import NOT_BUILT
from fernshale.core.crossing.stages.build.changed_results import result_items
from fernshale.core.crossing.stages.build.changed_types import with_other_types
from fernshale.core.crossing.stages.build.compiler_suggestions import with_hints
from fernshale.core.crossing.stages.build.fix_search import FixSearch
from fernshale.core.crossing.stages.build.gone_imports import with_gone_imports
from fernshale.core.crossing.stages.build.handled import handled_causes
from fernshale.core.crossing.stages.build.hidden_fields import with_accessors
from fernshale.core.crossing.stages.build.items import (
    DEFAULT,
    cause_items,
    default_items,
    default_key,
    gone_items,
    no_build,
    pinning_rule,
    silent_items,
)
from fernshale.core.crossing.stages.build.last_errors import last_errors
from fernshale.core.crossing.stages.build.learned import learn_from_changes
from fernshale.core.crossing.stages.build.live_rules import live_rules
from fernshale.core.crossing.stages.build.member_collisions import (
    Clash,
    clash_items,
    find_clashes,
    reported_clashes,
    with_renamed_members,
)
from fernshale.core.crossing.stages.build.missing_imports import with_imports
from fernshale.core.crossing.stages.build.silent_fixes import silent_fixes, unchecked_fixes
from fernshale.core.crossing.stages.build.suggested_changes import with_suggested_changes
from fernshale.core.crossing.stages.build.type_annotations import with_declared
from fernshale.core.crossing.stages.build.values_in_scope import with_values_in_scope
from fernshale.core.crossing.stages.build.view import BuildView, CauseView, Fix, files_with_errors
from fernshale.core.fix.rules import Rule
from fernshale.core.inference.from_api_diff import symbols_named
from fernshale.core.profile.model import Role
from fernshale.core.survey.roles import CODE_ROLES, role_of


def inspect_build(scan: ProjectScan, crossing: Crossing, token: CancelToken) -> BuildView:
    """Compare the last round with the tree as it is now. Runs nothing. Raises Cancelled."""
    rounds = crossing.read(ROUNDS)
    last = crossing.read(LAST_BUILD) if rounds else None
    rules = leg_rules(scan, crossing, Work(token=token))
    texts = read_texts(scan, token) if rules.changes else None
    release = known_engine_folder(scan, crossing.setup.to)
    clashes = tuple(find_clashes(scan, crossing, rules.changes, texts)) if texts else ()
    is_built = last is not None and last.release == crossing.setup.to
    causes: tuple[Cause, ...] = ()
    reported: tuple[Clash, ...] = ()
    before: tuple[Owned, ...] = ()
    shape = near = None
    if last is not None and is_built:
        found = last_errors(scan, crossing, last, token)
        causes, before, shape, near = found.causes, found.before, found.shape, found.near
        learned = learn_from_changes(scan, crossing, last.snapshot, causes)
        rules = rules.with_learned((*learned, *learned_rules(crossing)))
        rules = with_hints(rules, causes, release)
        rules = with_suggested_changes(rules, causes, scan, shape)
        rules = with_imports(rules, causes, scan, crossing.setup.to, token)
        rules = with_gone_imports(rules, causes, scan)
        rules = with_declared(rules, causes, scan, release)
        reported = reported_clashes(causes, clashes)
        rules = with_renamed_members(rules, reported)
        rules = with_values_in_scope(rules, causes, scan)
        rules = with_other_types(rules, causes, scan, (crossing.setup.from_, crossing.setup.to), token)
        rules = with_accessors(rules, causes, scan, (crossing.setup.from_, crossing.setup.to))
    places = [all_places(error.diagnostic, near) for cause in causes for error in cause.errors] if near else []
    can_build, decided = scan.profile.commands.build is not None, crossing.decisions()
    live, edits = live_rules(rules, {place.file for listed in places for place in listed}, causes, scan, decided, token)
    far, later = automatic_from(crossing), put_off(crossing)
    quiet = [
        *silent_fixes(rules, edits, scan, far),
        *([] if can_build else unchecked_fixes(rules, scan, far, token)),
    ]
    silent = tuple(fix for fix in quiet if decided.keys().isdisjoint((f"fix:{fix.rule.id}", f"silent:{fix.rule.id}")))
    names = {f"silent:{fix.rule.id}": tr_kept(fix.rule.name) for fix in quiet}
    noted = [key for key, item in decided.items() if item.choice == "noted"]
    right = tuple(
        (key, names.get(key, key.removeprefix(DEFAULT))) for key in noted if key in names or key.startswith(DEFAULT)
    )
    drift = used_changes(rules.changes, texts.used, texts.declared) if texts else ()
    defaults = tuple(default_items(scan, drift, texts, decided)) if texts else ()
    defaults += tuple(result_items(scan, drift, texts, decided)) if texts else ()
    quiet_clashes = [clash for clash in clashes if clash not in reported]
    defaults += tuple(clash_items(quiet_clashes, decided))
    if texts and not can_build:
        mended = symbols_named([fix.rule for fix in quiet])
        defaults = (*defaults, *gone_items(scan, drift, texts, mended, decided))
    keeping = {default_key(item.change): pinning_rule(item.change) for item in drift}
    keeping |= {clash.key: clash.rule for clash in quiet_clashes}
    pins = _pins(scan, keeping, defaults, far, token)
    if last is None or shape is None or near is None:
        items = (*(no_build() if can_build else ()), *silent_items(silent, can_build), *defaults)
        # Where nothing is built, all is well once nothing is open.
        passed = not can_build and not items
        return BuildView(
            rounds, (), silent, drift, find_debts(crossing), can_build, passed, items, far, defaults, pins, right
        )
    is_stale = last.fingerprint != fingerprint(crossing, scan, NOT_BUILT)
    states, gone = cause_states(rounds), left_out_files(crossing)
    views = []
    attempts = crossing.read(ATTEMPTS)
    verdicts = {(item.cause, item.rule): item for item in attempts.found if attempts.log == last.log}
    handled = handled_causes(crossing, rounds[-1].number) if rounds else {}
    searching = FixSearch(live, rules, edits, shape, near, scan)
    for cause in causes:
        is_later = cause.key in later
        fixes, refused = searching.find(cause, NEVER if is_later else far)
        # Other candidates are not offered before the next build has tried the one that was applied.
        handled_by = handled.get(cause.key, "") if is_stale else ""
        fixes = with_verdicts(cause.key, fixes, verdicts) if not handled_by else ()
        left_out = "" if fixes or handled_by else _left_out_plugin(cause, gone)
        open_ = _count_open(cause)
        is_settled = bool(handled_by) or (is_stale and not fixes and not open_)
        state = states.get(cause.key, "new")
        no_code = None if fixes else _without_code(cause, scan)
        views.append(
            CauseView(cause, fixes, open_, state, is_later, left_out, is_settled, refused, handled_by, no_code)
        )
    # A rule that an error leads to is not silent.
    told = {fix.rule.id for view in views for fix in view.fixes}
    silent = tuple(fix for fix in silent if fix.rule.id not in told)
    passed = last.passed
    items = (*cause_items(views, is_stale, passed), *silent_items(silent, True, files_with_errors(views)), *defaults)
    shown = tuple(views), silent, drift, find_debts(crossing)
    return BuildView(rounds, *shown, is_stale, passed and not is_stale, items, far, defaults, pins, right, before)


def _left_out_plugin(cause: Cause, gone: Mapping[str, Sequence[TreePath]]) -> str:
    """The left-out plugin that declared the header or name that a cause misses."""
    for id, files in gone.items():
        if id in (cause.symbol, cause.scope) or (cause.kind == HEADER and has_file(files, cause.symbol)):
            return id
    return ""


def _without_code(cause: Cause, scan: ProjectScan) -> tuple[str, Role] | None:
    """A file with errors of a cause, and its role, if the role of none of its files is one for code."""
    files = [file for file in cause.files if file in scan.manifest.files]
    roles = [role_of(scan.profile, file).role for file in files]
    return None if not files or any(role in CODE_ROLES for role in roles) else (files[0], roles[0])


def _count_open(cause: Cause) -> int:
    return sum(not error.diagnostic.place.line or error.place.line > 0 for error in cause.errors)


def _pins(
    scan: ProjectScan, keeping: Mapping[str, Rule | None], defaults: Sequence[Item], far: float, token: CancelToken
) -> dict[str, Fix]:
    """By the key of their item, the fixes that keep the old meaning; `keeping` are their rules by that key."""
    keys = {open_item.key for open_item in defaults}
    rules = {key: rule for key, rule in keeping.items() if key in keys and rule is not None}
    edits = find_all_edits(scan, list(rules.values()), token)
    found = {}
    for key, rule in rules.items():
        own = tuple(edit for edit in edits[rule.id] if role_of(scan.profile, edit.path).role == "own")
        if own:
            found[key] = Fix(rule, tr("it keeps the old meaning"), own, (), (), 0, OLD_DEFAULT, far)
    return found
