"""Drive the window through a crossing with a plugin of 2,000 files, and print how long keys and clicks take to be painted.

    ./dev bench window

The 50th, 95th and 99th percentile of the times from a key to its frame, the slowest actions, the pauses of more than 50 ms, and
the time from a decision until the page is right again. Half of it happens while a build runs in the background.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np  # the platform is chosen before Qt is loaded
from PySide6.QtCore import QCoreApplication, QEvent, QEventLoop, Qt, QTimer
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QWidget

ROOT = Path(__file__).resolve().parents[1]
sys.path.insert(0, str(ROOT))

from fernshale.app.main import make_app, make_window  # noqa: E402
from fernshale.app.trace import FrameTrace  # noqa: E402
from fernshale.app.window import MainWindow  # noqa: E402
from fernshale.core.crossing.record.stage import STAGES, Stage  # noqa: E402
from fernshale.core.crossing.record.trust import trust  # noqa: E402
from fernshale.core.profile.read import read_profile  # noqa: E402
from tests.wick import Wick, make_wick  # noqa: E402

_FILES = 2000
_LINES = 120
# Files that both sides changed at the same place.
_CONFLICTS = 40


def main() -> None:
    with tempfile.TemporaryDirectory(prefix="fernshale-window-") as folder:
        os.environ["FERNSHALE_HOME"] = f"{folder}/home"
        os.environ["XDG_CONFIG_HOME"] = f"{folder}/config"
        _measure(make_project(Path(folder)))


def make_project(folder: Path) -> Wick:
    """A project of `tests.wick` whose plugin has 2,000 files, some in conflict, and whose build takes a few seconds."""

    def tree(name: str, files: Mapping[str, str | bytes | None]) -> Path:
        for path, text in files.items():
            place = folder / name / path
            place.parent.mkdir(parents=True, exist_ok=True)
            if text is not None:
                place.write_bytes(text if isinstance(text, bytes) else text.encode())
        return folder / name

    wick = make_wick(tree)
    for number in range(_FILES):
        lines = [f"value_{number}_{line} = {line}  # what it is for\n" for line in range(_LINES)]
        path = f"part{number % 40:02}/module{number}.py"
        mine, new = list(lines), list(lines)
        if number % 3 == 0:
            new[5] = f"value_{number}_5 = 55\n"
        if number % 7 == 0:
            mine[60] = f"value_{number}_60 = 'mine'\n"
        if number < _CONFLICTS:
            mine[100], new[100] = "mine = 1\n", "vendor = 2\n"
        for name, text in (("shelf/snuffer/1", lines), ("shelf/snuffer/2", new), ("candle/addons/snuffer", mine)):
            tree(name, {path: "".join(text)})
    for release in ("1.4", "2.0"):
        check = folder / f"shelf/wick/{release}/check.py"
        check.write_text(
            f"import time\nfor n in range(400):\n    print('checking', n)\n    time.sleep(0.02)\n{check.read_text()}"
        )
    trust(read_profile(wick.profile))
    time.sleep(2.5)  # what was written just now is read again, since equal times prove nothing yet
    return wick


def _measure(wick: Wick) -> None:
    app = make_app(["interaction"])
    lines: list[dict[str, object]] = []
    window = make_window()
    window.resize(1280, 800)
    window.show()
    trace = FrameTrace(app, lines.append)
    window.begin(wick.project, wick.profile, [wick.shelf], "2.0")
    _settle(window)
    lines.clear()  # opening is work in the background with a page of its own
    with _counted(lines, "nothing runs"):
        _walk(window)
    took = _decide(window)
    print(f"  a decision in a plugin of {_FILES} files until the page is right: {took * 1000:.0f} ms")
    _take(window, "engine:sites", "apply")
    _take(window, "build:run", "build", wait=False)
    with _counted(lines, "a build runs"):
        _walk(window)
        assert window.session.runner.is_busy, "the build was over too soon"
    _settle(window)
    del trace
    window.close()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)


@contextmanager
def _counted(lines: list[dict[str, object]], when: str) -> Iterator[None]:
    lines.clear()
    yield
    _wait(100)
    times = np.array([line["ms"] for line in lines if "ms" in line], dtype=float)
    pauses = sorted((float(str(line["pause"])) for line in lines if "pause" in line), reverse=True)
    half, most, nearly = np.percentile(times, (50, 95, 99))
    print(f"{when}: {len(times)} actions; key to frame 50 % {half:.0f} ms, 95 % {most:.0f} ms, 99 % {nearly:.0f} ms")
    slowest: dict[str, float] = defaultdict(float)
    for line in lines:
        if "ms" in line:
            slowest[str(line["action"])] = max(slowest[str(line["action"])], float(str(line["ms"])))
    worst = sorted(slowest.items(), key=lambda item: -item[1])[:4]
    print("  slowest: " + ", ".join(f"{name} {spent:.0f} ms" for name, spent in worst))
    print(f"  pauses above 50 ms: {len(pauses)}" + (f", the longest {pauses[0]:.0f} ms" if pauses else ""))


def _walk(window: MainWindow) -> None:
    """Visit every page by keys: move in its lists, fold and unfold, search, and open the list of actions."""
    for stage in STAGES:
        _key(window, Qt.Key(Qt.Key.Key_1.value + STAGES.index(stage)), Qt.KeyboardModifier.AltModifier)
        for key in (Qt.Key.Key_Down,) * 12 + (Qt.Key.Key_Up,) * 4 + (Qt.Key.Key_PageDown, Qt.Key.Key_Home):
            _key(_focused(window), key)
        _key(_focused(window), Qt.Key.Key_Tab)
        for key in (Qt.Key.Key_Down,) * 6 + (Qt.Key.Key_End, Qt.Key.Key_Home):
            _key(_focused(window), key)


def _decide(window: MainWindow) -> float:
    """Resolve the first conflict of the plugin; seconds until the page shows it."""
    window.show_stage(Stage.PLUGINS)
    _settle(window)
    overview = window.session.overview
    assert overview is not None
    item = next(item for item in overview.items_of(Stage.PLUGINS) if item.option("mine") is not None)
    started = time.perf_counter()
    _take(window, item.key, "mine")
    overview = window.session.overview
    assert overview is not None and all(other.key != item.key for other in overview.items)
    return time.perf_counter() - started


def _take(window: MainWindow, key: str, option: str, *, wait: bool = True) -> None:
    from fernshale.core.crossing.flow.actions import parse_action
    from fernshale.core.crossing.record.items import choose

    overview = window.session.overview
    assert overview is not None
    item = next((item for item in overview.items if item.key == key), None)
    action = (choose(item, option) if item is not None else None) or parse_action(key, option)
    window.session.carry_out(action, key)
    if wait:
        _settle(window)
    else:
        _wait(300)


def _focused(window: MainWindow) -> QWidget:
    return QApplication.focusWidget() or window


def _key(widget: QWidget, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
    QTest.keyClick(widget, key, modifier)
    _wait(30)


def _wait(ms: int) -> None:
    loop = QEventLoop()
    QTimer.singleShot(ms, loop.quit)
    loop.exec()


def _settle(window: MainWindow) -> None:
    while True:
        QApplication.processEvents()
        if window.session.overview is not None and not window.session.runner.is_busy:
            return
        time.sleep(0.002)


if __name__ == "__main__":
    main()
