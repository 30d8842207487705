"""Run the tests under coverage and print how many lines and branches of each package they reached.

The arguments go to pytest. Coverage is also measured in the processes that the tests start.
"""

from __future__ import annotations

import json
import os
import subprocess
import sys
import tempfile
from collections import Counter
from pathlib import Path, PurePath

_SETTINGS = """[run]
branch = True
parallel = True
source = fernshale
omit = fernshale/sample/data/*
patch = subprocess
data_file = {folder}/data
"""


def main(arguments: list[str]) -> int:
    with tempfile.TemporaryDirectory(prefix="fernshale-cover-") as folder:
        settings = Path(folder, "settings")
        settings.write_text(_SETTINGS.format(folder=folder))
        measure = [sys.executable, "-m", "coverage"]
        tests = [*measure, "run", f"--rcfile={settings}", "-m", "pytest", "-n", "2", *arguments]
        code = subprocess.run(tests, env=os.environ | {"QT_QPA_PLATFORM": "offscreen"}, check=False).returncode
        subprocess.run([*measure, "combine", "-q", f"--rcfile={settings}"], check=True)
        result = Path(folder, "result.json")
        subprocess.run([*measure, "json", "-q", f"--rcfile={settings}", "-o", str(result)], check=True)
        print_packages(json.loads(result.read_text())["files"])
    return code


def print_packages(files: dict[str, dict[str, dict[str, int]]]) -> None:
    """Print a line for each package: statements, branches, and the share of each that was reached."""
    counts: dict[str, Counter[str]] = {}
    for path, file in files.items():
        package = ".".join(PurePath(path).parts[:-1])
        counts.setdefault(package, Counter()).update(
            {name: number for name, number in file["summary"].items() if isinstance(number, int)}
        )
    print(f"{'package':44} {'lines':>7} {'reached':>8} {'branches':>9} {'reached':>8}")
    for package, count in sorted(counts.items()):
        lines = count["covered_lines"] / (count["num_statements"] or 1)
        branches = count["covered_branches"] / count["num_branches"] if count["num_branches"] else 1.0
        print(f"{package:44} {count['num_statements']:7} {lines:8.1%} {count['num_branches']:9} {branches:8.1%}")


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
