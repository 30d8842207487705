"""A crossing in a git work tree, with the real git: a branch, a commit for each step, and nothing when the user says no."""

from __future__ import annotations

import os
import subprocess
from pathlib import Path

import pytest

from fernshale.core.base.errors import CommandError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.flow.autopilot import cross
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.facts import START
from fernshale.core.crossing.record.git_commits import _COMMITS, KEY, commit_of, find_work_tree
from fernshale.core.crossing.record.items import Item
from fernshale.core.crossing.record.logbook import (
    ensure_snapshot,
    go_back_to,
    redo,
    restore_snapshot,
    undo,
    watching,
    write_step,
)
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.overview import has_changed, inspect
from fernshale.core.snapshot.restore import restore
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import Wick, begin_wick

_WHO = ("-c", "user.name=somebody", "-c", "user.email=nobody@nowhere.invalid", "-c", "protocol.file.allow=always")


@pytest.fixture(autouse=True)
def _own_git(tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch) -> None:
    settings = tmp_path_factory.mktemp("git") / "config"
    settings.write_text(
        "[user]\n  name = somebody\n  email = nobody@nowhere.invalid\n[init]\n  defaultBranch = trunk\n"
    )
    monkeypatch.setenv("GIT_CONFIG_GLOBAL", str(settings))
    monkeypatch.setenv("GIT_CONFIG_NOSYSTEM", "1")


def _git(folder: Path, *words: str) -> str:
    done = subprocess.run(["git", *_WHO, *words], cwd=folder, check=True, capture_output=True, text=True)
    return done.stdout.strip()


def _under_git(tree: Tree, files: dict[str, str] | None = None) -> tuple[Wick, Crossing]:
    wick, crossing = begin_wick(tree)
    (wick.project / ".gitignore").write_text("build/\n*.log\n")
    for path, text in (files or {}).items():
        (wick.project / path).parent.mkdir(parents=True, exist_ok=True)
        (wick.project / path).write_text(text)
    _git(wick.project, "init", "-q")
    _git(wick.project, "add", "-A")
    _git(wick.project, "commit", "-qm", "as it was")
    return wick, crossing


def _item(crossing: Crossing) -> Item | None:
    found = inspect(crossing, Work()).survey.items
    return next((item for item in found if item.key == KEY), None)


def _settle(crossing: Crossing, way: str) -> None:
    act(crossing, KEY, way, who="you")


def _step(crossing: Crossing, title: str, files: dict[str, str | None]) -> int:
    draft = Draft(crossing.setup.project)
    for path, text in files.items():
        if text is None:
            draft.delete(path)
        else:
            draft.write(path, text.encode())
    changes = draft.change_set()
    decided = Decision("cause:x", Stage.BUILD, "mend", "", "you", "it must", 1.0)
    return write_step(crossing, EntryText(Stage.BUILD, title, "because"), changes, Work(), [decided])


def _subjects(project: Path) -> list[str]:
    return _git(project, "log", "--format=%s").splitlines()


def test_each_step_is_a_commit_on_a_branch_of_its_own(tree: Tree, token: CancelToken) -> None:
    wick, crossing = _under_git(tree, {"gone.txt": "x\n", "kept.txt": "k\n"})
    project = wick.project
    item = _item(crossing)
    assert item is not None and not item.needs_you and [way.id for way in item.options] == ["commit", "leave"]
    (project / "kept.txt").write_text("staged by hand\n")  # stays staged, in no commit of ours
    _settle(crossing, "leave")
    assert _git(project, "branch", "--show-current") == "trunk"
    with pytest.raises(CommandError, match=r"1 file changed and not committed \(kept\.txt\)"):
        _settle(crossing, "commit")
    _git(project, "checkout", "-q", "kept.txt")
    _settle(crossing, "commit")
    branch = _git(project, "branch", "--show-current")
    assert branch == "crossing-1.4-to-2.0" and _item(crossing) is None and _git(project, "status", "--porcelain") == ""
    (project / "kept.txt").write_text("staged by hand\n")
    _git(project, "add", "kept.txt")
    first = _step(crossing, "first", {"a/new.txt": "new\n", "gone.txt": None, "build/out.log": "ignored\n"})
    assert _subjects(project) == ["Build: first", "as it was"]
    body = _git(project, "log", "-1", "--format=%b")
    assert "because" in body and "Crossing: 1.4 to 2.0" in body
    assert "Decisions:\n- cause:x: mend (you: it must)" in body
    assert _git(project, "show", "--name-status", "--format=").split() == ["A", "a/new.txt", "D", "gone.txt"]
    assert _git(project, "status", "--porcelain") == "M  kept.txt"
    assert commit_of(crossing, first) == _git(project, "rev-parse", "HEAD")
    undo(crossing, first, Work(token=token))
    assert _subjects(project)[0] == "Undo: first" and _git(project, "diff", "HEAD~2", "--stat", "HEAD") == ""
    redo(crossing, first, Work(token=token))
    with watching(crossing, EntryText(Stage.ENGINE, "a command ran"), Work(token=token)):
        (project / "made.txt").write_text("made\n")
    assert _subjects(project)[:2] == ["Engine: a command ran", "Build: first"]
    # A snapshot has what git ignores, and git's own folder; a step that brings it back leaves the history alone.
    snapshot = ensure_snapshot(crossing, "all of it", Work(token=token))
    kept = crossing.store.manifest(snapshot).files
    assert "build/out.log" in kept and ".git/HEAD" in kept
    start = crossing.read(START)
    restore_snapshot(crossing, start, (), Work(token=token))
    assert not (project / "made.txt").exists() and _subjects(project)[0].startswith("Survey: restored")
    go_back_to(crossing, first, Work(token=token))
    assert "went back to before “first”" in _subjects(project)[0] and "went back" not in _subjects(project)[1]
    assert _git(project, "fsck", "--no-dangling") == ""


def test_nothing_of_git_is_touched_when_the_user_says_no(tree: Tree, token: CancelToken) -> None:
    wick, crossing = _under_git(tree)
    _git(wick.project, "config", "filter.evil.clean", f"touch {wick.project}/ran; cat")
    (wick.project / ".gitattributes").write_text("*.py filter=evil\n")
    os.utime(wick.project / "game.py")
    _settle(crossing, "leave")
    before = {path: item for path, item in listing(wick.project).items() if path.startswith(".git/")}
    id = _step(crossing, "a step", {"new.txt": "new\n"})
    undo(crossing, id, Work(token=token))
    assert _item(crossing) is None
    assert {path: item for path, item in listing(wick.project).items() if path.startswith(".git/")} == before
    assert not (wick.project / "ran").exists() and crossing.read(_COMMITS) == {}


def test_looking_writes_nothing_into_git_and_runs_nothing_it_names(tree: Tree) -> None:
    wick, crossing = _under_git(tree)
    _git(wick.project, "config", "filter.evil.clean", f"touch {wick.project}/ran; cat")
    _git(wick.project, "config", "alias.lfs", f"!touch {wick.project}/ran")
    (wick.project / ".gitattributes").write_text("*.py filter=lfs\n")
    os.utime(wick.project / "game.py", (1, 1))  # looks changed, is not
    before = listing(wick.project)
    item = _item(crossing)
    assert item is not None and listing(wick.project) == before
    assert "kept by LFS" in item.detail and "game.py" not in item.detail


def test_what_is_in_the_way_is_said(tree: Tree, tmp_path: Path) -> None:
    wick, crossing = begin_wick(tree)
    assert find_work_tree(wick.project) is None and _item(crossing) is None
    _git(wick.project, "init", "-q")
    item = _item(crossing)
    assert item is not None and "no commit yet" in item.detail and [way.id for way in item.options] == ["leave"]
    _git(wick.project, "add", "-A")
    _git(wick.project, "commit", "-qm", "one")
    (wick.project / "model.bin").write_text("version https://git-lfs.github.com/spec/v1\noid sha256:0\nsize 9\n")
    (wick.project / ".gitattributes").write_text("*.bin filter=lfs\n")
    _git(wick.project, "add", "-A")
    _git(wick.project, "commit", "-qm", "two")
    item = _item(crossing)
    assert item is not None and "LFS pointers in place of 1 file (model.bin)" in item.detail
    (wick.project / ".git" / "MERGE_HEAD").write_text(_git(wick.project, "rev-parse", "HEAD") + "\n")
    item = _item(crossing)
    assert item is not None and "a merge is under way" in item.detail


def test_another_branch_meanwhile_is_a_item_and_steps_are_committed_later(tree: Tree, token: CancelToken) -> None:
    wick, crossing = _under_git(tree)
    _settle(crossing, "commit")
    _git(wick.project, "checkout", "-q", "trunk")
    _step(crossing, "while away", {"new.txt": "new\n"})
    assert _subjects(wick.project) == ["as it was"]
    item = _item(crossing)
    assert item is not None and "is on trunk, not on crossing-1.4-to-2.0" in item.detail
    with pytest.raises(CommandError, match="is on trunk"):
        _settle(crossing, "commit")
    _git(wick.project, "checkout", "-q", "crossing-1.4-to-2.0")
    _settle(crossing, "commit")
    assert _item(crossing) is None and _subjects(wick.project)[0] == "Build: while away"
    assert _git(wick.project, "status", "--porcelain") == ""


def test_submodules_are_left_to_themselves(tree: Tree, tmp_path: Path) -> None:
    other = tree("other", {"lib.py": "x = 1\n"})
    _git(other, "init", "-q")
    _git(other, "add", "-A")
    _git(other, "commit", "-qm", "lib")
    wick, crossing = _under_git(tree)
    _git(wick.project, "submodule", "add", "-q", str(other), "libs/other")
    _git(wick.project, "commit", "-qm", "with a submodule")
    item = _item(crossing)
    assert item is not None and "submodule (libs/other)" in item.detail
    _settle(crossing, "commit")
    _step(crossing, "both", {"libs/other/lib.py": "x = 2\n", "new.txt": "new\n"})
    assert _git(wick.project, "show", "--name-only", "--format=").split() == ["new.txt"]
    assert "1 file in the submodule libs/other" in _git(wick.project, "log", "-1", "--format=%b")
    assert (wick.project / "libs/other/lib.py").read_text() == "x = 2\n"


def test_a_project_inside_a_larger_repository(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    wick, crossing = begin_wick(tree)
    top = wick.project.parent
    _git(top, "init", "-q")
    (top / ".gitignore").write_text(f"{wick.project.name}/\n")
    assert find_work_tree(wick.project) is None  # git keeps nothing of it
    (top / ".gitignore").unlink()
    _git(top, "add", "-A")
    _git(top, "commit", "-qm", "all")
    _settle(crossing, "commit")
    _step(crossing, "inside", {"sub/nötig.txt": "new\n"})
    name = f"{wick.project.name}/sub/nötig.txt"
    assert _git(top, "-c", "core.quotePath=false", "show", "--name-only", "--format=") == name
    overview = inspect(crossing, Work(token=token))
    _git(top, "gc", "-q")
    assert not has_changed(overview, token)


def test_restored_elsewhere_git_goes_along(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    wick, crossing = _under_git(tree)
    taken = crossing.store.take(wick.project, "", Work(token=token))
    restore(crossing.store, crossing.store.manifest(taken.id), tmp_path / "back", (), Work(token=token))
    assert _git(tmp_path / "back", "status", "--porcelain") == "" and _subjects(tmp_path / "back") == ["as it was"]


# Every setting of git that names a command, and the attributes and files by which git would come to run it.
_CANARIES = {
    "filter.a.clean": "{touch}", "filter.a.smudge": "{touch}", "filter.b.process": "{touch}", "filter.b.required": "true",
    "filter.with.dots = odd.clean": "{touch}", "diff.external": "{touch}", "diff.d.command": "{touch}", "diff.d.textconv": "{touch}",
    "merge.m.driver": "{touch}", "core.fsmonitor": "{touch}", "core.hooksPath": "{hooks}", "core.sshCommand": "{touch}",
    "core.askPass": "{touch}", "core.editor": "{touch}", "core.pager": "{touch}", "core.gitProxy": "{touch}",
    "core.alternateRefsCommand": "{touch}", "sequence.editor": "{touch}", "pager.log": "{touch}", "pager.rev-list": "{touch}",
    "gpg.program": "{touch}", "gpg.ssh.program": "{touch}", "commit.gpgSign": "true", "credential.helper": "!{touch}",
    "credential.https://x.helper": "!{touch}", "interactive.diffFilter": "{touch}", "uploadpack.packObjectsHook": "{touch}",
    "trailer.t.command": "{touch}", "alias.rev-list": "!{touch}", "remote.origin.url": "ext::{touch}",
    "remote.origin.promisor": "true", "extensions.partialClone": "origin", "remote.origin.uploadpack": "{touch}",
    "submodule.s.update": "!{touch}", "difftool.x.cmd": "{touch}",
}  # fmt: skip


def _set_canaries(project: Path, ran: Path) -> None:
    touch, hooks = ran.parent / "touch.sh", ran.parent / "hooks"
    touch.write_text(f'#!/bin/sh\necho "$0 $*" >> {ran}\ncat\n')
    touch.chmod(0o755)
    hooks.mkdir()
    names = ("pre-commit", "post-commit", "reference-transaction", "post-index-change", "post-checkout", "pre-auto-gc")
    for folder in (hooks, project / ".git" / "hooks"):
        folder.mkdir(exist_ok=True)
        for name in names:
            (folder / name).write_text(touch.read_text())
            (folder / name).chmod(0o755)
    (project / ".gitattributes").write_text(
        "*.py filter=a diff=d merge=m\n*.ini filter=b\n*.txt filter=with.dots = odd\n*.md filter=a\n"
    )
    with (project / ".git" / "config").open("a") as file:
        for key, value in _CANARIES.items():
            section, _, name = key.rpartition(".")
            head, _, middle = section.partition(".")
            quoted = f'[{head} "{middle}"]' if middle else f"[{head}]"
            file.write(f'{quoted}\n\t{name} = "{value.format(touch=touch, hooks=hooks)}"\n')


def test_nothing_that_a_repository_names_runs_without_consent(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    wick, crossing = _under_git(tree, {"notes.md": "n\n"})
    project, ran = wick.project, tmp_path / "ran"
    _set_canaries(project, ran)
    # All files look changed, and one just was: git has to read them to know.
    for path in (*project.glob("*.py"), project / "notes.md"):
        os.utime(path)
    subprocess.run(["git", "status"], cwd=project, capture_output=True)
    assert "touch.sh" in ran.read_text()  # the canary can sing: git itself runs it
    ran.unlink()
    assert find_work_tree(project) is not None
    item = _item(crossing)
    assert item is not None
    overview = cross(
        crossing, {}, lambda step: None, lambda stage, overview: None, Work(token=token)
    )  # fmt: skip
    _step(crossing, "a step", {"game.py": "import wick\n", "more.txt": "t\n"})
    undo(crossing, crossing.logbook()[-1].id, Work(token=token))
    assert overview is not None and not ran.exists(), ran.read_text()


def test_filters_run_only_as_they_were_agreed_to(tree: Tree, tmp_path: Path) -> None:
    wick, crossing = _under_git(tree, {"big.bin": "b\n"})
    project, ran = wick.project, tmp_path / "ran"
    script = tmp_path / "clean.sh"
    script.write_text(f"#!/bin/sh\necho ran >> {ran}\nsed 's/^/cleaned /'\n")
    script.chmod(0o755)
    (project / ".gitattributes").write_text("*.bin filter=store\n")
    _git(project, "config", "filter.store.clean", f"{script} %f")
    _git(project, "config", "filter.other.clean", f"touch {tmp_path}/never")
    _git(project, "add", "-A")
    # git runs a new filter over unchanged files only when told to, or when they are as new as its index.
    _git(project, "add", "--renormalize", ".")
    _git(project, "commit", "-qm", "with a filter")
    ran.unlink()
    item = _item(crossing)
    assert item is not None and f"filter store, clean: {script} %f" in item.detail and "never" not in item.detail
    with pytest.raises(CommandError, match="nobody agreed") as caught:
        _settle(crossing, "commit")
    assert str(script) in caught.value.message and not ran.exists()
    _settle(crossing, item.options[0].id)
    _step(crossing, "first", {"big.bin": "more\n"})
    assert ran.exists() and _git(project, "show", "HEAD:big.bin") == "cleaned more"
    assert _git(project, "status", "--porcelain") == ""
    ran.unlink()
    _git(project, "config", "filter.store.clean", f"{script} --other %f")
    _step(crossing, "second", {"big.bin": "even more\n"})
    trouble = _item(crossing)
    assert (
        trouble is not None
        and "not those you agreed to" in trouble.detail
        and "--other" in trouble.detail
        and not ran.exists()
    )
    assert _subjects(project)[0] == "Build: first"
    _settle(crossing, trouble.options[0].id)
    assert ran.exists() and _subjects(project)[0] == "Build: second"
    with (project / ".gitattributes").open("a") as file:
        file.write("*.dat filter=other\n")
    _step(crossing, "third", {"new.dat": "x\n"})  # a filter that was not in use when it was agreed to
    assert _item(crossing) is not None and not (tmp_path / "never").exists()
