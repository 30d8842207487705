"""Trees to measure on, the same for the same numbers: many small texts, pictures that do not compress, large data.

python tools/trees.py FOLDER FILES MEBIBYTES
"""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
from numpy.random import Generator

_PER_FOLDER = 40
_WORDS = "vec load draw node tick mesh bind frame scene asset light track shape layer queue state".split()  # noqa: SIM905


def make_project(root: Path, files: int, mebibytes: int) -> Path:
    """A tree of `files` files and about `mebibytes` MiB: 85 % of the files are small texts, the rest is larger and
    either does not compress, as pictures and sound, or does by half, as meshes and scenes."""
    chance = np.random.default_rng(7)
    pool = _code(chance, 1 << 23)
    total = mebibytes << 20
    small = int(files * 0.85)
    sizes = chance.lognormal(8.3, 0.9, small).clip(40, 200_000).astype(int)  # around 4 KB, as source is
    sizes = (sizes * min(1.0, 0.7 * total / sizes.sum())).astype(int)
    weights = chance.pareto(1.6, files - small) + 0.2
    large = (weights / weights.sum() * (total - sizes.sum())).astype(int) + 1
    for number in range(files):
        folder = root / f"part{number // _PER_FOLDER // 30:03}" / f"unit{number // _PER_FOLDER % 30:02}"
        if number % _PER_FOLDER == 0:
            folder.mkdir(parents=True, exist_ok=True)
        if number < small:
            at = int(chance.integers(0, len(pool) - 200_000))
            (folder / f"source{number}.cpp").write_bytes(b"// %d\n" % number + pool[at : at + sizes[number]])
        else:
            size = int(large[number - small])
            packed = number % 2 == 0
            data = chance.bytes(size) if packed else _mesh(chance, size)
            (folder / f"{'image' if packed else 'mesh'}{number}.bin").write_bytes(data)
    return root


def change_some(root: Path, share: float, seed: int = 3) -> int:
    """Edit `share` of the files in their middle; how many. Large ones get a few bytes more, so that what follows
    moves; git's own are left alone."""
    chance = np.random.default_rng(seed)
    paths = sorted(
        path for path in root.rglob("*") if path.is_file() and not path.is_symlink() and ".git" not in path.parts
    )
    chosen = chance.choice(len(paths), max(1, int(len(paths) * share)), replace=False)
    for at in chosen:
        data = paths[at].read_bytes()
        middle = len(data) // 2
        paths[at].write_bytes(data[:middle] + b"edited %d\n" % at + data[middle:])
    return len(chosen)


def _code(chance: Generator, size: int) -> bytes:
    """Text in which words come back about as often as in source code."""
    words = np.array(_WORDS)
    lines = []
    have = 0
    while have < size:
        a, b, c = words[chance.integers(0, len(words), 3)]
        line = f"{' ' * int(chance.integers(0, 4) * 4)}{a}_{b}{chance.integers(0, 900)}({c}, {chance.integers(0, 99999)});\n"
        lines.append(line)
        have += len(line)
    return "".join(lines).encode()


def _mesh(chance: Generator, size: int) -> bytes:
    """Numbers as meshes and scenes hold them: neighbours are alike, the last bits are not."""
    steps = chance.normal(0, 40, size // 4 + 1).cumsum().astype(np.int32)
    return steps.tobytes()[:size]


if __name__ == "__main__":
    make_project(Path(sys.argv[1]), int(sys.argv[2]), int(sys.argv[3]))
