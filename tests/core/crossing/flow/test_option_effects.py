"""What an option would do is what it does; finding out changes nothing."""

from __future__ import annotations

from pathlib import Path

import pytest

from fernshale.core.base.data_folder import home
from fernshale.core.base.dry_run import WouldRun, WouldWrite, before_running, before_writing, dry_run
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.crossing.flow.actions import carry_out
from fernshale.core.crossing.flow.option_effects import find_effects, preview_action
from fernshale.core.crossing.record.actions import Author, Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import undo
from fernshale.core.crossing.stages.build.actions import RunBuild
from fernshale.core.crossing.stages.overview import inspect
from fernshale.core.crossing.stages.survey.actions import AssignRole
from tests.conftest import Tree, listing
from tests.engines import begin_engine
from tests.rush import begin_rush
from tests.wick import begin_wick

_OLD = {"include/rush.hpp": "struct Lamp { int glow(); };\n"}
_NEW = {"include/rush.hpp": "struct Lamp { int shine(); };\n"}
_GAME = {"src/a.cpp": '#include "rush.hpp"\nint one(Lamp& lamp) { return lamp.glow(); }\n'}
_CROSSINGS = {
    "wick": lambda tree: begin_wick(tree)[1],
    "rush": lambda tree: begin_engine(tree, _OLD, _NEW, _GAME, "true"),
    "knots": begin_rush,
}


def _everything(crossing: Crossing) -> tuple[object, ...]:
    """The project, the record and the user's data, apart from what reading leaves."""
    record = listing(crossing.folder)
    return listing(crossing.setup.project), crossing.logbook(), crossing.decisions(), sorted(record), _data()


def _data() -> list[str]:
    return sorted(str(path) for path in home().rglob("*") if path.is_file() and "drift" not in path.parts)


@pytest.mark.parametrize("name", _CROSSINGS)
def test_every_option_of_every_item_does_what_was_said(tree: Tree, name: str) -> None:
    crossing = _CROSSINGS[name](tree)
    overview = inspect(crossing, Work())
    before = _everything(crossing)
    effects = {item.key: find_effects(crossing, overview.scan, item, CancelToken()) for item in overview.items}
    assert _everything(crossing) == before
    assert effects and all(
        len(effects[item.key]) == len({option.id for option in item.options}) for item in overview.items
    )
    tried = 0
    for item in overview.items:
        for option in item.options:
            effect = effects[item.key][option.id]
            assert effect.words and (effect.kind == "writes") == bool(effect.changes.changes)
            if effect.kind not in ("writes", "records") or option.asks:
                continue
            steps = len(crossing.logbook())
            carry_out(crossing, option.action, Author("test"), Work())
            written = [entry for entry in crossing.logbook()[steps:] if entry.changes]
            assert [entry.changes.changes for entry in written if entry.changes][:1] == (
                [effect.changes.changes] if effect.kind == "writes" else []
            ), option.title
            tried += 1
            for entry in reversed(written):
                undo(crossing, entry.id, Work())
            for key in set(crossing.decisions()) - set(before[2]):  # type: ignore[call-overload]
                crossing.withdraw(key)
            break  # the others belong to the state before this one
    assert tried


def test_commands_are_named_and_do_not_run(tree: Tree) -> None:
    crossing = begin_engine(tree, _OLD, _NEW, _GAME, "touch {project}/src/made && false")
    overview = inspect(crossing, Work())
    effect = preview_action(crossing, overview.scan, RunBuild(), CancelToken())
    assert effect.kind == "runs" and "touch" in effect.words
    assert not (crossing.setup.project / "src/made").exists() and not crossing.logbook()[1:]


def test_what_a_dry_run_would_write_elsewhere_is_not_written(tree: Tree) -> None:
    _, crossing = begin_wick(tree)
    overview = inspect(crossing, Work())
    before = _everything(crossing)
    with dry_run():
        with pytest.raises(WouldWrite):
            before_writing(Path("x"))
        with pytest.raises(WouldRun):
            before_running(("sh",))
    role = AssignRole(TreePath("game.py"), "asset")
    assert preview_action(crossing, overview.scan, role, CancelToken()).kind == "records"
    assert preview_action(crossing, overview.scan, Choose("note:x", "dealt"), CancelToken()).kind == "records"
    assert _everything(crossing) == before
