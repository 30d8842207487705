"""Small projects in six languages, from nothing: described by the answers a person clicks, releases pointed at, moved, built.

Each goes the whole way that the window goes; what it finds, changes and counts is asserted.
"""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

import pytest

from fernshale.core.base.data_folder import home
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.actions import carry_out
from fernshale.core.crossing.flow.autopilot import cross
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.project.describing import save_profile, try_command
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.items import choose
from fernshale.core.crossing.record.last_build import ROUNDS
from fernshale.core.crossing.record.trust import trust
from fernshale.core.profile.authoring.answers import Answers
from fernshale.core.profile.authoring.description import describe
from fernshale.core.profile.model import ProfileCommand
from fernshale.core.profile.read import find_profile
from fernshale.core.route.shelf_adding import add_releases, find_releases
from fernshale.sample import shape_releases, unpack_shape
from tests.conftest import listing, not_root
from tests.shape_ways import WAYS, described


@pytest.mark.parametrize("name", [name for name, way in WAYS.items() if way.build])
def test_a_project_nobody_described_crosses(name: str, tmp_path: Path) -> None:
    way = WAYS[name]
    if shutil.which(way.tool) is None:
        pytest.skip(f"needs {way.tool}")
    project = unpack_shape(tmp_path, name)
    before = listing(project)
    description = described(way, project)
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
    way = WAYS["glasshouse"]
    save_profile(described(way, project))
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
    way = WAYS["lantern-run"]
    project = unpack_shape(tmp_path, "lantern-run")
    description = described(way, project)
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


def test_a_read_only_project_is_described_and_its_command_tried_in_a_copy(monkeypatch: pytest.MonkeyPatch) -> None:
    with tempfile.TemporaryDirectory() as name:
        place = Path(name)
        monkeypatch.setenv("FERNSHALE_HOME", str(place / "home"))
        project = unpack_shape(place, "bell-tower")
        place.chmod(0o777)
        for path in (project, *project.rglob("*")):
            path.chmod(0o555 if path.is_dir() else 0o444)
        before = listing(project)
        command = ProfileCommand(("sh", "-c", "ls -ld . Makefile | cut -c1-3"))

        def describe_and_try(folder: Path) -> None:
            description = described(WAYS["bell-tower"], folder)
            assert find_profile(folder, [save_profile(description).parent]).id == "bellwick"
            trial = try_command(folder, command, None, Answers(), Work())
            assert trial.status == 0 and trial.lines == ("drw", "-rw")

        # Another user may not read this one's Python, so everything is imported before.
        describe_and_try(unpack_shape(place / "warm", "bell-tower"))
        shutil.rmtree(place / "home")
        with not_root():
            describe_and_try(project)
        assert listing(project) == before
