"""Properties any three-way merge of lines must have."""

from __future__ import annotations

from collections import Counter

from hypothesis import example, given
from hypothesis import strategies as st

from fernshale.core.base.textfile import TextFile
from fernshale.core.merge.align import align_lines, equal_lines
from fernshale.core.merge.line_merge import RegionKind, merge_lines
from fernshale.core.merge.text_merge import Resolution, merge_text, result_text

_LINES = st.lists(st.sampled_from("abcdefgh"), max_size=14)


@given(_LINES, _LINES)
def test_alignment_tells_the_difference_and_nothing_else(old: list[str], new: list[str]) -> None:
    hunks = align_lines(old, new)
    kept = equal_lines(hunks, len(old))
    assert all(old[left] == new[right] for left, right in kept.items())
    assert len(kept) == len(old) - sum(hunk.old[1] - hunk.old[0] for hunk in hunks)
    assert list(kept.values()) == sorted(kept.values())
    rebuilt, at = [], 0
    for hunk in hunks:
        rebuilt += old[at : hunk.old[0]] + new[slice(*hunk.new)]
        at = hunk.old[1]
    assert rebuilt + old[at:] == new


@given(_LINES, _LINES, _LINES)
@example(["x", "y"], ["x", "Y"], ["X", "Y"])
def test_regions_tile_the_texts_and_are_what_they_say(base: list[str], mine: list[str], incoming: list[str]) -> None:
    regions = merge_lines(base, mine, incoming)
    for side, text in (("base", base), ("mine", mine), ("incoming", incoming)):
        at = 0
        for region in regions:
            start, end = getattr(region, side)
            assert start == at <= end
            at = end
        assert at == len(text)
    for region in regions:
        old, ours, theirs = base[slice(*region.base)], mine[slice(*region.mine)], incoming[slice(*region.incoming)]
        holds = {
            RegionKind.SAME: old == ours == theirs,
            RegionKind.MINE: old == theirs != ours,
            RegionKind.INCOMING: old == ours != theirs,
            RegionKind.BOTH: ours == theirs != old,
            RegionKind.DECIDE: ours != theirs,
        }
        assert holds[region.kind], region


@given(_LINES, _LINES, _LINES)
def test_swapping_the_sides_mirrors_the_regions(base: list[str], mine: list[str], incoming: list[str]) -> None:
    there = merge_lines(base, mine, incoming)
    back = merge_lines(base, incoming, mine)
    assert [(r.base, r.mine, r.incoming) for r in there] == [(r.base, r.incoming, r.mine) for r in back]


def _text(lines: list[str]) -> TextFile:
    return TextFile("".join(line + "\n" for line in lines))


@given(_LINES, _LINES)
def test_an_unchanged_side_yields_the_other(base: list[str], other: list[str]) -> None:
    for mine, incoming in ((other, base), (base, other), (other, other)):
        merged = result_text(merge_text(_text(base), _text(mine), _text(incoming)), {}, "nothing")
        assert merged is not None and merged.text == _text(other).text


@given(_LINES, _LINES, _LINES)
@example(list("decabeb"), list("aae"), list("abbdc"))
@example(list("cabb"), list("aabbc"), list("a"))
def test_no_line_of_mine_is_lost_without_a_decision(base: list[str], mine: list[str], incoming: list[str]) -> None:
    merge = merge_text(_text(base), _text(mine), _text(incoming))
    kept = result_text(merge, {conflict.id: Resolution("mine") for conflict in merge.decisions}, "nothing")
    assert kept is not None
    lines = kept.text.split("\n")
    # Where a block was moved, its lines are not new at their new place: the other side may have deleted some of them.
    is_moved = merge.mine_at is not None or merge.incoming_at is not None
    added = [mine[line] for hunk in align_lines(base, mine) for line in range(*hunk.new)] if not is_moved else []
    added += (Counter(mine) - Counter(base)).elements()
    assert all(lines.count(line) >= 1 for line in added)
    marked = result_text(merge, {}, "marked")
    assert marked is not None
    for region in merge.regions:
        if region.kind is RegionKind.DECIDE:
            for line in (*merge.mine[slice(*region.mine)], *merge.incoming[slice(*region.incoming)]):
                assert line in marked.text.split("\n")


def test_edits_far_apart_merge_clean() -> None:
    base = [f"line {n}" for n in range(400)]
    mine, incoming = list(base), list(base)
    mine[10] = "mine"
    incoming[390:390] = ["incoming"]
    merge = merge_text(_text(base), _text(mine), _text(incoming))
    text = result_text(merge, {}, "nothing")
    assert not merge.decisions and text is not None
    assert text.text.split("\n")[10] == "mine" and "incoming" in text.text.split("\n")


def test_neighbouring_edits_merge_and_the_same_edit_counts_once() -> None:
    base = ["int slow = 1;", "int fast = 2;"]
    merge = merge_text(
        _text(base), _text(["int slow = 1;", "int fast = 3;"]), _text(["long slow = 1;", "int fast = 3;"])
    )
    text = result_text(merge, {}, "nothing")
    assert text is not None and text.text == "long slow = 1;\nint fast = 3;\n"


def test_line_ends_bom_and_final_newline_follow_the_local_file() -> None:
    base = TextFile("one\ntwo\nthree\n")
    mine = TextFile("one\r\n2\r\nthree", mark=b"\xef\xbb\xbf")
    incoming = TextFile("one\ntwo\n3\nfour\n")
    merge = merge_text(base, mine, incoming)
    text = result_text(merge, {}, "nothing")
    assert text is not None and text.encode() == b"\xef\xbb\xbfone\r\n2\r\n3\r\nfour"
    only_ends = merge_text(base, TextFile("one\r\ntwo\r\nthree\r\n"), TextFile("one\ntwo\nthree\n"))
    assert not only_ends.decisions


def test_choices_put_the_lines_where_they_belong() -> None:
    base, mine, incoming = TextFile("a\nx\nb\n"), TextFile("a\nmine\nb\n"), TextFile("a\ntheirs\nb\n")
    merge = merge_text(base, mine, incoming)
    (conflict,) = merge.decisions
    assert result_text(merge, {}, "nothing") is None
    expected = {
        Resolution("mine"): "a\nmine\nb\n",
        Resolution("incoming"): "a\ntheirs\nb\n",
        Resolution("both"): "a\nmine\ntheirs\nb\n",
        Resolution("text", "by hand"): "a\nby hand\nb\n",
        Resolution("text", ""): "a\nb\n",
    }
    for choice, text in expected.items():
        found = result_text(merge, {conflict.id: choice}, "nothing")
        assert found is not None and found.text == text, choice
    again = merge_text(TextFile("z\na\nx\nb\n"), TextFile("z\na\nmine\nb\n"), TextFile("z\na\ntheirs\nb\n"))
    assert again.decisions[0].id == conflict.id  # the same conflict elsewhere is known again
