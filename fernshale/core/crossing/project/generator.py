"""Run the engine's generator. Stale generated files are removed before it and restored unless it writes them again."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from typing import Any

from fernshale.core.base.errors import CommandError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.change.changeset import ChangeSet, FileChange
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.commands import CommandCall, run_profile_command, tail
from fernshale.core.crossing.project.scan import ProjectScan, scan_crossing
from fernshale.core.crossing.record.database import Crossing, EntryText, LogEntry
from fernshale.core.crossing.record.facts import Fact
from fernshale.core.crossing.record.logbook import recover_interrupted, write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.record.trust import require_trust
from fernshale.core.engine.replaceable_files import replaceable_files
from fernshale.core.snapshot.tree_walk import entry_below

_SWEEP = "sweep"
# The last step that removed generated files and was followed up.
_SETTLED: Fact[int] = Fact("sweep settled", 0, int)


# How many lines of a failed generator's output are kept.
_MAX_LINES = 6


@dataclass(frozen=True, slots=True)
class Regenerated:
    """The result of the last run of the engine's generator, and the release it ran for.

    `restored` are the files that were removed before the run and that it did not write again.
    """

    release: str
    status: int
    said: str
    restored: tuple[TreePath, ...] = ()


def _from_json(data: dict[str, Any]) -> Regenerated:
    restored = tuple(TreePath(path) for path in data.get("restored", ()))
    return Regenerated(data["release"], data["status"], data["said"], restored)


REGENERATED: Fact[Regenerated | None] = Fact(
    "regenerated", None, _from_json, lambda value: asdict(value) if value is not None else None, per_leg=True
)


def read_regenerated(crossing: Crossing, release: str) -> Regenerated | None:
    """The result of the generator's run for `release` on the current leg; None where it did not run."""
    kept = crossing.read(REGENERATED)
    return kept if kept is not None and kept.release == release else None


def files_to_replace(scan: ProjectScan, crossing: Crossing, *, is_moved: bool) -> tuple[TreePath, ...]:
    """The generated files that the next run of the generator replaces; none where the profile has no generator.

    `is_moved`: the project names the target everywhere. Then the files are stale until the generator has succeeded once.
    """
    if scan.profile.commands.regenerate is None:
        return ()
    last = read_regenerated(crossing, scan.release) if is_moved else None
    if last is not None and last.status == 0:
        return ()
    return replaceable_files(scan.profile, scan.manifest.paths(), scan.plugins)


def regenerate(crossing: Crossing, work: Work) -> Regenerated | None:
    """Run the generator for the release the project is on now; None when the profile has none.

    Raises TrustNeeded before anything is removed, Cancelled after everything is restored.
    """
    scan = scan_crossing(crossing, work)
    if scan.profile.commands.regenerate is None:
        return None
    require_trust(scan.profile)
    recover_interrupted(crossing)
    sweep = unfinished_sweep(crossing) or _sweep(crossing, scan, work)
    why = tr("project files are made by the engine's own generator")
    status, said = 127, tr("it was stopped")
    try:
        finished = run_profile_command(crossing, scan, CommandCall("regenerate", Stage.ENGINE, why), work)
        status, said = finished.status, tail(finished.text.splitlines(), _MAX_LINES)
    except CommandError as error:
        said = error.message
    finally:
        restored = restore_swept(crossing, sweep, has_failed=status != 0) if sweep is not None else ()
    outcome = Regenerated(scan.release, status, said, restored if status == 0 else ())
    crossing.keep(REGENERATED, outcome)
    return outcome


def unfinished_sweep(crossing: Crossing) -> LogEntry | None:
    """The step that removed generated files before a run that was killed; None where there is none."""
    sweeps = [entry for entry in crossing.logbook() if entry.about == _SWEEP and entry.can_undo]
    return sweeps[-1] if sweeps and sweeps[-1].id > crossing.read(_SETTLED) else None


def _sweep(crossing: Crossing, scan: ProjectScan, work: Work) -> LogEntry | None:
    draft = Draft(scan.project)
    for path in files_to_replace(scan, crossing, is_moved=True):
        draft.delete(path)
    changes = draft.change_set()
    if changes.is_empty:
        return None
    title = tr(
        "{generated_files} removed before the generator runs",
        generated_files=count(len(changes.files), "generated file"),
    )
    why = tr("restored if the generator fails or does not write them again")
    id = write_step(crossing, EntryText(Stage.ENGINE, title, why, _SWEEP), changes, work)
    return next(entry for entry in crossing.logbook() if entry.id == id)


def restore_swept(crossing: Crossing, sweep: LogEntry, *, has_failed: bool) -> tuple[TreePath, ...]:
    """Restore the removed files that are missing, after a failed run all of them; their paths. Raises ApplyFailed."""
    assert sweep.changes is not None
    found = []
    missing: set[TreePath] = set()
    for item in sweep.changes.changes:
        now = entry_below(crossing.setup.project, item.path)
        if now is None or (has_failed and now != item.before):
            found.append(FileChange(item.path, now, item.before))
            missing.add(item.path)
    files = tuple(item.path for item in sweep.changes.files if item.path in missing)
    if found:
        reason = tr("the generator failed") if has_failed else tr("the generator did not write them again")
        title = tr("{generated_files} restored", generated_files=count(len(files), "generated file"))
        write_step(
            crossing, EntryText(Stage.ENGINE, title, reason), ChangeSet(tuple(found)), Work()
        )  # fmt: skip
    crossing.keep(_SETTLED, sweep.id)
    return files
