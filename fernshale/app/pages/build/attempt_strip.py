"""The strip below the causes: try the proposals in a copy of the project, now or after each build."""

from __future__ import annotations

from PySide6.QtWidgets import QCheckBox, QFrame, QHBoxLayout, QWidget

from fernshale.api.crossings import attempts_per_build
from fernshale.app.session import Session
from fernshale.app.widgets.basics import button
from fernshale.core.base.texts import tr
from fernshale.core.crossing.stages.build.view import BuildView

_HINT = tr("Build a copy of the project with the proposals, to see which errors each one clears and brings")


class AttemptStrip(QFrame):
    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self._session = session
        line = QHBoxLayout(self)
        line.setContentsMargins(11, 6, 9, 7)
        self._button = button(self, tr("Try proposals"), self._on_pressed, hint=_HINT)
        self._each = QCheckBox(tr("after each build"), self)
        self._each.setToolTip(tr("Try the proposals of each build in the background"))
        self._each.clicked.connect(session.choose_attempts)
        line.addWidget(self._button)
        line.addWidget(self._each)
        line.addStretch(1)
        session.attempts.started.connect(self._on_started)
        session.attempts.ended.connect(lambda: self._button.setText(tr("Try proposals")))

    def fill(self, view: BuildView) -> None:
        """Show it where the last build has causes with proposals."""
        has_fixes = any(item.fixes for item in view.causes)
        self.setVisible(has_fixes)
        self._button.setEnabled(self._session.attempts.is_busy or (has_fixes and not view.is_stale))
        crossing = self._session.crossing
        self._each.setChecked(crossing is not None and attempts_per_build(crossing) > 0)

    def _on_started(self, title: str) -> None:
        self._button.setText(tr("Stop trying"))
        self._session.said.emit(tr("the proposals are tried in a copy of the project; you can work on meanwhile"))

    def _on_pressed(self) -> None:
        if self._session.attempts.is_busy:
            self._session.stop_attempts()
        else:
            self._session.try_proposals()
