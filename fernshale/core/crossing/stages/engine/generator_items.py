"""The open items about generated files: a generator that did not run or failed, and files that no command makes again."""

from __future__ import annotations

import re
import shlex
from collections.abc import Sequence

from fernshale.core.base.errors import CommandError, MisuseError
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.change.draft import Draft
from fernshale.core.crossing.project.commands import run_typed_command, tail
from fernshale.core.crossing.project.generator import Regenerated, read_regenerated, unfinished_sweep
from fernshale.core.crossing.project.plugin_builds import find_built
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.actions import Author
from fernshale.core.crossing.record.database import Crossing, EntryText
from fernshale.core.crossing.record.items import Item, Option
from fernshale.core.crossing.record.last_build import ROUNDS
from fernshale.core.crossing.record.logbook import write_step
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.stages.engine.actions import (
    LeaveOutAndGenerate,
    RebuildAndGenerate,
    ResolveStaleFiles,
    RestoreGenerated,
    RunGenerator,
)
from fernshale.core.engine.replaceable_files import replaceable_files
from fernshale.core.snapshot.manifest import TreeEntry as TreeEntry
from fernshale.core.snapshot.store import UnknownSnapshot
from fernshale.core.survey.roles import role_rule

KEY = "engine:stale:"
# How many file names a question lists.
_MAX_NAMED = 12


# -- questions


def generator_items(scan: ProjectScan, crossing: Crossing, last: Regenerated | None) -> tuple[Item, ...]:
    """The open items of the generator once the project names the target everywhere."""
    key, owner = "engine:generate", "generated"
    if scan.profile.commands.regenerate is None:
        return ()
    again = Option(RunGenerator(), tr("Run the generator"), (), is_automatic=last is None)
    if sweep := unfinished_sweep(crossing):
        assert sweep.changes is not None
        title = tr(
            "the generator was interrupted; {generated_files} removed before it",
            generated_files=count(len(sweep.changes.files), "generated file"),
        )
        restore = Option(
            RestoreGenerated(), tr("Restore those that are missing"), (tr("each is in the snapshot before"),)
        )
        return (Item(key, Stage.ENGINE, title, owner, options=(again, restore)),)
    if last is None:
        return (Item(key, Stage.ENGINE, tr("the generator has not run yet"), owner, needs_you=False, options=(again,)),)
    if last.status != 0:
        options = (again, *_plugin_options(scan, last.said))
        return (Item(key, Stage.ENGINE, tr("the engine's generator failed"), owner, "", last.said, True, options),)
    return ()


def _plugin_options(scan: ProjectScan, message: str) -> tuple[Option, ...]:
    """Options for plugins that the generator's output names: rebuild one, or leave it out."""
    options = []
    compiled = {item.plugin.id for item in find_built(scan)}
    for plugin in scan.plugins:
        named = re.search(rf"(?<![\w-]){re.escape(plugin.id)}(?![\w-])", message) or f"{plugin.folder}/" in message
        if not named:
            continue
        evidence = (tr("the generator printed: {line}", line=message.splitlines()[-1].strip()),)
        if plugin.id in compiled:
            options.append(
                Option(RebuildAndGenerate(plugin.id), tr("Rebuild {id} and run it again", id=plugin.id), evidence)
            )
        options.append(
            Option(LeaveOutAndGenerate(plugin.id), tr("Leave {id} out and run it again", id=plugin.id), evidence)
        )
    return tuple(options)


def stale_items(scan: ProjectScan, crossing: Crossing, last: Regenerated | None) -> tuple[Item, ...]:
    """Generated files that no command made again on this leg, one item for each rule of the profile."""
    groups: dict[str, list[TreePath]] = {}
    for path in _unreplaced(scan, crossing, last):
        rule = role_rule(scan.profile, path)
        groups.setdefault(", ".join(rule.files) if rule is not None else path, []).append(path)
    decided = crossing.decisions()
    has_generator = scan.profile.commands.regenerate is not None
    reason = (
        tr("the generator did not write them again")
        if has_generator
        else tr("no command of the profile made them again")
    )
    items = []
    for globs, paths in groups.items():
        if f"{KEY}{globs}" in decided:
            continue
        files = count(len(paths), "generated file")
        evidence = (tr("made for {before}; {reason}", before=crossing.setup.from_, reason=reason),)
        options = (
            Option(ResolveStaleFiles(globs, "keep"), tr("Keep them as they are"), evidence),
            Option(
                ResolveStaleFiles(globs, "delete"),
                tr("Delete {files}", files=files),
                (tr("the snapshot before has them"),),
            ),
            Option(
                ResolveStaleFiles(globs, "run"),
                tr("Run a command…"),
                (tr("it runs in the project's folder"),),
                asks=tr("The command to run"),
            ),
        )
        named = [
            *paths[:_MAX_NAMED],
            *([tr("and {number} more", number=len(paths) - _MAX_NAMED)] if len(paths) > _MAX_NAMED else []),
        ]
        title = tr("{files} may be stale: {globs}", files=files, globs=globs)
        detail = "\n".join((tr("Made for {before}, and {reason}:", before=crossing.setup.from_, reason=reason), *named))
        items.append(Item(f"{KEY}{globs}", Stage.ENGINE, title, "generated", paths[0], detail, True, options))
    return tuple(items)


def _unreplaced(scan: ProjectScan, crossing: Crossing, last: Regenerated | None) -> Sequence[TreePath]:
    """The replaceable files that were not written since the leg began, by the generator or, without one, by a build."""
    commands = scan.profile.commands
    if commands.regenerate is not None:
        return last.restored if last is not None and last.status == 0 else ()
    if commands.build is not None and not crossing.read(ROUNDS):
        return ()  # the build may make them
    try:
        then = crossing.store.manifest(crossing.leg_start).files if crossing.leg_start else {}
    except UnknownSnapshot:
        then = {}
    now = scan.manifest.files
    paths = replaceable_files(scan.profile, scan.manifest.paths(), scan.plugins)
    return [path for path in paths if path in then and _is_untouched(then[path], now[path])]


def _is_untouched(then: TreeEntry, now: TreeEntry) -> bool:
    return then.content == now.content and then.mtime_ns == now.mtime_ns


def resolve_stale(crossing: Crossing, scan: ProjectScan, action: ResolveStaleFiles, author: Author, work: Work) -> None:
    """Keep or delete stale generated files, or make them again. Raises MisuseError, CommandError when the command fails."""
    last = read_regenerated(crossing, scan.release)
    globs, decision = action.globs, action.decision(author)
    paths = [
        path
        for path in _unreplaced(scan, crossing, last)
        if (rule := role_rule(scan.profile, path)) is not None and ", ".join(rule.files) == globs
    ]
    if not paths:
        raise MisuseError(tr("no stale generated files of {globs} are left", globs=globs))
    match action.choice:
        case "delete":
            draft = Draft(scan.project)
            for path in paths:
                draft.delete(path)
            title = tr(
                "{generated_files} deleted: {globs}", generated_files=count(len(paths), "generated file"), globs=globs
            )
            changes = draft.change_set()
            write_step(crossing, EntryText(Stage.ENGINE, title, decision.why), changes, work, [decision])
        case "run":
            words = shlex.split(action.text)
            if not words:
                raise MisuseError(tr("no command was given"), tr('Give one with `--text "COMMAND ARGUMENT ..."`.'))
            finished = run_typed_command(crossing, scan, words, Stage.ENGINE, decision.why, work)
            if finished.status != 0:
                raise CommandError(
                    tr(
                        "{words} failed: {tail}",
                        words=words[0],
                        tail=tail(finished.text.splitlines(), 3) or tr("status {status}", status=finished.status),
                    )
                )
            crossing.decide(decision)
        case _:
            crossing.decide(decision)
