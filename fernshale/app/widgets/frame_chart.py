"""Frame times of runs as lines: before and now on one scale, hitches marked."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QWidget

from fernshale.app.theme import text_font, theme
from fernshale.core.base.texts import tr

_LEFT = 46
_RIGHT = 12
_TOP = 20
_BOTTOM = 18
_MAX_POINTS = 1200
_NAMED = 3


class FramePlot(QWidget):
    """The middle of all runs for each frame, before (slate) and now (fern), on a scale of square roots so that both the usual frame
    and the long one can be seen."""

    def __init__(self, parent: QWidget, name: str) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(120)
        self._before: tuple[float, ...] = ()
        self._now: tuple[float, ...] = ()
        self._hitches: tuple[int, ...] = ()

    def set_times(
        self, before: Sequence[Sequence[float]], now: Sequence[Sequence[float]], hitches: Sequence[int]
    ) -> None:
        """Runs of frame times in milliseconds; `hitches` are numbers of frames."""
        self._before, self._now = _middle(before), _middle(now)
        self._hitches = tuple(hitches)
        self.setAccessibleDescription(
            tr(
                "{now} frames now, {before} before, {hitches} hitches",
                now=len(self._now),
                before=len(self._before),
                hitches=len(self._hitches),
            )
        )
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colours = theme()
        painter.setFont(text_font(11))
        place = QRectF(_LEFT, _TOP, self.width() - _LEFT - _RIGHT, self.height() - _TOP - _BOTTOM)
        most = max([*self._before, *self._now], default=0.0)
        frames = max(len(self._before), len(self._now))
        painter.setPen(QColor(colours.quiet))
        if not frames or most <= 0:
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, tr("no frame times"))
            return
        for share in (0.0, 0.25, 1.0):
            y = place.bottom() - place.height() * share**0.5
            painter.setPen(QPen(QColor(colours.edge), 1))
            painter.drawLine(QPointF(place.left(), y), QPointF(place.right(), y))
            painter.setPen(QColor(colours.quiet))
            box = QRectF(0, y - 8, _LEFT - 6, 16)
            painter.drawText(box, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _ms(most * share))
        for times, ink in ((self._before, colours.base), (self._now, colours.mine)):
            if times:
                painter.setPen(QPen(QColor(ink), 1.4))
                painter.drawPolyline(_line(times, frames, most, place))
        painter.setPen(QPen(QColor(colours.alarm), 1.4))
        for number, frame in enumerate(self._hitches):
            x = place.left() + place.width() * frame / max(1, frames - 1)
            painter.drawLine(QPointF(x, place.top() - 4), QPointF(x, place.top() + 6))
            if number < _NAMED:
                painter.drawText(QRectF(x + 3, place.top() - 10, 90, 14), Qt.AlignmentFlag.AlignVCenter, f"◆ {frame}")
        left = float(_LEFT)
        for ink, words in ((colours.base, tr("before")), (colours.mine, tr("now"))):
            painter.fillRect(QRectF(left, 6, 10, 4), QColor(ink))
            painter.setPen(QColor(colours.quiet))
            painter.drawText(QRectF(left + 14, 0, 60, 16), Qt.AlignmentFlag.AlignVCenter, words)
            left += 74
        foot = QRectF(place.left(), place.bottom() + 2, place.width(), 16)
        painter.drawText(foot, Qt.AlignmentFlag.AlignRight, tr("{frames} frames, milliseconds each", frames=frames))


def _middle(runs: Sequence[Sequence[float]]) -> tuple[float, ...]:
    if not runs:
        return ()
    length = min(len(run) for run in runs)
    return tuple(sorted(run[at] for run in runs)[len(runs) // 2] for at in range(length))


def _line(times: Sequence[float], frames: int, most: float, place: QRectF) -> QPolygonF:
    # With more frames than room, the longest of each group is drawn: it is the one that a player notices.
    step = max(1, len(times) // _MAX_POINTS)
    points = []
    for at in range(0, len(times), step):
        longest = max(times[at : at + step])
        x = place.left() + place.width() * at / max(1, frames - 1)
        points.append(QPointF(x, place.bottom() - place.height() * (longest / most) ** 0.5))
    return QPolygonF(points)


def _ms(value: float) -> str:
    return f"{value:.0f}" if value >= 10 else f"{value:.1f}" if value >= 0.1 or not value else f"{value:.3f}"
