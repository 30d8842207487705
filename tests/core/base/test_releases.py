from __future__ import annotations

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from packaging.specifiers import SpecifierSet
from packaging.version import Version

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import is_release, parse_release

_NUMBERS = st.lists(st.integers(0, 40), min_size=1, max_size=4).map(lambda parts: ".".join(map(str, parts)))
_MARKS = ["", "rc1", "a2", "b10", ".dev3", ".post1", "a2.dev1", "rc1.post2", ".post1.dev4", "c1", "-1"]
_RELEASES = st.tuples(st.sampled_from(["", "", "1!"]), _NUMBERS, st.sampled_from(_MARKS[:-1])).map("".join)


@given(_RELEASES, _RELEASES)
def test_order_agrees_with_a_known_library(left: str, right: str) -> None:
    assert (parse_release(left) < parse_release(right)) == (Version(left) < Version(right))
    assert (parse_release(left) == parse_release(right)) == (Version(left) == Version(right))
    assert parse_release(left).is_preview == Version(left).is_prerelease or "post1.dev" in left


@pytest.mark.parametrize(
    "order",
    [
        # Semantic Versioning 2.0.0, section 11 (its alpha.beta is left out: to PEP 440 alpha.1 is alpha1)
        ["1.0.0-alpha", "1.0.0-alpha.1", "1.0.0-beta", "1.0.0-beta.2", "1.0.0-beta.11", "1.0.0"],
        ["3.1.9", "3.2.0-alpha", "3.2.0-alpha.2", "3.2.0-pre1", "3.2.0-pre10", "3.2.0", "3.2.0-r812", "3.2.0.1"],
        ["2025.12", "2026.04", "2026.4.1", "2026.11"],
        ["2026-04-11", "2026-04-12", "2026-11-01"],
    ],
)
def test_orders_that_people_expect(order: list[str]) -> None:
    assert sorted([*order[3:], *order[:3]], key=parse_release) == order


@pytest.mark.parametrize("text", ["", "three", "3..1", "3.x", "[3,4)", "-1", "3.0 beta"])
def test_what_is_no_release_is_refused(text: str) -> None:
    assert not is_release(text)
    with pytest.raises(MisuseError):
        parse_release(text)


@st.composite
def _intervals(draw: st.DrawFn) -> str:
    low, high = sorted((draw(_NUMBERS), draw(_NUMBERS)), key=parse_release)
    ends = (draw(st.sampled_from("[(")), draw(st.sampled_from("])")))
    low, high = draw(st.sampled_from([(low, high), ("", high), (low, "")]))
    return f"{ends[0]}{low}{draw(st.sampled_from([',', ', ']))}{high}{ends[1]}"


@st.composite
def _comparators(draw: st.DrawFn) -> str:
    signs = st.sampled_from([">=", ">", "<=", "<", "!=", "=="])
    clauses = draw(st.lists(st.tuples(signs, _NUMBERS).map("".join), min_size=1, max_size=4))
    return draw(st.sampled_from([", ", ",", " "])).join(clauses)


_SHORT = st.sampled_from(["^{}", "~{}", "{}", "{}.x", "{}.*"]).flatmap(lambda shape: _NUMBERS.map(shape.format))
_LISTS = st.tuples(st.sampled_from([", ", " || "]), st.lists(_SHORT, min_size=1, max_size=3)).map(
    lambda item: item[0].join(item[1])
)
_HYPHENS = st.tuples(_NUMBERS, _NUMBERS).map(" - ".join)
_UNIONS = st.one_of(
    st.lists(_intervals(), min_size=1, max_size=3).map(",".join),
    st.lists(st.one_of(_intervals(), _comparators(), _SHORT), min_size=1, max_size=3).map(" || ".join),
)
_RANGES = st.one_of(_intervals(), _comparators(), _LISTS, _HYPHENS, _UNIONS, st.just("*"))


@given(_RANGES)
def test_range_is_written_back_as_it_was(text: str) -> None:
    assert str(parse_range(text)) == text


@given(_RANGES, _RELEASES, _RELEASES)
@example(">1, <1", "1", "2")
@example("!=0", "0", "0")
@example("[3.0,4.0)", "4.0-pre1", "3.9")
def test_widened_range_holds_what_it_held_and_the_new_release(text: str, release: str, other: str) -> None:
    before = parse_range(text)
    after = before.widened(parse_release(release))
    assert after.contains(parse_release(release))
    if before.contains(parse_release(other)):
        assert after.contains(parse_release(other))
    assert parse_range(str(after)) == after
    assert before.contains(parse_release(release)) == (after == before)


@given(_comparators(), _NUMBERS)
def test_comparators_mean_what_a_known_library_says(text: str, release: str) -> None:
    ours = parse_range(text).contains(parse_release(release))
    assert ours == SpecifierSet(text.replace(" ", ",").replace(",,", ",")).contains(release)


@pytest.mark.parametrize(
    ("text", "inside", "outside"),
    [
        ("[2.5.0,3.0.0)", ["2.5", "2.99"], ["3.0.0", "2.4.9", "3.0.0-pre1"]),
        ("(2.5,3.0]", ["2.5.1", "3", "3.0-pre1"], ["2.5.0", "3.0.1"]),
        ("[3.0.2]", ["3.0.2"], ["3.0.1", "3.0.3"]),
        ("[1,2),[3,4)", ["1.5", "3.9"], ["2", "2.5", "4"]),
        (">=2.6 <3", ["2.6", "2.9"], ["3.0"]),
        (">=2.6,<3.2,!=3.0.2", ["2.6", "3.1"], ["3.0.2", "3.2"]),
        ("~=2.6", ["2.6", "2.9"], ["3.0", "2.5"]),
        ("==2.6.*", ["2.6.9"], ["2.7"]),
        ("^2.6.1", ["2.6.1", "2.99"], ["3.0", "2.6"]),
        ("^0.2.3", ["0.2.9"], ["0.3"]),
        ("~2.6.1", ["2.6.9"], ["2.7"]),
        ("~> 2.6", ["2.6", "2.9"], ["3.0", "2.5"]),
        ("~> 2.6.1", ["2.6.1", "2.6.9"], ["2.7", "2.6.0"]),
        ("~> 2", ["2", "2.9"], ["3", "1.9"]),
        ("2.x || 3.0.*", ["2.0", "2.9", "3.0.7"], ["3.1"]),
        ("2.5 - 3.0", ["2.5", "3.0"], ["3.0.1"]),
        ("2.6.1, 3.0.2", ["2.6.1", "3.0.2"], ["2.6.2"]),
        ("[2.5,)", ["99"], ["2.4"]),
        ("*", ["0"], []),
    ],
)
def test_range_ends_are_inclusive_and_exclusive(text: str, inside: list[str], outside: list[str]) -> None:
    range_ = parse_range(text)
    assert all(range_.contains(parse_release(item)) for item in inside)
    assert not any(range_.contains(parse_release(item)) for item in outside)


@pytest.mark.parametrize(
    ("before", "release", "after"),
    [
        ("[2.5.0,3.0.0)", "3.1.0", "[2.5.0,3.1.0]"),
        ("[2.6.1]", "3.0.2", "[2.6.1,3.0.2]"),
        ("[1,2), [2.5,3)", "3.0.2", "[1,2), [2.5,3.0.2]"),
        (">= 2.6, < 3.0", "3.1", ">= 2.6, <= 3.1"),
        (">=2.6,<3.0,!=2.6.3", "3.1", ">=2.6,<=3.1,!=2.6.3"),
        ("~=2.6", "3.1", ">=2.6, <=3.1"),
        ("!=3.1, >=2", "3.1", ">=2"),
        ("^2.6", "3.1.0", "^2.6 || ^3.1.0"),
        ("~2.6 || ~3.0", "3.1.0", "~2.6 || ~3.0 || ~3.1.0"),
        ("2.x", "3.1.0", "2.x, 3.x"),
        ("2.6.1, 3.0.2", "3.1.0", "2.6.1, 3.0.2, 3.1.0"),
        ("2.5 - 3.0", "3.1", "2.5 - 3.1"),
    ],
)
def test_range_is_widened_in_its_own_style(before: str, release: str, after: str) -> None:
    assert str(parse_range(before).widened(parse_release(release))) == after


@pytest.mark.parametrize(
    "text", ["[2.5", "(3.0)", "2.5,3.0)", "nearly 3", ">=", "[a,b)", "~=3", "[1,2),", ">=*", "^2.x"]
)
def test_what_is_no_range_is_refused(text: str) -> None:
    with pytest.raises(MisuseError):
        parse_range(text)
