"""The trial on a crossing: messages accepted, checks by release, proposals out of what was touched, pictures, hangs."""

from __future__ import annotations

import base64
import io
import json

import pytest
from lxml import etree, html
from PIL import Image

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.project.check_runs import check_rows
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.reporting.document import report_document
from fernshale.core.crossing.stages.overview import Overview, inspect
from fernshale.core.crossing.stages.trial.check_list import add_check, drop_check, propose_checks, refuse_check
from fernshale.core.crossing.stages.trial.log_origins import find_printers
from fernshale.core.profile.model import Check
from fernshale.core.profile.read import read_profile
from tests.cli.test_commands import data, run
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.wick import Wick, make_wick

_GAME = """\
import pathlib, sys
import wick
out = pathlib.Path(sys.argv[1])
out.mkdir(parents=True, exist_ok=True)
print("room of 3 candles")
if hasattr(wick, "ignite"):
    print("warning: the wick " + "is short")
    print("error: smoke in room 4")
(out / "report.txt").write_text("9 candles\\n")
(out / "last.ppm").write_bytes(pathlib.Path(__file__).with_name("picture.ppm").read_bytes())
"""
_PROFILE = """
[[check]]
name = "report"
produced = "{out}/report.txt"
expected = "{project}/expected.txt"
[[picture]]
name = "last frame"
produced = "{out}/last.ppm"
"""


def _crossing(tree: Tree, silence: str = "") -> tuple[Wick, Crossing]:
    wick = make_wick(tree)
    text = wick.profile.read_text().replace('"{project}/game.py"]', f'"{{project}}/game.py", "{{out}}"]\n{silence}')
    wick.profile.write_text(text + _PROFILE)
    (wick.project / "game.py").write_text(_GAME)
    (wick.project / "more.py").unlink()
    (wick.project / "expected.txt").write_text("9 candles\n")
    Image.new("RGB", (20, 10), (40, 60, 80)).save(wick.project / "picture.ppm")
    profile = read_profile(wick.profile)
    trust(profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())
    _take(crossing, "survey:baseline", "take")
    for key, way in (("plugin:snuffer", "take"), ("engine:sites", "apply"), ("build:run", "build")):
        _take(crossing, key, way)
    return wick, crossing


def _look(crossing: Crossing) -> Overview:
    return inspect(crossing, Work())


def _take(crossing: Crossing, key: str, way: str, why: str = "") -> None:
    act(crossing, key, way, why=why)


def test_new_messages_are_items_until_they_are_accepted_with_a_reason(tree: Tree) -> None:
    _, crossing = _crossing(tree)
    _take(crossing, "trial:run", "run")
    view = _look(crossing).trial
    assert view.run is not None and view.run.ending.kind == "well" and view.pictures[0].difference is not None
    open_ = {open_item.detail: open_item.key for open_item in view.items}
    assert set(open_) == {"warning: the wick is short", "error: smoke in room 4"}
    _take(crossing, open_["error: smoke in room 4"], "accept", "the cook is in")
    _take(crossing, "trial:run", "run")
    view = _look(crossing).trial
    assert [open_item.detail for open_item in view.items] == ["warning: the wick is short"]
    assert "the cook is in" in view.accepted.values()
    found = find_printers(
        _look(crossing).scan,
        next(item.template for item in view.log.differences if item.severity == "warning"),
        CancelToken(),
    )
    assert (found[0].path, found[0].line, found[0].in_engine) == ("game.py", 7, False)


def test_a_picture_that_looks_different_and_one_that_is_gone(tree: Tree) -> None:
    wick, crossing = _crossing(tree)
    image = Image.new("RGB", (20, 10), (40, 60, 80))
    image.paste((240, 200, 10), (2, 2, 8, 8))
    image.save(wick.project / "picture.ppm")
    _take(crossing, "trial:run", "run")
    (open_item,) = [item for item in _look(crossing).trial.items if item.key == "trial:picture:last frame"]
    assert "looks different" in open_item.title
    page = html.fromstring(report_document(_look(crossing), crossing, ".html"))
    shown = [base64.b64decode(found.get("src").partition(",")[2]) for found in page.iterfind(".//img")]
    colours = [Image.open(io.BytesIO(found)).getpixel((4, 4)) for found in shown]
    assert colours == [(40, 60, 80), (240, 200, 10)], "the picture before, and now"
    (wick.project / "game.py").write_text(_GAME.replace('(out / "last.ppm")', '(out / "other.ppm")'))
    _take(crossing, "trial:run", "run")
    (open_item,) = [item for item in _look(crossing).trial.items if item.key == "trial:picture:last frame"]
    assert "did not leave it" in open_item.title


def test_a_run_that_hangs_is_ended_and_said(tree: Tree) -> None:
    wick, crossing = _crossing(tree, "silence_s = 0.5")
    (wick.project / "game.py").write_text("import time\nprint('here', flush=True)\ntime.sleep(60)\n")
    _take(crossing, "trial:run", "run")
    (open_item,) = [item for item in _look(crossing).trial.items if item.key == "trial:failed"]
    assert "hangs" in open_item.title and open_item.detail == "here"


def test_checks_of_ones_own_by_hand_and_by_themselves_release_by_release(tree: Tree) -> None:
    _wick, crossing = _crossing(tree)
    scan = scan_crossing(crossing, Work())
    add_check(crossing, scan, Check("candles", prints=r"room of \d candles"))
    add_check(crossing, scan, Check("old save loads", by_hand="Open a save of 1.4; the room is lit."))
    add_check(crossing, scan, Check("tool", run=("python3", "-c", "print('fine')"), prints="fine"))
    with pytest.raises(MisuseError, match="the profile has a check report already"):
        add_check(crossing, scan, Check("report", by_hand="x"))
    _take(crossing, "trial:run", "run")
    view = _look(crossing).trial
    rows = {row.check.name: row for row in view.checks}
    assert rows["report"].on("1.4").is_good and rows["report"].on("2.0").is_good
    assert rows["candles"].on("2.0").is_good and rows["tool"].on("2.0").detail.endswith("fine")
    (open_item,) = [item for item in view.items if item.key == "trial:check:old save loads"]
    assert [way.id for way in open_item.options] == ["passed", "failed", "accept"]
    _take(crossing, open_item.key, "failed", "the room is dark")
    result = {row.check.name: row for row in check_rows(crossing, scan)}["old save loads"].on("2.0")
    assert (result.verdict, result.detail, result.who) == ("failed", "the room is dark", "test")
    drop_check(crossing, "tool")
    assert "tool" not in [row.check.name for row in check_rows(crossing, scan)]


def test_what_the_upgrade_touched_is_proposed_to_try(tree: Tree) -> None:
    _, crossing = _crossing(tree)
    scan = scan_crossing(crossing, Work())
    names = [item.check.name for item in propose_checks(crossing, scan)]
    assert "works: addons/snuffer" in names
    refuse_check(crossing, "works: addons/snuffer")
    assert "works: addons/snuffer" not in [item.check.name for item in propose_checks(crossing, scan)]


def test_the_command_line_tries_marks_and_writes_junit(tree: Tree, tmp_path) -> None:
    wick, _ = _crossing(tree)
    data("check", wick.project, "old save", "--by-hand", "open one")
    found = data("trial", wick.project, "--junit", tmp_path / "checks.xml", code=3)
    assert isinstance(found, dict) and {item["name"]: item["verdict"] for item in found["checks"]} == {
        "report": "passed",
        "old save": "not tried",
    }
    assert [item["sign"] for item in found["log"]] == ["new", "new"]
    data("check", wick.project, "old save", "--mark", "passed", "--why", "lit")
    done = run("trial", wick.project, "--look", "--junit", tmp_path / "checks.xml")
    assert "old save: passed" in done.stdout
    suites = {suite.get("name"): suite for suite in etree.parse(str(tmp_path / "checks.xml")).getroot()}
    assert suites["2.0"].get("tests") == "2" and suites["1.4"].get("tests") == "1"
    assert run("check", wick.project, "bad").returncode == 2
    assert json.dumps(found)
