"""The list of crossings: of each its project, a small route band, its last finding, and the next item."""

from __future__ import annotations

from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRect, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from fernshale.api.crossings import Crossing
from fernshale.app.theme import scaled, text_font, theme
from fernshale.app.widgets.rows import ModelIndex, Row, RowList
from fernshale.core.base.texts import tr
from fernshale.core.crossing.flow.last_look import LastLook
from fernshale.core.crossing.record.stage import STAGES, StageState

# In pixels at the usual size of letters.
_HEIGHT = 78
_BAND = 250
_STEP = 32


@dataclass(frozen=True, slots=True)
class CrossingRow:
    """A crossing with how it stood the last time."""

    crossing: Crossing
    look: LastLook


class CrossingList(RowList):
    """Rows whose payload is a CrossingRow."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, tr("Your crossings"))
        self.setItemDelegate(_CrossingDelegate(self))


class _CrossingDelegate(QStyledItemDelegate):
    def sizeHint(self, option: QStyleOptionViewItem, index: ModelIndex) -> QSize:
        row: Row = index.data(Qt.ItemDataRole.UserRole)
        return QSize(200, scaled(26 if row.heading else _HEIGHT))

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: ModelIndex) -> None:
        row: Row = index.data(Qt.ItemDataRole.UserRole)
        colours = theme()
        rect: QRect = option.rect
        state: QStyle.StateFlag = option.state
        is_selected = bool(state & QStyle.StateFlag.State_Selected) and not row.heading
        painter.save()
        painter.fillRect(rect, QColor(colours.mine_soft if is_selected else colours.card))
        if is_selected:
            painter.fillRect(rect.left(), rect.top(), 3, rect.height() - 1, QColor(colours.mine))
        painter.setPen(QColor(colours.track))
        painter.drawLine(rect.bottomLeft(), rect.bottomRight())
        inner = rect.adjusted(12, scaled(7), -12, -scaled(5))
        item = row.payload
        look = item.look if isinstance(item, CrossingRow) else LastLook()
        room = inner.width() - (scaled(_BAND) if look.is_known else 0)
        lines = [(row.title, text_font(13, True), colours.text), (row.sub, text_font(12), colours.text)]
        lines.append((tr("next: {coming}", coming=look.coming) if look.is_known else "", text_font(11), colours.quiet))
        top = inner.top()
        for words, font, ink in lines:
            painter.setFont(font)
            painter.setPen(QColor(ink))
            line = QRect(inner.left(), top, room, scaled(20))
            shown = QFontMetrics(font).elidedText(words, Qt.TextElideMode.ElideRight, room - 8)
            painter.drawText(line, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)
            top += scaled(21)
        painter.setFont(text_font(11))
        painter.setPen(QColor(colours.quiet))
        when = QRect(inner.right() - scaled(_BAND), inner.top(), scaled(_BAND), scaled(20))
        painter.drawText(when, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, row.right)
        if look.is_known:
            _paint_band(painter, QPointF(inner.right() - scaled(_BAND - 18), inner.top() + scaled(42)), look)
        painter.restore()


def _paint_band(painter: QPainter, start: QPointF, look: LastLook) -> None:
    """The stages as the band above the pages shows them, without names."""
    colours = theme()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(QColor(colours.edge), 2))
    end = start + QPointF(scaled(_STEP) * (len(STAGES) - 1), 0)
    painter.drawLine(start, end)
    size = scaled(8)
    for number, stage in enumerate(STAGES):
        spot = start + QPointF(scaled(_STEP) * number, 0)
        state = look.state_of(stage)
        painter.setPen(Qt.PenStyle.NoPen)
        if state is StageState.NEEDS_YOU:
            wide = size + scaled(3)
            painter.setBrush(QColor(colours.alarm))
            around = ((0, -wide), (wide, 0), (0, wide), (-wide, 0))
            painter.drawPolygon(QPolygonF([spot + QPointF(x, y) for x, y in around]))
            painter.setPen(QColor(colours.card))
            painter.setFont(text_font(9, True))
            box = QRectF(spot.x() - wide, spot.y() - wide, 2 * wide, 2 * wide)
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, str(look.open_in(stage)))
        elif state is StageState.CLEAR:
            painter.setBrush(QColor(colours.mine))
            painter.drawEllipse(spot, size, size)
            painter.setPen(QPen(QColor(colours.card), 1.6))
            half = size / 2
            painter.drawPolyline(
                [spot + QPointF(-half, 0), spot + QPointF(-1, half - 1), spot + QPointF(half, 1 - half)]
            )
        else:
            is_begun = state is StageState.IN_HAND
            painter.setPen(QPen(QColor(colours.mine if is_begun else colours.quiet), 1.8))
            painter.setBrush(QColor(colours.card))
            painter.drawEllipse(spot, size - 1, size - 1)
            if is_begun:
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(QColor(colours.mine))
                painter.drawPie(
                    QRectF(spot.x() - size + 1, spot.y() - size + 1, 2 * size - 2, 2 * size - 2), -90 * 16, 180 * 16
                )
