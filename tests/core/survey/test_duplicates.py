"""Doubles and leftovers with real compilers and archivers, stale generated files, rules of a person's own."""

from __future__ import annotations

import os
import subprocess
import zipfile
from pathlib import Path

import pytest

from fernshale.core.base.errors import MisuseError, ProjectError
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken
from fernshale.core.profile.model import Profile, Reach, Recognise, RoleRule, Site
from fernshale.core.snapshot.manifest import EMPTY
from fernshale.core.survey.duplicates import DuplicateLibrary, find_doubles, find_stale
from fernshale.core.survey.library_exports import exported_names
from fernshale.core.survey.plugins import read_folder
from fernshale.core.survey.role_overrides import drop_own_rule, read_own_rules, set_own_rule, with_own_rules
from fernshale.core.survey.roles import role_of
from tests.conftest import Tree

_PROFILE = Profile(
    "e", "E", Recognise(("e",)), (Site("s", ("e",), Reach(ini="x")),),
    role=(RoleRule("generated", ("gen/**",), ("src/*.def",)), RoleRule("plugin", ("plugins/**",))),
)  # fmt: skip
_MOOR = 'extern "C" {{ int moor_{0}(int x) {{ return x + {1}; }} int cast_off(int x) {{ return x; }} int bollard = {1};\n int line(int x) {{ return x; }} }}\n'


def _built(folder: Path, name: str, seed: int) -> Path:
    """A static library and a shared one from the same source."""
    source = folder / f"{name}.cpp"
    source.write_text(_MOOR.format(name.split("-")[0], seed))
    subprocess.run(["g++", "-c", "-fPIC", source, "-o", folder / f"{name}.o"], check=True)
    subprocess.run(["ar", "rcs", folder / f"lib{name}.a", folder / f"{name}.o"], check=True)
    subprocess.run(["g++", "-shared", folder / f"{name}.o", "-o", folder / f"lib{name}.so"], check=True)
    return folder


def _doubles(project: Path) -> list[tuple[str, str, str]]:
    found: tuple[DuplicateLibrary, ...] = find_doubles(
        _PROFILE, project, read_folder(project, CancelToken()), CancelToken()
    )
    return [(item.one, item.other, item.how) for item in found]


def test_exported_names_are_read_from_real_libraries(tmp_path: Path) -> None:
    folder = _built(tmp_path, "moor", 1)
    for name in ("libmoor.a", "libmoor.so"):
        assert exported_names(folder / name) >= {"moor_moor", "cast_off", "bollard", "line"}, name
    with zipfile.ZipFile(tmp_path / "a.jar", "w") as jar:
        jar.writestr("tide/Table.class", b"")
        jar.writestr("readme.txt", b"")
    assert exported_names(tmp_path / "a.jar") == {"tide/Table.class"}
    for damaged in (
        b"",
        b"\x7fELF",
        b"\x7fELF" + bytes(60),
        b"!<arch>\n/               junk",
        b"PK\x03\x04rest",
        b"text",
    ):
        (tmp_path / "bad").write_bytes(damaged)
        assert exported_names(tmp_path / "bad") == frozenset()


def test_a_library_that_is_there_twice_is_found_by_bytes_names_and_version(tmp_path: Path) -> None:
    project = tmp_path / "game"
    for place in ("plugins/mooring", "old/libs", "lib"):
        (project / place).mkdir(parents=True)
    built = _built(tmp_path, "moor", 1)
    other = _built(tmp_path, "moor-more", 7)
    (project / "plugins/mooring/libmoor.a").write_bytes((built / "libmoor.a").read_bytes())
    (project / "old/libs/libquay.a").write_bytes((built / "libmoor.a").read_bytes())
    (project / "lib/libother.a").write_bytes((other / "libmoor-more.a").read_bytes())
    (project / "lib/tide-1.2.jar").write_bytes(b"one")
    (project / "old/tide-1.3.0.jar").write_bytes(b"two")
    assert _doubles(project) == [
        ("lib/libother.a", "old/libs/libquay.a", "exported names"),
        ("lib/libother.a", "plugins/mooring/libmoor.a", "exported names"),
        ("lib/tide-1.2.jar", "old/tide-1.3.0.jar", "name"),
    ]
    (project / "lib/libother.a").unlink()
    assert _doubles(project)[-1] == ("old/libs/libquay.a", "plugins/mooring/libmoor.a", "content")


def test_a_folder_that_is_there_twice_is_found_and_common_files_are_not(tree: Tree) -> None:
    files = {f"src/part{n}.c": f"int part{n};\n" for n in range(6)}
    project = tree("game", {
        **{f"plugins/tide/{path}": text for path, text in files.items()},
        **{f"backup/tide-old/{path}": text for path, text in files.items() if "part5" not in path},
        "plugins/tide/LICENSE": "free", "plugins/b/LICENSE": "free", "c/LICENSE": "free", "d/LICENSE": "free", "e/LICENSE": "free",
    })  # fmt: skip
    assert _doubles(project) == [("backup/tide-old", "plugins/tide", "files")]


def test_generated_files_older_than_their_source_are_stale(tree: Tree) -> None:
    project = tree("game", {"gen/a.c": "", "gen/b.c": "", "src/t.def": "", "src/other.c": ""})
    for path, at in (("gen/a.c", 1000), ("gen/b.c", 3000), ("src/t.def", 2000), ("src/other.c", 9000)):
        os.utime(project / path, (at, at))
    found = find_stale(_PROFILE, read_folder(project, CancelToken()))
    assert [(item.file, item.source) for item in found] == [("gen/a.c", "src/t.def")]
    assert find_stale(_PROFILE, EMPTY) == ()


@pytest.mark.parametrize("place", ["plugins/tide/own", "plugins/odd [name]*/#x", "plugins/tide/a file.c"])
def test_a_rule_of_your_own_goes_before_the_profile_and_can_be_taken_back(tmp_path: Path, place: str) -> None:
    project, path = tmp_path / "game", TreePath(place)
    set_own_rule(project, path, "own")
    profile = with_own_rules(_PROFILE, project)
    for inside in (place, place + "/deep/x.c"):
        found = role_of(profile, inside)
        assert (found.role, found.why) == ("own", f"a rule of your own: {place} is own"), inside
    assert role_of(profile, "plugins/tide/other.c").role == "plugin"
    assert role_of(profile, "plugins/odd xnamex/#x").role == "plugin"
    set_own_rule(project, path, "asset")
    assert [rule.role for rule in read_own_rules(project)] == ["asset"]
    drop_own_rule(project, path)
    assert with_own_rules(_PROFILE, project) == _PROFILE
    with pytest.raises(MisuseError, match="no rule of your own"):
        drop_own_rule(project, path)
    with pytest.raises(MisuseError, match="is no role"):
        set_own_rule(project, path, "mine")
    with pytest.raises(ProjectError, match="does not stay inside"):
        set_own_rule(project, TreePath("../other"), "own")


def test_a_copy_elsewhere_is_named_itself_and_not_what_holds_it(tree: Tree) -> None:
    plugin = {"plugin.toml": "id\n", "src/a.cpp": "a\n", "src/b.cpp": "b\n", "docs/c.txt": "c\n"}
    others = {f"plugins/other/{n}.cpp": f"{n}\n" for n in range(9)}
    copies = {f"{place}/mooring/{name}": text for place in ("attic", "plugins") for name, text in plugin.items()}
    assert _doubles(tree("project", {**copies, **others})) == [("attic/mooring", "plugins/mooring", "files")]


def test_folders_of_equal_data_are_no_library(tree: Tree) -> None:
    runs = {
        f"reports/{run}/{name}.json": f"{name}\n"
        for run in ("base", "now")
        for name in ("sample", "means", "tails", "rows")
    }
    assert _doubles(tree("project", runs)) == []
