"""Drafts of small projects in six languages: most of the final profile is found without help, and nothing false is said."""

from __future__ import annotations

from dataclasses import dataclass, field
from pathlib import Path

import pytest

from fernshale.core.base.globs import matches
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.profile.authoring.draft import ProfileDraft, draft_profile
from fernshale.core.profile.authoring.draft_text import write_draft
from fernshale.core.profile.authoring.project_facts import read_facts
from fernshale.core.profile.read import find_profile, fits, read_profile
from fernshale.core.survey.plugins import find_plugins, read_folder
from fernshale.core.survey.release_sites import find_sites, project_release
from fernshale.sample import unpack_shape


@dataclass(frozen=True)
class Final:
    """What the final profile of a shape says. `unsaid` are places that are right, but more than one asks for."""

    engine: str
    release: str
    sites: frozenset[tuple[str, str]]
    plugins: frozenset[tuple[str, str, str]]
    roles: dict[str, str]
    build: tuple[str, ...]
    belonging: frozenset[tuple[str, str]] = frozenset()
    unsaid: frozenset[tuple[str, str]] = frozenset()
    commands: tuple[str, ...] = field(default=("build",))


_FINAL = {
    "lantern-run": Final(
        "kiln",
        "4.2.1",
        frozenset(
            {
                ("build.settings", "4.2.1"),
                ("build.settings", "[4.2,4.3)"),
                ("build.gradle", "4.2.1"),
                ("meta/game.toml", "[4.2,4.3)"),
                (".ci/nightly.sh", "4.2.1"),
                ("README.txt", "4.2.1"),
                ("addons/tides/addon.toml", "[4.2,4.3)"),
                ("addons/fog-lamps/addon.toml", "[4.2,4.3)"),
            }
        ),
        frozenset({("tides", "1.3.0", "[4.2,4.3)"), ("fog-lamps", "0.9.2", "[4.2,4.3)")}),
        {
            "src/lantern/Main.java": "own",
            "build.sh": "own",
            "generated/Names.java": "generated",
            "addons/tides/src/tides/Tide.java": "plugin",
            "assets/plates/quay.json": "asset",
            "meta/game.toml": "settings",
            "build.settings": "settings",
        },
        ("sh", "build.sh"),
        frozenset(
            {
                ("build.settings", "2026.03.18-4.2.1"),
                ("build.settings", "31.0.2"),
                ("build.gradle", "31.0.2"),
                ("build.gradle", "2026.03.18"),
            }
        ),
    ),
    "marsh-toys": Final(
        "ostrel",
        "0.14.2",
        frozenset({("Cargo.toml", "0.14.2"), (".github/workflows/check.yml", "0.14.2"), ("docs/README.md", "0.14.2")}),
        frozenset(),
        {"toys/heron/src/main.rs": "own", "Cargo.toml": "settings", "toys/eel/Cargo.toml": "own"},
        ("cargo", "check", "--workspace"),
    ),
    "glasshouse": Final(
        "pellicor",
        "2031.2.4",
        frozenset(
            {
                ("Settings/engine-release.txt", "2031.2.4"),
                ("Packages/manifest.json", "2031.2.4"),
                ("README.md", "2031.2.4"),
                ("Packages/shrubs.growth/package.json", "2031.2"),
                ("Packages/shrubs.frost/package.json", "2031.2"),
            }
        ),
        frozenset({("shrubs.growth", "1.6.0", "2031.2"), ("shrubs.frost", "0.4.2", "2031.2")}),
        {
            "Content/Scripts/Door.cs": "own",
            "Content/Scenes/house.scene": "asset",
            "Content/Prefabs/door.prefab": "asset",
            "Settings/Layers.json": "settings",
            "glasshouse.csproj": "generated",
            "Cache/shaders.bin.txt": "generated",
            "Packages/shrubs.growth/Runtime/Growth.cs": "plugin",
        },
        ("dotnet", "build"),
        frozenset(
            {
                ("Packages/manifest.json", "12.1.4"),
                ("Packages/manifest.json", "3.0.1"),
                ("Settings/engine-release.txt", "8c1f02ab"),
            }
        ),
    ),
    "undertow": Final(
        "hullmark",
        "5.0.0",
        frozenset(
            {
                ("Undertow.hull", "5.0"),
                ("CMakeLists.txt", "5.0"),
                ("Config/Engine.ini", "5.0.0"),
                ("Build/build.sh", "5_0"),
                ("Source/Release.hpp", "5.0.0"),
                ("Mods/Breakers/Breakers.mod", "5.0.0"),
                ("Mods/Foghorn/Foghorn.mod", "5.0.0"),
            }
        ),
        frozenset({("Breakers", "1.4.0", "5.0.0"), ("Foghorn", "2.2.1", "5.0.0")}),
        {
            "Build/build.sh": "own",
            "Source/Main.cpp": "own",
            "Content/waves.csv": "asset",
            "Config/Engine.ini": "settings",
            "Intermediate/Wave.gen.hpp": "generated",
            "Mods/Foghorn/Source/Foghorn.cpp": "plugin",
        },
        ("sh", "Build/build.sh"),
        frozenset({("Config/Engine.ini", "812")}),
    ),
    "bell-tower": Final(
        "bellwick",
        "2.3.0",
        frozenset(
            {
                ("Makefile", "2.3.0"),
                ("game.conf", "2.3.0"),
                ("doc/NOTES.txt", "2.3.0"),
                ("ext/chimes/ext.conf", "2.3.0"),
                ("ext/clock/ext.conf", "2.3.0"),
            }
        ),
        frozenset({("chimes", "0.7", "2.3.0"), ("clock", "1.2", "2.3.0")}),
        {
            "src/main.c": "own",
            "Makefile": "own",
            "start/start.c": "generated",
            "sounds/bell.csv": "asset",
            "game.conf": "settings",
            "ext/clock/clock.c": "plugin",
        },
        ("make", "--always-make"),
        frozenset({("game.conf", "41")}),
    ),
    "reed-song": Final(
        "sedgelight",
        "3.1.0",
        frozenset(
            {
                ("package.json", "^3.1.0"),
                ("package.json", "~3.1.0"),
                ("sedge.config.json", "3.1.0"),
                ("index.html", "3.1.0"),
                ("extensions/rushes/extension.json", ">=3.1 <3.2"),
                ("extensions/otter/extension.json", ">=3.1 <3.2"),
            }
        ),
        frozenset({("rushes", "1.0.3", ">=3.1 <3.2"), ("otter", "2.0.0", ">=3.1 <3.2")}),
        {
            "src/main.js": "own",
            "assets/reeds.json": "asset",
            "package.json": "settings",
            "package-lock.json": "generated",
            "node_modules/sedgelight/index.js": "other",
            "extensions/otter/index.js": "plugin",
        },
        ("npm", "run"),
        frozenset({("sedge.config.json", "2030-11-05")}),
        commands=("build", "run"),
    ),
}


def _draft(name: str, to: Path) -> tuple[Path, ProfileDraft]:
    project = unpack_shape(to, name)
    return project, draft_profile(read_facts(project, Work()))


def _role(draft: ProfileDraft, path: str) -> str:
    return next((role.role for role in draft.roles if matches(role.files, path)), "other")


@pytest.mark.parametrize("name", _FINAL)
def test_most_of_the_final_profile_is_found_and_nothing_false_is_said(name: str, tmp_path: Path) -> None:
    final = _FINAL[name]
    _, draft = _draft(name, tmp_path)
    assert (draft.engine.lower(), draft.release) == (final.engine, final.release)
    assert not draft.rivals

    found = {(place.file, place.text) for site in draft.sites for place in site.places}
    assert found <= final.sites | final.unsaid
    belonging = {(item.file, item.text) for item in draft.belonging}
    assert belonging <= final.belonging

    roles = {(path, _role(draft, path)) for path in final.roles}
    wanted_roles = set(final.roles.items())
    commands = {item.name for item in draft.commands}
    build = next(item for item in draft.commands if item.name == "build").command.run
    hits = len(found & final.sites) + len(belonging & final.belonging) + len(roles & wanted_roles)
    hits += len(commands & set(final.commands)) + (build[: len(final.build)] == final.build)
    asked = len(final.sites) + len(final.belonging) + len(wanted_roles) + len(final.commands) + 1
    missing = sorted(final.sites - found) + sorted(final.belonging - belonging) + sorted(wanted_roles - roles)
    assert hits / asked >= 0.9, missing


@pytest.mark.parametrize("name", _FINAL)
def test_the_drafted_profile_reads_fits_and_finds_what_it_says(name: str, tmp_path: Path) -> None:
    final = _FINAL[name]
    project, draft = _draft(name, tmp_path)
    path = tmp_path / f"{draft.id}.profile.toml"
    path.write_text(write_draft(draft))
    profile = read_profile(path)
    assert fits(profile, project)
    assert find_profile(project, [tmp_path]) == profile
    manifest = read_folder(project, CancelToken())
    plugins = find_plugins(profile, project, manifest)
    assert {(item.id, item.version, item.accepts) for item in plugins} == final.plugins
    sites = find_sites(profile, project, manifest, plugins)
    assert project_release(sites) == final.release or final.release.startswith(project_release(sites))
    drafted = {(place.file, place.text) for site in draft.sites for place in site.places}
    assert {(site.file, site.value.text) for site in sites} == drafted


def test_each_draft_is_only_for_its_own_project(tmp_path: Path) -> None:
    profiles = tmp_path / "profiles"
    profiles.mkdir()
    projects = {}
    for name in _FINAL:
        projects[name], draft = _draft(name, tmp_path / name)
        (profiles / f"{draft.id}.profile.toml").write_text(write_draft(draft))
    for name, project in projects.items():
        assert find_profile(project, [profiles]).id.lower() == _FINAL[name].engine
