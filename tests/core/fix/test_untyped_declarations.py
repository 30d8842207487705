"""Names that say no type: where they are first set, and what they are set to."""

from __future__ import annotations

import ast

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.rules import DeclareRule
from fernshale.core.fix.untyped_declarations import declarations

_HEAD = "class Pier(Stage):\n    def __init__(self):\n"
_SETUP = "    def setup(self):\n        self.boat = wick.Boat('é')\n"


def _of(text: str, name: str) -> list[tuple[str, float]]:
    return [(item.type, item.confidence) for item in declarations(text, name)]


@pytest.mark.parametrize(
    ("text", "line"),
    [
        (f"{_HEAD}        self.é = 'ü'; self.boat = None  # later\n{_SETUP}",
         "        self.é = 'ü'; self.boat: wick.Boat = None  # type: ignore[assignment]  # later"),
        ("def f():\n    if hour:\n        boat = wick.Boat()\n", "        boat: wick.Boat = wick.Boat()"),
        ("boat = wick.Boat(\n    1\n)\n", "boat: wick.Boat = wick.Boat("),
    ],
)  # fmt: skip
def test_a_type_is_said_where_a_name_is_first_set(text: str, line: str) -> None:
    rule = DeclareRule("boat", "it is one", old="boat", new="wick.Boat")
    path = TreePath("pier.py")
    after = apply_edits(text, find_edits(rule, path, text))
    assert line in after.splitlines()
    assert not find_edits(rule, path, after)
    # To who runs it nothing has changed.
    assert ast.dump(_Plain().visit(ast.parse(after))) == ast.dump(ast.parse(text))


class _Plain(ast.NodeTransformer):
    """Without what only checkers look at."""

    def visit_AnnAssign(self, node: ast.AnnAssign) -> ast.AST:
        assert node.value is not None
        return ast.Assign([node.target], node.value, None)


@pytest.mark.parametrize(
    ("init", "more", "found"),
    [
        ("self.boat = None", "", [("wick.Boat", 0.85)]),
        ("self.boat = None", "        self.boat = find(3)\n", [("wick.Boat", 0.6)]),
        ("self.boat = None", "        for self.boat in boats: pass\n", [("wick.Boat", 0.6)]),
        ("self.boat = None", "        if self.boat is None: return\n", [("wick.Boat", 0.3)]),
        ("self.boat = None", "        return self.boat and 1\n", [("wick.Boat", 0.3)]),
        ("self.boat = None", "    def end(self):\n        self.boat = None\n", []),
        ("self.boat = None", "        self.boat = Ship()\n", []),
        ("self.boat: wick.Boat | None = None", "", []),
        ("self.boat = self.ship = None", "", []),
        ("self.boat, self.ship = None, None", "", []),
        ("self.boat = 0", "", [("float", 0.95)]),
        ("self.boat = False", "", []),
        ("self.boat = find()", "", []),
        ("other.boat = None", "", [("wick.Boat", 0.95)]),
    ],
)
def test_only_what_is_told_by_all_that_is_set_is_said(init: str, more: str, found: list[tuple[str, float]]) -> None:
    assert _of(f"{_HEAD}        {init}\n{_SETUP}{more}", "boat") == found


@pytest.mark.parametrize(
    "text",
    [
        "boat = None\ndef f():\n    global boat\n    boat = Boat()\n",
        "def f():\n    boat = None\n    def g():\n        nonlocal boat\n        boat = Boat()\n",
        "def f(boat):\n    boat = Boat()\n",
        "def f(*, boat=None):\n    boat = Boat()\n",
        "class Pier:\n    boat = Boat()\n",
        "@dataclass\nclass Pier:\n    boat = None\n    def f(self):\n        self.boat = Boat()\n",
        "with moor() as boat:\n    pass\nboat = Boat()\n",
    ],
)
def test_what_may_not_be_declared_is_left_alone(text: str) -> None:
    assert _of(text, "boat") == []


def test_each_class_is_by_itself() -> None:
    text = "\n".join(
        f"class {name}:\n    def __init__(self):\n        self.it = None\n    def f(self):\n        self.it = {name}Item()"
        for name in "AB"
    )
    assert _of(text, "it") == [("AItem", 0.85), ("BItem", 0.85)]
    assert _of("def broken(:\n", "it") == _of("it = MAX()\nit2 = build()\n", "it") == []


_VALUES = st.sampled_from(["None", "Boat()", "Ship(1)", "a.Boat()", "find()", "0", "x if y else None"])


@given(
    st.lists(
        st.tuples(
            st.sampled_from(["self.boat", "self.boat = self.ship", "boat", "self.ship", "(self.boat, x)"]), _VALUES
        ),
        max_size=6,
    )
)
def test_what_runs_stays_the_same(settings: list[tuple[str, str]]) -> None:
    body = "".join(f"        {target} = {value}\n" for target, value in settings)
    text = f"class Pier:\n    def __init__(self):\n        pass\n{body}"
    for item in declarations(text, "boat"):
        after = text[: item.start] + item.new + text[item.end :]
        assert ast.dump(_Plain().visit(ast.parse(after))) == ast.dump(ast.parse(text))
        assert not declarations(after, "boat") or len(declarations(text, "boat")) > 1
