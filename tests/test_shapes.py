"""Small projects in six languages, from nothing: described by the answers a person clicks, releases pointed at, moved, built.

Each goes the whole way that the window goes; what it finds, changes and counts is asserted.
"""

from __future__ import annotations

import shutil
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

import pytest

from fernshale.core.base.data_folder import home
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import carry_out
from fernshale.core.crossing.flow.autopilot import cross
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.project.describing import save_profile
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.items import choose
from fernshale.core.crossing.record.last_build import ROUNDS
from fernshale.core.crossing.record.trust import trust
from fernshale.core.profile.authoring.answers import Answers
from fernshale.core.profile.authoring.description import Description, answer, describe
from fernshale.core.profile.authoring.pointing import point_at, say
from fernshale.core.profile.authoring.project_facts import read_facts
from fernshale.core.profile.model import ProfileCommand
from fernshale.core.profile.read import find_profile
from fernshale.core.route.shelf_adding import add_releases, find_releases
from fernshale.sample import shape_releases, unpack_shape
from tests.conftest import listing


@dataclass(frozen=True)
class Way:
    """How a shape is built, what a person says of it, and what comes of it.

    `changed` are texts that files have afterwards; `kept` are texts that nothing may have changed. `errors` is the number of new
    errors of the first build on the target, `tool` the program without which it is skipped.
    """

    to: str
    tool: str
    build: tuple[str, ...]
    changed: Mapping[str, str]
    kept: Mapping[str, str]
    errors: int
    belongs: tuple[tuple[str, str], ...] = ()
    values: Mapping[str, str] = field(default_factory=dict)


_WAYS = {
    "lantern-run": Way(
        "5.0.0",
        "javac",
        ("sh", "build.sh", "{engine}", "{build}"),
        {
            "build.settings": "kiln       = 5.0.0\nkiln-range = [5.0,5.1)\nglaze      = 2026.10.02-5.0.0\n",
            "build.gradle": 'implementation "org.kiln:kiln-api:2026.03.18-5.0.0"',
            "meta/game.toml": 'accepts = "[5.0,5.1)"',
            ".ci/nightly.sh": "KILN_RELEASE=5.0.0\n",
            "addons/tides/addon.toml": 'version = "1.4.0"',
            "addons/fog-lamps/addon.toml": 'kiln = "[4.2,5.1)"',
        },
        {"build.settings": "game       = lantern-run 2.7.1\n", "build.gradle": "plain-json:2.10.1"},
        4,
        (("build.settings", "2026.03.18-4.2.1"),),
        {"glaze": "2026.10.02-5.0.0"},
    ),
    "bell-tower": Way(
        "3.0.0",
        "gcc",
        (
            "make",
            "--always-make",
            "--keep-going",
            "ENGINE={engine}",
            "src/main.o",
            "src/rope.o",
            "start/start.o",
            "CC=gcc -Werror",
        ),
        {
            "Makefile": "BELLWICK := 3.0.0\nVERSION  := 1.1\n",
            "game.conf": "release = 3.0.0\ndata = 44\n",
            "ext/clock/ext.conf": "bellwick = 3.0.0\n",
            "doc/NOTES.txt": "bellwick 3.0.0 and make 4.3",
        },
        {"game.conf": "version = 1.1\n"},
        2,
        (("game.conf", "41"),),
        {"data": "44"},
    ),
    "undertow": Way(
        "5.1.0",
        "g++",
        ("sh", "Build/build.sh", "{engine}", "{build}"),
        {
            "Undertow.hull": '"hullmark": "5.1"',
            "Build/build.sh": "/opt/hullmark_5_1\n",
            "Source/Release.hpp": '#define UNDERTOW_VERSION "1.8.0"\n#define HULLMARK_RELEASE "5.1.0"',
            "Config/Engine.ini": "Release=5.1.0\n",
            "CMakeLists.txt": "find_package(Hullmark 5.1 REQUIRED)",
            "Mods/Breakers/Breakers.mod": '"hullmarkRelease": "5.1.0"',
        },
        {"Mods/Breakers/Built/5_0/built.ini": "hullmark = 5.0.0", "CMakeLists.txt": "VERSION 3.16"},
        1,
    ),
    "marsh-toys": Way(
        "0.15.0",
        "rustc",
        (
            "sh",
            "-c",
            "rustc --edition 2021 --crate-type lib --crate-name ostrel -o {build}/libostrel.rlib {engine}/src/lib.rs || exit 2;"
            " for toy in heron snail; do rustc --edition 2021 --emit=metadata --extern ostrel={build}/libostrel.rlib"
            " -o {build}/$toy.rmeta toys/$toy/src/main.rs || bad=1; done; exit ${bad:-0}",
        ),
        {
            "Cargo.toml": 'ostrel = "0.15.0"\nostrel-sound = { version = "0.15.0", default-features = false }\nplainrand = "0.8.5"\n',
            ".github/workflows/check.yml": 'OSTREL_RELEASE: "0.15.0"',
        },
        {
            "Cargo.toml": 'rust-version = "1.70"',
            "toys/crab/Cargo.toml": 'rev = "3f9c2d1"',
            "toys/eel/Cargo.toml": 'ostrel = "0.15.0-beta.2"',
        },
        1,
    ),
    "reed-song": Way(
        "4.0.0",
        "node",
        (
            "sh",
            "-c",
            "mkdir -p {build}/node_modules && ln -sfn {engine} {build}/node_modules/sedgelight && cp -r extensions {build}"
            ' && echo \'{"type": "module"}\' > {build}/package.json && cd {build} && node --input-type=module -e'
            " \"import { Scene } from 'sedgelight'; import { rushes } from './extensions/rushes/index.js'; rushes(new Scene('r'));\"",
        ),
        {
            "package.json": '"sedgelight": "^4.0.0",\n    "sedgelight-sound": "~4.0.0",\n    "plain-noise": "2.4.0"',
            "sedge.config.json": '"release": "4.0.0"',
            "index.html": "sedgelight@4.0.0/index.js",
            "extensions/otter/extension.json": '"sedgelight": ">=3.1 <4.1"',
        },
        {"package.json": '"node": ">=18"', "package-lock.json": '"sedgelight": "^3.1.0"'},
        1,
    ),
}


def _described(name: str, way: Way, project: Path) -> Description:
    """The project described by the same answers as clicks give: each question is answered, values are pointed at."""
    description = describe(read_facts(project, Work()), Answers())
    for file, text in way.belongs:
        at = description.facts.texts[file].index(text)  # type: ignore[index]
        pointed = point_at(description, file, at)  # type: ignore[arg-type]
        assert pointed is not None and pointed.value.text == text
        description = say(description, pointed, "belongs")
    while question := next((item for item in description.questions if item.topic == "belonging"), None):
        description = answer(description, question, "mine")
    answers = description.answers.with_command("build", ProfileCommand(way.build))
    return describe(description.facts, answers.with_command("run", None))


@pytest.mark.parametrize("name", _WAYS)
def test_a_project_nobody_described_crosses(name: str, tmp_path: Path) -> None:
    way = _WAYS[name]
    if shutil.which(way.tool) is None:
        pytest.skip(f"needs {way.tool}")
    project = unpack_shape(tmp_path, name)
    before = listing(project)
    description = _described(name, way, project)
    assert not description.questions
    save_profile(description)
    assert listing(project) == before, "describing writes nothing into the project"
    profile = find_profile(project, [home() / "profiles"])
    trust(profile)

    shelf = tmp_path / "shelf"
    releases = shutil.copytree(shape_releases(name), tmp_path / "downloads")
    found = find_releases(releases, profile, Work())
    assert {item.version for item in found if item.kind == "engine"} >= {description.draft.release, way.to}  # type: ignore[union-attr]
    add_releases(shelf, found, Work(), in_place=True)
    file = shelf / "shelf.toml"
    if way.values:
        values = ", ".join(f'"{key}" = "{value}"' for key, value in way.values.items())
        file.write_text(
            file.read_text().replace(f'version = "{way.to}"\n', f'version = "{way.to}"\nvalues = {{ {values} }}\n')
        )

    crossing = begin_crossing(project, profile, [shelf], way.to, Work())
    overview = cross(crossing, {}, lambda _step: None, lambda _stage, _view: None, Work())
    for path, text in (*way.changed.items(), *way.kept.items()):
        assert text in (project / path).read_text(), path
    assert overview.survey.baseline is not None and overview.survey.baseline.built, overview.survey.baseline
    rounds = crossing.read(ROUNDS)
    assert rounds and rounds[0].total == way.errors and rounds[0].known == 0
    titles = [item.title for item in overview.items]
    assert len(titles) == len(set(titles)), "what is left is listed once"


def test_without_its_tool_the_sixth_goes_up_to_the_build(tmp_path: Path) -> None:
    project = unpack_shape(tmp_path, "glasshouse")
    way = Way("2032.1.0", "dotnet", (), {}, {}, 0)
    description = describe(read_facts(project, Work()), Answers())
    while question := next((item for item in description.questions if item.topic == "belonging"), None):
        description = answer(description, question, "mine")
    answers = description.answers.with_command("build", None).with_command("run", None)
    save_profile(describe(description.facts, answers))
    profile = find_profile(project, [home() / "profiles"])
    trust(profile)
    add_releases(tmp_path / "shelf", find_releases(shape_releases("glasshouse"), profile, Work()), Work())
    crossing = begin_crossing(project, profile, [tmp_path / "shelf"], way.to, Work())
    cross(crossing, {}, lambda _step: None, lambda _stage, _view: None, Work())
    expected = {
        "Settings/engine-release.txt": "pellicor: 2032.1.0\nrevision: 8c1f02ab\n",
        "Packages/manifest.json": '"engine": "2032.1.0"',
        "Packages/shrubs.frost/package.json": '"pellicor": "2032.1"',
        "README.md": "Pellicor 2032.1.0.",
    }
    for path, text in expected.items():
        assert text in (project / path).read_text(), path
    assert "// what the game is made of" in (project / "Packages/manifest.json").read_text()


def test_a_value_that_no_shelf_has_is_asked_for_and_written_everywhere(tmp_path: Path) -> None:
    way = _WAYS["lantern-run"]
    project = unpack_shape(tmp_path, "lantern-run")
    description = _described("lantern-run", way, project)
    answers = description.answers.with_command("build", None)
    save_profile(describe(description.facts, answers))
    profile = find_profile(project, [home() / "profiles"])
    trust(profile)
    add_releases(
        tmp_path / "shelf", find_releases(shape_releases("lantern-run"), profile, Work()), Work(), in_place=True
    )
    crossing = begin_crossing(project, profile, [tmp_path / "shelf"], way.to, Work())
    overview = cross(crossing, {}, lambda _step: None, lambda _stage, _view: None, Work())
    item = next(item for item in overview.items if item.key == "engine:value:5.0.0:glaze")
    assert "no shelf has the one of 5.0.0" in item.title and item.options[0].asks == "The glaze of 5.0.0"
    assert "glaze      = 2026.03.18-4.2.1" in (project / "build.settings").read_text(), "nothing is guessed"
    action = choose(item, "value", "2026.10.02-5.0.0")
    assert action is not None
    carry_out(crossing, action, Author("you", "from its page"), Work())
    overview = cross(crossing, {}, lambda _step: None, lambda _stage, _view: None, Work())
    assert "glaze      = 2026.10.02-5.0.0" in (project / "build.settings").read_text()
    assert not [item for item in overview.items if item.key.startswith("engine:value")]
