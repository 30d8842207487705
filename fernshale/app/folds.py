"""Which parts of the window are folded: as a person left them on each page, else as the room allows."""

from __future__ import annotations

from typing import Literal

from PySide6.QtCore import QSettings

Pane = Literal["items", "logbook", "output", "picture"]
PANES: tuple[Pane, ...] = ("picture", "items", "logbook", "output")
# Below these sizes of the window, in pixels at the usual size of letters, a part is folded unless it was unfolded by hand.
_NEEDED: dict[Pane, tuple[int, int]] = {
    "items": (1440, 0),
    "logbook": (0, 960),
    "output": (0, 960),
}


class Folds:
    """The folds of each page, kept in the settings of the user."""

    def is_folded(self, page: str, pane: Pane, width: int, height: int, picture_needs: int) -> bool:
        """Whether a part is folded on a page, in a window of a size at the usual size of letters. `picture_needs` is the
        height that the page needs for its picture."""
        kept = str(QSettings().value(_key(page, pane), ""))
        if kept:
            return kept == "folded"
        needed = _NEEDED.get(pane, (0, picture_needs))
        return width < needed[0] or height < needed[1]

    def keep(self, page: str, pane: Pane, is_folded: bool) -> None:
        """Remember how a person left a part on a page."""
        QSettings().setValue(_key(page, pane), "folded" if is_folded else "open")


def _key(page: str, pane: Pane) -> str:
    return f"folds/{page}/{pane}"
