"""A release is written as the place writes releases: prefix, separator, and number of zeros."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.release import parse_release
from fernshale.core.base.release_notation import is_series_of, read_written, series_like, written_like


@pytest.mark.parametrize(
    ("text", "to", "expected"),
    [
        ("2.6.1", "3.0.2", "3.0.2"),
        ("v2.6.1", "3.0.2", "v3.0.2"),
        ("5_0", "5.1", "5_1"),
        ("5_0", "5.1.2", "5_1_2"),
        ("5.0", "5.1.0", "5.1"),
        ("5.0.0", "5.1", "5.1.0"),
        ("release-5.0", "6.0.0", "release-6.0"),
        ("2031.2.4p1", "2032.1.0", "2032.1.0"),
        ("5.0", "6.0.0-rc.1", "6.0-rc.1"),
    ],
)
def test_it_is_written_as_before(text: str, to: str, expected: str) -> None:
    assert written_like(text, to) == expected


def test_a_series_stays_a_series() -> None:
    assert series_like("2.6", "2.7.1") == "2.7" and series_like("v2", "3.1.0-pre1") == "v3"
    assert is_series_of(parse_release("2.6"), parse_release("2.6.3"))
    assert not is_series_of(parse_release("2.6.3"), parse_release("2.6.3"))
    assert not is_series_of(parse_release("2.5"), parse_release("2.6.3"))


def test_what_is_no_release_is_told() -> None:
    assert read_written("latest") is None and read_written("") is None
    with pytest.raises(MisuseError):
        written_like("latest", "1.0")


_RELEASE = st.lists(st.integers(0, 99), min_size=1, max_size=4).map(lambda parts: ".".join(map(str, parts)))


@given(_RELEASE, _RELEASE, st.sampled_from(("", "v", "kiln-", "kiln_")), st.sampled_from("._"))
def test_the_number_written_is_the_release(old: str, new: str, prefix: str, separator: str) -> None:
    text = prefix + old.replace(".", separator)
    written = written_like(text, new)
    assert written.startswith(prefix) and read_written(written) == parse_release(new)
    assert written_like(written, old) and read_written(text) == parse_release(old)
