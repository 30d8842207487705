"""Plugins by engine releases with the chosen route drawn through; cells and releases can be selected."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from fernshale.app.theme import Tone, scaled, text_font, theme
from fernshale.core.base.texts import tr

_NAMES = 176  # width of the column of names
_TOP = 46
_LINE = 27


@dataclass(frozen=True, slots=True)
class MatrixCell:
    """A cell of the table: its text and its meaning; `taken` cells are on the chosen route."""

    text: str
    tone: Tone
    taken: bool
    hint: str


@dataclass(frozen=True, slots=True)
class MatrixColumn:
    """An engine release; `is_on_route`: it is where the project is, a stop or the target."""

    release: str
    remark: str
    tone: Tone
    is_on_route: bool
    hint: str


@dataclass(frozen=True, slots=True)
class MatrixRow:
    """A plugin with a cell for each column; `mark` is a glyph for the decision it needs."""

    plugin: str
    fields: tuple[MatrixCell, ...]
    mark: str = ""


class RouteTable(QWidget):
    """`plugin_picked` carries the id of a plugin, `release_picked` an engine release."""

    plugin_picked = Signal(str)
    release_picked = Signal(str)

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("Plugins and engine releases"))
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._columns: tuple[MatrixColumn, ...] = ()
        self._lines: tuple[MatrixRow, ...] = ()
        self.picked = ""

    def sizeHint(self) -> QSize:
        return QSize(600, scaled(_TOP) + scaled(_LINE) * len(self._lines) + 24)

    def set_table(self, columns: tuple[MatrixColumn, ...], lines: tuple[MatrixRow, ...]) -> None:
        """Show a table; the selected plugin stays selected where it is still listed."""
        self._columns, self._lines = columns, lines
        if self.picked not in [line.plugin for line in lines]:
            self.picked = ""
        self.setFixedHeight(self.sizeHint().height())
        self.setAccessibleDescription("; ".join(field.hint for line in lines for field in line.fields if field.taken))
        self.update()

    def pick(self, plugin: str) -> None:
        """Pick a plugin."""
        self.picked = plugin
        self.update()
        self.plugin_picked.emit(plugin)

    def lines_of(self, plugin: str) -> tuple[int, int]:
        """Where the line of a plugin begins and ends."""
        row = next((at for at, line in enumerate(self._lines) if line.plugin == plugin), 0)
        return scaled(_TOP) + row * scaled(_LINE), scaled(_TOP) + (row + 1) * scaled(_LINE)

    def field_place(self, plugin: str, release: str) -> QPointF:
        """The middle of a field, for those who point at it."""
        row = next(at for at, line in enumerate(self._lines) if line.plugin == plugin)
        column = next(at for at, item in enumerate(self._columns) if item.release == release)
        return self._box(column, scaled(_TOP) + row * scaled(_LINE)).center()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_head(painter)
        for number, line in enumerate(self._lines):
            self._paint_line(painter, scaled(_TOP) + number * scaled(_LINE), line)
        if self._lines:
            self._paint_legend(painter, scaled(_TOP) + scaled(_LINE) * len(self._lines) + 3)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            QToolTip.showText(event.globalPos(), self._hint_at(QPointF(event.pos())), self)
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        row = int((event.position().y() - scaled(_TOP)) // scaled(_LINE))
        column = self._column_at(event.position().x())
        if event.position().y() < scaled(_TOP) and column is not None:
            self.release_picked.emit(self._columns[column].release)
        elif 0 <= row < len(self._lines):
            self.pick(self._lines[row].plugin)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        over = event.position().y() < scaled(_TOP) + scaled(_LINE) * len(self._lines)
        self.setCursor(Qt.CursorShape.PointingHandCursor if over else Qt.CursorShape.ArrowCursor)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        names = [line.plugin for line in self._lines]
        if step is None or not names:
            super().keyPressEvent(event)
            return
        at = names.index(self.picked) if self.picked in names else (-1 if step > 0 else 0)
        self.pick(names[(at + step) % len(names)])

    def _hint_at(self, spot: QPointF) -> str:
        row, column = int((spot.y() - scaled(_TOP)) // scaled(_LINE)), self._column_at(spot.x())
        if column is None:
            return ""
        if spot.y() < scaled(_TOP):
            return self._columns[column].hint
        return self._lines[row].fields[column].hint if row < len(self._lines) else ""

    def _column_at(self, x: float) -> int | None:
        room = (self.width() - scaled(_NAMES) - 20) / max(1, len(self._columns))
        column = int((x - scaled(_NAMES)) // room)
        return column if x >= scaled(_NAMES) and column < len(self._columns) else None

    def _paint_head(self, painter: QPainter) -> None:
        colours = theme()
        is_on_route = [at for at, column in enumerate(self._columns) if column.is_on_route]
        if len(is_on_route) > 1:
            painter.setPen(QPen(QColor(colours.mine), 2.4))
            painter.drawLine(QPointF(self._centre(is_on_route[0]), 42), QPointF(self._centre(is_on_route[-1]), 42))
        for number, column in enumerate(self._columns):
            centre = self._centre(number)
            painter.setFont(text_font(13, column.is_on_route))
            painter.setPen(colours.tone(column.tone))
            painter.drawText(QRectF(centre - 70, 5, 140, 17), Qt.AlignmentFlag.AlignCenter, column.release)
            painter.setFont(text_font(11))
            painter.drawText(QRectF(centre - 70, 21, 140, 15), Qt.AlignmentFlag.AlignCenter, column.remark)
            if column.is_on_route:
                painter.setPen(QPen(QColor(colours.mine), 2))
                painter.setBrush(QColor(colours.card))
                painter.drawEllipse(QPointF(centre, 42), 4, 4)

    def _paint_line(self, painter: QPainter, top: int, line: MatrixRow) -> None:
        colours = theme()
        if line.plugin == self.picked:
            painter.fillRect(QRectF(8, top, self.width() - 16, scaled(_LINE)), QColor(colours.track))
        painter.setPen(QColor(colours.track))
        painter.drawLine(14, top + scaled(_LINE), self.width() - 14, top + scaled(_LINE))
        painter.setFont(text_font(13, True))
        painter.setPen(QColor(colours.alarm))
        painter.drawText(QRectF(14, top, 16, scaled(_LINE)), Qt.AlignmentFlag.AlignVCenter, line.mark)
        painter.setPen(QColor(colours.text))
        name = painter.fontMetrics().elidedText(line.plugin, Qt.TextElideMode.ElideRight, scaled(_NAMES) - 40)
        painter.drawText(QRectF(32, top, scaled(_NAMES) - 36, scaled(_LINE)), Qt.AlignmentFlag.AlignVCenter, name)
        taken = [column for column, field in enumerate(line.fields) if field.taken]
        if len(taken) > 1:
            good = all(line.fields[column].tone == "mine" for column in taken)
            style = Qt.PenStyle.SolidLine if good else Qt.PenStyle.DashLine
            painter.setPen(QPen(QColor(colours.mine if good else colours.alarm), 2.4, style))
            middle = top + scaled(_LINE) / 2
            painter.drawLine(QPointF(self._centre(taken[0]), middle), QPointF(self._centre(taken[-1]), middle))
        for column, field in enumerate(line.fields):
            self._paint_field(painter, self._box(column, top), field)

    def _paint_field(self, painter: QPainter, box: QRectF, field: MatrixCell) -> None:
        colours = theme()
        soft = {"mine": colours.mine_soft, "incoming": colours.incoming_soft, "alarm": colours.alarm_soft}
        edge = colours.tone(field.tone) if field.taken else QColor(colours.edge)
        painter.setPen(QPen(edge, 1.6 if field.taken else 1))
        painter.setBrush(QColor(soft.get(field.tone, colours.card)))
        painter.drawRoundedRect(box, 3, 3)
        painter.setPen(colours.tone(field.tone))
        painter.setFont(text_font(12))
        text = painter.fontMetrics().elidedText(field.text, Qt.TextElideMode.ElideRight, int(box.width()) - 6)
        painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _paint_legend(self, painter: QPainter, top: int) -> None:
        colours = theme()
        painter.setFont(text_font(11))
        left = float(scaled(_NAMES))
        for word, fill in (
            (tr("ready"), colours.mine_soft),
            (tr("preview, revision, reported to work, untested"), colours.incoming_soft),
            (tr("nothing"), colours.card),
        ):
            painter.setPen(QColor(colours.edge))
            painter.setBrush(QColor(fill))
            painter.drawRect(QRectF(left, top + 4, 12, 9))
            painter.setPen(QColor(colours.quiet))
            width = painter.fontMetrics().horizontalAdvance(word)
            painter.drawText(QRectF(left + 18, top, width + 4, 17), Qt.AlignmentFlag.AlignVCenter, word)
            left += width + 44

    def _centre(self, column: int) -> float:
        room = self.width() - scaled(_NAMES) - 20
        return scaled(_NAMES) + room * (column + 0.5) / max(1, len(self._columns))

    def _box(self, column: int, top: int) -> QRectF:
        width = min(120.0, (self.width() - scaled(_NAMES) - 20) / max(1, len(self._columns)) - 12)
        return QRectF(self._centre(column) - width / 2, top + 2, width, scaled(_LINE) - 5)
