"""Own content imported from elsewhere: all it needs, nothing else, nothing overwritten unasked."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.import_content import ImportPlan, import_content, plan_import, read_assets_for
from fernshale.core.crossing.project.scan import scan_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.record.trust import TrustNeeded, trust
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree, listing
from tests.rush import begin_rush, knot
from tests.wick import Wick, cross_wick, make_wick

_LINKS = r"""
[[links.declare]]
files = ["**/*.voice"]
pattern = 'id (?P<id>\w+)'
[[links.use]]
files = ["**/*.scene"]
pattern = 'voice (?P<id>\w+)'
[[links.include]]
files = ["**/*.scene", "**/*.voice", "**/*.mesh"]
pattern = 'file "(?P<path>[^"]+)"'
roots = ["shared/", "shared/*/"]

[commands.build]"""


def _made(tree: Tree) -> tuple[Wick, Crossing, Path]:
    wick = make_wick(tree)
    wick.profile.write_text(wick.profile.read_text().replace("\n[commands.build]", _LINKS))
    (wick.project / "have.voice").write_text("id gull\n")
    (wick.project / "shared").mkdir()
    (wick.project / "shared/rope.mesh").write_text("rope\n")
    old = tree(
        "old",
        {
            "scenes/quay.scene": 'voice low\nvoice gull\nfile "crane.mesh"\nvoice nobody\nfile "rope.mesh"\n',
            "scenes/crane.mesh": 'file "../art/rust.png"\n',
            "scenes/other.scene": "voice high\n",
            "voices/low.voice": 'id low\nfile "sea.wav"\n',
            "voices/high.voice": "id high\n",
            "voices/gull.voice": "id gull\n",
            "shared/harbour/sea.wav": "wav\n",
            "shared/rope.mesh": "another rope\n",
            "art/rust.png": "\0png",
        },
    )
    return wick, cross_wick(wick), old


def _plan(crossing: Crossing, old: Path, *chosen: str, into: str = "") -> ImportPlan:
    scan = scan_crossing(crossing, Work())
    return plan_import(scan, old, chosen, into, CancelToken())


def test_a_scene_comes_with_all_it_needs_and_nothing_else(tree: Tree) -> None:
    wick, crossing, old = _made(tree)
    plan = _plan(crossing, old, "scenes/quay.scene")
    assert {item.path: (item.state, item.why) for item in plan.files} == {
        "scenes/quay.scene": ("copy", "chosen"),
        "voices/low.voice": ("copy", "scenes/quay.scene:1 needs low"),
        "scenes/crane.mesh": ("copy", "scenes/quay.scene:3 needs crane.mesh"),
        "art/rust.png": ("copy", "scenes/crane.mesh:1 needs ../art/rust.png"),
        "shared/harbour/sea.wav": ("copy", "voices/low.voice:2 needs sea.wav"),
        "shared/rope.mesh": ("differs", "scenes/quay.scene:5 needs rope.mesh"),
    }
    assert [(item.what, item.line) for item in plan.unmet] == [("nobody", 4)]
    before = listing(wick.project)
    scan = scan_crossing(crossing, Work())
    with crossing.acting():
        entry = import_content(crossing, scan, plan, False, "", Work())
    assert (wick.project / "art/rust.png").read_bytes() == b"\0png"
    assert (wick.project / "shared/rope.mesh").read_text() == "rope\n"
    assert not (wick.project / "voices/gull.voice").exists() and not (wick.project / "voices/high.voice").exists()
    again = _plan(crossing, old, "scenes/quay.scene")
    assert again.count("same") == 2 and again.count("copy") == 0
    with crossing.acting():
        undo(crossing, entry, Work())
    assert listing(wick.project) == before


def test_what_stands_there_is_overwritten_only_when_asked(tree: Tree) -> None:
    wick, crossing, old = _made(tree)
    plan = _plan(crossing, old, "shared/rope.mesh")
    scan = scan_crossing(crossing, Work())
    with crossing.acting(), pytest.raises(MisuseError, match="already"):
        import_content(crossing, scan, plan, False, "", Work())
    with crossing.acting():
        import_content(crossing, scan, plan, True, "", Work())
    assert (wick.project / "shared/rope.mesh").read_text() == "another rope\n"


def test_a_folder_can_stand_for_another_one(tree: Tree) -> None:
    _, crossing, old = _made(tree)
    plan = _plan(crossing, old / "scenes", "quay.scene", into="extra/scenes")
    assert [item.target for item in plan.files] == ["extra/scenes/quay.scene", "extra/scenes/crane.mesh"]
    assert {item.what for item in plan.unmet} == {"low", "nobody", "../art/rust.png"}


def test_what_is_not_there_is_said(tree: Tree) -> None:
    _, crossing, old = _made(tree)
    for source, path in ((old, "nowhere"), (old / "nowhere", "x"), (old, "../old/scenes")):
        with pytest.raises(Exception, match=r"nowhere|outside|leaves|not"):
            _plan(crossing, source, path)


def test_binary_assets_bring_what_they_use_once_they_were_read(tree: Tree) -> None:
    crossing = begin_rush(tree)
    old = tree(
        "old",
        {
            "game.json": json.dumps({"rush": "2.0"}),
            "art/pier.knot": knot(("D", "pier"), ("U", "sisal"), ("U", "anchor"), ("U", "plank")),
            "art/sisal.knot": knot(("D", "sisal"), ("U", "fibre")),
            "art/fibre.json": json.dumps({"id": "fibre"}),
            "art/other.knot": knot(("D", "other")),
        },
    )
    shelf = crossing.setup.project.parent / "shelf" / "rush"
    plan = _plan(crossing, old, "art/pier.knot")
    assert [item.path for item in plan.files] == ["art/pier.knot"]
    assert [*plan.unread] == ["art/anchor.knot", "art/other.knot", "art/pier.knot", "art/quay.knot", "art/sisal.knot"]
    scan = scan_crossing(crossing, Work())
    with pytest.raises(TrustNeeded):
        read_assets_for(crossing, scan, plan, Work())
    assert not (shelf / "1.0" / "ran").exists() and not (shelf / "2.0" / "ran").exists()
    trust(scan.profile)
    assert read_assets_for(crossing, scan, plan, Work()) == 5
    # Each side was read by the engine that it names.
    assert [len((shelf / release / "ran").read_text().split()) for release in ("1.0", "2.0")] == [2, 3]
    plan = _plan(crossing, old, "art/pier.knot")
    assert {item.path: item.why for item in plan.files} == {
        "art/pier.knot": "chosen",
        "art/sisal.knot": "art/pier.knot:2 needs sisal",
        "art/fibre.json": "art/sisal.knot:2 needs fibre",
    }
    # The anchor is in the project; nobody declares the plank.
    assert [item.what for item in plan.unmet] == ["plank"] and not plan.unread


def test_a_source_of_an_engine_that_is_not_here_is_read_by_the_projects_own(tree: Tree) -> None:
    crossing = begin_rush(tree)
    trust(read_profile(crossing.setup.profile))
    for name, said in (("elsewhere", '{"rush": "7.0"}'), ("broken", "{"), ("none", '{"other": 1}')):
        old = tree(name, {"game.json": said, "art/pier.knot": knot(("U", name))})
        plan = _plan(crossing, old, "art/pier.knot")
        read_assets_for(crossing, scan_crossing(crossing, Work()), plan, Work())
        plan = _plan(crossing, old, "art/pier.knot")
        assert not plan.unread and [item.what for item in plan.unmet] == [name]


def test_ids_in_files_of_the_engines_own_format_are_followed(tree: Tree) -> None:
    wick = make_wick(tree)
    links = r"""
[[links.declare]]
files = ["**/*.kit"]
key = ["name"]
[[links.use]]
files = ["**/*.kit"]
key = ["needs"]
[[data]]
files = ["**/*.kit"]
object = '^(?P<kind>\w+)(?: \w+="[^"]*")*$'
field = '(?P<key>\w+)="(?P<value>[^"]*)"'

[commands.build]"""
    wick.profile.write_text(wick.profile.read_text().replace("\n[commands.build]", links))
    old = tree("old", {"a.kit": 'part name="high" needs="low"\n', "b.kit": 'part name="low"\n', "c.kit": "part\n"})
    plan = _plan(cross_wick(wick), old, "a.kit")
    assert [item.path for item in plan.files] == ["a.kit", "b.kit"]
