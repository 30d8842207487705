"""Measure parts against general tools on the same data in the same run; print ratios.

    ./dev bench [FILES]     FILES of the generated tree, 5000 without

Machines are noisy: each figure is the median of three runs, and the ratio is what to look at.
"""

from __future__ import annotations

import os
import random
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path

import blake3

from fernshale.core.base.textfile import TextFile
from fernshale.core.base.work import CancelToken, no_progress
from fernshale.core.build.causes import find_causes
from fernshale.core.build.diagnostics import read_diagnostics
from fernshale.core.build.owners import Owned
from fernshale.core.crossing import ground as ground_module
from fernshale.core.crossing.ground import read_ground
from fernshale.core.crossing.stages.survey import survey
from fernshale.core.merge.textmerge import Choice, merge_text, result_text
from fernshale.core.profile.model import Profile, Reach, Recognise, RoleRule, Site
from fernshale.core.route.candidates import Here
from fernshale.core.route.planner import plan_leg
from fernshale.core.route.shelf import Need, PluginRelease, Shelf
from fernshale.core.route.sources import FolderSource
from fernshale.core.snapshot.restore import restore
from fernshale.core.snapshot.store import Store
from fernshale.core.survey.origin import find_origin
from fernshale.core.survey.release_index import read_column, shelf_index


def main(count: int) -> None:
    folder = Path(tempfile.mkdtemp(prefix="fernshale-bench-"))
    try:
        tree = make_tree(folder / "tree", count)
        size = sum(path.stat().st_size for path in tree.rglob("*") if path.is_file())
        print(f"{count} files, {size / 1e6:.0f} MB; seconds are medians of three")
        bench_snapshots(folder, tree)
        bench_merge(folder)
        bench_diagnostics(folder)
        bench_survey(folder)
        bench_origin(folder)
        bench_planner()
    finally:
        shutil.rmtree(folder)


def bench_snapshots(folder: Path, tree: Path) -> None:
    token = CancelToken()
    copies = iter(range(100))

    def fresh() -> Path:
        return folder / f"c{next(copies)}"

    taken = timed(lambda: Store(fresh()).take(tree, "", no_progress, token))
    archived = timed(
        lambda: subprocess.run(
            ["tar", "-c", "-I", "gzip -1", "-f", fresh(), tree], check=True, stderr=subprocess.DEVNULL
        )
    )
    row("first snapshot", taken, "tar with gzip -1", archived)
    store = Store(folder / "store")
    first = store.take(tree, "", no_progress, token)
    again = timed(lambda: store.take(tree, "", no_progress, token))
    walked = timed(
        lambda: subprocess.run(["find", tree, "-newer", "/etc/hostname"], check=True, stdout=subprocess.DEVNULL)
    )
    row("snapshot of the unchanged tree", again, "find with a stat per file", walked)
    manifest = store.manifest(first.id)
    back = timed(lambda: restore(store, manifest, fresh(), (), no_progress, token))
    copied = timed(lambda: subprocess.run(["cp", "-a", tree, fresh()], check=True))
    row("restore everything, synced", back, "cp -a, not synced", copied)


def bench_merge(folder: Path) -> None:
    chance = random.Random(1)
    base = [f"line {n} {chance.randrange(200)}\n" for n in range(20_000)]
    mine, incoming = list(base), list(base)
    for at in range(50, len(base), 100):
        mine[at] = f"mine {at}\n"
        incoming[at + 40] = f"theirs {at}\n"
    for name, lines in (("base", base), ("mine", mine), ("incoming", incoming)):
        (folder / name).write_text("".join(lines))
    texts = [TextFile("".join(lines)) for lines in (base, mine, incoming)]

    def ours() -> str:
        merge = merge_text(texts[0], texts[1], texts[2])
        found = result_text(merge, {due.id: Choice("mine") for due in merge.decisions}, marked=False)
        return found.text if found else ""

    words = ["git", "merge-file", "-p", *(str(folder / name) for name in ("mine", "base", "incoming"))]
    theirs = subprocess.run(words, capture_output=True, text=True, check=True).stdout
    assert ours() == theirs, "the two merges differ"
    row(
        "merge 20,000 lines, 400 edits",
        timed(ours),
        "git merge-file",
        timed(lambda: subprocess.run(words, capture_output=True, check=True)),
    )


def bench_diagnostics(folder: Path) -> None:
    lines = []
    for number in range(200_000):
        lines.append(f"src/f{number % 400}.cpp:{number}:7: error: ‘name{number % 90}’ was not declared in this scope")
        lines.append(f"  {number} |   name{number % 90}();")
    log = folder / "log"
    log.write_text("\n".join(lines))

    def ours() -> None:
        found = read_diagnostics(log.read_text().splitlines(), ())
        find_causes([Owned(item, "own", item.place) for item in found])

    grepped = timed(
        lambda: subprocess.run(
            ["grep", "-a", "-c", "-E", r"^[^ :]+:[0-9]+:[0-9]+: error: ", log], capture_output=True, check=True
        )
    )
    row("causes of 200,000 errors", timed(ours), "grep for the errors alone", grepped)


def bench_survey(folder: Path) -> None:
    """The whole survey of 100,000 files, the first and the second time, against a bare walk with a stat per file."""
    root = folder / "many"
    for number in range(1000):
        part = root / "src" / f"d{number:04}"
        part.mkdir(parents=True)
        for at in range(100):
            (part / f"f{at:03}.cpp").write_bytes(b"int x;\n")
    (root / "game.ini").write_text("engine = 1.0\n")
    profile = Profile(
        "bench", "Bench", Recognise(("game.ini",)), (Site("settings", ("game.ini",), Reach(ini="engine")),),
        role=(RoleRule("generated", ("gen/**", "*.mk")), RoleRule("own", ("src/**",)), RoleRule("settings", ("*.ini",))),
    )  # fmt: skip
    time.sleep(2.5)  # what was written just now is read again, since equal times prove nothing yet

    def walk() -> int:
        return sum(os.lstat(os.path.join(at, name)).st_size for at, _, names in os.walk(root) for name in names)

    def look() -> None:
        ground = read_ground(root, profile, None, no_progress, CancelToken(), contents=False)
        survey(ground, None, CancelToken())

    def first() -> None:
        ground_module._seen.clear()
        look()

    row("survey of 100,000 files", timed(first), "os.walk with a stat per file", timed(walk))
    row("the same, second time", timed(look), "os.walk with a stat per file", timed(walk))


def bench_origin(folder: Path) -> None:
    """5,000 files among 20 releases of them, against reading and hashing with BLAKE3."""
    chance = random.Random(3)
    texts = {
        f"d{n % 50}/f{n}.cpp": "".join(f"line {chance.random()} of code\n" for _ in range(chance.randint(20, 200)))
        for n in range(5000)
    }
    folders = {}
    for number in range(20):
        for path in chance.sample(sorted(texts), 400):
            texts[path] += f"// {number}\n"
        folders[f"{number}.0"] = folder / "releases" / str(number)
        write_texts(folders[f"{number}.0"], texts)
    mine = folder / "mine-copy"
    shutil.copytree(folders["11.0"], mine)
    write_texts(mine, dict.fromkeys(chance.sample(sorted(texts), 100), "edited\n"))
    os.environ["FERNSHALE_HOME"] = str(folder / "home")

    def hash_all(places: Sequence[Path]) -> None:
        for place in places:
            for at, _, names in os.walk(place):
                for name in names:
                    with open(os.path.join(at, name), "rb") as file:
                        blake3.blake3(file.read()).digest()

    def find() -> None:
        have = read_column(mine, CancelToken())
        contents = {path: raw for path, (raw, _) in have.items()}
        found = find_origin(contents, shelf_index(folders, CancelToken()), lambda path: have[path][1])
        assert found is not None and found.name == "11.0" and len(found.edited) == 100

    def cold() -> None:
        shutil.rmtree(folder / "home", ignore_errors=True)
        find()

    everything = timed(lambda: hash_all([*folders.values(), mine]))
    row("origin among 20 x 5,000 files", timed(cold), "hashing all of them", everything)
    row("the same, shelf index kept", timed(find), "hashing the folder", timed(lambda: hash_all([mine])))


def bench_planner() -> None:
    """200 plugins with 30 releases each, in sets and needing one another."""
    chance = random.Random(1)
    releases = []
    for number in range(200):
        for version in range(1, 31):
            other = chance.randrange(200)
            needs = (Need(f"p{other:03}", f">={chance.randint(1, 12)}"),) if other != number and chance.random() < 0.3 else ()
            low = version // 8 + 1
            releases.append(
                PluginRelease(
                    f"p{number:03}", f"{version}.0", "x", accepts=f"[{low},{low + 2})", requires=needs,
                    stage=chance.choice(("stable", "stable", "stable", "preview")),
                    set=f"s{number // 4}" if number < 60 else "",
                )
            )  # fmt: skip
    source = FolderSource("bench", Path("bench"))
    shelf = Shelf("", (), tuple(releases), (), (), (source,), dict.fromkeys(releases, source))
    here = [Here(f"p{number:03}", f"{chance.randint(1, 5)}.0", "[1,2)") for number in range(200)]
    elapsed = timed(lambda: plan_leg(shelf, "1", "3.5", here))
    print(f"{'plan 200 plugins x 30 releases':34} {elapsed:8.3f} s   exact; the aim is below 2 s")


def write_texts(root: Path, texts: Mapping[str, str]) -> None:
    for path, text in texts.items():
        place = root / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(text)


def make_tree(root: Path, count: int) -> Path:
    """Files as a project has them: many small texts, some that do not compress."""
    chance = random.Random(7)
    for number in range(count):
        path = root / f"d{number % 97}" / f"e{number % 13}" / f"file{number}.txt"
        path.parent.mkdir(parents=True, exist_ok=True)
        if number % 20 == 0:
            path.write_bytes(os.urandom(60_000))
        else:
            path.write_text("".join(f"value {chance.randrange(10_000)} of {number}\n" for _ in range(120)))
    return root


def timed(work: Callable[[], object]) -> float:
    times = []
    for _ in range(3):
        started = time.perf_counter()
        work()
        times.append(time.perf_counter() - started)
    return statistics.median(times)


def row(what: str, ours: float, other: str, theirs: float) -> None:
    print(f"{what:34} {ours:8.3f} s   {other:28} {theirs:8.3f} s   ratio {ours / theirs:6.1f}")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 5000)
