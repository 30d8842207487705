"""The guide in a window of its own, and the page of all keys."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from PySide6.QtCore import Qt, QUrl
from PySide6.QtGui import QDesktopServices, QImage, QTextCursor, QTextDocument
from PySide6.QtWidgets import QDialog, QHBoxLayout, QLineEdit, QSplitter, QTextBrowser, QVBoxLayout, QWidget

from fernshale.app.commands import MenuCommand, grouped
from fernshale.app.guide import chapters, guide_folder
from fernshale.app.theme import scaled
from fernshale.app.widgets.basics import button, quiet_label
from fernshale.app.widgets.rows import Row, RowList
from fernshale.core.base.texts import tr

# Pixels: the least width of a picture, and what the text has around it.
_MIN_PICTURE, _AROUND = 300, 90


class _GuideText(QTextBrowser):
    """A chapter. Links to other chapters are followed here, links to the web in a browser; wide pictures are made narrower."""

    def loadResource(self, kind: int, name: QUrl | str) -> object:
        if kind == QTextDocument.ResourceType.ImageResource.value:
            place = QUrl(name)
            path = Path(place.toLocalFile()) if place.isLocalFile() else guide_folder() / place.path()
            image = QImage(str(path))
            if not image.isNull():
                width = min(image.width(), max(_MIN_PICTURE, self.viewport().width() - _AROUND))
                return image.scaledToWidth(width, Qt.TransformationMode.SmoothTransformation)
        return super().loadResource(kind, name)


class HelpWindow(QDialog):
    """The guide: its chapters on the left, the text on the right. It stays open next to the main window."""

    def __init__(
        self, parent: QWidget | None, commands: Iterable[MenuCommand], page_keys: Iterable[MenuCommand]
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("The guide to Fernshale"))
        self.resize(1100, 720)
        self._keys = keys_as_markdown(commands, page_keys)
        column = QVBoxLayout(self)
        split = QSplitter(self)
        self._list = RowList(split, tr("Chapters"))
        self._list.set_rows(
            (*(Row(chapter.title, payload=chapter.name) for chapter in chapters()), Row(tr("All keys"), payload="keys"))
        )
        self._list.chosen.connect(self._on_chosen)
        right = QWidget(split)
        side = QVBoxLayout(right)
        side.setContentsMargins(0, 0, 0, 0)
        self._text = _GuideText(right)
        self._text.setAccessibleName(tr("The guide"))
        self._text.setOpenLinks(False)
        self._text.anchorClicked.connect(self._on_link)
        self._text.document().setDocumentMargin(18)
        side.addWidget(self._text)
        split.setSizes([240, 860])
        split.setStretchFactor(1, 1)
        column.addWidget(split, 1)
        foot = QHBoxLayout()
        foot.addWidget(quiet_label(self, tr("Find")))
        self._words = QLineEdit(self)
        self._words.setAccessibleName(tr("Find in the guide"))
        self._words.setPlaceholderText(tr("a word; Enter finds the next place in all chapters"))
        self._words.returnPressed.connect(self._find)
        foot.addWidget(self._words, 1)
        foot.addWidget(button(self, tr("Close"), self.accept))
        column.addLayout(foot)
        self._shown = ""

    @property
    def shown(self) -> str:
        """The name of the chapter that is shown."""
        return self._shown

    def show_chapter(self, name: str, heading: str = "") -> None:
        """Show a chapter, from a heading on; "keys" is the page of all keys."""
        chapter = next((item for item in chapters() if item.name == name), None)
        if chapter is not None:
            self._text.document().setBaseUrl(QUrl.fromLocalFile(f"{guide_folder()}/"))
            self._text.setMarkdown(chapter.path.read_text(encoding="utf-8"))
        elif name == "keys":
            self._text.setMarkdown(self._keys)
        else:
            return
        self._shown = name
        self._list.select(name)
        self._set_margins()
        self._text.moveCursor(QTextCursor.MoveOperation.Start)
        if heading:
            self._scroll_to(heading)

    def _set_margins(self) -> None:
        """Give headings and paragraphs room, which the reader of Markdown does not."""
        self._text.document().setDocumentMargin(18)
        block = self._text.document().begin()
        while block.isValid():
            if not QTextCursor(block).currentTable():
                shape = block.blockFormat()
                shape.setTopMargin(scaled(14 if shape.headingLevel() else 3))
                shape.setBottomMargin(scaled(5))
                QTextCursor(block).setBlockFormat(shape)
            block = block.next()

    def _scroll_to(self, heading: str) -> None:
        block = self._text.document().begin()
        while block.isValid():
            if block.blockFormat().headingLevel() and block.text().strip() == heading:
                self._text.setTextCursor(QTextCursor(block))
                layout = self._text.document().documentLayout()
                self._text.verticalScrollBar().setValue(round(layout.blockBoundingRect(block).top()) - 12)
                return
            block = block.next()

    def _on_chosen(self, payload: object) -> None:
        if isinstance(payload, str) and payload != self._shown:
            self.show_chapter(payload)

    def _on_link(self, link: QUrl) -> None:
        target = Path(link.path())
        if link.scheme() in ("http", "https"):
            QDesktopServices.openUrl(link)
        elif target.suffix == ".md" and any(item.name == target.stem for item in chapters()):
            self.show_chapter(target.stem)
        elif target.suffix == ".png":
            QDesktopServices.openUrl(QUrl.fromLocalFile(str((guide_folder() / target).resolve())))

    def _find(self) -> None:
        """Find the next place of the words, in the chapters after this one too."""
        words = self._words.text()
        if not words or self._text.find(words):
            return
        names = [item.name for item in chapters()]
        at = names.index(self._shown) if self._shown in names else -1
        for name in (*names[at + 1 :], *names[: at + 1]):
            self.show_chapter(name)
            if self._text.find(words):
                return


def keys_as_markdown(commands: Iterable[MenuCommand], page_keys: Iterable[MenuCommand]) -> str:
    """A page with all keys by their groups."""
    lines = [tr("# All keys"), ""]
    for area, items in grouped(item for item in commands if item.keys).items():
        lines += [f"## {area}", "", *_table(items)]
    lines += [tr("## While a page has the focus"), "", *_table(page_keys)]
    return "\n".join(lines)


def _table(commands: Iterable[MenuCommand]) -> list[str]:
    rows = [f"| {' or '.join(item.keys)} | {item.title.rstrip('…')} |" for item in commands]
    return [tr("| key | does |"), "|---|---|", *rows, ""]
