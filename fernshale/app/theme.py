"""Colours and fonts: paper-light and slate-dark, following the desktop unless told otherwise.

Fern green is mine and done, ochre is incoming, slate is the base, clay needs you; a glyph or word always goes with it.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QFont, QFontDatabase, QFontInfo, QGuiApplication, QPalette
from PySide6.QtWidgets import QApplication

from fernshale.core.base.settings import Look

ICONS = Path(__file__).parent / "icons"
# "word" and "text" are the keywords and the texts of code.
Tone = Literal["plain", "strong", "mine", "incoming", "base", "alarm", "quiet", "word", "text"]


@dataclass(frozen=True, slots=True)
class Theme:
    """The colours of one theme as CSS names."""

    background: str
    band: str
    card: str
    head: str
    edge: str
    text: str
    quiet: str
    mine: str
    mine_soft: str
    incoming: str
    incoming_soft: str
    base: str
    base_soft: str
    alarm: str
    alarm_soft: str
    track: str
    word: str

    def inks(self) -> dict[Tone, str]:
        """The colour of text in each tone."""
        return {
            "plain": self.text,
            "strong": self.text,
            "mine": self.mine,
            "incoming": self.incoming,
            "base": self.base,
            "alarm": self.alarm,
            "quiet": self.quiet,
            "word": self.word,
            "text": self.incoming,
        }

    def tone(self, tone: Tone) -> QColor:
        """The colour of text in a tone."""
        return QColor(self.inks()[tone])


LIGHT = Theme(
    background="#eef0ea",
    band="#e3e6df",
    card="#fdfdfb",
    head="#f0f2ec",
    edge="#cdd3ca",
    text="#1f2923",
    quiet="#59645d",
    mine="#24683f",
    mine_soft="#dce8df",
    incoming="#855708",
    incoming_soft="#f3e6cc",
    base="#4a6272",
    base_soft="#dbe3e8",
    alarm="#a63a22",
    alarm_soft="#fbeeea",
    track="#e2e4de",
    word="#6f4685",
)
DARK = Theme(
    background="#1f2629",
    band="#1a2023",
    card="#272f33",
    head="#2e373b",
    edge="#3d484d",
    text="#e4e8e3",
    quiet="#a8b3af",
    mine="#7fc79a",
    mine_soft="#2b4537",
    incoming="#dfb15c",
    incoming_soft="#473b22",
    base="#93b1c2",
    base_soft="#32424c",
    alarm="#f1987f",
    alarm_soft="#4a2e27",
    track="#394347",
    word="#c9a6dc",
)

LIGHT_HIGH = replace(
    LIGHT,
    background="#ffffff",
    band="#ffffff",
    card="#ffffff",
    head="#ffffff",
    edge="#1f2923",
    text="#000000",
    quiet="#2b332e",
    mine="#0b4a24",
    incoming="#5f3c00",
    base="#22384a",
    alarm="#7d1d0a",
    track="#c9ccc6",
    word="#4a1d63",
)
DARK_HIGH = replace(
    DARK,
    background="#000000",
    band="#000000",
    card="#000000",
    head="#000000",
    edge="#e4e8e3",
    text="#ffffff",
    quiet="#d6dcd8",
    mine="#a6ecc0",
    mine_soft="#103a22",
    incoming="#ffd585",
    incoming_soft="#3a2a06",
    base="#bcdcf0",
    base_soft="#152a38",
    alarm="#ffb5a2",
    alarm_soft="#431a10",
    track="#4b575d",
    word="#e3c8f2",
)

ThemeName = Literal["desktop", "light", "dark"]
_chosen: ThemeName = "desktop"
_has_high_contrast = False


def theme() -> Theme:
    """The theme in force."""
    if _has_high_contrast:
        return DARK_HIGH if is_dark() else LIGHT_HIGH
    return DARK if is_dark() else LIGHT


def choose_theme(name: ThemeName, *, has_high_contrast: bool = False) -> None:
    """Use a theme; "desktop" follows the desktop."""
    global _chosen, _has_high_contrast
    _chosen, _has_high_contrast = name, has_high_contrast


def is_dark() -> bool:
    if _chosen == "desktop":
        return QGuiApplication.styleHints().colorScheme() is Qt.ColorScheme.Dark
    return _chosen == "dark"


# The sizes of letters to choose from, 1 being the usual one.
SCALES = (0.85, 1.0, 1.15, 1.3, 1.5, 1.75, 2.0)
_scale = 1.0
_desktop_letters = 0
_USUAL = 13
# A desktop whose letters are this high, in pixels, is followed.
_LARGE = 17


def scale() -> float:
    """How much larger letters are than usual."""
    return _scale


def choose_scale(value: float) -> None:
    """Make letters larger or smaller, and what is as high as a line with them; `apply_theme` has to follow."""
    global _scale
    _scale = min(max(value, SCALES[0]), SCALES[-1])


def desktop_letters() -> int:
    """The size of the desktop's letters in pixels, as they were before the program made its own."""
    global _desktop_letters
    if not _desktop_letters:
        _desktop_letters = QFontInfo(QApplication.font()).pixelSize()
    return _desktop_letters


def use_look(look: Look, desktop_size: int) -> None:
    """Use the theme and the size of letters of the settings; `desktop_size` is that of the desktop's letters, in pixels."""
    choose_theme(look.theme, has_high_contrast=look.contrast == "high")
    as_desktop = desktop_size / _USUAL if desktop_size >= _LARGE else 1.0
    choose_scale(look.letters or as_desktop)


def scaled(pixels: float) -> int:
    """A size in pixels that goes with the size of letters."""
    return round(pixels * _scale)


def text_font(size: int = _USUAL, bold: bool = False) -> QFont:
    """The font of the interface; `size` is in pixels at the usual size of letters."""
    font = QFont(QApplication.font())
    font.setPixelSize(scaled(size))
    font.setBold(bold)
    return font


def code_font(size: int = 12) -> QFont:
    """The font of code, logs and paths."""
    font = QFontDatabase.systemFont(QFontDatabase.SystemFont.FixedFont)
    font.setPixelSize(scaled(size))
    return font


def apply_theme(app: QApplication) -> None:
    """Dress the application in the theme in force."""
    colours = theme()
    font = QFont(app.font())
    font.setPixelSize(scaled(_USUAL))
    app.setFont(font)
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: colours.background,
        QPalette.ColorRole.WindowText: colours.text,
        QPalette.ColorRole.Base: colours.card,
        QPalette.ColorRole.AlternateBase: colours.head,
        QPalette.ColorRole.Text: colours.text,
        QPalette.ColorRole.Button: colours.card,
        QPalette.ColorRole.ButtonText: colours.text,
        QPalette.ColorRole.Highlight: colours.mine_soft,
        QPalette.ColorRole.HighlightedText: colours.text,
        QPalette.ColorRole.ToolTipBase: colours.card,
        QPalette.ColorRole.ToolTipText: colours.text,
        QPalette.ColorRole.PlaceholderText: colours.quiet,
        QPalette.ColorRole.Link: colours.mine,
    }
    for role, colour in roles.items():
        palette.setColor(role, QColor(colour))
    for role in (QPalette.ColorRole.Text, QPalette.ColorRole.ButtonText, QPalette.ColorRole.WindowText):
        palette.setColor(QPalette.ColorGroup.Disabled, role, QColor(colours.quiet))
    app.setPalette(palette)
    app.setStyleSheet(_style(colours))


def _style(c: Theme) -> str:
    check = "check-on-light" if QColor(c.card).lightness() > 127 else "check-on-dark"
    return f"""
    QFrame#card {{ background: {c.card}; border: 1px solid {c.edge}; }}
    QFrame#cardhead {{ background: {c.head}; border: none; border-bottom: 1px solid {c.edge}; }}
    QFrame#decision {{ background: {c.alarm_soft}; border: 1px solid {c.alarm}; }}
    QFrame#decided {{ background: {c.card}; border: 1px solid {c.edge}; }}
    QFrame#band {{ background: {c.band}; border: none; border-bottom: 1px solid {c.edge}; }}
    QFrame#question {{ background: {c.mine_soft}; border: 1px solid {c.mine}; }}
    QFrame#open {{ background: {c.card}; border: 1px solid {c.alarm}; }}
    QListWidget#chips {{ background: transparent; border: none; }}
    QListWidget#chips::item {{ background: {c.head}; border: 1px solid {c.edge}; border-radius: 12px; padding: 0 8px; }}
    QListWidget#chips::item:selected {{ background: {c.mine_soft}; border: 1px solid {c.mine}; color: {c.text}; }}
    QFrame#side {{ background: {c.card}; border: none; border-left: 1px solid {c.edge}; }}
    QFrame#foot {{ background: {c.card}; border: none; border-top: 1px solid {c.edge}; }}
    QLabel#heading {{ font-weight: bold; }}
    QLabel#quiet, QLabel#hint {{ color: {c.quiet}; }}
    QListView, QTableView, QPlainTextEdit, QTreeView {{ background: {c.card}; border: none; outline: none; }}
    QTableView {{ gridline-color: {c.track}; selection-background-color: {c.mine_soft}; selection-color: {c.text}; }}
    QHeaderView::section {{ background: {c.head}; color: {c.quiet}; border: none; border-bottom: 1px solid {c.edge};
        padding: 4px 8px; font-weight: bold; }}
    QPushButton {{ background: {c.card}; border: 1px solid {c.quiet}; border-radius: 3px; padding: 4px 10px; }}
    QPushButton:hover {{ background: {c.head}; }}
    QPushButton:focus {{ border: 1px solid {c.mine}; }}
    QPushButton:disabled {{ color: {c.quiet}; border-color: {c.edge}; }}
    QPushButton#main {{ background: {c.mine}; color: {c.card}; border: 1px solid {c.mine}; }}
    QPushButton#main:hover {{ background: {c.text}; }}
    QPushButton#main:focus {{ border: 1px solid {c.text}; }}
    QPushButton#main:disabled {{ background: {c.track}; color: {c.quiet}; border-color: {c.track}; }}
    QPushButton#link {{ border: none; color: {c.mine}; padding: 0 4px; background: transparent; text-align: left; }}
    QPushButton#link:hover, QPushButton#link:focus {{ text-decoration: underline; }}
    QLineEdit, QComboBox {{ background: {c.card}; border: 1px solid {c.edge}; border-radius: 3px; padding: 3px 6px; }}
    QLineEdit:focus, QComboBox:focus {{ border: 1px solid {c.mine}; }}
    QComboBox::drop-down {{ border: none; width: 20px; }}
    QComboBox::down-arrow {{ image: url("{ICONS.as_posix()}/down.svg"); width: 12px; height: 12px; }}
    QCheckBox::indicator {{ width: {scaled(13)}px; height: {scaled(13)}px; border: 1px solid {c.quiet}; border-radius: 2px;
        background: {c.card}; }}
    QCheckBox::indicator:focus {{ border: 1px solid {c.mine}; }}
    QCheckBox::indicator:checked {{ image: url("{ICONS.as_posix()}/{check}.svg"); }}
    QCheckBox::indicator:disabled {{ border: 1px solid {c.edge}; }}
    QSpinBox, QDoubleSpinBox {{ min-height: {scaled(22)}px; }}
    QToolButton#menu {{ background: {c.card}; border: 1px solid {c.quiet}; border-radius: 3px; padding: 4px 10px; }}
    QToolButton#menu:hover, QToolButton#menu:focus {{ border: 1px solid {c.mine}; }}
    QToolButton#menu::menu-indicator {{ image: none; }}
    QSplitter::handle {{ background: transparent; }}
    QStatusBar {{ background: {c.band}; color: {c.quiet}; border-top: 1px solid {c.edge}; }}
    QStatusBar::item {{ border: none; }}
    QAbstractScrollArea::corner {{ background: transparent; border: none; }}
    QTableView::item {{ padding: 0 8px; }}
    QTabBar {{ background: transparent; }}
    QTabBar::tab {{ background: transparent; color: {c.quiet}; padding: 3px 9px; border: none;
        border-bottom: 2px solid transparent; }}
    QTabBar::tab:selected {{ color: {c.text}; border-bottom: 2px solid {c.mine}; }}
    QTabBar::tab:hover {{ color: {c.text}; }}
    QScrollArea {{ border: none; background: transparent; }}
    QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
    QScrollBar::handle {{ background: {c.edge}; border-radius: 4px; min-height: 24px; min-width: 24px; }}
    QScrollBar::handle:hover {{ background: {c.quiet}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    QProgressBar {{ background: {c.track}; border: none; border-radius: 3px; max-height: 6px; }}
    QProgressBar::chunk {{ background: {c.mine}; border-radius: 3px; }}
    QMenu {{ background: {c.card}; color: {c.text}; border: 1px solid {c.edge}; padding: 4px; }}
    QMenu::item {{ padding: 4px 20px; }}
    QMenu::item:selected {{ background: {c.mine_soft}; }}
    QToolTip {{ background: {c.card}; color: {c.text}; border: 1px solid {c.edge}; padding: 3px; }}
    """
