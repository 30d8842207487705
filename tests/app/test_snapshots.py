"""The dialogs of snapshots: compare, bring back, the way back of a step, the store; and beginning on a copy."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication, QDialog
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.begin import BeginDialog
from fernshale.app.dialogs.snapshots import SnapshotDialog, StoreDialog, UndoPlanDialog
from fernshale.app.window import MainWindow
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.draft import Draft
from fernshale.core.change.preview import show_change, tree_of
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from tests.conftest import Tree, listing
from tests.crossing_steps import act
from tests.wick import Wick, begin_wick


def _crossed(tree: Tree) -> tuple[Wick, Crossing]:
    """A crossing with one step, and an edit by hand after it."""
    wick, crossing = begin_wick(tree)
    act(crossing, "engine:sites", "apply", who="you")
    (wick.project / "pic.bin").write_bytes(b"\0\1\2" * 50)
    (wick.project / "by-hand.txt").write_text("mine\n")
    return wick, crossing


def _titles(dialog: QDialog) -> list[tuple[str, str]]:
    pane = dialog._pane  # type: ignore[attr-defined]
    return [(row.title, row.right) for row in pane._list.rows()]


def test_any_two_snapshots_are_compared_and_a_file_brought_back(qtbot: QtBot, tree: Tree, token: CancelToken) -> None:
    wick, crossing = _crossed(tree)
    first, *_ = crossing.store.list()
    later = crossing.store.take(wick.project, "later", Work(token=token))
    (wick.project / "pic.bin").write_bytes(b"\0\1\2" * 40 + b"\0\1\3" * 10)
    brought: list[tuple[str, tuple[str, ...]]] = []
    dialog = SnapshotDialog(None, None, crossing, lambda id, paths: brought.append((id, paths)))
    qtbot.addWidget(dialog)
    qtbot.waitUntil(lambda: not dialog.is_busy)
    assert _titles(dialog) == [("pic.bin", "changed")] and dialog._one.isEnabled()
    shown = "\n".join(line.text for block in dialog._pane._text.blocks() for line in block.lines())
    assert "150 bytes" in shown and "the same: the first 122 bytes" in shown
    dialog._from.setCurrentIndex(dialog._from.findData(first.id))
    dialog._to.setCurrentIndex(dialog._to.findData(later.id))
    qtbot.waitUntil(lambda: not dialog.is_busy and len(_titles(dialog)) == 3)
    assert ("by-hand.txt", "new") in _titles(dialog) and not dialog._all.isEnabled()
    assert dialog._message.text() == "1 changed, 2 new"
    dialog._to.setCurrentIndex(0)
    qtbot.waitUntil(lambda: not dialog.is_busy and dialog._all.isEnabled())
    dialog._pane._list.select("candle.ini")
    dialog._one.click()
    assert brought == [(first.id, ("candle.ini",))]


def test_undo_shows_what_it_would_change_and_asks(qtbot: QtBot, window: MainWindow, tree: Tree) -> None:
    wick, crossing = _crossed(tree)
    before = listing(wick.project)
    window._resume(crossing)
    qtbot.waitUntil(lambda: window.session.overview is not None and not window.session.runner.is_busy, timeout=20_000)
    seen: list[list[tuple[str, str]]] = []

    def answer(accept: bool) -> None:
        dialog = QApplication.activeModalWidget()
        assert isinstance(dialog, UndoPlanDialog)
        seen.append(_titles(dialog))
        dialog.accept() if accept else dialog.reject()

    QTimer.singleShot(200, lambda: answer(False))
    window._undo_last()
    assert seen[0] == [("candle.ini", "changed")] and listing(wick.project) == before
    QTimer.singleShot(200, lambda: answer(True))
    window._undo_last()
    qtbot.waitUntil(lambda: "1.4" in (wick.project / "candle.ini").read_text(), timeout=20_000)
    qtbot.waitUntil(lambda: not window.session.runner.is_busy, timeout=20_000)
    QTimer.singleShot(200, lambda: answer(True))
    window._redo_last()
    qtbot.waitUntil(lambda: listing(wick.project) == before, timeout=20_000)
    qtbot.waitUntil(lambda: not window.session.runner.is_busy, timeout=20_000)


def test_what_is_in_the_way_is_said_and_nothing_can_be_pressed(qtbot: QtBot, tree: Tree) -> None:
    wick, crossing = _crossed(tree)
    (wick.project / "candle.ini").write_text("something of my own\n")
    dialog = UndoPlanDialog(None, crossing, next(entry for entry in crossing.logbook() if entry.can_undo))
    qtbot.addWidget(dialog)
    assert not dialog._go.isEnabled() and "1 file in the way" in dialog._message.text()
    shown = "\n".join(line.text for block in dialog._pane._text.blocks() for line in block.lines())
    assert "candle.ini: line 1 changed since (outside Fernshale)" in shown


def test_the_store_is_looked_at_verified_and_made_smaller(qtbot: QtBot, tree: Tree, token: CancelToken) -> None:
    wick, crossing = _crossed(tree)
    for number in range(4):
        (wick.project / "pic.bin").write_bytes(bytes([number]) * 300_000)
        crossing.store.take(wick.project, f"number {number}", Work(token=token))
    dialog = StoreDialog(None, crossing.store)
    qtbot.addWidget(dialog)
    dialog.show()

    def is_idle() -> bool:
        return not dialog.is_busy

    qtbot.waitUntil(is_idle)
    rows = dialog._list.rows()
    assert rows[0].title == "number 3" and rows[0].right == "adds 300.0 kB" and "stays: the crossing of" in rows[-1].sub
    dialog._verify.click()
    qtbot.waitUntil(is_idle)
    assert "Everything reads back" in dialog._message.text()
    dialog._list.select(rows[-1].payload)
    assert not dialog._one.isEnabled()  # a crossing began from it
    dialog._last.setValue(2)
    dialog._daily.setValue(0)
    dialog._delete.click()
    assert dialog._delete.text() == "Delete 2 snapshots permanently" and len(crossing.store.list()) == 5
    dialog._last.setValue(3)  # another policy has to be asked for again
    assert dialog._delete.text() == "Delete the others…"
    dialog._delete.click()
    dialog._delete.click()
    qtbot.waitUntil(is_idle)
    qtbot.waitUntil(lambda: "1 snapshot deleted" in dialog._message.text())
    assert [item.note for item in crossing.store.list()][1:] == ["number 1", "number 2", "number 3"]
    pack = max(crossing.store.packs_folder.iterdir(), key=lambda path: path.stat().st_size)
    data = bytearray(pack.read_bytes())
    data[len(data) // 2] ^= 1
    pack.write_bytes(data)
    dialog._verify.click()
    qtbot.waitUntil(is_idle)
    assert dialog._message.text().startswith("◆") and "is damaged" in dialog._message.text()
    dialog.reject()


def test_a_crossing_begins_on_a_copy(qtbot: QtBot, window: MainWindow, tree: Tree, tmp_path: Path) -> None:
    from tests.wick import make_wick

    wick = make_wick(tree)
    before = listing(wick.project)
    dialog = BeginDialog(window, wick.project, (wick.profile.parent,))
    qtbot.addWidget(dialog)
    dialog.show()
    # Another shelf is still being read, as it is when one was remembered.
    dialog._shelf.setText(str(tmp_path / "nowhere"))
    dialog._read_shelf()
    dialog._shelf.setText(str(wick.shelf))
    dialog._read_shelf()
    qtbot.waitUntil(lambda: dialog._target.count() > 0)
    assert dialog.copy_folder is None
    dialog._on_copy.setChecked(True)
    assert (
        dialog.copy_folder == wick.project.parent / f"{wick.project.name}-{dialog.target}" and dialog._begin.isEnabled()
    )
    dialog._copy_box.setText(str(wick.project))
    assert not dialog._begin.isEnabled() and "is there already" in dialog._trouble.text()
    dialog._copy_box.setText(str(wick.project / "inside"))
    assert not dialog._begin.isEnabled() and "inside the project" in dialog._trouble.text()
    dialog._copy_box.setText(str(tmp_path / "copy"))
    place, profile, target = dialog.copy_folder, dialog.profile, dialog.target
    dialog.reject()
    window.session.begin(wick.project, profile, [wick.shelf], target, (), place)
    qtbot.waitUntil(lambda: window.session.overview is not None and not window.session.runner.is_busy, timeout=20_000)
    assert window.session.overview is not None and window.session.overview.setup.project == tmp_path / "copy"
    assert window.session.overview.setup.original == str(wick.project)
    assert listing(wick.project) == before == listing(tmp_path / "copy")


def test_a_change_set_as_a_tree_and_in_full(tree: Tree, token: CancelToken) -> None:
    wick, crossing = begin_wick(tree)
    (wick.project / "run.sh").write_text("x\n")
    draft = Draft(wick.project)
    draft.write("a/b/one.txt", b"1\n")
    draft.write("a/b/two.bin", b"\0\1")
    draft.write("a/three.txt", b"3\n")
    draft.write("run.sh", b"y\n", 0o755)
    draft.link("link", "run.sh")
    changes = draft.change_set()
    assert [(depth, path) for depth, path, change in tree_of(changes.changes) if change] == [
        (0, "a"), (1, "a/b"), (2, "a/b/one.txt"), (2, "a/b/two.bin"), (1, "a/three.txt"), (0, "link"), (0, "run.sh"),
    ]  # fmt: skip
    by_path = {change.path: change for change in changes.changes}

    def shown(path: str) -> str:
        return show_change(by_path[path], lambda entry: b"x\n", lambda entry: changes.contents[entry.content])  # type: ignore[index]

    assert shown("run.sh").splitlines()[0] == "# mode 644 becomes 755" and "-x\n+y\n" in shown("run.sh")
    assert "+1\n" in shown("a/b/one.txt") and "2 bytes, content" in shown("a/b/two.bin")
    assert "a link to run.sh" in shown("link")
    write_step(crossing, EntryText(Stage.BUILD, "step"), changes, Work(token=token))
    later = Draft(wick.project)
    later.write("a/b/one.txt", b"2\n")
    rows = [(depth, path, change is not None) for depth, path, change in tree_of(later.change_set().changes)]
    assert rows == [(0, "a", False), (1, "a/b", False), (2, "a/b/one.txt", True)]
