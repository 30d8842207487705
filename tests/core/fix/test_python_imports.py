"""Names of Python that moved to another module: the import lines, and what is written through a module's name."""

from __future__ import annotations

import ast

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.treepath import TreePath
from fernshale.core.fix.apply import apply_edits, find_edits
from fernshale.core.fix.rules import MoveRule, Rule

_NEARBY = MoveRule("m", "w", old="wick.server.Boat", new="wick.lsp.server.Boat")
_ELSEWHERE = MoveRule("m", "w", old="wick.server.Boat", new="dock.Ship")


def _moved(rule: Rule, text: str) -> str:
    return apply_edits(text, find_edits(rule, TreePath("game.py"), text))


@pytest.mark.parametrize(
    ("before", "nearby", "elsewhere"),
    [
        (
            "from wick import server, uris\nx = server.Boat(1)\ny = server.Boat\nz = server.Tide\n",
            "from wick import server, uris\nfrom wick.lsp.server import Boat\nx = Boat(1)\ny = Boat\nz = server.Tide\n",
            "from wick import server, uris\nfrom dock import Ship\nx = Ship(1)\ny = Ship\nz = server.Tide\n",
        ),
        (
            "import wick.server\nx = wick.server.Boat\n",
            "import wick.server\nimport wick.lsp.server\nx = wick.lsp.server.Boat\n",
            "import wick.server\nimport dock\nx = dock.Ship\n",
        ),
        (
            "import wick as w\nw.server.Boat()\n",
            "import wick as w\nw.lsp.server.Boat()\n",
            "import wick as w\nfrom dock import Ship\nShip()\n",
        ),
        (
            "from wick.server import Boat as B  # ours\nB()\n",
            "from wick.lsp.server import Boat as B  # ours\nB()\n",
            "from dock import Ship as B  # ours\nB()\n",
        ),
        (
            "from wick.server import (\n    Anchor,  # one\n    Boat,\n    Tide as T,\n)\n",
            "from wick.server import (\n    Anchor,  # one\n    Tide as T,\n)\nfrom wick.lsp.server import Boat\n",
            "from wick.server import (\n    Anchor,  # one\n    Tide as T,\n)\nfrom dock import Ship as Boat\n",
        ),
        (
            "from wick.server import Anchor, Boat\r\n",
            "from wick.server import Anchor\r\nfrom wick.lsp.server import Boat\r\n",
            "from wick.server import Anchor\r\nfrom dock import Ship as Boat\r\n",
        ),
        (
            "def f():\n    from wick import server\n    return server.Boat\n",
            "def f():\n    from wick import server\n    from wick.lsp.server import Boat\n    return Boat\n",
            "def f():\n    from wick import server\n    from dock import Ship\n    return Ship\n",
        ),
        # The name means something else in this file.
        (
            "from wick import server\nfrom shed import Boat, Ship\nserver.Boat()\n",
            "import wick.lsp.server\nfrom shed import Boat, Ship\nwick.lsp.server.Boat()\n",
            "import dock\nfrom shed import Boat, Ship\ndock.Ship()\n",
        ),
        ("from shed import server\nserver.Boat()\n",) * 3,
        # Prose is left alone, and so is what is not understood whole.
        ('"""\nfrom wick.server import Boat\n"""\n# from wick.server import Boat\n',) * 3,
        ("from wick.server import Boat, \\\n    Tide\n",) * 3,
    ],
)
def test_a_moved_name_is_imported_from_where_it_is(before: str, nearby: str, elsewhere: str) -> None:
    for rule, after in ((_NEARBY, nearby), (_ELSEWHERE, elsewhere)):
        assert _moved(rule, before) == after
        assert _moved(rule, after) == after


@given(
    st.lists(
        st.sampled_from(["Anchor", "Tide as T", "Boat", "Boat as B", "Lamp"]),
        min_size=1,
        unique_by=lambda name: name[:4],
    ),
    st.sampled_from([", ", ",\n    ", ",  # said\n    "]),
    st.booleans(),
)
def test_imports_keep_all_other_names(names: list[str], between: str, has_comma: bool) -> None:
    text = f"from wick.server import ({between.join(names)}{',' if has_comma else ''})\n"

    def bound(code: str) -> set[tuple[str, str, str]]:
        return {
            (node.module or "", item.name, item.asname or item.name)
            for node in ast.parse(code).body
            if isinstance(node, ast.ImportFrom)
            for item in node.names
        }

    wanted = {("wick.lsp.server", *item[1:]) if item[1] == "Boat" else item for item in bound(text)}
    assert bound(_moved(_NEARBY, text)) == wanted


@pytest.mark.parametrize(
    ("before", "after"),
    [
        ("import wick\nwick.hexed(2)\n", "import wick\nimport wick.types\nwick.types.Colour.hexed(2)\n"),
        ("import wick as w\nw.hexed(2)\n", "import wick as w\nw.types.Colour.hexed(2)\n"),
        (
            "from wick import hexed\nhexed(hexed(2))\nx.hexed(3)\nx. hexed\n",
            "from wick.types import Colour\nColour.hexed(Colour.hexed(2))\nx.hexed(3)\nx. hexed\n",
        ),
        (
            "from wick import glow, hexed as h\nprint(h(2), 'h')\n",
            "from wick import glow\nfrom wick.types import Colour\nprint(Colour.hexed(2), 'h')\n",
        ),
        (
            "from dock import Colour\nimport wick as w\nw.hexed(2)\n",
            "from dock import Colour\nimport wick as w\nw.types.Colour.hexed(2)\n",
        ),
    ],
)
def test_what_went_into_a_class_is_brought_in_with_that(before: str, after: str) -> None:
    rule = MoveRule("m", "w", old="wick.hexed", new="wick.types.Colour.hexed", holder="wick.types.Colour")
    assert _moved(rule, before) == after and _moved(rule, after) == after
