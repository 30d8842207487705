"""The pictures of the pages: ledger bars, rounds, the map of roles, the plugin x release table."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from fernshale.app.theme import Tone, text_font, theme


@dataclass(frozen=True, slots=True)
class Bar:
    """A bar of parts, each a tone, its amount and its word."""

    label: str
    parts: tuple[tuple[Tone, int, str], ...]
    right: str
    payload: object = None


class BarChart(QWidget):
    """Horizontal bars on one scale; the legend says what each tone is."""

    chosen = Signal(object)

    def __init__(self, parent: QWidget, name: str, label_width: int) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._bars: tuple[Bar, ...] = ()
        self._label_width = label_width
        self.setFixedHeight(30)

    def set_bars(self, bars: tuple[Bar, ...]) -> None:
        self._bars = bars
        self.setFixedHeight(20 * max(1, len(bars)) + 8 + (18 if bars else 0))
        self.setAccessibleDescription("; ".join(f"{bar.label}: {bar.right}" for bar in bars))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        colours = theme()
        fills = {"mine": colours.mine, "incoming": colours.incoming, "base": colours.base, "alarm": colours.alarm}
        most = max((sum(amount for _, amount, _ in bar.parts) for bar in self._bars), default=0)
        right_room = 190
        room = self.width() - self._label_width - right_room
        painter.setFont(text_font(12))
        for number, bar in enumerate(self._bars):
            top = 4 + number * 20
            painter.setPen(QColor(colours.text))
            box = QRectF(0, top, self._label_width - 10, 16)
            words = painter.fontMetrics().elidedText(bar.label, Qt.TextElideMode.ElideRight, self._label_width - 12)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, words)
            left = float(self._label_width)
            for tone, amount, _ in bar.parts:
                width = room * amount / most if most else 0.0
                if width > 0:
                    painter.fillRect(
                        QRectF(left, top + 1, max(width - 2, 1.5), 14), QColor(fills.get(tone, colours.track))
                    )
                left += width
            painter.setPen(QColor(colours.quiet))
            painter.drawText(QRectF(left + 8, top, self.width() - left, 16), Qt.AlignmentFlag.AlignVCenter, bar.right)
        self._paint_legend(painter, 4 + len(self._bars) * 20)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = int((event.position().y() - 4) // 20)
        if 0 <= at < len(self._bars) and self._bars[at].payload is not None:
            self.chosen.emit(self._bars[at].payload)

    def _paint_legend(self, painter: QPainter, top: int) -> None:
        colours = theme()
        fills = {"mine": colours.mine, "incoming": colours.incoming, "base": colours.base, "alarm": colours.alarm}
        seen: dict[str, Tone] = {}
        for bar in self._bars:
            for tone, amount, word in bar.parts:
                if amount:
                    seen.setdefault(word, tone)
        painter.setFont(text_font(11))
        left = float(self._label_width)
        for word, tone in seen.items():
            painter.fillRect(QRectF(left, top + 5, 9, 9), QColor(fills.get(tone, colours.track)))
            painter.setPen(QColor(colours.quiet))
            width = painter.fontMetrics().horizontalAdvance(word)
            painter.drawText(QRectF(left + 14, top, width + 4, 18), Qt.AlignmentFlag.AlignVCenter, word)
            left += width + 34


@dataclass(frozen=True, slots=True)
class Tile:
    """A part of the map: its word, amount, tone, and a hint."""

    word: str
    amount: int
    tone: Tone
    hint: str
    children: tuple[Tile, ...] = ()


class TileMap(QWidget):
    """Amounts as areas, nested once. Layout: squarified treemap (Bruls, Huizing and van Wijk, 2000)."""

    def __init__(self, parent: QWidget, name: str) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setMouseTracking(True)
        self.setMinimumHeight(110)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._tiles: tuple[Tile, ...] = ()

    def sizeHint(self) -> QSize:
        return QSize(500, 170)

    def set_tiles(self, tiles: tuple[Tile, ...]) -> None:
        self._tiles = tiles
        self.setAccessibleDescription("; ".join(tile.hint for tile in tiles))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for tile, place in self._places():
            self._paint_tile(painter, tile, place)
            for child, inner in squarify(tile.children, place.adjusted(3, 19, -3, -3)):
                self._paint_child(painter, tile, child, inner)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            spot = QPointF(event.pos())
            words = ""
            for tile, place in self._places():
                if place.contains(spot):
                    words = tile.hint
                    for child, inner in squarify(tile.children, place.adjusted(3, 19, -3, -3)):
                        if inner.contains(spot):
                            words = child.hint
            QToolTip.showText(event.globalPos(), words, self)
            return True
        return super().event(event)

    def _places(self) -> list[tuple[Tile, QRectF]]:
        return squarify(self._tiles, QRectF(0, 0, self.width(), self.height()))

    def _paint_tile(self, painter: QPainter, tile: Tile, place: QRectF) -> None:
        colours = theme()
        soft = {"mine": colours.mine_soft, "incoming": colours.incoming_soft, "base": colours.base_soft}
        painter.fillRect(place.adjusted(1, 1, -1, -1), QColor(soft.get(tile.tone, colours.track)))
        painter.setPen(colours.tone(tile.tone))
        painter.setFont(text_font(11, True))
        words = painter.fontMetrics().elidedText(tile.word, Qt.TextElideMode.ElideRight, int(place.width()) - 12)
        painter.drawText(place.adjusted(6, 3, -4, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, words)

    def _paint_child(self, painter: QPainter, tile: Tile, child: Tile, place: QRectF) -> None:
        colours = theme()
        ink = colours.tone(tile.tone)
        ink.setAlpha(150 if child.tone != "plain" else 40)
        painter.fillRect(place.adjusted(0.5, 0.5, -0.5, -0.5), ink)
        if place.width() > 46 and place.height() > 15:
            painter.setPen(QColor(colours.text))
            painter.setFont(text_font(10))
            words = painter.fontMetrics().elidedText(child.word, Qt.TextElideMode.ElideMiddle, int(place.width()) - 6)
            painter.drawText(place.adjusted(3, 1, -2, 0), Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, words)


def squarify(tiles: Sequence[Tile], room: QRectF) -> list[tuple[Tile, QRectF]]:
    """A rectangle for each tile, its area in proportion, as near to a square as the row allows."""
    left = [tile for tile in sorted(tiles, key=lambda item: -item.amount) if tile.amount > 0]
    total = float(sum(tile.amount for tile in left))
    if not left or room.width() < 4 or room.height() < 4:
        return []
    scale = room.width() * room.height() / total
    placed: list[tuple[Tile, QRectF]] = []
    while left:
        side = min(room.width(), room.height())
        row = [left.pop(0)]
        while left and _worst([*row, left[0]], side, scale) <= _worst(row, side, scale):
            row.append(left.pop(0))
        area = sum(tile.amount for tile in row) * scale
        depth = area / side if side else 0.0
        at = 0.0
        for tile in row:
            length = tile.amount * scale / depth if depth else 0.0
            if room.width() >= room.height():
                placed.append((tile, QRectF(room.left(), room.top() + at, depth, length)))
            else:
                placed.append((tile, QRectF(room.left() + at, room.top(), length, depth)))
            at += length
        room = room.adjusted(depth, 0, 0, 0) if room.width() >= room.height() else room.adjusted(0, depth, 0, 0)
    return placed


def _worst(row: Sequence[Tile], side: float, scale: float) -> float:
    areas = [tile.amount * scale for tile in row]
    total = sum(areas)
    return max(side * side * max(areas) / (total * total), total * total / (side * side * min(areas)))


@dataclass(frozen=True, slots=True)
class Field:
    """A field of the table: its text and what it means; `taken` lies on the chosen way."""

    text: str
    tone: Tone
    taken: bool
    hint: str


class WayTable(QWidget):
    """Plugins down, engine releases across, the chosen way drawn through."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setAccessibleName("Plugins and engine releases")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self._columns: tuple[tuple[str, str, Tone], ...] = ()
        self._rows: tuple[tuple[str, tuple[Field, ...]], ...] = ()

    def set_table(
        self, columns: tuple[tuple[str, str, Tone], ...], rows: tuple[tuple[str, tuple[Field, ...]], ...]
    ) -> None:
        """`columns` are (release, remark, tone); a row is a plugin with a field for each column."""
        self._columns, self._rows = columns, rows
        self.setFixedHeight(58 + 33 * len(rows) + 26)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colours = theme()
        for number, (release, remark, tone) in enumerate(self._columns):
            centre = self._centre(number)
            painter.setFont(text_font(13, tone == "strong"))
            painter.setPen(colours.tone(tone))
            painter.drawText(QRectF(centre - 60, 10, 120, 18), Qt.AlignmentFlag.AlignCenter, release)
            painter.setFont(text_font(11))
            painter.drawText(QRectF(centre - 60, 28, 120, 16), Qt.AlignmentFlag.AlignCenter, remark)
        for number, (plugin, fields) in enumerate(self._rows):
            self._paint_row(painter, 52 + number * 33, plugin, fields)
        self._paint_legend(painter, 58 + 33 * len(self._rows))

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            words = ""
            for number, (_, fields) in enumerate(self._rows):
                for column, field in enumerate(fields):
                    if self._box(column, 52 + number * 33).contains(QPointF(event.pos())):
                        words = field.hint
            QToolTip.showText(event.globalPos(), words, self)
            return True
        return super().event(event)

    def _paint_row(self, painter: QPainter, top: int, plugin: str, fields: tuple[Field, ...]) -> None:
        colours = theme()
        painter.setPen(QColor(colours.track))
        painter.drawLine(14, top + 30, self.width() - 14, top + 30)
        painter.setPen(QColor(colours.text))
        painter.setFont(text_font(13, True))
        name = painter.fontMetrics().elidedText(plugin, Qt.TextElideMode.ElideRight, 150)
        painter.drawText(QRectF(16, top, 156, 27), Qt.AlignmentFlag.AlignVCenter, name)
        taken = [column for column, field in enumerate(fields) if field.taken]
        if len(taken) > 1:
            good = all(fields[column].tone == "mine" for column in taken)
            style = Qt.PenStyle.SolidLine if good else Qt.PenStyle.DashLine
            painter.setPen(QPen(QColor(colours.mine if good else colours.alarm), 2.4, style))
            painter.drawLine(QPointF(self._centre(taken[0]), top + 13.5), QPointF(self._centre(taken[-1]), top + 13.5))
        soft = {"mine": colours.mine_soft, "incoming": colours.incoming_soft, "alarm": colours.alarm_soft}
        for column, field in enumerate(fields):
            box = self._box(column, top)
            painter.setPen(
                QPen(colours.tone(field.tone) if field.taken else QColor(colours.edge), 1.6 if field.taken else 1)
            )
            painter.setBrush(QColor(soft.get(field.tone, colours.card)))
            painter.drawRoundedRect(box, 3, 3)
            painter.setPen(colours.tone(field.tone))
            painter.setFont(text_font(12))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, field.text)

    def _paint_legend(self, painter: QPainter, top: int) -> None:
        colours = theme()
        painter.setFont(text_font(11))
        left = 176.0
        soft = (
            ("ready", colours.mine_soft),
            ("preview or source only", colours.incoming_soft),
            ("nothing yet", colours.card),
        )
        for word, fill in soft:
            painter.setPen(QColor(colours.edge))
            painter.setBrush(QColor(fill))
            painter.drawRect(QRectF(left, top + 4, 12, 9))
            painter.setPen(QColor(colours.quiet))
            width = painter.fontMetrics().horizontalAdvance(word)
            painter.drawText(QRectF(left + 18, top, width + 4, 17), Qt.AlignmentFlag.AlignVCenter, word)
            left += width + 44

    def _centre(self, column: int) -> float:
        room = self.width() - 176 - 20
        return 176 + room * (column + 0.5) / max(1, len(self._columns))

    def _box(self, column: int, top: int) -> QRectF:
        width = min(96.0, (self.width() - 196) / max(1, len(self._columns)) - 16)
        return QRectF(self._centre(column) - width / 2, top + 1, width, 25)
