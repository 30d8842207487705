"""Drafts of projects that tell little: what is not known is asked, and nothing false is said."""

from __future__ import annotations

from pathlib import Path

import pytest

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.range_dialects import follow_range
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.profile.authoring.answers import Answers
from fernshale.core.profile.authoring.description import answer, describe
from fernshale.core.profile.authoring.draft import draft_profile
from fernshale.core.profile.authoring.draft_commands import as_words, draft_commands
from fernshale.core.profile.authoring.draft_text import write_draft
from fernshale.core.profile.authoring.project_facts import read_facts
from fernshale.core.profile.read import read_profile
from fernshale.core.survey.plugins import find_plugins, read_folder
from fernshale.core.survey.release_sites import find_sites, project_release
from tests.conftest import Tree


def _draft(project: Path):  # type: ignore[no-untyped-def]
    return draft_profile(read_facts(project, Work()))


def test_numbers_in_prose_and_addresses_are_no_releases_of_an_engine(tree: Tree) -> None:
    files = {
        "README.md": "Needs Node 18.2 and the Contributor Covenant 2.0.\n",
        "notes.txt": "Since covenant 2.0.1 all is well.\n",
        "package.json": '{"name": "x", "homepage": "https://example.org/covenant-2.0.1.html", "mock": "npm:a@9.11.0-pull-644.1"}',
    }
    with pytest.raises(ProjectError, match="looks like the release"):
        _draft(tree("x", files))


def test_one_library_among_many_is_not_called_the_engine_without_asking(tree: Tree) -> None:
    libraries = {"oar": "1.4.6", "keel": "2.0.1", "rope": "3.3.0", "sail": "0.8.2"}
    wanted = ", ".join(f'"{name}": "{version}"' for name, version in libraries.items())
    code = "".join(f"import {name} from '{name}';\n" for name in libraries)
    project = tree("boat", {"package.json": f'{{"dependencies": {{{wanted}}}}}', "main.js": code})
    description = describe(read_facts(project, Work()), Answers())
    assert description.draft is not None and not description.draft.is_sure
    question = description.questions[0]
    assert question.key == "engine" and {choice for choice, _, _ in question.options} == set(libraries)
    said = answer(description, question, "keel")
    assert (
        said.draft is not None and (said.draft.engine, said.draft.release) == ("keel", "2.0.1") and said.draft.is_sure
    )
    assert {place.text for site in said.draft.sites for place in site.places} == {"2.0.1"}


def test_a_project_of_two_engines_is_a_question(tree: Tree) -> None:
    files = {
        "tarn.json": '{"engine": "tarn", "release": "4.1.0"}',
        "moss.json": '{"engine": "moss", "release": "2.3.0"}',
        "a.py": "import tarn\nimport moss\n",
        "b.py": "import tarn\nimport moss\n",
    }
    description = describe(read_facts(tree("both", files), Work()), Answers())
    question = description.questions[0]
    assert question.key == "engine" and {choice for choice, _, _ in question.options} == {"tarn", "moss"}


def test_where_only_a_range_is_written_its_lowest_release_is_the_projects(tree: Tree, tmp_path: Path) -> None:
    project = tree(
        "reeds",
        {
            "package.json": '{"name": "reeds", "dependencies": {"sedge": "^3.1.0", "sedge-other": "^2.0.0"}}',
            "package-lock.json": '{"packages": {"node_modules/sedge": {"version": "3.1.4"}}}',
            "main.js": "import { Scene } from 'sedge';\n",
            "more.js": "import { Part } from 'sedge';\n",
        },
    )
    draft = _draft(project)
    assert (draft.engine, draft.release) == ("sedge", "3.1.0")
    # A package of another name has releases of its own.
    assert [place.text for site in draft.sites for place in site.places] == ["^3.1.0"]
    path = tmp_path / "sedge.profile.toml"
    path.write_text(write_draft(draft))
    profile = read_profile(path)
    manifest = read_folder(project, CancelToken())
    sites = find_sites(profile, project, manifest, find_plugins(profile, project, manifest))
    assert project_release(sites) == "3.1.0"


def test_packages_that_are_only_tried_are_no_plugins(tree: Tree) -> None:
    package = '{{"name": "{}", "version": "1.{}.0", "wick": "2.0.1"}}'
    files = {"game.json": '{"engine": {"name": "wick", "release": "2.0.1"}}'}
    for at, name in enumerate(("a", "b", "c")):
        files[f"test/{name}/package.json"] = package.format(name, at)
        files[f"data/{name}.json"] = f'{{"id": "{name}", "version": 3}}'
        files[f"data/{name}/thing.json"] = f'{{"id": "{name}", "version": 3}}'
    assert _draft(tree("game", files)).plugins is None
    # The same in a folder that is called so are plugins.
    files.update({path.replace("test/", "addons/"): text for path, text in files.items() if path.startswith("test/")})
    plugins = _draft(tree("other", files)).plugins
    assert plugins is not None and plugins.group.folders == "addons/*"


@pytest.mark.parametrize(
    ("files", "build", "run"),
    [
        ({"go.mod": "module x\n"}, "go build -gcflags=-e ./...", ""),
        ({"build.zig": "\n"}, "zig build", ""),
        ({"build.gradle": "\n"}, "gradle --console=plain --continue classes", ""),
        ({"build.gradle": "\n", "gradlew": "#!/bin/sh\n"}, "sh gradlew --console=plain --continue classes", ""),
        ({"pom.xml": "<project/>\n", "mvnw": "#!/bin/sh\n"}, "sh mvnw --batch-mode --fail-at-end compile", ""),
        ({"Rakefile": "task :build do\nend\ntask 'run' => :build do\nend\n"}, "rake build", "rake run"),
        ({"Rakefile": "task :test do\nend\n"}, "", ""),
        ({"justfile": "out := 'x'\nbuild mode='a':\n  cc a.c\nrun: build\n"}, "just build", "just run"),
        ({"Makefile": "run:\n\t./x\n"}, "make --always-make --keep-going --jobs={jobs}", "make run"),
        ({"Makefile": "\n", "build.sh": "\n"}, "sh build.sh", ""),
        (
            {"package.json": '{"scripts": {"check": "x", "start": "y"}}'},
            "npm run --silent check",
            "npm run --silent start",
        ),
    ],
)
def test_commands_are_proposed_from_the_build_files_of_many_tools(
    files: dict[str, str], build: str, run: str, tree: Tree
) -> None:
    found = draft_commands(read_facts(tree("game", files), Work()))
    for name, wanted in (("build", build), ("run", run)):
        first = next((as_words(item.command) for item in found if item.name == name), "")
        assert first == wanted


def test_settings_that_are_a_program_name_the_release_without_the_engines_name(tree: Tree) -> None:
    files = {
        "conf.lua": 'function tern.conf(t)\n  t.version = "11.4"\n  t.title = "Moths 0.9.2"\nend\n',
        "main.lua": 'local tern = require("tern")\n',
        "src/conf.lua": 'version = "11.4"\n',
        "ci.yml": 'env:\n  TERN_VERSION: "11.4"\n',
    }
    draft = _draft(tree("moths", files))
    assert (draft.engine, draft.release) == ("tern", "11.4")
    places = {(place.file, place.text) for site in draft.sites for place in site.places}
    assert places == {("conf.lua", "11.4"), ("ci.yml", "11.4")}


def test_a_range_in_quotes_is_one_place_and_follows_as_a_range(tree: Tree, tmp_path: Path) -> None:
    project = tree(
        "wren", {"Gemfile": 'gem "plover", "~> 4.2"\ngem "rake", "13.0.6"\n', "main.rb": "require 'plover'\n"}
    )
    draft = _draft(project)
    assert [(place.text, site.notation) for site in draft.sites for place in site.places] == [("~> 4.2", "range")]
    path = tmp_path / "plover.profile.toml"
    path.write_text(write_draft(draft))
    profile = read_profile(path)
    manifest = read_folder(project, CancelToken())
    (site,) = find_sites(profile, project, manifest, ())
    assert site.value.text == "~> 4.2" and project_release((site,)) == "4.2"
    assert follow_range("~> 4.2", "5.0.1", "range", "move") == "~> 5.0"


def test_an_address_names_the_engine_where_the_code_imports_it(tree: Tree) -> None:
    address = '.{ .skua = .{\n  .url = "https://example.org/skua/archive/refs/tags/v0.8.1.tar.gz",\n} }\n'
    code = 'const skua = @import("skua");\n'
    draft = _draft(tree("gannet", {"build.zig.zon": address, "src/a.zig": code, "src/b.zig": code}))
    assert (draft.engine, draft.release) == ("skua", "0.8.1")
    with pytest.raises(ProjectError, match="looks like the release"):
        _draft(tree("other", {"build.zig.zon": address, "src/a.zig": "const x = 1;\n"}))


def test_assets_that_name_the_release_are_one_site_and_do_not_identify_the_project(tree: Tree) -> None:
    scenes = {f"scenes/{name}.scene": '{"format": 4, "marram": "2.3.4"}' for name in "abc"}
    files = {"pyproject.toml": '[tool.marram]\nrelease = "2.3.4"\n', "car.py": "import marram\n", **scenes}
    draft = _draft(tree("dune", files))
    sites = {site.files: len(site.places) for site in draft.sites}
    assert sites == {("pyproject.toml",): 1, ("scenes/*.scene",): 3}
    assert draft.sites[0].files == ("pyproject.toml",) and "scene" not in write_draft(draft).split("[[site]]")[0]
