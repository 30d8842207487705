"""The question how steps get to write files that version control keeps read-only."""

from __future__ import annotations

from fernshale.core.base.quantities import count
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
        "Run a command before each step…",
        ("{list} becomes a file with one path per line; {phase} becomes before or after",),
        asks="The command that checks files out, as: checkout-tool edit {list}",
    )
    writable = Option(
        LetStepsWrite("writable"), "Let steps make them writable", ("version control may not notice the change",)
    )
    named = [*paths[:_MAX_NAMED], *([f"and {len(paths) - _MAX_NAMED} more"] if len(paths) > _MAX_NAMED else [])]
    detail = "\n".join(("A step that would change one of them stops before anything is written:", *named))
    title = f"{count(len(paths), 'file')} of the project {'is' if len(paths) == 1 else 'are'} read-only"
    return (
        Item(LetStepsWrite("command").key, Stage.SURVEY, title, "own", paths[0], detail, False, (command, writable)),
    )
