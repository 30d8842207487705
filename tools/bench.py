"""Measure parts against general tools on the same data in the same run; print ratios.

    ./dev bench [PART...]     store, manifest, merge, diagnostics, drift, rules, links, logs, survey, origin, planner, window,
                              growth

Machines are noisy: each figure is the median of three runs, and the ratio is what to look at.
"""

from __future__ import annotations

import json
import os
import random
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from array import array
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

import blake3
from trees import change_some, make_project

from fernshale.core.base.cache import Cache
from fernshale.core.base.textfile import TextFile
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.build.causes import find_causes
from fernshale.core.build.owners import Owned
from fernshale.core.build.reading import read_log
from fernshale.core.crossing.project.scan import ScanOptions, scan_project
from fernshale.core.crossing.rules.search import find_all_edits
from fernshale.core.crossing.stages.survey.inspection import inspect_survey
from fernshale.core.drift.comparison_cache import ReleasePlaces, compare_releases
from fernshale.core.drift.release_symbols import read_pair
from fernshale.core.fix.rules import RenameRule
from fernshale.core.inference.rule_cache import derived_rules
from fernshale.core.links.index import LinkIndex
from fernshale.core.merge.align import align_lines
from fernshale.core.merge.folder_merge import merge_folders
from fernshale.core.merge.folder_reader import disk_sides
from fernshale.core.merge.ledger import build_ledger
from fernshale.core.merge.merge_result import build_result, write_result
from fernshale.core.merge.text_merge import merge_text, result_text
from fernshale.core.profile.model import IdPattern, LinkShape, LogShape, Profile, Reach, Recognise, RoleRule, Site
from fernshale.core.route.candidates import InstalledPlugin, ProjectPlugins
from fernshale.core.route.planner import plan_leg
from fernshale.core.route.shelf import Need, PluginRelease, Shelf
from fernshale.core.route.shelf_sources import FolderSource
from fernshale.core.snapshot.manifest import EMPTY, Folder, Manifest
from fernshale.core.snapshot.manifest_file import encode_entries, encode_manifest
from fernshale.core.snapshot.restore import restore
from fernshale.core.snapshot.store import Store
from fernshale.core.snapshot.tree_walk import list_tree
from fernshale.core.survey.release_index import read_column, shelf_index
from fernshale.core.survey.release_origin import find_origin
from fernshale.core.trial.log_diff import compare_logs

ASSET_LINKS = LinkShape((IdPattern(("**/*.json",), key=("uid",)),), (IdPattern(("**/*.json",), key=("mesh",)),))
# The profile of a project of many small files.
MANY = Profile(
    "bench", "Bench", Recognise(("game.ini",)), (Site("settings", ("game.ini",), Reach(ini="engine")),),
    role=(RoleRule("generated", ("gen/**", "*.mk")), RoleRule("own", ("src/**",)), RoleRule("settings", ("*.ini",))),
)  # fmt: skip


def main(wanted: Sequence[str]) -> None:
    parts: dict[str, Callable[[Path], None]] = {
        "store": bench_stores,
        "manifest": bench_manifest,
        "merge": bench_merge,
        "diagnostics": bench_diagnostics,
        "drift": bench_drift,
        "rules": bench_rules,
        "links": bench_links,
        "logs": bench_logs,
        "survey": bench_survey,
        "origin": bench_origin,
        "planner": lambda folder: bench_planner(),
        "window": lambda folder: bench_alone("interaction.py"),
        "growth": lambda folder: bench_alone("growth.py"),
    }
    # Plain git: filters or hooks of this machine's settings would count against it.
    os.environ |= {"GIT_CONFIG_GLOBAL": os.devnull, "GIT_CONFIG_NOSYSTEM": "1"}
    for name in wanted or parts:
        # In memory where there is room: a disk on which many files were deleted creates them several times slower.
        memory = Path("/dev/shm")
        roomy = memory.is_dir() and shutil.disk_usage(memory).free > 14 << 30
        folder = Path(tempfile.mkdtemp(prefix="fernshale-bench-", dir=memory if roomy else None))
        try:
            parts[name](folder)
        finally:
            shutil.rmtree(folder)


def bench_stores(folder: Path) -> None:
    for files, mebibytes in ((20_000, 2048), (100_000, 1024)):
        place = folder / str(files)
        tree = make_project(place / "tree", files, mebibytes)
        print(f"{files} files, {mebibytes} MiB, in {folder.parent}")
        bench_store(place, tree)
        shutil.rmtree(place)


def bench_store(place: Path, tree: Path) -> None:
    """Taking, taking again and bringing back, in turn with tar and zstd and with git on a copy of the same tree."""
    token = CancelToken()
    other = place / "git"
    subprocess.run(["cp", "-a", tree, other], check=True)
    archive, out = place / "tar.zst", place / "out"
    git(other, "init", "-q")
    git(other, "config", "gc.auto", "0")

    def take() -> None:
        Store(place / "store").take(tree, "", Work(token=token))

    def take_first() -> None:
        shutil.rmtree(place / "store", ignore_errors=True)
        take()

    def commit() -> None:
        git(other, "add", "-A")
        git(other, "commit", "-q", "-m", "all", "--allow-empty")

    def bring_back() -> None:
        store = Store(place / "store")
        restore(store, store.manifest(store.list()[0].id), out, (), Work(token=token))

    def unpack() -> None:
        out.mkdir()
        shell(f"zstd -q -d -c {archive} | tar -C {out} -x")

    def check_out() -> None:
        out.mkdir()
        git(other, f"--work-tree={out}", "checkout", "-f", "HEAD", "--", ".")

    def clean() -> None:
        shutil.rmtree(out, ignore_errors=True)

    def pack() -> None:
        shell(f"tar -C {tree} -c . | zstd -q -f -1 -T0 -o {archive}")

    ours, packed = in_turn(take_first, pack)
    committed = spent(commit)
    compared("first take", ours, "tar | zstd -1 -T0", packed)
    compared("first take", ours, "git add, commit", committed)
    sizes = [size_of(place / "store"), archive.stat().st_size, size_of(other / ".git")]
    print("    kept: {:.0f} MB; tar | zstd {:.0f} MB; git {:.0f} MB".format(*(size / 1e6 for size in sizes)))
    time.sleep(2.5)  # what was written just now is read again, since equal times prove nothing yet
    take()
    git(other, "status", "--porcelain")
    compared("take, unchanged", *alternate(take, lambda: git(other, "status", "--porcelain"), "git status"))
    back, unpacked, checked_out = in_turn(bring_back, unpack, check_out, before=clean)
    clean()
    compared("restore, synced at the end", back, "zstd -d | tar -x", unpacked)
    compared("restore, synced at the end", back, "git checkout", checked_out)
    again: list[tuple[Spent, Spent]] = []
    for seed in range(3):
        for copy in (tree, other):
            change_some(copy, 0.01, seed)
        again.append((spent(take), spent(commit)))
    compared(
        "take, 1 % changed", median([one for one, _ in again]), "git add, commit", median([two for _, two in again])
    )


def bench_manifest(folder: Path) -> None:
    """The memory of taking, and of reading and comparing, the manifest of a million files; in a process of its own."""
    rows = 1000
    facts = array("q", [1000, 1, 1, 1, 0o100644] * rows)
    folders = {
        f"part{n // 40:03}/unit{n:04}": Folder(
            f"part{n // 40:03}/unit{n:04}", tuple(f"source{n:04}-{row:06}.cpp" for row in range(rows)), facts,
            blake3.blake3(str(n).encode()).digest(length=32 * rows),
        )
        for n in range(1000)
    }  # fmt: skip
    store = Store(folder / "store")
    data = encode_manifest({"tree": "/t", "taken": 1.0, "taken_ns": 1, "note": "", "files": rows * 1000, "bytes": 0, "stored": 0,
                            "reported": []}, encode_entries(Manifest(folders)))  # fmt: skip
    (store.snapshots_folder / "one.manifest").write_bytes(data)
    (store.snapshots_folder / "two.manifest").write_bytes(data)
    code = (
        "import resource, sys; from pathlib import Path; from fernshale.core.snapshot.store import Store;"
        "from fernshale.core.snapshot.manifest_diff import compare; store = Store(Path(sys.argv[1]));"
        "one = store.manifest('one'); {}"
        "print(resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024)"
    )
    for words, more in (("reading", ""), ("reading two and comparing them", "compare(one, store.manifest('two'));")):
        done = subprocess.run(
            [sys.executable, "-c", code.format(more), store.folder], check=True, capture_output=True, text=True
        )
        print(f"{'manifest of 1,000,000 files, ' + words:60} {done.stdout.strip()} MiB of memory at most")


def git(folder: Path, *words: str) -> None:
    who = ("-c", "user.name=bench", "-c", "user.email=bench@nowhere.invalid")
    subprocess.run(["git", *who, *words], cwd=folder, check=True, stdout=subprocess.DEVNULL)


def shell(line: str) -> None:
    subprocess.run(["sh", "-c", line], check=True)


def size_of(folder: Path) -> int:
    return sum(path.stat().st_size for path in folder.rglob("*") if path.is_file())


@dataclass(frozen=True, slots=True)
class Spent:
    """Wall and CPU seconds, those of processes started among them."""

    wall_s: float
    cpu_s: float


def spent(work: Callable[[], object]) -> Spent:
    def cpu() -> float:
        used = [resource.getrusage(who) for who in (resource.RUSAGE_SELF, resource.RUSAGE_CHILDREN)]
        return sum(item.ru_utime + item.ru_stime for item in used)

    started, before = time.perf_counter(), cpu()
    work()
    return Spent(time.perf_counter() - started, cpu() - before)


def in_turn(*works: Callable[[], object], before: Callable[[], object] = lambda: None, times: int = 3) -> list[Spent]:
    """The median of each, run one after the other again and again, so that noise of the machine meets all."""
    found: list[list[Spent]] = [[] for _ in works]
    for _ in range(times):
        for work, kept in zip(works, found, strict=True):
            before()
            kept.append(spent(work))
    return [median(kept) for kept in found]


def alternate(ours: Callable[[], object], theirs: Callable[[], object], name: str) -> tuple[Spent, str, Spent]:
    one, two = in_turn(ours, theirs, times=5)
    return one, name, two


def median(found: Sequence[Spent]) -> Spent:
    return Spent(statistics.median(item.wall_s for item in found), statistics.median(item.cpu_s for item in found))


def compared(what: str, ours: Spent, other: str, theirs: Spent) -> None:
    sides = [f"{side.wall_s:7.2f} s, CPU {side.cpu_s:6.2f} s" for side in (ours, theirs)]
    ratios = f"{ours.wall_s / theirs.wall_s:5.2f}, CPU {ours.cpu_s / max(theirs.cpu_s, 1e-9):5.2f}"
    print(f"  {what:28} {sides[0]}   {other:18} {sides[1]}   ratio {ratios}", flush=True)


def bench_merge(folder: Path) -> None:
    for count in (1_000, 10_000):
        bench_lines(folder, count)
    bench_hard_lines(200_000)
    bench_folders(folder)


def bench_lines(folder: Path, count: int) -> None:
    """2 % of the lines edited on each side; the general tool with its start, as anyone would call it."""
    chance = random.Random(1)
    plain = ["}\n", "\n", "    return it;\n"]
    base = [f"line {n} {chance.randrange(200)}\n" if n % 3 else plain[n // 3 % 3] for n in range(count)]
    mine, incoming = list(base), list(base)
    for at in range(10, count - 40, 50):
        mine[at] = f"mine {at}\n"
        incoming[at + 25] = f"theirs {at}\n"
    for name, lines in (("base", base), ("mine", mine), ("incoming", incoming)):
        (folder / name).write_text("".join(lines))
    texts = [TextFile("".join(lines)) for lines in (base, mine, incoming)]

    def ours() -> str:
        found = result_text(merge_text(texts[0], texts[1], texts[2]), {}, "nothing")
        return found.text if found else ""

    words = ["git", "merge-file", "-p", *(str(folder / name) for name in ("mine", "base", "incoming"))]
    theirs = subprocess.run(words, capture_output=True, text=True, check=True).stdout
    assert ours() == theirs, "the two merges differ"
    git = timed(lambda: subprocess.run(words, capture_output=True, check=True), 25)
    row(f"merge {count:,} lines, 2 % each", timed(ours, 25), "git merge-file", git)


def bench_hard_lines(count: int) -> None:
    """Texts without an anchor, against sorting as many numbers: what n log n costs here."""
    chance = random.Random(1)
    equal = ["same"] * count
    few = [chance.choice("ab") for _ in range(count)]
    cases = {
        "equal lines": (equal, [line if n % 500 else f"edit {n}" for n, line in enumerate(equal)]),
        "no line in common": ([f"a{n}" for n in range(count)], [f"b{n}" for n in range(count)]),
        "two different lines": (few, [line for n, line in enumerate(few) if n % 700]),
        "shuffled": ([f"a{n}" for n in range(count)], chance.sample([f"a{n}" for n in range(count)], count)),
    }
    words = [f"{chance.random()}" for _ in range(count)]
    sorting = timed(lambda: sorted(words), 5)
    for name, (old, new) in cases.items():
        row(f"align {count:,}: {name}", timed(partial(align_lines, old, new)), "sorting", sorting)


def write_sides(folder: Path, files: int) -> dict[str, Path]:
    """Three folders to merge: 10 % changed by the vendor, 3 % here, one of 250 moved."""
    chance = random.Random(2)
    trees = {name: folder / f"tree-{name}" for name in ("base", "mine", "incoming")}
    for number in range(files):
        lines = [f"file {number} line {n} {chance.randrange(900)}\n" for n in range(chance.randrange(20, 160))]
        path = f"part{number % 50}/file{number}.cpp"
        mine, incoming = list(lines), list(lines)
        if number % 10 == 0:
            incoming[3:5] = [f"vendor {number}\n"]
        if number % 33 == 0:
            mine[12] = f"mine {number}\n"
        there = f"moved/file{number}.cpp" if number % 250 == 0 else path
        for name, where, text in (("base", path, lines), ("mine", path, mine), ("incoming", there, incoming)):
            target = trees[name] / where
            target.parent.mkdir(parents=True, exist_ok=True)
            target.write_text("".join(text))
    return trees


def bench_folders(folder: Path) -> None:
    """5,000 files: preview, ledger and the result written."""
    trees = write_sides(folder, 5_000)

    def ours(target: Path | None) -> None:
        base, mine, incoming = disk_sides(list(trees.values()), CancelToken())
        merge = merge_folders(base, mine, incoming, Work())
        result = build_result(merge, {}, "mine")
        assert build_ledger(merge, result, {}).count("carried") == 152
        if target is not None:
            shutil.rmtree(target, ignore_errors=True)
            write_result(merge, result, target)

    def theirs() -> None:
        store = folder / "repository"
        shutil.rmtree(store, ignore_errors=True)
        git(folder, "init", "-q", str(store))
        commits: list[str] = []
        for name in ("base", "mine", "incoming"):
            where = ["--git-dir", str(store / ".git"), "--work-tree", str(trees[name])]
            if name == "incoming":
                git(folder, *where, "reset", "-q", "--soft", commits[0])
            git(folder, *where, "add", "-A")
            git(folder, *where, "commit", "-q", "-m", name)
            found = subprocess.run(["git", *where, "rev-parse", "HEAD"], capture_output=True, text=True, check=True)
            commits.append(found.stdout.strip())
        words = ["git", "-C", str(store), "merge-tree", "--write-tree", commits[1], commits[2]]
        subprocess.run(words, capture_output=True, check=True)

    general = timed(theirs)
    row("merge 5,000 files, preview", timed(lambda: ours(None)), "git add, commit, merge-tree", general)
    row(
        "merge 5,000 files, all written", timed(lambda: ours(folder / "result")), "git add, commit, merge-tree", general
    )


def bench_diagnostics(folder: Path) -> None:
    """100 MB in which 6,000 errors of headers come again in each file that includes them; then errors all different."""
    frame = " | " + "a" * 60 + "();\n      |   ^~~~\n"
    parts, size, number = [], 0, 0
    while size < 100_000_000:
        header, line = f"include/part{number % 60}/h{number % 600}.hpp", number % 6000
        parts.append(
            f"In file included from src/f{number % 9000}.cpp:2:\n{header}: In member function ‘void Boat::go()’:\n"
            f"{header}:{line}:7: error: ‘name{line % 90}’ was not declared in this scope\n  {line}{frame}"
            f"{header}:{line}:3: note: suggested alternative: ‘Name{line % 90}’\n  {line}{frame}"
        )
        size += len(parts[-1].encode())
        number += 1
    _bench_log(folder / "repeated", "".join(parts), f"causes of {number} errors, 6,000 of them different")
    _bench_log(folder / "different", make_errors(100_000), "causes of 100,000 errors, all different")


def make_errors(number: int) -> str:
    """The output of a compiler with errors that are all different."""
    frame = " | " + "a" * 60 + "();\n      |   ^~~~\n"
    return "".join(
        f"src/f{at % 400}.cpp:{at}:7: error: ‘name{at % 90}’ was not declared in this scope\n  {at}{frame}"
        for at in range(number)
    )


def bench_drift(folder: Path) -> None:
    """Two releases of 2,000 headers: of a small one a fifth differs, and all with a new year above; of a big one all."""
    for name, every, has_year in (
        ("a fifth of them differ", 5, False), ("the others by a year alone", 5, True), ("all differ", 1, False),
    ):  # fmt: skip
        sides = (make_headers(folder / name / side, side == "new", every, has_year) for side in ("old", "new"))
        _bench_pair(name, *sides)


def _bench_pair(name: str, old: Path, new: Path) -> None:
    token = CancelToken()
    command = ["ctags", "-R", "-f", os.devnull, str(old), str(new)]
    tag = (lambda: subprocess.run(command, capture_output=True, check=True)) if shutil.which("ctags") else lambda: None
    read, tagged = timed_in_turn((lambda: read_pair(old, new, "", Work(token=token)), tag), 5)
    other = ("a tagger on both", tagged) if shutil.which("ctags") else ("no tagger here", float("nan"))
    row(f"symbols of two releases, {name}", read, *other)
    row(
        "the comparison, first time",
        once(lambda: compare_releases(ReleasePlaces(old, new), "", Work(token=token))),
        *other,
    )
    row(
        "the comparison, second time",
        timed(lambda: compare_releases(ReleasePlaces(old, new), "", Work(token=token))),
        *other,
    )
    places = ReleasePlaces(old, new)
    changes = compare_releases(places, "", Work(token=token))
    row("rules derived from it, first time", once(lambda: derived_rules(changes, places, "t", (), Cache())), *other)
    row("rules of it, in the next process", timed(lambda: derived_rules(changes, places, "t", (), Cache())), *other)


def once(act: Callable[[], object]) -> float:
    """Seconds of a work that is kept once it is done."""
    start = time.perf_counter()
    act()
    return time.perf_counter() - start


def make_headers(folder: Path, is_new: bool, every: int, has_year: bool, files: int = 2000) -> Path:
    """A release of C++ headers with a class of 24 methods each; in every `every`th one of a new release they are renamed."""
    year = f"// Copyright {2026 if is_new else 2025}, the keepers of the piers\n" if has_year else ""
    line = "    /// Counts what lies at pier {0}.\n    virtual int count_{0}_{1}(const std::string& pier, int hour = {0}) const;\n"
    for number in range(files):
        suffix = "now" if is_new and number % every == 0 else "once"
        methods = "".join(line.format(n, suffix) for n in range(24))
        place = folder / f"part{number % 40}" / f"h{number}.hpp"
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(
            f"{year}#pragma once\nnamespace m {{\nclass Boat{number} : public Base {{\npublic:\n{methods}}};\n}}\n"
        )
    return folder


def _bench_log(log: Path, text: str, what: str) -> None:
    log.write_text(text)

    def ours() -> None:
        found = read_log(log.read_bytes(), ())
        find_causes([Owned(item, "own", item.place) for item in found])

    command = ["grep", "-cE", ": (error|warning):", str(log)]
    grepped = timed(lambda: subprocess.run(command, capture_output=True, check=True))
    row(f"{what}, {len(text.encode()) >> 20} MiB", timed(ours), "grep -c for the lines", grepped)


def write_assets(folder: Path, files: int) -> list[str]:
    """Text assets of about a kilobyte that use four others each, in JSON; their ids."""
    rng = random.Random(7)
    ids = [f"{rng.getrandbits(128):032x}" for _ in range(files)]
    for number, id in enumerate(ids):
        place = folder / f"assets/{number % 100}/{number}.json"
        place.parent.mkdir(parents=True, exist_ok=True)
        values = {f"value{n}": round(rng.random() * 90, 3) for n in range(30)}
        parts = [{"mesh": rng.choice(ids), "x": n} for n in range(4)]
        place.write_text(json.dumps({"uid": id, "name": f"thing {number}", **values, "parts": parts}, indent=1))
    return ids


def bench_links(folder: Path) -> None:
    """20,000 text assets, and one file changed."""
    (folder / "ids").write_text("\n".join(write_assets(folder, 20_000)))
    token = CancelToken()
    shape = ASSET_LINKS
    tree = list_tree(folder / "assets", EMPTY, Work(token=token))
    stamps = {path: entry.size for path, entry in tree.files.items()}
    index = LinkIndex(shape)

    def first() -> None:
        index.__init__(shape)  # type: ignore[misc]
        index.update(stamps, folder / "assets", Work(token=token))

    search = "rg" if shutil.which("rg") else "grep"
    words = ["rg", "-lF", "-f"] if search == "rg" else ["grep", "-rlFf"]
    theirs = timed(
        lambda: subprocess.run([*words, str(folder / "ids"), str(folder / "assets")], stdout=subprocess.DEVNULL)
    )
    row("index of 20,000 text assets", timed(first), f"{search} for all their ids", theirs)
    one = {**stamps, next(iter(stamps)): -1}
    row(
        "after one file changed",
        once(lambda: index.update(one, folder / "assets", Work(token=token))),
        f"{search}",
        theirs,
    )


def make_logs(lines: int) -> list[bytes]:
    """Two logs with times, numbers and addresses in each line."""
    rng = random.Random(1)
    words = ["loading pier", "lamp lit", "boat moors", "tide turns", "gull cries", "warning: low water"]

    def line(at: int) -> str:
        address = f"0x{rng.getrandbits(32):08x}" if at % 3 == 0 else "here"
        stamp = f"{at // 3600 % 24:02}:{at // 60 % 60:02}:{at % 60:02}.{at % 1000:03}"
        return f"[{stamp}] {rng.choice(words)} {at % 9999} at {address}, {at % 97}.{at % 31} ms"

    return ["\n".join(line(at) for at in range(lines)).encode() for _ in range(2)]


def bench_logs(folder: Path) -> None:
    """Two logs of 100 MB in all."""
    logs = make_logs(800_000)
    size = sum(map(len, logs))
    (folder / "log").write_bytes(logs[0] + logs[1])
    took = timed(lambda: compare_logs(logs[0], logs[1], LogShape()))
    plain = {**os.environ, "LC_ALL": "C"}
    sort = timed(lambda: subprocess.run(["sort", str(folder / "log")], stdout=subprocess.DEVNULL, env=plain))
    row(f"logs of {size / 1e6:.0f} MB aligned, {size / 1e6 / took:.0f} MB/s", took, "sort", sort)


def bench_rules(folder: Path) -> None:
    """One rename in 20,000 source files of which a tenth has the word."""
    body = "".join(f"int f{n}(int a) {{ return a + {n}; }}\n" for n in range(40))
    sources = {
        f"src/{number % 100}/f{number}.cpp": body
        + ("void g(Boat& boat) { boat.next_tide(3); }\n" if number % 10 == 0 else "")
        for number in range(20_000)
    }
    write_texts(folder / "tree", sources)
    rule = RenameRule("tide", "", old="next_tide", new="tide_after")
    site = Site("release", ("engine.json",), Reach(json="/release"), required=True)
    role = RoleRule("own", ("src/**",))
    (folder / "tree/engine.json").write_text('{"release": "1.0"}')
    profile = Profile("bench", "Bench", Recognise(("engine.json",)), (site,), role=(role,))
    token = CancelToken()

    def ours() -> None:
        scan = scan_project(folder / "tree", profile, None, Work(token=token), ScanOptions(contents=False))
        assert len(find_all_edits(scan, [rule], token)["tide"]) == 2000

    root = folder / "tree"
    scan = scan_project(root, profile, None, Work(token=token), ScanOptions(contents=False))

    def again() -> None:
        assert len(find_all_edits(scan, [rule], token)["tide"]) == 2000

    searches = [("grep", "-rlF"), *([("rg", "-lF")] if shutil.which("rg") else [])]
    words = [[search, option, "next_tide", str(root)] for search, option in searches]
    theirs = [lambda command=command: subprocess.run(command, capture_output=True) for command in words]
    first, next_look, *others = timed_in_turn((ours, again, *theirs))
    for (search, _), other in zip(searches, others, strict=True):
        row("a rule over 20,000 source files", first, search, other)
        row("a rule at the next look", next_look, search, other)


def write_many(root: Path, files: int) -> None:
    """A project of many small files, 100 in a folder."""
    for number in range(files // 100):
        part = root / "src" / f"d{number:04}"
        part.mkdir(parents=True)
        for at in range(100):
            (part / f"f{at:03}.cpp").write_bytes(b"int x;\n")
    (root / "game.ini").write_text("engine = 1.0\n")


def bench_survey(folder: Path) -> None:
    """The whole survey of 100,000 files, the first and the second time, against a bare walk with a stat per file."""
    root = folder / "many"
    write_many(root, 100_000)
    cache = Cache()
    time.sleep(2.5)  # what was written just now is read again, since equal times prove nothing yet

    def walk() -> int:
        return sum(os.lstat(os.path.join(at, name)).st_size for at, _, names in os.walk(root) for name in names)

    def look() -> None:
        scan = scan_project(root, MANY, None, Work(), ScanOptions(contents=False, cache=cache))
        inspect_survey(scan, None, CancelToken())

    def first() -> None:
        cache.clear()
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
            needs = (
                (Need(f"p{other:03}", f">={chance.randint(1, 12)}"),)
                if other != number and chance.random() < 0.3
                else ()
            )
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
    here = [InstalledPlugin(f"p{number:03}", f"{chance.randint(1, 5)}.0", "[1,2)") for number in range(200)]
    # Each time for a shelf of its own, since a plan is kept.
    elapsed = timed(lambda: plan_leg(replace(shelf), "1", "3.5", ProjectPlugins(here)))
    print(f"{'plan 200 plugins x 30 releases':34} {elapsed:8.3f} s   exact; the aim is below 2 s")


def bench_alone(name: str) -> None:
    """A measurement in a process of its own: Qt and caches keep what they have loaded."""
    subprocess.run([sys.executable, str(Path(__file__).with_name(name))], check=True)


def write_texts(root: Path, texts: Mapping[str, str]) -> None:
    for path, text in texts.items():
        place = root / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_text(text)


def timed(work: Callable[[], object], runs: int = 3) -> float:
    """The median of several runs, in seconds."""
    times = []
    for _ in range(runs):
        started = time.perf_counter()
        work()
        times.append(time.perf_counter() - started)
    return statistics.median(times)


def timed_in_turn(works: Sequence[Callable[[], object]], runs: int = 9) -> list[float]:
    """The median of several runs of each, one after the other, so that all of them have the machine as it is just then."""
    times = [[once(work) for work in works] for _ in range(runs)]
    return [statistics.median(column) for column in zip(*times, strict=True)]


def row(what: str, ours: float, other: str, theirs: float) -> None:
    print(f"{what:34} {ours:8.3f} s   {other:28} {theirs:8.3f} s   ratio {ours / theirs:6.2f}")


if __name__ == "__main__":
    main(sys.argv[1:])
