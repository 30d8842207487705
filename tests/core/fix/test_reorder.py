"""Arguments put in another order."""

from __future__ import annotations

import itertools

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits, try_rule
from fernshale.core.fix.rules import Example, ReorderRule, Rule

BOX = ReorderRule("r", "w", call="box", order=(1, 3, 2), names=("day", "left", "top"))
NEW = ReorderRule("r", "w", call="box", new="frame", order=(1, 3, 2), names=("day", "left", "top"))
MORE = ReorderRule("r", "w", call="box", order=(1, 0, 0, 2), fill=("0", "nil()"), names=("day", "left"))


def fixed(rule: Rule, text: str, path: str = "a.cpp") -> str:
    return apply_edits(text, find_edits(rule, TreePath(path), text))


@pytest.mark.parametrize(
    ("rule", "path", "before", "after"),
    [
        (BOX, "a.cpp", "c.box( d, f(1, 2) ,\n  g[3, 4], 7);", "c.box( d, g[3, 4] ,\n  f(1, 2), 7);"),
        (BOX, "a.cpp", "box(1, box(2, 3, 4), 5); boxes(1, 2, 3);", "box(1, 5, box(2, 4, 3)); boxes(1, 2, 3);"),
        (
            BOX,
            "a.cpp",
            'box(1); box(1, 2); "box(1, 2, 3)"; // box(1, 2, 3)',
            'box(1); box(1, 2); "box(1, 2, 3)"; // box(1, 2, 3)',
        ),
        (BOX, "a.py", "box(1, 2)\nbox(1)\nbox(1, 2, top=3)\n", "box(1, left=2)\nbox(1)\nbox(1, left=2, top=3)\n"),
        (BOX, "A.cs", "Box(); c.box(1, 2);", "Box(); c.box(1, left: 2);"),
        (
            BOX,
            "a.py",
            "box(1, *it)\nbox(*it)\nbox(1, left=2, top=3)\n",
            "box(1, *it)\nbox(*it)\nbox(1, left=2, top=3)\n",
        ),
        (BOX, "a.py", "def box(day, left, top):\n    pass\n", "def box(day, left, top):\n    pass\n"),
        (
            NEW,
            "a.py",
            "from m import box\nbox(1, 2, 3)\nmap(box, it)\n",
            "from m import frame\nframe(1, 3, 2)\nmap(box, it)\n",
        ),
        (NEW, "a.py", "box(1, left=2, top=3)\nbox(1)\n", "frame(1, left=2, top=3)\nframe(1)\n"),
        (
            MORE,
            "a.cpp",
            "box(1, box(3, 4)); box(1); box(1, 2, 3);",
            "box(1, 0, nil(), box(3, 0, nil(), 4)); box(1); box(1, 0, nil(), 2, 3);",
        ),
        (MORE, "a.py", "box(1, 2)\nbox(1, left=2)\nbox(1, 2, 3)\n", "box(1, left=2)\nbox(1, left=2)\nbox(1, 2, 3)\n"),
        (BOX, "a.cpp", "box(1, *left, top);", "box(1, top, *left);"),
        (BOX, "a.cpp", "box(1, 2, more...);", "box(1, 2, more...);"),
        (NEW, "a.cpp", "box(1, box(2, 3, 4), 5);", "frame(1, 5, frame(2, 4, 3));"),
    ],
)
def test_what_is_given_by_its_place_gets_the_new_one(rule: Rule, path: str, before: str, after: str) -> None:
    assert fixed(rule, before, path) == after
    if rule.new:
        assert fixed(rule, after, path) == after


def test_a_method_of_another_type_is_left_alone() -> None:
    rule = ReorderRule("r", "w", call="box", order=(2, 1), of="m::Canvas")
    text = "void draw(Canvas& canvas, Shed& shed) { canvas.box(1, 2); shed.box(1, 2); }"
    assert fixed(rule, text) == text.replace("canvas.box(1, 2)", "canvas.box(2, 1)")


CODE = st.lists(
    st.sampled_from(["box", "(", ")", ", ", "1", "a", "day=", "*", "import ", "\n", "[", "]", "'", "# "]), max_size=30
).map("".join)


@given(CODE, st.sampled_from([BOX, NEW]), st.sampled_from(["a.py", "a.cpp", "a.cs"]))
def test_whatever_the_text_arguments_are_only_moved(text: str, rule: Rule, path: str) -> None:
    edits = find_edits(rule, TreePath(path), text)
    assert all(left.end <= right.start for left, right in itertools.pairwise(edits))
    for edit in edits:
        added = sum(map(len, ("left=", "left: ", "top=", "top: "))) * edit.old.count("box")
        assert 0 <= len(edit.new.replace("frame", "box")) - len(edit.old) <= added
    if rule.new:
        once = apply_edits(text, edits)
        assert find_edits(rule, TreePath(path), once) == ()


@given(
    st.permutations([1, 2, 3, 4]).filter(lambda order: order != [1, 2, 3, 4]),
    st.lists(st.sampled_from(["a", "f(1, 2)", "[3]"]), min_size=4, max_size=4),
)
def test_a_call_is_in_its_old_order_after_the_way_back(order: list[int], given: list[str]) -> None:
    back = tuple(order.index(number) + 1 for number in range(1, 5))
    there = ReorderRule("r", "w", call="box", order=tuple(order))
    text = f"box({', '.join(given)});"
    assert fixed(there, text) == f"box({', '.join(given[was - 1] for was in order)});"
    assert fixed(ReorderRule("r", "w", call="box", order=back), fixed(there, text)) == text


@pytest.mark.parametrize(("order", "names"), [((1, 2), ()), ((1, 3), ()), ((2, 2), ()), ((1, 0), ()), ((2, 1), ("a",))])
def test_an_order_that_is_none_is_refused(order: tuple[int, ...], names: tuple[str, ...]) -> None:
    with pytest.raises(ValueError, match="order"):
        ReorderRule("r", "w", call="box", order=order, names=names)


def test_an_example_may_change_back_where_the_name_stays() -> None:
    example = Example("box(1, 2);", "box(2, 1);")
    assert try_rule(ReorderRule("r", "w", call="box", order=(2, 1), example=(example,))) == ()
