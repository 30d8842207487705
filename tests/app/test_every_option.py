"""On every page, every option button of every open item does something."""

from __future__ import annotations

from collections.abc import Callable

import pytest
from PySide6.QtWidgets import QDialog, QMenu, QPlainTextEdit, QPushButton
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs import questions
from fernshale.app.pages import links as links_page
from fernshale.app.pages import trial as trial_page
from fernshale.app.pages.base import Page
from fernshale.app.pages.plugins import page as plugins_page
from fernshale.app.pages.plugins.page import PluginsPage
from fernshale.app.session import Session
from fernshale.app.window import MainWindow
from fernshale.core.base.work import Work
from fernshale.core.crossing.flow.start import begin_crossing
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.stages.links import items as links_items
from fernshale.core.profile.read import read_profile
from fernshale.sample import unpack
from tests.conftest import Tree
from tests.core.crossing.stages.links.test_links_stage import _crossing as links_crossing
from tests.core.crossing.stages.trial.test_trial_stage import _crossing as trial_crossing
from tests.crossing_steps import act
from tests.wick import begin_wick


def _sample(tree: Tree) -> Crossing:
    sample = unpack(tree("sample", {}))
    profile = read_profile(sample.profile)
    trust(profile)
    return begin_crossing(sample.project, profile, [sample.shelf], sample.target, Work())


_CROSSINGS: dict[str, Callable[[Tree], Crossing]] = {
    "begun": lambda tree: begin_wick(tree)[1],
    "the sample": _sample,
    "linked one by one": lambda tree: links_crossing(tree)[1],
    "linked together": lambda tree: links_crossing(tree)[1],
    "tried": lambda tree: trial_crossing(tree)[1],
}


def _open_editors(window: MainWindow) -> int:
    return len(window.findChildren(QPlainTextEdit))


def _card_buttons(page: Page, key: str) -> list[QPushButton]:
    """The buttons of a conflict, which are in its text."""
    cards = page._cards if isinstance(page, PluginsPage) else []
    return [button for card in cards if key == f"merge:{card.conflict.id}" for button in card.findChildren(QPushButton)]


@pytest.mark.parametrize("name", _CROSSINGS)
def test_every_option_button_does_something(
    name: str, tree: Tree, window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    if name == "linked together":
        monkeypatch.setattr(links_items, "_MANY", 1)
    crossing = _CROSSINGS[name](tree)
    if name == "begun":
        act(crossing, "build:run", "build")
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        window.session.resume(crossing)
    done: list[str] = []
    monkeypatch.setattr(Session, "_start", lambda self, title, task: done.append(title))
    monkeypatch.setattr(QDialog, "exec", lambda self: done.append("a dialog") or 0)
    monkeypatch.setattr(QMenu, "popup", lambda self, *place: done.append("a menu"))
    for module in (links_page, trial_page, plugins_page, questions):
        monkeypatch.setattr(module, "ask_why", lambda parent, title: "as agreed", raising=False)
    assert window.session.overview is not None
    seen: set[str] = set()
    for item in window.session.overview.items:
        page = window.pages[item.stage]
        window.show_stage(item.stage)
        page.visit(item)
        qtbot.wait(50)  # cards in a text get their place a moment later
        for button in page.option_buttons() or _card_buttons(page, item.key):
            if not button.isVisible():
                continue
            seen.add(item.key)
            if button.isEnabled():
                before = len(done), _open_editors(window)
                button.click()
                assert (len(done), _open_editors(window)) != before, f"{item.key}: {button.text()} does nothing"
    missed = {item.key for item in window.session.overview.items if item.options} - seen
    assert not missed
