"""Version control that keeps files read-only until they are checked out.

Before a step writes, a command that the user typed gets the list of its files, and after it once more. Without a command,
read-only files are named before anything is written; the user can let steps make them writable.
"""

from __future__ import annotations

import shlex
import stat
import tempfile
from collections.abc import Sequence
from dataclasses import asdict, dataclass, replace
from typing import Literal

from fernshale.core.base.errors import CommandError, MisuseError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath, printable
from fernshale.core.base.work import Work
from fernshale.core.change.changeset import ChangeSet, FileChange
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.process.command import run_command
from fernshale.core.snapshot.manifest import EntryKind, Manifest, TreeEntry
from fernshale.core.snapshot.tree_walk import entry_below

# Seconds after which a command that checks files out is ended.
_TIMEOUT_S = 600.0
_MAX_SHOWN = 5
Phase = Literal["before", "after"]


@dataclass(frozen=True, slots=True)
class CheckoutRule:
    """How steps get to write read-only files: not at all ("ask"), by making them writable, or by a command first.

    In `command` `{list}` is replaced by the path of a file with one path of the project per line, and `{phase}` by "before" or
    "after"; without `{phase}` it runs only before.
    """

    how: Literal["ask", "writable", "command"] = "ask"
    command: str = ""


CHECKOUT: Fact[CheckoutRule] = Fact("checkout", CheckoutRule(), lambda data: CheckoutRule(**data), asdict)


class ReadOnlyFiles(MisuseError):
    """A step would change files that are read-only; nothing was written."""

    def __init__(self, paths: Sequence[TreePath], hint: str) -> None:
        self.paths = tuple(paths)
        shown = ", ".join(map(printable, paths[:_MAX_SHOWN])) + (tr(" and more") if len(paths) > _MAX_SHOWN else "")
        super().__init__(
            tr("{files} of this step cannot be written: {shown}", files=count(len(paths), "file"), shown=shown), hint
        )


def is_read_only(entry: TreeEntry | None) -> bool:
    """Whether an entry is a file that its owner may not write."""
    return entry is not None and entry.kind is EntryKind.FILE and not entry.mode & stat.S_IWUSR


def read_only_files(manifest: Manifest) -> tuple[TreePath, ...]:
    """All files of a project that its owner may not write."""
    return tuple(path for path, entry in manifest.files.items() if is_read_only(entry))


def check_rule(rule: CheckoutRule) -> None:
    """Raises MisuseError for a command that cannot be read or does not get the list."""
    if rule.how != "command":
        return
    try:
        words = shlex.split(rule.command)
    except ValueError as error:
        raise MisuseError(
            tr("the command cannot be read: {error}", error=error), tr("Close its quotation marks.")
        ) from error
    if not any("{list}" in word for word in words):
        raise MisuseError(
            tr("the command does not get the files"), tr("Put {list} where it takes a file with one path per line.")
        )


def check_out(crossing: Crossing, changes: ChangeSet, work: Work) -> ChangeSet:
    """Make the files of a change set ready to be written, and return it with the modes that they have then.

    Raises ReadOnlyFiles, CommandError, Cancelled; then nothing was written.
    """
    rule = crossing.read(CHECKOUT)
    if rule.how == "command":
        _run(crossing, rule, changes, "before", work)
        changes = ChangeSet(tuple(_with_mode_of_now(crossing, item) for item in changes.changes), changes.contents)
    blocked = [item.path for item in changes.changes if is_read_only(item.before)]
    if blocked and rule.how == "writable":
        return ChangeSet(tuple(_made_writable(item) for item in changes.changes), changes.contents)
    if blocked:
        hint = tr("The item on Survey about read-only files says how steps may write them.")
        if rule.how == "command":
            hint = tr("The command left them read-only: {command}", command=rule.command)
        raise ReadOnlyFiles(blocked, hint)
    return changes


def after_writing(crossing: Crossing, changes: ChangeSet, work: Work) -> None:
    """Run the command a second time, where it wants that. Raises CommandError, Cancelled."""
    rule = crossing.read(CHECKOUT)
    if rule.how == "command" and "{phase}" in rule.command:
        _run(crossing, rule, changes, "after", work)


def _run(crossing: Crossing, rule: CheckoutRule, changes: ChangeSet, phase: Phase, work: Work) -> None:
    check_rule(rule)
    with tempfile.NamedTemporaryFile("w", suffix=".list", encoding="utf-8", errors="surrogateescape") as listed:
        listed.write("".join(f"{item.path}\n" for item in changes.files))
        listed.flush()
        words = [word.replace("{list}", listed.name).replace("{phase}", phase) for word in shlex.split(rule.command)]
        work.on_line("$ " + " ".join(words))
        finished = run_command(words, crossing.setup.project, work, {}, _TIMEOUT_S)
    if finished.status or finished.timed_out:
        last = next((line for line in reversed(finished.text.splitlines()) if line.strip()), "")
        raise CommandError(
            tr(
                "{words} ended with status {status} {phase} the step: {last}",
                words=words[0],
                status=finished.status,
                phase=phase,
                last=printable(last),
            )
        )


def _with_mode_of_now(crossing: Crossing, item: FileChange) -> FileChange:
    """The change with the mode that the command gave the file; its content has to be as before."""
    now = entry_below(crossing.setup.project, item.path)
    if item.before is None or now is None or not _is_file(item.before, now) or now.mode == item.before.mode:
        return item
    before = replace(item.before, mode=now.mode)
    keeps_mode = item.after is not None and item.after.mode == item.before.mode
    after = replace(item.after, mode=now.mode) if item.after is not None and keeps_mode else item.after
    return FileChange(item.path, before, after)


def _made_writable(item: FileChange) -> FileChange:
    if item.after is None or item.after.kind is not EntryKind.FILE or not is_read_only(item.before):
        return item
    return FileChange(item.path, item.before, replace(item.after, mode=item.after.mode | stat.S_IWUSR))


def _is_file(*entries: TreeEntry) -> bool:
    return all(entry.kind is EntryKind.FILE for entry in entries)
