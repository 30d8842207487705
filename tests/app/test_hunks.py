"""Edits as lines before and after: nothing of the file is shown wrong, and nothing that changes is left out."""

from __future__ import annotations

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from pygments.lexers import get_all_lexers, get_lexer_for_filename
from pygments.util import ClassNotFound

from fernshale.app.highlight import TAB, Colours, _lexer, _name, colours_of_line
from fernshale.app.hunks import Hunk, around, find_head, make_hunks
from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import CodeEdit, apply_edits

_FILE = TreePath("src/harbour.cpp")
_CODE = """\
#include "ferry.hpp"

namespace piers {

void Harbour::open(World& world) {
    for (auto& pier : piers_) {
        auto ferry = fleet_.take(pier.name());
#ifdef FOG
        world.report(ferry);
#endif
        if (ferry) {
            world.spawn(ferry);
        }
    }
}

int Harbour::count() const { return size_; }
}
"""


def _edit(text: str, old: str, new: str) -> CodeEdit:
    start = text.index(old)
    return CodeEdit(_FILE, text.count("\n", 0, start) + 1, start, start + len(old), old, new)


def _shown(hunk: Hunk) -> list[str]:
    signs = {"head": "@", "context": " ", "old": "-", "new": "+"}
    return [f"{signs[line.kind]}{line.number or ''}|{line.text}" for line in hunk.lines]


def test_a_change_is_shown_with_its_function() -> None:
    (hunk,) = make_hunks(_CODE, [_edit(_CODE, "world.spawn(ferry)", "world.spawn(ferry, pier.berth())")], context=1)
    assert _shown(hunk) == [
        "@5|void Harbour::open(World& world) {",
        " 11|        if (ferry) {",
        "-12|            world.spawn(ferry);",
        "+|            world.spawn(ferry, pier.berth());",
        " 13|        }",
    ]
    new = next(line for line in hunk.lines if line.kind == "new")
    ((start, end),) = new.marks
    assert new.text[start:end] == ", pier.berth()"


def test_added_and_removed_lines_stand_alone() -> None:
    at = _CODE.index("\nnamespace")
    added = CodeEdit(_FILE, 2, at, at, "", '#include "berth.hpp"\n')
    gone = _edit(_CODE, '#include "ferry.hpp"\n', "")
    (hunk,) = make_hunks(_CODE, [gone, added], context=1)
    assert [text for text in _shown(hunk) if text[0] in "+-"] == ['-1|#include "ferry.hpp"', '+|#include "berth.hpp"']
    assert hunk.edits == (gone, added)


@pytest.mark.parametrize(
    ("text", "line", "head"),
    [
        (_CODE, 12, 5),
        (_CODE, 9, 5),
        (_CODE, 17, None),
        ("class Lamp:\n    def glow(self):\n        if self:\n            return 1\n", 4, 2),
        ("class Lamp:\n    def glow(self):\n        if self:\n            return 1\n", 2, 1),
        ("function Lamp:glow()\n\tfor i = 1, 2 do\n\t\tprint(i)\n\tend\nend\n", 3, 1),
    ],
)
def test_the_head_is_what_opens_the_function(text: str, line: int, head: int | None) -> None:
    found = find_head(text.split("\n"), line - 1)
    assert (found + 1 if found is not None else None) == head
    shown = around(text, line, context=0)
    assert [item.number for item in shown] == ([head] if head else []) + [line]


@given(
    st.lists(st.text("ab {}();", max_size=12), min_size=1, max_size=30),
    st.lists(st.tuples(st.integers(0, 400), st.integers(0, 30), st.text("xyz\n", max_size=12)), max_size=6),
    st.integers(1, 4),  # without a line around it, a line that is added at the end does not say where it belongs
)
@example(["", ""], [(1, 0, "x")], 1)
def test_the_lines_of_all_hunks_make_the_new_text(
    lines: list[str], wanted: list[tuple[int, int, str]], context: int
) -> None:
    text, edits, end = "\n".join(lines), [], 0
    for start, length, new in sorted(wanted):
        start, stop = max(start, end), min(start + length, len(text))
        if start <= stop and start <= len(text) and text[start:stop] != new:
            edits.append(CodeEdit(_FILE, text.count("\n", 0, start) + 1, start, stop, text[start:stop], new))
            end = stop + 1
    hunks = make_hunks(text, edits, context)
    assert sorted((edit for hunk in hunks for edit in hunk.edits), key=lambda edit: edit.start) == edits
    # Old and context lines are lines of the file; with new ones in place of old ones they make the changed file.
    before = text.split("\n")
    made: list[str] = []
    at = 0
    for hunk in hunks:
        for line in hunk.lines:
            if line.kind == "head":
                continue
            if line.kind == "new":
                made.append(line.text)
                continue
            assert before[line.number - 1] == line.text
            made += before[at : line.number - 1]
            at = line.number
            if line.kind == "context":
                made.append(line.text)
    made += before[at:]
    assert "\n".join(made).rstrip("\n") == apply_edits(text, edits).rstrip("\n")


@given(st.lists(st.text(max_size=30), max_size=8), st.sampled_from(["a.py", "a.cpp", "a.lua", "a.nothing", ""]))
@example(["'", "\t"], "a.lua")  # a string goes on over a tab
def test_colours_are_spans_of_the_line(lines: list[str], path: str) -> None:
    plain = [line.replace("\n", " ").replace("\r", " ") for line in lines]
    colours = Colours(path, plain)
    for at, line in enumerate(plain):
        for start, end, _ in (*colours.of(at), *(colours_of_line(line, path) if path else ())):
            assert 0 <= start < end <= len(line.expandtabs(TAB))


def test_a_comment_of_several_lines_is_one() -> None:
    colours = Colours("a.cpp", ["/* for", "   while */ int x;"])
    assert colours.of(0) == ((0, 6, "quiet"),)
    assert [tone for _, _, tone in colours.of(1)] == ["quiet", "word"]


def test_names_with_the_same_lexer_are_looked_up_once_and_none_gets_another() -> None:
    names = ["CMakeLists.txt", "Makefile.in", ".bashrc", "page.html.j2", "README", "a.b.c.py"]
    names += [pattern.replace("*", "some") for _, _, patterns, _ in get_all_lexers() for pattern in patterns][::12]
    for name in names:
        try:
            wanted: str | None = type(get_lexer_for_filename(name)).__name__
        except ClassNotFound:
            wanted = None
        found = _lexer(_name(f"folder/{name}"))
        assert (type(found).__name__ if found is not None else None) == wanted, name
    assert _name("a/module1.py") == _name("b/module2.py")
