"""Lines that only some releases of the engine need: added with a note until when, and removed once they are not needed.

Shelves list them. A line counts as present when its file has it, no matter who wrote it.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

from fernshale.core.base.errors import MisuseError
from fernshale.core.base.globs import FirstFit
from fernshale.core.base.languages import comment_mark
from fernshale.core.base.release import parse_release
from fernshale.core.base.textfile import TextFile, line_end
from fernshale.core.base.texts import tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author, Choose
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.engine.actions import AddWorkaround, RemoveWorkaround
from fernshale.core.route.shelf import Workaround
from fernshale.core.survey.release_sites import read_project_text

KEY = "workaround:"


@dataclass(frozen=True, slots=True)
class WorkaroundLine:
    """A workaround in one file. `line` is its 1-based line, 0 where it is absent; `noted`: our note is above it."""

    key: str
    workaround: Workaround
    release: str
    file: TreePath
    line: int
    noted: bool = False

    @property
    def name(self) -> str:
        """How an action names it."""
        return self.key.removeprefix(KEY)

    @property
    def words(self) -> str:
        """The line itself, to be spoken of."""
        return f"“{self.workaround.line.strip()}”"

    @property
    def place(self) -> str:
        return f"{self.file}:{self.line}" if self.line else str(self.file)

    @property
    def condition(self) -> str:
        until = self.workaround.until
        return (
            tr("not needed from {until} on", until=until)
            if until
            else tr("only {release} is known to need it", release=self.release)
        )


def find_lines(scan: ProjectScan, to: str) -> tuple[WorkaroundLine, ...]:
    """Every workaround of the engine's releases in every file it is for, where it is present or `to` needs it."""
    shelf = scan.shelf
    found: list[WorkaroundLine] = []
    for release in shelf.engines_of(scan.profile.id) if shelf is not None else ():
        for number, item in enumerate(release.workarounds):
            for path in FirstFit([[item.file]]).those(scan.paths):
                lines = (scan.read(path) or "").split("\n")
                at = next((at for at, line in enumerate(lines, 1) if line.strip() == item.line.strip()), 0)
                noted = at > 1 and _note(item, release.version, path).strip() == lines[at - 2].strip() != ""
                if at or release.version == to:
                    found.append(
                        WorkaroundLine(
                            f"{KEY}{release.version}:{number}:{path}", item, release.version, path, at, noted
                        )
                    )
    return tuple(found)


def is_needed(found: WorkaroundLine, lines: Collection[WorkaroundLine], to: str) -> bool:
    """Whether `to` needs the line: it lists it itself, or it is older than the release from which it is not needed."""
    same = [item for item in lines if (item.file, item.workaround.line) == (found.file, found.workaround.line)]
    if any(item.release == to for item in same):
        return True
    ends = [item.workaround.until for item in same]
    return not all(end and parse_release(to) >= parse_release(end) for end in ends)


def workaround_items(lines: Collection[WorkaroundLine], to: str, left_so: Collection[str]) -> Iterator[Item]:
    """Lines to add, and lines to remove, except those that a person decided to leave (`left_so`)."""
    for item in lines:
        why = item.workaround.why
        if item.key in left_so:
            continue
        if not item.line:
            add = Option(AddWorkaround(item.name), tr("Add it, with a note"), (why, item.condition), is_automatic=True)
            keep = Option(Choose(item.key, "keep"), tr("Leave it as it is"), (tr("the build may fail for it"),))
            title = tr("{to} needs {words} in {file}", to=to, words=item.words, file=item.file)
            yield Item(item.key, Stage.ENGINE, title, "own", item.place, why, False, (add, keep))
        elif not is_needed(item, lines, to):
            told = (
                tr("its note confirms it") if item.noted else tr("it has no note; you may need it for another reason")
            )
            drop = Option(
                RemoveWorkaround(item.name),
                tr("Remove it"),
                (item.condition, told),
                is_automatic=item.noted,
            )
            keep = Option(
                Choose(item.key, "keep"), tr("Leave it as it is"), (tr("it may be needed for another reason"),)
            )
            title = tr("{words} is not needed any more: {why}", words=item.words, why=why)
            yield Item(item.key, Stage.ENGINE, title, "own", item.place, item.condition, not item.noted, (drop, keep))


def change_workaround(
    crossing: Crossing, scan: ProjectScan, action: AddWorkaround | RemoveWorkaround, author: Author, work: Work
) -> int:
    """Add or remove the line of a workaround; the logbook entry's id. Raises MisuseError where there is nothing to do."""
    key, adds = action.key, isinstance(action, AddWorkaround)
    item = next((item for item in find_lines(scan, crossing.setup.to) if item.key == key), None)
    if item is None or adds == bool(item.line):
        raise MisuseError(
            tr("there is nothing to {option} for {key}", option=action.option, key=key),
            tr("Refresh; it changed in the meantime."),
        )
    file = read_project_text(scan.project, item.file)
    text = _with_line(file, item) if adds else _without_line(file.text, item)
    draft = Draft(scan.project)
    draft.write(item.file, file.with_text(text).encode())
    done = (
        tr("put into {file}, {condition}", file=item.file, condition=item.condition)
        if adds
        else tr("removed from {file}", file=item.file)
    )
    title = f"{item.words} {done}"
    reason = author.why or item.workaround.why
    return write_step(
        crossing, EntryText(Stage.ENGINE, title, reason, key), draft.change_set(), work, [action.decision(author)]
    )


def _with_line(file: TextFile, item: WorkaroundLine) -> str:
    """Insert the line after the last one that contains `after`, or at the end."""
    end = line_end(file.text)
    lines = file.text.split("\n")
    after = item.workaround.after
    at = next((at for at in range(len(lines), 0, -1) if after and after in lines[at - 1]), len(lines))
    if at == len(lines) and not lines[-1]:
        at -= 1  # the text ends with its last line end
    before = lines[at - 1] if at else ""
    indent = before[: len(before) - len(before.lstrip())] if after and after in before else ""
    added = [text for text in (_note(item.workaround, item.release, item.file), item.workaround.line.strip()) if text]
    closed = [f"{indent}{text}{end[:-1]}" for text in added]
    if at == len(lines) and lines[-1]:
        lines[-1] += end[:-1]  # the last line had no end
        closed[-1] = closed[-1].removesuffix("\r")
    return "\n".join([*lines[:at], *closed, *lines[at:]])


def _without_line(text: str, item: WorkaroundLine) -> str:
    lines = text.split("\n")
    return "\n".join([*lines[: item.line - 1 - item.noted], *lines[item.line :]])


def _note(item: Workaround, release: str, path: TreePath) -> str:
    """The comment above a line; "" in files that have no comments."""
    mark = comment_mark(path)
    until = tr("can go with {until}", until=item.until) if item.until else tr("only for {release}", release=release)
    return f"{mark} {until}: {item.why}" if mark else ""
