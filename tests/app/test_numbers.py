"""Every number on the screen is that of the state: three crossings, all pages, after every step."""

from __future__ import annotations

import re
from functools import partial

import pytest
from pytestqt.qtbot import QtBot

from fernshale.app.pages.build import BuildPage
from fernshale.app.pages.links import LinksPage
from fernshale.app.window import MainWindow
from fernshale.core.crossing.flow.actions import parse_action
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.stage import STAGES, Stage
from fernshale.core.crossing.record.trust import trust
from fernshale.core.crossing.stages.overview import Overview
from fernshale.core.profile.read import read_profile
from tests.conftest import Tree
from tests.engines import begin_engine
from tests.rush import begin_rush
from tests.wick import cross_wick, make_wick

_OLD = {"include/rush.hpp": "struct Lamp { int glow(); int dim(int by); };\nstruct Buoy { };\nstruct Rope { };\n"}
_NEW = {"include/rush.hpp": "struct Lamp { int shine(); int dim(int by, int how); };\nstruct Hawser { };\n"}
_GAME = {
    "src/a.cpp": '#include "rush.hpp"\nint one(Lamp& lamp) { return lamp.glow() + lamp.dim(1); }\nRope rope;\n',
    "src/b.cpp": '#include "rush.hpp"\nint two(Lamp& lamp) { return lamp.glow(); }\nBuoy buoy;\nRope other;\n',
}
_BUILD = "cd {project}/src && for file in a b; do g++ -std=c++17 -fsyntax-only -I {engine}/include $file.cpp || bad=1; done; test -z $bad"


def _wick(tree: Tree) -> Crossing:
    wick = make_wick(tree)
    new = wick.shelf / "snuffer/2/snuffer.py"
    new.write_text(new.read_text().replace("step_0 = 0", "step_0 = 'vendor'"))
    return cross_wick(wick)


_CROSSINGS = {
    "wick": _wick,
    "rush": lambda tree: begin_engine(tree, _OLD, _NEW, _GAME, _BUILD),
    "knots": begin_rush,
}


def _numbers(text: str) -> list[int]:
    return [int(found) for found in re.findall(r"(?<![\w.])\d+(?![\w.]*\d)", text)]


def _number(words: str, text: str) -> int:
    """The number before some words; 0 if they are not there."""
    found = re.search(rf"(\d+) {words}", text)
    return int(found[1]) if found else 0


def _hold(window: MainWindow, qtbot: QtBot) -> None:
    """Hold what every page shows against the state."""
    overview = window.session.overview
    assert overview is not None
    items = overview.items
    needs = sum(item.needs_you for item in items)
    rows = [row.payload for row in window.items.rows()]
    assert rows == list(items)
    for text in (window._items_head.text(), window._side_strip.text()):
        assert _number("open item", text) == len(items) and _number("needs? you|need you", text) == needs, text
    told = dict(part.split(": ") for part in window.band.accessibleDescription().split("; "))
    assert {stage: _number("open", words) for stage, words in told.items()} == {
        stage.value: len(overview.items_of(stage)) for stage in STAGES
    }
    assert sum(len(overview.items_of(stage)) for stage in STAGES) == len(items)
    for stage in STAGES:
        window.show_stage(stage)
        assert window.pages[stage].isVisible()
    _hold_build(window, overview)
    _hold_plugins(window, overview)
    _hold_links(window, overview)
    window.show_view(window.report)
    qtbot.waitUntil(lambda: bool(window.report.finding.accessibleName()))
    said = window.report.finding.accessibleName()
    assert _number("items? (?:is|are) open", said) == len(items) or not items, said
    window.show_view(window.debts)
    owed = len(window.debts._list.rows())
    assert _number("debt", window.debts.finding.accessibleName()) == owed
    assert _numbers(window._debts_button.text()) == ([owed] if owed else [])


def _hold_build(window: MainWindow, overview: Overview) -> None:
    page, view = window.pages[Stage.BUILD], overview.build
    assert isinstance(page, BuildPage)
    page._mine.setChecked(False)
    said, rows = page.finding.accessibleName(), page._causes.rows()
    causes = {item.key: item for item in view.causes}
    shown = {row.payload.key: row for row in rows if row.payload is not None and row.payload.key in causes}  # type: ignore[attr-defined]
    assert shown.keys() == causes.keys()
    if view.rounds and not view.passed and view.rounds[-1].total:
        assert (
            _number("errors? from", said) == view.rounds[-1].total == sum(item.cause.count for item in causes.values())
        )
        assert _number("causes?", said) == len(causes)
    sure = [row for row in shown.values() if "high confidence" in row.sub]
    assert _number("high-confidence", said) == len(view.automatic)
    clears = re.search(r"would clear (\d+)", said)
    assert (int(clears[1]) if clears else 0) == sum(
        _number("", row.right.removeprefix("clears ") + " ") for row in sure
    )
    assert page._apply_fixes.isHidden() == (not view.automatic)
    assert not view.automatic or _numbers(page._apply_fixes.text()) == [len(view.automatic)]
    for key, row in shown.items():
        # What was done says so, and asks for nobody.
        if causes[key].is_settled:
            assert "no fix found" not in row.sub and key not in {item.key for item in overview.items}
    silent = len(view.silent) + len(view.defaults)
    assert _number("changes? (?:compiles?|that)", said) in (silent, 0)


def _hold_plugins(window: MainWindow, overview: Overview) -> None:
    said = window.pages[Stage.PLUGINS].finding.accessibleName()
    if edits := _number("edits? of yours", said):
        parts = ("kept", "already in", "to decide", "dropped by")
        assert sum(_number(words, said) for words in parts) == edits, said
        open_ = [item for item in overview.items_of(Stage.PLUGINS) if item.key.startswith("merge:")]
        assert bool(_number("to decide", said)) == bool(open_)


def _hold_links(window: MainWindow, overview: Overview) -> None:
    page, view = window.pages[Stage.LINKS], overview.links
    assert isinstance(page, LinksPage)
    said = page.finding.accessibleName()
    assert _number("missing reference", said) == len(view.missing)
    if view.missing:
        named = {item.id for item in view.missing}
        assert named <= {word for row in page._list.rows() for word in (row.title, *row.title.split())}


@pytest.mark.parametrize("name", _CROSSINGS)
def test_what_is_shown_is_what_is(name: str, tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    def after(act: object) -> None:
        with qtbot.waitSignal(window.session.overview_changed, timeout=60_000):
            act()  # type: ignore[operator]
        qtbot.waitUntil(lambda: not window.session.runner.is_busy, timeout=60_000)
        _hold(window, qtbot)

    crossing = _CROSSINGS[name](tree)
    trust(read_profile(crossing.setup.profile))
    after(partial(window.session.resume, crossing))
    seen: set[tuple[str, str]] = set()
    for _ in range(40):
        assert window.session.overview is not None
        left = [
            (item, option)
            for item in window.session.overview.items
            for option in item.options[:1]
            if (item.key, option.id) not in seen and not option.asks and not option.confirm
        ]
        if not left:
            break
        item, option = left[0]
        seen.add((item.key, option.id))
        after(partial(window.session.carry_out, parse_action(item.key, option.id), item.title, "as a test"))
    assert len(seen) >= 2
