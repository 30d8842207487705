"""A whole crossing on an engine nobody here wrote a line of core for, and the way back."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest

from fernshale.core.base.errors import ChangedUnderneath, MisuseError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.flow.actions import apply_confident_fixes, carry_out
from fernshale.core.crossing.flow.autopilot import cross
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import AnotherActs, Crossing, EntryText, all_crossings, find_crossing
from fernshale.core.crossing.record.decisions import Decision, Recorded
from fernshale.core.crossing.record.facts import START
from fernshale.core.crossing.record.logbook import (
    CannotUndo,
    go_back_to,
    preview_back_to,
    recover_interrupted,
    redo,
    restore_snapshot,
    undo,
    write_step,
)
from fernshale.core.crossing.record.stage import STAGES, Stage, StageState
from fernshale.core.crossing.record.trust import TrustNeeded, is_trusted
from fernshale.core.crossing.reporting.data import report_data
from fernshale.core.crossing.reporting.markdown import report_markdown
from fernshale.core.crossing.stages.build.actions import UseRuleAt
from fernshale.core.crossing.stages.overview import Overview, has_changed, inspect
from fernshale.core.profile.read import read_profile
from fernshale.core.snapshot.manifest import digest_of
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import begin_wick, make_wick


def _look(crossing: Crossing) -> Overview:
    return inspect(crossing, Work())


def _take(crossing: Crossing, key: str, way: str) -> list[str]:
    lines: list[str] = []
    act(crossing, key, way, who="you", work=Work(on_line=lines.append))
    return lines


def _cross(crossing: Crossing, recorded: dict[str, Recorded] | None = None) -> Overview:
    return cross(
        crossing,
        recorded or {},
        lambda step: None,
        lambda stage, overview: None,
        Work(),
    )


def test_whole_crossing_and_back_to_identical_bytes(tree: Tree, token: CancelToken) -> None:
    wick, crossing = begin_wick(tree)
    before = listing(wick.project)
    overview = _cross(crossing)
    assert overview.is_done and set(overview.states.values()) == {StageState.CLEAR}
    assert (wick.project / "candle.ini").read_text() == "; the game\nwick = 2.0   ; engine\n"
    assert (wick.project / "game.py").read_text() == "import wick\n\nwick.ignite()  # light_up\n"
    merged = (wick.project / "addons/snuffer/snuffer.py").read_text()
    assert "step_0 = 'mine'" in merged and "step_8 = 80" in merged
    assert [item.total for item in overview.build.rounds] == [3, 0]
    data = report_data(overview, crossing)
    assert data["done"] and data["ledgers"]["snuffer"]["carried"] == 1 and data["left"] == []
    assert "1 = 1 kept + 0 already in the new release" in report_markdown(report_data(overview, crossing))
    preview = preview_back_to(crossing, 1)
    expected = {item.path: item.after.content if item.after else None for item in preview.changes.files}
    assert preview.is_exact and {"candle.ini", "game.py"} <= set(expected)
    went = go_back_to(crossing, 1, Work(token=token))
    assert listing(wick.project) == before and went.steps >= 3 and not went.kept
    for path, content in expected.items():
        place = wick.project / path
        assert (digest_of(place.read_bytes()) if place.exists() else None) == content
    assert preview_back_to(crossing, 1).changes.is_empty
    assert _look(crossing).states[Stage.PLUGINS] is StageState.IN_HAND or _look(crossing).items


def test_a_baseline_is_offered_only_before_the_project_is_moved(tree: Tree) -> None:
    _, crossing = begin_wick(tree)

    def ways() -> list[str]:
        open_item = next(item for item in inspect(crossing, Work()).items if item.key == "survey:baseline")
        return [way.id for way in open_item.options]

    assert ways() == ["take", "without"]
    _take(crossing, "engine:sites", "apply")
    assert ways() == ["without"]


def test_opening_runs_nothing_and_writes_nothing(tree: Tree, token: CancelToken) -> None:
    wick = make_wick(tree)
    before = listing(wick.project)
    profile = read_profile(wick.profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work(token=token))
    assert not is_trusted(profile) and listing(wick.project) == before
    with pytest.raises(TrustNeeded):
        _take(crossing, "survey:baseline", "take")
    assert listing(wick.project) == before
    resumed = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work(token=token))
    assert resumed.folder == crossing.folder == find_crossing(wick.project).folder  # type: ignore[union-attr]
    assert [item.setup.project for item in all_crossings()] == [wick.project.resolve()]


def test_changed_profile_has_to_be_trusted_anew(tree: Tree) -> None:
    wick, crossing = begin_wick(tree)
    _take(crossing, "build:run", "build")
    wick.profile.write_text(wick.profile.read_text() + "# changed\n")
    with pytest.raises(TrustNeeded):
        _take(crossing, "build:run", "build")


def _until_build(tree: Tree) -> tuple[Path, Crossing]:
    wick, crossing = begin_wick(tree)
    _take(crossing, "plugin:snuffer", "take")
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    return wick.project, crossing


def test_fix_here_in_file_and_everywhere(tree: Tree, token: CancelToken) -> None:
    project, crossing = _until_build(tree)
    overview = _look(crossing)
    (cause,) = overview.build.causes
    fix = cause.fixes[0]
    assert (cause.cause.count, fix.clears, len(fix.edits), fix.is_automatic) == (3, 3, 3, True)
    place = next(edit for edit in fix.edits if edit.path == "more.py")
    here = UseRuleAt(fix.rule.id, "here", place.path, place.line, place.start)
    carry_out(crossing, here, Author("you"), Work(token=token))
    assert (project / "more.py").read_text().count("ignite") == 1
    left = _look(crossing).build.causes[0]
    assert left.open == 2 and left.fixes[0].clears == 2
    assert apply_confident_fixes(crossing, Author("you"), Work(token=token)) == 1
    assert "light_up()" not in (project / "more.py").read_text() + (project / "game.py").read_text()
    assert _look(crossing).build.is_stale
    _take(crossing, "build:run", "build")
    assert _look(crossing).build.passed


def test_errors_keep_their_place_when_lines_move(tree: Tree) -> None:
    project, crossing = _until_build(tree)
    text = (project / "more.py").read_text()
    (project / "more.py").write_text("# one\n# two\n" + text.replace("    wick.light_up()\n", "    wick.quench()\n", 1))
    (cause,) = _look(crossing).build.causes
    places = {(error.place.file, error.place.line) for error in cause.cause.errors}
    # The untouched line moved down by two, the edited one is settled until the next build.
    assert ("more.py", 8) in places and ("more.py", 0) in places and cause.open == 2


def test_edit_made_outside_is_noticed(tree: Tree, token: CancelToken) -> None:
    project, crossing = _until_build(tree)
    overview = _look(crossing)
    assert not has_changed(overview, token) and not overview.build.is_stale
    (project / "game.py").write_text("import wick\n\nwick.ignite()\n")
    assert has_changed(overview, token)
    assert any(item.key == "build:run" for item in _look(crossing).build.items)


def test_undo_says_what_stands_in_the_way(tree: Tree, token: CancelToken) -> None:
    project, crossing = _until_build(tree)
    first = next(entry for entry in crossing.logbook() if entry.about == "engine")
    (project / "candle.ini").write_text("wick = 2.0 ; by hand\n")
    with pytest.raises(CannotUndo, match=r"candle\.ini: line 1 changed since \(outside Fernshale"):
        undo(crossing, first.id, Work(token=token))
    draft = Draft(project)
    draft.write("candle.ini", b"wick = 2.0\n")
    write_step(crossing, EntryText(Stage.ENGINE, "a later step"), draft.change_set(), Work(token=token))
    with pytest.raises(CannotUndo, match="a later step"):
        undo(crossing, first.id, Work(token=token))


def test_undone_plugin_gives_its_decisions_back(tree: Tree, token: CancelToken) -> None:
    project, crossing = _until_build(tree)
    entry = next(item for item in crossing.logbook() if item.about == "plugin addons/snuffer")
    undo(crossing, entry.id, Work(token=token))
    view = _look(crossing).plugins.plugins[0]
    assert not view.done and view.merge is not None
    assert "step_8 = 8\n" in (project / "addons/snuffer/snuffer.py").read_text()


def test_snapshot_comes_back_as_a_step_of_its_own(tree: Tree, token: CancelToken) -> None:
    project, crossing = _until_build(tree)
    changed = listing(project)
    start = crossing.read(START)
    entry = restore_snapshot(crossing, start, ("game.py", "candle.ini"), Work(token=token))
    assert (project / "candle.ini").read_text().startswith("; the game\nwick = 1.4")
    undo(crossing, entry, Work(token=token))
    assert listing(project) == changed


def test_kill_between_entry_and_journal_is_settled(tree: Tree) -> None:
    project, crossing = _until_build(tree)
    draft = Draft(project)
    draft.write("game.py", b"new\n")
    changes = draft.change_set()
    id = crossing.write_entry(EntryText(Stage.BUILD, "killed"), "", changes, "pending")
    recover_interrupted(crossing)
    assert id not in [entry.id for entry in crossing.logbook()]


def test_two_processes_do_not_act_at_once(tree: Tree) -> None:
    _, crossing = begin_wick(tree)
    with crossing.acting(), pytest.raises(AnotherActs, match="another Fernshale"):
        _take(crossing, "build:run", "build")


def test_command_that_writes_into_the_project_is_a_step(tree: Tree, token: CancelToken) -> None:
    wick = make_wick(tree)
    text = wick.profile.read_text().replace(
        '"{engine}/check.py", "{project}"', "\"-c\", \"open('made.txt', 'w').write('x')\""
    )
    wick.profile.write_text(text)
    _, crossing = begin_wick_again(wick)
    before = listing(wick.project)
    _take(crossing, "build:run", "build")
    entry = next(item for item in crossing.logbook() if item.changes is not None)
    assert (wick.project / "made.txt").exists()
    undo(crossing, entry.id, Work(token=token))
    assert listing(wick.project) == before


def begin_wick_again(wick):
    from fernshale.core.crossing.record.trust import trust

    profile = read_profile(wick.profile)
    trust(profile)
    return wick, begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())


def test_plugin_with_nothing_for_the_target_needs_a_decision(tree: Tree) -> None:
    wick = make_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(shelf.read_text().replace('accepts = ">=2, <3"', 'accepts = ">=7"'))
    _, crossing = begin_wick_again(wick)
    overview = _cross(crossing)
    assert overview.states[Stage.ROUTE] is StageState.NEEDS_YOU
    assert [item.key for item in overview.route.items] == ["route:2.0:snuffer"]
    _take(crossing, "route:2.0:snuffer", "keep")
    assert _cross(crossing).is_done


def test_conflict_waits_and_a_recorded_decision_settles_it(tree: Tree) -> None:
    wick = make_wick(tree)
    addon = wick.project / "addons/snuffer/snuffer.py"
    addon.write_text(addon.read_text().replace("step_8 = 8", "step_8 = 'mine'"))
    _, crossing = begin_wick_again(wick)
    overview = _cross(crossing)
    conflict = next(item for item in overview.plugins.items if item.key.startswith("merge:"))
    with pytest.raises(MisuseError, match="1 conflicts are open"):
        _take(crossing, "plugin:snuffer", "take")
    overview = _cross(crossing, {conflict.key: Recorded(conflict.key, "mine", "ours is better")})
    assert overview.is_done and "step_8 = 'mine'" in addon.read_text()
    assert crossing.decisions()[conflict.key].why == "ours is better"


def test_an_undone_step_is_done_again_unless_something_stands_in_the_way(tree: Tree, token: CancelToken) -> None:
    wick, crossing = begin_wick(tree)
    assert _cross(crossing).is_done
    after = listing(wick.project)
    entry = next(item for item in crossing.logbook() if item.about == "engine")
    undo(crossing, entry.id, Work(token=token))
    assert "1.4" in (wick.project / "candle.ini").read_text()
    redo(crossing, entry.id, Work(token=token))
    assert listing(wick.project) == after and _look(crossing).is_done
    with pytest.raises(CannotUndo, match="was not undone"):
        redo(crossing, entry.id, Work(token=token))
    undo(crossing, entry.id, Work(token=token))
    (wick.project / "candle.ini").write_text("mine\n")
    with pytest.raises(CannotUndo, match=r"candle\.ini: line 1 changed since \(outside Fernshale"):
        redo(crossing, entry.id, Work(token=token))
    assert (wick.project / "candle.ini").read_text() == "mine\n"


def test_stages_are_in_the_order_of_the_way() -> None:
    assert [stage.value for stage in STAGES] == ["Survey", "Route", "Plugins", "Engine", "Build", "Links", "Trial"]


def test_a_step_that_is_refused_leaves_earlier_decisions_alone(tree: Tree) -> None:
    wick, crossing = begin_wick(tree)
    left = Decision("expect:door", Stage.LINKS, "", "", "you", "it is never shut", 1.0)
    crossing.decide(left)
    draft = Draft(wick.project)
    draft.write(TreePath("game.py"), b"import wick\n")
    changes = draft.change_set()
    (wick.project / "game.py").write_text("changed meanwhile\n")
    mended = replace(left, choice="mend", why="it is now")
    with pytest.raises(ChangedUnderneath):
        write_step(crossing, EntryText(Stage.LINKS, "doors"), changes, Work(), [mended])
    assert crossing.decisions() == {"expect:door": left}
    draft = Draft(wick.project)
    draft.write(TreePath("game.py"), b"import wick\n")
    done = write_step(crossing, EntryText(Stage.LINKS, "doors"), draft.change_set(), Work(), [mended])
    assert crossing.decisions() == {"expect:door": replace(mended, entry=done)}
