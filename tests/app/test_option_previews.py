"""The pages say what each option would do before it is taken, and show the changes."""

from __future__ import annotations

import pytest
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.option_preview import OptionPreview
from fernshale.app.option_effects import OptionEffects
from fernshale.app.widgets.text_document import AnnotatedText
from fernshale.app.window import MainWindow
from fernshale.core.crossing.record.stage import Stage
from tests.conftest import listing


@pytest.mark.parametrize("stage", [Stage.SURVEY, Stage.ROUTE])
def test_every_item_says_what_its_options_would_do(sampled: MainWindow, qtbot: QtBot, stage: Stage) -> None:
    overview = sampled.session.overview
    assert overview is not None
    before = listing(overview.setup.project)
    sampled.show_stage(stage)
    effects = sampled.pages[stage].findChild(OptionEffects)
    assert isinstance(effects, OptionEffects)
    seen = 0
    for item in overview.items_of(stage):
        if item.options and item.key != "survey:baseline":
            sampled.pages[stage].visit(item)
            qtbot.waitUntil(
                lambda item=item: set(effects.words) == {option.id for option in item.options}, timeout=10_000
            )
            assert effects.isVisible() and all(effects.words.values())
            seen += 1
    assert seen and listing(overview.setup.project) == before


def test_the_changes_of_an_option_are_shown_line_by_line(
    sampled: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    overview = sampled.session.overview
    assert overview is not None
    page = sampled.pages[Stage.ROUTE]
    sampled.show_stage(Stage.ROUTE)
    item = next(item for item in overview.items_of(Stage.ROUTE) if "needs C++" in item.title)
    page.visit(item)
    effects = page.findChild(OptionEffects)
    assert isinstance(effects, OptionEffects)
    qtbot.waitUntil(lambda: "raise" in effects.words, timeout=10_000)
    assert 'href="raise"' in effects.text() and 'href="keep"' not in effects.text()
    shown: list[str] = []

    def read(dialog: OptionPreview) -> int:
        text = dialog.findChild(AnnotatedText)
        assert isinstance(text, AnnotatedText)
        shown.append(text.plain_text)
        return 0

    monkeypatch.setattr(OptionPreview, "exec", read)
    effects.linkActivated.emit("raise")
    assert '"standard": 17' in shown[0] and '"standard": 20' in shown[0]


def test_an_item_that_is_left_before_it_is_known_says_nothing(sampled: MainWindow, qtbot: QtBot) -> None:
    overview = sampled.session.overview
    assert overview is not None
    page = sampled.pages[Stage.ROUTE]
    sampled.show_stage(Stage.ROUTE)
    effects = page.findChild(OptionEffects)
    assert isinstance(effects, OptionEffects)
    first, *_, last = [item for item in overview.items_of(Stage.ROUTE) if item.options]
    for _ in range(5):
        page.visit(first)
        page.visit(last)
    qtbot.waitUntil(lambda: set(effects.words) == {option.id for option in last.options}, timeout=10_000)
