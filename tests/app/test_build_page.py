"""The Build page in the real window: what is used of what changed, proposals to choose from, learning, debts."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from fernshale.app.pages.build import BuildPage
from fernshale.app.pages.build.rows import cause_row
from fernshale.app.widgets.rows import Row
from fernshale.app.window import MainWindow
from fernshale.core.base.work import Work
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree
from tests.crossing_steps import act
from tests.engines import begin_engine
from tests.wick import Wick, cross_wick, make_silent_wick, make_wick

_OLD = "def light_up(room, hour):\n    return lamps.find(room).burn(hour)\n"
_GAME = "import wick\nwick.light_up('hall', 3)\nwick.light_up('cellar', 4)\n\n\ndef play():\n    wick.light_up(1, 2)\n"


def _open(tree: Tree, window: MainWindow, qtbot: QtBot, new: str, builds: bool = True) -> tuple[Wick, BuildPage]:
    """A game on its way to a Wick whose notes tell nothing, pointed at it, and built."""
    wick = make_silent_wick(tree, _OLD, new, _GAME)
    crossing = cross_wick(wick)
    for key, way in (("engine:sites", "apply"), *([("build:run", "build")] if builds else [])):
        act(crossing, key, way)
    return wick, _show(crossing, window, qtbot)


def _show(crossing: Crossing, window: MainWindow, qtbot: QtBot) -> BuildPage:
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        window.session.resume(crossing)
    window.show_stage(Stage.BUILD)
    page = window.pages[Stage.BUILD]
    assert isinstance(page, BuildPage)
    return page


def _rows(page: BuildPage) -> list[str]:
    model = page._causes.model()
    return [str(model.data(model.index(row, 0), Qt.ItemDataRole.DisplayRole)) for row in range(model.rowCount())]


def test_what_the_code_uses_of_what_changed_is_listed_before_the_first_build(
    tree: Tree, window: MainWindow, qtbot: QtBot
) -> None:
    _, page = _open(tree, window, qtbot, _OLD.replace("light_up", "kindle"), builds=False)
    assert any("light_up → kindle" in row for row in _rows(page))
    page._causes.select(next(row.payload for row in page._causes.rows() if "kindle" in row.title))
    text = page._code.plain_text
    assert "before function wick.light_up(room, hour)" in text and "after function wick.kindle(room, hour)" in text
    assert not page._everywhere.isVisible()


def test_proposals_are_chosen_by_keyboard_and_applied(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    new = _OLD.replace("light_up", "light_in") + _OLD.replace("light_up", "light_on")
    wick, page = _open(tree, window, qtbot, new)
    assert page._fix_row.isVisible() and page._fixes.count() == 2
    first = page._card.title.text()
    page._causes.setFocus()
    qtbot.keyClick(page._causes, Qt.Key.Key_Down, Qt.KeyboardModifier.AltModifier)
    assert page._card.title.text() != first and "2 of 2" in page._fixes.currentText()
    chosen = page._card.title.text().split(" → ")[1]
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        page._everywhere.click()
    assert (wick.project / "game.py").read_text().count(f"wick.{chosen}(") == 3


def test_a_change_by_hand_is_offered_and_a_function_set_aside_and_put_back(
    tree: Tree, window: MainWindow, qtbot: QtBot
) -> None:
    others = "".join(f"def {name}(berth):\n    return berth\n" for name in ("moor", "cast", "haul"))
    wick, page = _open(tree, window, qtbot, f"def glow(strength, place):\n    return strength\n{others}")
    game = wick.project / "game.py"
    assert "proposes the same change for the others" in page._hint.text() and page._switch_off.isVisible()
    game.write_text(game.read_text().replace("wick.light_up('hall', 3)", "wick.glow(3, 'hall')"))
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        window.session.refresh()
    assert "as you changed it in game.py:2" in page._code.plain_text
    assert "wick.glow(4, 'cellar')" in page._code.plain_text
    page._at = next(edit for edit in page._current()[1].edits if edit.line == 3)  # type: ignore[union-attr]
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        page._here.click()
    assert "wick.glow(4, 'cellar')" in game.read_text() and "wick.light_up(1, 2)" in game.read_text()
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        page._switch_off_part("function")
    assert "raise NotImplementedError" in game.read_text()
    assert any(row.startswith("play() switched off") for row in _rows(page))
    titles = [action.title for action in window._actions()]
    assert "Switch on: play() switched off" in titles and any(title.startswith("Build and fix") for title in titles)
    page._causes.select(next(row.payload for row in page._causes.rows() if row.title.startswith("play()")))
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        page._return.click()
    assert "wick.light_up(1, 2)" in game.read_text() and not any("left out" in row for row in _rows(page))


def test_another_default_is_settled_on_the_page_by_its_number(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    old = "def light_up(room, hour, glow=1):\n    return lamps.find(room).burn(hour, glow)\n"
    wick = make_silent_wick(tree, old, old.replace("glow=1", "glow=2"), _GAME)
    crossing = cross_wick(wick)
    act(crossing, "engine:sites", "apply")
    page = _show(crossing, window, qtbot)
    assert page.finding.accessibleName().endswith("1 change compiles and means something else.")
    (open_item,) = (item for item in window.session.overview.items if item.key.startswith("default:"))  # type: ignore[union-attr]
    page.go_to(open_item)
    assert "was 1 and is 2" in page._code.plain_text and "wick.light_up('hall', 3, 1)" in page._code.plain_text
    assert page._noted.isVisible() and not page._here.isVisible()
    page._causes.setFocus()
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        qtbot.keyClick(page._causes, Qt.Key.Key_1)
    assert (wick.project / "game.py").read_text() == _GAME.replace(", 3)", ", 3, 1)").replace(
        ", 4)", ", 4, 1)"
    ).replace("2)", "2, 1)")
    assert not any(item.key == open_item.key for item in window.session.overview.items)  # type: ignore[union-attr]
    assert not page._noted.isVisible()


def test_what_is_missing_with_a_plugin_that_is_set_aside_is_told_and_brought_back(
    tree: Tree, window: MainWindow, qtbot: QtBot
) -> None:
    wick = make_wick(tree)
    check = wick.shelf / "wick/2.0/check.py"
    words = "print(f\"{sys.argv[1]}/game.py:1:1: error: ModuleNotFoundError: No module named 'snuffer'\")"
    check.write_text(
        f"import pathlib, sys\nif not pathlib.Path(sys.argv[1], 'addons/snuffer').exists():\n    {words}\n    sys.exit(1)\n"
    )
    crossing = cross_wick(wick)
    for key, way in (
        ("route:2.0:snuffer", "aside"),
        ("aside:snuffer", "aside"),
        ("engine:sites", "apply"),
        ("build:run", "build"),
    ):
        act(crossing, key, way)
    page = _show(crossing, window, qtbot)
    assert "snuffer had it and is left out" in page._code.plain_text
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        page._plugin_back.click()
    assert (wick.project / "addons/snuffer/snuffer.py").exists()


def test_a_cause_is_put_off_and_taken_up_again_by_keyboard(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    _, page = _open(tree, window, qtbot, _OLD.replace("light_up", "kindle"))
    assert page._later.text() == "Not now"
    page._causes.setFocus()
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        qtbot.keyClick(page._causes, Qt.Key.Key_L)
    assert _rows(page)[0] == "Not now" and page._later.text() == "List it again"
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        page._later.click()
    assert "Not now" not in _rows(page)


@pytest.mark.parametrize("is_mine_as_well", [True, False])
def test_an_error_of_the_engine_can_always_be_looked_at(
    is_mine_as_well: bool, tree: Tree, window: MainWindow, qtbot: QtBot
) -> None:
    wick = make_silent_wick(tree, _OLD, _OLD, _GAME)
    engine = "print(f'{__file__}:1:1: error: redefinition of flag')\n"
    mine = (
        "import sys\nprint(f\"{sys.argv[1]}/game.py:2:1: error: no member named 'light_up' in 'wick'\")\n"
        if is_mine_as_well
        else ""
    )
    (wick.shelf / "wick/2.0/check.py").write_text(f"{engine}{mine}raise SystemExit(1)\n")
    crossing = cross_wick(wick)
    for key, way in (("engine:sites", "apply"), ("build:run", "build")):
        act(crossing, key, way)
    page = _show(crossing, window, qtbot)
    assert page._mine.isVisible() == is_mine_as_well
    assert any("flag" in row for row in _rows(page)) != is_mine_as_well
    assert window.session.overview is not None
    open_item = next(
        item for item in window.session.overview.items if item.key.startswith("cause:") and "flag" in item.title
    )
    page.go_to(open_item)
    assert "flag" in page._card.title.text() and any("flag" in row for row in _rows(page))


def test_five_thousand_errors_stay_smooth(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    names = [f"light_{number}" for number in range(1000)]
    wick = make_silent_wick(tree, "".join(f"def {name}():\n    return 1\n" for name in names), "x = 1\n", "")
    calls = "".join(f"wick.{name}()\n" for name in names)
    for number in range(5):
        (wick.project / f"part{number}.py").write_text("import wick\n" + calls)
    crossing = cross_wick(wick)
    for key, way in (("engine:sites", "apply"), ("build:run", "build")):
        act(crossing, key, way)
    with qtbot.waitSignal(window.session.overview_changed, timeout=120_000):
        window.session.resume(crossing)
    window.show_stage(Stage.BUILD)
    page = window.pages[Stage.BUILD]
    assert isinstance(page, BuildPage) and window.session.overview is not None
    view = window.session.overview.build
    assert view.rounds[-1].total == 5000 and len(view.causes) == 1000
    shown: list[str] = []
    for _ in range(50):
        qtbot.keyClick(page._causes, Qt.Key.Key_Down)
        QApplication.processEvents()
        shown.append(page._card.title.text())
    assert len(set(shown)) == 50


def test_where_nothing_is_built_the_page_asks_and_offers_no_build(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    old = "local Stage = {}\nfunction Stage.add_prop(stage, name)\n  table.insert(stage.props, name)\nend\nfunction Stage.flush(stage)\nend\nreturn Stage\n"
    new = old.replace("add_prop", "place").replace("function Stage.flush(stage)\nend\n", "")
    game = "local Stage = require 'stage'\nStage.add_prop(hall, 'boat')\nStage.flush(hall)\n"
    crossing = begin_engine(tree, {"stage.lua": old}, {"stage.lua": new}, {"src/main.lua": game}, "")
    act(crossing, "engine:sites", "apply")
    page = _show(crossing, window, qtbot)
    assert not page._build.isVisible() and page.finding.accessibleName().endswith(
        "Check 2 changes that no tool reports."
    )
    overview = window.session.overview
    assert overview is not None
    renamed, gone = (item for item in overview.items if item.stage is Stage.BUILD)
    page.go_to(gone)
    with qtbot.waitSignal(page.editor_wanted) as opened:
        page._edit.click()
    assert opened.args == ["src/main.lua", 3]
    page.go_to(renamed)
    assert "compiler says nothing" not in page._code.plain_text and page._everywhere.isVisible()
    for _ in (renamed, gone):
        with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
            page._noted.click()
    assert window.session.overview is not None and window.session.overview.is_done
    # A slip is taken back on the page.
    page._causes.select(next(row.payload for row in page._causes.rows() if row.title == "add_prop → place"))
    assert (
        page._later.text() == "List it again"
        and not page._everywhere.isVisible()
        and "right as it is" in page._code.plain_text
    )
    page._causes.setFocus()
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        qtbot.keyClick(page._causes, Qt.Key.Key_L)
    assert [item.key for item in window.session.overview.items] == [renamed.key]
    page.go_to(renamed)
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        page._noted.click()
    assert (crossing.setup.project / "src/main.lua").read_text() == game
    window.show_stage(Stage.TRIAL)
    assert not window.pages[Stage.TRIAL]._run.isVisible()  # type: ignore[attr-defined]


def test_proposals_are_tried_in_the_background(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    new = _OLD.replace("light_up", "light_in") + _OLD.replace("light_up", "light_on")
    wick, page = _open(tree, window, qtbot, new)
    strip = page._attempts
    assert strip.isVisible() and strip._button.text() == "Try proposals"
    before = (wick.project / "game.py").read_text()
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        strip._button.click()
        assert strip._button.text() == "Stop trying"
    assert strip._button.text() == "Try proposals" and (wick.project / "game.py").read_text() == before
    assert "tried: clears 3 of 3, brings none" in page._code.plain_text
    assert any("tried: clears 3 of 3, brings none" in row.sub for row in page._causes.rows())


def test_a_change_of_the_project_ends_an_attempt(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    new = _OLD.replace("light_up", "light_in") + _OLD.replace("light_up", "light_on")
    _, page = _open(tree, window, qtbot, new)
    session = window.session
    with qtbot.waitSignal(session.attempts.ended, timeout=30_000), qtbot.waitSignal(session.overview_changed):
        page._attempts._button.click()
        page._everywhere.click()
    assert not session.attempts.is_busy and not page._attempts._button.isEnabled()


def test_proposals_are_tried_after_each_build_where_the_user_wants_it(
    tree: Tree, window: MainWindow, qtbot: QtBot
) -> None:
    _, page = _open(tree, window, qtbot, _OLD.replace("light_up", "kindle"))
    session = window.session
    with qtbot.waitSignal(session.attempts.ended, timeout=30_000):
        page._attempts._each.click()
    qtbot.waitUntil(lambda: "tried: clears 3 of 3" in page._code.plain_text, timeout=20_000)
    assert page._attempts._each.isChecked()


def test_between_builds_a_cause_whose_lines_were_changed_clears_nothing_that_is_known(tree: Tree) -> None:
    old = {"include/rush.hpp": "struct Lamp { int glow; };\nstruct Boat { };\n"}
    new = {"include/rush.hpp": "struct Boat { };\n", "include/rush/lamp.hpp": "struct Lamp { int glow; };\n"}
    game = '#include "rush.hpp"\n\nint play() {\n    Lamp lamp;\n    return lamp.glow;\n}\n'
    build = "g++ -std=c++17 -fsyntax-only -I {engine}/include {project}/src/a.cpp"
    crossing = begin_engine(tree, old, new, {"src/a.cpp": game}, build)
    act(crossing, "engine:sites", "apply")
    act(crossing, "build:run", "build")

    def row() -> Row:
        view = next(item for item in inspect(crossing, Work()).build.causes if item.fixes)
        return cause_row(view, 1)

    assert row().right == "clears 1" and row().bar
    source = crossing.setup.project / "src/a.cpp"
    source.write_text(game.replace("    Lamp lamp;", "    Lamp lamp {};"))
    assert row().right == "" and not row().bar and row().sub.endswith("its lines were changed since the build")
