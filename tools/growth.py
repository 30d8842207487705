"""How the time of each kind of work grows with its size: measured at a quarter, once and four times, with the exponent.

    ./dev bench growth

1.0 is linear; n log n shows as 1.05 to 1.1 at these sizes.
"""

from __future__ import annotations

import math
import os
import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import bench
from trees import make_project

from fernshale.core.base.work import CancelToken, Work
from fernshale.core.build.causes import find_causes
from fernshale.core.build.owners import Owned
from fernshale.core.build.reading import read_log
from fernshale.core.crossing.project.scan import ScanOptions, scan_project
from fernshale.core.crossing.stages.survey.inspection import inspect_survey
from fernshale.core.drift.comparison import compare
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.links.index import LinkIndex
from fernshale.core.merge.folder_merge import merge_folders
from fernshale.core.merge.folder_reader import disk_sides
from fernshale.core.merge.ledger import build_ledger
from fernshale.core.merge.merge_result import build_result
from fernshale.core.profile.model import LogShape
from fernshale.core.snapshot.manifest import EMPTY
from fernshale.core.snapshot.restore import restore
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import list_tree
from fernshale.core.trial.log_diff import compare_logs

# Prepares data of a size in a folder, and returns the work to be timed.
Prepare = Callable[[Path, int], Callable[[], object]]
_RUNS = 3


def _releases(folder: Path, files: int) -> Callable[[], object]:
    old, new = (bench.make_headers(folder / side, side == "new", 5, False, files) for side in ("old", "new"))
    return lambda: compare(read_pair(old, new, "", Work()), CancelToken())


def _errors(folder: Path, number: int) -> Callable[[], object]:
    log = bench.make_errors(number).encode()
    return lambda: find_causes([Owned(item, "own", item.place) for item in read_log(log, ())])


def _links(folder: Path, files: int) -> Callable[[], object]:
    bench.write_assets(folder, files)
    tree = list_tree(folder / "assets", EMPTY, Work())
    stamps = {path: entry.size for path, entry in tree.files.items()}
    return lambda: LinkIndex(bench.ASSET_LINKS).update(stamps, folder / "assets", Work())


def _merge(folder: Path, files: int) -> Callable[[], object]:
    trees = list(bench.write_sides(folder, files).values())

    def act() -> None:
        base, mine, incoming = disk_sides(trees, CancelToken())
        merge = merge_folders(base, mine, incoming, Work())
        build_ledger(merge, build_result(merge, {}, "mine"), {})

    return act


def _logs(folder: Path, lines: int) -> Callable[[], object]:
    logs = bench.make_logs(lines)
    return lambda: compare_logs(logs[0], logs[1], LogShape())


def _survey(folder: Path, files: int) -> Callable[[], object]:
    bench.write_many(folder / "many", files)

    def act() -> None:
        scan = scan_project(folder / "many", bench.MANY, None, Work(), ScanOptions(contents=False))
        inspect_survey(scan, None, CancelToken())

    return act


def _take(folder: Path, files: int) -> Callable[[], object]:
    tree = make_project(folder / "tree", files, files // 50)

    def act() -> None:
        shutil.rmtree(folder / "store", ignore_errors=True)
        Store(folder / "store").take(tree, "", Work())

    return act


def _restore(folder: Path, files: int) -> Callable[[], object]:
    _take(folder, files)()
    store = Store(folder / "store")
    manifest = store.manifest(store.list()[0].id)

    def act() -> None:
        shutil.rmtree(folder / "out", ignore_errors=True)
        restore(store, manifest, folder / "out", (), Work())

    return act


WORKS: dict[str, tuple[Prepare, int]] = {
    "headers of two releases, a fifth renamed": (_releases, 400),
    "errors, all different": (_errors, 20_000),
    "text assets indexed": (_links, 4_000),
    "files of a folder merge": (_merge, 2_000),
    "lines of two logs": (_logs, 100_000),
    "files of a survey": (_survey, 20_000),
    "files of a first snapshot": (_take, 8_000),
    "files restored": (_restore, 8_000),
}


def main() -> None:
    memory = Path("/dev/shm")
    for name, (prepare, size) in WORKS.items():
        times = []
        for count in (size // 4, size, 4 * size):
            folder = Path(tempfile.mkdtemp(prefix="fernshale-growth-", dir=memory if memory.is_dir() else None))
            try:
                act = prepare(folder, count)
                times.append(min(_timed(act) for _ in range(_RUNS)))
            finally:
                shutil.rmtree(folder)
        exponent = math.log(times[2] / times[0]) / math.log(16)
        said = ", ".join(f"{spent:.3f} s" for spent in times)
        print(f"{name:42} {size // 4:>7,} {size:>7,} {4 * size:>7,}   {said}   exponent {exponent:.2f}", flush=True)


def _timed(act: Callable[[], object]) -> float:
    started = time.perf_counter()
    act()
    return time.perf_counter() - started


if __name__ == "__main__":
    with tempfile.TemporaryDirectory(prefix="fernshale-growth-home-") as home:
        os.environ["FERNSHALE_HOME"] = home
        main()
