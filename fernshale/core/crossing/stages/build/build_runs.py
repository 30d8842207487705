"""Build: rounds of building, causes, and fixes that are applied once and everywhere."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path

from fernshale.core.base.quantities import seconds
from fernshale.core.base.texts import count, tr
from fernshale.core.base.treepath import TreePath
from fernshale.core.base.work import Work
from fernshale.core.build.causes import Cause, find_causes
from fernshale.core.build.diagnostics import Diagnostic
from fernshale.core.build.known_errors import ErrorKey, split_known
from fernshale.core.build.owners import Owned, OwnerContext, find_owners
from fernshale.core.build.reading import read_log
from fernshale.core.build.round_history import Round, count_round
from fernshale.core.build.symbol_on_line import LineOf
from fernshale.core.crossing.project.baseline import read_baseline
from fernshale.core.crossing.project.build_places import owner_context, project_files
from fernshale.core.crossing.project.commands import CommandCall, log_of, run_profile_command
from fernshale.core.crossing.project.freshness import fingerprint
from fernshale.core.crossing.project.own_bases import base_reader
from fernshale.core.crossing.project.scan import ProjectScan
from fernshale.core.crossing.record.database import Crossing
from fernshale.core.crossing.record.facts import NEWEST_SNAPSHOT
from fernshale.core.crossing.record.last_build import LAST_BUILD, ROUNDS, LastBuild
from fernshale.core.crossing.record.logbook import note
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.profile.model import Role
from fernshale.core.survey.roles import role_of


def run_round(crossing: Crossing, scan: ProjectScan, work: Work) -> Round:
    """Build once and keep the result. Raises TrustNeeded, CommandError, Cancelled."""
    earlier = crossing.read(ROUNDS)
    number = len(earlier) + 1
    work.progress(tr("round {number}", number=number), 0, 0)
    finished = run_profile_command(
        crossing, scan, CommandCall("build", Stage.BUILD, tr("round {number}", number=number)), work
    )
    log = Path(crossing.read(log_of("build")))
    every = find_owners(read_round_log(log, scan), owner_context(scan, crossing))
    owned, before = split_known(every, known_errors(crossing))
    # With nothing but errors that were there before the upgrade, the project is as good as it was.
    only_known = bool(before) and not any(item.diagnostic.severity == "error" for item in owned)
    passed = finished.status == 0 or only_known
    causes = find_causes(owned, line_reader(scan), base_reader(scan, work.token))
    done = count_round(number, passed, finished.elapsed_s, owned, causes, known=len(before))
    crossing.keep(ROUNDS, (*earlier, done))
    seen = fingerprint(crossing, scan, NOT_BUILT)
    crossing.keep(LAST_BUILD, LastBuild(str(log), passed, seen, scan.release, crossing.read(NEWEST_SNAPSHOT)))
    words = (
        tr("{errors} from {causes}", errors=count(done.total, "error"), causes=count(len(done.causes), "cause"))
        if not passed
        else tr("compiles and links")
    )
    if before:
        words = (
            tr("{words}; {errors} as before the upgrade", words=words, errors=count(len(before), "error"))
            if not passed
            else tr("no new errors")
        )
    note(
        crossing,
        Stage.BUILD,
        tr("round {number} · {words} · {elapsed_s}", number=number, words=words, elapsed_s=seconds(finished.elapsed_s)),
        "",
        "round",
    )
    return done


def known_errors(crossing: Crossing) -> Mapping[ErrorKey, int]:
    """The errors that the project had before anything was changed."""
    baseline = read_baseline(crossing)
    return baseline.known if baseline is not None else {}


def diagnose(
    log: bytes, scan: ProjectScan | None, shape: OwnerContext | None
) -> tuple[tuple[Owned, ...], tuple[Cause, ...]]:
    """Diagnostics with owners, and causes, of any log. Without a project everything is "own"."""
    patterns = scan.profile.diagnostic if scan else ()
    found = read_log(log, patterns)
    if scan is None or shape is None:
        owned = tuple(Owned(item, "own", item.place) for item in found)
        return owned, find_causes(owned)
    owned = find_owners(found, shape)
    return owned, find_causes(owned, line_reader(scan))


def plain_context(scan: ProjectScan) -> OwnerContext:
    """The context of a log that belongs to no crossing: where the project's files are and who owns them."""
    plugins = tuple((item.id, item.folder) for item in scan.plugins)
    return OwnerContext(
        scan.project,
        project_files(scan),
        None,
        (),
        plugins,
        lambda path: role_of(scan.profile, path).role,
        lambda path, line: line,
    )


def line_reader(scan: ProjectScan) -> LineOf:
    """A function that returns a line of the project as it is now, "" where it does not exist."""
    lines: dict[str, list[str]] = {}

    def line_of(file: str, line: int) -> str:
        if file not in lines:
            known = file in scan.manifest.files
            lines[file] = (scan.read(TreePath(file)) or "").split("\n") if known else []
        return lines[file][line - 1] if 0 < line <= len(lines[file]) else ""

    return line_of


def read_round_log(log: Path, scan: ProjectScan) -> tuple[Diagnostic, ...]:
    try:
        stat = log.stat()
        key = log, stat.st_mtime_ns, stat.st_size, scan.profile.diagnostic
        make = lambda: read_log(log.read_bytes(), scan.profile.diagnostic)  # noqa: E731
        return scan.cache.get("log of a round", key, make, len)
    except OSError:
        return ()  # the log file was deleted: the numbers of the round are known, its causes are not


# Assets are read by the running game; a change of theirs needs another trial, not another build.
NOT_BUILT: tuple[Role, ...] = ("generated", "asset")
