"""Drafts of projects that tell little: what is not known is asked, and nothing false is said."""

from __future__ import annotations

from pathlib import Path

import pytest

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.profile.authoring.answers import Answers
from fernshale.core.profile.authoring.description import answer, describe
from fernshale.core.profile.authoring.draft import draft_profile
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
