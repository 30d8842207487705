"""Remake docs/screenshots: one picture of each main view, from the sample, 1280 x 800."""

from __future__ import annotations

import argparse
import os
import shutil
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

from fernshale.core.crossing.flow.actions import parse_action
from fernshale.core.crossing.record.items import choose

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
_FOLDER = Path(tempfile.mkdtemp(prefix="fernshale-shots-"))
os.environ["FERNSHALE_HOME"] = str(_FOLDER / "home")
os.environ["XDG_CONFIG_HOME"] = str(_FOLDER / "config")

from PySide6.QtCore import QEventLoop, QTimer  # noqa: E402
from PySide6.QtWidgets import QApplication, QMessageBox, QWidget  # noqa: E402

from fernshale.app.dialogs.add_releases import AddReleasesDialog  # noqa: E402
from fernshale.app.dialogs.describe import DescribeDialog  # noqa: E402
from fernshale.app.dialogs.questions import WorkingDialog  # noqa: E402
from fernshale.app.dialogs.release_changes import ReleaseChangesDialog  # noqa: E402
from fernshale.app.dialogs.snapshots import SnapshotDialog  # noqa: E402
from fernshale.app.main import make_app, make_window  # noqa: E402
from fernshale.app.pages.base import Page  # noqa: E402
from fernshale.app.pages.build import BuildPage  # noqa: E402
from fernshale.app.pages.links import LinksPage  # noqa: E402
from fernshale.app.pages.trial import TrialPage  # noqa: E402
from fernshale.app.theme import choose_theme  # noqa: E402
from fernshale.app.window import MainWindow  # noqa: E402
from fernshale.core.crossing.record.decisions import read_decisions  # noqa: E402
from fernshale.core.crossing.record.stage import Stage  # noqa: E402
from fernshale.core.crossing.record.trust import trust  # noqa: E402
from fernshale.core.crossing.stages.overview import Overview  # noqa: E402
from fernshale.core.profile.read import read_profile  # noqa: E402
from fernshale.sample import shape_releases, unpack, unpack_shape  # noqa: E402

PageOf = TypeVar("PageOf", bound=Page)


def overview_of(window: MainWindow) -> Overview:
    """What the window shows of the open crossing."""
    overview = window.session.overview
    assert overview is not None
    return overview


def page_of(window: MainWindow, kind: type[PageOf]) -> PageOf:
    """The page of a kind."""
    return next(page for page in window.pages.values() if isinstance(page, kind))


def take(window: MainWindow, key: str, option: str, title: str, why: str = "") -> None:
    """Carry an option out, as a person who clicks it does."""
    item = next((item for item in overview_of(window).items if item.key == key), None)
    action = (choose(item, option) if item is not None else None) or parse_action(key, option)
    window.session.carry_out(action, title, why)


def main(out: Path, wanted: list[str]) -> None:
    out.mkdir(parents=True, exist_ok=True)
    app = make_app(["shots"])
    choose_theme("light")
    app.setStyle("Fusion")
    sample = unpack(_FOLDER / "sample")
    trust(read_profile(sample.profile))
    window = make_window()
    size = next((item for item in wanted if "x" in item and item.replace("x", "").isdigit()), "1280x800")
    width, height = size.split("x")
    window.resize(int(width), int(height))
    window.show()
    window.look.toggle_theme()
    if "dark" not in wanted:
        window.look.toggle_theme()

    def shot_of(widget: QWidget, name: str) -> None:
        # Lists lay out their rows again a moment after their width changed.
        loop = QEventLoop()
        QTimer.singleShot(160, loop.quit)
        loop.exec()
        widget.grab().save(str(out / f"{name}.png"))

    def shot(name: str, stage: Stage | None = None) -> None:
        if stage is not None:
            window.show_stage(stage)
        shot_of(window, name)

    shot("start")
    shot_description(shot_of)
    window.begin(sample.project, sample.profile, [sample.shelf], sample.target)
    settle(window)
    take(window, "survey:baseline", "take", "baseline")
    settle(window)
    shot("survey", Stage.SURVEY)
    shot("route", Stage.ROUTE)
    shot_rehearsal(window, shot_of)
    window.show_stage(Stage.PLUGINS)
    recorded = read_decisions(sample.decisions)
    keys = list(recorded)
    page = window.pages[Stage.PLUGINS]
    overview = overview_of(window)
    page.go_to(next(open_item for open_item in overview.items if "slot.cpp" in open_item.title))
    shot("plugins")
    for key in keys:
        if key.startswith(("route:3.0.2", "default:", "silent:", "expect:", "cause:")):
            continue
        take(window, key, recorded[key].take, "deciding", why=recorded[key].why)
        settle(window)
    for name in [view.plugin.id for view in overview_of(window).plugins.plugins if view.merge]:
        take(window, f"plugin:{name}", "take", name)
        settle(window)
    take(window, "rebuild:mooring", "rebuild", "mooring")
    settle(window)
    for open_item in overview_of(window).route.items:
        take(window, open_item.key, open_item.options[0].id, open_item.title)
        settle(window)
    shot("engine", Stage.ENGINE)
    take(window, "engine:sites", "apply", "engine")
    settle(window)
    for open_item in [item for item in overview_of(window).items if item.key.startswith("copy:")]:
        take(window, open_item.key, "merge", open_item.title)
        settle(window)
    shot("build-forecast", Stage.BUILD)
    shot_changes(window, shot_of)
    take(window, "build:run", "build", "build")
    settle(window)
    overview = overview_of(window)
    window.pages[Stage.BUILD].go_to(next(open_item for open_item in overview.items if "write_log" in open_item.title))
    shot_dialogs(window, shot_of)
    build = page_of(window, BuildPage)
    build._apply_automatic()
    settle(window)
    take(window, "build:run", "build", "build")
    settle(window)
    shot("build", Stage.BUILD)
    for _ in range(4):
        overview = overview_of(window)
        if overview.build.passed:
            break
        build._apply_automatic()
        settle(window)
        for open_item in overview_of(window).items:
            if open_item.key.startswith("cause:") and open_item.key in recorded:
                take(window, open_item.key, recorded[open_item.key].take, open_item.title, recorded[open_item.key].why)
                settle(window)
        take(window, "build:run", "build", "build")
        settle(window)
    open_ = {open_item.key for open_item in overview_of(window).items}
    for key in [key for key in keys if key in open_ and key.startswith(("default:", "silent:"))]:
        take(window, key, recorded[key].take, "default", why=recorded[key].why)
        settle(window)
    take(window, "build:run", "build", "build")
    settle(window)
    take(window, "assets:unread", "read", "assets")
    settle(window)
    links = page_of(window, LinksPage)
    links._go("links:pier-wood")
    shot("links", Stage.LINKS)
    take(window, "links:together:sure", "sure", "links")
    settle(window)
    links._go("data:lamp-angle")
    shot("links-data", Stage.LINKS)
    for key in ("data:pier-places", "data:lamp-angle"):
        take(window, key, "all", "data")
        settle(window)
    take(window, "expect:tide-clock", "mend", "clock")
    settle(window)
    bell = next(key for key in keys if key.startswith("expect:one-bell"))
    take(window, bell, recorded[bell].take, "bell", why=recorded[bell].why)
    settle(window)
    take(window, "trial:run", "run", "trial")
    settle(window)
    shot("trial", Stage.TRIAL)
    for tab, name in ((2, "trial-timings"), (3, "trial-pictures")) if "all" in wanted else ():
        page_of(window, TrialPage)._tabs.setCurrentIndex(tab)
        shot(name, Stage.TRIAL)
    window.show_view(window.report)
    shot("report")
    take(window, "aside:pursebook", "aside", "aside", why="nobody keeps it any more")
    settle(window)
    window.show_view(window.debts)
    shot("debts")
    entry = overview_of(window).logbook[-1].id
    window.session.undo(entry, "aside")
    settle(window)
    if "dark" not in wanted:
        window.look.toggle_theme()
        shot("plugins-done-dark", Stage.PLUGINS)
    else:
        window.look.toggle_theme()
    window.look.toggle_theme()
    toys = unpack(_FOLDER / "toys", "quayside")
    trust(read_profile(toys.profile))
    window.begin(toys.project, toys.profile, [toys.shelf], toys.target)
    settle(window)
    take(window, "survey:baseline", "take", "baseline")
    settle(window)
    shot("workspace", Stage.SURVEY)
    window.close()


def shot_description(shot_of: Callable[[QWidget, str], None]) -> None:
    """Describing a project that no profile fits, and adding releases for it."""
    project = unpack_shape(_FOLDER / "shapes", "lantern-run")
    releases = shutil.copytree(shape_releases("lantern-run"), _FOLDER / "downloads")
    dialog = DescribeDialog(None, project)
    dialog.resize(1280, 800)
    dialog.show()
    _wait(dialog)
    dialog._choose("build.settings")
    dialog._point(5, 15)
    shot_of(dialog, "describe")
    dialog._save()
    assert dialog.profile is not None
    adding = AddReleasesDialog(None, _FOLDER / "own-shelf", read_profile(dialog.profile))
    adding.show()
    adding.look_at([releases])
    _wait(adding)
    shot_of(adding, "releases")
    adding.reject()


def shot_rehearsal(window: MainWindow, shot_of: Callable[[QWidget, str], None]) -> None:
    """Two ways to the target, rehearsed."""
    view = window.rehearsal
    window.show_view(view)
    view.check("3.1.0 direct", "3.1.0 over 3.0.2")
    view.start()
    while view.is_busy:
        QApplication.processEvents()
    shot_of(window, "rehearsal")


def shot_changes(window: MainWindow, shot_of: Callable[[QWidget, str], None]) -> None:
    """The changes between the two releases of the crossing."""
    dialog = ReleaseChangesDialog(window, window.release_places())
    dialog.show()
    _wait(dialog)
    dialog.select(2)
    shot_of(dialog, "changes")
    dialog.reject()


def _wait(dialog: WorkingDialog) -> None:
    QApplication.processEvents()
    while dialog.is_busy:
        QApplication.processEvents()


def shot_dialogs(window: MainWindow, shot_of: Callable[[QWidget, str], None]) -> None:
    """The dialogs of snapshots, each as it stands once it has read what it shows."""
    crossing = window.session.crossing
    assert crossing is not None
    dialog = SnapshotDialog(window, None, crossing, window.session.restore)
    dialog.show()
    _wait(dialog)
    dialog.compare_from(1)
    _wait(dialog)
    shot_of(dialog, "snapshots")
    dialog.reject()


def settle(window: MainWindow) -> None:
    """Wait until nothing runs any more; a question nobody answers ends the whole."""

    def look() -> None:
        box = QApplication.activeModalWidget()
        if isinstance(box, QMessageBox):
            print(box.text(), box.informativeText(), file=sys.stderr)
            os._exit(1)
        if not window.session.runner.is_busy:
            loop.quit()

    for _ in range(2):
        loop = QEventLoop()
        timer = QTimer()
        timer.timeout.connect(look)
        timer.start(30)
        loop.exec()


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("folder", nargs="?", type=Path, default=Path("docs/screenshots"))
    parser.add_argument("wanted", nargs="*", help="a size such as 1024x700, `dark`, or what is to be shown alone")
    given = parser.parse_args()
    main(given.folder, given.wanted)
