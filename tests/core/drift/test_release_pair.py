"""Two texts of one file, read together: whatever they share, each is read as it would be alone."""

from __future__ import annotations

from itertools import permutations
from pathlib import Path
from types import SimpleNamespace

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from fernshale.core.drift.parsing import read_both, read_source, trees
from fernshale.sample import unpack

_MEMBERS = (
    "  virtual void moor(int boat = 3) const;\n",
    "  /// Tells the hour.\n  int hour() const { return hour_; }\n",
    "\n",
    "public:\n",
    "private:\n",
    "protected:\n  static Pier *next(const std::string &name);\n",
    "  PIER_API(1) long count(int from);\n",
    "  /* a remark\n     of two lines */\n",
    "  int hour_ = 0;\n",
    "  enum class Tide { Low, High = 4 };\n",
    "#if PIER_OLD\n  void leave();\n#endif\n",
    "  template <class T> T read(T value);\r\n",
)
_OUTSIDE = (
    "int ring(int bell, float = 2.0f);\n",
    '/// An old bell.\n[[deprecated("Use ring.")]] void toll(int bell);\n',
    "#define PIER_LIMIT 12\n",
    "using Name = std::string;\n",
    "PIER_EXPORT void sail(Pier &from);\n",
    "typedef struct lamp { int light; } lamp_t;\n",
    "inline int Pier::hour() const { return 4; }\n",
    "\n",
    "// \xe4lter als alles andere\n",
)
_CLASSES = st.builds(
    lambda name, members: f"class {name} : public Base {{\n{''.join(members)}}};\n",
    st.sampled_from(("Pier", "PIER_API Pier", "Boat")),
    st.lists(st.sampled_from(_MEMBERS), max_size=6),
)
_BLOCKS = st.lists(st.one_of(st.sampled_from(_OUTSIDE), _CLASSES), max_size=8)


def _text(blocks: list[str], space: str, ends: bool) -> bytes:
    text = "".join(blocks)
    text = f"namespace {space} {{\n{text}}}\n" if space else text
    return (text if ends else text.rstrip("\n")).encode("latin-1")


_TEXTS = st.builds(_text, _BLOCKS, st.sampled_from(("", "a", "a::b")), st.booleans())


@settings(max_examples=300)
@given(_TEXTS, _TEXTS)
@example(b"a\n", b"a\n\n")
@example(b"int a(int b);", b"int a(int b);\nint c(int d);")
def test_each_is_read_as_it_would_be_alone(old: bytes, new: bytes) -> None:
    for path in ("pier.hpp", "pier.c"):
        assert read_both(old, new, path) == (read_source(old, path), read_source(new, path))


@settings(max_examples=60)
@given(st.binary(max_size=300), st.binary(max_size=300))
def test_any_bytes_are_read_without_a_fault(old: bytes, new: bytes) -> None:
    before, after = read_both(old, new, "pier.cpp")
    assert before == read_source(old, "pier.cpp")
    assert all(1 <= item.line <= new.count(b"\n") + 1 for item in after)


def test_what_differs_by_a_macro_alone_is_read_anew() -> None:
    """Macros are blanked before anything is parsed: only the text as it is written tells that they differ."""
    old = b"class Pier {\npublic:\n  PIER_NOW() int hour();\n};\n"
    new = old.replace(b"PIER_NOW()", b"PIER_DEPRECATED('x')")
    _, (_, hour) = read_both(old, new, "pier.hpp")
    assert hour.deprecated and read_both(old, new, "pier.hpp")[1] == read_source(new, "pier.hpp")


def test_long_texts_and_lines_that_only_look_the_same_are_read_anew(monkeypatch: pytest.MonkeyPatch) -> None:
    old, new = (b"".join(b"int f%d(int a);\n" % n for n in numbers) for numbers in (range(9), range(3, 12)))
    expected = read_source(old, "a.hpp"), read_source(new, "a.hpp")
    monkeypatch.setattr(trees, "_MAX_PAIRS", 10)
    assert read_both(old, new, "a.hpp") == expected
    monkeypatch.undo()
    said = SimpleNamespace(tag="equal", src_start=0, src_end=9, dest_start=0, dest_end=9)
    monkeypatch.setattr(trees, "Indel", SimpleNamespace(opcodes=lambda *texts: [said]))
    assert read_both(old, new, "a.hpp") == expected


def test_headers_of_the_sample_are_read_as_each_alone(tmp_path: Path) -> None:
    shelf = unpack(tmp_path).shelf / "merelith"
    releases = [folder.name for folder in shelf.iterdir() if (folder / "include").is_dir()]
    pairs = 0
    for old, new in permutations(releases, 2):
        for place in (shelf / old).rglob("*.[hc]pp"):
            path = str(place.relative_to(shelf / old))
            if (shelf / new / path).is_file():
                texts = place.read_bytes(), (shelf / new / path).read_bytes()
                assert read_both(*texts, path) == (read_source(texts[0], path), read_source(texts[1], path))
                pairs += texts[0] != texts[1]
    assert pairs > 40
