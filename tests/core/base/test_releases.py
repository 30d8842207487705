from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from packaging.version import Version

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.ranges import Range, parse_range
from fernshale.core.base.release import parse_release

_NUMBERS = st.lists(st.integers(0, 40), min_size=1, max_size=4).map(lambda parts: ".".join(map(str, parts)))
_RELEASES = st.tuples(_NUMBERS, st.sampled_from(["", "rc1", "a2", "b10"])).map("".join)


@given(_RELEASES, _RELEASES)
def test_order_agrees_with_a_known_library(left: str, right: str) -> None:
    assert (parse_release(left) < parse_release(right)) == (Version(left) < Version(right))
    assert (parse_release(left) == parse_release(right)) == (Version(left) == Version(right))


def test_previews_come_before_their_release() -> None:
    order = ["3.1.9", "3.2.0-alpha", "3.2.0-alpha.2", "3.2.0-pre1", "3.2.0-pre10", "3.2.0", "3.2.0.1"]
    assert sorted([*order[4:], *order[:4]], key=parse_release) == order


@pytest.mark.parametrize("text", ["", "three", "3..1", "3.x", "[3,4)"])
def test_what_is_no_release_is_refused(text: str) -> None:
    with pytest.raises(MisuseError):
        parse_release(text)


@st.composite
def _ranges(draw: st.DrawFn) -> str:
    low, high = sorted((draw(_NUMBERS), draw(_NUMBERS)), key=parse_release)
    if draw(st.booleans()):
        opening, closing, gap = (
            draw(st.sampled_from("[(")),
            draw(st.sampled_from("])")),
            draw(st.sampled_from([",", ", "])),
        )
        return f"{opening}{low}{gap}{high}{closing}"
    return f"{draw(st.sampled_from(['>=', '>']))}{low}, {draw(st.sampled_from(['<=', '<']))}{high}"


@given(_ranges())
def test_range_is_written_back_as_it_was(text: str) -> None:
    assert str(parse_range(text)) == text


@given(_ranges(), _RELEASES, _RELEASES)
def test_widened_range_holds_what_it_held_and_the_new_release(text: str, release: str, other: str) -> None:
    before = parse_range(text)
    after: Range = before.widened(parse_release(release))
    assert after.contains(parse_release(release))
    if before.contains(parse_release(other)):
        assert after.contains(parse_release(other))
    assert parse_range(str(after)) == after


@pytest.mark.parametrize(
    ("text", "inside", "outside"),
    [
        ("[2.5.0,3.0.0)", ["2.5", "2.99"], ["3.0.0", "2.4.9"]),
        ("(2.5,3.0]", ["2.5.1", "3"], ["2.5.0", "3.0.1"]),
        ("[3.0.2]", ["3.0.2"], ["3.0.1", "3.0.3"]),
        (">=2.6 <3", ["2.6", "2.9"], ["3.0"]),
        ("[2.5,)", ["99"], ["2.4"]),
        ("*", ["0"], []),
    ],
)
def test_range_ends_are_inclusive_and_exclusive(text: str, inside: list[str], outside: list[str]) -> None:
    range_ = parse_range(text)
    assert all(range_.contains(parse_release(item)) for item in inside)
    assert not any(range_.contains(parse_release(item)) for item in outside)


@pytest.mark.parametrize("text", ["[2.5", "(3.0)", "2.5,3.0)", "nearly 3", ">=", "[a,b)"])
def test_what_is_no_range_is_refused(text: str) -> None:
    with pytest.raises(MisuseError):
        parse_range(text)
