"""Ranges follow a release in the dialect of their place: what is written can be read there again, and holds the release."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from packaging.specifiers import SpecifierSet
from packaging.version import Version

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.range_dialects import Dialect, Policy, allows_below, follow_range, raise_range, read_range
from fernshale.core.base.release import parse_release

_CASES: list[tuple[str, str, Dialect, Policy, str]] = [
    ("[2.6.3,2.7)", "2.7.1", "interval", "move", "[2.7.1,2.8)"),
    ("[2.6.3,2.7)", "2.7.1", "interval", "next bound", "[2.6.3,2.8)"),
    ("[2.6.3,2.7)", "2.7.1", "interval", "widen", "[2.6.3,2.7.1]"),
    ("[4.2,4.3)", "5.0.0", "interval", "move", "[5.0,5.1)"),
    ("[2.5,3.0)", "3.0.2", "interval", "next bound", "[2.5,4.0)"),
    ("[2.5, 3.0]", "3.0.2", "interval", "move", "[3.0.2, 3.0.2]"),
    ("[2.6.3]", "2.7.1", "interval", "move", "[2.7.1]"),
    ("(,2.7)", "2.7.1", "interval", "move", "(,2.8)"),
    ("[2.6,)", "2.7", "interval", "move", "[2.6,)"),
    ("^3.1.0", "4.0.0", "npm", "move", "^4.0.0"),
    ("^3.1.0", "4.0.0", "npm", "next bound", "^3.1.0 || ^4.0.0"),
    ("~3.1", "3.2.5", "npm", "move", "~3.2.5"),
    (">=3.1 <3.2", "3.4.1", "npm", "move", ">=3.4.1 <3.5"),
    (">=3.1 <3.2", "3.4.1", "npm", "next bound", ">=3.1 <3.5"),
    ("3.1.x", "3.4.1", "npm", "move", "3.4.x"),
    ("3.1", "3.1.7", "npm", "move", "3.1"),
    ("0.14.2", "0.15.0", "cargo", "move", "0.15.0"),
    ("0.14.2", "0.15.0", "cargo", "next bound", ">=0.14.2, <0.16"),
    ("0.14.2", "0.14.9", "cargo", "move", "0.14.2"),
    (">=1.2, <1.5", "1.6.0", "cargo", "next bound", ">=1.2, <1.7"),
    ("~=3.1", "4.0.2", "pep440", "next bound", ">=3.1, <5"),
    (">=3.1,<4", "4.0.2", "pep440", "move", ">=4.0.2,<5"),
    ("==3.1.*", "3.2", "pep440", "move", "==3.2.*"),
    ('["5.0", "5.1"]', "5.2.0", "array", "widen", '["5.0", "5.1", "5.2"]'),
    ("[ '5.0',\n  '5.1',\n]", "5.2", "array", "widen", "[ '5.0',\n  '5.1',\n  '5.2',\n]"),
    ('["5.0", "5.1"]', "5.2", "array", "move", '["5.2"]'),
]


@pytest.mark.parametrize(("text", "to", "dialect", "policy", "expected"), _CASES)
def test_a_range_follows_in_its_own_dialect(
    text: str, to: str, dialect: Dialect, policy: Policy, expected: str
) -> None:
    assert follow_range(text, to, dialect, policy) == expected
    assert read_range(expected, dialect).contains(parse_release(to))


@pytest.mark.parametrize(
    ("text", "dialect"),
    [("~=2.6", "npm"), ("^2.6", "pep440"), ("1 || 2", "cargo"), ("<2", "interval"), ("5.0", "array")],
)
def test_what_a_dialect_cannot_read_is_told(text: str, dialect: Dialect) -> None:
    with pytest.raises(MisuseError):
        read_range(text, dialect)


_NUMBERS = st.tuples(st.integers(0, 9), st.integers(0, 9), st.integers(0, 9)).map(
    lambda parts: ".".join(map(str, parts))
)
_SHAPES: list[tuple[Dialect, str]] = [
    ("interval", "[{low},{high})"),
    ("interval", "[{low},{high}]"),
    ("interval", "[{low}]"),
    ("npm", ">={low} <{high}"),
    ("npm", "^{low}"),
    ("npm", "~{low}"),
    ("npm", "{low} - {high}"),
    ("cargo", "{low}"),
    ("cargo", ">={low}, <{high}"),
    ("cargo", "~{low}"),
    ("pep440", ">={low},<{high}"),
    ("pep440", "~={low}"),
    ("pep440", "=={low}"),
    ("array", '["{low}", "{high}"]'),
]


@given(st.sampled_from(_SHAPES), _NUMBERS, _NUMBERS, _NUMBERS, st.sampled_from(("next bound", "move")))
def test_what_is_written_is_read_again_and_holds_the_release(
    shape: tuple[Dialect, str], one: str, other: str, to: str, policy: Policy
) -> None:
    dialect, pattern = shape
    low, high = sorted((one, other), key=parse_release)
    text = pattern.format(low=low, high=high)
    written = follow_range(text, to, dialect, policy)
    assert read_range(written, dialect).contains(parse_release(to))
    if policy == "next bound":
        for version in (low, one):
            old = parse_release(version)
            if read_range(text, dialect).contains(old):
                assert read_range(written, dialect).contains(old), "a range that only gets a new end keeps what it held"
    if dialect == "pep440":
        # An independent reader of the same dialect agrees.
        assert SpecifierSet(written, prereleases=True).contains(Version(to))


@pytest.mark.parametrize(
    ("text", "least", "below", "raised"),
    [
        (">=18", "20", True, ">=20"),
        (">=18 <21", "20.1", True, ">=20.1 <21"),
        ("^18.2", "20", True, "^20.0"),
        ("[17,)", "21", True, "[21,)"),
        (">=22", "20", False, ""),
    ],
)
def test_a_range_is_raised_to_a_demand(text: str, least: str, below: bool, raised: str) -> None:
    assert allows_below(text, least) == below
    if below:
        assert raise_range(text, least) == raised and not allows_below(raised, least)


def test_a_list_of_ranges_is_not_raised() -> None:
    with pytest.raises(MisuseError, match="several parts"):
        raise_range("^16 || ^18", "20")
