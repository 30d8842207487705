"""The commands of the window: one table for the menu, the list of all actions, the keys and the page about them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass

from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import QMenu, QWidget

from fernshale.core.base.texts import tr

# The groups of the menu, in its order.
AREAS = (tr("Project"), tr("Go to"), tr("Work"), tr("Undo"), tr("View"), tr("Snapshots"), tr("Help"))


@dataclass(frozen=True, slots=True)
class MenuCommand:
    """A command: its words, its group, its keys with the one that is shown first, and the function that does it.

    `is_of_crossing`: it needs an open crossing. `is_key_only`: it has a key, but no line in a menu.
    """

    title: str
    area: str
    keys: tuple[str, ...]
    act: Callable[[], object]
    is_of_crossing: bool = False
    is_key_only: bool = False

    @property
    def key(self) -> str:
        """The key that is shown, "" for none."""
        return self.keys[0] if self.keys else ""


def grouped(commands: Iterable[MenuCommand]) -> Mapping[str, tuple[MenuCommand, ...]]:
    """The commands by their groups; groups without commands are left out."""
    every = tuple(commands)
    found = {area: tuple(item for item in every if item.area == area) for area in AREAS}
    return {area: items for area, items in found.items() if items}


def bind_keys(widget: QWidget, commands: Iterable[MenuCommand]) -> None:
    """Make the keys of commands work everywhere in a window."""
    for command in commands:
        for keys in command.keys:
            QShortcut(QKeySequence(keys), widget).activated.connect(command.act)


def fill_menu(menu: QMenu, commands: Iterable[MenuCommand], *, has_crossing: bool) -> None:
    """Fill a menu with a submenu for each group. What needs a crossing is disabled where none is open."""
    menu.clear()
    for area, items in grouped(item for item in commands if not item.is_key_only).items():
        group = menu.addMenu(area)
        for item in items:
            # The key is shown only: the shortcut of the window does the work, also while the menu is closed.
            shown = f"{item.title}\t{item.key}" if item.key else item.title
            action = group.addAction(shown.replace("&", "&&"), item.act)
            action.setEnabled(has_crossing or not item.is_of_crossing)
