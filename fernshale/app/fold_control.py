"""Folds the parts of the window on each page, and gives a detail the whole window."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QMainWindow, QSplitterHandle, QVBoxLayout, QWidget

from fernshale.app.folds import Folds, Pane
from fernshale.app.pages.base import LOW, Page
from fernshale.app.status_line import StatusLine
from fernshale.app.theme import scale
from fernshale.app.widgets.band import RouteBand
from fernshale.app.widgets.strips import FootStrip, SideStrip
from fernshale.app.widgets.text_document import AnnotatedText
from fernshale.core.base.texts import tr

# The parts of the window that fold, each with its title and its key.
FOLDABLE: Mapping[Pane, tuple[str, str]] = {
    "picture": (tr("Picture"), "F7"),
    "items": (tr("Open items"), "F8"),
    "logbook": (tr("Logbook"), "F9"),
    "output": (tr("Output"), "F10"),
}


@dataclass(frozen=True)
class FoldedParts:
    """The parts that fold, their containers, and the strips that are shown in their place."""

    items: QWidget
    items_strip: SideStrip
    logbook: QWidget
    output: QWidget
    foot: QWidget
    foot_strip: FootStrip
    column: QVBoxLayout
    band: RouteBand
    status: StatusLine


class FoldControl:
    """`page` is the page that is shown, `name` the name under which its folds are kept, `is_open` whether a crossing is shown."""

    def __init__(
        self,
        window: QMainWindow,
        parts: FoldedParts,
        page: Callable[[], QWidget | None],
        name: Callable[[], str],
        is_open: Callable[[], bool],
    ) -> None:
        self._window, self._parts = window, parts
        self._page, self._name, self._is_open = page, name, is_open
        self._folds = Folds()
        self._covered: tuple[QWidget, ...] = ()  # hidden while a detail has the whole window

    def fold(self, pane: Pane) -> None:
        """Fold a part of the window on this page, or unfold it."""
        self._folds.keep(self._name(), pane, not self._is_folded(pane))
        self.refresh()

    def refresh(self) -> None:
        """Show and hide the parts of the window as they are on this page."""
        if self._covered:
            return
        here, parts = self._page(), self._parts
        self._set_low(self._room()[1] < LOW)
        folded = {pane: self._is_folded(pane) for pane in FOLDABLE}
        parts.items.setVisible(not folded["items"])
        parts.items_strip.setVisible(folded["items"])
        parts.logbook.setVisible(not folded["logbook"])
        parts.output.setVisible(not folded["output"])
        parts.foot.setVisible(not (folded["logbook"] and folded["output"]))
        picture = here.picture if isinstance(here, Page) else None
        if picture is not None:
            picture.setVisible(not folded["picture"])
        for pane in ("logbook", "output"):
            parts.foot_strip.show_part(pane, folded[pane])
        parts.foot_strip.show_part("picture", picture is not None and folded["picture"])
        if isinstance(here, Page):
            here.set_room(*self._room())
            title = f"{here.picture_title} · {FOLDABLE['picture'][1]}"
            parts.foot_strip.say("picture", here.picture_words, title)

    def show_whole(self) -> None:
        """Give the detail of the page the whole window, or the others their places again."""
        here = self._page()
        detail = here.detail if isinstance(here, Page) else here
        if self._covered:
            self.uncover()
        elif detail is not None and self._is_open():
            self._covered = _around(detail, self._window.centralWidget() or self._window)
            for widget in self._covered:
                widget.hide()
            text = detail.findChild(AnnotatedText)
            if text is not None:
                text.setFocus()  # the keys of the page work while the focus is in it

    def uncover(self) -> None:
        """Give the others their places again, if a detail has the whole window."""
        covered, self._covered = self._covered, ()
        for widget in covered:
            widget.show()
        if covered:
            self.refresh()

    @property
    def is_whole(self) -> bool:
        """Whether a detail has the whole window."""
        return bool(self._covered)

    def _is_folded(self, pane: Pane) -> bool:
        here = self._page()
        needs = here.picture_needs if isinstance(here, Page) else 0
        return self._folds.is_folded(self._name(), pane, *self._room(), needs)

    def _room(self) -> tuple[int, int]:
        """The size of the window in pixels at the usual size of letters."""
        return round(self._window.width() / scale()), round(self._window.height() / scale())

    def _set_low(self, is_low: bool) -> None:
        """In a low window the line of folded parts is in the status bar."""
        parts = self._parts
        parts.band.set_low(is_low)
        if is_low == (parts.foot_strip.parentWidget() is parts.status):
            return
        if is_low:
            parts.status.addWidget(parts.foot_strip, 4)
        else:
            parts.status.removeWidget(parts.foot_strip)
            parts.column.addWidget(parts.foot_strip)
        parts.foot_strip.set_plain(is_low)
        parts.status.show_keys_hint(not is_low)


def _around(detail: QWidget, outermost: QWidget) -> tuple[QWidget, ...]:
    """Return the visible neighbours of a widget, at each level up to the outermost one."""
    found: list[QWidget] = []
    here = detail
    while here is not outermost and (outer := here.parentWidget()) is not None:
        others = outer.findChildren(QWidget, options=Qt.FindChildOption.FindDirectChildrenOnly)
        is_handle = QSplitterHandle
        found += [item for item in others if item is not here and item.isVisible() and not isinstance(item, is_handle)]
        here = outer
    return tuple(found)
