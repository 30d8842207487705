"""The answers of a person about each small project that ships with the samples, and the expected results."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path

from fernshale.core.base.work import Work
from fernshale.core.profile.authoring.answers import Answers
from fernshale.core.profile.authoring.description import Description, answer, describe
from fernshale.core.profile.authoring.pointing import point_at, say
from fernshale.core.profile.authoring.project_facts import read_facts
from fernshale.core.profile.model import ProfileCommand


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


WAYS = {
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
    "glasshouse": Way("2032.1.0", "dotnet", (), {}, {}, 0),
}


def described(way: Way, project: Path) -> Description:
    """The project described by the same answers as clicks give: each question is answered, values are pointed at."""
    description = describe(read_facts(project, Work()), Answers())
    for file, text in way.belongs:
        at = description.facts.texts[file].index(text)  # type: ignore[index]
        pointed = point_at(description, file, at)  # type: ignore[arg-type]
        assert pointed is not None and pointed.value.text == text
        description = say(description, pointed, "belongs")
    while question := next((item for item in description.questions if item.topic == "belonging"), None):
        description = answer(description, question, "mine")
    command = ProfileCommand(way.build) if way.build else None
    answers = description.answers.with_command("build", command)
    return describe(description.facts, answers.with_command("run", None))
