"""Merelith plugin build tool: a plugin's `.sums` files -> tables this release can read.

    build_plugin.py PLUGIN OUT

Each line of a `.sums` file is `name = FACTOR * amount + BASE`; `#` begins a comment. A stamp says for which release
the tables were built.
"""

import pathlib
import re
import sys

RELEASE = "2.6.1"
SUM = re.compile(r"(\w+)\s*=\s*(-?\d+)\s*\*\s*amount\s*\+\s*(-?\d+)$")


def compile_sums(path):
    sums = []
    for number, line in enumerate(path.read_text(encoding="utf-8").splitlines(), 1):
        line = line.partition("#")[0].strip()
        if not line:
            continue
        found = SUM.match(line)
        if found is None:
            sys.exit(f"{path}:{number}:1: error: expected name = FACTOR * amount + BASE")
        sums.append((found[1], int(found[2]), int(found[3])))
    if not sums:
        sys.exit(f"{path}:1:1: error: no sums in it")
    return [f"merelith {RELEASE}"] + [f"{name} {factor} {base}" for name, factor, base in sums]


def main(plugin, out):
    sources = sorted(plugin.glob("native/*.sums"))
    if not sources:
        sys.exit(f"{plugin}: error: no native/*.sums")
    for source in sources:
        (out / f"{source.stem}.tab").write_text("\n".join(compile_sums(source)) + "\n", encoding="utf-8")
    (out / "stamp.ini").write_text(f"[built]\nfor = {RELEASE}\n", encoding="utf-8")
    print(f"built {len(sources)} tables of {plugin.name} for {RELEASE}")


if __name__ == "__main__":
    main(pathlib.Path(sys.argv[1]), pathlib.Path(sys.argv[2]))
