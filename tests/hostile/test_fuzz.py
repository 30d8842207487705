"""Readers of every format on random texts near their own: whatever comes, they read it or raise an error of ours."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from fernshale.core.base.bounded_regex import Budget
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.limits import Limits
from fernshale.core.base.parse_errors import compose_yaml
from fernshale.core.base.ranges import parse_range
from fernshale.core.base.release import parse_release
from fernshale.core.base.textfile import read_text
from fernshale.core.base.toml_schema import parse_toml
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.build.reading import read_diagnostics
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.data.formats import USUAL
from fernshale.core.drift.parsing import read_source
from fernshale.core.drift.value_equality import Constants, is_same_value
from fernshale.core.fix.apply import find_edits
from fernshale.core.fix.call_acceptance import accepts, arguments_after
from fernshale.core.fix.code_patterns import parse_pattern
from fernshale.core.fix.dropped_text import dropped_by
from fernshale.core.fix.rules import RewriteRule
from fernshale.core.profile.model import LogShape, Profile, Reach
from fernshale.core.route.shelf_addresses import clean_address
from fernshale.core.route.shelf_file import parse_shelf_file
from fernshale.core.survey.mentions import find_mentions
from fernshale.core.survey.value_access import find_values
from fernshale.core.trial.frame_times import read_frames
from fernshale.core.trial.log_messages import read_messages, template_of

_PIECES: dict[str, list[str]] = {
    "json": [
        "{",
        "}",
        "[",
        "]",
        ":",
        ",",
        '"',
        '"a"',
        "1",
        "-",
        "e9",
        "true",
        "null",
        "\\",
        "\\u00",
        "//",
        "/*",
        "\n",
        " ",
    ],
    "yaml": [
        "a",
        ":",
        "- ",
        "  ",
        "\n",
        "[",
        "]",
        "{",
        "}",
        "&x",
        "*x",
        "!!int ",
        "|",
        ">",
        "'",
        '"',
        "#",
        "---",
        "? ",
        "1",
        "<<",
    ],
    "toml": [
        "a",
        ".",
        " = ",
        "1",
        '"',
        "'",
        "[",
        "]",
        "[[",
        "]]",
        "\n",
        "{",
        "}",
        ",",
        '"""',
        "#",
        "2001-01-01",
        "1e9",
        "\r\n",
    ],
    "xml": [
        "<",
        ">",
        "/",
        "a",
        "</a>",
        "<a>",
        "=",
        '"',
        "'",
        "&",
        ";",
        "<!--",
        "-->",
        "<![CDATA[",
        "]]>",
        "<?",
        "?>",
        " ",
        "\n",
    ],
    "ini": ["a", "=", "[", "]", "\n", ";", "#", " ", "1.0", ":", "\r", '"', "\\"],
    "properties": ["a", "=", ":", "\\", "\n", "#", "!", " ", "\\u00e4", "1"],
    "gradle": ["a", "{", "}", "(", ")", "=", '"', "'", "'''", "//", "/*", "*/", "\n", ".", "1.0", ";"],
    "cmake": ["set", "(", ")", "A", " ", '"', "\\", "#", "[[", "]]", "[=[", "\n", "1.0"],
}
_REACH = {
    "json": Reach(json="/a/0"), "yaml": Reach(yaml="/a/0"), "toml": Reach(toml="a.b"), "xml": Reach(xml="/a/@a"),
    "ini": Reach(ini="a.a"), "properties": Reach(properties="a"), "gradle": Reach(script="a.a"), "cmake": Reach(cmake="set A"),
}  # fmt: skip


def _texts(pieces: list[str]) -> st.SearchStrategy[str]:
    return st.lists(st.one_of(st.sampled_from(pieces), st.text(max_size=3)), max_size=40).map("".join)


@pytest.mark.parametrize("kind", _PIECES)
def test_settings_files(kind: str) -> None:
    @settings(max_examples=120)
    @given(_texts(_PIECES[kind]))
    def check(text: str) -> None:
        path = TreePath(f"a.{kind}")
        with suppress(FernshaleError):
            find_values(text, _REACH[kind], path)
        with suppress(FernshaleError):
            list(USUAL.values(path, text))
        with suppress(FernshaleError):
            document = USUAL.document(path, text)
            assert document is None or document.root.canon is not None
        for mention in find_mentions(path, text):
            assert text[mention.value.start : mention.value.end] == mention.text

    check()


_LINE = _texts(
    ["a.cpp", ":", "1", "(", ")", ",", " error: ", "warning", "note: ", "\n", "  ", "^~~", "[", "]", "{", "}", '"', "In file included from ",
     "make[1]: Entering directory '", "'", "Traceback (most recent call last):\n", '  File "a.py", line ', "undefined reference to `x'",
     "error[E0425]", " --> ", "\x1b[31m", "\\", "/"]
)  # fmt: skip


@settings(max_examples=200)
@given(_LINE)
def test_build_output(text: str) -> None:
    read_diagnostics(text.split("\n"), ())


@pytest.mark.parametrize("ending", [".h", ".hpp", ".cs", ".java", ".rs", ".py", ".ts", ".js", ".lua"])
def test_sources(ending: str) -> None:
    pieces = [
        "class ",
        "A",
        " { ",
        " } ",
        "(",
        ")",
        ";",
        "int ",
        "f",
        "=",
        "1",
        "<",
        ">",
        ",",
        "\n",
        "    ",
        "#",
        "//",
        "/*",
        '"',
        "def ",
        ":",
    ]

    @settings(max_examples=60)
    @given(_texts(pieces))
    def check(text: str) -> None:
        read_source(text.encode("utf-8", "surrogatepass"), f"a{ending}")
        rule = RewriteRule("r", "w", pattern="f($a, $$b)", replacement="g($a)")
        dropped_by(rule, find_edits(rule, TreePath(f"a{ending}"), text), is_declared=True)
        arguments_after(text, f"a{ending}", 0)

    check()


_shapes = st.recursive(
    st.one_of(st.none(), st.booleans(), st.integers(), st.text(max_size=5)),
    lambda inner: st.one_of(st.lists(inner, max_size=3), st.dictionaries(st.text(max_size=3), inner, max_size=3)),
    max_leaves=8,
)


@given(st.lists(_shapes, max_size=3))
def test_change_sets_of_a_journal(data: list[object]) -> None:
    with suppress(ValueError, KeyError, TypeError, IndexError, FernshaleError):  # as `recover` and the crossing expect
        ChangeSet.from_json(data)


_READERS: dict[str, Callable[[str], object]] = {
    "release": parse_release,
    "range": parse_range,
    "pattern": parse_pattern,
    "profile": lambda text: parse_toml(f'format = "f"\n{text}', Path("p"), Profile, "f"),
    "limits": lambda text: parse_toml(f'format = "f"\n{text}', Path("p"), Limits, "f"),
    "shelf": lambda text: parse_shelf_file(f'format = "fernshale-shelf/1"\n{text}', Path("s")),
    "address": lambda text: clean_address(f"http://{text}"),
    "signature": lambda text: accepts(text, ("", "a")),
    "log": lambda text: read_messages(text.encode("utf-8", "surrogatepass"), LogShape()),
    "template": lambda text: template_of(text, LogShape(volatile=(r"\d+",)), Budget()),
    "printable": printable,
    "bytes": lambda text: read_text(text.encode("utf-16", "surrogatepass")),
}


@pytest.mark.parametrize("name", _READERS)
def test_small_languages(name: str) -> None:
    pieces = [
        "1",
        ".",
        "-",
        "rc",
        "!",
        "+",
        ">=",
        "<",
        ",",
        " ",
        "||",
        "^",
        "~",
        "*",
        "x",
        "[",
        ")",
        "$a",
        "$$b",
        "(",
        "\n",
        '"',
        "=",
        "id",
        "@",
        ":",
        "\\",
    ]

    @settings(max_examples=150)
    @given(_texts(pieces))
    def check(text: str) -> None:
        with suppress(FernshaleError):
            _READERS[name](text)

    check()


@given(st.text(max_size=200))
def test_nothing_printable_moves_a_cursor(text: str) -> None:
    shown = printable(text)
    assert not [
        sign
        for sign in shown
        if (ord(sign) < 32 and sign not in "\n\t") or 0x7F <= ord(sign) < 0xA0 or sign in "\u202e\u2066"
    ]
    assert printable(shown) == shown


@given(_texts(["1", ".", "e", "-", '"', "'", "0x", "f", "A", "::", "!", "true", "u", "_", " "]), st.text(max_size=6))
def test_values_are_compared_whatever_they_are(one: str, other: str) -> None:
    none = Constants(Path(), ())
    assert is_same_value(one, one, none, none)
    assert is_same_value(one, other, none, none) is is_same_value(other, one, none, none)


@given(st.binary(max_size=300))
def test_frame_times(tmp_path_factory: pytest.TempPathFactory, data: bytes) -> None:
    path = tmp_path_factory.mktemp("frames") / "frames.csv"
    path.write_bytes(b"frame,ms\n" + data)
    with suppress(FernshaleError, OSError):
        read_frames(path, "ms", 1000.0)


def test_an_anchor_that_is_used_twice_is_read() -> None:
    (node,) = compose_yaml("&x [&x a, *x]")
    assert [item.value for item in node.value] == ["a", "a"]
