"""One window for each crossing: a second start on the same project brings the first window to the front."""

from __future__ import annotations

import hashlib
import os
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtNetwork import QLocalServer, QLocalSocket

_WAIT_MS = 500
_ASK, _DONE = b"show\n", b"shown\n"


class CrossingWindow(QObject):
    """Answers for the crossing that is open in this window. `asked` is emitted when another start wants it."""

    asked = Signal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._server: QLocalServer | None = None

    def stand_for(self, folder: Path | None) -> None:
        """Answer for a crossing, by the folder of its record; for none with None."""
        if self._server is not None:
            self._server.close()
            self._server.deleteLater()
            self._server = None
        if folder is None:
            return
        server = QLocalServer(self)
        server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        name = _name(folder)
        if not server.listen(name):
            QLocalServer.removeServer(name)  # left by a window that was killed
            server.listen(name)
        server.newConnection.connect(self._on_connection)
        self._server = server

    def _on_connection(self) -> None:
        socket = self._server.nextPendingConnection() if self._server is not None else None
        if socket is None:
            return
        socket.disconnected.connect(socket.deleteLater)
        socket.write(_DONE)
        socket.flush()
        self.asked.emit()


def show_other_window(folder: Path) -> bool:
    """Bring the window that has a crossing open to the front; False where there is none."""
    socket = QLocalSocket()
    socket.connectToServer(_name(folder))
    if not socket.waitForConnected(_WAIT_MS):
        return False
    socket.write(_ASK)
    socket.flush()
    was_answered = socket.waitForReadyRead(_WAIT_MS) and bytes(socket.readAll().data()).startswith(_DONE)
    socket.abort()
    return was_answered


def _name(folder: Path) -> str:
    """The name of the socket: in the user's runtime folder, short enough for the system."""
    digest = hashlib.sha256(os.fsencode(folder.resolve())).hexdigest()[:16]
    runtime = os.environ.get("XDG_RUNTIME_DIR", "")
    name = f"fernshale-{os.getuid()}-{digest}"
    return f"{runtime}/{name}" if runtime and Path(runtime).is_dir() else name
