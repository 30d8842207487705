"""Profiles drafted from unknown projects and checked: what a draft proposes is found again, faults have their lines."""

from __future__ import annotations

from pathlib import Path

import pytest
import regex

from fernshale.core.base import bounded_regex
from fernshale.core.base.bounded_regex import Budget, RunsAway, search
from fernshale.core.base.errors import FormatError, ProjectError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.project.scan import ProjectScan, scan_project
from fernshale.core.profile.authoring.check import check_profile
from fernshale.core.profile.authoring.draft import draft_profile
from fernshale.core.profile.authoring.draft_text import write_draft
from fernshale.core.profile.authoring.project_facts import read_facts
from fernshale.core.profile.read import read_profile
from fernshale.core.survey.roles import role_of
from fernshale.sample import unpack
from tests.conftest import Tree, listing
from tests.wick import make_wick


def _drafted(project: Path, to: Path, token: CancelToken) -> ProjectScan:
    """The project as seen through its own draft, which must read, fit and pass its check."""
    before = listing(project)
    to.write_text(write_draft(draft_profile(read_facts(project, Work(token=token)))))
    assert [item for item in check_profile(to, project, token) if item.severity == "error"] == []
    assert listing(project) == before
    return scan_project(project, read_profile(to), None, Work(token=token))


def test_draft_of_the_game_finds_what_its_own_profile_finds(tmp_path: Path, token: CancelToken) -> None:
    sample = unpack(tmp_path / "s")
    known = scan_project(sample.project, read_profile(sample.profile), None, Work(token=token))
    drafted = _drafted(sample.project, tmp_path / "d.profile.toml", token)
    assert (drafted.release, drafted.profile.id, drafted.profile.recognise.files) == ("2.6.1", "merelith", ("*.mproj",))
    assert drafted.plugins == known.plugins

    def places(scan: ProjectScan) -> set[tuple[str, int]]:
        return {(site.file, site.line) for site in scan.sites if not site.plugin}

    assert places(drafted) == places(known)
    kinds = {
        path: role_of(drafted.profile, path).role for path in ("generated/start_table.cpp", "Makefile", "src/ferry.cpp")
    }
    assert list(kinds.values()) == ["generated", "generated", "own"]
    assert role_of(drafted.profile, "plugins/gullvoice/src/cast.cpp").role == "plugin"


def test_draft_reads_other_trees_and_formats(tmp_path: Path, tree: Tree, token: CancelToken) -> None:
    wick = _drafted(make_wick(tree).project, tmp_path / "w.profile.toml", token)
    assert wick.release == "1.4" and [(item.id, item.version, item.accepts) for item in wick.plugins] == [
        ("snuffer", "1", ">=1, <2")
    ]
    toys = _drafted(unpack(tmp_path / "q", "quayside").project, tmp_path / "q.profile.toml", token)
    assert toys.release == "1.8" and toys.profile.id == "osier"
    files = {
        "app/build.gradle": "ext {\n    engineRelease = '4.2.0'\n}\n",
        "app/gradle.properties": "engine.release=4.2.0\n",
        "App.csproj": '<Project Sdk="x"><PropertyGroup><EngineVersion>4.2.0</EngineVersion></PropertyGroup></Project>',
        "CMakeLists.txt": "set(ENGINE_VERSION 4.2.0)\n",
        "package.json": '{"version": "0.3.1", "engine": {"name": "Tarn Engine", "version": "4.2.0"}}',
        "mods/fog/mod.xml": '<mod id="fog" version="1.1"><engine accepts="[4.0,5.0)"/></mod>',
        "mods/rain/mod.xml": '<mod id="rain" version="2.0"><engine accepts="[4.1,5.0)"/></mod>',
        "out/x.js": "// generated, do not edit\n",
        "scripts/a.ts": "x",
        "art/a.png": "x",
    }
    mixed = _drafted(tree("mixed", files), tmp_path / "m.profile.toml", token)
    assert mixed.release == "4.2.0"
    assert {site.at.syntax for site in mixed.sites} >= {"script", "properties", "xml", "cmake", "json"}
    assert [(item.id, item.version, item.accepts) for item in mixed.plugins] == [
        ("fog", "1.1", "[4.0,5.0)"),
        ("rain", "2.0", "[4.1,5.0)"),
    ]
    assert (
        role_of(mixed.profile, "art/a.png").role == "asset" and role_of(mixed.profile, "out/x.js").role == "generated"
    )


def test_nothing_that_looks_like_a_release_is_said(tree: Tree, token: CancelToken) -> None:
    with pytest.raises(ProjectError, match="looks like the release"):
        draft_profile(
            read_facts(tree("bare", {"a.txt": "hello", "b.json": "{broken", "c.png": b"\0"}), Work(token=token))
        )


_GOOD = """\
format = "fernshale-profile/1"
id = "e"
title = "E"
[recognise]
files = ["e.json"]
[[site]]
name = "descriptor"
files = ["e.json"]
at = { json = "/engine" }
[[role]]
role = "own"
files = ["src/**"]
[log]
volatile = ['^[0-9]+ ']
"""


@pytest.mark.parametrize(
    ("old", "new", "line", "severity", "said"),
    [
        ("title", "tittle", 3, "error", "unknown key tittle"),
        ('files = ["src/**"]', 'files = ["../x"]', 12, "error", "leads out of the project"),
        ('files = ["src/**"]', 'files = ["src/[ab"]', 12, "error", "a bracket is not closed"),
        ('files = ["src/**"]', 'files = ["a\\\\b"]', 12, "error", "not by a backslash"),
        ('files = ["src/**"]', 'files = ["src/a**"]', 12, "error", "stands for whole folders"),
        ("'^[0-9]+ '", "'(x+x+)+y'", 14, "error", "runs away"),
        ("'^[0-9]+ '", "'(a|aa)+$'", 14, "error", "runs away"),
        ("'^[0-9]+ '", "'['", 14, "error", "bad regular expression"),
        ('files = ["src/**"]', 'files = ["sauce/**"]', 12, "warning", "fits nothing in game"),
        ('"/engine"', '"/motor"', 9, "warning", "finds nothing at /motor"),
        ('files = ["e.json"]\n[[site]]', 'files = ["f.json"]\n[[site]]', 5, "error", "is not recognised"),
    ],
)  # fmt: skip
def test_each_fault_of_a_profile_has_its_line(
    tree: Tree, tmp_path: Path, token: CancelToken, old: str, new: str, line: int, severity: str, said: str
) -> None:
    project = tree("game", {"e.json": '{"engine": "1.0"}', "src/a.c": ""})
    path = tmp_path / "e.profile.toml"
    path.write_text(_GOOD)
    assert check_profile(path, project, token) == ()
    assert old in _GOOD
    path.write_text(_GOOD.replace(old, new))
    found = check_profile(path, project, token)
    assert (line, severity) in [(item.line, item.severity) for item in found if said in item.text], found


def test_a_placeholder_without_a_value_is_told(tmp_path: Path, token: CancelToken) -> None:
    path = tmp_path / "e.profile.toml"
    path.write_text(_GOOD + '[commands.build]\nrun = ["make", "E={motor}"]\n')
    (remark,) = check_profile(path, None, token)
    assert remark.line == 16 and "{motor}" in remark.text


def test_a_pattern_that_runs_away_ends_with_a_word_and_harms_nothing(
    tree: Tree, tmp_path: Path, token: CancelToken, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(bounded_regex, "LIMIT_S", 0.3)
    hard = "a" * 4000 + "!"
    with pytest.raises(RunsAway, match="takes too long on"):
        search("(a|aa)+$", hard)
    budget = Budget()
    budget.left_s = 0.3
    for act in (budget.search, budget.remove):
        with pytest.raises(RunsAway, match="takes too long on"):
            act(regex.compile("(a|aa)+$"), hard)
    assert budget.left_s <= 0
    project = tree("game", {"e.json": '{"engine": "1.0"}', "slow.txt": hard})
    path = tmp_path / "e.profile.toml"
    site = '[[site]]\nname = "slow"\nfiles = ["slow.txt"]\nat = { pattern = \'(?P<value>(a|aa)+)$\' }\n[log]'
    path.write_text(_GOOD.replace("[log]", site))
    before = listing(project)
    with pytest.raises(FormatError, match="takes too long on this file"):
        scan_project(project, read_profile(path), None, Work(token=token))
    assert listing(project) == before
