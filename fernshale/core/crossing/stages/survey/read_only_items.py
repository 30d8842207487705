"""The question how steps get to write files that version control keeps read-only."""

from __future__ import annotations

from fernshale.core.base.texts import count, tr
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.checkouts import CHECKOUT, read_only_files
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.survey.actions import LetStepsWrite

_MAX_NAMED = 8


def read_only_items(crossing: Crossing, scan: ProjectScan) -> tuple[Item, ...]:
    """An item while some files of the project are read-only and nobody has said how steps may write them."""
    if crossing.read(CHECKOUT).how != "ask":
        return ()
    paths = scan.manifest.derived("read-only files", lambda: read_only_files(scan.manifest))
    if not paths:
        return ()
    command = Option(
        LetStepsWrite("command"),
        tr("Run a command before each step…"),
        (tr("{list} becomes a file with one path per line; {phase} becomes before or after"),),
        asks=tr("The command that checks files out, as: checkout-tool edit {list}"),
    )
    writable = Option(
        LetStepsWrite("writable"),
        tr("Let steps make them writable"),
        (tr("version control may not notice the change"),),
    )
    named = [
        *paths[:_MAX_NAMED],
        *([tr("and {number} more", number=len(paths) - _MAX_NAMED)] if len(paths) > _MAX_NAMED else []),
    ]
    detail = "\n".join((tr("A step that would change one of them stops before anything is written:"), *named))
    title = tr(
        "{files_are} read-only",
        files_are=count(len(paths), "file of the project is", "files of the project are"),
    )
    return (
        Item(LetStepsWrite("command").key, Stage.SURVEY, title, "own", paths[0], detail, False, (command, writable)),
    )
