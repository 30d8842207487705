"""What compilers show below their errors as the line to write instead."""

from __future__ import annotations

import json

import pytest

from fernshale.core.build.reading import read_diagnostics

_PLACE = ["error[E0308]: mismatched types", "   --> src/a.rs:7:10", "    |"]
_SOURCE = [*_PLACE, '  7 |     .short("v")', "    |            ^^^ expected `char`, found `&str`", "    |"]


def _suggested(*lines: str) -> list[list[tuple[int, str, str]]]:
    (found,) = read_diagnostics(lines, ())
    return [[(line.place.line, line.old, line.new) for line in lines] for lines in found.suggestions]


@pytest.mark.parametrize(
    ("below", "found"),
    [
        # A changed line, as it was and as it becomes.
        (["help: use single quotes", "    |", "  7 -     .short(\"v\")", "  7 +     .short('v')", "    |"],
         [(7, "    .short(\"v\")", "    .short('v')")]),
        # Marks below what is added, and below what replaces.
        (["help: borrow it", "    |", "  7 |     .short(&\"v\")", "    |            +"],
         [(7, "    .short(\"v\")", "    .short(&\"v\")")]),
        (["help: use single quotes", "    |", "  7 |     .short('v')", "    |            ~~~"],
         [(7, "    .short(\"v\")", "    .short('v')")]),
        # The code of a note is of another place, and the help after it is of this one.
        (["note: method defined here", "   --> src/lib.rs:9:1", "    |", "  9 | fn short(s: char)", "    |    ^^^^^",
          "help: use single quotes", "    |", "  7 -     .short(\"v\")", "  7 +     .short('v')"],
         [(7, "    .short(\"v\")", "    .short('v')")]),
    ],
)  # fmt: skip
def test_a_changed_line_is_read_with_its_old_text(below: list[str], found: list[tuple[int, str, str]]) -> None:
    assert _suggested(*_SOURCE, *below) == [found]


@pytest.mark.parametrize(
    "below",
    [
        ["help: consider importing this", "    |", "  1 + use wick::Glow;", "    |"],
        ["help: do both", "    |", "  7 -     .short(\"v\")", "  7 +     .short(", "  8 +     'v')"],
        ["help: all of it", "    |", "  7 ~     .short(", "  8 ~     'v')"],
        ["help: much", "    |", "  7 -     .short(\"v\")", "...", "  7 +     .short('v')"],
        ["help: there is a method `shore` with a similar name", "    |", "  7 -     .short(\"v\")", "  7 +     .shore(\"v\")"],
        ["help: in the other file", "   --> src/lib.rs:7:1", "    |", "  7 -     .short(\"v\")", "  7 +     .short('v')"],
        ["help: provide the argument", "    |", "  7 |     .short(\"v\"/* , u8 */)", "    |               +++++++++"],
        # Marks below a line that is not the one of the error.
        ["help: borrow it", "    |", "  7 |     .shore(&\"v\")", "    |            +"],
    ],
)  # fmt: skip
def test_what_adds_lines_or_is_not_whole_is_no_suggestion(below: list[str]) -> None:
    assert _suggested(*_SOURCE, *below) == []


@pytest.mark.parametrize(
    ("source", "label", "new"),
    [
        (
            "fn go(lamp: &Lamp<'a>) {",
            "             ^^^^---- help: remove the unnecessary generics",
            "fn go(lamp: &Lamp) {",
        ),
        ("    go(lamp);", "       ^^^^ help: consider borrowing here: `&lamp`", "    go(&lamp);"),
        ("    lamp.glw();", "         ^^^ help: there is a method with a similar name: `glow`", None),
        ("    lamp.glw();", "         ^^^ help: look it up", None),
    ],
)
def test_a_help_at_the_code_itself_changes_what_is_marked(source: str, label: str, new: str | None) -> None:
    lines = ["error[E0107]: wrong", " --> src/a.rs:3:9", "  |", f"3 | {source}", f"  | {label}"]
    assert _suggested(*lines) == ([] if new is None else [[(3, source, new)]])


def test_several_suggestions_are_kept_apart() -> None:
    one = ["help: use single quotes", "    |", '  7 -     .short("v")', "  7 +     .short('v')"]
    two = ["help: or take its first letter", "    |", '  7 |     .short("v".first())', "    |               ++++++++"]
    found = _suggested(*_SOURCE, *one, "    |", *two)
    assert [new for lines in found for _, _, new in lines] == ["    .short('v')", '    .short("v".first())']


def test_the_reason_at_the_code_belongs_to_a_message_that_says_nothing_without_it() -> None:
    (plain,) = read_diagnostics(_SOURCE, ())
    assert plain.message == "mismatched types: expected `char`, found `&str`"
    span = {"file_name": "src/a.rs", "line_start": 7, "line_end": 7, "column_start": 12, "column_end": 15, "is_primary": True,
            "label": "expected `char`, found `&str`", "text": [{"text": "    .short(\"v\")"}]}  # fmt: skip
    child = {"message": "use single quotes", "level": "help", "spans": [{**span, "suggested_replacement": "'v'"}]}
    message = {
        "message": "mismatched types",
        "level": "error",
        "code": {"code": "E0308"},
        "spans": [span],
        "children": [child],
    }
    (data,) = read_diagnostics([json.dumps({"reason": "compiler-message", "message": message})], ())
    assert data.message == plain.message
    ((line,),) = data.suggestions
    assert (line.place.file, line.place.line, line.old, line.new) == (
        "src/a.rs",
        7,
        '    .short("v")',
        "    .short('v')",
    )


def test_an_error_about_several_imports_is_one_for_each() -> None:
    lines = [
        "error[E0432]: unresolved imports `wick::Glow`, `wick::Shade`",
        " --> src/a.rs:3:12",
        "  |",
        "3 | use wick::{Glow, Shade};",
    ]
    found = read_diagnostics(lines, ())
    assert [(item.message, item.place.line) for item in found] == [
        ("unresolved import `wick::Glow`", 3), ("unresolved import `wick::Shade`", 3)
    ]  # fmt: skip
