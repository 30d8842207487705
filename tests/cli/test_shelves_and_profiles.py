"""shelf, profile, role, decide and a route over the wire, as processes."""

from __future__ import annotations

import json
import os
import re
import signal
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from fernshale.sample import shape_releases, unpack, unpack_shape
from tests.cli.test_commands import data, run
from tests.conftest import Tree, listing
from tests.wick import make_wick


@contextmanager
def _serving(folder: Path) -> Iterator[str]:
    words = [sys.executable, "-m", "fernshale", "shelf", "serve", str(folder)]
    with subprocess.Popen(words, stdout=subprocess.PIPE, text=True) as server:
        assert server.stdout is not None
        found = re.search(r"http://\S+", server.stdout.readline())
        assert found is not None
        try:
            yield found[0]
        finally:
            server.send_signal(signal.SIGINT)
            assert server.wait(20) == 0


def test_a_crossing_is_planned_and_merged_from_a_served_shelf(tree: Tree) -> None:
    wick = make_wick(tree)
    before = listing(wick.project)
    with _serving(wick.shelf) as address:
        shown = data("shelf", "show", address)
        assert [item["version"] for item in shown["engines"]] == ["1.4", "2.0"]  # type: ignore[index]
        words = ("route", wick.project, "--to", "2.0", "--shelf", address, "--profile", wick.profile)
        found = data(*words)
        (leg,) = found["legs"]  # type: ignore[index]
        assert (leg["from"], leg["to"]) == ("1.4", "2.0")
        assert [(item["id"], item["to"], item["action"]) for item in leg["plugins"]] == [("snuffer", "2", "update")]
        assert leg["known_places"] == 3 and found["routes"][0]["chosen"]  # type: ignore[index]
        survey = data("survey", wick.project)
        assert survey["plugins"][0]["origin"]["version"] == "1"  # type: ignore[index]
        assert survey["plugins"][0]["edited"] == ["snuffer.py"]  # type: ignore[index]
        assert listing(wick.project) == before
        done = run("cross", wick.project, "--to", "2.0", "--auto", "--trust")
        assert done.returncode == 0, done.stdout + done.stderr
    assert "step_0 = 'mine'" in (wick.project / "addons/snuffer/snuffer.py").read_text()


def test_a_profile_is_drafted_checked_and_not_written_over(tree: Tree, tmp_path: Path) -> None:
    wick = make_wick(tree)
    before = listing(wick.project)
    draft = tmp_path / "mine.profile.toml"
    assert run("profile", "draft", wick.project, "--out", draft).returncode == 0
    again = run("profile", "draft", wick.project, "--out", draft)
    assert again.returncode == 2 and "is there already" in again.stderr
    assert run("profile", "draft", wick.project).stdout == draft.read_text()
    assert data("profile", "check", draft, "--project", wick.project)["ok"] is True  # type: ignore[index]
    draft.write_text(draft.read_text().replace("[recognise]", "colour = 1\n[recognise]"))
    bad = run("profile", "check", draft)
    assert bad.returncode == 1 and re.search(r"mine\.profile\.toml:\d+: error: unknown key colour", bad.stdout)
    assert listing(wick.project) == before


def test_roles_are_explained_and_given(tree: Tree) -> None:
    wick = make_wick(tree)
    where = (wick.project, "addons/snuffer/snuffer.py", "--profile", wick.profile)
    found = data("role", *where)
    assert found == {"place": "addons/snuffer/snuffer.py", "role": "plugin", "why": "profile: addons/**"}
    assert (
        "by a rule of your own" in run("role", wick.project, "addons/snuffer", "own", "--profile", wick.profile).stdout
    )
    assert data("role", *where)["role"] == "own"  # type: ignore[index]
    assert run("role", wick.project, "addons/snuffer", "--withdraw", "--profile", wick.profile).returncode == 0
    assert data("role", *where)["role"] == "plugin"  # type: ignore[index]


def test_one_item_is_decided_and_taken_back(tree: Tree) -> None:
    wick = make_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    shelf.write_text(shelf.read_text().replace('accepts = ">=2, <3"', 'accepts = ">=7"'))
    named = ("--shelf", wick.shelf, "--profile", wick.profile)
    first = run("route", wick.project, "--to", "2.0", *named)
    assert first.returncode == 3 and "snuffer has nothing for 2.0" in first.stdout
    assert run("decide", wick.project, "route:2.0:snuffer", "jump").returncode == 2
    assert run("decide", wick.project, "route:9:other", "keep").returncode == 2
    left = data("decide", wick.project, "route:2.0:snuffer", "keep", "--why", "it is enough", code=3)
    assert "route:2.0:snuffer" not in [item["key"] for item in left["items"]]  # type: ignore[index]
    left = data("decide", wick.project, "route:2.0:snuffer", "--withdraw", code=3)
    assert "route:2.0:snuffer" in [item["key"] for item in left["items"]]  # type: ignore[index]


def test_several_projects_are_surveyed_in_one_table(tree: Tree, tmp_path: Path) -> None:
    wick = make_wick(tree)
    toys = unpack(tmp_path / "q", "quayside")
    profiles = Path(os.environ["FERNSHALE_HOME"]) / "profiles"
    profiles.mkdir(parents=True)
    (profiles / wick.profile.name).write_text(wick.profile.read_text())
    found = data("survey", wick.project, toys.project, tmp_path / "nowhere", code=1)
    rows = [(item["release"], item.get("members_apart")) for item in found["projects"]]  # type: ignore[index]
    assert rows == [("1.4", []), ("1.8", ["kite 1.6", "rope 1.7"]), (None, None)]
    assert "is not a folder" in found["projects"][2]["trouble"]  # type: ignore[index]


def test_snapshots_are_forgotten_by_policy_and_by_id(tree: Tree, tmp_path: Path) -> None:
    root, store = tree("t", {"a": "1"}), tmp_path / "store"
    ids = []
    for number in range(3):
        (root / "a").write_text(str(number) * 500)
        ids.append(data("snapshot", "take", root, "--store", store)["id"])  # type: ignore[index]
    would = data("snapshot", "delete", "--keep-last", 1, "--dry-run", "--store", store)
    assert would == {"forgotten": ids[:2], "freed": 0, "done": False}
    gone = data("snapshot", "delete", ids[0], "--store", store)
    assert gone["forgotten"] == [ids[0]] and gone["freed"] > 0  # type: ignore[index]
    assert [item["id"] for item in data("snapshot", "list", "--store", store)] == ids[1:]  # type: ignore[attr-defined]
    assert run("snapshot", "forget", "--store", store).returncode == 2  # the former name


def test_a_crossing_of_some_members_goes_on_without_naming_them_again(tmp_path: Path) -> None:
    toys = unpack(tmp_path / "q", "quayside")
    words = ("cross", toys.project, "--to", "2.0")
    data(*words, "--shelf", toys.shelf, "--profile", toys.profile, "--member", "bell", code=3)
    run("decide", toys.project, "survey:baseline", "without")
    entries = len(run("logbook", toys.project).stdout.splitlines())
    data(*words, code=3)
    assert len(run("logbook", toys.project).stdout.splitlines()) == entries > 1


def test_a_server_that_is_gone_is_said(tree: Tree) -> None:
    wick = make_wick(tree)
    words = ("route", wick.project, "--to", "2.0", "--shelf", "http://127.0.0.1:9", "--profile", wick.profile)
    done = run(*words)
    assert done.returncode == 1 and "http://127.0.0.1:9/shelf.toml could not be fetched" in done.stderr
    assert "Traceback" not in done.stderr


def test_json_is_json_everywhere(tree: Tree) -> None:
    wick = make_wick(tree)
    done = run("shelf", "show", wick.shelf, "--json")
    assert json.loads(done.stdout)["addresses"] == [os.fspath(wick.shelf)]


def test_a_project_is_described_by_options_and_releases_are_added(tmp_path: Path) -> None:
    project = unpack_shape(tmp_path, "lantern-run")
    words = (
        "--value",
        "build.settings:5:2026=belongs",
        "--value",
        "README.txt:3:4.2.1=mine",
        "--folder",
        "gradle=other",
    )
    done = run("profile", "describe", project, *words, "--build", "sh build.sh {engine} {build}", "--out", tmp_path)
    assert done.returncode == 3 and "still open" in done.stdout and "kiln 4.2.1, written in 8 places" in done.stdout
    profile = tmp_path / "kiln.profile.toml"
    text = profile.read_text()
    assert 'name = "glaze"' in text and "README.txt" not in text and '"gradle/**"' in text
    bad = run("profile", "describe", project, "--value", "build.settings:5:nothing=belongs")
    assert bad.returncode == 2 and "has no value" in bad.stderr
    shelf = tmp_path / "shelf"
    found = data("shelf", "add", shelf, shape_releases("lantern-run"), "--profile", profile, "--in-place")
    assert [item["version"] for item in found["added"]] == ["4.2.1", "5.0.0", "1.3.0", "1.4.0"]  # type: ignore[index,call-overload]
    assert data("shelf", "add", shelf, shape_releases("lantern-run"), "--profile", profile)["added"] == []  # type: ignore[index,call-overload]
