"""The Plugins page in the real window: decide by keyboard, at once, by hand; fold, preview, bring back."""

from __future__ import annotations

import struct
import zlib
from functools import partial

import pytest
from PySide6.QtCore import QItemSelectionModel, QPoint, Qt
from PySide6.QtWidgets import QApplication, QDialog, QMessageBox, QPushButton
from pytestqt.qtbot import QtBot

from fernshale.app.dialogs.import_content import ImportDialog, PickDialog
from fernshale.app.pages.plugins import PluginsPage
from fernshale.app.pages.plugins.files import FileOf, GroupOf, ItemOf, LeftOutOf, ReadyOf
from fernshale.app.pages.plugins.preview import PreviewDialog
from fernshale.app.widgets.code import CodeEditor
from fernshale.app.window import MainWindow
from fernshale.core.crossing.flow.actions import parse_action
from fernshale.core.crossing.flow.import_content import read_assets_for
from fernshale.core.crossing.record.stage import Stage
from tests.conftest import Tree
from tests.rush import begin_rush, knot
from tests.wick import Wick, cross_wick, make_wick

_OLD = "".join(f"def step_{n}():\n    lamp({n}, 1)\n\n\n" for n in range(4))
_MINE = _OLD.replace("lamp(0, 1)", "lamp(0, 5)").replace("lamp(2, 1)", "lamp(2, 5)")
_NEW = _OLD.replace("lamp(0, 1)", "lamp(0, 9)").replace("lamp(2, 1)", "lamp(2, 9)")


def _open(
    tree: Tree, window: MainWindow, qtbot: QtBot, files: dict[str, tuple[bytes, bytes, bytes]]
) -> tuple[Wick, PluginsPage]:
    wick = make_wick(tree)
    places = (wick.shelf / "snuffer/1", wick.project / "addons/snuffer", wick.shelf / "snuffer/2")
    for name, contents in files.items():
        for place, data in zip(places, contents, strict=True):
            (place / name).parent.mkdir(parents=True, exist_ok=True)
            (place / name).write_bytes(data)
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        window.session.resume(cross_wick(wick))
    window.show_stage(Stage.PLUGINS)
    page = window.pages[Stage.PLUGINS]
    assert isinstance(page, PluginsPage)
    return wick, page


def _texts(**files: tuple[str, str, str]) -> dict[str, tuple[bytes, bytes, bytes]]:
    return {
        name.replace("__", "/").replace("_py", ".py"): (a.encode(), b.encode(), c.encode())
        for name, (a, b, c) in files.items()
    }


def _press(window: MainWindow, qtbot: QtBot, page: PluginsPage, key: Qt.Key, waits: bool = True) -> None:
    target = QApplication.focusWidget() or page
    if waits:
        with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
            qtbot.keyClick(target, key)
    else:
        qtbot.keyClick(target, key)


def test_decisions_are_gone_through_taken_and_taken_back_by_keyboard(
    tree: Tree, window: MainWindow, qtbot: QtBot
) -> None:
    _, page = _open(tree, window, qtbot, _texts(lamps_py=(_OLD, _MINE, _NEW)))
    page.setFocus()
    page._on_next()
    assert page._card.note.text() == "decisions 1–2 of 2"
    first = next(card for card in page._cards if card.hasFocus())
    _press(window, qtbot, page, Qt.Key.Key_N, waits=False)
    second = next(card for card in page._cards if card.hasFocus())
    assert first is not second
    _press(window, qtbot, page, Qt.Key.Key_N, waits=False)
    assert next(card for card in page._cards if card.hasFocus()) is first  # round and round
    _press(window, qtbot, page, Qt.Key.Key_P, waits=False)
    assert next(card for card in page._cards if card.hasFocus()) is second
    _press(window, qtbot, page, Qt.Key.Key_2)
    overview = window.session.overview
    assert overview is not None
    assert (
        overview.plugins.choices[second.conflict.id].take == "incoming"
        and first.conflict.id not in overview.plugins.choices
    )
    assert page._card.note.text() == "decision 1 of 1" and not page._take.isEnabled()
    page.setFocus()
    _press(window, qtbot, page, Qt.Key.Key_U)
    assert window.session.overview is not None and not window.session.overview.plugins.choices
    for _ in range(2):
        page._on_next()
        _press(window, qtbot, page, Qt.Key.Key_1)
    assert page._take.isEnabled() and not page.option_buttons()  # a key too many writes nothing
    window._go_to(next(item for item in window.session.overview.items if item.key == "plugin:snuffer"))
    assert page.option_buttons() == [page._take]


def test_one_tick_settles_all_that_are_alike(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    base = _OLD.replace("lamp(2, 1)", "lamp(0, 1)")
    mine, new = base.replace("lamp(0, 1)", "lamp(0, 5)"), base.replace("lamp(0, 1)", "lamp(0, 9)")
    wick, page = _open(tree, window, qtbot, _texts(lamps_py=(base, mine, new), b__more_py=(base, mine, new)))
    page._on_next()
    card = page._cards[0]
    assert card._all is not None and "2 more decisions" in card._all.text()
    card._all.setChecked(True)
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        card.take("incoming")
    assert page._take.isEnabled() and not page._left()
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        page._take.click()
    assert (wick.project / "addons/snuffer/b/more.py").read_text() == new


def test_lines_written_by_hand_with_ctrl_enter(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    _, page = _open(tree, window, qtbot, _texts(lamps_py=(_OLD, _MINE, _NEW)))
    page._on_next()
    card = page._cards[0]
    card.take("text")
    editor = card.findChild(CodeEditor)
    assert editor is not None and editor.toPlainText() == "    lamp(0, 5)"
    qtbot.keyClicks(editor, "1")  # a digit in the editor is a digit
    editor.setPlainText("    lamp(0, 7)")
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        qtbot.keyClick(editor, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
    overview = window.session.overview
    assert overview is not None and overview.plugins.choices[card.conflict.id].text == "    lamp(0, 7)\n"
    assert any(
        line.margin == "by hand" and "lamp(0, 7)" in line.text
        for block in page._text.blocks()
        for line in block.lines()
    )
    again = next(item for item in page._cards if not item.is_decided)
    again.take("text")
    qtbot.keyClick(again.findChild(CodeEditor), Qt.Key.Key_Escape)
    assert next(item for item in page._cards if not item.is_decided).findChild(CodeEditor) is None


def test_all_that_is_ready_is_taken_at_once_and_the_rest_waits(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    wick = make_wick(tree)
    shelf = wick.shelf / "shelf.toml"
    for name in ("trimmer", "holder"):
        for version, accepts in (("1", ">=1, <2"), ("2", ">=2, <3")):
            shelf.write_text(
                shelf.read_text()
                + f'[[plugin]]\nid = "{name}"\nversion = "{version}"\nfolder = "{name}/{version}"\naccepts = "{accepts}"\n'
            )
            tree(
                f"shelf/{name}/{version}",
                {"addon.ini": f"version = {version}\nwick = {accepts}\n", "a.py": f"v = {version}\n"},
            )
        tree(f"candle/addons/{name}", {"addon.ini": "version = 1\nwick = >=1, <2\n", "a.py": "v = 1\n"})
    (wick.project / "addons/holder/a.py").write_text("v = 7\n")  # clashes with what the vendor made of it
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        window.session.resume(cross_wick(wick))
    window.show_stage(Stage.PLUGINS)
    page = window.pages[Stage.PLUGINS]
    assert isinstance(page, PluginsPage)
    assert page._files.select(ReadyOf()) and "trimmer  1 → 2" in page._text.blocks()[0].lines()[1].text
    page._files.setFocus()
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        qtbot.keyClick(page._files, Qt.Key.Key_1)
    taken = [entry.about for entry in window.session.overview.logbook if entry.can_undo]  # type: ignore[union-attr]
    assert len(taken) == 2 and (wick.project / "addons/trimmer/a.py").read_text() == "v = 2\n"
    assert (wick.project / "addons/holder/a.py").read_text() == "v = 7\n" and not page._files.select(ReadyOf())


def test_long_groups_are_folded_and_what_needs_a_person_stands_on_top(
    tree: Tree, window: MainWindow, qtbot: QtBot
) -> None:
    many = {f"d/f{n}.txt": (b"old\n", b"old\n", b"new\n") for n in range(30)}
    _, page = _open(tree, window, qtbot, {**_texts(lamps_py=(_OLD, _MINE, _NEW)), **many})
    rows = page._files.rows()
    assert [rows[0].title, rows[1].payload] == ["◆ To decide", FileOf("snuffer", "lamps.py")]
    (fold,) = (row for row in rows if isinstance(row.payload, GroupOf))
    assert fold.right.startswith("31") and not any(row.title.startswith("d/f") for row in rows)
    page._on_fold(fold.payload)
    assert sum(row.title.startswith("d/f") for row in page._files.rows()) == 30
    assert page.find_text("f17")


def test_a_menu_settles_a_file_a_folder_or_a_plugin(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    other = _MINE.replace("lamp", "light")
    files = _texts(
        lamps_py=(_OLD, _MINE, _NEW), b__more_py=(_OLD.replace("lamp", "light"), other, _NEW.replace("lamp", "light"))
    )
    _, page = _open(tree, window, qtbot, files)
    page._files.select(FileOf("snuffer", "b/more.py"))
    menu = page._menu()
    assert menu is not None
    words = [action.text() for action in menu.actions()]
    assert "Keep yours in all of snuffer (4 decisions)" in words
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        menu.actions()[words.index("Use the vendor's in b (2 decisions)")].trigger()
    assert {file.shown for _, file, _ in page._left()} == {"lamps.py"}


def test_replacing_clean_asks_first(
    tree: Tree, window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    wick, page = _open(tree, window, qtbot, _texts(lamps_py=(_OLD, _MINE, _NEW)))
    page._files.select(FileOf("snuffer", "lamps.py"))
    view = page._current()
    assert view is not None
    monkeypatch.setattr(QMessageBox, "exec", lambda box: 0)
    monkeypatch.setattr(QMessageBox, "clickedButton", lambda box: box.buttons()[1])
    page._on_clean(view[0], 3)
    assert not window.session.runner.is_busy
    monkeypatch.setattr(QMessageBox, "clickedButton", lambda box: box.buttons()[0])
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        page._on_clean(view[0], 3)
    assert (wick.project / "addons/snuffer/lamps.py").read_text() == _NEW


def _picture(width: int) -> bytes:
    def chunk(kind: bytes, data: bytes) -> bytes:
        return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))

    rows = b"".join(b"\0" + b"\x20\x60\x40" * width for _ in range(4))
    head = struct.pack(">IIBBBBB", width, 4, 8, 2, 0, 0, 0)
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(rows)) + chunk(b"IEND", b"")


def test_pictures_both_changed_stand_side_by_side(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    wick, page = _open(tree, window, qtbot, {"lamp.png": (_picture(4), _picture(8), _picture(12))})
    page._on_next()
    card = page._cards[0]
    from PySide6.QtWidgets import QLabel

    words = [label.text() for label in card.findChildren(QLabel)]
    assert [word for word in words if " x 4" in word] == ["○ before, 4 x 4", "● yours, 8 x 4", "◐ vendor's, 12 x 4"]
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        card.take("incoming")
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        page._take.click()
    assert (wick.project / "addons/snuffer/lamp.png").read_bytes() == _picture(12)


def test_the_folder_is_previewed_before_anything_is_written(
    tree: Tree, window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    wick, page = _open(tree, window, qtbot, _texts(lamps_py=(_OLD, _MINE, _NEW)))
    page._on_next()
    seen: list[dict[str, str]] = []
    shown: list[str] = []

    def look(dialog: QDialog) -> int:
        assert isinstance(dialog, PreviewDialog)
        for is_whole in (False, True):
            dialog._whole.setChecked(is_whole)
            seen.append({row.title.strip(): row.right for row in dialog._pane._list.rows()})
        dialog._pane._list.select("addons/snuffer/lamps.py")
        shown.extend(line.text for block in dialog._pane._text.blocks() for line in block.lines())
        return 0

    monkeypatch.setattr(QDialog, "exec", look)
    page._on_preview()
    assert seen[0]["addon.ini"] == "changed" and "lamps.py" not in seen[0]
    assert seen[1] == seen[0] | {"lamps.py": "stays"}
    assert "addons/snuffer/lamps.py: stays as it is" in shown and "    lamp(0, 5)" in shown
    assert (wick.project / "addons/snuffer/lamps.py").read_text() == _MINE


def test_a_plugin_that_is_set_aside_is_listed_and_brought_back(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    wick, page = _open(tree, window, qtbot, {})
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        window.session.carry_out(parse_action("route:2.0:snuffer", "aside"), "aside", why="it flickers")
    assert page._files.select(ItemOf("aside:snuffer"))
    assert any("it flickers" in line.text for block in page._text.blocks() for line in block.lines())
    act = next(item for item in page._text.findChildren(QPushButton) if item.text() == "Leave snuffer out")
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        act.click()
    assert not (wick.project / "addons/snuffer").exists()
    assert page._files.select(LeftOutOf("snuffer"))
    assert any("it flickers" in line.text for block in page._text.blocks() for line in block.lines())
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        window.session.carry_out(parse_action("aside:snuffer", "return"), "return")
    assert (wick.project / "addons/snuffer/snuffer.py").exists()


def test_a_file_of_twenty_thousand_lines_is_shown_whole(tree: Tree, window: MainWindow, qtbot: QtBot) -> None:
    lines = [f"value_{n} = {n}\n" for n in range(20_000)]
    mine, new = list(lines), list(lines)
    for at in range(50, 20_000, 400):
        mine[at], new[at + 200] = f"value_{at} = 'mine'\n", f"value_{at} = 'theirs'\n"
    mine[19_000], new[19_000] = "x = 1\n", "x = 2\n"
    _, page = _open(tree, window, qtbot, _texts(long_py=("".join(lines), "".join(mine), "".join(new))))
    page._on_next()
    assert sum(len(block.lines()) for block in page._text.blocks()) == 19_999
    (card,) = page._cards
    place = card.mapTo(page._text.widget(), QPoint(0, 0)).y()
    assert abs(place - page._text.verticalScrollBar().value()) < page._text.height()
    assert page.find_text("value_50 = 'theirs'")


def test_content_from_elsewhere_is_shown_with_what_it_needs_before_it_comes(
    tree: Tree, window: MainWindow, qtbot: QtBot
) -> None:
    wick, _ = _open(tree, window, qtbot, {})
    old = tree("old", {"a.txt": "a\n", "b.txt": "b\n"})
    (wick.project / "b.txt").write_text("mine\n")
    overview = window.session.overview
    assert overview is not None
    dialog = ImportDialog(window, overview.scan, old, ["a.txt", "b.txt"], window.session.import_content, _no_read)
    qtbot.addWidget(dialog)
    qtbot.waitUntil(lambda: dialog._go.isEnabled(), timeout=10_000)
    assert dialog._go.text() == "Import 1 file" and [row.title for row in dialog._list.rows()] == ["a.txt", "b.txt"]
    dialog._into.setText("more")
    dialog._into.editingFinished.emit()
    qtbot.waitUntil(lambda: dialog._go.text() == "Import 2 files", timeout=10_000)
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        dialog._go.click()
    assert (wick.project / "more/b.txt").read_text() == "b\n" and (wick.project / "b.txt").read_text() == "mine\n"


def _no_read(plan: object, work: object) -> None:
    raise AssertionError("there are no binary assets")


def test_binary_assets_of_the_folder_are_read_after_consent(
    tree: Tree, window: MainWindow, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    crossing = begin_rush(tree)
    with qtbot.waitSignal(window.session.overview_changed, timeout=30_000):
        window.session.resume(crossing)
    overview = window.session.overview
    assert overview is not None
    old = tree(
        "old", {"art/pier.knot": knot(("U", "sisal")), "art/sisal.knot": knot(("D", "sisal")), "art/z.knot": b"x"}
    )
    read = partial(read_assets_for, crossing, overview.scan)
    dialog = ImportDialog(window, overview.scan, old, ["art/pier.knot"], window.session.import_content, read)
    qtbot.addWidget(dialog)
    dialog.show()
    qtbot.waitUntil(lambda: dialog._read_assets.isVisible(), timeout=10_000)
    assert dialog._read_assets.text() == "Read 5 binary assets" and "5 binary assets not read" in dialog._message.text()
    asked: list[str] = []
    answers = iter((False, True))
    monkeypatch.setattr(
        "fernshale.app.dialogs.import_content.ask_trust",
        lambda parent, profile: asked.append(profile.id) or next(answers),
    )
    dialog._read_assets.click()
    assert dialog._read_assets.isVisible() and not dialog.is_busy, "no consent, nothing runs"
    shown: list[str] = []
    monkeypatch.setattr(
        "fernshale.app.dialogs.import_content.show_error", lambda parent, error: shown.append(str(error))
    )
    dialog._read_assets.click()
    qtbot.waitUntil(lambda: dialog._go.text() == "Import 2 files" and dialog._go.isEnabled(), timeout=20_000)
    assert asked == ["rush", "rush"]
    # One cannot be read: that is said, and the others count.
    assert len(shown) == 1 and "art/z.knot" in shown[0] and dialog._read_assets.text() == "Read 1 binary asset"
    with qtbot.waitSignal(window.session.overview_changed, timeout=20_000):
        dialog._go.click()
    assert (crossing.setup.project / "art/sisal.knot").read_bytes() == knot(("D", "sisal"))


def test_whole_folders_are_chosen_to_be_brought_over(tree: Tree, qtbot: QtBot) -> None:
    old = tree("old", {"art/a.txt": "a\n", "art/deep/b.txt": "b\n", "c.txt": "c\n", "d.txt": "d\n"})
    dialog = PickDialog(None, old)
    qtbot.addWidget(dialog)
    assert not dialog._go.isEnabled()
    model, chosen = dialog._model, dialog._tree.selectionModel()
    for path in ("art", "art/deep/b.txt", "c.txt"):
        qtbot.waitUntil(lambda path=path: model.index(str(old / path)).isValid(), timeout=10_000)
        flags = QItemSelectionModel.SelectionFlag.Select | QItemSelectionModel.SelectionFlag.Rows
        chosen.select(model.index(str(old / path)), flags)
    assert dialog._go.isEnabled() and dialog.picked() == ["art", "c.txt"]
