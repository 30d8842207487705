"""What every page is: a finding on top, a picture, a list, the detail; it shows overviews and sends intents."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from fernshale.app.session import Session
from fernshale.app.widgets.basics import FindingLabel
from fernshale.core.crossing.findings import finding_of
from fernshale.core.crossing.matter import Matter, Stage
from fernshale.core.crossing.overview import Overview


class Page(QWidget):
    """One stage. `editor_wanted` carries (path in the project, line)."""

    stage: Stage
    editor_wanted = Signal(str, int)

    def __init__(self, parent: QWidget, session: Session) -> None:
        super().__init__(parent)
        self.session = session
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(18, 14, 18, 10)
        self.column.setSpacing(10)
        self.finding = FindingLabel(self)
        self.column.addWidget(self.finding)

    def show_overview(self, overview: Overview) -> None:
        """Show a new overview."""
        self.finding.show_finding(finding_of(self.stage, overview))
        self.fill(overview)

    def fill(self, overview: Overview) -> None:
        """Show what is below the finding."""
        raise NotImplementedError

    def go_to(self, matter: Matter) -> None:
        """Bring a matter of this stage into view."""

    def find_text(self, words: str) -> bool:
        """Go to the next place on the page that holds `words`; False when there is none."""
        return False


def file_and_line(place: str) -> tuple[str, int]:
    """`src/a.cpp:12` as its two parts; line 1 where none is named."""
    path, _, line = place.rpartition(":")
    return (path, int(line)) if path and line.isdigit() else (place, 1)
