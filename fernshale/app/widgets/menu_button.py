"""The button of the menu, at the upper right of every view."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMenu, QToolButton, QWidget

from fernshale.core.base.texts import tr


class MenuButton(QToolButton):
    """Opens a menu that `fill` fills each time."""

    def __init__(self, parent: QWidget, fill: Callable[[QMenu], None]) -> None:
        super().__init__(parent)
        self.setText(tr("Menu"))
        self.setObjectName("menu")
        self.setToolTip(tr("Everything that Fernshale can do, by group · Alt+M"))
        self.setAccessibleName(tr("Menu"))
        self.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self)
        menu.aboutToShow.connect(lambda: fill(menu))
        self.setMenu(menu)

    def open_menu(self) -> None:
        """As by a click."""
        self.showMenu()
