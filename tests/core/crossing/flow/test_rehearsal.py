"""A rehearsal tries the whole way on a copy: what it says is what a crossing does, and nothing of the user's is written."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.data_folder import cache_folder, home
from fernshale.core.base.errors import Cancelled, MisuseError
from fernshale.core.base.settings import change_settings
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.rehearsal import rehearse as rehearsing
from fernshale.core.crossing.flow.rehearsal.comparison import best_of, comparison_page, comparison_rows, comparison_text
from fernshale.core.crossing.flow.rehearsal.effort import Pace, measure_pace
from fernshale.core.crossing.flow.rehearsal.new_releases import NewRelease, new_releases
from fernshale.core.crossing.flow.rehearsal.outcome import (
    CauseLeft,
    DecisionLeft,
    Outcome,
    PluginOutcome,
    RehearsalPlan,
    read_outcome,
    write_outcome,
)
from fernshale.core.crossing.flow.rehearsal.rehearse import Rehearsed, carry_out_rehearsed, rehearse, releases_of
from fernshale.core.crossing.record.database import all_crossings, find_crossing
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.record.trust import trust
from fernshale.core.profile.read import read_profile
from fernshale.core.snapshot.store import default_store
from tests.conftest import Tree, listing
from tests.wick import Wick, add_release, begin_wick, cross_wick, make_wick

_BUDGET_S = 120.0


def _rehearsed(wick: Wick) -> Rehearsed:
    return Rehearsed(wick.project, read_profile(wick.profile), (str(wick.shelf),))


@pytest.fixture
def wick(tree: Tree) -> Iterator[Wick]:
    """A project with a conflict in its plugin; its profile is trusted."""
    made = make_wick(tree)
    new = made.shelf / "snuffer/2/snuffer.py"
    new.write_text(new.read_text().replace("step_0 = 0", "step_0 = 'vendor'"))
    trust(read_profile(made.profile))
    yield made


def _new(what: Rehearsed) -> tuple[NewRelease, ...]:
    return new_releases(what, releases_of(what))


def _users() -> dict[str, object]:
    """The user's data, without caches."""
    return {
        path: value
        for path, value in listing(home()).items()
        if not path.startswith(("drift", "shelves", "assets", "rehearsals", "log"))
    }


def test_it_says_what_a_crossing_would_do_and_writes_nothing_of_the_users(wick: Wick) -> None:
    (wick.project / ".git").mkdir()
    (wick.project / ".git/HEAD").write_text("ref: refs/heads/main\n")
    project, shelf, users = listing(wick.project), listing(wick.shelf), _users()
    said: list[str] = []
    outcome = rehearse(_rehearsed(wick), RehearsalPlan("2.0"), _BUDGET_S, Work(on_line=said.append))
    assert (listing(wick.project), listing(wick.shelf), _users()) == (project, shelf, users)
    assert outcome.ending == "left" and outcome.reached == "2.0" and outcome.is_whole
    (plugin,) = outcome.plugins
    assert (plugin.from_, plugin.to, plugin.comes, plugin.conflicts) == ("1", "2", True, 1)
    assert outcome.errors_at_first == (3,) and outcome.errors_left == 0 and outcome.runs
    assert [item.chosen for item in outcome.decisions if item.stage == "Plugins"] == ["Keep yours"]
    assert any("→ Keep yours" in line for line in said)
    assert find_crossing(wick.project) is None and not default_store().exists() and all_crossings() == ()
    folder = next((cache_folder() / "rehearsals").iterdir())
    assert sorted(path.name for path in folder.iterdir()) == ["job.json", "outcome.json", "stamp"]


def test_it_is_reused_until_something_changes(wick: Wick) -> None:
    what, plan = _rehearsed(wick), RehearsalPlan("2.0")
    first = rehearse(what, plan, _BUDGET_S, Work())
    said: list[str] = []
    work = Work(on_line=said.append)
    assert rehearse(what, plan, _BUDGET_S, work) == first and not said
    (wick.project / "more.py").write_text("import wick\n\nwick.light_up()\n")
    changed = rehearse(what, plan, _BUDGET_S, work)
    assert said and changed.errors_at_first == (2,)
    said.clear()
    assert rehearse(what, plan, _BUDGET_S, work, again=True).errors_at_first == (2,) and said


def test_without_trust_nothing_runs_and_that_is_said(tree: Tree) -> None:
    wick = make_wick(tree)
    outcome = rehearse(_rehearsed(wick), RehearsalPlan("2.0"), _BUDGET_S, Work())
    assert outcome.errors_left is None and outcome.runs is None
    assert "you have not trusted the profile" in " ".join((*outcome.not_tried, outcome.why))


def test_what_the_profile_has_no_command_for_is_said(wick: Wick) -> None:
    text = wick.profile.read_text()
    start = text.index("[commands.run]")
    end = text.find("\n[", start + 1)
    wick.profile.write_text(text[:start] + (text[end + 1 :] if end > 0 else ""))
    trust(read_profile(wick.profile))
    outcome = rehearse(_rehearsed(wick), RehearsalPlan("2.0"), _BUDGET_S, Work())
    assert outcome.not_tried == ("running: the profile has no command for it",) and outcome.runs is None


def test_a_plugin_is_held_back_where_that_is_asked_for(wick: Wick) -> None:
    outcome = rehearse(_rehearsed(wick), RehearsalPlan("2.0", hold=("snuffer",)), _BUDGET_S, Work())
    (plugin,) = outcome.plugins
    assert (plugin.action, plugin.comes, plugin.conflicts) == ("hold", False, 0)
    assert outcome.plan.title == "2.0 direct, holding back snuffer"


def test_a_budget_ends_it_and_it_goes_on_the_next_time(wick: Wick) -> None:
    what, plan = _rehearsed(wick), RehearsalPlan("2.0")
    stopped = rehearse(what, plan, 0.4, Work())
    assert stopped.ending == "stopped" and "the budget" in stopped.why
    assert rehearse(what, plan, _BUDGET_S, Work()).is_whole


def test_one_that_was_stopped_is_not_carried_out_and_needs_no_room_for_another_copy(
    wick: Wick, monkeypatch: pytest.MonkeyPatch
) -> None:
    what, plan, crossing = _rehearsed(wick), RehearsalPlan("2.0"), cross_wick(wick)
    assert rehearse(what, plan, _BUDGET_S, Work()).is_whole
    result = next((cache_folder() / "rehearsals").glob("*/outcome.json"))
    write_outcome(replace(read_outcome(result), ending="stopped", why="after 1 min, the budget"), result)
    before = listing(wick.project)
    with pytest.raises(MisuseError, match="did not reach the end: stopped, after 1 min, the budget"):
        carry_out_rehearsed(crossing, what, plan, lambda step: None, Work())
    assert listing(wick.project) == before
    # Its copy is there: the room of the disk is not asked for again.
    copy = result.parent / "project" / wick.project.name
    shutil.copytree(wick.project, copy, symlinks=True)
    monkeypatch.setattr(rehearsing, "check_room_for_copy", lambda *given: pytest.fail("asked for room"))
    assert rehearse(what, plan, _BUDGET_S, Work()).ending in ("done", "left")


def test_it_can_be_cancelled_and_leaves_no_process(wick: Wick) -> None:
    token = CancelToken()
    with pytest.raises(Cancelled):
        rehearse(
            _rehearsed(wick), RehearsalPlan("2.0"), _BUDGET_S, Work(token=token, on_line=lambda line: token.cancel())
        )
    running = subprocess.run(["ps", "-eo", "args"], capture_output=True, text=True).stdout
    assert str(cache_folder() / "rehearsals") not in running


def test_what_cannot_be_rehearsed_says_why(wick: Wick) -> None:
    outcome = rehearse(_rehearsed(wick), RehearsalPlan("9.0"), _BUDGET_S, Work())
    assert outcome.ending == "failed" and "9.0" in outcome.why
    change_settings({"scratch.largest_gib": 1e-9})
    with pytest.raises(MisuseError, match="the settings allow"):
        rehearse(_rehearsed(wick), RehearsalPlan("2.0"), _BUDGET_S, Work())


_TEXT = st.text(max_size=8)
_OUTCOMES = st.builds(
    Outcome,
    st.builds(RehearsalPlan, _TEXT, st.lists(_TEXT, max_size=2).map(tuple), st.lists(_TEXT, max_size=2).map(tuple)),
    st.sampled_from(["done", "left", "stopped", "failed"]),
    _TEXT,
    st.floats(0, 1e5),
    reached=_TEXT,
    plugins=st.lists(st.builds(PluginOutcome, _TEXT, _TEXT, _TEXT, _TEXT, _TEXT, st.integers(0, 9)), max_size=4).map(
        tuple
    ),
    errors_at_first=st.lists(st.integers(0, 99), max_size=3).map(tuple),
    errors_left=st.none() | st.integers(0, 99),
    causes=st.lists(st.builds(CauseLeft, _TEXT, st.integers(1, 9), st.booleans()), max_size=3).map(tuple),
    runs=st.none() | st.booleans(),
    decisions=st.lists(st.builds(DecisionLeft, _TEXT, _TEXT, _TEXT, _TEXT), max_size=4).map(tuple),
    not_tried=st.lists(_TEXT, max_size=2).map(tuple),
)


@given(_OUTCOMES)
def test_an_outcome_reads_back_the_same(outcome: Outcome) -> None:
    path = home() / "outcome.json"
    write_outcome(outcome, path)
    assert read_outcome(path) == outcome
    path.write_text(json.dumps({**json.loads(path.read_text()), "format": "other"}))
    with pytest.raises(MisuseError):
        read_outcome(path)


@given(st.lists(_OUTCOMES, min_size=1, max_size=4), st.none() | st.just(Pace(30, 90, 40)))
def test_the_table_has_a_column_for_each_and_the_page_has_no_markup_of_others(
    outcomes: list[Outcome], pace: Pace | None
) -> None:
    hostile = [replace(item, trial="<script>alert(1)</script>") for item in outcomes]
    page = comparison_page("<b>game", hostile, pace)
    assert "<script>" not in page and "<b>game" not in page and page.count("<th>") >= len(outcomes)
    lines = comparison_text(outcomes, pace)
    assert lines[-1].endswith("your project was not touched.")
    best = best_of(outcomes)
    assert best.is_whole or not any(item.is_whole for item in outcomes)


def test_working_time_is_measured_on_decisions_of_the_person_and_on_enough_of_them(tree: Tree) -> None:
    _, crossing = begin_wick(tree)
    assert measure_pace([crossing]) is None
    for number in range(30):
        pause = 40 + number if number % 2 else 100
        crossing.decide(Decision(f"merge:{number}", Stage.PLUGINS, "mine", "", "you", "", number * 1000.0 + pause))
        crossing.decide(Decision(f"auto:{number}", Stage.BUILD, "x", "", "automatic", "", number * 1000.0))
    pace = measure_pace([crossing])
    assert pace is not None and pace.decisions == 29 and 900 < pace.low_s < pace.high_s < 1100
    assert pace.words(4).startswith("about ") and "measured on 29 decisions of yours" in pace.words(4)


def test_the_process_of_a_rehearsal_is_given_a_home_of_its_own(wick: Wick) -> None:
    """Whatever it does, the home of the user is not in its environment."""
    rehearse(_rehearsed(wick), RehearsalPlan("2.0"), _BUDGET_S, Work())
    assert os.environ["FERNSHALE_HOME"] == str(home())
    job = next((cache_folder() / "rehearsals").glob("*/job.json"))
    done = subprocess.run(
        [sys.executable, "-m", "fernshale.core.crossing.flow.rehearsal.scratch_crossing", str(job)],
        env={**os.environ, "FERNSHALE_HOME": str(job.parent / "home")}, capture_output=True, text=True, timeout=120,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert Path(json.loads(job.read_text())["copy"]).is_dir() and not default_store().exists()


def test_a_release_that_came_to_the_shelf_since_is_new_and_says_what_it_changes(wick: Wick) -> None:
    what = _rehearsed(wick)
    assert _new(what) == ()  # nothing was rehearsed, so nothing is new
    first = rehearse(what, RehearsalPlan("2.0"), _BUDGET_S, Work())
    assert _new(what) == ()
    add_release(wick, "2.1", "def ignite_all(): print('lit')\n")
    add_release(wick, "1.2", "def light_up(): print('lit')\n")  # before what was rehearsed
    (new,) = _new(what)
    assert (new.plan, new.before) == (RehearsalPlan("2.1"), first)
    rehearse(what, RehearsalPlan("2.0"), _BUDGET_S, Work())  # again, since the shelf changed
    assert [item.plan for item in _new(what)] == [new.plan]
    second = replace(first, plan=new.plan, reached="2.1")
    assert new.words(second) == "2.1 came out: as many errors and decisions as 2.0"
    assert new.words(replace(second, errors_left=3)) == "2.1 came out: 3 errors more than 2.0"
    assert new.words(replace(second, errors_left=None)).startswith("2.1 came out: 2.1 direct was not built")


def test_the_run_is_compared_with_the_baselines(wick: Wick, tmp_path: Path) -> None:
    change_settings({"store.folder": str(tmp_path / "own store"), "work.apply_from": 0.95})
    (wick.shelf / "wick/2.0/wick.py").write_text("def ignite(): print('lit')\nprint('warning: the wick is short')\n")
    outcome = rehearse(_rehearsed(wick), RehearsalPlan("2.0"), _BUDGET_S, Work())
    assert not (tmp_path / "own store").exists()  # a rehearsal writes nothing of the user's
    assert outcome.differs == ("log: 1 new message, 0 missing",)
    assert ("log, pictures, times", ("log: 1 new message, 0 missing",)) in comparison_rows((outcome,), None)
