"""What each option of an item would do, below the item and before one is taken."""

from __future__ import annotations

from collections.abc import Mapping
from html import escape

from PySide6.QtCore import Qt
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QLabel, QWidget

from fernshale.api.actions import OptionEffect
from fernshale.app.dialogs.option_preview import OptionPreview
from fernshale.app.session import Session
from fernshale.app.theme import text_font, theme
from fernshale.core.base.texts import tr
from fernshale.core.crossing.record.items import Item

_ONLY_DECISIONS = tr("None of these writes anything now: it is kept as your decision, and later steps follow it.")


class OptionEffects(QLabel):
    """A line for each option: what it would do, with a link that shows the changes. Found out in the background."""

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__("", parent)
        self._session = session
        self._item: Item | None = None
        self._effects: Mapping[str, OptionEffect] = {}
        self.setWordWrap(True)
        self.setFont(text_font(11))
        self.setTextFormat(Qt.TextFormat.RichText)
        self.setObjectName("quiet")
        self.setAccessibleName(tr("What each option would do"))
        flags = Qt.TextInteractionFlag
        self.setTextInteractionFlags(flags.LinksAccessibleByMouse | flags.LinksAccessibleByKeyboard)
        self.linkActivated.connect(self._show)
        self.hide()

    @property
    def words(self) -> Mapping[str, str]:
        """What is said of each option, by its id; empty until it is known."""
        return {id: effect.words for id, effect in self._effects.items()}

    def show_item(self, item: Item | None) -> None:
        """Say what the options of an item would do; nothing for None or an item without options."""
        self._item, self._effects = item, {}
        self.setVisible(item is not None and bool(item.options))
        self.setText("")
        self._ask()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._ask()

    def _ask(self) -> None:
        """Ask for what the options would do, unless nobody sees it or it is known."""
        if self._item is not None and self._item.options and self.isVisible() and not self._effects:
            self._session.find_effects(self._item, self._on_found)

    def _on_found(self, key: str, effects: Mapping[str, OptionEffect]) -> None:
        item = self._item
        if item is None or item.key != key:
            return
        self._effects = effects
        lines = [_ONLY_DECISIONS] if all(effect.kind == "records" for effect in effects.values()) else []
        for option in item.options:
            effect = effects.get(option.id)
            if effect is not None and lines != [_ONLY_DECISIONS]:
                title = option.title.rstrip("…")
                link = tr(' <a href="{id}">show</a>', id=escape(option.id)) if effect.changes.files else ""
                lines.append(f"<b>{escape(title)}</b>: {escape(effect.words)}.{link}")
        style = f"<style>a {{ color: {theme().mine}; }}</style>"
        self.setText(style + "<br>".join(lines))

    def _show(self, option_id: str) -> None:
        item, effect = self._item, self._effects.get(option_id)
        option = next((option for option in item.options if option.id == option_id), None) if item else None
        crossing = self._session.crossing
        if item is None or effect is None or option is None or crossing is None:
            return
        OptionPreview(self, crossing, f"{option.title}: {item.title}", effect).exec()
