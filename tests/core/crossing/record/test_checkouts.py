"""Files that version control keeps read-only: named before anything is written, checked out by a command, or made writable."""

from __future__ import annotations

import stat
from pathlib import Path

import pytest

from fernshale.core.base.errors import CommandError, MisuseError
from fernshale.core.base.work import Work
from fernshale.core.crossing.record.checkouts import CHECKOUT, CheckoutRule, ReadOnlyFiles, check_rule
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.logbook import go_back_to, redo, undo
from fernshale.core.crossing.stages.overview import inspect
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import Wick, cross_wick, make_wick

# A stand-in for version control: it makes the listed files writable, and notes what it was asked.
_TOOL = """\
#!/bin/sh
echo "$1: $(cat "$2" | tr '\\n' ' ')" >> "$(dirname "$0")/asked"
[ -e "$(dirname "$0")/refuse-$1" ] && { echo "no connection"; exit 3; }
while read -r file; do
    if [ "$1" = before ] && [ -e "$file" ]; then chmod u+w "$file"; fi
done < "$2"
"""


def _begin(tree: Tree) -> tuple[Wick, Crossing]:
    """A crossing of a project whose files are all read-only."""
    wick = make_wick(tree)
    for path in wick.project.rglob("*"):
        if path.is_file():
            path.chmod(0o444)
    return wick, cross_wick(wick)


def _tool(tree: Tree) -> Path:
    tool = tree("tool", {"keep": _TOOL}) / "keep"
    tool.chmod(0o755)
    return tool


def _is_writable(path: Path) -> bool:
    return bool(path.stat().st_mode & stat.S_IWUSR)


def test_without_an_answer_the_files_are_named_and_nothing_is_written(tree: Tree) -> None:
    wick, crossing = _begin(tree)
    before = listing(wick.project)
    with pytest.raises(ReadOnlyFiles, match=r"cannot be written: .*candle.ini") as caught:
        act(crossing, "engine:sites", "apply")
    assert "candle.ini" in caught.value.paths and listing(wick.project) == before
    assert not [entry for entry in crossing.logbook() if entry.changes]
    (item,) = (item for item in inspect(crossing, Work()).items if item.key == "survey:read-only")
    assert "files of the project are read-only" in item.title and "candle.ini" in item.detail and not item.needs_you


def test_steps_may_make_them_writable_and_undo_makes_them_read_only_again(tree: Tree) -> None:
    wick, crossing = _begin(tree)
    before = listing(wick.project)
    act(crossing, "survey:read-only", "writable")
    act(crossing, "engine:sites", "apply")
    assert "wick = 2.0" in (wick.project / "candle.ini").read_text() and _is_writable(wick.project / "candle.ini")
    assert not _is_writable(wick.project / "game.py")
    assert not [item for item in inspect(crossing, Work()).items if item.key == "survey:read-only"]
    entry = next(entry for entry in crossing.logbook() if entry.changes)
    undo(crossing, entry.id, Work())
    assert listing(wick.project) == before
    redo(crossing, entry.id, Work())
    assert "wick = 2.0" in (wick.project / "candle.ini").read_text()


def test_a_command_gets_the_files_before_and_after_each_step(tree: Tree) -> None:
    wick, crossing = _begin(tree)
    tool = _tool(tree)
    act(crossing, "survey:read-only", "command", text=f"{tool} {{phase}} {{list}}")
    act(crossing, "plugin:snuffer", "take")
    asked = (tool.parent / "asked").read_text().splitlines()
    assert [line.split(":")[0] for line in asked] == ["before", "after"]
    assert "addons/snuffer/snuffer.py" in asked[0] and "candle.ini" not in asked[0]
    merged = wick.project / "addons/snuffer/snuffer.py"
    assert "step_8 = 80" in merged.read_text() and "step_0 = 'mine'" in merged.read_text() and _is_writable(merged)
    entry = next(entry for entry in crossing.logbook() if entry.changes)
    undo(crossing, entry.id, Work())
    assert "step_8 = 8\n" in merged.read_text()
    first = crossing.logbook()[0].id
    go_back_to(crossing, first, Work())


def test_a_step_is_not_written_where_the_command_fails_or_does_nothing(tree: Tree) -> None:
    wick, crossing = _begin(tree)
    tool = _tool(tree)
    act(crossing, "survey:read-only", "command", text=f"{tool} {{phase}} {{list}}")
    before = listing(wick.project)
    (tool.parent / "refuse-before").touch()
    with pytest.raises(CommandError, match="status 3 before the step: no connection"):
        act(crossing, "engine:sites", "apply")
    crossing.keep(CHECKOUT, CheckoutRule("command", "true {list}"))
    with pytest.raises(ReadOnlyFiles):
        act(crossing, "engine:sites", "apply")
    assert listing(wick.project) == before and not [entry for entry in crossing.logbook() if entry.changes]
    # What fails afterwards is told, and the step stays and can be undone.
    crossing.keep(CHECKOUT, CheckoutRule("command", f"{tool} {{phase}} {{list}}"))
    (tool.parent / "refuse-before").rename(tool.parent / "refuse-after")
    with pytest.raises(CommandError, match="after the step"):
        act(crossing, "engine:sites", "apply")
    assert "wick = 2.0" in (wick.project / "candle.ini").read_text()
    assert [entry.can_undo for entry in crossing.logbook() if entry.changes] == [True]


def test_a_checkout_that_also_changes_a_file_stops_the_step(tree: Tree) -> None:
    wick, crossing = _begin(tree)
    crossing.keep(
        CHECKOUT, CheckoutRule("command", "sh -c 'chmod u+w candle.ini; echo \"; synced\" >> candle.ini' {list}")
    )
    with pytest.raises(Exception, match=r"candle\.ini"):
        act(crossing, "engine:sites", "apply")
    assert (wick.project / "candle.ini").read_text().endswith("; synced\n")


@pytest.mark.parametrize("command", ["keep", "keep '{list}", ""])
def test_a_command_that_cannot_work_is_refused_when_it_is_typed(command: str) -> None:
    with pytest.raises(MisuseError):
        check_rule(CheckoutRule("command", command))
    check_rule(CheckoutRule("command", "keep {list}"))
    check_rule(CheckoutRule("writable"))
