"""Random crossings for as long as one likes: decisions, steps, undos, edits by hand, kills and refused writes.

    ./dev soak MINUTES [--seed NUMBER]

After each act: the ledgers of edits add up, the logbook is settled, and no file of ours is left in the project. After each
return to a point the project has the bytes of then, but for files edited by hand since. Now and then the store is verified. A
failure prints the seed that repeats it; each seed is a world of its own.
"""

from __future__ import annotations

import argparse
import os
import random
import resource
import shutil
import signal
import sys
import tempfile
import time
import traceback
from collections import Counter
from collections.abc import Callable
from pathlib import Path

from fernshale.core.crossing.flow.actions import carry_out
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import EntryText
from fernshale.core.crossing.record.items import choose

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from fernshale.core.base.errors import FernshaleError  # noqa: E402  # found only once the path is set
from fernshale.core.base.work import CancelToken, Work  # noqa: E402
from fernshale.core.change.draft import Draft  # noqa: E402
from fernshale.core.crossing.flow.start import begin_crossing  # noqa: E402
from fernshale.core.crossing.record.database import Crossing, open_crossing  # noqa: E402
from fernshale.core.crossing.record.logbook import (  # noqa: E402
    go_back_to,
    recover_interrupted,
    redo,
    restore_snapshot,
    undo,
    write_step,
)
from fernshale.core.crossing.record.stage import Stage  # noqa: E402
from fernshale.core.crossing.record.trust import trust  # noqa: E402
from fernshale.core.crossing.stages.overview import inspect  # noqa: E402
from fernshale.core.profile.read import read_profile  # noqa: E402
from tests.conftest import listing  # noqa: E402
from tests.wick import make_wick  # noqa: E402

_TOKEN = CancelToken()
_ACTS_A_WORLD = 40
_LINES = 24
# How an act may end: well, refused with an error of ours, killed, or broken.
_DONE, _REFUSED, _BROKEN = 0, 3, 9


class World:
    """A project with an edited plugin, an engine in two releases, and the facts kept of it between acts."""

    def __init__(self, folder: Path, source: random.Random) -> None:
        self.folder, self.source = folder, source
        os.environ["FERNSHALE_HOME"] = str(folder / "home")
        wick = make_wick(self._tree)
        self.project = wick.project
        self._add_files(wick.shelf)
        profile = read_profile(wick.profile)
        trust(profile)
        begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work(token=_TOKEN))
        self.edited: set[str] = set()
        self.points: dict[int, dict[str, object]] = {}
        self.counts: Counter[str] = Counter()

    @property
    def crossing(self) -> Crossing:
        return open_crossing(self.project)

    def _tree(self, name: str, files: dict[str, str | bytes | None]) -> Path:
        root = self.folder / name
        root.mkdir(parents=True, exist_ok=True)
        for path, content in files.items():
            place = root / path
            (place if content is None else place.parent).mkdir(parents=True, exist_ok=True)
            if content is not None:
                place.write_bytes(content if isinstance(content, bytes) else content.encode())
        return root

    def _add_files(self, shelf: Path) -> None:
        """Files of the plugin's two releases and of the project's copy, edited at random on all three sides."""
        for number in range(self.source.randint(2, 6)):
            base = [f"part_{number}_{line} = {self.source.randint(0, 9)}" for line in range(_LINES)]
            sides = [base, self._edited(base), self._edited(base)]
            places = (shelf / "snuffer/1", shelf / "snuffer/2", self.project / "addons/snuffer")
            for place, lines in zip(places, sides, strict=True):
                if self.source.random() < 0.9:
                    (place / f"part{number}.py").write_text("\n".join(lines) + "\n")
        for number in range(self.source.randint(1, 5)):
            (self.project / f"own{number}.py").write_text(
                "import wick\n" + "wick.light_up()\n" * self.source.randint(1, 4)
            )

    def _edited(self, lines: list[str]) -> list[str]:
        found = list(lines)
        for _ in range(self.source.randint(0, 4)):
            at = self.source.randrange(len(found))
            match self.source.choice(("change", "drop", "add")):
                case "change":
                    found[at] = f"{found[at].split(' =')[0]} = {self.source.randint(10, 99)}"
                case "drop" if len(found) > 4:
                    del found[at]
                case _:
                    found.insert(at, f"more_{self.source.randint(0, 999)} = 1")
        return found


def decide(world: World, source: random.Random) -> None:
    """One of the options of one open item; what takes a line of text or runs for long is left."""
    crossing = world.crossing
    items = [item for item in inspect(crossing, Work(token=_TOKEN)).items if item.options]
    if not items:
        return
    open_item = source.choice(items)
    option = source.choice([item for item in open_item.options if not item.asks])
    action = choose(open_item, option.id)
    assert action is not None
    carry_out(crossing, action, Author("soak"), Work(token=_TOKEN))


def step(world: World, source: random.Random) -> None:
    """A change set over a few random files."""
    draft = Draft(world.project)
    for path in source.sample(_files(world), k=min(2, len(_files(world)))):
        if source.random() < 0.2:
            draft.delete(path)
        else:
            draft.write(path, _with_a_line_changed(world.project / path, source, "step"))
    draft.write(f"made/{source.randint(0, 5)}.txt", f"{source.random()}\n".encode())
    crossing = world.crossing
    with crossing.acting():
        write_step(crossing, EntryText(Stage.BUILD, "a step"), draft.change_set(), Work(token=_TOKEN))


def _on_an_entry(act: Callable[..., object]) -> Callable[[World, random.Random], None]:
    def run(world: World, source: random.Random) -> None:
        crossing = world.crossing
        entries = [item.id for item in crossing.logbook()]
        with crossing.acting():
            act(crossing, source.choice(entries), Work(token=_TOKEN))

    return run


def restore(world: World, source: random.Random) -> None:
    crossing = world.crossing
    snapshots = [item.id for item in crossing.store.list()]
    with crossing.acting():
        restore_snapshot(crossing, source.choice(snapshots), (), Work(token=_TOKEN))


ACTS: dict[str, tuple[int, Callable[[World, random.Random], None]]] = {
    "decide": (8, decide),
    "step": (5, step),
    "undo": (4, _on_an_entry(undo)),
    "redo": (3, _on_an_entry(redo)),
    "restore": (1, restore),
}


def edit_by_hand(world: World) -> None:
    path = world.source.choice(_files(world))
    place = world.project / path
    if world.source.random() < 0.15:
        place.unlink()
    else:
        place.write_bytes(_with_a_line_changed(place, world.source, "hand"))
    world.edited.add(path)


def _files(world: World) -> list[str]:
    """The files that are edited at random; without those that say which release the project is on."""
    files = (path for path in world.project.rglob("*") if path.is_file() and path.suffix != ".ini")
    return sorted(path.relative_to(world.project).as_posix() for path in files)


def _with_a_line_changed(place: Path, source: random.Random, word: str) -> bytes:
    lines = place.read_text().split("\n")
    at = source.randrange(len(lines))
    lines[at] = f"# {word} {source.randint(0, 999)}"
    return "\n".join(lines).encode()


def attempt(world: World, act: Callable[[World, random.Random], None], how: str) -> int:
    """Do an act in a process of its own: to its end, killed at a random moment, or with writes refused."""
    seed, delay_s = world.source.random(), world.source.uniform(0.0, 0.6)
    child = os.fork()
    if child == 0:
        code = _BROKEN
        try:
            if how == "refuse":
                signal.signal(signal.SIGXFSZ, signal.SIG_IGN)
                size = random.Random(seed).choice((0, 300, 3000))
                resource.setrlimit(resource.RLIMIT_FSIZE, (size, resource.RLIM_INFINITY))
            act(world, random.Random(seed))
            code = _DONE
        except (FernshaleError, OSError):
            code = _REFUSED
        except BaseException:
            traceback.print_exc()
        finally:
            os._exit(code)
    if how == "kill":
        time.sleep(delay_s)
        os.kill(child, signal.SIGKILL)
    _, status = os.waitpid(child, 0)
    return os.WEXITSTATUS(status) if os.WIFEXITED(status) else -os.WTERMSIG(status)


def check(world: World, what: str) -> None:
    """What has to hold after every act."""
    crossing = world.crossing
    with crossing.acting():
        recover_interrupted(crossing)
    assert crossing.is_finished, f"{what}: the logbook is not settled"
    view = inspect(crossing, Work(token=_TOKEN))
    for item in view.plugins.plugins:
        if item.ledger is not None:
            sums = sum(item.ledger.count(fate) for fate in ("carried", "already", "decide", "dropped"))
            assert sums == item.ledger.edits, f"{what}: the ledger of {item.plugin.id} does not add up"
    left = [str(path) for path in world.project.rglob(".fernshale-*")]
    assert not left, f"{what}: left behind {left}"


def return_to_a_point(world: World) -> None:
    """Go back to where a step was about to be made, and compare with the files of then."""
    crossing = world.crossing
    known = [id for id in world.points if any(item.id == id for item in crossing.logbook())]
    if not known:
        return
    id = world.source.choice(known)
    wanted = world.points[id]
    before = listing(world.project)
    try:
        with crossing.acting():
            went = go_back_to(crossing, id, Work(token=_TOKEN))
    except FernshaleError:
        assert listing(world.project) == before, f"going back to {id} was refused and changed something"
        assert world.edited, f"going back to {id} was refused though nobody edited anything"
        return
    now = listing(world.project)
    folders = {path for path, item in (*now.items(), *wanted.items()) if item[0] == "folder"}  # type: ignore[index]
    differing = {path for path in {*now, *wanted} if now.get(path) != wanted.get(path)} - folders
    assert differing <= world.edited, f"going back to {id} changed {sorted(differing - world.edited)}"
    assert set(went.kept) == differing, f"going back to {id} reports {went.kept}, {sorted(differing)} differ"
    world.counts["returns"] += 1


def live(folder: Path, seed: int, until: float) -> Counter[str]:
    """One world, from its beginning through many acts. Raises AssertionError."""
    source = random.Random(seed)
    world = World(folder, source)
    names = [name for name, (weight, _) in ACTS.items() for _ in range(weight)]
    for number in range(_ACTS_A_WORLD):
        if time.monotonic() > until:
            break
        choice = source.random()
        if choice < 0.15:
            edit_by_hand(world)
            world.counts["edits by hand"] += 1
            continue
        if choice < 0.25:
            return_to_a_point(world)
            check(world, f"act {number}, going back")
            continue
        name = source.choice(names)
        how = source.choices(("whole", "kill", "refuse"), (6, 3, 1))[0]
        before, last = listing(world.project), max((item.id for item in world.crossing.logbook()), default=0)
        code = attempt(world, ACTS[name][1], how)
        assert code != _BROKEN, f"act {number}, {name} ({how}) broke"
        check(world, f"act {number}, {name} ({how}, {code})")
        new = [item for item in world.crossing.logbook() if item.id > last and item.snapshot]
        if new:
            world.points[new[0].id] = before
        world.counts[{_DONE: "done", _REFUSED: "refused"}.get(code, "killed")] += 1
    verdict = world.crossing.store.verify()
    assert verdict.ok, f"the store is damaged: {verdict.damaged}"
    return world.counts


def main() -> int:
    parser = argparse.ArgumentParser(description="Random crossings for as long as one likes.")
    parser.add_argument("minutes", type=float)
    parser.add_argument("--seed", type=int, default=None, help="repeat the world of this seed alone")
    options = parser.parse_args()
    started = time.monotonic()
    until = started + options.minutes * 60
    seed = options.seed if options.seed is not None else int(time.time())
    counts: Counter[str] = Counter()
    worlds = 0
    while time.monotonic() < until:
        folder = Path(tempfile.mkdtemp(prefix="fernshale-soak-"))
        try:
            counts += live(folder, seed, until)
        except Exception as error:
            traceback.print_exc()
            print(f"seed {seed} fails: {error}")
            print(f"./dev soak {options.minutes:g} --seed {seed} repeats it; its world is in {folder}")
            return 1
        shutil.rmtree(folder)
        worlds += 1
        print(f"{(time.monotonic() - started) / 60:5.1f} min  {worlds} worlds  {dict(counts)}", flush=True)
        if options.seed is not None:
            break
        seed += 1
    return 0


if __name__ == "__main__":
    sys.exit(main())
