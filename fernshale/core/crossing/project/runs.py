"""Run the game and keep how it went: ending, log, timings, pictures, checks."""

from __future__ import annotations

import shutil
import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

from fernshale.core.base.bounded_regex import search
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.check_runs import keep_results, listed_checks, try_check
from fernshale.core.crossing.project.commands import CommandCall, log_of, run_profile_command
from fernshale.core.crossing.project.scan import ProjectScan, command_places
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.profile.read import fill
from fernshale.core.trial.checks import CheckResult
from fernshale.core.trial.frame_times import FrameTimes, read_frames, summarise
from fernshale.core.trial.run_outcome import Ending, read_ending

# Frames of a run that are kept; the picture of more would show no more.
_MAX_FRAMES = 20_000


@dataclass(frozen=True, slots=True)
class RunRecord:
    """How the game ran: exit status, time, checks. For each run (several where timings are compared): the seconds it took, the
    seconds until it had started, and its frame times in milliseconds. `log_file` and `pictures` are copies."""

    release: str
    status: int
    elapsed_s: float
    log_file: str
    checks: tuple[CheckResult, ...]
    time: float
    timed_out: bool = False
    silent_s: float = 0.0
    limit_s: float = 0.0
    elapsed_runs: tuple[float, ...] = ()
    started_runs: tuple[float, ...] = ()
    frame_runs: tuple[tuple[float, ...], ...] = ()
    pictures: Mapping[str, str] = field(default_factory=dict)

    @property
    def passed(self) -> bool:
        return self.status == 0 and not self.timed_out

    @property
    def frames(self) -> FrameTimes | None:
        """The frame times of all runs in a few numbers."""
        return summarise([time for run in self.frame_runs for time in run])

    @property
    def ending(self) -> Ending:
        return read_ending(self.status, self.timed_out, self.silent_s, self.limit_s, self.lines())

    def data(self) -> bytes:
        """The log as bytes; empty where the file is missing."""
        try:
            return Path(self.log_file).read_bytes()
        except OSError:
            return b""

    def lines(self) -> Sequence[str]:
        return self.data().decode("utf-8", "replace").splitlines()

    def to_json(self) -> dict[str, Any]:
        return asdict(self)

    @staticmethod
    def from_json(data: dict[str, Any]) -> RunRecord:
        checks = tuple(CheckResult(**check) for check in data["checks"])
        frames = tuple(tuple(run) for run in data["frame_runs"])
        elapsed, started = tuple(data["elapsed_runs"]), tuple(data["started_runs"])
        return RunRecord(
            **{**data, "checks": checks, "frame_runs": frames, "elapsed_runs": elapsed, "started_runs": started}
        )


@dataclass(frozen=True, slots=True)
class LastTrial:
    """The last run on a leg's target, and the fingerprint of the tree that ran."""

    run: RunRecord
    fingerprint: str


LAST_TRIAL: Fact[LastTrial | None] = Fact(
    "trial",
    None,
    lambda data: LastTrial(RunRecord.from_json(data["run"]), data["fingerprint"]),
    lambda value: {"run": value.run.to_json(), "fingerprint": value.fingerprint} if value is not None else None,
    per_leg=True,
)


def run_game(crossing: Crossing, scan: ProjectScan, stage: Stage, work: Work) -> RunRecord:
    """Run the game as often as the profile's timings need, and run all checks that need no person.

    Log, pictures and checks are those of the first run. Raises TrustNeeded, CommandError, Cancelled.
    """
    places = dict(command_places(crossing, scan, scan.release))
    shape = scan.profile.frames
    wanted = max(1, shape.runs) if shape is not None else 1
    elapsed, started, frames = [], [], []
    first: RunRecord | None = None
    for number in range(wanted):
        work.progress(tr("running the game"), number, wanted)
        _clear(scan, places)
        begun = time.monotonic()
        seen: list[float] = []
        pattern = scan.profile.log.started

        def watch(line: str, begun: float = begun, seen: list[float] = seen, pattern: str = pattern) -> None:
            if pattern and not seen and search(pattern, line):
                seen.append(time.monotonic() - begun)
            work.on_line(line)

        finished = run_profile_command(
            crossing, scan, CommandCall("run", stage, tr("to see how it behaves")), replace(work, on_line=watch)
        )
        elapsed.append(finished.elapsed_s)
        started += seen[:1]
        if shape is not None:
            times = read_frames(Path(fill(shape.file, places)), shape.column, shape.per_second)
            frames += [times[:_MAX_FRAMES]] if times else []
        if first is None:
            command = scan.profile.commands.run
            log = tuple(finished.text.splitlines())
            checks = tuple(
                try_check(check, scan, places, log, work.token)
                for check in listed_checks(crossing, scan)
                if not check.by_hand
            )
            first = RunRecord(
                scan.release, finished.status, finished.elapsed_s, crossing.read(log_of("run")), checks, time.time(),
                finished.timed_out, finished.silent_s, command.timeout_s if command else 0.0,
                pictures=_keep_pictures(crossing, scan, stage, places),
            )  # fmt: skip
        if not first.passed or finished.status:
            break
    assert first is not None
    keep_results(crossing, first.checks)
    values = asdict(first)
    values |= {"elapsed_runs": elapsed, "started_runs": started, "frame_runs": frames}
    return RunRecord.from_json(values)


def _clear(scan: ProjectScan, places: dict[str, str]) -> None:
    """Remove the output of an earlier run, so that it is not mistaken for that of this one."""
    shape = scan.profile.frames
    left = [check.produced for check in scan.profile.check if check.produced]
    left += [picture.produced for picture in scan.profile.picture] + ([shape.file] if shape else [])
    for text in left:
        Path(fill(text, places)).unlink(missing_ok=True)


def _keep_pictures(crossing: Crossing, scan: ProjectScan, stage: Stage, places: dict[str, str]) -> dict[str, str]:
    kept = {}
    folder = crossing.scratch(f"pictures/{stage.value.lower()}-{scan.release}")
    for number, picture in enumerate(scan.profile.picture):
        made = Path(fill(picture.produced, places))
        if made.is_file():
            copy = folder / f"{number}-{made.name}"
            shutil.copyfile(made, copy)
            kept[picture.name] = str(copy)
    return kept
