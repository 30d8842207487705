"""Run as a process of its own, in the language of the settings: print as JSON what the window shows, and what a crossing decided.

translated_window.py FOLDER [--texts]
"""

from __future__ import annotations

import ast
import hashlib
import html
import json
import re
import shutil
import sys
from collections.abc import Iterable, Mapping
from pathlib import Path

from fernshale.cli import main as _command_line  # noqa: F401  as the program does
from fernshale.cli.arguments import build_parser
from fernshale.cli.open_window import use_user_language

build_parser().parse_args([])
_BEFORE = [(name, module.__file__) for name, module in sys.modules.items() if name.startswith("fernshale.")]
use_user_language()

from PySide6.QtGui import QAccessible  # noqa: E402
from PySide6.QtTest import QTest  # noqa: E402
from PySide6.QtWidgets import QWidget  # noqa: E402

from fernshale.app.dialogs.add_releases import AddReleasesDialog  # noqa: E402
from fernshale.app.dialogs.describe import DescribeDialog  # noqa: E402
from fernshale.app.dialogs.release_changes import ComparisonFolders, ReleaseChangesDialog  # noqa: E402
from fernshale.app.dialogs.settings import SettingsDialog  # noqa: E402
from fernshale.app.dialogs.snapshots import StoreDialog  # noqa: E402
from fernshale.app.main import make_app, make_window  # noqa: E402
from fernshale.app.window import MainWindow  # noqa: E402
from fernshale.core.base.settings import settings  # noqa: E402
from fernshale.core.base.work import Work  # noqa: E402
from fernshale.core.crossing.flow.autopilot import cross  # noqa: E402
from fernshale.core.crossing.flow.start import begin_crossing  # noqa: E402
from fernshale.core.crossing.record.database import Crossing  # noqa: E402
from fernshale.core.crossing.record.decisions import Recorded  # noqa: E402
from fernshale.core.crossing.record.stage import STAGES  # noqa: E402
from fernshale.core.crossing.record.trust import trust  # noqa: E402
from fernshale.core.crossing.stages.overview import Overview, inspect  # noqa: E402
from fernshale.core.profile.read import read_profile  # noqa: E402
from fernshale.core.snapshot.store import Store, default_store  # noqa: E402
from fernshale.sample import shape_releases, unpack, unpack_shape  # noqa: E402
from tests.app.accessible_tree import shown_below  # noqa: E402
from tests.conftest import listing  # noqa: E402
from tests.wick import make_wick  # noqa: E402

_PROPERTIES = ("text", "toPlainText", "windowTitle", "toolTip", "placeholderText", "title")
_ACCESSIBLE = (QAccessible.Text.Name, QAccessible.Text.Value, QAccessible.Text.Description)


def _translated_too_early() -> list[str]:
    """The texts at the head of modules that are imported before the language is chosen."""
    found = []
    for name, file in _BEFORE:
        for statement in ast.parse(Path(file or "").read_text() if file else "").body:
            if isinstance(statement, ast.FunctionDef):
                continue
            inside = statement.body if isinstance(statement, ast.ClassDef) else [statement]
            calls = (call for part in inside if not isinstance(part, ast.FunctionDef) for call in ast.walk(part))
            found += [
                f"{name}:{call.lineno}"
                for call in calls
                if isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id in ("tr", "count")
            ]
    return found


def _tree(folder: Path, name: str, files: Mapping[str, str | bytes | None]) -> Path:
    for path, content in files.items():
        place = folder / name / path
        if content is None:
            place.mkdir(parents=True)
            continue
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(content if isinstance(content, bytes) else content.encode())
    return folder / name


def _small_crossing(folder: Path) -> Crossing:
    """A crossing with conflicts of every kind: lines, and a file that was removed here and changed by the vendor."""
    wick = make_wick(lambda name, files: _tree(folder, name, files))
    addon = wick.project / "addons/snuffer/snuffer.py"
    addon.write_text(addon.read_text().replace("step_8 = 8", "step_8 = 'mine'"))
    for release in ("1", "2"):
        (wick.shelf / "snuffer" / release / "wick.txt").write_text(f"the wick of {release}\n")
        (wick.shelf / "snuffer" / release / "wax.bin").write_bytes(b"\0wax" + release.encode())
    (wick.project / "addons/snuffer/wax.bin").write_bytes(b"\0my own")
    profile = read_profile(wick.profile)
    trust(profile)
    return begin_crossing(wick.project, profile, [wick.shelf], "2.0", Work())


def _decided(crossing: Crossing) -> dict[str, object]:
    """The keys of all items and options on the way, the decisions, and the files at the end."""
    keys: set[str] = set()
    recorded: dict[str, Recorded] = {}

    def note(overview: Overview) -> None:
        for item in overview.items:
            keys.add(f"{item.key} {[option.id for option in item.options]}")
            if item.key.startswith("merge:"):
                recorded[item.key] = Recorded(item.key, "mine", "it is ours")

    note(inspect(crossing, Work()))
    for _ in range(2):
        overview = cross(crossing, recorded, lambda _step: None, lambda _stage, found: note(found), Work())
        note(overview)
    files = {
        path: hashlib.sha1(repr(found).encode()).hexdigest() for path, found in listing(crossing.setup.project).items()
    }
    return {"done": overview.is_done, "keys": sorted(keys), "decisions": sorted(crossing.decisions()), "files": files}


class _Texts:
    """All texts that were on the screen, each with the page where it was seen first."""

    def __init__(self) -> None:
        self.seen: dict[str, str] = {}

    def collect(self, top: QWidget, where: str) -> None:
        for item in shown_below(top):
            self._add((item.text(kind) for kind in _ACCESSIBLE), where)
        for widget in top.findChildren(QWidget):
            if widget.isVisible():
                asked = (getattr(widget, name, None) for name in _PROPERTIES)
                self._add((_called(each) for each in asked), where)

    def _add(self, texts: Iterable[str], where: str) -> None:
        for text in texts:
            if text.strip():
                self.seen.setdefault(html.unescape(re.sub(r"<style>.*?</style>|<[^>]*>", " ", text)), where)


def _called(method: object) -> str:
    if not callable(method):
        return ""
    try:
        found = method()
    except TypeError:
        return ""
    return found if isinstance(found, str) else ""


def _settle(window: MainWindow) -> None:
    for _ in range(1200):
        QTest.qWait(25)
        if not window.session.runner.is_busy:
            return
    raise TimeoutError


def _pages(window: MainWindow, texts: _Texts) -> None:
    for stage in STAGES:
        window.show_stage(stage)
        _settle(window)
        texts.collect(window, stage.name)
    for view in (window.report, window.debts):
        window.show_view(view)
        _settle(window)
        texts.collect(window, type(view).__name__)


def _shown(window: MainWindow, crossing: Crossing, folder: Path) -> dict[str, object]:
    """The texts of all pages with a finished crossing and with the sample at its beginning, and of the dialogs."""
    texts = _Texts()
    texts.collect(window, "start")
    window.open_path(crossing.setup.project)
    _settle(window)
    _pages(window, texts)
    sample = unpack(folder / "sample")
    trust(read_profile(sample.profile))
    window.begin(sample.project, sample.profile, [sample.shelf], sample.target)
    _settle(window)
    _pages(window, texts)
    dialogs = (
        SettingsDialog(window, settings()),
        StoreDialog(window, Store(default_store())),
        ReleaseChangesDialog(window, ComparisonFolders()),
    )
    for dialog in dialogs:
        dialog.show()
        QTest.qWait(300)
        texts.collect(dialog, type(dialog).__name__)
        dialog.close()
    _describe(texts, folder)
    commands = {text: "menu" for item in window.commands() for text in (item.title, item.area)}
    window.close()
    # Names of checks are kept in the profile, where a person can change them.
    return {"texts": texts.seen | commands, "checks": "works behaves looks right silent"}


def _describe(texts: _Texts, folder: Path) -> None:
    """The dialogs in which a project is described for the first time."""
    project = unpack_shape(folder / "shapes", "lantern-run")
    dialog = DescribeDialog(None, project)
    dialog.show()
    _until_idle(dialog)
    texts.collect(dialog, "DescribeDialog")
    dialog._save()
    assert dialog.profile is not None
    adding = AddReleasesDialog(None, folder / "own-shelf", read_profile(dialog.profile))
    adding.show()
    adding.look_at([shutil.copytree(shape_releases("lantern-run"), folder / "downloads")])
    _until_idle(adding)
    texts.collect(adding, "AddReleasesDialog")
    adding.reject()
    dialog.reject()


def _until_idle(dialog: DescribeDialog | AddReleasesDialog) -> None:
    for _ in range(1200):
        QTest.qWait(25)
        if not dialog.is_busy:
            return
    raise TimeoutError


def main() -> None:
    folder = Path(sys.argv[1])
    crossing = _small_crossing(folder)
    found = _decided(crossing) | {"too_early": _translated_too_early()}
    if "--texts" in sys.argv:
        app = make_app([sys.argv[0]])
        window = make_window()
        window.resize(1280, 800)
        window.show()
        found |= _shown(window, crossing, folder)
        app.processEvents()
    print(json.dumps(found))


if __name__ == "__main__":
    main()
