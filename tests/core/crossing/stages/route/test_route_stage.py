"""Route and Survey in a crossing: legs and the way back, ways to choose, demands, notes, successors, preconditions."""

from __future__ import annotations

import shutil
import tempfile
from dataclasses import replace
from pathlib import Path

import pytest

from fernshale.core.base.data_folder import home
from fernshale.core.base.errors import FernshaleError, MisuseError, ProjectError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.autopilot import cross
from fernshale.core.crossing.flow.start import Extent, begin_crossing
from fernshale.core.crossing.project import plugin_plan
from fernshale.core.crossing.project.plugin_origins import find_origins
from fernshale.core.crossing.project.scan import scan_project
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.decisions import Recorded
from fernshale.core.crossing.record.logbook import CannotUndo, go_back_to, redo
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.stages.overview import Overview, inspect
from fernshale.core.crossing.stages.route.json_data import route_json
from fernshale.core.profile.model import RoleRule
from fernshale.core.profile.read import read_profile
from fernshale.core.route.candidates import NO_WISHES
from fernshale.core.route.shelf_sources import read_shelf
from fernshale.core.snapshot.store import Store
from tests.conftest import Tree, listing, not_root
from tests.crossing_steps import act
from tests.wick import Wick, make_wick

# Wick 3: what was renamed in 2.0 is renamed again; it wants a newer dialect, and 2.5 has a fault.
_MORE = """
[[engine]]
id = "wick"
version = "2.5"
folder = "wick/2.0"
faults = [{ what = "it smokes", concerns = ["light_up"] }]
[[engine]]
id = "wick"
version = "3.0"
folder = "wick/3.0"
notes = "notes-3.md"
rules = ["wick3.rules.toml"]
demands = [{ name = "dialect", at_least = "3", why = "for the new flames" }, { name = "tallow", at_least = "1" }]
[[plugin]]
id = "snuffer"
version = "3"
folder = "snuffer/3"
accepts = ">=3"
notes = "notes-snuffer.md"
"""
_RULES = """
format = "fernshale-rules/1"
from = ">=1, <3"
to = ">=3"
[[rule]]
id = "flame"
kind = "rename"
old = "ignite"
new = "kindle"
why = "ignite is kindle"
[[rule]]
id = "flame-at-once"
kind = "rename"
old = "light_up"
new = "kindle"
why = "light_up is kindle"
"""
_PROFILE = """
[[standard]]
name = "dialect"
files = ["candle.ini"]
at = { ini = "dialect" }
"""


def make_far_wick(tree: Tree) -> Wick:
    wick = make_wick(tree)
    shelf = wick.shelf
    with open(shelf / "shelf.toml", "a") as file:
        file.write(_MORE)
    (shelf / "wick3.rules.toml").write_text(_RULES.strip())
    (shelf / "notes-3.md").write_text("# 3.0\n- `ignite` is `kindle`.\n- Nothing uses `candelabra`.\n- Be careful.\n")
    (shelf / "notes-snuffer.md").write_text("- `step_1` is quicker.\n")
    shutil.copytree(shelf / "wick/2.0", shelf / "wick/3.0")
    (shelf / "wick/3.0/wick.py").write_text("def kindle(): print('lit')\n")
    shutil.copytree(shelf / "snuffer/2", shelf / "snuffer/3")
    (shelf / "snuffer/3/addon.ini").write_text("version = 3\nwick = >=3\n")
    # On the way to 3.0 the rules of 2.0 do not hold.
    rules = shelf / "notes.rules.toml"
    rules.write_text(rules.read_text().replace("[[rule]]", 'to = "<3"\n[[rule]]', 1))
    with open(wick.profile, "a") as file:
        file.write(_PROFILE)
    with open(wick.project / "candle.ini", "a") as file:
        file.write("dialect = 2\n")
    return wick


def begin_far(wick: Wick, via: tuple[str, ...] = ()) -> Crossing:
    profile = read_profile(wick.profile)
    trust(profile)
    return begin_crossing(wick.project, profile, [wick.shelf], "3.0", Work(), Extent(via))


def _look(crossing: Crossing) -> Overview:
    return inspect(crossing, Work())


def _take(crossing: Crossing, key: str, way: str) -> None:
    act(crossing, key, way, who="you")


def _cross(crossing: Crossing, recorded: dict[str, Recorded] | None = None) -> Overview:
    nothing = recorded or {}
    return cross(crossing, nothing, lambda _: None, lambda *_: None, Work())


def test_leg_by_leg_each_with_its_own_rounds_and_back_to_the_start(tree: Tree, token: CancelToken) -> None:
    wick = make_far_wick(tree)
    before = listing(wick.project)
    crossing = begin_far(wick, ("2.0",))
    overview = _cross(crossing)
    assert overview.is_done and (overview.setup.from_, overview.setup.to, overview.setup.leg) == ("2.0", "3.0", 1)
    assert "wick.kindle()" in (wick.project / "game.py").read_text()
    assert "dialect = 3" in (wick.project / "candle.ini").read_text()
    assert [item.total for item in overview.build.rounds] == [3, 0]
    titles = [entry.title for entry in overview.logbook]
    assert any("leg 2 begins: 2.0 → 3.0" in title for title in titles)
    assert sum(title.startswith("round 1 ") for title in titles) == 2
    assert {view.plugin.id for view in overview.plugins.plugins if view.ledger} == {"snuffer"}
    go_back_to(crossing, 1, Work(token=token))
    assert listing(wick.project) == before and crossing.setup.leg == 0
    assert _look(crossing).setup.to == "2.0"
    # The way again: nothing of the first time passes for what is so now, and steps of the other leg are not done again.
    old = next(entry.id for entry in reversed(crossing.logbook()) if entry.can_redo)
    with pytest.raises(CannotUndo, match="another leg"):
        redo(crossing, old, Work(token=token))
    overview = _cross(crossing)
    assert overview.is_done and [item.total for item in overview.build.rounds] == [3, 0]


def test_ways_are_estimated_and_can_be_chosen_until_the_leg_is_under_way(tree: Tree) -> None:
    wick = make_far_wick(tree)
    crossing = begin_far(wick)
    view = _look(crossing).route
    assert [way.stops for way in view.routes] == [("3.0",), ("2.0", "3.0")]  # not over 2.5, which has a fault
    direct, over = view.routes
    assert direct.stops == view.stops and [item.places for item in direct.legs] == [4]
    assert [dict(item.gone or {}) for item in over.legs] == [{"light_up": 4}, {}]
    assert view.faults["2.5"] == ("it smokes",)
    _take(crossing, "route:way", "way 2.0 3.0")
    assert _look(crossing).setup.stops == ("2.0", "3.0")
    _take(crossing, "route:way", "way 3.0")
    assert begin_far(wick, ("2.0",)).setup.stops == ("2.0", "3.0")  # also when it is resumed with stops
    _take(crossing, "route:way", "way 3.0")
    for bad, said in (("way 3.0 2.0", "ends at 3.0"), ("way 2.5 2.0 3.0", "leads to newer")):
        with pytest.raises(MisuseError, match=said):
            _take(crossing, "route:way", bad)
    _take(crossing, "demand:3.0:dialect", "raise")
    _take(crossing, "engine:sites", "apply")
    with pytest.raises(MisuseError, match="under way"):
        _take(crossing, "route:way", "way 2.0 3.0")


def test_a_target_with_a_fault_that_concerns_the_project_needs_a_decision(tree: Tree) -> None:
    wick = make_far_wick(tree)
    profile = read_profile(wick.profile)
    trust(profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.5", Work())
    (open_item,) = [item for item in _look(crossing).route.items if "fault" in item.key]
    assert open_item.detail == "it smokes" and open_item.needs_you
    for path in ("game.py", "more.py"):
        text = (wick.project / path).read_text()
        (wick.project / path).write_text(text.replace("light_up", "something_else"))
    assert not [item for item in _look(crossing).route.items if "fault" in item.key]


def test_demands_on_the_toolchain_are_items_before_the_first_build(tree: Tree) -> None:
    wick = make_far_wick(tree)
    crossing = begin_far(wick)
    view = _look(crossing).route
    assert [(item.demand.name, item.holds) for item in view.demands] == [("dialect", False), ("tallow", None)]
    (open_item,) = view.items
    assert open_item.title == "3.0 needs dialect 3: candle.ini has 2" and open_item.place == "candle.ini:3"
    before = (wick.project / "candle.ini").read_text()
    _take(crossing, open_item.key, "raise")
    assert (wick.project / "candle.ini").read_text() == before.replace("dialect = 2", "dialect = 3")
    assert not _look(crossing).route.items


def test_a_demand_on_a_range_is_checked_and_what_cannot_be_read_is_asked_about(tree: Tree) -> None:
    wick = make_far_wick(tree)
    candle = wick.project / "candle.ini"
    text = candle.read_text()
    candle.write_text(text.replace("dialect = 2", "dialect = >=2 <4"))
    crossing = begin_far(wick)
    (open_item,) = _look(crossing).route.items
    assert open_item.title.endswith("candle.ini has >=2 <4")
    _take(crossing, open_item.key, "raise")
    assert "dialect = >=3 <4" in candle.read_text() and not _look(crossing).route.items
    candle.write_text(text.replace("dialect = 2", "dialect = newest"))
    (open_item,) = _look(crossing).route.items
    assert "neither a release nor a range" in open_item.title and open_item.needs_you
    assert [option.action.key.split()[0] for option in open_item.options] == ["demand:3.0:dialect"]


def test_notes_of_engine_and_plugins_are_filtered_and_ticked_off(tree: Tree) -> None:
    wick = make_far_wick(tree)
    (wick.project / "game.py").write_text("import wick\nwick.ignite()\n")
    crossing = begin_far(wick)
    notes = _look(crossing).route.notes
    assert [(item.source, item.uses, item.concerns) for item in notes] == [
        ("Wick 3.0", 1, True), ("Wick 3.0", 0, False), ("Wick 3.0", 0, True), ("snuffer 3", 1, True),
    ]  # fmt: skip
    entries = len(crossing.logbook())
    _take(crossing, notes[0].key, "dealt")
    assert [item.dealt for item in _look(crossing).route.notes] == [True, False, False, False]
    assert len(crossing.logbook()) == entries
    data = route_json(_look(crossing).route)
    assert [item["dealt"] for item in data["notes"]] == [True, False, False, False]  # type: ignore[attr-defined]


def test_one_version_can_be_asked_for_and_given_back(tree: Tree) -> None:
    wick = make_far_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(shelf.read_text().replace('accepts = ">=2, <3"', 'accepts = ">=2"'))
    crossing = begin_far(wick)
    assert [step.to for step in _look(crossing).route.leg.plugins] == ["3"]
    _take(crossing, "route:3.0:snuffer", "version 2")
    overview = _look(crossing)
    assert [step.to for step in overview.route.leg.plugins] == ["2"]
    assert overview.plugins.plugins[0].merge is not None
    crossing.withdraw("route:3.0:snuffer")
    assert [step.to for step in _look(crossing).route.leg.plugins] == ["3"]


def _shelve(wick: Wick, id: str, version: str, more: str, files: dict[str, str]) -> None:
    folder = wick.shelf / id / version
    folder.mkdir(parents=True)
    for path, text in files.items():
        (folder / path).write_text(text)
    with open(wick.shelf / "shelf.toml", "a") as file:
        file.write(
            f'[[plugin]]\nid = "{id}"\nversion = "{version}"\nfolder = "{id}/{version}"\naccepts = ">=3"\n{more}\n'
        )


def test_a_renamed_plugin_is_followed_with_its_edits_and_what_it_needs_is_added(tree: Tree) -> None:
    wick = make_far_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(shelf.read_text().replace('accepts = ">=3"', 'accepts = ">=9"'))
    source = (wick.shelf / "snuffer/2/snuffer.py").read_text()
    descriptor = "id = douter\nversion = 1\nwick = >=3\n"
    _shelve(wick, "douter", "1", 'requires = [{ id = "wax" }]', {"addon.ini": descriptor, "snuffer.py": source})
    wick.profile.write_text(wick.profile.read_text().replace("version = { ini", 'id = { ini = "id" }\nversion = { ini'))
    _shelve(wick, "wax", "4", "", {"addon.ini": "version = 4\nwick = >=3\n", "wax.py": "WAX = 1\n"})
    with open(shelf, "a") as file:
        file.write('[[succession]]\nid = "snuffer"\nkind = "renamed"\nto = ["douter"]\nwhy = "a finer word"\n')
    crossing = begin_far(wick)
    overview = _look(crossing)
    assert {(item.id, item.action, item.to) for item in overview.route.leg.plugins} == {
        ("snuffer", "follow", "1"), ("wax", "add", "4"),
    }  # fmt: skip
    overview = _cross(crossing, {"route:3.0:snuffer": Recorded("route:3.0:snuffer", "take", "its vendor says so")})
    assert overview.is_done
    assert "step_0 = 'mine'" in (wick.project / "addons/snuffer/snuffer.py").read_text()
    assert (wick.project / "addons/wax/wax.py").read_text() == "WAX = 1\n"


def test_a_plugin_that_was_folded_into_another_goes_but_for_what_was_edited(tree: Tree) -> None:
    wick = make_far_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    _shelve(wick, "tray", "1", "", {"addon.ini": "version = 1\nwick = >=1, <3\n", "a.py": "A = 1\n", "b.py": "B = 1\n"})
    shelf.write_text(
        shelf.read_text().replace('folder = "tray/1"\naccepts = ">=3"', 'folder = "tray/1"\naccepts = ">=1, <3"')
    )
    shutil.copytree(wick.shelf / "tray/1", wick.project / "addons/tray")
    (wick.project / "addons/tray/b.py").write_text("B = 2  # ours\n")
    with open(shelf, "a") as file:
        file.write('[[succession]]\nid = "tray"\nkind = "folded"\nto = ["snuffer"]\n')
    crossing = begin_far(wick)
    _take(crossing, "route:3.0:tray", "take")
    due = [item for item in _look(crossing).plugins.items if item.key.startswith("merge:")]
    assert [item.title for item in due] == ["b.py: the vendor dropped it, but it was edited here"]
    _take(crossing, due[0].key, "mine")
    _take(crossing, "plugin:tray", "take")
    assert [path.name for path in (wick.project / "addons/tray").iterdir()] == ["b.py"]


def test_origin_is_found_in_an_earlier_snapshot_where_no_shelf_has_the_release(tree: Tree) -> None:
    wick = make_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(shelf.read_text().replace('version = "1"\n', 'version = "0.5"\n'))
    mine = wick.project / "addons/snuffer/snuffer.py"
    edited = mine.read_text()
    mine.write_text((wick.shelf / "snuffer/1/snuffer.py").read_text())
    Store(home() / "store").take(wick.project.resolve(), "as it came", Work())
    mine.write_text(edited)
    profile = read_profile(wick.profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())
    (item,) = _look(crossing).survey.plugins
    assert item.origin is not None and item.origin.name == "1" and item.source.startswith("snapshot of ")
    assert item.origin.edited == ("snuffer.py",) and "no shelf has 1" in item.note
    # It is the base of the merge, too.
    (view,) = _look(crossing).plugins.plugins
    assert view.base == "1" and "compared with the snapshot of" in view.base_note
    assert view.ledger is not None and [entry.lines for entry in view.ledger.entries] == ["1"]


def test_preconditions_come_before_the_baseline(tree: Tree, monkeypatch: pytest.MonkeyPatch) -> None:
    wick = make_wick(tree)
    with open(wick.profile, "a") as file:
        file.write('[[requirement]]\nname = "licence"\nvariable = "WICK_LICENCE"\nhint = "Ask the chandler."\n')
    profile = read_profile(wick.profile)
    trust(profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())
    monkeypatch.delenv("WICK_LICENCE", raising=False)
    _take(crossing, "survey:baseline", "take")
    overview = _look(crossing)
    assert overview.survey.baseline is None
    (open_item,) = [item for item in overview.survey.items if item.key == "survey:needs:licence"]
    assert "WICK_LICENCE is not set" in open_item.title and "Ask the chandler." in open_item.detail
    monkeypatch.setenv("WICK_LICENCE", "1")
    _take(crossing, "survey:needs:licence", "again")
    _take(crossing, "survey:baseline", "take")
    baseline = _look(crossing).survey.baseline
    assert baseline is not None and baseline.built and baseline.run is not None and baseline.run.passed


def test_frame_times_are_kept_with_the_run(tree: Tree) -> None:
    wick = make_wick(tree)
    with open(wick.profile, "a") as file:
        file.write('[frames]\nfile = "{out}/frames.csv"\ncolumn = "s"\nper_second = 1\n')
    game = wick.project / "game.py"
    table = "frame,s\\n0,0.010\\n1,0.030\\n2,oops\\n3,0.020\\n"
    text = wick.profile.read_text().replace('"{project}/game.py"]', '"{project}/game.py", "{out}"]')
    wick.profile.write_text(text)
    game.write_text(f"import sys, pathlib, wick\nout = pathlib.Path(sys.argv[1])\nout.mkdir(parents=True, exist_ok=True)\n"
                    f"(out / 'frames.csv').write_text('{table}')\nwick.light_up()\n")  # fmt: skip
    profile = read_profile(wick.profile)
    trust(profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())
    _take(crossing, "survey:baseline", "take")
    baseline = _look(crossing).survey.baseline
    assert baseline is not None and baseline.run is not None and baseline.run.frames is not None
    frames = baseline.run.frames
    assert len(baseline.run.frame_runs) == 3
    assert (frames.count, frames.median_ms, frames.longest_ms) == (9, 20.0, 30.0)


def test_what_is_there_twice_is_removed_by_a_step_that_can_be_undone(tree: Tree) -> None:
    wick = make_wick(tree)
    for place in ("addons/snuffer/libwax.a", "old/libwax.a"):
        (wick.project / place).parent.mkdir(exist_ok=True)
        (wick.project / place).write_bytes(b"!<arch>\nwax")
    before = listing(wick.project)
    profile = read_profile(wick.profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())
    (open_item,) = [item for item in _look(crossing).survey.items if item.key.startswith("survey:double:")]
    _take(crossing, open_item.key, "remove old/libwax.a")
    assert not (wick.project / "old/libwax.a").exists()
    assert not [item for item in _look(crossing).survey.items if item.key.startswith("survey:double:")]
    (wick.project / "old").mkdir(exist_ok=True)
    (wick.project / "old/libwax.a").write_bytes(b"!<arch>\nwax")  # there again, so it is asked about again
    assert [item for item in _look(crossing).survey.items if item.key == open_item.key]
    shutil.rmtree(wick.project / "old")
    assert crossing.decisions()[open_item.key].choice == "remove old/libwax.a"
    go_back_to(crossing, 1, Work())
    assert listing(wick.project) == before and open_item.key not in crossing.decisions()
    redo(crossing, next(entry.id for entry in crossing.logbook() if entry.can_redo), Work())
    assert crossing.decisions()[open_item.key].choice == "remove old/libwax.a"


def test_a_folder_called_mine_keeps_that_role(tree: Tree) -> None:
    wick = make_wick(tree)
    profile = read_profile(wick.profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())
    before = listing(wick.project)
    assert [item.origin.edited for item in _look(crossing).survey.plugins if item.origin] == [("snuffer.py",)]
    _take(crossing, "role:addons/snuffer", "own")
    overview = _look(crossing)
    assert "addons/snuffer/addon.ini" in overview.survey.roles["own"] and listing(wick.project) == before
    (plugin,) = overview.survey.plugins
    assert plugin.origin is not None and plugin.origin.own == ("addon.ini", "snuffer.py") and not plugin.origin.edited
    _take(crossing, "role:addons/snuffer", "")
    assert "addons/snuffer/addon.ini" in _look(crossing).survey.roles["plugin"]


def test_what_is_remembered_of_a_tree_does_not_outlive_a_rule_or_a_shelf(tree: Tree, token: CancelToken) -> None:
    wick = make_far_wick(tree)
    scan = scan_project(wick.project, read_profile(wick.profile), read_shelf([wick.shelf]), Work(token=token))
    (before,) = find_origins(scan, None, token)
    mine = replace(scan.profile, role=(RoleRule("own", ("addons/**",)), *scan.profile.role))
    (after,) = find_origins(replace(scan, profile=mine), None, token)
    assert before.origin is not None and before.origin.edited == ("snuffer.py",)
    assert after.origin is not None and after.origin.own == ("addon.ini", "snuffer.py") and not after.origin.edited
    assert plugin_plan.plan_for(scan, "1.4", "3.0", NO_WISHES, token).plugins[0].to == "3"
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(shelf.read_text().replace('accepts = ">=3"', 'accepts = ">=9"'))
    anew = replace(scan, shelf=read_shelf([wick.shelf]))
    assert plugin_plan.plan_for(anew, "1.4", "3.0", NO_WISHES, token).plugins[0].action == "nothing"


def test_a_read_only_project_can_be_surveyed_and_a_write_into_it_says_why(
    tree: Tree, monkeypatch: pytest.MonkeyPatch
) -> None:
    wick = make_far_wick(tree)
    with tempfile.TemporaryDirectory() as name:
        place = Path(name)
        monkeypatch.setenv("FERNSHALE_HOME", str(place / "home"))
        for source in (wick.project, wick.shelf):
            shutil.copytree(source, place / source.name)
        shutil.copy(wick.profile, place / "wick.profile.toml")
        there = Wick(place / wick.project.name, place / wick.shelf.name, place / "wick.profile.toml")
        crossing = begin_far(there)
        _look(crossing)
        for path in (place, *place.rglob("*")):
            path.chmod(0o777)
        for path in (there.project, *there.project.rglob("*")):
            path.chmod(0o555)
        before = listing(there.project)
        with not_root():
            assert _look(crossing).survey.roles
            with pytest.raises((FernshaleError, PermissionError), match=r"cannot be written|Permission denied"):
                _take(crossing, "demand:3.0:dialect", "raise")
        assert listing(there.project) == before
        assert not crossing.journal.exists() and [entry.state for entry in crossing.logbook()] == ["done"]
        for path in (there.project, *there.project.rglob("*")):
            path.chmod(0o755)


def test_a_project_that_vanishes_is_said(tree: Tree) -> None:
    wick = make_wick(tree)
    profile = read_profile(wick.profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())
    away = Path(str(wick.project) + "-away")
    before = listing(wick.project)
    wick.project.rename(away)
    with pytest.raises(ProjectError, match="is not a folder"):
        _look(crossing)
    away.rename(wick.project)
    assert listing(wick.project) == before and _look(crossing).survey.roles
