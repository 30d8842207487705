"""Checks of the game's behaviour, by a file, a line of the log, a command, or a person; and their results."""

from __future__ import annotations

import difflib
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Literal

from fernshale.core.base.bounded_regex import search
from fernshale.core.base.textfile import read_text, split_lines
from fernshale.core.base.texts import tr
from fernshale.core.profile.model import Check

CheckVerdict = Literal["passed", "differs", "missing", "failed", "not tried"]
_LONGEST = 20_000


@dataclass(frozen=True, slots=True)
class CheckResult:
    """A check's result; `detail` is the evidence: a unified diff, the line found, a command's output.

    `release` is the engine release, `time` the time of the check (seconds since the epoch), `elapsed_s` its duration, `who` ran
    it.
    """

    name: str
    verdict: CheckVerdict
    detail: str = ""
    release: str = ""
    time: float = 0.0
    elapsed_s: float = 0.0
    who: str = ""

    @property
    def is_good(self) -> bool:
        return self.verdict == "passed"


def check_file(name: str, produced: Path, expected: Path) -> CheckResult:
    """Compare two files, text files by lines. A missing file is a result, not an error."""
    for path, what in ((expected, tr("nothing says how it should be")), (produced, tr("the run did not produce it"))):
        if not path.is_file():
            return CheckResult(name, "missing", tr("{what}: {name} is not there", what=what, name=path.name))
    got, wanted = produced.read_bytes(), expected.read_bytes()
    if got == wanted:
        return CheckResult(name, "passed", tr("{name} is as expected", name=produced.name))
    left, right = read_text(wanted), read_text(got)
    if left is None or right is None:
        return CheckResult(name, "differs", tr("{found} bytes instead of {wanted}", found=len(got), wanted=len(wanted)))
    lines = difflib.unified_diff(split_lines(left.text), split_lines(right.text), "expected", "produced", n=1)
    detail = "".join(line if line.endswith("\n") else line + "\n" for line in lines)
    return CheckResult(name, "differs", detail[:_LONGEST])


def check_log(check: Check, log: Sequence[str]) -> CheckResult:
    """Whether the log has a line that `prints` fits, and none that `never` fits. Raises RunsAway."""
    if check.never:
        bad = next((line for line in log if search(check.never, line)), None)
        if bad is not None:
            return CheckResult(check.name, "failed", tr("the log contains: {bad}", bad=bad))
    if check.prints:
        good = next((line for line in log if search(check.prints, line)), None)
        if good is None:
            return CheckResult(check.name, "missing", tr("no line of the log fits {prints}", prints=check.prints))
        return CheckResult(check.name, "passed", tr("the log contains: {good}", good=good))
    return CheckResult(check.name, "passed", tr("no line of the log fits {never}", never=check.never))


def judge_command(check: Check, status: int, output: str, timed_out: bool) -> CheckResult:
    """Return the result of a command check: passed if it ends with status 0 and its output is correct."""
    said = "\n".join(output.splitlines()[-20:])
    if timed_out:
        return CheckResult(
            check.name,
            "failed",
            tr("it took longer than {timeout_s:.0f} s\n{said}", timeout_s=check.timeout_s, said=said),
        )
    if status:
        return CheckResult(check.name, "failed", tr("it ended with status {status}\n{said}", status=status, said=said))
    if check.prints:
        found = check_log(Check(check.name, prints=check.prints), output.splitlines())
        return (
            found
            if found.is_good
            else CheckResult(
                check.name, "failed", tr("it does not say {prints}\n{said}", prints=check.prints, said=said)
            )
        )
    return CheckResult(check.name, "passed", said or tr("it ended well"))
