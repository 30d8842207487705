"""What an option would do, found by a dry run of its action on a copy of the crossing's record."""

from __future__ import annotations

import contextlib
import shutil
import tempfile
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Literal

from fernshale.core.base.dry_run import WouldRun, WouldWrite, dry_run
from fernshale.core.base.errors import FernshaleError
from fernshale.core.base.texts import and_list, count, tr
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.base.work import CancelToken, Work
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.crossing.flow.actions import handle
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Action, Author, Choose
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.trust import TrustNeeded

_MAX_NAMED = 2


@dataclass(frozen=True, slots=True)
class OptionEffect:
    """What an option would do, in `words`: write `changes`, run a command, only record a decision, or fail. "asks": it depends
    on a text that the option asks for."""

    kind: Literal["writes", "runs", "records", "fails", "asks"]
    words: str
    changes: ChangeSet = field(default_factory=lambda: ChangeSet(()))


def find_effects(crossing: Crossing, scan: ProjectScan, item: Item, token: CancelToken) -> Mapping[str, OptionEffect]:
    """The effect of each option of an item, by its id. Nothing is written and nothing runs. Raises Cancelled."""
    found = {}
    for option in item.options:
        token.check()
        found[option.id] = _effect(crossing, scan, option, token)
    return found


def _effect(crossing: Crossing, scan: ProjectScan, option: Option, token: CancelToken) -> OptionEffect:
    if option.asks:
        return OptionEffect("asks", tr("asks you first, and depends on your answer"))
    if isinstance(option.action, Choose):
        return OptionEffect("records", tr("writes nothing now; it is kept as your decision"))
    return preview_action(crossing, scan, option.action, token)


def preview_action(crossing: Crossing, scan: ProjectScan, action: Action, token: CancelToken) -> OptionEffect:
    """What an action would do now. Raises Cancelled."""
    with _copy_of(crossing) as copy, dry_run():
        try:
            handle(copy, scan, action, Author("preview"), Work(token=token))
        except WouldWrite as stopped:
            if isinstance(stopped.changes, ChangeSet):
                return OptionEffect("writes", change_words(stopped.changes), stopped.changes)
        except WouldRun as stopped:
            return OptionEffect("runs", tr("runs {shortened}", shortened=_shortened(" ".join(stopped.arguments))))
        except TrustNeeded:
            return OptionEffect("runs", tr("runs a command of the profile, once you trust it"))
        except FernshaleError as error:
            return OptionEffect("fails", tr("is not possible now: {message}", message=error.message))
    return OptionEffect("records", tr("writes nothing into the project"))


def change_words(changes: ChangeSet) -> str:
    """The changes of a step in a few words, as "changes src/build.ini" or "removes 5 files, adds 2"."""
    changed = [item.path for item in changes.files if item.before is not None and item.after is not None]
    added = [item.path for item in changes.files if item.before is None]
    removed = [item.path for item in changes.files if item.before is not None and item.after is None]
    parts = [tr("changes {files}", files=_named(changed))] if changed else []
    parts += [tr("adds {files}", files=_named(added))] if added else []
    parts += [tr("removes {files}", files=_named(removed))] if removed else []
    return ", ".join(parts) or tr("changes no file")


def _named(paths: list[TreePath]) -> str:
    return and_list(map(printable, paths)) if len(paths) <= _MAX_NAMED else count(len(paths), "file")


def _shortened(line: str) -> str:
    text = printable(" ".join(line.split()))
    return text if len(text) <= 120 else f"{text[:119]}…"


@contextlib.contextmanager
def _copy_of(crossing: Crossing) -> Iterator[Crossing]:
    """A copy of the record in a temporary folder, with the same store and the same cache."""
    with tempfile.TemporaryDirectory(prefix="fernshale-preview-") as name:
        folder = Path(name)
        for path in crossing.folder.iterdir():
            if path.is_file() and path.suffix == ".toml":
                shutil.copy(path, folder)
        crossing.copy_database(folder)
        copy = Crossing(folder)
        copy.cache = crossing.cache
        yield copy
