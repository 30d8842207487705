"""Run the engine's generator. Stale generated files are removed before it and restored unless it writes them again.

A file that nothing makes again is never removed here: `stale_items` asks a person what to do with it.
"""

from __future__ import annotations

import re
import shlex
from collections.abc import Sequence
from dataclasses import dataclass

from fernshale.core.base.errors import CommandError, MisuseError
from fernshale.core.base.quantities import count
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.change.changeset import ChangeSet, FileChange
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.commands import run_profile_command, run_typed_command, tail
from fernshale.core.crossing.project.plugin_builds import find_built
from fernshale.core.crossing.project.scan import Ground, crossing_ground
from fernshale.core.crossing.record.database import Crossing, Entry
from fernshale.core.crossing.record.items import Decision, Item, Option, Stage
from fernshale.core.crossing.record.logbook import settle_interrupted, write_step
from fernshale.core.crossing.record.trust import require_trust
from fernshale.core.engine.generated_files import replaceable_files
from fernshale.core.snapshot.manifest import Entry as TreeEntry
from fernshale.core.snapshot.store import UnknownSnapshot
from fernshale.core.snapshot.tree_walk import entry_below
from fernshale.core.survey.roles import role_rule

KEY = "engine:stale:"
_SWEEP, _SETTLED = "sweep", "sweep settled"
# How many lines of a failed generator's output are kept.
_MAX_LINES = 6
# How many file names a question lists.
_MAX_NAMED = 12


@dataclass(frozen=True, slots=True)
class Regenerated:
    """How the engine's generator ended the last time, and for which release.

    `restored` are the files that were removed before it and that it did not write again.
    """

    release: str
    status: int
    said: str
    restored: tuple[TreePath, ...] = ()


def read_regenerated(crossing: Crossing, release: str) -> Regenerated | None:
    """How the generator ended for `release` on the leg in hand; None where it did not run."""
    kept = crossing.leg_fact("regenerated")
    if not kept or kept["release"] != release:
        return None
    restored = tuple(TreePath(path) for path in kept.get("restored", ()))
    return Regenerated(kept["release"], kept["status"], kept["said"], restored)


def files_to_replace(ground: Ground, crossing: Crossing, *, is_moved: bool) -> tuple[TreePath, ...]:
    """The generated files that the generator's next run replaces. None where there is no generator.

    `is_moved`: the project names the target everywhere. Then the files are stale until the generator ended well once.
    """
    if ground.profile.commands.regenerate is None:
        return ()
    last = read_regenerated(crossing, ground.release) if is_moved else None
    if last is not None and last.status == 0:
        return ()
    return replaceable_files(ground.profile, ground.manifest.paths(), ground.plugins)


def regenerate(crossing: Crossing, work: Work) -> Regenerated | None:
    """Run the generator for the release the project is on now; None when the profile has none.

    Raises TrustNeeded before anything is removed, Cancelled after everything is restored.
    """
    ground = crossing_ground(crossing, work)
    if ground.profile.commands.regenerate is None:
        return None
    require_trust(ground.profile)
    settle_interrupted(crossing)
    sweep = unsettled_sweep(crossing) or _sweep(crossing, ground, work)
    why = "project files are made by the engine's own generator"
    status, said = 127, "it was stopped"
    try:
        finished = run_profile_command(crossing, ground, "regenerate", Stage.ENGINE, why, work)
        status, said = finished.status, tail(finished.text.splitlines(), _MAX_LINES)
    except CommandError as error:
        said = error.message
    finally:
        restored = restore_swept(crossing, sweep, has_failed=status != 0) if sweep is not None else ()
    outcome = Regenerated(ground.release, status, said, restored if status == 0 else ())
    kept = {"release": outcome.release, "status": status, "said": said, "restored": list(outcome.restored)}
    crossing.keep_leg_fact("regenerated", kept)
    return outcome


def unsettled_sweep(crossing: Crossing) -> Entry | None:
    """The step that removed generated files for a run of the generator that a kill ended; None where there is none."""
    sweeps = [entry for entry in crossing.logbook() if entry.about == _SWEEP and entry.can_undo]
    return sweeps[-1] if sweeps and sweeps[-1].id > (crossing.fact(_SETTLED) or 0) else None


def _sweep(crossing: Crossing, ground: Ground, work: Work) -> Entry | None:
    draft = Draft(ground.project)
    for path in files_to_replace(ground, crossing, is_moved=True):
        draft.delete(path)
    changes = draft.change_set()
    if changes.is_empty:
        return None
    title = f"{count(len(changes.files), 'generated file')} removed before the generator runs"
    why = "restored if the generator fails or does not write them again"
    id = write_step(crossing, Stage.ENGINE, title, why, _SWEEP, changes, work)
    return next(entry for entry in crossing.logbook() if entry.id == id)


def restore_swept(crossing: Crossing, sweep: Entry, *, has_failed: bool) -> tuple[TreePath, ...]:
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
        reason = "the generator failed" if has_failed else "the generator did not write them again"
        title = f"{count(len(files), 'generated file')} restored"
        write_step(
            crossing, Stage.ENGINE, title, reason, "", ChangeSet(tuple(found)), Work()
        )  # fmt: skip
    crossing.keep_fact(_SETTLED, sweep.id)
    return files


# -- questions


def generator_items(ground: Ground, crossing: Crossing, last: Regenerated | None) -> tuple[Item, ...]:
    """The open items of the generator once the project names the target everywhere."""
    key, owner = "engine:generate", "generated"
    if ground.profile.commands.regenerate is None:
        return ()
    again = Option("regenerate", "Run the generator", (), 1.0, last is None)
    if sweep := unsettled_sweep(crossing):
        assert sweep.changes is not None
        title = f"the generator was interrupted; {count(len(sweep.changes.files), 'generated file')} removed before it"
        restore = Option("restore", "Restore those that are missing", ("each is in the snapshot before",), 0.6)
        return (Item(key, Stage.ENGINE, title, owner, options=(again, restore)),)
    if last is None:
        return (Item(key, Stage.ENGINE, "the generator has not run yet", owner, needs_you=False, options=(again,)),)
    if last.status != 0:
        ways = (again, *_around(ground, last.said))
        return (Item(key, Stage.ENGINE, "the engine's generator failed", owner, "", last.said, True, ways),)
    return ()


def _around(ground: Ground, said: str) -> tuple[Option, ...]:
    """Ways to get a plugin out of the generator's way: those that it names."""
    ways = []
    compiled = {item.plugin.id for item in find_built(ground)}
    for plugin in ground.plugins:
        named = re.search(rf"(?<![\w-]){re.escape(plugin.id)}(?![\w-])", said) or f"{plugin.folder}/" in said
        if not named:
            continue
        evidence = (f"the generator says: {said.splitlines()[-1].strip()}",)
        if plugin.id in compiled:
            ways.append(Option(f"rebuild {plugin.id}", f"Rebuild {plugin.id} and run it again", evidence, 0.6))
        ways.append(Option(f"aside {plugin.id}", f"Set {plugin.id} aside and run it again", evidence, 0.5))
    return tuple(ways)


def stale_items(ground: Ground, crossing: Crossing, last: Regenerated | None) -> tuple[Item, ...]:
    """Generated files that no command made again on this leg, one question for each rule of the profile."""
    groups: dict[str, list[TreePath]] = {}
    for path in _unreplaced(ground, crossing, last):
        rule = role_rule(ground.profile, path)
        groups.setdefault(", ".join(rule.files) if rule is not None else path, []).append(path)
    decided = crossing.decisions()
    has_generator = ground.profile.commands.regenerate is not None
    reason = "the generator did not write them again" if has_generator else "no command of the profile made them again"
    items = []
    for globs, paths in groups.items():
        if f"{KEY}{globs}" in decided:
            continue
        files = count(len(paths), "generated file")
        evidence = (f"made for {crossing.setup.from_}; {reason}",)
        options = (
            Option("keep", "Keep them as they are", evidence, 0.5),
            Option("delete", f"Delete {files}", ("the snapshot before has them",), 0.2),
            Option("run", "Run a command…", ("it runs in the project's folder",), 0.3, asks="The command to run"),
        )
        named = [*paths[:_MAX_NAMED], *([f"and {len(paths) - _MAX_NAMED} more"] if len(paths) > _MAX_NAMED else [])]
        title = f"{files} may be stale: {globs}"
        detail = "\n".join((f"Made for {crossing.setup.from_}, and {reason}:", *named))
        items.append(Item(f"{KEY}{globs}", Stage.ENGINE, title, "generated", paths[0], detail, True, options))
    return tuple(items)


def _unreplaced(ground: Ground, crossing: Crossing, last: Regenerated | None) -> Sequence[TreePath]:
    """The replaceable files that nothing wrote since the leg began: neither the generator nor, where there is none, a build."""
    commands = ground.profile.commands
    if commands.regenerate is not None:
        return last.restored if last is not None and last.status == 0 else ()
    if commands.build is not None and not crossing.leg_fact("rounds"):
        return ()  # the build may make them
    try:
        then = crossing.store.manifest(crossing.leg_start).files if crossing.leg_start else {}
    except UnknownSnapshot:
        then = {}
    now = ground.manifest.files
    paths = replaceable_files(ground.profile, ground.manifest.paths(), ground.plugins)
    return [path for path in paths if path in then and _is_untouched(then[path], now[path])]


def _is_untouched(then: TreeEntry, now: TreeEntry) -> bool:
    return then.content == now.content and then.mtime_ns == now.mtime_ns


def resolve_stale(
    crossing: Crossing,
    ground: Ground,
    decision: Decision,
    work: Work,
) -> None:
    """Carry out a decision about stale generated files. Raises MisuseError, CommandError when the command fails."""
    last = read_regenerated(crossing, ground.release)
    globs = decision.key.removeprefix(KEY)
    paths = [
        path
        for path in _unreplaced(ground, crossing, last)
        if (rule := role_rule(ground.profile, path)) is not None and ", ".join(rule.files) == globs
    ]
    if not paths:
        raise MisuseError(f"no stale generated files of {globs} are left")
    match decision.choice:
        case "delete":
            draft = Draft(ground.project)
            for path in paths:
                draft.delete(path)
            title = f"{count(len(paths), 'generated file')} deleted: {globs}"
            changes = draft.change_set()
            write_step(crossing, Stage.ENGINE, title, decision.why, "", changes, work, [decision])
        case "run":
            words = shlex.split(decision.text)
            if not words:
                raise MisuseError("no command was given", 'Give one with `--text "COMMAND ARGUMENT ..."`.')
            finished = run_typed_command(crossing, ground, words, Stage.ENGINE, decision.why, work)
            if finished.status != 0:
                raise CommandError(
                    f"{words[0]} failed: {tail(finished.text.splitlines(), 3) or f'status {finished.status}'}"
                )
            crossing.decide(decision)
        case _:
            crossing.decide(decision)
