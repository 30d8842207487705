"""The question how to begin a crossing: from which project, by which shelf, to which release, with whom."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QSettings, Qt
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.projects import probe_project, shelf_overview, shelf_to_fill, suggested_shelf
from fernshale.app.dialogs.add_releases import AddReleasesDialog
from fernshale.app.dialogs.describe import DescribeDialog
from fernshale.app.dialogs.questions import WorkingDialog
from fernshale.app.widgets.basics import button, heading_label, quiet_label
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import printable
from fernshale.core.crossing.project.preconditions import ProjectProbe
from fernshale.core.crossing.project.shelf_overview import ShelfOverview
from fernshale.core.profile.model import Profile
from fernshale.core.profile.read import NoProfileFits


class BeginDialog(WorkingDialog):
    """From which project, by which shelf, to which release."""

    def __init__(self, parent: QWidget, project: Path, profiles: tuple[Path, ...], profile: Path | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Begin a crossing"))
        self.resize(640, 380)
        self._profiles = profiles
        self.project = project
        self.opening: ProjectProbe | None = None
        column = QVBoxLayout(self)
        column.setSpacing(8)
        self._message = heading_label(self, "")
        self._message.setWordWrap(True)
        self._trouble = quiet_label(self, "")
        column.addWidget(self._message)
        column.addWidget(self._trouble)
        ways = QHBoxLayout()
        self._describe = button(self, tr("Describe this project…"), self._describe_project, main=True)
        self._profile = button(self, tr("Name the engine profile…"), self._choose_profile)
        ways.addWidget(self._describe)
        ways.addWidget(self._profile)
        ways.addStretch(1)
        column.addLayout(ways)
        column.addWidget(
            quiet_label(self, tr("The shelf: the folder or server with the releases of the engine and its plugins."))
        )
        row = QHBoxLayout()
        self._shelf = QLineEdit(str(QSettings().value("shelf", "") or ""), self)
        self._shelf.setPlaceholderText(tr("a folder, or http://…; several with a semicolon between"))
        self._shelf.editingFinished.connect(self._read_shelf)
        row.addWidget(self._shelf, 1)
        row.addWidget(button(self, tr("Choose…"), self._choose_shelf))
        self._add = button(
            self, tr("Add releases…"), self._add_releases, hint=tr("Point at folders, archives or repositories")
        )
        row.addWidget(self._add)
        column.addLayout(row)
        self._stock = quiet_label(self, "")
        column.addWidget(self._stock)
        column.addWidget(quiet_label(self, tr("The release to move to.")))
        self._target = QComboBox(self)
        column.addWidget(self._target)
        self._on_copy = QCheckBox(tr("Cross a copy in another folder. The project itself is only read."), self)
        self._on_copy.toggled.connect(self._show_copy_folder)
        column.addWidget(self._on_copy)
        self._copy_box = QLineEdit(self)
        self._copy_box.setAccessibleName(tr("Folder for the copy"))
        self._copy_box.textChanged.connect(lambda _text: self._check_copy_folder())
        column.addWidget(self._copy_box)
        self._copy_box.hide()
        self._target.currentTextChanged.connect(lambda _text: self._show_copy_folder(self._on_copy.isChecked()))
        self._members_words = quiet_label(
            self, tr("Members of the workspace to move. The others stay on their release.")
        )
        self._members = QListWidget(self)
        self._members.setAccessibleName(tr("Members to move"))
        column.addWidget(self._members_words)
        column.addWidget(self._members, 1)
        column.addStretch(1)
        foot = QHBoxLayout()
        foot.addWidget(quiet_label(self, tr("A snapshot is taken first. Nothing else is written, and nothing is run.")))
        foot.addWidget(button(self, tr("Not now"), self.reject))
        self._begin = button(self, tr("Begin"), self.accept, main=True)
        foot.addWidget(self._begin)
        column.addLayout(foot)
        # A shelf may be on a server, and a server may be slow.
        self._runner.succeeded.connect(self._on_targets)
        self._runner.failed.connect(self._on_no_targets)
        self._asked = ""
        self._inspect(profile)

    @property
    def members(self) -> list[str]:
        """The members to move, none for all of them."""
        every = [self._members.item(at) for at in range(self._members.count())]
        items = [item for item in every if item.flags() & Qt.ItemFlag.ItemIsEnabled]
        ticked = [item.data(Qt.ItemDataRole.UserRole) for item in items if item.checkState() is Qt.CheckState.Checked]
        return [] if len(ticked) == len(items) else ticked

    @property
    def shelves(self) -> list[str]:
        return [part.strip() for part in self._shelf.text().split(";") if part.strip()]

    @property
    def target(self) -> str:
        return self._target.currentText()

    @property
    def copy_folder(self) -> Path | None:
        """The folder for a copy to cross, None for the project itself."""
        return Path(self._copy_box.text()).expanduser() if self._on_copy.isChecked() else None

    @property
    def profile(self) -> Profile:
        assert self.opening is not None
        return self.opening.profile

    def _inspect(self, profile: Path | None) -> None:
        try:
            self.opening = probe_project(self.project, profile, self._profiles)
        except FernshaleError as error:
            self.opening = None
            self._message.setText(printable(self.project.name))
            is_unknown = isinstance(error, NoProfileFits)
            self._trouble.setText(tr("No profile describes this project yet.") if is_unknown else str(error))
        else:
            self._message.setText(
                tr(
                    "{name} is on {title} {release}.",
                    name=printable(self.project.name),
                    title=self.opening.profile.title,
                    release=self.opening.release,
                )
            )
            self._trouble.setText(tr("profile: {path}", path=self.opening.profile.path))
        for shown in (self._profile, self._describe):
            shown.setVisible(self.opening is None)
        self._add.setEnabled(self.opening is not None)
        if self.opening is not None:
            self._shelf.setText("; ".join(suggested_shelf(self.shelves, self.opening)))
        self._show_members()
        self._read_shelf()

    def _show_members(self) -> None:
        members = self.opening.members if self.opening else ()
        self._members.clear()
        for member in members:
            item = QListWidgetItem(f"{member.name}  {member.how} {member.release}", self._members)
            item.setData(Qt.ItemDataRole.UserRole, member.folder)
            goes = self.opening is not None and member.release == self.opening.release
            item.setCheckState(Qt.CheckState.Checked if goes else Qt.CheckState.Unchecked)
            # Who is on another release has to be asked about, later and one by one.
            item.setFlags(
                Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled if goes else Qt.ItemFlag.NoItemFlags
            )
        for shown in (self._members, self._members_words):
            shown.setVisible(bool(members))
        self.resize(640, 540 if members else 400)

    def _show_copy_folder(self, wanted: bool) -> None:
        self._copy_box.setVisible(wanted)
        if wanted and not self._copy_box.isModified():
            self._copy_box.setText(str(self.project.parent / f"{self.project.name}-{self.target or 'copy'}"))
        self._check_copy_folder()

    def _check_copy_folder(self) -> None:
        """A copy needs an empty place outside the project."""
        place = self.copy_folder
        words = ""
        if place is not None and (place.exists() or not place.is_absolute()):
            words = (
                tr("{place} is there already.", place=printable(str(place)))
                if place.exists()
                else tr("Name a whole path.")
            )
        elif place is not None and place.is_relative_to(self.project):
            words = tr("The copy cannot be inside the project.")
        self._trouble.setText(words or (tr("profile: {path}", path=self.opening.profile.path) if self.opening else ""))
        self._begin.setEnabled(not words and self._target.count() > 0 and self.opening is not None)

    def _read_shelf(self) -> None:
        self._target.clear()
        self._stock.setText("")
        self._begin.setEnabled(False)
        opening, shelves = self.opening, self.shelves
        if opening is None or not shelves:
            return
        # When another shelf has been read, its result leads back here.
        if self._runner.start("", lambda work: shelf_overview(shelves, opening)):
            self._asked = self._shelf.text()
        self._trouble.setText(tr("reading the shelf…"))

    def _on_targets(self, targets: object) -> None:
        if self._asked != self._shelf.text():
            self._read_shelf()  # another one was named meanwhile
            return
        assert self.opening is not None and isinstance(targets, ShelfOverview)
        self._target.addItems(list(targets.targets))
        lacking = "".join(tr("\n◆ missing: {item}", item=item) for item in targets.lacking[:4])
        more = tr("\nand {number} more", number=len(targets.lacking) - 4) if len(targets.lacking) > 4 else ""
        self._stock.setText(
            printable(tr("It has {words}.{lacking}{more}", words=targets.words, lacking=lacking, more=more))
        )
        QSettings().setValue("shelf", self._asked)
        self._check_copy_folder()

    def _on_no_targets(self, error: object) -> None:
        if self._asked != self._shelf.text():
            self._read_shelf()
            return
        self._trouble.setText(str(error))

    def _choose_shelf(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("The shelf"), self._shelf.text() or str(self.project.parent))
        if folder:
            self._shelf.setText(folder)
            self._read_shelf()

    def _describe_project(self) -> None:
        dialog = DescribeDialog(self, self.project)
        if dialog.exec() == DescribeDialog.DialogCode.Accepted:
            self._inspect(dialog.profile)

    def _add_releases(self) -> None:
        """Point at releases. They go onto the shelf that is named, if it is a folder, else onto one of this engine's own."""
        if self.opening is None:
            return
        shelf = shelf_to_fill(self.shelves, self.opening)
        dialog = AddReleasesDialog(self, shelf, self.opening.profile)
        if dialog.exec() == AddReleasesDialog.DialogCode.Accepted and dialog.added:
            self._shelf.setText(str(shelf))
            self._read_shelf()

    def _choose_profile(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self, tr("The engine profile"), str(self.project), tr("Profiles (*.profile.toml)")
        )
        if name:
            self._inspect(Path(name))
