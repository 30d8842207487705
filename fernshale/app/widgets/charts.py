"""The pictures of the pages: ledger bars, rounds, the map of roles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from fernshale.app.theme import Tone, scaled, text_font, theme


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
        self.setFixedHeight(scaled(30))

    def set_bars(self, bars: tuple[Bar, ...]) -> None:
        self._bars = bars
        self.setFixedHeight(scaled(20 * max(1, len(bars)) + 8 + (18 if bars else 0)))
        self.setAccessibleDescription("; ".join(f"{bar.label}: {bar.right}" for bar in bars))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        colours = theme()
        fills = {"mine": colours.mine, "incoming": colours.incoming, "base": colours.base, "alarm": colours.alarm}
        most = max((sum(amount for _, amount, _ in bar.parts) for bar in self._bars), default=0)
        names = scaled(self._label_width)
        room = self.width() - names - scaled(190)
        painter.setFont(text_font(12))
        for number, bar in enumerate(self._bars):
            top = scaled(4 + number * 20)
            painter.setPen(QColor(colours.text))
            box = QRectF(0, top, names - 10, scaled(16))
            words = painter.fontMetrics().elidedText(bar.label, Qt.TextElideMode.ElideRight, names - 12)
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, words)
            left = float(names)
            for tone, amount, _ in bar.parts:
                width = room * amount / most if most else 0.0
                if width > 0:
                    painter.fillRect(
                        QRectF(left, top + 1, max(width - 2, 1.5), scaled(14)), QColor(fills.get(tone, colours.track))
                    )
                left += width
            painter.setPen(QColor(colours.quiet))
            painter.drawText(
                QRectF(left + 8, top, self.width() - left, scaled(16)), Qt.AlignmentFlag.AlignVCenter, bar.right
            )
        self._paint_legend(painter, scaled(4 + len(self._bars) * 20))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = int((event.position().y() - scaled(4)) // scaled(20))
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
        left = float(scaled(self._label_width))
        for word, tone in seen.items():
            painter.fillRect(QRectF(left, top + 5, 9, 9), QColor(fills.get(tone, colours.track)))
            painter.setPen(QColor(colours.quiet))
            width = painter.fontMetrics().horizontalAdvance(word)
            painter.drawText(QRectF(left + 14, top, width + 4, scaled(18)), Qt.AlignmentFlag.AlignVCenter, word)
            left += width + 34


@dataclass(frozen=True, slots=True)
class Tile:
    """A part of the map: its word, amount, tone, hint, payload, and the share of it that is marked (0 to 1)."""

    word: str
    amount: int
    tone: Tone
    hint: str
    children: tuple[Tile, ...] = ()
    payload: object = None
    marked: float = 0.0


class TileMap(QWidget):
    """Amounts as areas, nested once; a part can be picked with the mouse or the arrow keys.

    Layout: squarified treemap (Bruls, Huizing and van Wijk, 2000).
    """

    picked = Signal(object)

    def __init__(self, parent: QWidget, name: str) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setMouseTracking(True)
        self.setMinimumHeight(110)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self._tiles: tuple[Tile, ...] = ()
        self._picked: object = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def sizeHint(self) -> QSize:
        return QSize(500, 170)

    def set_tiles(self, tiles: tuple[Tile, ...]) -> None:
        self._tiles = tiles
        if self._picked not in self._payloads():
            self._picked = None
        self.setAccessibleDescription("; ".join(tile.hint for tile in tiles))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for tile, place in self._places():
            self._paint_tile(painter, tile, place)
            for child, inner in squarify(tile.children, place.adjusted(3, 19, -3, -3)):
                self._paint_child(painter, tile, child, inner)

    def current(self) -> object:
        """The payload of the selected part, None when none is selected."""
        return self._picked

    def pick(self, payload: object) -> None:
        """Make a part the picked one; None: no part."""
        self._picked = payload
        self.update()
        self.picked.emit(payload)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent):
            tile = self._tile_at(QPointF(event.pos()))
            QToolTip.showText(event.globalPos(), tile.hint if tile else "", self)
            return True
        is_override = isinstance(event, QKeyEvent) and event.type() is QEvent.Type.ShortcutOverride
        is_escape = isinstance(event, QKeyEvent) and event.key() == Qt.Key.Key_Escape
        if is_override and is_escape and self._picked is not None:
            event.accept()  # deselecting a part has priority over the window's own Escape
            return True
        return super().event(event)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        tile = self._tile_at(event.position())
        self.pick(tile.payload if tile and tile.payload != self._picked else None)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}
        known = self._payloads()
        if event.key() == Qt.Key.Key_Escape and self._picked is not None:
            self.pick(None)
        elif event.key() in steps and known:
            at = known.index(self._picked) if self._picked in known else -1
            self.pick(known[(at + steps[Qt.Key(event.key())]) % len(known)])
        else:
            super().keyPressEvent(event)

    def _payloads(self) -> list[object]:
        return [part.payload for tile in self._tiles for part in (tile, *tile.children)]

    def _tile_at(self, spot: QPointF) -> Tile | None:
        for tile, place in self._places():
            if place.contains(spot):
                inner = squarify(tile.children, place.adjusted(3, 19, -3, -3))
                return next((child for child, room in inner if room.contains(spot)), tile)
        return None

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
        if tile.payload is not None and tile.payload == self._picked:
            self._paint_picked(painter, place)

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
        if child.marked:
            height = max(3.0, min(6.0, place.height() / 3))
            width = max(4.0, (place.width() - 4) * min(1.0, child.marked))
            painter.fillRect(QRectF(place.left() + 2, place.bottom() - height - 1, width, height), QColor(colours.mine))
        if child.payload is not None and child.payload == self._picked:
            self._paint_picked(painter, place)

    def _paint_picked(self, painter: QPainter, place: QRectF) -> None:
        painter.setPen(QPen(QColor(theme().text), 2))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(place.adjusted(1.5, 1.5, -1.5, -1.5))


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
