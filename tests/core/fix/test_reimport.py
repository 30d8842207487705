"""Names of scripts imported from another module."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.rules import ReimportRule

RULE = ReimportRule("r", "w", old="wick/Lamp", new="wick", names=("Lamp", "Warmth"))


def moved(text: str, path: str = "a.ts") -> str:
    return apply_edits(text, find_edits(RULE, TreePath(path), text))


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ("import { Lamp } from 'wick/Lamp';\n", "import { Lamp } from 'wick';\n"),
        ('import type { Lamp as L } from "../lib/wick/Lamp"\n', 'import type { Lamp as L } from "../lib/wick"\n'),
        ("export { Lamp } from 'wick/Lamp';\n", "export { Lamp } from 'wick';\n"),
        ("const { Lamp, Warmth: W } = require('wick/Lamp');\n", "const { Lamp, Warmth: W } = require('wick');\n"),
        ("import { Lamp, Oil } from 'wick/Lamp';\n", "import { Oil } from 'wick/Lamp';\nimport { Lamp } from 'wick';\n"),
        ("import { Lamp } from 'wick/Lamp';\nimport { Oil } from 'wick';\n", "import { Oil, Lamp } from 'wick';\n"),
        ("import {\n  Oil,\n} from 'wick';\nimport { Oil2, Lamp } from 'wick/Lamp';\n", "import {\n  Oil, Lamp,\n} from 'wick';\nimport { Oil2 } from 'wick/Lamp';\n"),
        ("import lamps, { Lamp } from 'wick/Lamp';\n", "import lamps from 'wick/Lamp';\nimport { Lamp } from 'wick';\n"),
        # Other names, other modules, whole modules, comments.
        ("import { Oil } from 'wick/Lamp';\n", "import { Oil } from 'wick/Lamp';\n"),
        ("import { Lamp } from 'wick/Lamps';\n", "import { Lamp } from 'wick/Lamps';\n"),
        ("import { Lamp } from 'swick/Lamp';\n", "import { Lamp } from 'swick/Lamp';\n"),
        ("import * as lamps from 'wick/Lamp';\n", "import * as lamps from 'wick/Lamp';\n"),
        ("// import { Lamp } from 'wick/Lamp';\n", "// import { Lamp } from 'wick/Lamp';\n"),
    ],
)  # fmt: skip
def test_names_move_and_the_rest_stays(before: str, after: str) -> None:
    assert moved(before) == after
    assert moved(after) == after


LINES = st.lists(
    st.builds(
        "import {front}{{ {names} }} from '{module}'{end}\n".format,
        front=st.sampled_from(["", "lamps, "]),
        names=st.lists(st.sampled_from(["Lamp", "Warmth", "Oil", "Lamp as L", "type Warmth"]), min_size=1, max_size=3, unique=True).map(", ".join),
        module=st.sampled_from(["wick", "wick/Lamp", "../a/wick/Lamp", "other"]),
        end=st.sampled_from([";", ""]),
    ),
    max_size=4,
).map("".join)  # fmt: skip


@given(LINES)
def test_every_name_stays_imported_as_often_as_before(text: str) -> None:
    after = moved(text)
    for name in ("Lamp", "Warmth", "Oil", "lamps", "L"):
        assert after.split().count(name) + after.split().count(f"{name},") == text.split().count(
            name
        ) + text.split().count(f"{name},")
    assert moved(after) == after
