"""The look of a window: the theme and the size of letters, changed by its commands and kept in the settings."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QWidget

from fernshale.app.dialogs.questions import show_error
from fernshale.app.dialogs.settings import ask_settings
from fernshale.app.theme import SCALES, apply_theme, desktop_letters, is_dark, scale, scaled, use_look
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.settings import change_settings, usable_settings


class Look:
    """Changes the look of a window. `redraw` repaints the open page before the fonts of single widgets change, `rebuild`
    lays the window out afterwards."""

    def __init__(self, window: QWidget, redraw: Callable[[], None], rebuild: Callable[[], None]) -> None:
        self._window, self._redraw, self._rebuild = window, redraw, rebuild

    def toggle_theme(self) -> None:
        """The other theme; it is kept."""
        self._keep("look.theme", "light" if is_dark() else "dark")

    def zoom(self, by: int) -> None:
        """Letters one size larger (1) or smaller (-1), or as usual (0). The size is kept."""
        at = min(range(len(SCALES)), key=lambda at: abs(SCALES[at] - scale()))
        self._keep("look.letters", SCALES[min(max(at + by, 0), len(SCALES) - 1)] if by else 1.0)

    def ask_settings(self) -> None:
        """The dialog of all settings."""
        if ask_settings(self._window):
            self._use_settings()

    def _keep(self, key: str, value: object) -> None:
        try:
            change_settings({key: value})
        except FernshaleError as error:
            show_error(self._window, error)
        self._use_settings()

    def _use_settings(self) -> None:
        """Show everything as the settings say."""
        before = scale()
        use_look(usable_settings().look, desktop_letters())
        parts = self._window.findChildren(QWidget)
        own = [item for item in parts if item.testAttribute(Qt.WidgetAttribute.WA_SetFont)]
        sizes = [item.font().pixelSize() for item in own]
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        apply_theme(app)
        self._redraw()
        for widget, size in zip(own, sizes, strict=True):
            font = widget.font()
            font.setPixelSize(scaled(round(size / before)))
            widget.setFont(font)
        self._rebuild()
