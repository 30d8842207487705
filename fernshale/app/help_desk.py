"""The help of a window: the guide, opened at a page, a chapter or the list of all keys."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from PySide6.QtWidgets import QWidget

from fernshale.app.commands import MenuCommand
from fernshale.app.dialogs.help import HelpWindow


class HelpDesk:
    """Opens the guide. Its list of keys shows `commands` and `keys`, those of the pages; `page` names the page that is shown."""

    def __init__(
        self,
        window: QWidget,
        commands: Callable[[], tuple[MenuCommand, ...]],
        keys: Callable[[], Iterable[MenuCommand]],
        page: Callable[[], str],
    ) -> None:
        self._window, self._commands, self._keys, self._page = window, commands, keys, page
        self._shown: HelpWindow | None = None

    @property
    def window(self) -> HelpWindow:
        """The window of the guide, made when it is first needed."""
        if self._shown is None:
            of_pages = {item.keys: item for item in self._keys()}.values()
            self._shown = HelpWindow(self._window, self._commands(), of_pages)
        return self._shown

    def show(self, chapter: str, heading: str = "") -> None:
        """Open the guide at a chapter."""
        self.window.show_chapter(chapter, heading)
        self.window.show()
        self.window.raise_()

    def show_page(self) -> None:
        """Open the guide at what it says about the page."""
        self.show("pages", self._page())

    def show_keys(self) -> None:
        """Open the list of all keys."""
        self.show("keys")
