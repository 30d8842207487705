"""Build packages into `dist`: `./dev package [wheel|deb|archive ..]`, all without a name; `refresh` writes the made files again."""

from __future__ import annotations

import argparse
import sys

from package.archive import build_archive
from package.debian import build_deb
from package.installed import build_wheel
from package.shared_files import ROOT, refresh

_KINDS = ("wheel", "deb", "archive")


def main() -> int:
    parser = argparse.ArgumentParser(prog="./dev package", description=__doc__)
    parser.add_argument("kind", nargs="*", metavar="KIND", help=f"{', '.join(_KINDS)}, or refresh")
    wanted = parser.parse_args().kind or list(_KINDS)
    if unknown := set(wanted) - {*_KINDS, "refresh"}:
        parser.error(f"there is no {', '.join(sorted(unknown))}")
    refresh()
    if wanted == ["refresh"]:
        return 0
    into, work = ROOT / "dist", ROOT / "build/package"
    into.mkdir(exist_ok=True)
    wheel = build_wheel(into)
    made = [wheel]
    if "deb" in wanted:
        made.append(build_deb(wheel, work / "deb", into))
    if "archive" in wanted:
        made.append(build_archive(wheel, work / "archive", into))
    for path in made:
        print(f"{path.relative_to(ROOT)}: {path.stat().st_size / 1e6:.1f} MB")
    return 0


if __name__ == "__main__":
    sys.exit(main())
