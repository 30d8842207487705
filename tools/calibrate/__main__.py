"""Fit and check the confidence of matched symbols with releases of real libraries: `./dev calibrate [LIBRARY ..]`.

With names of libraries it only measures those. Without, it measures all and writes the weights and the page about them.
"""

from __future__ import annotations

import argparse
import pickle
import sys
import tempfile
from collections.abc import Mapping, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import replace
from pathlib import Path

from platformdirs import user_cache_path

from calibrate.fetch import Library, fetch, list_libraries
from calibrate.fit import fit_calibration, fit_weights, read_anchors
from calibrate.measure import Measured, measure
from calibrate.report import Bin, reliability, table_of
from calibrate.shipped import Found, find_as_shipped
from calibrate.truths import find_facts, make_case, visible
from fernshale.core.base.work import Work
from fernshale.core.drift.release_symbols import read_release
from fernshale.core.drift.signal_weights import WeightTable, fitted_weights

_ROOT = Path(__file__).parents[2]
_WEIGHTS = _ROOT / "fernshale/core/drift/weights.toml"
_PAGE = _ROOT / "docs/confidence.md"


def main() -> int:
    parser = argparse.ArgumentParser(prog="./dev calibrate", description=__doc__)
    parser.add_argument("library", nargs="*", help="measure only these")
    given = parser.parse_args()
    libraries = list_libraries(frozenset(given.library))
    cache = user_cache_path("fernshale") / "calibrate"
    for library in libraries:
        fetch(library, cache)
        print(f"{library.name}: {', '.join(library.releases)}")
    with tempfile.TemporaryDirectory() as folder, ProcessPoolExecutor() as pool:
        prepared = pool.map(_prepare, [(item, cache, Path(folder)) for item in libraries])
        known = [(item, count) for item, count in zip(libraries, prepared, strict=True) if count]
        for library, count in known:
            print(f"{library.name}: {count} names with a stated successor")
        # Large ones first, so that both processes end together.
        known.sort(key=lambda item: -item[1])
        todo = [item for item, _ in known]
        start = fitted_weights() if given.library else read_anchors()
        measured = _measure_all(pool, todo, [start] * len(todo), Path(folder))
        shipped = dict(
            zip([item.name for item in todo], pool.map(_shipped, [(item, cache) for item in todo]), strict=True)
        )
        if given.library:
            _print(measured, shipped)
            return 0
        others = [fit_weights([one for one in measured if one.name != item.name], read_anchors()) for item in todo]
        left_out = _measure_all(pool, todo, others, Path(folder))
    bins, first = _reliability(left_out)
    _write(fit_weights(measured, read_anchors()), left_out, first)
    _PAGE.write_text(page := table_of(left_out, bins, first, shipped))
    print(page)
    return 0


def _prepare(job: tuple[Library, Path, Path]) -> int:
    library, cache, folder = job
    folders = fetch(library, cache)
    releases = [visible(read_release(place, "", Work())) for place in folders]
    facts = find_facts(releases, folders[-1])
    case = make_case(releases[0], releases[-1], facts)
    (folder / library.name).write_bytes(pickle.dumps(case))
    return len(case.successors)


def _shipped(job: tuple[Library, Path]) -> tuple[Found, ...]:
    library, cache = job
    folders = fetch(library, cache)
    releases = [visible(read_release(place, "", Work())) for place in folders]
    return find_as_shipped(folders, releases, find_facts(releases, folders[-1]))


def _measure_all(
    pool: ProcessPoolExecutor, libraries: Sequence[Library], tables: Sequence[WeightTable], folder: Path
) -> list[Measured]:
    return list(pool.map(_measure, [(item, table, folder) for item, table in zip(libraries, tables, strict=True)]))


def _measure(job: tuple[Library, WeightTable, Path]) -> Measured:
    library, table, folder = job
    case = pickle.loads((folder / library.name).read_bytes())
    uncalibrated = replace(table, scores=(0.0, 1.0), probabilities=(0.0, 1.0))
    return measure(library.name, library.language, case, uncalibrated)


def _scores(measured: Sequence[Measured], *, is_first: bool = False) -> list[tuple[float, bool, float]]:
    """The scores of candidates, whether they were right, and how much they count."""
    return [
        (score, right, len(item.answers) ** -0.5)
        for item in measured
        for answer in item.answers
        for score, right in answer.scores[: 1 if is_first else None]
    ]


def _reliability(measured: Sequence[Measured]) -> tuple[tuple[Bin, ...], tuple[Bin, ...]]:
    """By decile, all candidates and the first ones, each library with a calibration of the others."""
    every, first = [], []
    for item in measured:
        points = fit_calibration(_scores([other for other in measured if other.name != item.name]))
        table = _with_points(fitted_weights(), points)
        every += [(table.probability_of(score), right) for score, right, _ in _scores([item])]
        first += [(table.probability_of(score), right) for score, right, _ in _scores([item], is_first=True)]
    return reliability(every), reliability(first)


def _with_points(table: WeightTable, points: Sequence[tuple[float, float]]) -> WeightTable:
    return replace(table, scores=tuple(at for at, _ in points), probabilities=tuple(chance for _, chance in points))


def _write(table: WeightTable, measured: Sequence[Measured], first: Sequence[Bin]) -> None:
    points = fit_calibration(_scores(measured))
    lines = [
        "# Written by ./dev calibrate; docs/confidence.md says how.",
        'format = "fernshale-weights/1"',
        "# Log odds of two symbols without signals, and of each signal per unit of its value.",
        f"prior = {table.prior}",
        "# Scores, and how often candidates with that score were right.",
        f"calibration = [{', '.join(f'[{score}, {chance}]' for score, chance in points)}]",
        "# First candidates of libraries left out of the fit, by decile of their probability: how many, and how many right.",
        f"reliability = [{', '.join(f'[{part.count}, {part.right}]' for part in first)}]",
        "",
        "[weights]",
        *(f'"{name}" = {weight}' for name, weight in sorted(table.weights.items())),
    ]
    _WEIGHTS.write_text("\n".join(lines) + "\n")


def _print(measured: Sequence[Measured], shipped: Mapping[str, Sequence[Found]]) -> None:
    bins, first = (
        reliability([item[:2] for item in _scores(measured, is_first=is_first)]) for is_first in (False, True)
    )
    print(table_of(measured, bins, first, shipped))


if __name__ == "__main__":
    sys.exit(main())
