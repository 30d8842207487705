"""How far an expression goes that a checker names the beginning of."""

from __future__ import annotations

import pytest

from fernshale.core.fix.expression_span import expression_lines


@pytest.mark.parametrize(
    ("text", "line", "column", "last"),
    [
        ("x = (\n    tide.of(day)\n    .high()\n    .low()\n)\ny = 1\n", 2, 5, 4),
        ("x = tide.of(\n    day,\n    hour)\ny = 1\n", 1, 5, 3),
        ("a(b,\n  c.d(\n    e))\n", 2, 3, 3),
        ("a(b,\n  c)\n", 1, 3, 1),
        ("tide\n    .of(1)\n    .high();\nnext();\n", 1, 1, 3),
        ("x = one\ny = two\n", 1, 0, 1),
        ("x = one", 1, 40, 1),
    ],
)
def test_an_expression_ends_where_what_holds_it_goes_on(text: str, line: int, column: int, last: int) -> None:
    assert expression_lines(text, "a.py", line, column) == range(line, last + 1)
