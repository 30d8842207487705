"""Which functions read and set a hidden field: their names, without the words of the structure, and their types."""

from __future__ import annotations

import pytest

from fernshale.core.fix.rules import GetterRule
from fernshale.core.inference.accessors import accessor_rule
from fernshale.core.inference.release_lookup import members
from tests.conftest import Tree

_OLD = "typedef struct _HarbourLamp { struct Wick *window; int glow; char title[16]; } HarbourLamp;\n"


def _rule(tree: Tree, field: str, functions: str) -> GetterRule | None:
    old, new = (
        tree("old", {"lamp.h": _OLD}),
        tree("new", {"lamp.h": f"typedef struct _HarbourLamp HarbourLamp;\n{functions}\n"}),
    )
    (symbol,) = (item for item in members(old, "_HarbourLamp", "c") if item.name == field)
    return accessor_rule(symbol, new)


@pytest.mark.parametrize(
    ("field", "functions", "name", "is_sure"),
    [
        ("glow", "int harbour_lamp_get_glow(const HarbourLamp *lamp);", "harbour_lamp_get_glow", True),
        ("glow", "int harbour_lamp_glow(HarbourLamp *lamp);", "harbour_lamp_glow", True),
        ("glow", "int HarbourLampGetGlow(HarbourLamp *lamp);", "HarbourLampGetGlow", True),
        ("glow", "long harbour_lamp_get_glow(HarbourLamp *lamp);", "harbour_lamp_get_glow", False),
        ("title", "const char *harbour_lamp_get_title(HarbourLamp *lamp);", "harbour_lamp_get_title", True),
        # Another property that ends with the same word.
        (
            "window",
            "struct Wick *harbour_lamp_get_parent_window(HarbourLamp *l); int harbour_lamp_get_parent_x(HarbourLamp *l);"
            " int harbour_lamp_get_parent_y(HarbourLamp *l);",
            "harbour_lamp_get_parent_window",
            False,
        ),
        (
            "window",
            "struct Wick *harbour_lamp_get_window(HarbourLamp *l); int harbour_lamp_get_has_window(HarbourLamp *l);",
            "harbour_lamp_get_window",
            True,
        ),
        # A module with a name of its own.
        (
            "glow",
            "int light_kind_glow(HarbourLamp *l); int light_kind_size(HarbourLamp *l); void light_kind_free(HarbourLamp *l);",
            "light_kind_glow",
            False,
        ),
        ("glow", "int harbour_lamp_get_glow(HarbourLamp **lamp);", "", False),
        ("glow", "int harbour_lamp_get_glow(struct Wick *wick);", "", False),
        ("glow", "int harbour_lamp_get_glow(HarbourLamp *lamp, int at);", "", False),
        ("glow", "int first_glow(HarbourLamp *lamp); int last_glow(HarbourLamp *lamp);", "", False),
    ],
)
def test_the_reader_of_a_field(field: str, functions: str, name: str, is_sure: bool, tree: Tree) -> None:
    rule = _rule(tree, field, functions)
    assert (rule.new if rule is not None else "") == name
    assert is_sure == (rule is not None and rule.confidence >= 0.9)


@pytest.mark.parametrize(("type_", "setter"), [("int", "harbour_lamp_set_glow"), ("const char *", "")])
def test_the_setter_of_a_field_takes_its_type(type_: str, setter: str, tree: Tree) -> None:
    reads = "int harbour_lamp_get_glow(HarbourLamp lamp);"
    rule = _rule(tree, "glow", f"{reads} void harbour_lamp_set_glow(HarbourLamp *lamp, {type_} glow);")
    assert rule is not None
    assert (rule.setter, rule.takes, rule.setter_takes) == (setter, "value", "pointer" if setter else "")
