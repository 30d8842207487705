"""The run on the target compared with the baseline: logs, timings, pictures."""

from __future__ import annotations

from pathlib import Path

from fernshale.core.crossing.project.runs import RunRecord
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.stages.trial.view import PicturePair
from fernshale.core.profile.model import LogShape
from fernshale.core.trial.frame_times import Timing, compare_times
from fernshale.core.trial.image_diff import NoPicture, PictureDifference, compare_pictures
from fernshale.core.trial.log_diff import LogComparison, compare_logs

# The last comparisons, so that each look at a project need not read its logs and pictures again.
# Smaller differences are felt by nobody and are no open item, however certain they are. Seconds.
MIN_RUN_DIFFERENCE_S = 0.25
MIN_FRAME_DIFFERENCE_S = 0.0005
_compared_logs: dict[tuple[str, str, LogShape], LogComparison] = {}


_compared_pictures: dict[tuple[str, float, str, float, float], PictureDifference] = {}


_MOST_COMPARED = 8


def compared_logs(before: RunRecord | None, run: RunRecord, shape: LogShape) -> LogComparison:
    key = (before.log_file if before else "", run.log_file, shape)
    if key not in _compared_logs:
        if len(_compared_logs) >= _MOST_COMPARED:
            _compared_logs.clear()
        _compared_logs[key] = compare_logs(before.data() if before else b"", run.data(), shape)
    return _compared_logs[key]


def compared_timings(before: RunRecord | None, run: RunRecord) -> tuple[Timing, ...]:
    if before is None:
        return ()
    middle = [[_middle(times) for times in record.frame_runs if times] for record in (before, run)]
    found = (
        compare_times("whole run", before.elapsed_runs, run.elapsed_runs, MIN_RUN_DIFFERENCE_S),
        compare_times("until it has started", before.started_runs, run.started_runs, MIN_RUN_DIFFERENCE_S),
        compare_times(
            "a frame",
            [value / 1000 for value in middle[0]],
            [value / 1000 for value in middle[1]],
            MIN_FRAME_DIFFERENCE_S,
        ),
    )
    return tuple(item for item in found if item is not None)


def _middle(times: tuple[float, ...]) -> float:
    return sorted(times)[len(times) // 2]


def compared_pictures(before: RunRecord | None, run: RunRecord, scan: ProjectScan) -> tuple[PicturePair, ...]:
    pairs = []
    for picture in scan.profile.picture:
        old = before.pictures.get(picture.name, "") if before else ""
        new = run.pictures.get(picture.name, "")
        if not old or not new:
            trouble = "the run did not leave it" if not new else "the baseline has none"
            pairs.append(PicturePair(picture.name, old, new, None, trouble))
            continue
        try:
            pairs.append(PicturePair(picture.name, old, new, _picture(old, new, picture.tolerance)))
        except NoPicture as error:
            pairs.append(PicturePair(picture.name, old, new, None, error.message))
    return tuple(pairs)


def _picture(before: str, now: str, tolerance: float) -> PictureDifference:
    try:
        key = (before, Path(before).stat().st_mtime, now, Path(now).stat().st_mtime, tolerance)
    except OSError as error:
        raise NoPicture(f"{error.filename} is gone") from error
    if key not in _compared_pictures:
        if len(_compared_pictures) >= _MOST_COMPARED:
            _compared_pictures.clear()
        _compared_pictures[key] = compare_pictures(Path(before), Path(now), tolerance)[0]
    return _compared_pictures[key]
