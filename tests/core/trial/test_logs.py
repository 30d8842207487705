"""Logs are compared by what they say; what changes from run to run is no difference, and order between threads is none."""

from __future__ import annotations

import random
import re

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fernshale.core.base.bounded_regex import Budget
from fernshale.core.profile.model import LogShape, SeverityRule
from fernshale.core.trial import log_diff, log_messages
from fernshale.core.trial.log_diff import compare_logs
from fernshale.core.trial.log_messages import literal_parts, read_messages, template_of

_PLAIN = LogShape()
_WORDS = [
    "loading pier",
    "lamp lit",
    "boat moors",
    "tide turns",
    "gull cries",
    "error: rope torn",
    "warning: low water",
]


def _line(word: str, rng: random.Random) -> str:
    stamp = f"2026-11-{rng.randint(10, 28)} {rng.randint(10, 23)}:{rng.randint(10, 59)}:{rng.randint(10, 59)}.{rng.randint(100, 999)}"
    return f"[{stamp}] {word} 0x{rng.getrandbits(40):x} in /tmp/run{rng.randint(1, 99)}/a.txt took {rng.randint(1, 900)} ms"


@given(st.lists(st.sampled_from(_WORDS), max_size=30), st.integers(0, 9), st.integers(10, 19))
def test_two_runs_that_say_the_same_do_not_differ(words: list[str], one: int, other: int) -> None:
    first = [_line(word, random.Random(one)) for word in words]
    second = [_line(word, random.Random(other)) for word in words]
    found = compare_logs(first, second, _PLAIN)
    assert found.differences == () and all(line.sign == "same" for line in found.lines)


@given(st.text("0x19afgX \n", max_size=60))
def test_digits_of_numbers_and_of_addresses_are_one(text: str) -> None:
    data = re.sub("[1-9]", "0", text).encode()
    plain = re.sub(rb"(?<=0x)[0-9a-f]+", lambda found: b"0" * len(found[0]), data)
    assert log_messages._lines_without_digits(text.encode()) == plain.split(b"\n")


@given(
    st.lists(st.sampled_from(_WORDS), min_size=1, max_size=40),
    st.lists(st.sampled_from(_WORDS), min_size=1, max_size=40),
)
def test_signs_are_those_of_the_counts(before: list[str], now: list[str]) -> None:
    found = compare_logs(before, now, _PLAIN)
    signs = {item.template: item.sign for item in found.differences}
    for word in set(before) | set(now):
        sign, old, new = signs.get(template_of(word, _PLAIN, Budget()), "same"), before.count(word), now.count(word)
        if not old or not new:
            assert sign == ("new" if new else "gone")
        else:
            assert sign not in ("new", "gone")
            assert (sign == "more") <= (new > old) and (sign == "less") <= (new < old)
    shown = [line.text for line in found.lines if line.now]
    assert shown == now
    mirrored = {item.template: item.sign for item in compare_logs(now, before, _PLAIN).differences}
    swap = {"new": "gone", "gone": "new"}
    assert {key for key, sign in signs.items() if sign in swap} == {
        key for key, sign in mirrored.items() if sign in swap
    }


def test_neighbours_that_change_places_are_no_news_but_what_moved_far_is() -> None:
    before = [f"step {word}" for word in ("a", "b", "c", "d", "e", "f")]
    side_by_side = [before[at] for at in (1, 0, 2, 3, 5, 4)]
    assert compare_logs(before, side_by_side, _PLAIN).differences == ()
    moved = [*before[1:], before[0]]
    assert [(item.sign, item.sample) for item in compare_logs(before, moved, _PLAIN).differences] == [
        ("moved", "step a")
    ]


def test_worst_comes_first_and_severity_goes_by_the_profile_or_by_the_usual_words() -> None:
    now = ["all well", "WARNING: lamp is dim", "terror in the harbour", "Error: rope torn"]
    found = compare_logs([], now, _PLAIN).differences
    assert [(item.severity, item.sample) for item in found] == [
        ("error", "Error: rope torn"),
        ("warning", "WARNING: lamp is dim"),
        ("", "all well"),
        ("", "terror in the harbour"),
    ]
    own = compare_logs([], now, LogShape((), (SeverityRule("error", "^terror"),))).differences
    assert [item.sample for item in own if item.severity] == ["terror in the harbour"]


def test_a_long_log_is_shown_message_by_message_and_counts_are_kept() -> None:
    rng = random.Random(3)
    before = "\n".join(_line(rng.choice(_WORDS[:5]), rng) for _ in range(30_000)).encode()
    now = "\n".join([*(_line(rng.choice(_WORDS[1:5]), rng) for _ in range(30_000)), "error: rope torn"]).encode()
    found = compare_logs(before, now, _PLAIN)
    assert found.is_condensed and len(found.lines) == 6
    assert [
        (item.sign, item.sample.split("] ")[-1][:12]) for item in found.differences if item.sign in ("new", "gone")
    ] == [
        ("new", "error: rope "),
        ("gone", "loading pier"),
    ]
    assert sum(item.count for item in read_messages(before, _PLAIN).of.values()) == 30_000


def test_the_words_that_stand_in_code() -> None:
    assert literal_parts(template_of("pier 12 is kept by Mirre, 3 boats", _PLAIN, Budget()))[0] == "is kept by Mirre"


@given(st.lists(st.sampled_from(_WORDS), max_size=30), st.integers(0, 9))
def test_lines_are_counted_and_placed_by_what_they_say(words: list[str], seed: int) -> None:
    rng = random.Random(seed)
    lines = [_line(word, rng) for word in words]
    found = read_messages("\n".join(lines).encode(), _PLAIN)
    templates = [template_of(line, _PLAIN, Budget()) for line in lines]
    assert [found.templates[number] for number in found.order] == templates
    for template, item in found.of.items():
        assert (item.count, item.first, item.sample) == (
            templates.count(template), templates.index(template), lines[templates.index(template)],
        )  # fmt: skip


def test_large_logs_are_read_by_two_processes_with_the_same_result(monkeypatch: pytest.MonkeyPatch) -> None:
    rng = random.Random(3)
    old, new = ("\n".join(_line(rng.choice(_WORDS), rng) for _ in range(200)).encode() for _ in range(2))
    alone = compare_logs(old, new, _PLAIN)
    monkeypatch.setattr(log_diff, "_LARGE", 0)
    assert compare_logs(old, new, _PLAIN) == alone and alone.lines
