"""The base of every page: a finding on top, a picture, a list, the detail. A page shows overviews and sends actions."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from functools import partial

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QHBoxLayout, QInputDialog, QMessageBox, QPushButton, QVBoxLayout, QWidget

from fernshale.api.crossings import finding_of
from fernshale.app.commands import MenuCommand
from fernshale.app.session import Session
from fernshale.app.theme import text_font
from fernshale.app.widgets.basics import FindingLabel
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import printable
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.overview import Overview

_MAX_OPTION_KEYS = 7
# Below this height of the window, in pixels at the usual size of letters, everything around the detail takes less room.
LOW = 680
# Below this width, buttons that are seldom needed are behind one that opens a menu.
NARROW = 1180


class Page(QWidget):
    """One stage. `editor_wanted` carries (path in the project, line); `step_wanted` 1 for the next open item, -1 for
    the one before."""

    stage: Stage
    editor_wanted = Signal(str, int)
    step_wanted = Signal(int)
    # The part that can have the whole window, and the picture on top, which can be folded.
    detail: QWidget | None = None
    picture: QWidget | None = None
    picture_title = tr("Picture")
    # The height of a window, at the usual size of letters, in which the picture has room.
    picture_needs = 860

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.session = session
        self.visited = ""  # the key of the item that was visited, until another one is selected
        self.column = QVBoxLayout(self)
        self.finding = FindingLabel(self)
        self.top = QHBoxLayout()  # the finding, and the buttons of the whole page next to it
        self.top.setSpacing(6)
        self.top.addWidget(self.finding, 1)
        self.column.addLayout(self.top)
        self.set_room(NARROW, LOW)
        self.keys: list[MenuCommand] = []
        for number in range(1, _MAX_OPTION_KEYS + 1):
            self.on_key(str(number), partial(self.press, number), tr("Option {number}", number=number))
        self.on_key("N", lambda: self.step(1), tr("The next open item"))
        self.on_key("P", lambda: self.step(-1), tr("The open item before"))

    def on_key(self, key: str, act: Callable[[], None], title: str) -> None:
        """Call a function on a key while the page has the focus; `title` says what it does."""
        self.keys.append(MenuCommand(title, self.stage.title, (key,), act))
        shortcut = QShortcut(QKeySequence(key), self)
        shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        shortcut.activated.connect(act)

    def set_room(self, width: int, height: int) -> None:
        """Use the room of a window for the detail; its size is in pixels at the usual size of letters."""
        is_low = self.is_low = height < LOW
        self.is_narrow = width < NARROW
        self.column.setContentsMargins(18, 5 if is_low else 14, 18, 5 if is_low else 10)
        self.column.setSpacing(5 if is_low else 10)
        self.finding.setFont(text_font(14 if is_low else 17))

    @property
    def picture_words(self) -> str:
        """What the picture shows, in a few words, for the time it is folded."""
        return self.picture.accessibleDescription() if self.picture is not None else ""

    def option_buttons(self) -> Sequence[QPushButton]:
        """The buttons of the options that are shown, in order; hidden ones do not count."""
        return ()

    def step(self, by: int) -> None:
        """To the next item, or with -1 to the one before."""
        self.step_wanted.emit(by)

    def press(self, number: int) -> None:
        """Press the option button with a number, from 1."""
        shown = [each for each in self.option_buttons() if each.isVisible()]
        if number <= len(shown):
            shown[number - 1].click()

    def show_overview(self, overview: Overview) -> None:
        """Show a new overview."""
        if all(item.key != self.visited for item in overview.items_of(self.stage)):
            self.visited = ""
        self.finding.show_finding(finding_of(self.stage, overview))
        self.fill(overview)

    def fill(self, overview: Overview) -> None:
        """Show everything below the finding."""
        raise NotImplementedError

    def visit(self, item: Item) -> None:
        """Show an item of this stage; the option buttons are its own from now on."""
        self.go_to(item)
        self.visited = item.key

    def go_to(self, item: Item) -> None:
        """Bring an item of this stage into view."""

    def find_text(self, words: str) -> bool:
        """Find the next place on the page that contains `words`; False when there is none."""
        return False


def file_and_line(place: str) -> tuple[str, int]:
    """`src/a.cpp:12` as its two parts; line 1 where none is named."""
    path, _, line = place.rpartition(":")
    return (path, int(line)) if path and line.isdigit() else (place, 1)


def take_option(parent: QWidget, session: Session, item: Item, option: Option) -> None:
    """Carry an option out, after the user typed the text and confirmed the warning that it asks for."""
    text = ""
    if option.confirm:
        box = QMessageBox(QMessageBox.Icon.Question, item.title, option.title.rstrip("…") + "?", parent=parent)
        box.setInformativeText(printable(option.confirm))
        yes = box.addButton(tr("Yes, do that"), QMessageBox.ButtonRole.AcceptRole)
        box.setDefaultButton(box.addButton(tr("Not now"), QMessageBox.ButtonRole.RejectRole))
        box.exec()
        if box.clickedButton() is not yes:
            return
    if option.asks:
        text, is_given = QInputDialog.getText(parent, item.title, option.asks)
        if not is_given or not text.strip():
            return
    session.choose(item, option.id, text)
