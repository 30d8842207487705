"""Rules that change certain lines."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.rules import LineChange, LinesRule

_LINE = st.text("ab_1 .('\"\té\f\u2028", max_size=12)
_PATH = TreePath("src/a.rs")


def _rule(*changes: LineChange) -> LinesRule:
    return LinesRule("r", "w", changes=changes)


@given(st.lists(_LINE, min_size=1, max_size=6), st.data(), st.sampled_from(("\n", "\r\n")))
def test_the_lines_become_what_is_asked_and_no_other_does(lines: list[str], data: st.DataObject, end: str) -> None:
    wanted = {at: data.draw(_LINE) for at in data.draw(st.sets(st.sampled_from(range(len(lines)))))}
    changes = [LineChange(_PATH, at + 1, lines[at], new) for at, new in wanted.items() if new != lines[at]]
    text = end.join(lines) + end
    expected = "".join(wanted.get(at, line) + end for at, line in enumerate(lines))
    assert not changes or apply_edits(text, find_edits(_rule(*changes), _PATH, text)) == expected


def test_a_line_that_reads_differently_and_another_file_are_left() -> None:
    rule = _rule(LineChange(_PATH, 2, 'glow("a")', "glow('a')"))
    assert not find_edits(rule, _PATH, 'x\nglow("a") // mine\n')
    assert not find_edits(rule, _PATH, 'glow("a")\n')
    assert not find_edits(rule, TreePath("src/b.rs"), 'x\nglow("a")\n')
    (edit,) = find_edits(rule, _PATH, 'x\nglow("a")\n')
    assert (edit.line, edit.old, edit.new) == (2, '"a"', "'a'")


def test_names_are_changed_whole() -> None:
    (edit,) = find_edits(_rule(LineChange(_PATH, 1, "lamp.glowing()", "lamp.glow()")), _PATH, "lamp.glowing()\n")
    assert (edit.old, edit.new) == ("glowing", "glow")


@pytest.mark.parametrize(
    ("old", "new", "name"),
    [
        ('    .short("v").long()', "    .short('v').long()", ".short(\"v\").long() → .short('v').long()"),
        ("fn go() -> App<'a, 'b> {", "fn go() -> App<'a> {", "App<'a, 'b> → App<'a>"),
        ("return move x;", "return x;", "move → nothing"),
    ],
)
def test_it_is_called_by_what_changes(old: str, new: str, name: str) -> None:
    assert _rule(LineChange(_PATH, 1, old, new)).name == name
