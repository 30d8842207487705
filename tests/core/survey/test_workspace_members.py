"""Workspaces: who inherits, overrides and pins, and that only those who go along are touched."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.autopilot import cross
from fernshale.core.crossing.flow.start import Extent, begin_crossing
from fernshale.core.crossing.project.scan import ScanOptions, scan_project
from fernshale.core.crossing.record.decisions import read_decisions
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.profile.model import Override, Profile, Reach, Recognise, Site, Workspace
from fernshale.core.profile.read import read_profile
from fernshale.core.survey.plugins import read_folder
from fernshale.core.survey.workspace_members import choose_members, find_members, with_override
from fernshale.sample import unpack
from tests.conftest import Tree, listing

_WORKSPACE = Workspace(
    ("libs/*", "apps/**/*"), "m.json", Reach(json="/name"), Reach(json="/engine"), Reach(json="/pinned"), "workspace"
)
_PROFILE = Profile(
    "e", "E", Recognise(("w.json",)), (Site("root", ("w.json",), Reach(json="/engine")),), workspace=_WORKSPACE
)


def test_members_inherit_override_and_pin(tree: Tree, token: CancelToken) -> None:
    root = tree(
        "work",
        {
            "libs/a/m.json": '{"name": "alpha"}',
            "libs/b/m.json": '{"name": "beta", "engine": "workspace"}',
            "libs/c/m.json": '{"engine": "1.0"}',
            "apps/deep/d/m.json": '{"name": "delta", "pinned": "0.9", "engine": "workspace"}',
            "libs/none/x": "",
        },
    )
    members = find_members(_PROFILE, root, read_folder(root, token), "2.0")
    assert [(item.name, item.folder, item.how, item.release) for item in members] == [
        ("delta", "apps/deep/d", "pins", "0.9"),
        ("alpha", "libs/a", "inherits", "2.0"),
        ("beta", "libs/b", "inherits", "2.0"),
        ("c", "libs/c", "overrides", "1.0"),
    ]
    assert members[0].site is not None and members[0].site.value.text == "0.9" and members[1].site is None
    assert [item.folder for item in choose_members(members, ["alpha", "libs/c/"])] == ["libs/a", "libs/c"]
    with pytest.raises(MisuseError, match="no member omega"):
        choose_members(members, ["omega"])


@pytest.mark.parametrize(
    ("text", "after", "result"),
    [
        ("name = x\nother = 1\n", "^name", "name = x\nengine = 3.1\nother = 1\n"),
        ("other = 1\r\n", "^name", "other = 1\r\nengine = 3.1\r\n"),
        ("name = x", "^name", "name = x\nengine = 3.1\n"),
        ("", "", "engine = 3.1\n"),
        ("engine = as root\nname = x\n", "^name", "engine = 3.1\nname = x\n"),
    ],
)
def test_a_member_gets_a_release_of_its_own(text: str, after: str, result: str) -> None:
    override = Override("engine = {release}", after)
    workspace = Workspace(("*",), "m", release=Reach(properties="engine"), inherits="as root", override=override)
    assert with_override(workspace, text, "3.1", "m") == result


def test_an_override_that_leads_nowhere_is_refused() -> None:
    workspace = Workspace(("*",), "m", release=Reach(properties="engine"), override=Override("motor = {release}"))
    with pytest.raises(MisuseError, match=r"does not lead to 3\.1"):
        with_override(workspace, "name = x\n", "3.1", "m")


def _cross(folder: Path, members: tuple[str, ...] = ()) -> tuple[Path, Overview, dict[str, object]]:
    sample = unpack(folder, "quayside")
    before = listing(sample.project)
    profile = read_profile(sample.profile)
    trust(profile)
    token = CancelToken()
    crossing = begin_crossing(
        sample.project, profile, [sample.shelf], "2.0", Work(token=token), Extent(members=members)
    )
    recorded = read_decisions(sample.decisions)
    overview = cross(crossing, recorded, lambda _: None, lambda *_: None, Work(token=token))
    return sample.project, overview, before


def test_workspace_crosses_but_for_the_member_that_stays_pinned(tmp_path: Path) -> None:
    project, overview, before = _cross(tmp_path / "s")
    assert overview.is_done and overview.build.rounds[0].total >= 10
    assert len(overview.scan.members) == 12 and "toys/kite" not in overview.scan.along
    assert {item.release for item in overview.scan.members if item.name != "kite"} == {"2.0"}
    assert {path: what for path, what in listing(project).items() if path.startswith("toys/kite/")} == {
        path: what for path, what in before.items() if path.startswith("toys/kite/")
    }


def test_chosen_members_cross_and_nothing_else_is_touched(tmp_path: Path) -> None:
    project, overview, before = _cross(tmp_path / "s", ("bell", "market", "net"))
    after = listing(project)
    changed = {path for path in before if before[path] != after[path]}
    assert changed == {
        "toys/bell/main.py", "toys/bell/toy.properties", "toys/market/main.py", "toys/market/toy.properties",
        "toys/net/main.py", "toys/net/toy.properties",
    }  # fmt: skip
    assert (project / "toys/bell/toy.properties").read_text().endswith("engine = 2.0\n")
    assert overview.build.passed and [item.key for item in overview.items] == ["trial:check:what the toys say"]


def test_members_of_different_releases_do_not_cross_together(tmp_path: Path) -> None:
    with pytest.raises(MisuseError, match=r"bell is on 1.8, kite is on 1.6"):
        _cross(tmp_path / "s", ("bell", "kite"))


def test_survey_lists_the_members(tmp_path: Path) -> None:
    sample = unpack(tmp_path / "s", "quayside")
    words = [sys.executable, "-m", "fernshale", "survey", sample.project, "--profile", sample.profile, "--json"]
    found = json.loads(subprocess.run(words, capture_output=True, check=True).stdout)
    how = [item["how"] for item in found["members"]]
    assert (how.count("inherits"), how.count("overrides"), how.count("pins")) == (9, 1, 2)
    scan = scan_project(sample.project, read_profile(sample.profile), None, Work(), ScanOptions(members=["kite"]))
    assert scan.release == "1.6" and scan.along == ("toys/kite",)
