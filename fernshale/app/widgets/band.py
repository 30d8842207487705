"""The route band: the crossing as a drawn line, its stages as stops, its snapshots as knots."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial

from PySide6.QtCore import QPoint, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QFont,
    QFontMetrics,
    QKeyEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
)
from PySide6.QtWidgets import QAbstractButton, QSizePolicy, QWidget

from fernshale.app.theme import scaled, text_font, theme
from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.record.database import LogEntry
from fernshale.core.crossing.record.stage import STAGES, Stage, StageState
from fernshale.core.crossing.stages.overview import Overview

_LEFT = 230
_FLAG = 52
# Room at the right end, for the button of the menu.
_MENU = 92
# In pixels at the usual size of letters: the height of the band and of the line in it.
_HIGH, _LINE_Y = 96, 44
_LOW, _LOW_LINE_Y = 52, 17


@dataclass(frozen=True, slots=True)
class Knot:
    """The snapshots of the steps of one stage: (id, time, the step after it and its size)."""

    stage: Stage
    snapshots: tuple[tuple[str, float, str], ...]


def knots_of(overview: Overview) -> tuple[Knot, ...]:
    """A knot for each stage that wrote something."""
    knots = []
    for stage in STAGES:
        found = {
            entry.snapshot: (entry.snapshot, entry.time, f"{entry.title}{_how_much(entry)}")
            for entry in reversed(overview.logbook)
            if entry.stage is stage and entry.snapshot
        }
        if found:
            knots.append(Knot(stage, tuple(sorted(found.values(), key=lambda item: item[1]))))
    return tuple(knots)


def _how_much(entry: LogEntry) -> str:
    return f" ({count(len(entry.changes.files), 'file')})" if entry.changes is not None else ""


class _Target(QAbstractButton):
    """A stop or a knot for the mouse and for the accessibility tree; the band paints it, and its arrow keys reach the stops."""

    def __init__(self, band: RouteBand, act: Callable[[], None]) -> None:
        super().__init__(band)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.clicked.connect(lambda _checked=False: act())

    def say(self, name: str, hint: str) -> None:
        self.setAccessibleName(name)
        self.setToolTip(hint)

    def paintEvent(self, event: QPaintEvent) -> None:
        pass


class RouteBand(QWidget):
    """Shows the state of every stage. `stage_chosen` carries a Stage, `knot_opened` a Knot."""

    stage_chosen = Signal(object)
    knot_opened = Signal(object)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setAccessibleName(tr("Route"))
        self._overview: Overview | None = None
        self._knots: tuple[Knot, ...] = ()
        self._stage: Stage | None = Stage.SURVEY
        self._left = Stage.SURVEY
        self._is_low = False
        self._stops = {stage: _Target(self, partial(self.stage_chosen.emit, stage)) for stage in STAGES}
        self._knot_targets = {stage: _Target(self, partial(self._open_knot, stage)) for stage in STAGES}
        for made in self._stops.values():
            made.setCheckable(True)

    def sizeHint(self) -> QSize:
        return QSize(900, self._height)

    def set_low(self, is_low: bool) -> None:
        """Take less height, for a low window."""
        if self._is_low != is_low:
            self._is_low = is_low
            self.updateGeometry()
            self.update()

    @property
    def _height(self) -> int:
        return scaled(_LOW if self._is_low else _HIGH)

    @property
    def _end(self) -> int:
        """Where the last flag begins; the menu's button is to its right."""
        return self.width() - scaled(_FLAG) - scaled(_MENU)

    @property
    def _words_width(self) -> int:
        """The room for the project's name; large letters in a small window get a quarter of it."""
        return min(scaled(_LEFT), self.width() // 4)

    @property
    def _begin(self) -> int:
        """Where the first flag ends."""
        return self._words_width + scaled(_FLAG)

    @property
    def _step(self) -> float:
        """From one stop to the next."""
        return (self._end - self._begin) / len(STAGES)

    def _stop_font(self, is_bold: bool) -> QFont:
        """The font of the names of stops: as large as usual, or as large as they fit next to one another."""
        for size in range(12, 5, -1):
            font = text_font(size, True)
            if max(QFontMetrics(font).horizontalAdvance(stage.title) for stage in STAGES) < self._step - 4:
                break
        return text_font(size, is_bold)

    @property
    def line_y(self) -> int:
        """The height at which the line is drawn."""
        return scaled(_LINE_Y if not self._is_low else _LOW_LINE_Y)

    def show_overview(self, overview: Overview, stage: Stage | None) -> None:
        """Show an overview; `stage` is the one whose page is open, None for none."""
        self._overview, self._stage = overview, stage
        self._left = stage or self._left
        self._knots = knots_of(overview)
        states = {
            item: tr(
                "{page}: {state}, {number} open",
                page=item.title,
                state=overview.states[item].title,
                number=len(overview.items_of(item)),
            )
            for item in STAGES
        }
        self.setAccessibleDescription("; ".join(states.values()))
        for item, made in self._stops.items():
            made.say(states[item], states[item])
            made.setChecked(item is stage)
        knots = {knot.stage: knot for knot in self._knots}
        for item, made in self._knot_targets.items():
            made.setVisible(item in knots)
            if item in knots:
                made.say(
                    tr("Snapshots before {page}: {number}", page=item.title, number=len(knots[item].snapshots)),
                    _hint_of(knots[item]),
                )
        self._place_targets()
        self.update()

    def stop(self, stage: Stage) -> QPoint:
        """Where a stage's stop is drawn."""
        return QPoint(round(self._begin + self._step * (STAGES.index(stage) + 0.5)), self.line_y)

    def knot_place(self, stage: Stage) -> QPoint:
        """Where the knot before a stage's stop is drawn."""
        return QPoint(round(self._begin + self._step * STAGES.index(stage)) + 2, self.line_y)

    def _place_targets(self) -> None:
        half, small = min(scaled(36), round(self._step / 2)), scaled(12)
        for stage, made in self._stops.items():
            made.setGeometry(self.stop(stage).x() - half, 2, 2 * half, self._height - 6)
        for stage, made in self._knot_targets.items():
            spot = self.knot_place(stage)
            made.setGeometry(spot.x() - small, spot.y() - small, 2 * small, 2 * small)

    def _open_knot(self, stage: Stage) -> None:
        self.knot_opened.emit(next(knot for knot in self._knots if knot.stage is stage))

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place_targets()

    # -- painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colours = theme()
        painter.fillRect(self.rect(), QColor(colours.band))
        painter.setPen(QColor(colours.edge))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)
        if self._overview is None:
            return
        self._paint_words(painter, self._overview)
        self._paint_line(painter, self._overview)
        for knot in self._knots:
            self._paint_knot(painter, self.knot_place(knot.stage))
        for stage in STAGES:
            self._paint_stop(painter, self._overview, stage)

    def _paint_words(self, painter: QPainter, overview: Overview) -> None:
        colours = theme()
        painter.setFont(text_font(17, True))
        painter.setPen(QColor(colours.text))
        metrics = painter.fontMetrics()
        name = overview.setup.project.name
        lines = (21, 40, 0) if self._is_low else (34, 56, 76)
        painter.drawText(
            18, scaled(lines[0]), metrics.elidedText(name, Qt.TextElideMode.ElideRight, self._words_width - 30)
        )
        painter.setFont(text_font(12))
        painter.setPen(QColor(colours.quiet))
        where = tr("on a copy") if overview.setup.original else tr("in place")
        count = len(overview.items)
        words = (
            tr("nothing left open")
            if not count
            else tr("1 item open")
            if count == 1
            else tr("{count} items open", count=count)
        )
        if self._is_low:
            painter.drawText(18, scaled(lines[1]), words)
            return
        about = f"{overview.scan.profile.title} · {where} · {_leg_words(overview)}"
        about = painter.fontMetrics().elidedText(about, Qt.TextElideMode.ElideRight, self._words_width - 18)
        painter.drawText(18, scaled(lines[1]), about)
        painter.drawText(18, scaled(lines[2]), words)

    def _paint_line(self, painter: QPainter, overview: Overview) -> None:
        colours = theme()
        left, right = self._words_width, self._end
        painter.setPen(QPen(QColor(colours.edge), 4))
        painter.drawLine(self._begin, self.line_y, right, self.line_y)
        reached = [stage for stage in STAGES if overview.states[stage] is StageState.CLEAR]
        if reached:
            painter.setPen(QPen(QColor(colours.mine), 4))
            end = right if overview.is_done else self.stop(_last_in_a_row(overview)).x()
            painter.drawLine(self._begin, self.line_y, end, self.line_y)
        self._paint_flag(painter, left, overview.setup.from_, QColor(colours.base))
        done = overview.is_done
        self._paint_flag(painter, right, overview.setup.to, QColor(colours.mine if done else colours.quiet))

    def _paint_flag(self, painter: QPainter, x: int, text: str, colour: QColor) -> None:
        wide, line = scaled(_FLAG), self.line_y
        shape = QPolygonF(
            [QPointF(x, line - 13), QPointF(x + wide - 6, line - 13), QPointF(x + wide + 3, line),
             QPointF(x + wide - 6, line + 13), QPointF(x, line + 13)]
        )  # fmt: skip
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(colour)
        painter.drawPolygon(shape)
        painter.setPen(QColor(theme().card))
        painter.setFont(text_font(12, True))
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, scaled(_FLAG) - 6)
        painter.drawText(QRectF(x, self.line_y - 13, scaled(_FLAG) - 4, 26), Qt.AlignmentFlag.AlignCenter, shown)

    def _paint_knot(self, painter: QPainter, place: QPoint) -> None:
        colours = theme()
        painter.setPen(QPen(QColor(colours.base), 1.6))
        painter.setBrush(QColor(colours.band))
        for side in (-1, 1):
            leaf = QPainterPath(QPointF(place.x(), place.y() - 7))
            leaf.quadTo(place.x() + side * 12, place.y(), place.x(), place.y() + 7)
            leaf.quadTo(place.x() + side * 2, place.y(), place.x(), place.y() - 7)
            painter.drawPath(leaf)

    def _paint_stop(self, painter: QPainter, overview: Overview, stage: Stage) -> None:
        colours = theme()
        spot = QPointF(self.stop(stage))
        state = overview.states[stage]
        count = len(overview.items_of(stage))
        current = stage is self._stage
        below = spot.y() + scaled(11 if self._is_low else 20)
        notch_height = 4 if self._is_low else 8
        if current:
            notch = QPolygonF(
                [
                    QPointF(spot.x() - 28, self._height),
                    QPointF(spot.x() - 20, self._height - notch_height),
                    QPointF(spot.x() + 20, self._height - notch_height),
                    QPointF(spot.x() + 28, self._height),
                ]
            )
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(colours.background))
            painter.drawPolygon(notch)
        if current and self.hasFocus():
            painter.setPen(QPen(QColor(colours.mine), 1, Qt.PenStyle.DotLine))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRoundedRect(QRectF(spot.x() - scaled(36), 3, scaled(72), self._height - 8), 6, 6)
        painter.setFont(text_font(11, True))
        if state is StageState.NEEDS_YOU:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(colours.alarm))
            painter.drawPolygon(
                QPolygonF(
                    [spot + QPointF(0, -16), spot + QPointF(16, 0), spot + QPointF(0, 16), spot + QPointF(-16, 0)]
                )
            )
            painter.setPen(QColor(colours.card))
            painter.drawText(QRectF(spot.x() - 14, spot.y() - 10, 28, 20), Qt.AlignmentFlag.AlignCenter, str(count))
        elif state is StageState.CLEAR:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(colours.mine))
            painter.drawEllipse(spot, 11, 11)
            painter.setPen(QPen(QColor(colours.card), 2.2))
            painter.drawPolyline([spot + QPointF(-5, 0), spot + QPointF(-1.5, 4), spot + QPointF(5, -4)])
        else:
            painter.setPen(QPen(QColor(colours.mine if state is StageState.IN_HAND else colours.quiet), 2.4))
            painter.setBrush(QColor(colours.card))
            painter.drawEllipse(spot, 10, 10)
            if state is StageState.IN_HAND:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(colours.mine))
                painter.drawPie(QRectF(spot.x() - 9, spot.y() - 9, 18, 18), -90 * 16, 180 * 16)
        painter.setPen(QColor(colours.text if current else colours.quiet))
        painter.setFont(self._stop_font(current))
        painter.drawText(
            QRectF(spot.x() - scaled(50), below, scaled(100), scaled(20)), Qt.AlignmentFlag.AlignCenter, stage.title
        )

    # -- events

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
        if not step:
            super().keyPressEvent(event)
            return
        at = min(max(STAGES.index(self._left) + (step if self._stage else 0), 0), len(STAGES) - 1)
        self.stage_chosen.emit(STAGES[at])


def _hint_of(knot: Knot) -> str:
    """The last snapshots of a knot, a line each."""
    lines = [
        tr("{time}  before {what}", time=time.strftime("%H:%M", time.localtime(when)), what=what)
        for _, when, what in knot.snapshots
    ]
    more = [tr("and {number} more", number=len(lines) - 8)] if len(lines) > 8 else []
    return "\n".join([tr("snapshots:"), *lines[-8:], *more])


def _leg_words(overview: Overview) -> str:
    setup = overview.setup
    words = tr("leg {leg} of {number}", leg=setup.leg + 1, number=len(setup.stops))
    return words + (tr(" to {target}", target=setup.target) if len(setup.stops) > 1 else "")


def _last_in_a_row(overview: Overview) -> Stage:
    """The last stage before the first that is not clear; the first stage if that is not clear."""
    last = STAGES[0]
    for stage in STAGES:
        if overview.states[stage] is not StageState.CLEAR:
            break
        last = stage
    return last
