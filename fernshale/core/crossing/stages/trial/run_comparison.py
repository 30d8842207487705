"""The run on the target compared with the baseline: logs, timings, pictures."""

from __future__ import annotations

from pathlib import Path

from fernshale.core.base.cache import Cache
from fernshale.core.base.texts import tr
from fernshale.core.crossing.project.runs import RunRecord
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.stages.trial.view import PicturePair
from fernshale.core.trial.frame_times import Timing, compare_times
from fernshale.core.trial.image_diff import NoPicture, PictureDifference, compare_pictures
from fernshale.core.trial.log_diff import LogComparison, compare_logs

# Smaller differences are not perceptible and no open item, however significant. In seconds.
MIN_RUN_DIFFERENCE_S = 0.25
MIN_FRAME_DIFFERENCE_S = 0.0005


def compared_logs(before: RunRecord | None, run: RunRecord, scan: ProjectScan) -> LogComparison:
    """The logs of two runs, as the profile of the project reads them."""
    shape = scan.profile.log
    key = (before.log_file if before else "", run.log_file, shape)
    old = before.data() if before else b""
    return scan.cache.get("logs", key, lambda: compare_logs(old, run.data(), shape), lambda found: 10_000)


def compared_timings(before: RunRecord | None, run: RunRecord) -> tuple[Timing, ...]:
    if before is None:
        return ()
    middle = [[_middle(times) for times in record.frame_runs if times] for record in (before, run)]
    found = (
        compare_times(tr("whole run"), before.elapsed_runs, run.elapsed_runs, MIN_RUN_DIFFERENCE_S),
        compare_times(tr("until it has started"), before.started_runs, run.started_runs, MIN_RUN_DIFFERENCE_S),
        compare_times(
            tr("a frame"),
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
            trouble = tr("the run did not leave it") if not new else tr("the baseline has none")
            pairs.append(PicturePair(picture.name, old, new, None, trouble))
            continue
        try:
            pairs.append(PicturePair(picture.name, old, new, _picture(old, new, picture.tolerance, scan.cache)))
        except NoPicture as error:
            pairs.append(PicturePair(picture.name, old, new, None, error.message))
    return tuple(pairs)


def _picture(before: str, now: str, tolerance: float, cache: Cache) -> PictureDifference:
    try:
        key = (before, Path(before).stat().st_mtime, now, Path(now).stat().st_mtime, tolerance)
    except OSError as error:
        raise NoPicture(tr("{filename} is missing", filename=error.filename)) from error
    return cache.get(
        "pictures", key, lambda: compare_pictures(Path(before), Path(now), tolerance)[0], lambda found: 10_000
    )
