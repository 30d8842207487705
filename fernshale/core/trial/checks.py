"""Checks: is what the run produced what it should be?"""

from __future__ import annotations

import difflib
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from fernshale.core.base.textfile import read_text, split_lines

Verdict = Literal["passed", "differs", "missing"]


@dataclass(frozen=True, slots=True)
class CheckResult:
    """A check's verdict; `detail` is a unified diff or what is missing."""

    name: str
    verdict: Verdict
    detail: str = ""


def check_file(name: str, produced: Path, expected: Path) -> CheckResult:
    """Compare two files, text by lines. A file that is not there is a verdict, not an error."""
    for path, what in ((expected, "nothing says how it should be"), (produced, "the run did not produce it")):
        if not path.is_file():
            return CheckResult(name, "missing", f"{what}: {path.name} is not there")
    got, wanted = produced.read_bytes(), expected.read_bytes()
    if got == wanted:
        return CheckResult(name, "passed")
    left, right = read_text(wanted), read_text(got)
    if left is None or right is None:
        return CheckResult(name, "differs", f"{len(got)} bytes instead of {len(wanted)}")
    lines = difflib.unified_diff(split_lines(left.text), split_lines(right.text), "expected", "produced", n=1)
    return CheckResult(name, "differs", "".join(line if line.endswith("\n") else line + "\n" for line in lines))
