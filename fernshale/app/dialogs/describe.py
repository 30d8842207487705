"""Describe this project: its own files on the left, what Fernshale makes of them on the right.

A click on a value asks what it is, and every answer shows at once what it finds elsewhere. Nothing is written into the project.
"""

from __future__ import annotations

import shlex
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QInputDialog,
    QLabel,
    QLineEdit,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from fernshale.api.describing import (
    Answers,
    CommandTrial,
    Description,
    FolderMeaning,
    KeptDescription,
    Line,
    Pointed,
    ProjectCommand,
    Question,
    Section,
    ValueMeaning,
    answer,
    as_words,
    describe,
    keep_answers,
    known_engine,
    marks_of,
    pattern_of_line,
    point_at,
    read_again,
    read_answers,
    read_facts,
    role_counts,
    save_profile,
    say,
    telling_files,
    try_command,
)
from fernshale.app.dialogs.describe_cards import AnswerCard, SectionCard
from fernshale.app.dialogs.questions import WorkingDialog, show_error
from fernshale.app.theme import Tone, text_font, theme
from fernshale.app.widgets.basics import button, quiet_label
from fernshale.app.widgets.charts import Bar, BarChart
from fernshale.app.widgets.file_chips import FileChips
from fernshale.app.widgets.marked_lines import LineMark, MarkedLine, MarkedLines
from fernshale.app.widgets.text_document import AnnotatedText
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import count, tr, tr_marked
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.base.work import Work
from fernshale.core.profile.model import ProfileCommand

_TONES: dict[str, Tone] = {"release": "mine", "range": "incoming", "plugin": "base", "belongs": "mine", "asked": "base"}
# The key of the list of folders among the files.
_FOLDERS = TreePath("/")
# Folders are listed so deep.
_DEEPEST = 4
_MAX_LINES = 4000
# So many of the last lines that a command printed are shown.
_MAX_PRINTED = 60


class DescribeDialog(WorkingDialog):
    """Describes a project; `profile` is the file that was written, None while it was not."""

    def __init__(self, parent: QWidget | None, project: Path) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Describe {name}", name=printable(project.name)))
        self.resize(1240, 770)
        self.setMinimumSize(900, 560)
        self.profile: Path | None = None
        self._project = project.resolve()
        self._description: Description | None = None
        self._file: TreePath | None = None
        self._folders: list[TreePath] = []
        self._card: AnswerCard | None = None
        self._trial: CommandTrial | None = None
        self._then: Callable[[object], None] = lambda _result: None
        self._build()
        self._runner.succeeded.connect(lambda result: self._then(result))
        self._runner.failed.connect(self._on_trouble)
        self._runner.cancelled.connect(self._on_cancelled)
        for keys, act in (("Ctrl+Return", self._save), ("N", self._next_question)):
            QShortcut(QKeySequence(keys), self).activated.connect(act)
        self._work(tr("Reading the project…"), self._first_look, self._show)

    # -- making

    def _build(self) -> None:
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        outer.setSpacing(0)
        head = QFrame(self)
        head.setObjectName("band")
        across = QHBoxLayout(head)
        across.setContentsMargins(18, 12, 18, 12)
        title = QLabel(tr("Describe this project"), head)
        title.setFont(text_font(17, bold=True))
        across.addWidget(title)
        across.addWidget(
            quiet_label(head, tr("{name} · nothing is written into it", name=printable(self._project.name))), 1
        )
        self._state = QLabel("", head)
        self._state.setFont(text_font(14, bold=True))
        across.addWidget(self._state)
        outer.addWidget(head)
        self._split = QSplitter(Qt.Orientation.Horizontal, self)
        self._split.addWidget(self._left())
        self._split.addWidget(self._right())
        self._split.setSizes([600, 640])
        outer.addWidget(self._split, 1)
        foot = QFrame(self)
        foot.setObjectName("foot")
        row = QHBoxLayout(foot)
        row.setContentsMargins(14, 8, 14, 8)
        self._message = quiet_label(foot, tr("Click a value to say what it is · N shows the next question"))
        row.addWidget(self._message, 1)
        self._later = button(
            foot, tr("Later"), self._keep_and_close, hint=tr("Keeps what you said; nothing else is written")
        )
        self._export = button(
            foot, tr("Export…"), self._save_elsewhere, hint=tr("Write the profile into a folder of your own")
        )
        self._next = button(foot, tr("Use this description"), self._save, main=True)
        for made in (self._later, self._export, self._next):
            row.addWidget(made)
        outer.addWidget(foot)

    def _left(self) -> QWidget:
        left = QFrame(self)
        left.setObjectName("card")
        column = QVBoxLayout(left)
        column.setContentsMargins(1, 4, 1, 1)
        column.setSpacing(2)
        self._chips = FileChips(left, tr("Files of the project"))
        self._chips.chosen.connect(self._choose)
        column.addWidget(self._chips)
        self._text = AnnotatedText(left, tr("The file"), has_words=False)
        column.addWidget(self._text, 1)
        return left

    def _right(self) -> QWidget:
        right = QWidget(self)
        column = QVBoxLayout(right)
        column.setContentsMargins(14, 12, 6, 8)
        self._finding = QLabel("", right)
        self._finding.setFont(text_font(17))
        self._finding.setWordWrap(True)
        column.addWidget(self._finding)
        self._scroll = QScrollArea(right)
        self._scroll.setAccessibleName(tr("Questions about the project"))
        self._scroll.setWidgetResizable(True)
        self._scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column.addWidget(self._scroll, 1)
        return right

    # -- work in the background

    def _work(self, words: str, task: Callable[[Work], object], then: Callable[[object], None]) -> None:
        if self._runner.is_busy:
            return
        self._then = then
        self._message.setText(words)
        self._runner.start("", task)

    def _first_look(self, work: Work) -> object:
        return describe(read_facts(self._project, work), read_answers(self._project).answers)

    def _on_trouble(self, error: object) -> None:
        self._message.setText("")
        show_error(self, error)
        if self._description is None:
            self.reject()

    def _on_cancelled(self) -> None:
        self._message.setText(tr("Cancelled."))

    def _again(self, change: Callable[[Description], Description]) -> None:
        """Describe the project again after an answer."""
        before = self._description
        if before is not None:
            self._close_card()
            self._work("…", lambda _work: change(before), self._show)

    def _say(self, change: Callable[[Answers], Answers]) -> None:
        self._again(lambda now: describe(now.facts, change(now.answers)))

    # -- showing

    def _show(self, result: object) -> None:
        assert isinstance(result, Description)
        self._description = result
        questions = len(result.questions)
        self._finding.setText(printable(result.headline))
        self._state.setText(f"◆ {count(questions, 'question')}" if questions else tr("● no questions left"))
        self._state.setStyleSheet(f"color: {theme().alarm if questions else theme().mine}")
        self._message.setText(result.trouble or tr("Click a value to say what it is · N shows the next question"))
        self._next.setEnabled(result.draft is not None)
        self._export.setEnabled(result.draft is not None)
        files = telling_files(result)[:9]
        if self._file is None or (self._file != _FOLDERS and self._file not in result.facts.texts):
            self._file = files[0] if files else next(iter(result.facts.texts), None)
        shown = dict.fromkeys((*files, *([self._file] if self._file not in (None, _FOLDERS) else ())))
        chips = tuple((file, printable(file)) for file in shown)
        self._chips.set_chips((*chips, ("", tr("Another file…")), (_FOLDERS, tr("Folders"))), self._file or "")
        self._show_file()
        self._show_sections()

    def _show_sections(self) -> None:
        assert self._description is not None
        inside = QWidget(self)
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 4, 8, 8)
        column.setSpacing(8)
        for section in self._description.sections:
            card = SectionCard(inside, section)
            card.opened.connect(self._open_line)
            card.struck.connect(lambda key: self._say(lambda answers: answers.without(key)))
            if section.topic == "roles":
                card.add(self._role_bar(inside))
            if section.topic in ("build", "run"):
                card.add(self._command_buttons(inside, section))
            column.addWidget(card)
        column.addStretch(1)
        bar = self._scroll.verticalScrollBar()
        place = bar.value()
        self._scroll.setWidget(inside)
        inside.setAutoFillBackground(False)
        # The new cards find their places first.
        QTimer.singleShot(0, self, lambda: bar.setValue(place))

    def _role_bar(self, parent: QWidget) -> QWidget:
        assert self._description is not None
        tones: dict[str, Tone] = {"own": "mine", "plugin": "incoming", "asset": "base"}
        parts = tuple(
            (tones.get(role, "quiet"), amount, f"{tr_marked(role)} {amount}")
            for role, amount in role_counts(self._description)
        )
        chart = BarChart(parent, tr("Files by role"), 0)
        chart.set_bars((Bar("", parts, ""),))
        return chart

    def _command_buttons(self, parent: QWidget, section: Section) -> QWidget:
        assert self._description is not None
        name: ProjectCommand = "build" if section.topic == "build" else "run"
        box = QWidget(parent)
        column = QVBoxLayout(box)
        column.setContentsMargins(0, 4, 0, 0)
        command = self._description.command(name)
        is_said = name in self._description.answers.commands
        row = QHBoxLayout()
        if command is not None:
            row.addWidget(button(box, tr("Agree and try"), lambda: self._try(name, command), main=not is_said))
        if command is not None and not is_said:
            row.addWidget(button(box, tr("It is right"), lambda: self._set_command(name, command)))
        row.addWidget(button(box, tr("Another command…"), lambda: self._type_command(name)))
        if not (is_said and command is None):
            words = tr("It is not built") if name == "build" else tr("It is not run")
            row.addWidget(button(box, words, lambda: self._set_command(name, None)))
        row.addStretch(1)
        if command is not None:
            hint = tr(
                "“Agree and try” runs this very command once, in a copy of the project that is removed afterwards."
            )
            column.addWidget(quiet_label(box, hint))
        column.addLayout(row)
        if self._trial is not None and name == "build":
            column.addWidget(self._trial_view(box, self._trial))
        return box

    def _trial_view(self, parent: QWidget, trial: CommandTrial) -> QWidget:
        box = QWidget(parent)
        column = QVBoxLayout(box)
        column.setContentsMargins(0, 4, 0, 0)
        words = QLabel(printable(trial.words), box)
        words.setWordWrap(True)
        column.addWidget(words)
        if not trial.errors and trial.status:
            column.addWidget(quiet_label(box, tr("Click a line that is an error; lines like it will be understood.")))
        output = AnnotatedText(box, tr("What the command printed"), has_words=False)
        first = max(len(trial.lines) - _MAX_PRINTED, 0)
        lines = [MarkedLine(number, printable(line)) for number, line in enumerate(trial.lines[first:], first + 1)]
        block = MarkedLines(output, tuple(lines))
        block.pointed.connect(lambda number, _column: self._learn_line(trial.lines[number - 1]))
        output.show_parts([block])
        output.setFixedHeight(150)
        column.addWidget(output)
        return box

    def _show_file(self, question: tuple[int, AnswerCard] | None = None) -> None:
        """The file with its marks, and a card below one of its lines."""
        description, path = self._description, self._file
        if description is None or path is None:
            self._text.show_parts([])
            return
        if path == _FOLDERS:
            self._show_folders()
            return
        lines = _marked(description, path)
        if question is None:
            self._text.show_parts([self._block(lines)])
            return
        line, card = question
        above, below = lines[:line], lines[line:]
        self._text.show_parts([self._block(above), card, *([self._block(below)] if below else [])])
        self._text.show_part(card)
        card.setFocus()

    def _block(self, lines: tuple[MarkedLine, ...]) -> MarkedLines:
        block = MarkedLines(self, lines)
        block.pointed.connect(self._point)
        return block

    # -- answers

    def _choose(self, key: str) -> None:
        if key == "":
            name, _ = QFileDialog.getOpenFileName(self, tr("A file of the project"), str(self._project))
            path = Path(name)
            inside = path.relative_to(self._project).as_posix() if name and path.is_relative_to(self._project) else ""
            if self._description is not None and inside in self._description.facts.texts:
                self._file = TreePath(inside)
            elif name:
                self._message.setText(tr("That file is not in the project, is no text, or names no releases."))
        else:
            self._file = TreePath(key)
        if self._description is not None:
            self._show(self._description)

    def _point(self, number: int, column: int) -> None:
        if self._description is None or self._file is None:
            return
        if self._file == _FOLDERS:
            self._ask_about_folder(self._folders[number - 1])
            return
        text = self._description.facts.texts[self._file]
        offset = sum(len(line) + 1 for line in text.split("\n")[: number - 1]) + column
        pointed = point_at(self._description, self._file, offset)
        if pointed is None:
            self._close_card()
            return
        where = (pointed.file, pointed.reach)
        question = next((item for item in self._description.questions if (item.file, item.reach) == where), None)
        if question is not None:
            self._ask(question, pointed.line)
        else:
            self._ask_value(pointed)

    def _ask_value(self, pointed: Pointed) -> None:
        """Ask what a value is."""
        value = pointed.value.text
        title = (
            tr("{value} is {now}. Is it something else?", value=value, now=pointed.now)
            if pointed.now
            else tr("{value}: what is it?", value=value)
        )
        options = [(words, hint, self._saying(pointed, meaning)) for meaning, words, hint in pointed.meanings]
        self._open_card(pointed.line, AnswerCard(self, title, options, _notes(pointed)))

    def _saying(self, pointed: Pointed, meaning: ValueMeaning) -> Callable[[], None]:
        return lambda: self._again(lambda now: say(now, pointed, meaning))

    def _ask(self, question: Question, line: int) -> None:
        options = [(words, hint, self._answering(question, choice)) for choice, words, hint in question.options]
        self._open_card(line, AnswerCard(self, question.text, options, ()))

    def _answering(self, question: Question, choice: str) -> Callable[[], None]:
        return lambda: self._again(lambda now: answer(now, question, choice))

    def _open_card(self, line: int, card: AnswerCard) -> None:
        self._card = card
        card.closed.connect(self._close_card)
        self._show_file((line, card))

    def _close_card(self) -> None:
        if self._card is not None:
            self._card = None
            self._show_file()

    def _next_question(self) -> None:
        """Show the next question in its file."""
        if self._description is None or not self._description.questions:
            return
        question = self._description.questions[0]
        if question.file is not None and question.reach is not None:
            self._file = question.file
            self._show(self._description)
            pointed = next(
                (mark for mark in marks_of(self._description, question.file) if mark.key == question.key), None
            )
            text = self._description.facts.texts[question.file]
            self._ask(question, text.count("\n", 0, pointed.start) + 1 if pointed is not None else 1)
        elif question.options:
            self._ask(question, 1)
        else:
            self._scroll.ensureVisible(0, 10_000)

    def _open_line(self, line: object) -> None:
        assert isinstance(line, Line)
        if self._description is not None and line.file in self._description.facts.texts:
            self._file = line.file
            self._show(self._description)
            self._show_line(line.line)

    def _show_line(self, number: int) -> None:
        blocks = self._text.findChildren(MarkedLines)
        if blocks:
            self._text.ensureVisible(
                0, blocks[0].y() + number * blocks[0].height() // max(len(blocks[0].lines), 1), 0, 120
            )

    def _show_folders(self, question: tuple[int, AnswerCard] | None = None) -> None:
        """The project's folders with their numbers of files; a click on one sets its role."""
        assert self._description is not None
        lines = tuple(_folder_lines(self._description))
        self._folders = [folder for folder, _ in lines]
        rows = tuple(line for _, line in lines)
        if question is None:
            self._text.show_parts([self._block(rows)])
            return
        at, card = question
        below = rows[at + 1 :]
        self._text.show_parts([self._block(rows[: at + 1]), card, *([self._block(below)] if below else [])])
        self._text.show_part(card)
        card.setFocus()

    def _ask_about_folder(self, folder: TreePath) -> None:
        """Say what a folder is."""
        meanings: tuple[tuple[FolderMeaning, str, str], ...] = (
            ("plugins", tr("Plugins live here"), tr("each folder in it is one")),
            ("own", tr("It is mine"), tr("own code and scripts")),
            ("generated", tr("It is made by a tool"), tr("replaced when the tool runs")),
            ("asset", tr("Assets"), tr("data of the game")),
            ("settings", tr("Settings"), ""),
            ("other", tr("Not part of the game"), tr("it stays as it is")),
        )

        def saying(meaning: FolderMeaning) -> Callable[[], None]:
            return lambda: self._say(lambda answers: answers.with_folder(folder, meaning))

        options = [(words, hint, saying(meaning)) for meaning, words, hint in meanings]
        card = AnswerCard(self, tr("What is the folder {folder}?", folder=folder), options, ())
        self._card = card
        card.closed.connect(self._close_card)
        self._show_folders((self._folders.index(folder), card))

    # -- commands

    def _set_command(self, name: ProjectCommand, command: ProfileCommand | None) -> None:
        self._say(lambda answers: answers.with_command(name, command))

    def _type_command(self, name: ProjectCommand) -> None:
        known = self._description.command(name) if self._description is not None else None
        words = tr(
            "The command, as you type it in the project's folder. {engine} is the engine's folder, {build} one to build into."
        )
        typed, good = QInputDialog.getText(
            self,
            tr("The command to {name}", name=name),
            words,
            QLineEdit.EchoMode.Normal,
            as_words(known) if known else "",
        )
        if good and typed.strip():
            try:
                parts = tuple(shlex.split(typed))
            except ValueError as error:
                self._message.setText(tr("The command cannot be read: {error}.", error=error))
                return
            self._set_command(name, ProfileCommand(parts))

    def _try(self, name: ProjectCommand, command: ProfileCommand) -> None:
        """Run a command once in a copy. The button names this very command, so a click on it is the consent."""
        if self._description is None:
            return
        project, now = self._project, self._description

        def then(result: object) -> None:
            assert isinstance(result, CommandTrial)
            self._trial = result
            if self._description is not None:
                self._show(describe(self._description.facts, self._description.answers.with_command(name, command)))

        words = tr("{command} runs in a copy of the project…", command=as_words(command))
        self._work(words, lambda work: try_command(project, command, known_engine(now, work), now.answers, work), then)

    def _learn_line(self, line: str) -> None:
        """Understand lines like one that a person pointed at in the output of a command."""
        description, trial = self._description, self._trial
        if description is None or trial is None:
            return
        pattern = pattern_of_line(line, description.facts.tree.files)
        if pattern is None:
            self._message.setText(
                tr("That line names no file of the project, so errors cannot be read from lines like it.")
            )
            return
        answers = description.answers.with_pattern(pattern)
        self._trial = read_again(trial, answers)
        self._show(describe(description.facts, answers))

    # -- the end

    def _save(self) -> None:
        self._write(None)

    def _save_elsewhere(self) -> None:
        folder = QFileDialog.getExistingDirectory(self, tr("Folder for the profile"), str(self._project.parent))
        if folder:
            self._write(Path(folder))

    def _write(self, folder: Path | None) -> None:
        if self._description is None or self._description.draft is None:
            return
        try:
            self.profile = save_profile(self._description, folder)
        except (FernshaleError, OSError) as error:
            show_error(self, error)
            return
        self.accept()

    def _keep_and_close(self) -> None:
        if self._description is not None:
            kept = read_answers(self._project)
            keep_answers(self._project, KeptDescription(self._description.answers, kept.profile, kept.digest))
        self.reject()


def _marked(description: Description, path: TreePath) -> tuple[MarkedLine, ...]:
    """The lines of a file with the marks in them."""
    text = description.facts.texts[path]
    marks = list(marks_of(description, path))
    found = []
    offset = 0
    for number, line in enumerate(text.removesuffix("\n").split("\n")[:_MAX_LINES], 1):
        end = offset + len(line)
        inside = [mark for mark in marks if offset <= mark.start <= end]
        shown = tuple(
            LineMark(
                mark.start - offset, min(mark.end, end) - offset, _TONES[mark.kind], mark.words, mark.kind == "asked"
            )
            for mark in inside
        )
        found.append(MarkedLine(number, printable(line.rstrip("\r")), shown))
        offset = end + 1
    return tuple(found)


def _folder_lines(description: Description) -> Iterator[tuple[TreePath, MarkedLine]]:
    """Each folder with its line: its name, indented, and the number of files in it."""
    counts: Counter[str] = Counter()
    for path in description.facts.tree.files:
        parts = path.split("/")[:-1]
        if parts[:1] != [".git"]:
            counts.update("/".join(parts[: at + 1]) for at in range(min(len(parts), _DEEPEST)))
    said = dict(description.answers.folders)
    for number, folder in enumerate(sorted(counts), 1):
        depth = folder.count("/")
        text = f"{'    ' * depth}{folder.rpartition('/')[2]}/  {count(counts[folder], 'file')}"
        meaning = said.get(TreePath(folder))
        start = len(text) + 2
        words = f"  {meaning}" if meaning is not None else ""
        marks = (LineMark(start, start + len(words) - 2, "mine", tr("you said so")),) if meaning is not None else ()
        yield TreePath(folder), MarkedLine(number, printable(text + words), marks)


def _notes(pointed: Pointed) -> list[str]:
    """What the same rule finds elsewhere, and where it finds nothing."""
    notes = []
    if pointed.elsewhere:
        places = ", ".join(f"{file}:{line}" for file, line, _ in pointed.elsewhere[:4])
        more = tr(" and {number} more", number=len(pointed.elsewhere) - 4) if len(pointed.elsewhere) > 4 else ""
        notes.append(tr("found as well in {places}{more}", places=places, more=more))
    if pointed.lacking:
        notes.append(tr("not found in {lacking}", lacking=", ".join(pointed.lacking[:4])))
    return notes
