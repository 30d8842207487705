"""Build: rounds of building, causes, and fixes that are applied once and everywhere."""

from __future__ import annotations

import re
import time
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache, partial
from pathlib import Path
from typing import Literal

from fernshale.core.base.errors import MisuseError, StoreError
from fernshale.core.base.globs import matches
from fernshale.core.base.patterns import search
from fernshale.core.base.textfile import read_text
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.words import count, seconds
from fernshale.core.base.work import CancelToken, Progress, no_progress
from fernshale.core.build.causes import Cause, LineOf, find_causes, last_name
from fernshale.core.build.diagnostics import Diagnostic, Place
from fernshale.core.build.owners import Ground as BuildGround
from fernshale.core.build.owners import Owned, all_places, find_owners
from fernshale.core.build.paths import ProjectFiles
from fernshale.core.build.reading import read_log
from fernshale.core.build.rounds import Round, cause_states, count_round
from fernshale.core.build.wordings import CALL, HEADER, MISSING
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.aside import files_aside, has_file
from fernshale.core.crossing.buildmatters import (
    PIN,
    cause_matters,
    default_key,
    default_matters,
    no_build,
    pinning_rule,
    silent_matters,
)
from fernshale.core.crossing.buildview import BuildView, CauseView, Fix, Scope
from fernshale.core.crossing.commands import OnLine, run_profile_command
from fernshale.core.crossing.debts import find_debts
from fernshale.core.crossing.drifting import Used, used_changes
from fernshale.core.crossing.ground import Ground, engine_folder
from fernshale.core.crossing.hinted import with_hints
from fernshale.core.crossing.learning import learn_from_changes
from fernshale.core.crossing.logbook import note, write_step
from fernshale.core.crossing.matter import Decision, Matter, Stage
from fernshale.core.crossing.pace import NEVER, put_off, sure_from
from fernshale.core.crossing.rules import LEARNED, LegRules, keep_rules, leg_rules
from fernshale.core.crossing.ruling import find_all_edits
from fernshale.core.crossing.stages.engine import regenerate
from fernshale.core.crossing.state import Crossing
from fernshale.core.crossing.texts import read_texts
from fernshale.core.fix.apply import Edit, apply_edits
from fernshale.core.fix.expression import expression_lines
from fernshale.core.fix.rules import Rule
from fernshale.core.merge.align import align_lines, counterparts, equal_lines
from fernshale.core.merge.spelling import read_lines
from fernshale.core.profile.model import Role
from fernshale.core.snapshot.manifest import EMPTY, Manifest
from fernshale.core.survey.roles import role_of
from fernshale.core.survey.sites import read_project_text

# Kinds of rules that are followed in assets, which is the business of Links.
_OF_LINKS = ("rename-id", "data")
# Assets are read by the running game; a change of theirs needs another trial, not another build.
_NOT_BUILT: tuple[Role, ...] = ("generated", "asset")
# What a match is worth: a rule that names the symbol the compiler names, or one that only stands on the same line.
_BY_SYMBOL, _BY_LINE = 0.99, 0.6


def build(ground: Ground, crossing: Crossing, token: CancelToken) -> BuildView:
    """Look at the last round against the tree as it is; runs nothing."""
    rounds = tuple(Round.from_json(item) for item in crossing.leg_fact("rounds") or ())
    last = crossing.leg_fact("last build") if rounds else None
    rules = leg_rules(ground, crossing, no_progress, token)
    is_built = last is not None and last["release"] == crossing.setup.to
    causes: tuple[Cause, ...] = ()
    shape = None
    if last is not None and is_built:
        shape = _build_ground(ground, crossing, last["snapshot"])
        causes = find_causes(find_owners(_read_log(Path(last["log"]), ground), shape), _line_reader(ground))
        learned = learn_from_changes(ground, crossing, last["snapshot"], causes)
        rules = with_hints(rules.with_learned(learned), causes)
    near = shape.near() if shape is not None else None
    places = [all_places(error.diagnostic, near) for cause in causes for error in cause.errors] if near else []
    live, edits = _live_rules(rules, {place.file for listed in places for place in listed}, causes, ground, token)
    far, later = sure_from(crossing), put_off(crossing)
    silent = tuple(fix for fix in _silent(rules, edits, far) if f"fix:{fix.rule.id}" not in crossing.decisions())
    texts = read_texts(ground, token) if rules.changes else None
    drift = used_changes(rules.changes, texts.used) if texts else ()
    defaults = tuple(default_matters(ground, drift, texts, crossing.decisions())) if texts else ()
    pins = _pins(ground, drift, defaults, far, token)
    if last is None or near is None:
        matters = (*no_build(), *silent_matters(silent), *defaults)
        return BuildView(rounds, (), silent, drift, find_debts(crossing), True, False, matters, far, defaults, pins)
    is_stale = last["fingerprint"] != ground.fingerprint(_NOT_BUILT)
    states, gone = cause_states(rounds), files_aside(crossing)
    views = []
    for cause in causes:
        is_later = cause.key in later
        fixes = _find_fixes(cause, live, rules, edits, near, ground, NEVER if is_later else far)
        aside = "" if fixes else _aside_of(cause, gone)
        open_ = _count_open(cause)
        is_settled = is_stale and not fixes and not open_
        views.append(CauseView(cause, fixes, open_, states.get(cause.key, "new"), is_later, aside, is_settled))
    passed = bool(last["passed"])
    matters = (*cause_matters(views, is_stale, passed), *silent_matters(silent), *defaults)
    found = tuple(views), silent, drift, find_debts(crossing)
    return BuildView(rounds, *found, is_stale, passed and not is_stale, matters, far, defaults, pins)


def run_round(crossing: Crossing, ground: Ground, on_line: OnLine, progress: Progress, token: CancelToken) -> Round:
    """Build once and keep what was learned. Raises TrustNeeded, CommandError, Cancelled."""
    earlier = [Round.from_json(item) for item in crossing.leg_fact("rounds") or ()]
    number = len(earlier) + 1
    progress(f"round {number}", 0, 0)
    finished = run_profile_command(crossing, ground, "build", Stage.BUILD, f"round {number}", on_line, progress, token)
    log = Path(crossing.fact("log build"))
    owned = find_owners(_read_log(log, ground), _build_ground(ground, crossing, ""))
    passed = finished.status == 0
    causes = find_causes(owned, _line_reader(ground))
    done = count_round(number, passed, finished.elapsed_s, owned, causes)
    crossing.keep_leg_fact("rounds", [item.to_json() for item in (*earlier, done)])
    crossing.keep_leg_fact("last build",
        {
            "log": str(log),
            "passed": passed,
            "fingerprint": ground.fingerprint(_NOT_BUILT),
            "release": ground.release,
            "snapshot": crossing.fact("snapshot"),
        },
    )
    words = (
        f"{count(done.total, 'error')} from {count(len(done.causes), 'cause')}" if not passed else "compiles and links"
    )
    note(crossing, Stage.BUILD, f"round {number} · {words} · {seconds(finished.elapsed_s)}", "", "round")
    return done


def apply_fix(
    crossing: Crossing,
    ground: Ground,
    fix: Fix,
    scope: Scope,
    at: Edit | None,
    who: str,
    on_line: OnLine,
    progress: Progress,
    token: CancelToken,
    decided: Sequence[Decision] = (),
) -> int:
    """Apply a fix here, in one file or everywhere; the logbook entry's id. `at` says where "here" is.

    `decided` is kept with it, beside the decision for the fix.
    """
    edits = select_edits(fix, scope, at)
    draft = Draft(ground.project)
    for path in fix.removes if scope == "everywhere" else ():
        draft.delete(path)
    for path, group in group_edits(edits).items():
        file = read_project_text(ground.project, path)
        draft.write(path, file.with_text(apply_edits(file.text, group)).encode())
    changes = draft.change_set()
    if changes.is_empty:
        raise MisuseError(f"{fix.rule.name}: nothing is left to change there")
    files = count(len(changes.files), "file")
    places = f"{count(len(edits), 'place')} in {files}" if edits else f"{files} removed"
    title = f"{fix.rule.name} · {places}"
    about = f"{'silent' if fix.rule.silent else 'fix'} {fix.rule.id}"
    key = f"fix:{fix.rule.id}" if scope == "everywhere" or at is None else f"fix:{fix.rule.id}:{at.path}:{at.line}"
    kept = (Decision(key, Stage.BUILD, scope, "", who, fix.rule.why, time.time()), *decided)
    entry = write_step(crossing, Stage.BUILD, title, fix.rule.why, about, changes, progress, token, kept)
    if fix.rule.id.startswith(LEARNED):
        keep_rules(crossing, [fix.rule])
    if fix.removes:
        regenerate(crossing, on_line, progress, token)
    return entry


def select_edits(fix: Fix, scope: Scope, at: Edit | None) -> tuple[Edit, ...]:
    """The edits of a fix within a scope around `at`."""
    if scope == "everywhere":
        return fix.edits
    if at is None:
        raise MisuseError("say where the fix is to be applied")
    return tuple(edit for edit in fix.edits if edit.path == at.path and (scope == "file" or edit == at))


def group_edits(edits: Sequence[Edit]) -> dict[TreePath, list[Edit]]:
    """Edits by file."""
    groups: dict[TreePath, list[Edit]] = {}
    for edit in edits:
        groups.setdefault(edit.path, []).append(edit)
    return groups


def diagnose(
    log: bytes, ground: Ground | None, shape: BuildGround | None
) -> tuple[tuple[Owned, ...], tuple[Cause, ...]]:
    """Diagnostics with owners, and causes, of any log. Without a project everything is "own"."""
    patterns = ground.profile.diagnostic if ground else ()
    found = read_log(log, patterns)
    if ground is None or shape is None:
        owned = tuple(Owned(item, "own", item.place) for item in found)
        return owned, find_causes(owned)
    owned = find_owners(found, shape)
    return owned, find_causes(owned, _line_reader(ground))


def plain_ground(ground: Ground) -> BuildGround:
    """Where things lie, for a log that belongs to no crossing."""
    plugins = tuple((item.id, item.folder) for item in ground.plugins)
    return BuildGround(
        ground.project,
        project_files(ground),
        None,
        (),
        plugins,
        lambda path: role_of(ground.profile, path).role,
        lambda path, line: line,
    )


def project_files(ground: Ground) -> ProjectFiles:
    """The project's files by the ends of their paths; kept with the manifest they are of."""
    manifest = ground.manifest
    return manifest.derived("project files", lambda: ProjectFiles(ground.project, manifest.files))


def _line_reader(ground: Ground) -> LineOf:
    """The text of a line of the project as it is now, "" where there is none."""
    lines: dict[str, list[str]] = {}

    def line_of(file: str, line: int) -> str:
        if file not in lines:
            known = file in ground.manifest.files
            lines[file] = (ground.read(TreePath(file)) or "").split("\n") if known else []
        return lines[file][line - 1] if 0 < line <= len(lines[file]) else ""

    return line_of


@dataclass(frozen=True, slots=True)
class _Shape(BuildGround):
    """`line_near` tells also where a line stands that was changed: one fix may leave another's place on it."""

    line_near: Callable[[str, int], int]

    def near(self) -> BuildGround:
        return replace(self, line_now=self.line_near)


def _build_ground(ground: Ground, crossing: Crossing, snapshot: str) -> _Shape:
    """`snapshot` is of the tree that was built; "" for the tree as it is."""
    plugins = tuple((item.id, item.folder) for item in ground.plugins)
    engine = engine_folder(ground, ground.release)
    scratch = (crossing.folder.resolve(),)
    lines = _LinesNow(ground, crossing, snapshot) if snapshot else None
    return _Shape(
        ground.project,
        project_files(ground),
        engine,
        scratch,
        plugins,
        lambda path: role_of(ground.profile, path).role,
        lines.line_now if lines else lambda path, line: line,
        lines.line_near if lines else lambda path, line: line,
    )


class _LinesNow:
    """Where the lines a build spoke of stand by now; each changed file is aligned once."""

    def __init__(self, ground: Ground, crossing: Crossing, snapshot: str) -> None:
        self._ground, self._crossing = ground, crossing
        try:
            self._built: Manifest = crossing.store.manifest(snapshot)
        except StoreError:
            self._built = EMPTY  # then lines are taken to be where they were
        self._known: dict[str, tuple[dict[int, int], dict[int, int]] | None] = {}

    def line_now(self, path: str, line: int) -> int:
        """1-based, 0 when the line was changed."""
        return self._find(path, line, 0)

    def line_near(self, path: str, line: int) -> int:
        """As `line_now`, but a line that was changed in its place is where it was."""
        return self._find(path, line, 1)

    def _find(self, path: str, line: int, which: Literal[0, 1]) -> int:
        if path not in self._known:
            self._known[path] = self._align(TreePath(path))
        known = self._known[path]
        return line if known is None else known[which].get(line - 1, -1) + 1

    def _align(self, path: TreePath) -> tuple[dict[int, int], dict[int, int]] | None:
        """New line for each kept line, and for each kept or changed one, 0-based; None when the file is as it was built."""
        before, now = self._built.files.get(path), self._ground.manifest.files.get(path)
        if before is None or (now is not None and now.content == before.content):
            return None
        text = self._ground.read(path) if now is not None else ""
        try:
            old = read_text(self._crossing.store.get(before.content))
        except StoreError:
            return None
        if old is None or text is None:
            return None
        old_lines = read_lines(old.text).lines
        hunks = align_lines(old_lines, read_lines(text).lines)
        return equal_lines(hunks, len(old_lines)), counterparts(hunks, len(old_lines))


def _read_log(log: Path, ground: Ground) -> tuple[Diagnostic, ...]:
    try:
        data = log.read_bytes()
    except OSError:
        return ()  # the log was cleared away: the round's numbers are still known, its causes are not
    return read_log(data, ground.profile.diagnostic)


def _live_rules(
    rules: LegRules, files: Collection[str], causes: Sequence[Cause], ground: Ground, token: CancelToken
) -> tuple[tuple[Rule, ...], dict[str, tuple[Edit, ...]]]:
    """The rules that may mend something, with their edits: those that hold in one of the `files` that have errors.

    Comparing two releases gives thousands of rules; only the few that are live are looked for in all files.
    """
    code = [rule for rule in rules.all if rule.kind not in _OF_LINKS]
    near = find_all_edits(ground, code, token, files)
    members = {cause.symbol for cause in causes}

    def goes_far(rule: Rule) -> bool:
        is_member = rule.kind == "add-member" and rule.member in members
        return rule.silent or is_member or (bool(near.get(rule.id)) and not rule.named)

    everywhere = find_all_edits(ground, [rule for rule in code if goes_far(rule)], token)
    edits = {**near, **everywhere}
    return tuple(rule for rule in code if rule.kind == "delete" or edits.get(rule.id)), edits


def _find_fixes(
    cause: Cause, live: Sequence[Rule], rules: LegRules, edits: Mapping[str, tuple[Edit, ...]], shape: BuildGround,
    ground: Ground, far: float,
) -> tuple[Fix, ...]:  # fmt: skip
    """`far` is the confidence from which on they count as sure."""
    lines = [{(place.file, place.line) for place in all_places(error.diagnostic, shape)} for error in cause.errors]
    named = set().union(*lines)
    further = [cache(partial(_expression_at, error.place, ground)) for error in cause.errors]
    fixes = []
    for rule in live:
        message_fits = _message_fits(rule, cause)
        if rule.kind == "delete":
            removes = tuple(path for path in ground.manifest.paths() if matches(rule.files, path))
            if message_fits and removes:
                sure = _BY_SYMBOL * rule.confidence
                fixes.append(Fix(rule, rules.source(rule), (), removes, (), cause.count, sure, far))
            continue
        found = edits.get(rule.id, ())
        if rule.silent or message_fits is False:
            continue
        if rule.named and rule.kind == "rename" and cause.symbol and not _names(rule, cause.symbol):
            continue  # it is for an error that names it, and this one names another
        if rule.kind == "keyword" and cause.kind != CALL:
            continue
        # A member that is missing is named by itself; where it goes may be far from the head of its class.
        is_member = rule.kind == "add-member" and rule.member == cause.symbol
        here = found if is_member else tuple(edit for edit in found if _lines_of(edit) & named)
        places = lines
        if rule.named and cause.kind in (*MISSING, CALL) and _names(rule, cause.symbol):
            # Further down in what begins at the place that was named, where nothing on that line is meant.
            on = set().union(*(_lines_of(edit) for edit in here))
            places = [item if item & on else item | below() for item, below in zip(lines, further, strict=True)]
            within = set().union(*places)
            here = tuple(edit for edit in found if _lines_of(edit) & within)
        if not here:
            continue
        if rule.named:
            found = _near(rule, found, here)
        spots = set().union(*(_lines_of(edit) for edit in here))
        clears = cause.count if is_member else sum(bool(item & spots) for item in places)
        confidence = rule.confidence * (_BY_SYMBOL if message_fits or _names(rule, cause.symbol) else _BY_LINE)
        fixes.append(Fix(rule, rules.source(rule), found, (), here, clears, confidence, far))
    # A rule that merely stands on the same line is for another cause, when one names this very symbol.
    by_symbol = [fix for fix in fixes if _names(fix.rule, cause.symbol) or _message_fits(fix.rule, cause)]
    kept = by_symbol or fixes
    return tuple(sorted(kept, key=lambda fix: (not _is_of(fix.rule, cause), -fix.confidence, -fix.clears, fix.rule.id)))


def _expression_at(place: Place, ground: Ground) -> set[tuple[str, int]]:
    """The lines of the expression that begins at a place."""
    text = ground.read(TreePath(place.file)) if place.line > 0 and place.file in ground.manifest.files else None
    if text is None:
        return set()
    return {(place.file, line) for line in expression_lines(text, place.file, place.line, place.column)}


def _is_of(rule: Rule, cause: Cause) -> bool:
    """Whether a rule is for the very type that the errors are about, or for no type in particular."""
    return not (rule.of and cause.scope) or rule.of.split(".")[-1] == last_name(cause.scope)


def _aside_of(cause: Cause, gone: Mapping[str, Sequence[TreePath]]) -> str:
    """The plugin among those set aside that had what a cause misses: a header of it, or the name it goes by."""
    for id, files in gone.items():
        if id in (cause.symbol, cause.scope) or (cause.kind == HEADER and has_file(files, cause.symbol)):
            return id
    return ""


def _count_open(cause: Cause) -> int:
    return sum(not error.diagnostic.place.line or error.place.line > 0 for error in cause.errors)


def _lines_of(edit: Edit) -> set[tuple[str, int]]:
    """The lines an edit touches; an insertion belongs to the line above, too, where a class or call begins."""
    count = edit.old.count("\n") + 1
    lines = {(str(edit.path), edit.line + offset) for offset in range(count)}
    if edit.start == edit.end:
        # A member goes into a class whose head the compiler names: look back over a few lines of it.
        lines |= {(str(edit.path), edit.line - back) for back in range(1, 12)}
    return lines


def _message_fits(rule: Rule, cause: Cause) -> bool | None:
    """Whether the rule's own pattern finds the cause's message; None when it has none."""
    if not rule.diagnostic:
        return None
    return any(search(rule.diagnostic, error.diagnostic.message) for error in cause.errors)


def _names(rule: Rule, symbol: str) -> bool:
    told = " ".join((rule.old, rule.call, rule.member, rule.pattern))
    if rule.kind == "move" and rule.old.startswith((f"{symbol}.", f"{symbol}::")):
        return True  # what stood in a module that is missing
    if rule.kind == "header" and symbol.endswith(f"/{rule.old}"):
        return True  # a module of a package, by its path in that
    return symbol in {*re.findall(r"[\w/.]+", told), *re.findall(r"\w+", told)}


def _near(rule: Rule, found: Sequence[Edit], here: Sequence[Edit]) -> tuple[Edit, ...]:
    """Where a rule holds whose name alone is not enough: the places that are named, and what follows an import that is."""
    imported = {edit.path for edit in here if rule.kind == "rename" and edit.is_import}
    return tuple(edit for edit in found if edit in here or edit.path in imported)


def _pins(
    ground: Ground, drift: Sequence[Used], defaults: Sequence[Matter], far: float, token: CancelToken
) -> dict[str, Fix]:
    """By the key of their matter, the fixes that write an old default at the calls that leave it out."""
    due = {matter.key for matter in defaults}
    keyed = [(default_key(item.change), pinning_rule(item.change)) for item in drift]
    rules = {key: rule for key, rule in keyed if key in due and rule is not None}
    edits = find_all_edits(ground, list(rules.values()), token)
    found = {}
    for key, rule in rules.items():
        own = tuple(edit for edit in edits[rule.id] if role_of(ground.profile, edit.path).role == "own")
        if own:
            found[key] = Fix(rule, "what the call meant", own, (), (), 0, PIN, far)
    return found


def _silent(rules: LegRules, edits: Mapping[str, tuple[Edit, ...]], far: float) -> list[Fix]:
    return [
        Fix(rule, rules.source(rule), edits[rule.id], (), (), 0, _BY_SYMBOL * rule.confidence, far)
        for rule in rules.all
        if rule.silent and edits.get(rule.id)
    ]
