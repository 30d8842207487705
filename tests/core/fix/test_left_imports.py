"""Imports that a fix leaves unused go with it, and only then."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import CodeEdit, apply_edits, find_edits, only_some
from fernshale.core.fix.rules import CallRule, MoveRule, RewriteRule, Rule

TO_SHIP = MoveRule("r", "w", old="Limits.TOP", new="Ship.TOP", imports="Ship", text="import w.Ship;")
IN_SCRIPT = MoveRule("r", "w", old="Limits.TOP", new="Ship.TOP", imports="Ship")
PLAIN = RewriteRule("r", "w", pattern="Limits.top($x)", replacement="top_of($x)")
CALL = CallRule("r", "w", call="dim", new="$lamp.dim()", parameters=("lamp",))


def fixed(rule: Rule, path: str, text: str) -> str:
    return apply_edits(text, find_edits(rule, TreePath(path), text))


@pytest.mark.parametrize(
    ("rule", "path", "before", "after"),
    [
        (TO_SHIP, "A.java", "import w.Limits;\n\nint p = Limits.TOP;\n", "import w.Ship;\n\nint p = Ship.TOP;\n"),
        (
            IN_SCRIPT,
            "a.ts",
            "import { Boat, Limits } from 'w';\nBoat(Limits.TOP);\n",
            "import { Boat, Ship } from 'w';\nBoat(Ship.TOP);\n",
        ),
        (PLAIN, "a.py", "import os\nfrom w import Limits\nLimits.top(os)\n", "import os\ntop_of(os)\n"),
        (PLAIN, "a.py", "from w import (\n    Boat,\n    Limits,\n)\nLimits.top(Boat)\n", "from w import (\n    Boat,\n)\ntop_of(Boat)\n"),
        (PLAIN, "a.py", "import Limits\nLimits.top(1)\n", "top_of(1)\n"),
        (PLAIN, "a.ts", "import Limits from 'w';\nLimits.top(1);\n", "top_of(1);\n"),
        (PLAIN, "a.ts", "import * as Limits from 'w';\r\nLimits.top(1);\r\n", "top_of(1);\r\n"),
        (PLAIN, "a.ts", "import type { Limits } from 'w';\nLimits.top(1);\n", "top_of(1);\n"),
        (CALL, "a.py", "from w import dim, fade\ndim(a)\nfade(a)\n", "from w import fade\na.dim()\nfade(a)\n"),
    ],
)  # fmt: skip
def test_the_import_goes_with_the_last_use(rule: Rule, path: str, before: str, after: str) -> None:
    assert fixed(rule, path, before) == after


@pytest.mark.parametrize(
    ("path", "before"),
    [
        ("a.py", "from w import Limits\nLimits.top(1)\nx = Limits\n"),
        ("a.py", "from w import Limits\n__all__ = ['Limits']\nLimits.top(1)\n"),
        ("a.py", "from w import Limits\nLimits.top(1)\n# Limits are low\n"),
        ("a.py", "from w import Other as Limits\nLimits.top(1)\n"),
        ("w/__init__.py", "from w import Limits\nLimits.top(1)\n"),
        ("a.ts", "import { Limits } from 'w';\nexport { Limits };\nLimits.top(1);\n"),
        ("a.ts", "import Boat, { Limits } from 'w';\nBoat(); Limits.top(1);\n"),
        ("a.rs", "use w::Limits;\nfn f() { Limits.top(1); }\n"),
        ("a.cs", "using Limits;\nLimits.top(1);\n"),
    ],
)
def test_an_import_that_may_be_needed_stays(path: str, before: str) -> None:
    assert fixed(PLAIN, path, before) == before.replace("Limits.top(1)", "top_of(1)")


def test_the_name_that_a_constructor_of_another_class_replaced_stays_where_it_was_unused_before() -> None:
    text = "from w import Boat, Limits\nLimits.top(1)\n"
    assert fixed(PLAIN, "a.py", text) == "from w import Boat\ntop_of(1)\n"


@given(st.lists(st.booleans(), min_size=1, max_size=5), st.booleans())
def test_some_of_the_places_keep_the_old_import_and_add_the_new_one(chosen: list[bool], is_java: bool) -> None:
    path, rule = ("A.java", TO_SHIP) if is_java else ("a.ts", IN_SCRIPT)
    head = "import w.Limits;\n" if is_java else "import { Limits } from 'w';\n"
    text = head + "".join(f"int p{at} = Limits.TOP;\n" for at in range(len(chosen)))
    edits = find_edits(rule, TreePath(path), text)
    wanted = {at + 2 for at, is_chosen in enumerate(chosen) if is_chosen}

    def is_chosen(edit: CodeEdit) -> bool:
        return edit.line in wanted

    result = apply_edits(text, only_some(edits, is_chosen))
    lines = result.splitlines()
    uses = [line for line in lines if line.startswith("int")]
    assert [("Ship" in line) for line in uses] == chosen
    imports = "\n".join(line for line in lines if line.startswith("import"))
    assert ("Limits" in imports) == (not all(chosen))
    assert ("Ship" in imports) == any(chosen)
    # The other places, later, give the same file as all at once.
    assert fixed(rule, path, result) == fixed(rule, path, text)
