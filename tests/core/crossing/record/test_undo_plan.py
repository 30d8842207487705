"""Undoing a step after later changes: changes of other lines stay, changes of the same lines prevent it and are listed."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.logbook import CannotUndo, preview_undo, redo, undo, write_step
from fernshale.core.crossing.record.stage import Stage
from tests.conftest import Tree, listing
from tests.wick import begin_wick


def _step(crossing: Crossing, title: str, files: dict[str, str | bytes | None]) -> int:
    draft = Draft(crossing.setup.project)
    for path, content in files.items():
        if content is None:
            draft.delete(path)
        else:
            draft.write(path, content.encode() if isinstance(content, str) else content)
    return write_step(crossing, EntryText(Stage.BUILD, title), draft.change_set(), Work())


def _numbered(edits: dict[int, str]) -> str:
    return "".join(edits.get(number, f"line {number}") + "\n" for number in range(1, 31))


def _state_of(crossing: Crossing, id: int) -> str:
    return next(item.state for item in crossing.logbook() if item.id == id)


def test_edits_of_other_lines_stay_through_undo_and_redo(tree: Tree, token: CancelToken) -> None:
    wick, crossing = begin_wick(tree)
    file, other = wick.project / "long.txt", wick.project / "other.txt"
    file.write_text(_numbered({}))
    start = listing(wick.project)
    first = _step(crossing, "first", {"long.txt": _numbered({3: "by the step"}), "new/made.txt": "made\n"})
    by_hand = _numbered({3: "by the step", 20: "by hand"})
    file.write_text(by_hand)
    _step(crossing, "second", {"other.txt": "other\n"})
    way = preview_undo(crossing, first)
    assert (
        not way.is_exact
        and not way.obstacles
        and [item.path for item in way.changes.files] == ["long.txt", "new/made.txt"]
    )
    assert file.read_text() == by_hand  # a preview writes nothing
    undo(crossing, first, Work(token=token))
    assert file.read_text() == _numbered({20: "by hand"}) and other.exists() and not (wick.project / "new").exists()
    assert _state_of(crossing, first) == "undone"
    took_back = crossing.logbook()[-1]
    assert "undid “first”" in took_back.title
    # The step that took it back can itself be undone, and then the first one counts again.
    undo(crossing, took_back.id, Work(token=token))
    assert file.read_text() == by_hand and _state_of(crossing, first) == "done"
    redo(crossing, took_back.id, Work(token=token))
    assert file.read_text() == _numbered({20: "by hand"}) and _state_of(crossing, first) == "undone"
    file.write_text(_numbered({20: "by hand", 28: "later"}))
    redo(crossing, first, Work(token=token))
    assert (
        file.read_text() == _numbered({3: "by the step", 20: "by hand", 28: "later"})
        and _state_of(crossing, first) == "done"
    )
    for entry in sorted((item for item in crossing.logbook() if item.can_undo), key=lambda item: -item.id):
        undo(crossing, entry.id, Work(token=token))
    file.write_text(_numbered({}))
    assert listing(wick.project) == start


def test_the_same_lines_are_named_with_who_changed_them(tree: Tree, token: CancelToken) -> None:
    wick, crossing = begin_wick(tree)
    (wick.project / "long.txt").write_text(_numbered({}))
    (wick.project / "pic.bin").write_bytes(b"\0one")
    (wick.project / "gone.txt").write_text("x\n")
    files: dict[str, str | bytes | None] = {
        "long.txt": _numbered({3: "a", 4: "b", 15: "c"}), "pic.bin": b"\0two", "made.txt": "made\n", "gone.txt": "y\n"
    }  # fmt: skip
    first = _step(crossing, "first", files)
    _step(crossing, "second", {"long.txt": _numbered({3: "A", 4: "B", 15: "c", 25: "d"})})
    (wick.project / "pic.bin").write_bytes(b"\0three")
    (wick.project / "made.txt").write_text("made and edited\n")
    (wick.project / "gone.txt").unlink()
    before = listing(wick.project)
    with pytest.raises(CannotUndo) as caught:
        undo(crossing, first, Work(token=token))
    said = caught.value.message
    assert "long.txt: lines 3–4 changed since (by “second”)" in said
    assert "pic.bin: changed since, and not text (outside Fernshale)" in said
    assert "made.txt: edited since; this would remove it (outside Fernshale)" in said
    assert "gone.txt: removed since (outside Fernshale)" in said
    assert listing(wick.project) == before and _state_of(crossing, first) == "done"


@settings(max_examples=25, suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(
    st.dictionaries(st.integers(1, 30), st.just("by the step"), min_size=1, max_size=6),
    st.dictionaries(st.integers(1, 30), st.just("by hand"), min_size=1, max_size=6),
)
def test_what_is_taken_back_is_the_step_and_nothing_else(
    tmp_path_factory: pytest.TempPathFactory, step: dict[int, str], hand: dict[int, str]
) -> None:
    base: Path = tmp_path_factory.mktemp("case")

    def tree(name: str, files: dict[str, str | bytes | None]) -> Path:
        root = base / name
        root.mkdir(parents=True, exist_ok=True)
        for path, content in files.items():
            (root / path).parent.mkdir(parents=True, exist_ok=True)
            (root / path).write_bytes(content if isinstance(content, bytes) else (content or "").encode())
        return root

    wick, crossing = begin_wick(tree)
    file = wick.project / "long.txt"
    file.write_text(_numbered({}))
    id = _step(crossing, "step", {"long.txt": _numbered(step)})
    now = _numbered({**step, **hand})
    file.write_text(now)
    near = {line for number in step for line in (number - 1, number, number + 1)}
    try:
        undo(crossing, id, Work())
    except CannotUndo:
        assert near & set(hand) and file.read_text() == now
    else:
        assert not set(step) & set(hand) and file.read_text() == _numbered(hand)
