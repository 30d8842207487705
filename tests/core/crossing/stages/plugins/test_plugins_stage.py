"""Plugins: decisions of one kind at once, remembered ones, odd results, replacing clean, setting aside."""

from __future__ import annotations

import json
import shutil
from dataclasses import replace
from pathlib import Path

import pytest

from fernshale.core.base.errors import CommandError, FernshaleError, MisuseError
from fernshale.core.base.work import OnLine, Work
from fernshale.core.crossing.deferred.plugins import find_left_out
from fernshale.core.crossing.flow.actions import withdraw
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.reporting.data import report_data
from fernshale.core.crossing.reporting.markdown import report_markdown
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.crossing.stages.plugins.inspection import inspect_plugins
from fernshale.core.crossing.stages.plugins.view import PluginsView, PluginView
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.wick import Wick, cross_wick, make_wick

_OLD = "".join(f"def step_{n}():\n    lamp({n}, 1)\n\n\n" for n in range(4))
_MINE = _OLD.replace("lamp(0, 1)", "lamp(0, 5)").replace("lamp(2, 1)", "lamp(2, 5)")
_NEW = _OLD.replace("lamp(0, 1)", "lamp(0, 9)").replace("lamp(2, 1)", "lamp(2, 9)")


def _nobody(_line: str) -> None:
    return None


_on_line: OnLine = _nobody


def _wick(tree: Tree, files: dict[str, tuple[str, str, str]]) -> tuple[Wick, Crossing]:
    """A crossing whose addon has these files on the three sides (old release, local folder, new release)."""
    wick = make_wick(tree)
    places = (wick.shelf / "snuffer/1", wick.project / "addons/snuffer", wick.shelf / "snuffer/2")
    for name, texts in files.items():
        for place, text in zip(places, texts, strict=True):
            (place / name).parent.mkdir(parents=True, exist_ok=True)
            (place / name).write_text(text)
    return wick, cross_wick(wick)


def _view(crossing: Crossing) -> tuple[PluginsView, PluginView]:
    scan = scan_crossing(crossing, Work())
    found = inspect_plugins(scan, crossing, Work())
    return found, next(view for view in found.plugins if view.plugin.id == "snuffer")


def _settle(crossing: Crossing, key: str, way: str, text: str = "", why: str = "") -> None:
    act(crossing, key, way, who="you", why=why, text=text, work=Work(on_line=_on_line))


def test_decisions_of_one_kind_are_taken_at_once(tree: Tree) -> None:
    wick, crossing = _wick(tree, {"lamps.py": (_OLD, _MINE, _NEW), "b/more.py": (_OLD, _MINE, _NEW + "x = 1\n")})
    view = _view(crossing)[1]
    assert view.merge is not None and len(view.open_conflicts({})) == 4
    first = view.open_conflicts({})[0][1]
    other = view.open_conflicts({})[1][1]
    _settle(crossing, f"merge:{other.id}", "mine")
    _settle(crossing, f"merge-like:{first.id}", "incoming")
    assert _view(crossing)[0].choices[other.id].take == "mine"  # what was decided by itself stays
    _settle(crossing, f"merge:{other.id}", "incoming")
    choices = _view(crossing)[0].choices
    assert len(choices) == len({conflict.id for _, conflict in view.open_conflicts({})})
    _settle(crossing, "plugin:snuffer", "take")
    assert (wick.project / "addons/snuffer/lamps.py").read_text() == _NEW


def test_a_folder_of_decisions_is_taken_at_once_and_taken_ones_stay(tree: Tree) -> None:
    other = _OLD.replace("lamp", "light"), _MINE.replace("lamp", "light"), _NEW.replace("lamp", "light")
    _, crossing = _wick(tree, {"lamps.py": (_OLD, _MINE, _NEW), "b/more.py": other})
    conflict = {file.shown: conflict for file, conflict in _view(crossing)[1].open_conflicts({})}
    _settle(
        crossing, f"merge:{conflict['b/more.py'].id}", "finer" if "finer" in conflict["b/more.py"].options else "mine"
    )
    _settle(crossing, "merge-below:snuffer/b", "incoming")
    view, plugin = _view(crossing)
    assert {file.shown for file, _ in plugin.open_conflicts(view.choices)} == {"lamps.py"}
    assert sorted(choice.take for choice in view.choices.values()) == ["incoming", "mine"]
    with pytest.raises(MisuseError):
        _settle(crossing, "merge-below:snuffer/nowhere", "mine")


def test_what_was_decided_in_another_project_is_offered_and_not_taken(tree: Tree, tmp_path: Path) -> None:
    wick, there = _wick(tree, {"lamps.py": (_OLD, _MINE, _NEW)})
    first, second = (conflict for _, conflict in _view(there)[1].open_conflicts({}))
    other = replace(wick, project=tmp_path / "other")
    shutil.copytree(wick.project, other.project)
    _settle(there, f"merge:{first.id}", "incoming", why="theirs is brighter")
    _settle(there, f"merge:{second.id}", "text", "    lamp(2, 7)\n", why="between the two")
    crossing = cross_wick(other)
    view, plugin = _view(crossing)
    assert len(plugin.open_conflicts(view.choices)) == 2
    offers = {item.key: item.options[0] for item in view.items}
    assert offers[f"merge:{first.id}"].id == "incoming"
    assert any("theirs is brighter" in words for words in offers[f"merge:{first.id}"].evidence)
    assert offers[f"merge:{second.id}"].id == "again" and not offers[f"merge:{second.id}"].is_automatic
    _settle(crossing, f"merge:{second.id}", "again")
    assert _view(crossing)[0].choices[second.id].text == "    lamp(2, 7)\n"


def test_what_is_taken_back_is_not_offered_any_more(tree: Tree) -> None:
    _, crossing = _wick(tree, {"lamps.py": (_OLD, _MINE, _NEW)})
    first, second = (conflict for _, conflict in _view(crossing)[1].open_conflicts({}))
    _settle(crossing, f"merge:{first.id}", "incoming")
    _settle(crossing, f"merge:{second.id}", "incoming")
    withdraw(crossing, f"merge:{first.id}")
    assert set(_view(crossing)[0].remembered) == {second.id}


def test_a_result_that_does_not_parse_must_be_looked_at(tree: Tree) -> None:
    wick, crossing = _wick(tree, {"lamps.py": (_OLD, _MINE, _NEW)})
    first, second = (conflict for _, conflict in _view(crossing)[1].open_conflicts({}))
    _settle(crossing, f"merge:{first.id}", "text", "    lamp(0, (\n")
    _settle(crossing, f"merge:{second.id}", "mine")
    view, plugin = _view(crossing)
    assert "is no Python" in plugin.odd["lamps.py"][0]  # type: ignore[index]
    (odd,) = (item for item in view.items if item.key.startswith("odd:"))
    assert odd.needs_you
    with pytest.raises(MisuseError, match="looked at"):
        _settle(crossing, "plugin:snuffer", "take")
    _settle(crossing, odd.key, "leave", why="it is a template")
    _settle(crossing, "plugin:snuffer", "take")
    assert "lamp(0, (" in (wick.project / "addons/snuffer/lamps.py").read_text()


def test_a_value_by_hand_that_breaks_the_file_is_refused_when_it_is_written(tree: Tree) -> None:
    _, crossing = _wick(tree, {"a.json": ('{"a": 1}', '{"a": 2}', '{"a": 3}')})
    ((_, conflict),) = _view(crossing)[1].open_conflicts({})
    with pytest.raises(FernshaleError, match="by hand"):
        _settle(crossing, f"merge:{conflict.id}", "text", "[1, ")
    assert not _view(crossing)[0].choices
    with pytest.raises(MisuseError):
        _settle(crossing, f"merge:{conflict.id}", "both")


def test_replacing_clean_gives_edits_up_by_decision_and_keeps_own_files(tree: Tree) -> None:
    wick, crossing = _wick(tree, {"lamps.py": (_OLD, _MINE, _NEW)})
    own = wick.project / "addons/snuffer/own.py"
    own.write_text("mine = 1\n")
    _settle(crossing, "plugin:snuffer", "clean", why="our edits were a mistake")
    folder = wick.project / "addons/snuffer"
    assert (folder / "lamps.py").read_text() == _NEW and own.read_text() == "mine = 1\n"
    ledger = _view(crossing)[1].ledger
    assert ledger is not None and ledger.count("dropped") == 3 and ledger.count("carried") == 1


def test_a_plugin_is_set_aside_and_brought_back_beside_later_work(tree: Tree) -> None:
    wick = make_wick(tree)
    settings = wick.project / "addons.json"
    settings.write_text('{\n  "on": ["hood", "snuffer"],  \n  "size": 3\n}\n')
    text = wick.profile.read_text().replace(
        "[commands.build]", '[[plugins.switch]]\nfiles = ["addons.json"]\nat = { json = "/on" }\n\n[commands.build]'
    )
    wick.profile.write_text(text)
    crossing = cross_wick(wick)
    before = {path: path.read_bytes() for path in (wick.project / "addons/snuffer").rglob("*") if path.is_file()}
    _settle(crossing, "route:2.0:snuffer", "aside", why="it flickers")
    (open_item,) = (item for item in _items_of(crossing) if item.startswith("aside:"))
    _settle(crossing, open_item, "aside", why="it flickers")
    assert not (wick.project / "addons/snuffer").exists()
    assert settings.read_text() == '{\n  "on": ["hood"],  \n  "size": 3\n}\n'
    scan = scan_crossing(crossing, Work())
    (aside,) = find_left_out(crossing, scan)
    assert (aside.id, aside.why, aside.ready) == ("snuffer", "it flickers", "") and "accepts 2.0" in aside.condition
    overview = inspect(crossing, Work())
    assert not any(item.key == "aside:snuffer" for item in overview.items)  # 2 was there when it was set aside
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(
        shelf.read_text() + '[[plugin]]\nid = "snuffer"\nversion = "2.1"\nfolder = "snuffer/2"\naccepts = ">=2"\n'
    )
    overview = inspect(crossing, Work())
    assert any(item.title == "snuffer is left out, and 2.1 fits now" for item in overview.items)
    assert any(item.title.startswith("decided: snuffer") or "snuffer" in item.title for item in overview.logbook)
    assert "snuffer 1: it flickers. It returns with a release of it that accepts 2.0" in report_markdown(
        report_data(overview, crossing)
    )
    assert report_data(overview, crossing)["left_out"][0]["plugin"] == "snuffer"
    settings.write_text(settings.read_text().replace("3", "4"))
    _settle(crossing, "aside:snuffer", "return")
    assert json.loads(settings.read_text()) == {"on": ["hood", "snuffer"], "size": 4}
    assert {path: path.read_bytes() for path in before} == before
    assert not find_left_out(crossing, scan)
    with pytest.raises(MisuseError):
        _settle(crossing, "aside:snuffer", "return")


def _items_of(crossing: Crossing) -> list[str]:
    scan = scan_crossing(crossing, Work())
    return [item.key for item in inspect_plugins(scan, crossing, Work()).items]


def test_pointing_the_project_at_the_target_first_leaves_the_open_merges_open(tree: Tree) -> None:
    wick = make_wick(tree)
    text = wick.profile.read_text().replace(
        "[[role]]",
        '[[site]]\nname = "accepts"\nfiles = ["addons/*/addon.ini"]\nat = { ini = "wick" }\nnotation = "range"\n\n[[role]]',
        1,
    )
    wick.profile.write_text(text)
    crossing = cross_wick(wick)
    before = [view.plugin.id for view in _view(crossing)[0].plugins if view.merge is not None]
    _settle(crossing, "engine:sites", "apply")
    assert [view.plugin.id for view in _view(crossing)[0].plugins if view.merge is not None] == before == ["snuffer"]


_BUILD = """\
import pathlib, subprocess, sys
plugin, out, release = pathlib.Path(sys.argv[1]), pathlib.Path(sys.argv[2]), sys.argv[3]
for source in sorted(plugin.glob("native/*.c")):
    subprocess.run(["g++", "-x", "c", "-c", source, "-o", out / (source.stem + ".o")], check=True)
(out / "stamp.ini").write_text(f"release = {release}\\n")
"""
_COMPILED = """
[plugins.compiled]
sources = ["native/**"]
output = "lib/{release}"
stamp = "stamp.ini"
at = { ini = "release" }

[commands.rebuild]
run = ["python3", "{engine}/build.py", "{plugin}", "{out}", "{release}"]

[commands.build]"""


def _compiled(tree: Tree, script: str, source: str = "int sum(void) { return 3; }\n") -> tuple[Wick, Crossing]:
    wick = make_wick(tree)
    wick.profile.write_text(wick.profile.read_text().replace("\n[commands.build]", _COMPILED))
    (wick.shelf / "wick/2.0/build.py").write_text(script)
    addon = wick.project / "addons/winch"
    for name, text in {
        "addon.ini": "version = 1\nwick = >=1\n",
        "native/sum.c": source,
        "lib/1.4/sum.o": "old",
        "lib/1.4/stamp.ini": "release = 1.4\n",
    }.items():
        (addon / name).parent.mkdir(parents=True, exist_ok=True)
        (addon / name).write_text(text)
    return wick, cross_wick(wick)


def test_a_compiled_plugin_is_built_from_its_sources_swapped_in_and_undone(tree: Tree) -> None:
    wick, crossing = _compiled(tree, _BUILD)
    assert "rebuild:winch" in _items_of(crossing)
    _settle(crossing, "rebuild:winch", "rebuild")
    lib = wick.project / "addons/winch/lib"
    assert sorted(path.name for path in lib.iterdir()) == ["2.0"]
    assert (lib / "2.0/sum.o").read_bytes().startswith(b"\x7fELF") and "2.0" in (lib / "2.0/stamp.ini").read_text()
    assert "rebuild:winch" not in _items_of(crossing)
    with crossing.acting():
        undo(crossing, crossing.logbook()[-1].id, Work())
    assert (lib / "1.4/sum.o").read_text() == "old" and not (lib / "2.0").exists()
    assert "rebuild:winch" in _items_of(crossing)


def test_what_the_build_did_not_make_again_stays_and_so_do_other_releases(tree: Tree) -> None:
    wick, crossing = _compiled(tree, _BUILD)
    lib = wick.project / "addons/winch/lib"
    for name, text in {
        "1.4/notes.txt": "ours",
        "1.4/extra.so": "bought",
        "1.2/sum.o": "older",
        "1.2/stamp.ini": "release = 1.2\n",
    }.items():
        (lib / name).parent.mkdir(exist_ok=True)
        (lib / name).write_text(text)
    _settle(crossing, "rebuild:winch", "rebuild")
    left = sorted(str(path.relative_to(lib)) for path in lib.rglob("*") if path.is_file())
    assert left == ["1.2/stamp.ini", "1.2/sum.o", "1.4/extra.so", "1.4/notes.txt", "2.0/stamp.ini", "2.0/sum.o"]
    assert "rebuild:winch" not in _items_of(crossing)


@pytest.mark.parametrize(
    ("script", "source", "words"),
    [
        (_BUILD, "int sum(void) { return x; }\n", "could not be built"),
        (_BUILD.replace("{release}\\n", "1.4\\n"), "int a;\n", "stamp says 1.4"),
        ("pass\n", "int a;\n", "is missing"),
    ],
)
def test_what_was_not_built_for_the_release_is_not_taken_over(tree: Tree, script: str, source: str, words: str) -> None:
    wick, crossing = _compiled(tree, script, source)
    with pytest.raises(CommandError, match=words):
        _settle(crossing, "rebuild:winch", "rebuild")
    lib = wick.project / "addons/winch/lib"
    assert sorted(str(path.relative_to(lib)) for path in lib.rglob("*")) == ["1.4", "1.4/stamp.ini", "1.4/sum.o"]
