"""Releases are put on a shelf from where they lie: folders, archives, folders of them, git repositories, downloaded packages."""

from __future__ import annotations

import shutil
import subprocess
import zipfile
from dataclasses import replace
from pathlib import Path

import pytest

from fernshale.core.base.errors import FernshaleError, MisuseError
from fernshale.core.base.work import Work
from fernshale.core.profile.model import EngineShape, PluginShape, Profile, Reach, Recognise
from fernshale.core.route.download import ShelfError
from fernshale.core.route.release_recognition import FoundRelease
from fernshale.core.route.shelf_adding import add_releases, find_releases
from fernshale.core.route.shelf_sources import read_shelf
from tests.conftest import Tree

_PROFILE = Profile(
    "kiln",
    "Kiln",
    Recognise(("game.toml",)),
    (),
    engine=EngineShape("RELEASE", Reach(pattern=r"kiln (?P<value>\S+)")),
    plugins=PluginShape(
        ("addons/*",),
        "{plugin}.addon",
        Reach(toml="id"),
        Reach(toml="version"),
        Reach(toml="kiln"),
    ),
)


def _addon(id: str, version: str) -> str:
    return f'id = "{id}"\nversion = "{version}"\nkiln = "[4,5)"\n'


def _names(found: tuple[FoundRelease, ...]) -> list[tuple[str, str, str]]:
    return [(item.kind, item.id, item.version) for item in found]


def test_a_release_is_recognised_by_the_profile(tree: Tree) -> None:
    plugin = tree("downloads/tides-new", {"tides.addon": _addon("tides", "1.4.0"), "src/a.cpp": "int a;\n"})
    (found,) = find_releases(plugin, _PROFILE, Work())
    assert (found.kind, found.id, found.version, found.accepts) == ("plugin", "tides", "1.4.0", "[4,5)")
    engine = tree("opt/kiln", {"RELEASE": "kiln 5.0.0\n", "include/k.h": "void k();\n"})
    assert _names(find_releases(engine, _PROFILE, Work())) == [("engine", "kiln", "5.0.0")]


@pytest.mark.parametrize(
    ("name", "files", "expected"),
    [
        ("p", {"package.json": '{"name": "lamp", "version": "2.1.0"}'}, ("lamp", "2.1.0")),
        ("p", {"Cargo.toml": '[package]\nname = "lamp"\nversion = "2.1.0"\n'}, ("lamp", "2.1.0")),
        ("p", {"pyproject.toml": '[project]\nname = "lamp"\nversion = "2.1.0rc1"\n'}, ("lamp", "2.1.0rc1")),
        ("p", {"lamp-2.1.dist-info/METADATA": "Name: lamp\nVersion: 2.1\n", "lamp/a.py": ""}, ("lamp", "2.1")),
        (
            "p",
            {"pom.xml": "<project xmlns='urn:x'><artifactId>lamp</artifactId><version>2</version></project>"},
            ("lamp", "2"),
        ),
        ("lamp-2.1.0", {"a.lua": ""}, ("lamp", "2.1.0")),
        ("lamp/v2_1", {"a.lua": ""}, ("lamp", "2.1")),
        ("lamp", {"VERSION": "2.1.0\n"}, ("lamp", "2.1.0")),
    ],
)
def test_others_are_recognised_by_their_manifest_or_name(
    name: str, files: dict[str, str], expected: tuple[str, str], tree: Tree
) -> None:
    (found,) = find_releases(tree(f"there/{name}", files), None, Work())
    assert (found.id, found.version) == expected and found.why


def test_a_folder_of_releases_and_archives_is_searched(tree: Tree, tmp_path: Path) -> None:
    root = tree(
        "cache",
        {
            "node_modules/lamp/package.json": '{"name": "lamp", "version": "2.1.0"}',
            "node_modules/lamp/index.js": "",
            "node_modules/@kiln/core/package.json": '{"name": "@kiln/core", "version": "5.0.0"}',
            "kiln/4.2.1/RELEASE": "kiln 4.2.1\n",
            "kiln/5.0.0/RELEASE": "kiln 5.0.0\n",
            "notes.txt": "nothing\n",
        },
    )
    with zipfile.ZipFile(root / "tides-1.3.zip", "w") as file:
        file.writestr("tides/tides.addon", _addon("tides", "1.3.0"))
    with zipfile.ZipFile(root / "fog-0.2.zip", "w") as file:
        file.writestr("a.lua", "")
    assert sorted(_names(find_releases(root, _PROFILE, Work()))) == [
        ("engine", "kiln", "4.2.1"),
        ("engine", "kiln", "5.0.0"),
        ("plugin", "@kiln/core", "5.0.0"),
        ("plugin", "fog", "0.2"),
        ("plugin", "lamp", "2.1.0"),
        ("plugin", "tides", "1.3.0"),
    ]


def test_what_is_added_can_be_read_and_what_stood_there_stays(tree: Tree, tmp_path: Path) -> None:
    shelf = tree("shelf", {"shelf.toml": '# ours\nformat = "fernshale-shelf/1"\ntitle = "Ours"\n'})
    plugin = tree("there/lamp-2.1.0", {"a.lua": "return 1\n"})
    with zipfile.ZipFile(tmp_path / "fog-0.2.zip", "w") as file:
        file.writestr("fog/a.lua", "return 2\n")
    found = (*find_releases(plugin, None, Work()), *find_releases(tmp_path / "fog-0.2.zip", None, Work()))
    assert len(add_releases(shelf, found, Work())) == 2
    read = read_shelf([shelf])
    lamp, fog = read.plugin("lamp", "2.1"), read.plugin("fog", "0.2")
    assert lamp is not None and fog is not None and fog.checksum
    assert (read.place(lamp) / "a.lua").read_text() == "return 1\n"
    assert (read.place(fog) / "a.lua").read_text() == "return 2\n"
    assert (shelf / "shelf.toml").read_text().startswith("# ours\n")
    assert add_releases(shelf, found, Work()) == ()
    shutil.rmtree(plugin)
    assert (read_shelf([shelf]).place(lamp) / "a.lua").is_file()


def test_a_shelf_points_outside_itself_only_where_a_person_allowed_it(tree: Tree, tmp_path: Path) -> None:
    engine = tree("opt/kiln-5", {"RELEASE": "kiln 5.0.0\n"})
    shelf = tmp_path / "new" / "shelf"
    add_releases(shelf, find_releases(engine, _PROFILE, Work()), Work(), in_place=True)
    read = read_shelf([shelf])
    assert read.place(read.engine("kiln", "5.0")) == engine
    assert not (shelf / "releases").exists()
    other = tree("stranger", {"shelf.toml": (shelf / "shelf.toml").read_text()})
    theirs = read_shelf([other])
    with pytest.raises(ShelfError, match="nobody has allowed"):
        theirs.place(theirs.engine("kiln", "5.0"))


def test_tags_of_a_repository_are_releases_and_branches_revisions(tree: Tree, tmp_path: Path) -> None:
    repository = tree("tides", {"src/a.cpp": "int a;\n", "run.sh": "#!/bin/sh\n", "README": "one\n"})
    (repository / "run.sh").chmod(0o755)
    (repository / "link").symlink_to("src/a.cpp")
    (repository / "out").symlink_to("/etc/passwd")
    (repository / ".gitattributes").write_text("*.cpp filter=evil\n")

    def git(*words: str) -> None:
        subprocess.run(
            ["git", "-c", "user.name=x", "-c", "user.email=x@x", *words],
            cwd=repository,
            check=True,
            capture_output=True,
        )

    git("init", "-q", "-b", "main")
    git("add", "-A")
    git("commit", "-q", "-m", "one")
    git("tag", "v1.3.0")
    git("tag", "-a", "tides-1.4.0-rc1", "-m", "two")
    git("tag", "nightly")
    (repository / "src" / "a.cpp").write_text("int b;\n")
    git("commit", "-q", "-a", "-m", "two")
    # Nothing of the repository runs: not its filters, not its hooks.
    git("config", "filter.evil.smudge", f"touch {tmp_path}/ran")
    git("config", "core.fsmonitor", f"touch {tmp_path}/ran")
    found = find_releases(repository, None, Work())
    assert [(item.id, item.version, item.stage) for item in found] == [
        ("tides", "1.3.0", "stable"),
        ("tides", "1.4.0-rc1", "preview"),
    ]
    git("tag", "-d", "tides-1.4.0-rc1")
    assert [(item.version, item.stage, item.why) for item in find_releases(repository, None, Work())] == [
        ("1.3.0", "stable", "the tag v1.3.0"),
        ("1.3.0.post1", "revision", "the branch main"),
    ]
    shelf = tmp_path / "shelf"
    add_releases(shelf, found, Work())
    read = read_shelf([shelf])
    old = read.plugin("tides", "1.3.0")
    assert old is not None
    place = read.place(old)
    assert (place / "src" / "a.cpp").read_text() == "int a;\n" and (place / "run.sh").stat().st_mode & 0o111
    assert (place / "link").is_symlink() and not (place / "out").exists() and not (place / ".git").exists()
    assert not (tmp_path / "ran").exists()


def test_what_is_no_release_is_told(tree: Tree, tmp_path: Path) -> None:
    assert find_releases(tree("empty", {"a.txt": "x"}), None, Work()) in ((),)
    with pytest.raises(MisuseError, match="does not exist"):
        find_releases(tmp_path / "no", None, Work())
    nameless = FoundRelease("plugin", "lamp", "", tmp_path, "")
    with pytest.raises(MisuseError, match="its version is not known"):
        add_releases(tmp_path / "shelf", [nameless], Work())
    broken = tree("broken", {"shelf.toml": "format = 3\n"})
    with pytest.raises(FernshaleError):
        add_releases(broken, [FoundRelease("plugin", "lamp", "1", tmp_path, "")], Work())


@pytest.mark.parametrize(
    ("version", "stage"),
    [
        ("2.1.0-nightly", "preview"),
        ("2.1.0-gold2", "stable"),
        ("2.1.0-rc1", "preview"),
        ("2.1.0f1", "stable"),
        ("2.1-lts", "stable"),
        ("2.1.post3", "revision"),
    ],
)
def test_a_suffix_has_the_stage_that_the_profile_names_or_the_usual_one(
    version: str, stage: str, tree: Tree, tmp_path: Path
) -> None:
    profile = replace(_PROFILE, suffixes={"nightly": "preview", "gold": "stable"})
    (found,) = find_releases(tree("opt/kiln", {"RELEASE": f"kiln {version}\n"}), profile, Work())
    assert (found.version, found.stage) == (version, stage)
    add_releases(tmp_path / "shelf", [found], Work(), in_place=True)
    assert read_shelf([tmp_path / "shelf"]).engine("kiln", version).stage == stage
