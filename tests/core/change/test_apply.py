"""Change sets: all or nothing, byte for byte back, whatever happens in between."""

from __future__ import annotations

import os
import resource
import shutil
import signal
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fernshale.core.base.errors import Cancelled, ChangedUnderneath, ProjectError
from fernshale.core.base.work import CancelToken
from fernshale.core.change.apply import ApplyFailed, JournalUnfinished, apply_changes, recover
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.change.draft import Draft
from fernshale.core.change.preview import unified_diff
from fernshale.core.snapshot.store import Store
from tests.conftest import Tree, listing

_BEFORE = {
    "keep": "k",
    "edit": "one\n",
    "gone/only": "g",
    "gone/deep/er": "d",
    "kind": "file",
    "script": "s",
    "big": "b" * 5000,
}


def _project(tree: Tree) -> Path:
    root = tree("project", _BEFORE)
    (root / "script").chmod(0o755)
    (root / "link").symlink_to("keep")
    return root


def _draft(root: Path) -> Draft:
    draft = Draft(root)
    draft.write("edit", b"two\n")
    draft.write("script", b"changed")
    draft.write("new/folder/file", b"n")
    draft.write("big", b"B" * 6000)
    for path in ("gone/only", "gone/deep/er"):
        draft.delete(path)
    draft.delete("link")
    draft.link("kind", "keep")
    return draft


def test_apply_and_undo_bring_back_every_byte(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = _project(tree)
    before = listing(root)
    store, journal = Store(tmp_path / "store"), tmp_path / "journal"
    changes = _draft(root).change_set()
    apply_changes(root, changes, store, journal, token)
    after = listing(root)
    assert after["edit"][0] == b"two\n"  # type: ignore[index]
    assert (root / "script").stat().st_mode & 0o777 == 0o755
    assert not (root / "gone").exists() and not (root / "link").is_symlink()
    assert os.readlink(root / "kind") == "keep"
    apply_changes(root, changes.inverse(), store, journal, token)
    assert listing(root) == before
    apply_changes(root, ChangeSet.from_json(changes.to_json()), store, journal, token)
    assert listing(root) == after and not journal.exists()


def test_folder_and_file_change_places(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = tree("project", {"a/inside": "1", "b": "2"})
    before = listing(root)
    draft = Draft(root)
    draft.delete("a/inside")
    draft.delete("b")
    draft.write("b/inside", b"3")
    changes = draft.change_set()
    store = Store(tmp_path / "store")
    apply_changes(root, changes, store, tmp_path / "j", token)
    assert listing(root).keys() == {"b", "b/inside"}
    apply_changes(root, changes.inverse(), store, tmp_path / "j", token)
    assert listing(root) == before


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.dictionaries(st.sampled_from(["a", "b", "d/x", "d/y", "d/e/z"]), st.binary(max_size=50), max_size=5),
    st.dictionaries(
        st.sampled_from(["a", "b", "d/x", "d/y", "d/e/z", "n/w"]), st.none() | st.binary(max_size=50), max_size=6
    ),
)
def test_any_change_set_can_be_undone(tmp_path: Path, files: dict[str, bytes], wanted: dict[str, bytes | None]) -> None:
    base = tmp_path / os.urandom(6).hex()
    root = base / "project"
    root.mkdir(parents=True)
    for path, data in files.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_bytes(data)
    before = listing(root)
    draft = Draft(root)
    for path, data in wanted.items():
        if data is None:
            draft.delete(path)
        else:
            draft.write(path, data)
    changes = draft.change_set()
    store = Store(base / "store")
    apply_changes(root, changes, store, base / "j", CancelToken())
    for path, data in wanted.items():
        assert (root / path).read_bytes() == data if data is not None else not (root / path).exists()
    apply_changes(root, changes.inverse(), store, base / "j", CancelToken())
    assert listing(root) == before


def test_file_changed_since_the_preview_stops_everything(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = _project(tree)
    changes = _draft(root).change_set()
    (root / "edit").write_text("somebody was faster\n")
    before = listing(root)
    with pytest.raises(ChangedUnderneath, match="edit"):
        apply_changes(root, changes, Store(tmp_path / "store"), tmp_path / "j", token)
    assert listing(root) == before


def test_cancelled_before_the_first_write_writes_nothing(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = _project(tree)
    changes, before = _draft(root).change_set(), listing(root)
    token.cancel()
    with pytest.raises(Cancelled):
        apply_changes(root, changes, Store(tmp_path / "store"), tmp_path / "j", token)
    assert listing(root) == before


def test_draft_cannot_leave_the_project(tree: Tree, tmp_path: Path) -> None:
    root = tree("project", {"a": "1"})
    (tmp_path / "outside").mkdir()
    (root / "way").symlink_to(tmp_path / "outside")
    for path in ("../outside/x", "/etc/x", "way/x"):
        draft = Draft(root)
        with pytest.raises(ProjectError):
            draft.write(path, b"")
            draft.change_set()


def test_preview_is_a_unified_diff_git_can_apply(tree: Tree) -> None:
    root = tree("project", {"edit": "one\ntwo\n", "gone": "g\n", "tail": "no end"})
    draft = Draft(root)
    draft.write("edit", b"one\n2\n")
    draft.write("tail", b"still no end")
    draft.write("new", b"n\n")
    draft.delete("gone")
    text = unified_diff(draft.change_set(), lambda change: (root / change.path).read_bytes())
    done = subprocess.run(["git", "apply", "-"], input=text, text=True, cwd=root, capture_output=True)
    assert done.returncode == 0, done.stderr
    found = {path: value[0] for path, value in listing(root).items()}  # type: ignore[index]
    assert found == {"edit": b"one\n2\n", "tail": b"still no end", "new": b"n\n"}


# Reads a number from each line, and prints the status of a fork of itself that is killed at its call of that number.
_KILLER = """
import os, signal, sys
from pathlib import Path
seen = 0
def bomb(name, last):
    real = getattr(os, name)
    def wrapped(*args, **kwargs):
        global seen
        seen += 1
        if seen == last:
            os.kill(os.getpid(), signal.SIGKILL)
        return real(*args, **kwargs)
    setattr(os, name, wrapped)
from tests.core.change.test_apply import _draft
from fernshale.core.base.work import CancelToken
from fernshale.core.change.apply import apply_changes
from fernshale.core.snapshot.store import Store
root, folder = map(Path, sys.argv[1:3])
for line in sys.stdin:
    if not (child := os.fork()):
        changes = _draft(root).change_set()
        opened = Store(folder / f"store{int(line)}")
        for name in ("open", "fsync", "rename", "replace", "unlink", "mkdir", "rmdir", "symlink", "chmod"):
            bomb(name, int(line))
        apply_changes(root, changes, opened, folder / "journal", CancelToken())
        os._exit(0)
    print(os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]), flush=True)
"""


def test_killed_at_any_moment_the_project_is_as_before_or_as_after(tree: Tree, tmp_path: Path) -> None:
    """A child kills itself at its k-th call into the kernel, for every k until it finishes."""
    root = _project(tree)
    pristine = tmp_path / "pristine"
    shutil.copytree(root, pristine, symlinks=True)
    before = listing(pristine)
    outcomes = set()
    words = [sys.executable, "-c", _KILLER, str(root), str(tmp_path)]
    repo = Path(__file__).resolve().parents[3]
    with subprocess.Popen(words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True, cwd=repo) as killer:
        assert killer.stdin is not None and killer.stdout is not None
        for k in range(1, 400):
            shutil.rmtree(root)
            shutil.copytree(pristine, root, symlinks=True)
            store, journal = tmp_path / f"store{k}", tmp_path / "journal"
            killer.stdin.write(f"{k}\n")
            killer.stdin.flush()
            status = int(killer.stdout.readline())
            if status == 0:
                break
            assert status == -signal.SIGKILL
            outcomes.add(recover(journal, Store(store)))
            now = listing(root)
            assert now == before or (now["edit"][0] == b"two\n" and "gone" not in now)  # type: ignore[index]
            assert not [path for path in now if ".fernshale-" in path] and not journal.exists()
            assert recover(journal, Store(store)) == "" and Store(store).verify().ok
            shutil.rmtree(store)
        else:
            pytest.fail("the child never finished")
        killer.stdin.close()
    assert k > 30 and {"", "rolled back"} <= outcomes


def test_full_disk_changes_nothing(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    """Writes beyond a limit are refused, as on a full disk."""
    root = _project(tree)
    changes, before = _draft(root).change_set(), listing(root)
    store = Store(tmp_path / "store")
    old = resource.getrlimit(resource.RLIMIT_FSIZE)
    handler = signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
    resource.setrlimit(resource.RLIMIT_FSIZE, (5500, old[1]))
    try:
        with pytest.raises(ApplyFailed):
            apply_changes(root, changes, store, tmp_path / "j", token)
    finally:
        resource.setrlimit(resource.RLIMIT_FSIZE, old)
        signal.signal(signal.SIGXFSZ, handler)
    assert listing(root) == before and not (tmp_path / "j").exists()


def test_failure_in_the_middle_is_rolled_back(
    tree: Tree, tmp_path: Path, token: CancelToken, monkeypatch: pytest.MonkeyPatch
) -> None:
    root = _project(tree)
    changes, before = _draft(root).change_set(), listing(root)
    real, calls = os.rename, list[str]()

    def failing(old: str, new: str, **handles: int) -> None:
        calls.append(new)
        if len(calls) == 3:
            raise OSError(28, "No space left on device", new)
        real(old, new, **handles)

    store = Store(tmp_path / "store")
    store.put_all([])
    monkeypatch.setattr("fernshale.core.change.apply.os.rename", failing)
    with pytest.raises(ApplyFailed, match="No space left") as caught:
        apply_changes(root, changes, store, tmp_path / "j", token)
    assert "Make room" in caught.value.hint
    assert listing(root) == before and not (tmp_path / "j").exists()


def test_unfinished_journal_must_be_recovered_first(tree: Tree, tmp_path: Path, token: CancelToken) -> None:
    root = _project(tree)
    (tmp_path / "j").write_text("{ cut")
    with pytest.raises(JournalUnfinished):
        apply_changes(root, _draft(root).change_set(), Store(tmp_path / "store"), tmp_path / "j", token)
    with pytest.raises(JournalUnfinished, match="damaged"):
        recover(tmp_path / "j", Store(tmp_path / "store"))


class _Swap:
    """Puts a link to a folder outside in the place of a folder when the n-th call of one of these is about to be made."""

    CALLS = ("open", "unlink", "rmdir", "mkdir", "rename", "symlink")

    def __init__(self, root: Path, outside: Path, at: int, monkeypatch: pytest.MonkeyPatch) -> None:
        self.root, self.outside, self.at, self.count = root, outside, at, 0
        for name in self.CALLS:
            monkeypatch.setattr(os, name, self._wrapped(getattr(os, name)))

    def _wrapped(self, real: Callable[..., object]) -> Callable[..., object]:
        def call(*given: object, **named: object) -> object:
            self.count += 1
            if self.count == self.at and (self.root / "gone").is_dir():
                os.replace(self.root / "gone", self.outside.parent / "moved")
                os.link(self.outside.parent / "to-outside", self.root / "gone", follow_symlinks=False)
            return real(*given, **named)

        return call


def test_a_folder_that_becomes_a_link_at_any_moment_leads_nowhere(
    tree: Tree, tmp_path: Path, token: CancelToken
) -> None:
    """Between the preview and the end, and while it is rolled back: nothing outside is written, and nothing is lost."""
    outcomes = set()
    for at in range(1, 400):
        place = tmp_path / str(at)
        root = place / "project"
        shutil.copytree(_project(tree), root, symlinks=True)
        shutil.rmtree(tmp_path / "project")
        outside = place / "outside"
        outside.mkdir()
        for name, text in (("only", "outside"), ("keep", "outside")):
            (outside / name).write_text(text)
        (place / "to-outside").symlink_to(outside)
        changes, store, journal = _draft(root).change_set(), Store(place / "store"), place / "journal"
        store.put_all([])
        before_outside = listing(outside)
        with pytest.MonkeyPatch.context() as patch:
            swap = _Swap(root, outside, at, patch)
            try:
                apply_changes(root, changes, store, journal, token)
                outcome = "applied"
            except (ApplyFailed, ChangedUnderneath, JournalUnfinished) as error:
                outcome = type(error).__name__
        assert listing(outside) == before_outside, at
        outcomes.add(outcome)
        if (place / "moved").exists():
            assert outcome != "applied"
            (root / "gone").unlink()
            (place / "moved").rename(root / "gone")
            recover(journal, store)
            assert listing(root) == listing(_project(tree)), (at, outcome)
            shutil.rmtree(tmp_path / "project")
        shutil.rmtree(place)
        if swap.count < at:
            break
    else:
        pytest.fail("it never came to its end")
    assert {"applied", "ChangedUnderneath"} <= outcomes and at > 60
