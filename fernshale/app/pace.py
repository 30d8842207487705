"""The progress of work and the time left, in words."""

from __future__ import annotations

from collections.abc import Callable
from time import monotonic

from fernshale.core.base.texts import tr

# Earlier than this nothing is known about the speed; seconds, and the share that is done.
_EARLY_S = 3.0
_EARLY_SHARE = 0.05


class Pace:
    """The pace of one piece of work. `usual_s` is how long it took the last time, 0 if that is not known."""

    def __init__(self, title: str, usual_s: float = 0.0, now: Callable[[], float] = monotonic) -> None:
        self._now = now
        self._start = now()
        self._usual = usual_s
        self._what, self._done, self._total = title, 0, 0
        self._since = self._start  # when the current part began

    @property
    def elapsed_s(self) -> float:
        return self._now() - self._start

    def go_on(self, what: str, done: int, total: int) -> None:
        """Take note of progress. A smaller number than before is that of another part."""
        if done < self._done or total != self._total:
            self._since = self._now()
        self._what, self._done, self._total = what, done, total

    @property
    def words(self) -> str:
        """The work, its progress, and an estimate of the time left once there is one."""
        parts = [self._what]
        if self._total:
            parts.append(tr("{done} of {total}", done=self._done, total=self._total))
            gone = self._now() - self._since
            if gone >= _EARLY_S and self._done >= _EARLY_SHARE * self._total:
                parts.append(tr("about {span} left", span=_span(gone * (self._total - self._done) / self._done)))
        elif self.elapsed_s >= _EARLY_S:
            usual = tr(", {span} the last time", span=_span(self._usual)) if self._usual else ""
            parts.append(f"{_span(self.elapsed_s)}{usual}")
        return " · ".join(parts)


def _span(seconds: float) -> str:
    """A time as people say it: seconds up to two minutes, then minutes, then hours."""
    if seconds < 120:
        return f"{max(1, round(seconds))} s"
    minutes = round(seconds / 60)
    return tr("{minutes} min", minutes=minutes) if minutes < 120 else f"{minutes / 60:.1f} h"
