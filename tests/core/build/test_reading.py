"""Every tool's words, alone, one after another, mixed, and in long logs."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.build.diagnostics import Diagnostic, SourcePlace
from fernshale.core.build.owners import Owned
from fernshale.core.build.path_mapping import ProjectFiles
from fernshale.core.build.reading import Reader, log_reader, read_diagnostics, read_log
from fernshale.core.build.reading.log_lines import LogLines
from fernshale.core.build.sarif import write_sarif
from tests.conftest import Tree
from tests.core.build.snippets import SNIPPETS, Snippet


def _seen(found: tuple[Diagnostic, ...] | list[Diagnostic]) -> list[tuple[str, int, int, str, str]]:
    return [(item.place.file, item.place.line, item.place.column, item.severity, item.code) for item in found]


@pytest.mark.parametrize("snippet", SNIPPETS, ids=lambda snippet: snippet.tool)
def test_each_tool_is_read(snippet: Snippet) -> None:
    found = read_diagnostics(snippet.text.splitlines(), ())
    assert _seen(found) == list(snippet.expected)
    assert sum(len(item.notes) for item in found) == snippet.notes
    assert all(item.message for item in found)


@given(st.lists(st.sampled_from(SNIPPETS), min_size=1, max_size=8, unique=True))
def test_tools_do_not_disturb_each_other(snippets: list[Snippet]) -> None:
    text = "".join(snippet.text for snippet in snippets)
    found = read_diagnostics(text.splitlines(), ())
    assert _seen(found) == [item for snippet in snippets for item in snippet.expected]


@given(st.lists(st.sampled_from(SNIPPETS), min_size=1, max_size=6, unique=True), st.integers(1, 3), st.booleans())
@example([item for tool in ("clang", "rustc", "pyright") for item in SNIPPETS if item.tool == tool], 3, False)
def test_a_long_log_is_read_as_line_by_line(snippets: list[Snippet], times: int, folders: bool) -> None:
    pieces = [snippet.text for snippet in snippets]
    if folders:
        pieces = [f"make[1]: Entering directory '/game/{n}'\n{text}" for n, text in enumerate(pieces)]
    text = "".join(pieces) * times
    slow = read_diagnostics(text.split("\n"), ())
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(log_reader, "_LONG", 0)
        fast = read_log(text.encode(), ())
    assert {item.key for item in fast} == {item.key for item in slow}
    assert {item.key: item.notes for item in fast} == {item.key: item.notes for item in slow}


@pytest.mark.parametrize("between", ["1 error, 0 warnings, 0 informations", "make[1]: Entering directory '/game/2'"])
def test_reasons_end_where_another_line_comes(between: str) -> None:
    said = [
        "m.py",
        "  m.py:1:1 - error: not so (reportX)",
        '    "a" is no "b"',
        between,
        "   Compiling game v0.1.0 (/game)",
        "   of all",
    ]
    (item,) = read_diagnostics(said, ())
    assert [note.message for note in item.notes] == ['"a" is no "b"']


@given(
    st.lists(
        st.sampled_from(["a: error: b", ": error: ", "note", "", "\n", "\n", "x\n", "in\nthree\nlines"]), max_size=12
    ).map("".join),
    st.integers(1, 3),
)
def test_lines_of_a_log_are_those_between_its_ends(text: str, times: int) -> None:
    data = (text * times).encode()
    lines, plain = LogLines(data), data.split(b"\n")
    assert [lines.line(number) for number in range(len(lines))] == plain == lines.between(0, len(lines))
    assert lines.different() == set(plain)
    for wanted in ({b"note"}, {b"a: error: b", b""}, set(plain)):
        hits = lines.find(sorted(wanted))
        found = [(at, hits.texts[which]) for at, which in zip(hits.numbers, hits.which, strict=True)]
        assert found == [(at, line) for at, line in enumerate(plain) if line in wanted]


@given(st.text(alphabet="ab:/.([{\"'\n -|>0123 error:warnigt\x1b[m", max_size=300))
def test_any_text_is_read_without_a_fault(text: str) -> None:
    found = read_diagnostics(text.split("\n"), ())
    assert all(item.severity in ("error", "warning") for item in found)


def test_a_document_that_breaks_off_is_read_as_lines() -> None:
    found = read_diagnostics(['{"version": "2.1.0", "runs": [', "a.cpp:1:2: error: x", "b.cpp:1:2: error: y"], ())
    assert [item.place.file for item in found] == ["a.cpp", "b.cpp"]
    odd = read_diagnostics(['[{"kind": 3, "locations": 4}]', '{"runs": 5}', "a.cpp:1:2: error: x"], ())
    assert [item.place.file for item in odd] == ["a.cpp"]


def test_diagnostics_come_while_the_build_runs() -> None:
    reader = Reader(())
    assert list(reader.feed("a.cpp:1:2: error: one")) == []  # notes may follow
    (first,) = reader.feed("a.cpp:3:2: error: two")
    assert first.message == "one" and [item.message for item in reader.finish()] == ["two"]


def test_notes_of_compilers_that_run_at_once_go_to_their_own() -> None:
    lines = ["a.cpp:1:2: error: one", "b.cpp:1:2: error: two", "a.cpp:9:2: note: for one", "h.hpp:3:1: note: for two"]
    one, two = read_diagnostics(lines, ())
    assert [note.message for note in one.notes] == ["for one"]
    assert [note.message for note in two.notes] == ["for two"]
    torn = read_diagnostics(["a.cpp:1:2: error: one of src/b.cpp:4:5: error: two"], ())
    assert [(item.place.file, item.place.line) for item in torn] == [("a.cpp", 1), ("src/b.cpp", 4)]


def test_a_failure_without_a_reason_is_told_all_the_same() -> None:
    (found,) = read_diagnostics(["sh -c 'exit 3'", "make: *** [Makefile:4: b] Error 3"], ())
    assert (found.place.file, found.place.line) == ("Makefile", 4)
    found = read_diagnostics(["a.cpp:1:2: error: x", "make: *** [Makefile:4: b] Error 3"], ())
    assert [item.place.file for item in found] == ["a.cpp"]


def test_a_message_that_is_printed_again_counts_as_one() -> None:
    lines = ["a.cpp:1:2: error: x", "a.cpp:4:2: note: n", "b.cpp:1:1: error: y", "[ERROR] a.cpp:1:2: error: x"]
    found = read_diagnostics(lines, ())
    assert [(item.place.file, item.count, len(item.notes)) for item in found] == [("a.cpp", 2, 1), ("b.cpp", 1, 0)]


def test_real_json_and_text_of_the_compiler_agree(tree: Tree) -> None:
    source = "struct B { virtual void go() = 0; };\nstruct D : B {};\nint f(int);\nint main() { D d; return f(); }\n"
    root = tree("game", {"a.cpp": source})
    outputs = [
        subprocess.run(["g++", *flags, "-c", "a.cpp"], cwd=root, capture_output=True, text=True).stderr
        for flags in ([], ["-fdiagnostics-format=json"], ["-fdiagnostics-color=always"])
    ]
    plain, as_json, coloured = (read_diagnostics(text.split("\n"), ()) for text in outputs)
    assert _seen(plain) == _seen(as_json) == _seen(coloured) and len(plain) == 2
    assert [len(item.notes) for item in plain] == [len(item.notes) for item in as_json]


def test_real_tracebacks_and_checkers(tree: Tree) -> None:
    root = tree("game", {"m.py": "def f(x: int) -> str:\n    return x\n\ndef g() -> None:\n    f('a').nope\n\ng()\n"})
    ran = subprocess.run([sys.executable, "m.py"], cwd=root, capture_output=True, text=True)
    (crash,) = read_diagnostics(ran.stderr.split("\n"), ())
    assert (Path(crash.place.file).name, crash.place.line, crash.code) == ("m.py", 5, "AttributeError")
    assert [place.line for place in crash.context] == [7]
    checked = subprocess.run([sys.executable, "-m", "mypy", "m.py"], cwd=root, capture_output=True, text=True)
    found = read_diagnostics(checked.stdout.split("\n"), ())
    assert {(item.place.line, item.code) for item in found} >= {(2, "return-value"), (5, "attr-defined")}


def test_files_are_found_whatever_folder_the_tool_works_in(tmp_path: Path) -> None:
    files = ProjectFiles(tmp_path, ["src/a.cpp", "src/deep/a.cpp", "lib/only.hpp", "x/string.h"])
    assert files.find(SourcePlace("src/a.cpp", 1)) == "src/a.cpp"
    assert files.find(SourcePlace(f"{tmp_path}/src/gone.cpp", 1)) == "src/gone.cpp"
    assert files.find(SourcePlace("a.cpp", 1, 0, str(tmp_path / "src"))) == "src/a.cpp"
    assert files.find(SourcePlace("../../lib/only.hpp", 1)) == "lib/only.hpp"
    assert files.find(SourcePlace("/container/build/src/deep/a.cpp", 1)) == "src/deep/a.cpp"
    assert files.find(SourcePlace("deep\\a.cpp", 1)) == "src/deep/a.cpp"
    assert files.find(SourcePlace("only.hpp", 1)) == "lib/only.hpp"
    assert files.find(SourcePlace("/usr/include/string.h", 1)) is None  # the machine's own
    assert files.find(SourcePlace("/container/string.h", 1)) is None  # a name alone is too little of an absolute path
    assert files.find(SourcePlace("a.cpp", 1)) in (None, "a.cpp")  # two have that name


def test_sarif_is_written_so_that_it_reads_back() -> None:
    text = "".join(snippet.text for snippet in SNIPPETS)
    found = [item for item in read_diagnostics(text.splitlines(), ()) if item.place.file]
    written = write_sarif([Owned(item, "own", item.place) for item in found], "1")
    assert json.loads(written)["version"] == "2.1.0"
    back = read_diagnostics(written.decode().split("\n"), ())
    assert _seen(back) == _seen(found)
    assert [item.message for item in back] == [item.message for item in found]
