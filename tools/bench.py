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
from collections.abc import Callable
from pathlib import Path

from fernshale.core.base.textfile import TextFile
from fernshale.core.base.work import CancelToken, no_progress
from fernshale.core.build.causes import find_causes
from fernshale.core.build.diagnostics import read_diagnostics
from fernshale.core.build.owners import Owned
from fernshale.core.merge.textmerge import Choice, merge_text, result_text
from fernshale.core.snapshot.restore import restore
from fernshale.core.snapshot.store import Store


def main(count: int) -> None:
    folder = Path(tempfile.mkdtemp(prefix="fernshale-bench-"))
    try:
        tree = make_tree(folder / "tree", count)
        size = sum(path.stat().st_size for path in tree.rglob("*") if path.is_file())
        print(f"{count} files, {size / 1e6:.0f} MB; seconds are medians of three")
        bench_snapshots(folder, tree)
        bench_merge(folder)
        bench_diagnostics(folder)
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
