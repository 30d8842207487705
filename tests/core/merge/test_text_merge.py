"""What a merge of texts takes by itself, what it proposes, and what it leaves alone."""

from __future__ import annotations

import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.base.textfile import TextFile, read_text
from fernshale.core.merge.align import Hunk, align_lines
from fernshale.core.merge.text_merge import Resolution, TextMerge, merge_text, result_text
from fernshale.core.merge.text_style import read_lines


def _merge(base: str, mine: str, incoming: str) -> TextMerge:
    return merge_text(TextFile(base), TextFile(mine), TextFile(incoming))


def _clean(base: str, mine: str, incoming: str) -> str:
    merge = _merge(base, mine, incoming)
    assert not merge.decisions, merge.decisions
    text = result_text(merge, {}, "nothing")
    assert text is not None
    return text.text


_HEAD = '#include "anchor.hpp"\n#include "mast.hpp"\n\nint main() {}\n'


@pytest.mark.parametrize(
    ("base", "mine", "incoming", "expected"),
    [
        # sorted includes stay sorted, and what both added stands once
        (
            _HEAD,
            _HEAD.replace('"mast', '"bell.hpp"\n#include "mast'),
            _HEAD.replace('"mast', '"keel.hpp"\n#include "mast'),
            _HEAD.replace('"mast', '"bell.hpp"\n#include "keel.hpp"\n#include "mast'),
        ),
        (
            "import zeta\nimport alpha\n",
            "import zeta\nimport alpha\nimport mine\nimport both\n",
            "import zeta\nimport alpha\nimport both\nimport theirs\n",
            "import zeta\nimport alpha\nimport mine\nimport both\nimport theirs\n",
        ),
        # registrations and the entries of an enumeration
        (
            "  add<A>(1);\n",
            "  add<A>(1);\n  add<M>(1);\n",
            "  add<A>(1);\n  add<N>(2);\n",
            "  add<A>(1);\n  add<M>(1);\n  add<N>(2);\n",
        ),
        (
            "enum E {\n    One,\n    Two,\n};\n",
            "enum E {\n    One,\n    Two,\n    Mine,\n};\n",
            "enum E {\n    One,\n    Two,\n    Theirs,\n};\n",
            "enum E {\n    One,\n    Two,\n    Mine,\n    Theirs,\n};\n",
        ),
        (
            "void setup() {\n    registry.add(bell);\n    registry.add(anchor);\n}\n",
            "void setup() {\n    registry.add(bell);\n    registry.add(anchor);\n    registry.add(winch);\n}\n",
            "void setup() {\n    registry.add(bell);\n    registry.add(anchor);\n    registry.add(crane);\n}\n",
            "void setup() {\n    registry.add(bell);\n    registry.add(anchor);\n    registry.add(crane);\n    registry.add(winch);\n}\n",
        ),
    ],
)
def test_what_both_sides_add_to_a_list_is_united(base: str, mine: str, incoming: str, expected: str) -> None:
    assert _clean(base, mine, incoming) == expected == _clean(base, incoming, mine)


@pytest.mark.parametrize(
    ("mine", "incoming"),
    [
        ("    total = 1;\n", "    total = 2;\n"),  # one entry with two values
        ("    return a;\n", "    return b;\n"),  # decides where the program goes on
        ("    if (a) {\n", "    if (b) {\n"),
        ("    total += a;\n", "    total *= b;\n"),  # not of one shape
    ],
)
def test_statements_are_no_list(mine: str, incoming: str) -> None:
    base = "    count = 0;\n    size = 3;\n"
    assert len(_merge(base, base + mine, base + incoming).decisions) == 1


def test_a_change_both_made_is_taken_once_and_what_one_added_beside_it_stays() -> None:
    assert _clean("a\nold\nz\n", "a\nnew\nmore\nz\n", "a\nnew\nz\n") == "a\nnew\nmore\nz\n"
    assert _clean("a\nz\n", "a\nx\ny\nz\n", "a\nx\nq\ny\nz\n") == "a\nx\nq\ny\nz\n"


def test_a_clash_is_no_larger_than_it_must_be() -> None:
    merge = _merge("a\nold\nz\n", "a\nsame\nmine\nz\n", "a\nsame\ntheirs\nz\n")
    (conflict,) = merge.decisions
    assert (conflict.base, conflict.mine, conflict.incoming) == ((1, 2), (2, 3), (2, 3))
    text = result_text(merge, {conflict.id: Resolution("swapped")}, "nothing")
    assert text is not None and text.text == "a\nsame\ntheirs\nmine\nz\n"


def test_a_closing_brace_is_not_torn_from_its_block() -> None:
    merge = _merge("void a() {\n    x();\n}\n", "void a() {\n    m();\n}\n}\n", "void a() {\n    t();\n}\n}\n")
    assert all(conflict.mine[1] - conflict.mine[0] >= 1 for conflict in merge.decisions)


def test_tokens_that_do_not_clash_are_a_proposal_and_never_taken_silently() -> None:
    base = "return Slot{opening, minutes(12)};\n"
    merge = _merge(base, base.replace("12", "15"), base.replace("opening", "day.opening()"))
    (conflict,) = merge.decisions
    assert conflict.finer == "return Slot{day.opening(), minutes(15)};"
    assert "finer" in conflict.options and result_text(merge, {}, "nothing") is None
    text = result_text(merge, {conflict.id: Resolution("finer")}, "nothing")
    assert text is not None and text.text == "return Slot{day.opening(), minutes(15)};\n"
    clash = _merge(base, base.replace("12", "15"), base.replace("12", "20"))
    assert clash.decisions[0].finer is None and "finer" not in clash.decisions[0].options


_BLOCK = "void season() {\n    opens(8);\n    closes(20);\n    fog(false);\n}\n"
_REST = "".join(f"int line_{n} = {n};\n" for n in range(12))


def test_an_edit_follows_the_block_the_vendor_moved() -> None:
    base = _BLOCK + _REST
    found = _clean(base, base.replace("20", "22"), _REST + _BLOCK)
    assert found == _REST + _BLOCK.replace("20", "22")


def test_the_vendors_edit_follows_the_block_i_moved() -> None:
    base = _BLOCK + _REST
    merge = _merge(base, _REST + _BLOCK, base.replace("20", "22").replace("line_3 = 3", "line_3 = 4"))
    text = result_text(merge, {}, "nothing")
    assert text is not None and text.text == _REST.replace("line_3 = 3", "line_3 = 4") + _BLOCK.replace("20", "22")


def test_a_clash_in_a_moved_block_names_the_lines_of_the_files() -> None:
    base = _BLOCK + _REST
    merge = _merge(base, base.replace("20", "22"), _REST + _BLOCK.replace("20", "18"))
    (conflict,) = merge.decisions
    assert (conflict.mine, conflict.incoming) == ((2, 3), (14, 15))


@pytest.mark.parametrize("ends", ["\n", "\r\n"])
@pytest.mark.parametrize("last", ["", "end"])
def test_tabs_and_line_ends_follow_the_local_file(ends: str, last: str) -> None:
    base = "def f():\n    if x:\n        a()\n        b()\n    return 1\n"
    mine = base.replace("    ", "\t").replace("a()", "mine()").replace("\n", ends).removesuffix(ends if last else "")
    incoming = base.replace("return 1", "return 2").replace("b()\n", "b()\n        c()\n")
    merge = _merge(base, mine, incoming)
    text = result_text(merge, {}, "nothing")
    expected = "def f():\n\tif x:\n\t\tmine()\n\t\tb()\n\t\tc()\n\treturn 2\n"
    assert text is not None and text.text == expected.replace("\n", ends).removesuffix(ends if last else "")
    only = _merge(base, base, base.replace("    ", "\t"))
    again = result_text(only, {}, "nothing")
    assert again is not None and again.text == base


def test_mixed_line_ends_survive_line_by_line() -> None:
    merge = _merge("a\nb\nc\nd\n", "a\r\nb\nc\r\nd", "a\nb\nC\nd\ne\n")
    text = result_text(merge, {}, "nothing")
    assert text is not None and text.text == "a\r\nb\nC\r\nd\r\ne"


def test_another_encoding_survives_byte_for_byte() -> None:
    base = read_text("name = Fährmann\nx = 1\ny = 2\nz = 3\n".encode("latin-1"))
    mine = read_text("name = Fährmann\nx = 7\ny = 2\nz = 3\n".encode("latin-1"))
    incoming = read_text("name = Fährmann\nx = 1\ny = 2\nz = Küste\n".encode())
    assert base and mine and incoming
    merge = merge_text(base, mine, incoming)
    text = result_text(merge, {}, "nothing")
    assert text is not None and text.encode() == "name = Fährmann\nx = 7\ny = 2\nz = Küste\n".encode("latin-1")
    wide = read_text("name = Fährmann\nx = 1\ny = 2\nz = 船\n".encode())
    assert wide
    odd = result_text(merge_text(base, mine, wide), {}, "nothing")
    assert odd is not None and odd.encode() == "name = Fährmann\nx = 7\ny = 2\nz = ".encode("latin-1") + "船\n".encode()


@given(st.text(st.sampled_from("ab\r\n\tü\udc80"), max_size=30))
@example("a\r")
@example("\r\n\n")
def test_lines_joined_are_the_text(text: str) -> None:
    assert read_lines(text).joined() == text


_WORDS = st.lists(st.sampled_from(["a", "  b", "\tc", "{", "}", "", "d;"]), max_size=9)
_ENDS = st.sampled_from(["\n", "\r\n"])


@given(_WORDS, _WORDS, _WORDS, _ENDS, st.booleans())
@example(["a", ""], ["a", ""], ["a", "d;"], "\r\n", True)
def test_what_one_side_left_alone_is_the_other_side_byte_for_byte(
    base: list[str], mine: list[str], incoming: list[str], end: str, closed: bool
) -> None:
    texts = [end.join(lines) + (end if closed and lines else "") for lines in (base, mine)]
    assert _clean(texts[0], texts[1], texts[0]) == texts[1]
    assert _clean(texts[0], texts[1], texts[1]) == texts[1]
    merge = _merge(texts[0], texts[1], "\n".join(incoming))
    back = _merge(texts[0], "\n".join(incoming), texts[1])
    # Where tabs meet spaces, each way round follows another local file.
    mixed = all(any(line.startswith(lead) for line in (*base, *mine, *incoming)) for lead in ("\t", "  "))
    assert mixed or len(merge.decisions) == len(back.decisions)


@pytest.mark.parametrize("count", [7, 3000])
def test_alignment_of_texts_without_a_unique_line(count: int) -> None:
    old = ["a", "b", "b"] * count
    new = [*old[:5], "new", *old[5:-4], *old[-3:]]
    assert sum(hunk.old[1] - hunk.old[0] + hunk.new[1] - hunk.new[0] for hunk in align_lines(old, new)) == 2


def test_a_moved_run_is_kept_or_given_up_as_a_whole() -> None:
    run = [f"run {n}" for n in range(5)]
    rest = [f"rest {n}" for n in range(8)]
    assert align_lines(run + rest, rest + run) == (Hunk((0, 5), (0, 0)), Hunk((13, 13), (8, 13)))


def test_an_inserted_construct_begins_where_it_begins() -> None:
    old = ["def a():", "    x", "", "def c():", "    x", ""]
    new = ["def a():", "    x", "", "def b():", "    x", "", "def c():", "    x", ""]
    assert align_lines(old, new) == (Hunk((3, 3), (3, 6)),)
