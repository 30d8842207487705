"""Does one operation again and again, each time stopped one system call later, and looks at what is left.

    driver.py SHIM FOLDER OPERATION MODE STEP

MODE is `kill`, `lose` (a power cut: what is not synced is lost) or the name of an error; each STEP-th call is tried. Prints how many points there were; fails at the first that breaks a promise.
Runs in a process of its own with the shim loaded; each try is a fork of it, so that a few hundred take seconds.
"""

from __future__ import annotations

import ctypes
import errno
import gc
import os
import shutil
import signal
import subprocess
import sys
import time
from collections.abc import Callable
from pathlib import Path

from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.record.database import AnotherActs, Crossing, EntryText, Setup, begin
from fernshale.core.crossing.record.git_commits import commit_from_now_on
from fernshale.core.crossing.record.logbook import go_back_to, recover_interrupted, redo, undo, write_step
from fernshale.core.crossing.record.retention import delete_snapshots
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.snapshot import parallel_reading
from fernshale.core.snapshot.restore import restore
from fernshale.core.snapshot.store import Store
from tests.conftest import listing

_TOKEN = CancelToken()
LIBRARY: ctypes.CDLL
_KILL, _LOSE = -1, -2
_FILES = {"a.txt": "one\n", "b/c.txt": "two\n", "b/d.bin": "\0" * 5000, "e/f/g.txt": "three\n", "gone.txt": "four\n"}


class World:
    """A project, a crossing and its store, and how they were."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.project = folder / "project"
        os.environ["FERNSHALE_HOME"] = str(folder / "home")

    def make(self) -> None:
        for path, text in _FILES.items():
            (self.project / path).parent.mkdir(parents=True, exist_ok=True)
            (self.project / path).write_text(text)
        (self.project / "empty").mkdir()
        (self.project / "link").symlink_to("b/c.txt")
        crossing = begin(Setup(self.project, self.project / "x.profile.toml", (str(self.folder),), "1.0", ("2.0",)))
        crossing.store.take(self.project, "first", Work(token=_TOKEN))

    @property
    def crossing(self) -> Crossing:
        (folder,) = (self.folder / "home" / "crossings").iterdir()
        return Crossing(folder)


def apply(world: World) -> None:
    draft = Draft(world.project)
    draft.write("a.txt", b"one, changed\n", 0o755)
    draft.write("new/deep/h.txt", b"new\n", 0o644)
    draft.delete("gone.txt")
    draft.delete("b/c.txt")
    draft.link("link2", "a.txt")
    write_step(world.crossing, EntryText(Stage.ENGINE, "a step", "", "engine"), draft.change_set(), Work(token=_TOKEN))


def edit_outside(world: World) -> None:
    (world.project / "outside.txt").write_text("not by us\n")


def take(world: World) -> None:
    world.crossing.store.take(world.project, "second", Work(token=_TOKEN))


def take_in_two(world: World) -> None:
    """As `take`, with a second process that reads half of it."""
    parallel_reading.is_worthwhile = lambda files, size: True  # type: ignore[assignment]
    parallel_reading._START_S = 0.0
    take(world)


def edit_much(world: World) -> None:
    for number in range(6):
        (world.project / f"more{number}.bin").write_bytes(os.urandom(4000 + 3000 * number))


def undo_step(world: World) -> None:
    last = world.crossing.logbook()[-1]
    undo(world.crossing, last.id, Work(token=_TOKEN))


def apply_and_undo(world: World) -> None:
    apply(world)
    undo_step(world)


def redo_step(world: World) -> None:
    redo(world.crossing, world.crossing.logbook()[-1].id, Work(token=_TOKEN))


def apply_more(world: World) -> None:
    """Two steps with an edit by hand between them."""
    apply(world)
    edit_outside(world)
    draft = Draft(world.project)
    draft.write("a.txt", b"one, changed again\n")
    draft.write("new/other.txt", b"other\n")
    write_step(world.crossing, EntryText(Stage.BUILD, "another step"), draft.change_set(), Work(token=_TOKEN))


def go_back(world: World) -> None:
    went = go_back_to(world.crossing, world.crossing.logbook()[0].id, Work(token=_TOKEN))
    assert went.kept == ("outside.txt",)


def under_git(world: World) -> None:
    """The project in a git work tree whose steps are committed."""
    identity = ("-c", "user.name=somebody", "-c", "user.email=nobody@nowhere.invalid")
    for words in (("init", "-q"), ("add", "-A"), (*identity, "commit", "-qm", "as it was")):
        subprocess.run(["git", *words], cwd=world.project, check=True, capture_output=True)
    for key, value in (("user.name", "somebody"), ("user.email", "nobody@nowhere.invalid")):
        subprocess.run(["git", "config", key, value], cwd=world.project, check=True)
    commit_from_now_on(world.crossing, "commit")


def apply_and_go_back_under_git(world: World) -> None:
    apply(world)
    go_back_to(world.crossing, world.crossing.logbook()[0].id, Work(token=_TOKEN))


def apply_next_to_another(world: World) -> None:
    """A step while a second process makes one of its own; whatever becomes of this one, the second makes its step."""
    child = os.fork()
    if child == 0:
        code = 9
        try:
            LIBRARY.fault_arm(b"", ctypes.c_long(0), 0)
            _make_own_step(World(world.folder))
            code = 0
        finally:
            os._exit(code)
    _once_free(world, lambda crossing: apply(world))
    _, status = os.waitpid(child, 0)
    assert status == 0, "the other process could not make its step"


def _make_own_step(world: World) -> None:
    def make(crossing: Crossing) -> None:
        recover_interrupted(crossing)
        draft = Draft(world.project)
        draft.write("other.txt", b"by the other process\n")
        write_step(crossing, EntryText(Stage.BUILD, "another's step"), draft.change_set(), Work(token=_TOKEN))

    _once_free(world, make)


def _once_free(world: World, act: Callable[[Crossing], object]) -> None:
    """Act on the crossing as soon as no other process does."""
    deadline = time.monotonic() + 30
    while True:
        crossing = world.crossing
        try:
            with crossing.acting():
                act(crossing)
                return
        except AnotherActs:
            if time.monotonic() > deadline:
                raise
            time.sleep(0.002)


def restore_elsewhere(world: World) -> None:
    store = world.crossing.store
    restore(store, store.manifest(store.list()[0].id), world.folder / "back", (), Work(token=_TOKEN))


def take_more(world: World) -> None:
    """A step that can be undone, and two more snapshots, each with contents that only it has."""
    apply(world)
    for number, note in enumerate(("second", "third")):
        (world.project / "only.bin").write_bytes(os.urandom(3000) + bytes([number]))
        world.crossing.store.take(world.project, note, Work(token=_TOKEN))


def forget_second(world: World) -> None:
    store = world.crossing.store
    second = next(item.id for item in store.list() if item.note == "second")
    delete_snapshots(store, [second], Work(token=_TOKEN))


# name: what is done before (unarmed), and what is done under fire
OPERATIONS: dict[str, tuple[Callable[[World], None] | None, Callable[[World], None]]] = {
    "apply": (None, apply),
    "undo": (apply, undo_step),
    "redo": (apply_and_undo, redo_step),
    "back": (apply_more, go_back),
    "git": (under_git, apply_and_go_back_under_git),
    "two": (None, apply_next_to_another),
    "take": (edit_outside, take),
    "take-in-two": (edit_much, take_in_two),
    "restore": (None, restore_elsewhere),
    "forget": (take_more, forget_second),
}

# The states of the logbook's entries before and after those that write a step.
STATES = {
    "apply": ([], ["done"]),
    "undo": (["done"], ["undone"]),
    "redo": (["undone"], ["done"]),
    "back": (["done", "done"], ["undone", "undone", "done"]),
}


def main(shim: str, folder: Path, name: str, mode: str, step: int) -> None:
    global LIBRARY
    LIBRARY = library = ctypes.CDLL(shim)
    before_act, act = OPERATIONS[name]
    template, place = folder / "template", folder / "place"
    how = {"kill": _KILL, "lose": _LOSE}.get(mode) or getattr(errno, mode)
    make(place, before_act)
    shutil.copytree(place, template, symlinks=True)
    started = project_of(place)
    act(World(place))
    ended = project_of(place)
    between = started
    if name == "two":
        between = {**started, "other.txt": ended["other.txt"]}
    elif name == "git":  # the first of its two steps was made
        shutil.rmtree(place)
        shutil.copytree(template, place, symlinks=True)
        apply(World(place))
        between = project_of(place)
    # A child that collects garbage copies every page of the parent.
    gc.collect()
    gc.freeze()
    gc.disable()
    point, tries = 1 - step, 0
    while True:
        point, tries = point + step, tries + 1
        shutil.rmtree(place)
        shutil.copytree(template, place, symlinks=True)
        status = attempt(library, place, act, point, how)
        check(place, name, point, mode, status, started, ended, between)
        if status == "untouched":
            print(tries - 1)
            return


def project_of(place: Path) -> dict[str, object]:
    """The project, without what git keeps for itself."""
    return {
        path: item
        for path, item in listing(place / "project").items()
        if path != ".git" and not path.startswith(".git/")
    }


def make(place: Path, before_act: Callable[[World], None] | None) -> None:
    world = World(place)
    world.make()
    if before_act is not None:
        before_act(world)


def attempt(library: ctypes.CDLL, place: Path, act: Callable[[World], None], point: int, how: int) -> str:
    """killed, failed (with a word), done in spite of it, or untouched: there was no such call any more."""
    child = os.fork()
    if child == 0:
        code = 9
        try:
            world = World(place)
            library.fault_arm(os.fsencode(place), ctypes.c_long(point), how)
            act(world)
            code = 0 if library.fault_count() < point else 4
            if how == _LOSE:
                library.fault_lose()  # what is done has to last
        except (FernshaleError, OSError):
            code = 3
        finally:
            os._exit(code)
    _, status = os.waitpid(child, 0)
    if os.WIFSIGNALED(status):
        assert os.WTERMSIG(status) == signal.SIGKILL
        return "killed"
    words = {0: "untouched", 3: "failed", 4: "done"}
    assert os.WEXITSTATUS(status) in words, f"point {point}: the operation broke ({os.WEXITSTATUS(status)})"
    return words[os.WEXITSTATUS(status)]


def check(
    place: Path, name: str, point: int, mode: str, status: str, started: dict[str, object], ended: dict[str, object],
    between: dict[str, object],
) -> None:  # fmt: skip
    """The next start: the project is as before or as after, the store is whole, nothing earlier is lost."""
    world, where = World(place), f"{name}, {mode} at point {point} ({status})"
    crossing = world.crossing
    if name == "two":
        wait_for_the_other(world, where)
    _once_free(world, recover_interrupted)
    now = project_of(place)
    assert now in (started, ended, between), (
        f"{where}: the project is neither as before nor as after: {difference(now, started)}"
    )
    assert now == ended or status != "untouched", f"{where}: it was done and is not"
    if name == "git":
        done = subprocess.run(["git", "fsck", "--no-dangling"], cwd=world.project, capture_output=True, text=True)
        assert done.returncode == 0, f"{where}: {done.stdout}{done.stderr}"
    if name.startswith("take") and status == "untouched":
        assert [item.note for item in crossing.store.list()] == ["first", "second"], (
            f"{where}: the snapshot is not there"
        )
    assert not crossing.journal.exists(), f"{where}: a journal is left"
    states = [entry.state for entry in crossing.logbook()]
    assert "pending" not in states, f"{where}: the logbook is not settled"
    if name in STATES:
        is_after = now == ended
        wanted = STATES[name][is_after]
        assert states == wanted, f"{where}: the logbook says {states}, the project {'after' if is_after else 'before'}"
    store = Store(world.folder / "home" / "store")
    verdict = store.verify()
    assert verdict.ok, f"{where}: {verdict.damaged}"
    first = store.list()[0]
    assert first.note == "first", where
    back = place / "check"
    restore(store, store.manifest(first.id), back, (), Work(token=_TOKEN))
    assert (back / "gone.txt").read_text() == "four\n", where
    if name == "forget":
        third = next(item for item in store.list() if item.note == "third")
        restore(store, store.manifest(third.id), place / "third", (), Work(token=_TOKEN))
        assert listing(place / "third") == started, f"{where}: the third snapshot is not what was kept"
        undo(crossing, crossing.logbook()[-1].id, Work(token=_TOKEN))
        assert (world.project / "gone.txt").read_text() == "four\n", f"{where}: the step cannot be undone any more"
    if name == "restore" and status == "untouched":
        assert listing(place / "back") == started, f"{where}: it was restored and is not"
    if name == "restore":
        standing = listing(place / "back") if (place / "back").exists() else {}
        partial = [
            path
            for path, what in standing.items()
            if not path.startswith(".fernshale-") and what != started.get(path) and what[0] != "folder"
        ]
        assert not partial, f"{where}: not whole under their names: {partial}"
        restore_elsewhere(world)  # goes on where it stopped
        assert listing(place / "back") == started, f"{where}: the restored tree is not what was kept"
    store.take(world.project, "again", Work(token=_TOKEN))  # the next writer sweeps what a killed one left
    left = [str(path.relative_to(place)) for path in place.rglob("*") if path.name.startswith(".fernshale-")]
    left += [path.name for path in (place / "home/store/packs").glob("*.writing")]
    assert not left, f"{where}: left behind {left}"


def wait_for_the_other(world: World, where: str) -> None:
    """The other process outlives this one, and makes its step."""
    deadline = time.monotonic() + 30
    while not any(item.title == "another's step" and item.state == "done" for item in world.crossing.logbook()):
        assert time.monotonic() < deadline, f"{where}: the other process made no step"
        time.sleep(0.01)


def difference(now: dict[str, object], then: dict[str, object]) -> list[str]:
    return sorted(path for path in {*now, *then} if now.get(path) != then.get(path))


if __name__ == "__main__":
    main(sys.argv[1], Path(sys.argv[2]), sys.argv[3], sys.argv[4], int(sys.argv[5]))
