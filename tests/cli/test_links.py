"""`fernshale links` on trees that belong to no crossing: by folder and by snapshot, looked at and applied."""

from __future__ import annotations

import sys
from pathlib import Path

from tests.cli.test_commands import data, run
from tests.conftest import Tree
from tests.rush import begin_rush

sys.path.insert(0, str(Path(__file__).parents[1] / "core/links"))
from orchard import make_grove, profile_text


def test_links_by_folder_and_by_snapshot(tree: Tree, tmp_path: Path) -> None:
    grove = make_grove("xml", 200, 12, 3)
    before, now = tree("before", grove.before), tree("now", grove.now)
    profile = tmp_path / "grove.profile.toml"
    profile.write_text(profile_text("xml"))
    snapshot = data("snapshot", "take", before)
    assert isinstance(snapshot, dict)
    by_folder = data("links", now, "--profile", profile, "--before", before, code=3)
    by_snapshot = data("links", now, "--profile", profile, "--before", snapshot["id"], code=3)
    assert by_folder == by_snapshot and isinstance(by_folder, dict)
    assert {item["id"] for item in by_folder["dangling"]} == set(grove.right)
    gone = {id for id, new in grove.right.items() if new is None}
    assert gone <= set(by_folder["undecided"])
    assert all((now / path).read_bytes() == content for path, content in grove.now.items())
    sure = {item["old"] for item in by_folder["proposals"] if item["score"] >= 0.9}
    data("links", now, "--profile", profile, "--before", before, "--apply", code=3)
    left = data("links", now, "--profile", profile, "--before", before, code=3)
    assert isinstance(left, dict) and not sure & {
        item["id"] for item in left["dangling"] if item["id"] in sure - set(_split(grove.right))
    }
    right = sum((now / path).read_bytes() == content for path, content in grove.wanted.items())
    assert right >= len(grove.wanted) - 6


def _split(right: dict[str, object]) -> list[str]:
    return [id for id, new in right.items() if isinstance(new, dict)]


def test_nothing_dangles_and_bad_calls_are_told(tree: Tree, tmp_path: Path) -> None:
    grove = make_grove("json", 30, 0, 1)
    before = tree("before", grove.before)
    profile = tmp_path / "grove.profile.toml"
    profile.write_text(profile_text("json"))
    done = run("links", before, "--profile", profile, "--before", before)
    assert done.returncode == 0 and done.stdout == "no missing references\n"
    assert run("links", before, "--profile", profile, "--before", "no-such-snapshot").returncode == 2
    assert run("links", tmp_path / "none", "--profile", profile, "--before", before).returncode == 2
    profile.write_text(profile_text("json").replace('key = ["uid"]', 'key = ["uid"]\npattern = "x"'))
    done = run("links", before, "--profile", profile, "--before", before)
    assert done.returncode == 2 and "exactly one of pattern, key and at" in done.stderr


def test_binary_assets_of_a_tree_without_a_crossing_are_named_as_not_read(tree: Tree) -> None:
    crossing = begin_rush(tree)
    before, profile = crossing.setup.project, crossing.setup.profile
    done = run("links", before, "--profile", profile, "--before", before)
    assert done.returncode == 3 and "2 binary assets not read, such as art/anchor.knot" in done.stdout
    found = data("links", before, "--profile", profile, "--before", before, code=3)
    assert isinstance(found, dict) and found["unread"] == ["art/anchor.knot", "art/quay.knot"]
