"""Generated files: removed only for a generator that writes them again, and asked about where nothing does."""

from __future__ import annotations

import shlex
import shutil
from collections.abc import Mapping
from pathlib import Path

import pytest

from fernshale.core.base.errors import Cancelled, CommandError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.logbook import go_back_to
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.engine.replaceable_files import is_lock_file
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import Wick, cross_wick, make_wick

_ROLES = """
[[role]]
role = "generated"
files = ["made/**", "*.lock", "addons/*/built/**"]
"""
_COMPILED = (
    '[plugins.compiled]\nsources = ["*.src"]\noutput = "built/{release}"\nstamp = "stamp"\nat = { ini = "for" }\n'
)
_FILES = {
    "made/table.txt": "for 1.4\n",
    "made/startup.txt": "written by hand once\n",
    "tool.lock": "exact versions\n",
    "addons/snuffer/a.src": "source\n",
    "addons/snuffer/built/1.4/stamp": "for = 1.4\n",
    "addons/snuffer/built/1.4/lib.bin": "\0binary",
}


def _begin(tree: Tree, generator: str = "", files: Mapping[str, str] = _FILES) -> tuple[Path, Crossing]:
    wick = make_wick(tree)
    tree("candle", files)
    head, site, rest = wick.profile.read_text().partition("[[role]]")
    text = f"{head}{_ROLES}\n{site}{rest}".replace("[commands.build]", f"{_COMPILED}\n[commands.build]", 1)
    if generator:
        text += f'[commands.regenerate]\nrun = ["sh", "-c", {generator!r}]\n'
    wick.profile.write_text(text)
    trust(read_profile(wick.profile))
    return wick.project, cross_wick(wick)


def _items(crossing: Crossing) -> dict[str, Item]:
    return {item.key: item for item in inspect(crossing, Work()).items if item.key.startswith("engine:")}


def _take(crossing: Crossing, key: str, option: str, text: str = "") -> None:
    act(crossing, key, option, who="you", text=text)


def _generated(project: Path) -> dict[str, object]:
    return {path: item for path, item in listing(project).items() if path in _FILES}


def test_without_a_generator_nothing_is_removed_and_a_person_is_asked(tree: Tree) -> None:
    project, crossing = _begin(tree)
    before = _generated(project)
    _take(crossing, "engine:sites", "apply")
    assert _generated(project) == before and not [key for key in _items(crossing) if key.startswith("engine:stale:")]
    _take(crossing, "build:run", "build")  # which might have made them
    (key,) = (key for key in _items(crossing) if key.startswith("engine:stale:"))
    item = _items(crossing)[key]
    assert item.needs_you and not any(option.is_automatic for option in item.options)
    assert (
        "made/startup.txt" in item.detail
        and "tool.lock" not in item.detail
        and "built" not in item.detail.split("\n", 1)[1]
    )
    _take(crossing, key, "keep")
    assert _generated(project) == before and key not in _items(crossing)


def test_stale_files_are_deleted_or_made_by_a_command_when_a_person_says_so(tree: Tree) -> None:
    project, crossing = _begin(tree)
    before = listing(project)
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    (key,) = (key for key in _items(crossing) if key.startswith("engine:stale:"))
    with pytest.raises(CommandError, match="no such table"):
        _take(crossing, key, "run", "sh -c 'echo no such table; exit 3'")
    assert key in _items(crossing)
    _take(crossing, key, "run", shlex.join(("sh", "-c", "echo for 2.0 > made/table.txt")))
    assert (project / "made/table.txt").read_text() == "for 2.0\n" and key not in _items(crossing)
    go_back_to(crossing, 1, Work())
    assert listing(project) == before
    crossing.withdraw(key)
    # What came back has another time; a crossing of its own sees it as it is now.
    shutil.rmtree(crossing.folder)
    crossing = cross_wick(Wick(project, project.parent / "shelf", project.parent / "profiles/wick.profile.toml"))
    _take(crossing, "engine:sites", "apply")
    _take(crossing, "build:run", "build")
    _take(crossing, key, "delete")
    assert not (project / "made").exists() and (project / "tool.lock").exists()
    assert (project / "addons/snuffer/built/1.4/lib.bin").exists()
    go_back_to(crossing, 1, Work())
    assert listing(project) == before


def test_what_the_generator_does_not_write_again_is_restored_and_asked_about(tree: Tree) -> None:
    project, crossing = _begin(tree, "test ! -e made/table.txt && mkdir -p made && echo for 2.0 > made/table.txt")
    before = listing(project)
    view = inspect(crossing, Work()).engine
    assert view.stale == ("made/startup.txt", "made/table.txt")  # neither lock file nor compiled output
    _take(crossing, "engine:sites", "apply")
    assert (project / "made/table.txt").read_text() == "for 2.0\n"
    assert (project / "made/startup.txt").read_text() == "written by hand once\n"
    (item,) = (item for key, item in _items(crossing).items() if key.startswith("engine:stale:"))
    assert (
        "made/startup.txt" in item.detail
        and "made/table.txt" not in item.detail
        and "engine:generate" not in _items(crossing)
    )
    _take(crossing, item.key, "keep")
    assert not [key for key in _items(crossing) if key.startswith("engine:stale:")]
    go_back_to(crossing, 1, Work())
    assert listing(project) == before


@pytest.mark.parametrize("generator", ["rm -rf made; mkdir made; echo half > made/table.txt; exit 3", "exit 3"])
def test_a_generator_that_fails_leaves_all_of_them_as_they_were(tree: Tree, generator: str) -> None:
    project, crossing = _begin(tree, generator)
    before = _generated(project)
    _take(crossing, "engine:sites", "apply")
    assert _generated(project) == before and "generator failed" in _items(crossing)["engine:generate"].title
    _take(crossing, "engine:generate", "regenerate")  # it may be tried again
    assert _generated(project) == before


def test_a_generator_that_is_cancelled_leaves_all_of_them_as_they_were(tree: Tree) -> None:
    project, crossing = _begin(tree, "echo started; sleep 60")
    before = _generated(project)
    token = CancelToken()
    with pytest.raises(Cancelled):
        act(crossing, "engine:sites", "apply", who="you", work=Work(token=token, on_line=lambda line: token.cancel() if line == "started" else None))  # fmt: skip
    assert _generated(project) == before


def test_after_a_kill_the_removed_files_are_on_the_list_and_come_back(
    tree: Tree, monkeypatch: pytest.MonkeyPatch
) -> None:
    class Killed(BaseException):
        pass

    def die(*_: object, **__: object) -> None:
        raise Killed

    project, crossing = _begin(tree, "mkdir -p made; echo for 2.0 > made/table.txt")
    before = _generated(project)
    with monkeypatch.context() as patch:
        patch.setattr("fernshale.core.crossing.project.generator.run_profile_command", die)
        patch.setattr("fernshale.core.crossing.project.generator.restore_swept", die)
        with pytest.raises(Killed):
            _take(crossing, "engine:sites", "apply")
    assert not (project / "made").exists()
    item = _items(crossing)["engine:generate"]
    assert "interrupted; 2 generated files removed" in item.title
    _take(crossing, item.key, "restore")
    assert _generated(project) == before


@pytest.mark.parametrize(
    "name",
    [
        "a/poetry.lock",
        "package-lock.json",
        "packages.lock.json",
        "gradle.lockfile",
        "pnpm-lock.yaml",
        "bun.lockb",
        "go.sum",
    ],
)
def test_lock_files_are_known_by_name(name: str) -> None:
    assert is_lock_file(name)
    assert (
        not is_lock_file(f"{name}/block.json") and not is_lock_file("clock.json") and not is_lock_file("deadlock.cpp")
    )
