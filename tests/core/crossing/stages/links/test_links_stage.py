"""Links on a crossing: relinked in one step and taken back, data rewritten for one and for all, scans mended and left so."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time

import pytest

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.reporting.playbook import export_playbook
from fernshale.core.crossing.stages.overview import Overview, inspect
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import Wick, cross_wick, make_wick

_PROFILE = """
[[links.declare]]
files = ["addons/**/*.json"]
key = ["uid"]
[[links.use]]
files = ["rooms/*.json"]
key = ["lamp"]
[[links.use]]
files = ["rooms/*.json"]
key = ["picture"]
names = "file"
[[data]]
files = ["plans/*.plan"]
object = '^(?P<kind>\\w+)(?: \\w+=\\S+)+$'
field = '(?P<key>\\w+)=(?P<value>\\S+)'
"""
_RULES = """
[[rule]]
id = "turn"
kind = "data"
files = ["rooms/*.json"]
object = "lamps/*"
when = "angle != 0"
set = { angle = "360 - angle" }
why = "angles count the other way"

[[expect]]
id = "door"
title = "every room has a door"
files = ["plans/*.plan"]
object = "door"
least = 1
add = "door wide=2"
why = "rooms without a door cannot be left"

[[expect]]
id = "one-hearth"
title = "a room has one hearth"
files = ["plans/*.plan"]
object = "hearth"
most = 1

[[expect]]
id = "glow"
title = "every lamp says its glow"
files = ["rooms/*.json"]
object = "lamps/*"
field = "glow"
default = "warm"

[[expect]]
id = "lit"
title = "every place has its lamp"
files = ["rooms/*.json"]
object = "lamps/*"
field = "lamp"

[[expect]]
id = "shade"
title = "a shutter is open or shut"
files = ["plans/*.plan"]
object = "shutter"
field = "state"
values = ["open", "shut"]
"""


def _lamp(uid: str, **more: object) -> str:
    return json.dumps({"uid": uid, **more}, indent=1)


def _crossing(tree: Tree, rooms: int = 3) -> tuple[Wick, Crossing]:
    """On 2.0 already, with an addon whose lamps got other ids and whose picture moved."""
    wick = make_wick(tree)
    with open(wick.profile, "a") as file:
        file.write(_PROFILE)
    with open(wick.shelf / "notes.rules.toml", "a") as file:
        file.write(_RULES)
    for name, number in (("tall", 1), ("low", 2)):
        for place, uid in ((wick.project / "addons/snuffer", f"old-{number}"), (wick.shelf / "snuffer/1", f"old-{number}"),
                           (wick.shelf / "snuffer/2", f"{number}{number}{number}-fresh")):  # fmt: skip
            (place / f"{name}.json").write_text(_lamp(uid, look=name, size=number * 3, height=number + 4))
    for place in (wick.project / "addons/snuffer", wick.shelf / "snuffer/1"):
        (place / "glow.png").write_bytes(b"\0glow" * 9)
    (wick.shelf / "snuffer/2/art").mkdir()
    (wick.shelf / "snuffer/2/art/glow.png").write_bytes(b"\0glow" * 9)
    (wick.project / "rooms").mkdir()
    for number in range(rooms):
        lamps = f'{{"lamp": "old-{number % 2 + 1}", "angle": {number * 30}, "glow": "dim"}}, {{"lamp": "old-1", "angle": 90}}'
        text = f'{{ "lamps": [ {lamps} ],\r\n  "picture": "../addons/snuffer/glow.png" }}'
        (wick.project / f"rooms/{number}.json").write_text(text, newline="")
    (wick.project / "plans").mkdir()
    (wick.project / "plans/hall.plan").write_text("# hall\nhearth warm=3\nhearth warm=5\nwindow wide=1\n")
    (wick.project / "plans/attic.plan").write_text("door wide=1\nwindow wide=1\n")
    profile = read_profile(wick.profile)
    trust(profile)
    crossing = begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())
    for key in ("plugin:snuffer", "engine:sites"):
        _take(crossing, key, "take" if key.startswith("plugin") else "apply")
    return wick, crossing


def _look(crossing: Crossing) -> Overview:
    return inspect(crossing, Work())


def _take(crossing: Crossing, key: str, way: str, why: str = "") -> None:
    act(crossing, key, way, why=why)


def test_everything_sure_is_relinked_in_one_step_that_can_be_taken_back(tree: Tree) -> None:
    wick, crossing = _crossing(tree)
    before = listing(wick.project)
    view = _look(crossing).links
    assert {item.id: item.automatic[0].id for item in view.missing} == {
        "old-1": "111-fresh",
        "old-2": "222-fresh",
        "addons/snuffer/glow.png": "addons/snuffer/art/glow.png",
    }
    for item in view.missing:
        _take(crossing, f"{'file' if item.is_file else 'links'}:{item.id}", item.automatic[0].id)
    now = listing(wick.project)
    text = before["rooms/1.json"][0]
    wanted = (
        text.replace(b"old-1", b"111-fresh").replace(b"old-2", b"222-fresh").replace(b"/glow.png", b"/art/glow.png")
    )
    assert now["rooms/1.json"][0] == wanted and not _look(crossing).links.missing
    for entry in reversed([item.id for item in crossing.logbook() if item.stage.value == "Links"]):
        undo(crossing, entry, Work())
    assert listing(wick.project) == before and len(_look(crossing).links.missing) == 3


def test_left_dangling_by_decision_is_listed_and_not_asked_again(tree: Tree) -> None:
    _, crossing = _crossing(tree)
    _take(crossing, "links:old-1", "", "that lamp is gone for good")
    view = _look(crossing).links
    assert [item.id for item in view.left] == ["old-1"] and "old-1" not in [item.id for item in view.missing]
    with pytest.raises(MisuseError, match="nothing declares the id zzz"):
        _take(crossing, "links:old-2", "zzz")


def test_data_is_rewritten_for_one_and_then_for_all_like_it_and_never_twice(tree: Tree) -> None:
    wick, crossing = _crossing(tree)

    def angles() -> list[int]:
        texts = [(wick.project / f"rooms/{number}.json").read_text() for number in range(3)]
        return [lamp["angle"] for text in texts for lamp in json.loads(text)["lamps"]]

    (work,) = _look(crossing).links.data_scan.work
    assert angles() == [0, 90, 30, 90, 60, 90] and work.total == 5
    found = work.objects["rooms/1.json"][0]  # type: ignore[index]
    assert found.before["angle"] == 30 and found.after["angle"] == 330
    _take(crossing, "data:turn", f"one rooms/1.json#{found.found.number}")
    assert angles() == [0, 90, 330, 90, 60, 90] and _look(crossing).links.data_scan.work[0].total == 4
    _take(crossing, "data:turn", "all")
    assert angles() == [0, 270, 330, 270, 300, 270] and not _look(crossing).links.data_scan.work
    undo(crossing, crossing.logbook()[-1].id, Work())
    assert angles() == [0, 90, 330, 90, 60, 90] and _look(crossing).links.data_scan.work[0].total == 4


def test_scans_are_mended_scanned_again_or_left_so_with_a_reason(tree: Tree) -> None:
    wick, crossing = _crossing(tree)
    keys = {
        open_item.key: open_item for open_item in _look(crossing).links.items if open_item.key.startswith("expect:")
    }
    assert set(keys) == {"expect:door", "expect:glow", "expect:one-hearth:plans/hall.plan"}
    _take(crossing, "expect:door", "mend")
    assert (wick.project / "plans/hall.plan").read_text().endswith("window wide=1\ndoor wide=2\n")
    assert (wick.project / "plans/attic.plan").read_text() == "door wide=1\nwindow wide=1\n"
    _take(crossing, "expect:glow", "mend")
    assert json.loads((wick.project / "rooms/0.json").read_text())["lamps"][1]["glow"] == "warm"
    _take(crossing, "expect:one-hearth:plans/hall.plan", "drop 0")
    assert "warm=3" not in (wick.project / "plans/hall.plan").read_text()
    assert not _look(crossing).links.data_scan.unmet
    scan = scan_crossing(crossing, Work())
    way = export_playbook(crossing, scan, CancelToken())  # the next project meets the same
    assert 'key = "expect:one-hearth:plans/hall.plan"\ntake = "drop 0"' in way
    (wick.project / "plans/cellar.plan").write_text("hearth warm=1\nhearth warm=2\ndoor wide=1\n")
    _take(crossing, "expect:one-hearth:plans/cellar.plan", "", "both are lit at feasts")
    scan = _look(crossing).links.data_scan
    assert not scan.unmet and [(item.file, why) for item, why in scan.ignored] == [
        ("plans/cellar.plan", "both are lit at feasts")
    ]


def test_a_broken_file_is_said_and_stops_nothing(tree: Tree) -> None:
    wick, crossing = _crossing(tree)
    (wick.project / "rooms/2.json").write_text('{"lamps": [ {"lamp": "old-1", "angle": 5,,')
    scan = _look(crossing).links.data_scan
    assert any("rooms/2.json" in words for words in scan.troubles) and scan.work[0].total == 3


def test_nothing_is_scanned_before_the_project_is_on_the_release(tree: Tree) -> None:
    _, crossing = _crossing(tree)
    undo(
        crossing,
        next(item.id for item in crossing.logbook() if item.stage.value == "Engine"),
        Work(),
    )
    assert _look(crossing).links.data_scan.work == ()


_RELINK = """
import sys
from pathlib import Path
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import carry_out
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import open_crossing
from fernshale.core.crossing.stages.links.actions import Relink
carry_out(open_crossing(Path(sys.argv[1])), Relink("old-1", "111-fresh"), Author("test"), Work(on_line=print))
"""


@pytest.mark.parametrize("after_s", [0.0, 0.1, 0.25])
def test_killed_while_many_files_are_relinked(tree: Tree, after_s: float) -> None:
    wick, crossing = _crossing(tree, rooms=1200 if after_s else 500)
    before = {path.name: path.read_bytes() for path in (wick.project / "rooms").iterdir()}
    child = subprocess.Popen(
        [sys.executable, "-c", _RELINK, str(wick.project)], env=os.environ, stdout=subprocess.DEVNULL
    )
    journal = crossing.journal
    deadline = time.monotonic() + 60
    while child.poll() is None and not journal.exists() and time.monotonic() < deadline:
        time.sleep(0.005)
    time.sleep(after_s)
    child.send_signal(signal.SIGKILL)
    child.wait()
    _look(crossing)  # the next start settles it
    now = {path.name: path.read_bytes() for path in (wick.project / "rooms").iterdir()}
    after = {name: data.replace(b'"old-1"', b'"111-fresh"') for name, data in before.items()}
    assert now in (before, after)


def test_an_id_that_two_declare_since_the_crossing_began_is_a_item(tree: Tree) -> None:
    wick, crossing = _crossing(tree)
    (wick.project / "addons/snuffer/copy.json").write_text(_lamp("111-fresh", look="tall"))
    (open_item,) = [item for item in _look(crossing).links.items if item.key.startswith("doubled:")]
    assert open_item.title == "111-fresh is declared 2 times" and "addons/snuffer/copy.json:2" in open_item.detail
    _take(crossing, open_item.key, "", "one is for the attic")
    assert not _look(crossing).links.doubled


def test_where_the_merge_moved_a_file_is_asked_of_the_merge(tree: Tree) -> None:
    wick = make_wick(tree)
    with open(wick.profile, "a") as file:
        file.write(_PROFILE)
    old = "".join(f"line {n} of the note\n" for n in range(9))
    new = old.replace("line 2", "row 2").replace("line 6", "row 6")
    for place in (wick.project / "addons/snuffer", wick.shelf / "snuffer/1"):
        (place / "note.txt").write_text(old)
    (wick.shelf / "snuffer/2/words").mkdir()
    (wick.shelf / "snuffer/2/words/brief.txt").write_text(new)
    (wick.project / "rooms").mkdir()
    (wick.project / "rooms/1.json").write_text('{"picture": "../addons/snuffer/note.txt"}')
    crossing = cross_wick(wick)
    _take(crossing, "plugin:snuffer", "take")
    (item,) = _look(crossing).links.missing
    assert item.candidates[0].id == "addons/snuffer/words/brief.txt" and item.automatic
    assert "addons/snuffer/note.txt is addons/snuffer/words/brief.txt now" in item.candidates[0].evidence
    entry = crossing.logbook()[-1].id
    undo(crossing, entry, Work())
    assert not _look(crossing).links.missing


def test_an_empty_reference_gets_what_it_held_before_or_what_its_like_hold(tree: Tree) -> None:
    wick, crossing = _crossing(tree)
    room = wick.project / "rooms/0.json"
    room.write_bytes(room.read_bytes().replace(b'"lamp": "old-1", "angle": 90', b'"lamp": "", "angle": 90'))
    (wick.project / "plans/hall.plan").write_text("shutter wide=1 state=open\nshutter wide=2 state=ajar\n")
    view = _look(crossing).links
    items = {item.key: item for item in view.items}
    lamp = items["expect:lit:rooms/0.json"].options[0]
    assert (lamp.id, lamp.is_automatic) == ("set 111-fresh", False)
    assert lamp.evidence == ("it held old-1 before the crossing, which is called this now",)
    # It held nothing before, and what is not allowed is not proposed.
    shade = [way for way in items["expect:shade:plans/hall.plan"].options if way.id]
    assert [(way.id, way.evidence) for way in shade] == [("set open", ("1 of 2 others hold it",))]
    with pytest.raises(MisuseError, match="is not allowed for state"):
        _take(crossing, "expect:shade:plans/hall.plan", "set ajar")
    _take(crossing, "expect:lit:rooms/0.json", lamp.id)
    assert '"lamp": "111-fresh", "angle": 90' in room.read_text()
    assert "expect:lit:rooms/0.json" not in {item.key for item in _look(crossing).links.items}


@pytest.mark.parametrize(
    ("beside", "is_automatic"), [("", True), (' "hue": [1, 2],', True), (' "old": [1, 2],', False)]
)
def test_a_data_rule_that_drops_more_than_a_plain_value_waits_for_a_person(
    tree: Tree, beside: str, is_automatic: bool
) -> None:
    wick = make_wick(tree)
    (wick.project / "rooms").mkdir()
    (wick.project / "rooms/1.json").write_text(f'{{{beside} "size": 4}}\n')
    rules = wick.shelf / "notes.rules.toml"
    rule = '\n[[rule]]\nid = "slim"\nkind = "data"\nfiles = ["rooms/*.json"]\ndrop = ["size", "old"]\nwhy = "nothing reads it"\n'
    rules.write_text(rules.read_text() + rule)
    crossing = cross_wick(wick)
    _take(crossing, "engine:sites", "apply")
    open_item = next(item for item in _look(crossing).items if item.key == "data:slim")
    option = open_item.options[0]
    assert option.is_automatic == is_automatic and open_item.needs_you != is_automatic
    assert is_automatic or any("never applied automatically" in line and "[1, 2]" in line for line in option.evidence)
