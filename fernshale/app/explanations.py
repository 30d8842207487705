"""The texts of *What is this?* (Shift+F1), one for each part of the window."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from PySide6.QtWidgets import QWidget

from fernshale.app.guide import about_page
from fernshale.app.pages.base import Page
from fernshale.core.base.texts import tr

_BAND = tr(
    "The route band: the crossing as a line from release to release. Each shape is a stage: an empty circle is untouched, a half "
    "one is in progress, a diamond needs you, a check mark is clear. Its number counts open items. The small knots between are "
    "snapshots; click one to compare or restore."
)
_ITEMS = tr(
    "Open items: everything between now and a running game, over all stages. Enter goes to the item, "
    "a right click shows its options."
)
_LOGBOOK = tr(
    "The logbook: every step that was written, in order. undo takes a step back after a preview; "
    "a right click offers to go back to an entry."
)
_OUTPUT = tr("The output of the command that runs, or ran last.")
_FINDING = tr("The finding: how this stage is, with the numbers that matter.")
_PICTURE = tr("A picture of where the work is.")
_DETAIL = tr("The detail: it explains the selected item, and shows what an option would change before you take it.")
_PARTS = {"band": _BAND, "items": _ITEMS, "logbook": _LOGBOOK, "output": _OUTPUT}


def explain(pages: Iterable[Page], parts: Mapping[str, QWidget]) -> None:
    """Give the pages their words, and each other part of the window by its name in `_PARTS` or in the guide."""
    for name, widget in parts.items():
        widget.setWhatsThis(_PARTS.get(name) or about_page(name))
    for page in pages:
        page.setWhatsThis(f"{page.stage.title}: {about_page(page.stage.value)}")
        page.finding.setWhatsThis(_FINDING)
        if page.picture is not None:
            page.picture.setWhatsThis(_PICTURE)
        if page.detail is not None:
            page.detail.setWhatsThis(_DETAIL)
