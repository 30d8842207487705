"""The list of all actions (Ctrl+K): type a few letters, Enter does it."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QObject, Qt
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import QDialog, QLineEdit, QVBoxLayout, QWidget

from fernshale.app.commands import MenuCommand
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.texts import tr


class ActionList(QDialog):
    """All actions, filtered by the typed letters; letters may be left out."""

    def __init__(self, parent: QWidget, actions: tuple[MenuCommand, ...]) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("All actions"))
        self.resize(560, 420)
        self._actions = actions
        column = QVBoxLayout(self)
        self._words = QLineEdit(self)
        self._words.setPlaceholderText(tr("What do you want to do?"))
        self._words.textChanged.connect(self._narrow)
        self._words.installEventFilter(self)
        self._list = RowList(self, tr("Actions"))
        self._list.activated_row.connect(self._do)
        column.addWidget(self._words)
        column.addWidget(self._list)
        self._narrow("")

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Arrows and Enter go to the list while the user types."""
        if isinstance(event, QKeyEvent) and event.type() is QEvent.Type.KeyPress:
            if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_PageUp, Qt.Key.Key_PageDown):
                self._list.keyPressEvent(event)
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._do(self._list.current())
                return True
        return super().eventFilter(watched, event)

    def _narrow(self, words: str) -> None:
        found = [(number, action) for number, action in enumerate(self._actions) if _fits(words, action)]
        self._list.set_rows(
            tuple(
                Row(action.title, "", f"{action.area}   {action.key}".strip(), payload=number)
                for number, action in found
            )
        )

    def _do(self, payload: object) -> None:
        if isinstance(payload, int):
            self.accept()
            self._actions[payload].act()


def _fits(words: str, action: MenuCommand) -> bool:
    text = iter(f"{action.title} {action.area}".lower())
    return all(letter in text for letter in words.lower() if not letter.isspace())
