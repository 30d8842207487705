"""Start the application."""

from __future__ import annotations

import faulthandler
import logging
import os
import signal
import sys
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path

from PySide6.QtCore import QSettings, QTimer, QtMsgType, qInstallMessageHandler
from PySide6.QtGui import QIcon
from PySide6.QtWidgets import QApplication

from fernshale.api.crossings import folder_of
from fernshale.app.dialogs.questions import show_error
from fernshale.app.instance import show_other_window
from fernshale.app.language import chosen_language, translate_qt
from fernshale.app.theme import ICONS, apply_theme, desktop_letters, use_look
from fernshale.app.trace import TRACE_VARIABLE, trace_to
from fernshale.app.window import MainWindow
from fernshale.core.base.data_folder import home
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.log import LOGGER, log_folder, log_uncaught
from fernshale.core.base.settings import change_settings, usable_settings

_LEVELS: Mapping[QtMsgType, int] = {
    QtMsgType.QtDebugMsg: logging.DEBUG,
    QtMsgType.QtInfoMsg: logging.INFO,
    QtMsgType.QtWarningMsg: logging.WARNING,
    QtMsgType.QtCriticalMsg: logging.ERROR,
    QtMsgType.QtFatalMsg: logging.CRITICAL,
}


# The name of the desktop entry, by which a desktop knows the window.
APP_ID = "org.fernshale.Fernshale"


def make_app(arguments: list[str]) -> QApplication:
    """The application, dressed; the same for the window, the tests and the pictures."""
    existing = QApplication.instance()
    app = existing if isinstance(existing, QApplication) else QApplication(arguments)
    app.setApplicationName("fernshale")
    app.setOrganizationName("fernshale")
    app.setDesktopFileName(APP_ID)
    app.setWindowIcon(QIcon(str(ICONS / "fernshale.svg")))
    app.setStyle("Fusion")
    if existing is None:
        translate_qt(app, chosen_language(usable_settings().look.language))
        keep_former_settings()
        use_look(usable_settings().look, desktop_letters())
    apply_theme(app)
    app.styleHints().colorSchemeChanged.connect(lambda _scheme: apply_theme(app))
    return app


def keep_former_settings() -> None:
    """Move the settings that earlier versions kept elsewhere into `settings.toml`."""
    former = QSettings()
    for name, key, read in (("letters", "look.letters", float), ("editor/command", "work.editor", str)):
        kept = former.value(name)
        if kept is not None:
            with suppress(FernshaleError, ValueError):
                change_settings({key: read(str(kept))})
            former.remove(name)


def _log_what_breaks() -> None:
    """Have exceptions, messages of Qt and crashes of the interpreter in the log."""
    log_uncaught()
    qInstallMessageHandler(lambda kind, _place, words: LOGGER.log(_LEVELS.get(kind, logging.WARNING), "Qt: %s", words))
    with suppress(OSError):
        # Open until the end: the interpreter writes to it when it crashes.
        faulthandler.enable((log_folder() / "crash.log").open("a", encoding="utf-8"))


def make_window() -> MainWindow:
    """The main window, looking for profiles where the command line does."""
    from fernshale.sample import PROFILES

    return MainWindow((home() / "profiles", PROFILES))


def run_app(arguments: list[str], project: Path | None, shelf: Path | None, target: str) -> int:
    """Run until the window is closed."""
    app = make_app(arguments)
    if shelf is None and project is not None and project.is_dir() and show_other_window(folder_of(project)):
        return 0
    window = make_window()
    if file := os.environ.get(TRACE_VARIABLE):
        trace_to(app, Path(file))
    # Python sees a signal only when it runs now and then.
    for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
        signal.signal(number, lambda _number, _frame: window.close())
    sys.excepthook = lambda _kind, error, _trace: show_error(window, error)
    _log_what_breaks()
    pulse = QTimer(window)
    pulse.timeout.connect(lambda: None)
    pulse.start(300)
    window.show()
    if project is not None and shelf is not None:
        profile = next(iter(sorted(project.parent.glob("*.profile.toml"))))
        QTimer.singleShot(0, lambda: window.begin(project, profile, [shelf], target))
    elif project is not None:
        QTimer.singleShot(0, lambda: window.open_path(project))
    return app.exec()
