"""Opening a file in the user's editor, at the line where the editor supports that."""

from __future__ import annotations

import os
import shlex
from pathlib import Path

from PySide6.QtCore import QProcess, QUrl
from PySide6.QtGui import QDesktopServices

from fernshale.core.base.settings import usable_settings
from fernshale.core.base.texts import tr


def editor_command() -> str:
    """The command of the settings, or FERNSHALE_EDITOR; `{file}` and `{line}` are replaced by the place."""
    return usable_settings().work.editor or os.environ.get("FERNSHALE_EDITOR", "")


def open_in_editor(path: Path, line: int) -> str:
    """Open a file; returns "" or the error."""
    if not path.is_file():
        return tr("{path} is not there", path=path)
    command = editor_command()
    if not command:
        opened = QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))
        return "" if opened else tr("no program is set for this file; choose your editor in the settings")
    try:
        words = [word.replace("{file}", str(path)).replace("{line}", str(line)) for word in shlex.split(command)]
    except ValueError as error:
        return tr("the editor command cannot be read: {error}", error=error)
    if "{file}" not in command:
        words.append(str(path))
    started = QProcess.startDetached(words[0], words[1:])
    return (
        ""
        if (started[0] if isinstance(started, tuple) else started)
        else tr("{words} could not be started", words=words[0])
    )
