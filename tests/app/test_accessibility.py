"""Every control has a name and a role in the accessibility tree, can be reached by keyboard, and can be read."""

from __future__ import annotations

import re
from dataclasses import fields
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QAccessible
from PySide6.QtWidgets import QAbstractButton, QApplication, QDialog, QWidget
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.opened_file import OpenedFileDialog
from fernshale.app.dialogs.release_changes import ComparisonFolders, ReleaseChangesDialog
from fernshale.app.dialogs.settings import SettingsDialog
from fernshale.app.dialogs.snapshots import StoreDialog
from fernshale.app.theme import DARK, DARK_HIGH, LIGHT, LIGHT_HIGH, Theme, _style
from fernshale.app.widgets.band import RouteBand
from fernshale.app.window import MainWindow
from fernshale.core.base.settings import settings
from fernshale.core.crossing.record.stage import STAGES
from fernshale.core.snapshot.store import Store, default_store
from tests.app.accessible_tree import shown_below
from tests.wick import Wick

_INKS = ("text", "quiet", "mine", "incoming", "base", "alarm", "word")
_PAPERS = ("background", "band", "card", "head", "mine_soft", "incoming_soft", "base_soft", "alarm_soft")


def _faults(top: QWidget) -> list[str]:
    """Controls without a name or a role, by what they are."""
    found = []
    for item in shown_below(top):
        state, role = item.state(), item.role()
        is_control = state.focusable or role in (QAccessible.Role.Button, QAccessible.Role.CheckBox)
        name = item.text(QAccessible.Text.Name)
        if is_control and (not name.strip() or role is QAccessible.Role.NoRole):
            made = item.object()
            found.append(f"{type(made).__name__} {role.name} {name!r} {made.objectName() if made else ''}")
    for widget in top.findChildren(QWidget):
        paints_itself = "paintEvent" in type(widget).__dict__ and not isinstance(widget, QAbstractButton)
        is_ours = type(widget).__module__.startswith("fernshale") and widget.isVisible()
        if is_ours and paints_itself and not widget.accessibleName() and not getattr(widget, "text", None):
            found.append(f"{type(widget).__name__} is painted and has no name")
    return found


def test_every_control_of_every_page_has_a_name_and_a_role(sampled: MainWindow) -> None:
    assert _faults(sampled) == []
    for stage in STAGES:
        sampled.show_stage(stage)
        assert not _faults(sampled), (stage, _faults(sampled))
    for view in (sampled.report, sampled.debts):
        sampled.show_view(view)
        assert _faults(sampled) == []


def test_every_dialog_too(opened: MainWindow, wick: Wick, qtbot: QtBot) -> None:
    opened._to_start()
    assert _faults(opened) == []
    rules = wick.shelf / "notes.rules.toml"
    dialogs: list[QDialog] = [
        SettingsDialog(opened, settings()),
        StoreDialog(opened, Store(default_store())),
        OpenedFileDialog(opened, rules),
        ReleaseChangesDialog(opened, ComparisonFolders()),
        opened.help.window,
    ]
    for dialog in dialogs:
        dialog.show()
        qtbot.waitUntil(dialog.isVisible)
        qtbot.waitUntil(lambda dialog=dialog: not getattr(dialog, "is_busy", False), timeout=20_000)
        assert _faults(dialog) == [], type(dialog).__name__
        dialog.close()


def test_stops_and_knots_of_the_band_are_buttons_with_their_state(sampled: MainWindow) -> None:
    tree = QAccessible.queryAccessibleInterface(sampled.band)
    stops = [tree.child(number) for number in range(tree.childCount())]
    named = {item.text(QAccessible.Text.Name).split(":")[0]: item for item in stops if not item.state().invisible}
    assert set(named) == {stage.value for stage in STAGES}
    sampled.show_stage(STAGES[2])
    assert named["Plugins"].state().checked and not named["Survey"].state().checked
    chosen: list[object] = []
    sampled.band.stage_chosen.connect(chosen.append)
    next(
        item for item in sampled.band.findChildren(QAbstractButton) if item.accessibleName().startswith("Links")
    ).click()
    assert chosen == [STAGES[5]]


def test_the_tab_key_goes_round_every_page_and_shows_where_it_is(sampled: MainWindow, qtbot: QtBot) -> None:
    for stage in STAGES:
        sampled.show_stage(stage)
        seen: list[QWidget] = []
        for _ in range(120):
            qtbot.keyClick(QApplication.focusWidget() or sampled, Qt.Key.Key_Tab)
            here = QApplication.focusWidget()
            assert here is not None and here.isVisible(), stage
            if here in seen:
                break
            seen.append(here)
        assert any(isinstance(item, RouteBand) for item in seen), stage
        reachable = {
            item for item in sampled.pages[stage].findChildren(QAbstractButton) if item.isVisible() and item.isEnabled()
        }
        tabbed = {item for item in reachable if item.focusPolicy() & Qt.FocusPolicy.TabFocus}
        assert reachable == tabbed, [item.text() for item in reachable - tabbed]


def _luminance(colour: str) -> float:
    """The relative luminance of `#rrggbb`, as the Web Content Accessibility Guidelines 2.1 define it."""
    parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    red, green, blue = (part / 12.92 if part <= 0.03928 else ((part + 0.055) / 1.055) ** 2.4 for part in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def _contrast(one: str, other: str) -> float:
    low, high = sorted((_luminance(one), _luminance(other)))
    return (high + 0.05) / (low + 0.05)


@pytest.mark.parametrize(
    ("theme", "least"),
    [(LIGHT, 4.5), (DARK, 4.5), (LIGHT_HIGH, 7.0), (DARK_HIGH, 7.0)],
    ids=["light", "dark", "light+", "dark+"],
)
def test_every_ink_can_be_read_on_every_paper(theme: Theme, least: float) -> None:
    assert {item.name for item in fields(Theme)} >= {*_INKS, *_PAPERS}
    low = {
        (ink, paper): round(ratio, 2)
        for ink in _INKS
        for paper in _PAPERS
        if (ratio := _contrast(getattr(theme, ink), getattr(theme, paper)))
        < (least if ink in ("text", "quiet") else 4.5)
    }
    assert low == {}
    for filled in ("mine", "alarm", "base", "quiet"):  # white words on a button, a diamond, a flag
        assert _contrast(theme.card, getattr(theme, filled)) >= 4.5, filled


def test_a_box_to_check_has_an_edge_that_is_seen_in_every_theme() -> None:
    for colours in (LIGHT, DARK, LIGHT_HIGH, DARK_HIGH):
        assert _contrast(colours.quiet, colours.card) >= 3  # of parts that are not text, WCAG 2.2, 1.4.11
        (mark,) = re.findall(r"QCheckBox::indicator:checked \{ image: url\(\"(.*)\"\)", _style(colours))
        (ink,) = re.findall(r'stroke="(#\w+)"', Path(mark).read_text())
        assert _contrast(ink, colours.card) >= 4.5
