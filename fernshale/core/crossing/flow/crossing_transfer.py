"""Export a crossing into one file, and import it on another machine: record, decisions, rules, profile, needed snapshots.

The file is a zip archive:

    crossing.json            format, project, releases, shelves, the snapshot of the project as it was exported
    crossing/                crossing.sqlite, rules and logs
    profile/NAME             the engine profile
    store/                   a snapshot store with what the crossing needs

Nothing that a person agreed to goes with it: the profile has to be trusted on the other machine, commits to git and its filters
have to be agreed to again, and checks that run commands are named and left out unless they are wanted.
"""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import sqlite3
import tempfile
import uuid
import zipfile
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from fernshale.core.base.data_folder import home
from fernshale.core.base.errors import FernshaleError, MisuseError, ProjectError
from fernshale.core.base.texts import tr
from fernshale.core.base.work import Work
from fernshale.core.crossing.project.check_runs import OWN_CHECKS
from fernshale.core.crossing.record.checkouts import CHECKOUT
from fernshale.core.crossing.record.crossing_deletion import snapshots_of
from fernshale.core.crossing.record.database import Crossing, folder_of
from fernshale.core.crossing.record.git_commits import AGREEMENTS
from fernshale.core.crossing.record.git_commits import KEY as COMMIT_STEPS
from fernshale.core.crossing.record.retention import contents_of
from fernshale.core.profile.kept import ENDING, keep_profile
from fernshale.core.route.shelf_addresses import clean_address, is_server
from fernshale.core.route.unpack import unpack
from fernshale.core.snapshot.restore import restore
from fernshale.core.snapshot.store import Store, default_store
from fernshale.core.snapshot.transfer import copy_snapshots

FORMAT = "fernshale-crossing/1"
EXPORTED_SUFFIX = ".crossing"
_ABOUT = "crossing.json"
# What a record has in addition to its database.
_FILES = ("own.rules.toml", "learned.rules.toml")
_FOLDERS = ("logs", "pictures")
_OBJECTS = frozenset(("facts", "decisions", "carried", "logbook", "writes", "sqlite_sequence", "carried_by"))


@dataclass(frozen=True, slots=True)
class ExportedCrossing:
    """What an exported crossing says of itself. `newest` is the snapshot of the project as it was exported, `folder` where the
    crossing's record was, `commands` the command lines of its own checks."""

    project: str
    start: str
    target: str
    shelves: tuple[str, ...]
    newest: str
    folder: str
    commands: tuple[tuple[str, ...], ...] = ()


@dataclass(frozen=True, slots=True)
class ImportPlan:
    """Where an exported crossing goes: the project's folder, the shelves on this machine (none: those it had, where they are
    here), and whether its own checks may run their commands."""

    project: Path
    shelves: tuple[str, ...] = ()
    with_commands: bool = False


def export_crossing(crossing: Crossing, file: Path, work: Work) -> int:
    """Write a crossing and what it needs into a file; its size in bytes. The file is there only when it is complete.

    Raises MisuseError while one of its steps is interrupted, AnotherActs, StoreError, OSError, Cancelled.
    """
    with crossing.acting(), tempfile.TemporaryDirectory(prefix="fernshale-export-", dir=file.parent) as folder:
        if not crossing.is_finished:
            raise MisuseError(
                tr("a step of this crossing was interrupted"), tr("Resume it once, so that the step is settled.")
            )
        newest = crossing.store.take(crossing.setup.project, "exported", work).id
        staging = Path(folder)
        store = Store(staging / "store")
        copy_snapshots(crossing.store, store, (*sorted(snapshots_of(crossing)), newest), contents_of(crossing), work)
        _copy_known(crossing.folder, staging / "crossing")
        crossing.copy_database(staging / "crossing")
        profile = crossing.setup.profile
        (staging / "profile").mkdir()
        shutil.copyfile(profile, staging / "profile" / profile.name)
        (staging / _ABOUT).write_text(json.dumps(_about(crossing, newest), indent=1), encoding="utf-8")
        half = staging / "half"
        _pack(staging, half, work)
        half.replace(file)
    return file.stat().st_size


def read_exported(file: Path) -> ExportedCrossing:
    """What an exported crossing says of itself. Raises MisuseError for another file."""
    try:
        with zipfile.ZipFile(file) as archive:
            data = json.loads(archive.read(_ABOUT))
        return _read_about(data)
    except OSError as error:
        raise MisuseError(
            tr("{file} cannot be read: {strerror}", file=file, strerror=error.strerror or error)
        ) from error
    except (zipfile.BadZipFile, ValueError, KeyError, TypeError, RecursionError) as error:
        raise _not_exported(file, error) from error


def import_crossing(file: Path, plan: ImportPlan, work: Work) -> Crossing:
    """Make an exported crossing one of this machine. A project folder that is missing or empty is filled as it was exported.

    Raises MisuseError where the project has a crossing already or no shelf is known, BadArchive, LimitExceeded, ProjectError for a
    damaged record, StoreError, OSError, Cancelled. Then there is no crossing; contents that were copied are freed by the next
    deletion of snapshots.
    """
    exported = read_exported(file)
    target = folder_of(plan.project)
    if target.exists():
        raise MisuseError(
            tr("{project} has a crossing already", project=plan.project),
            tr("Delete it on the start page, or choose another folder of the project."),
        )
    shelves = plan.shelves or tuple(address for address in exported.shelves if is_here(address))
    if not shelves:
        raise MisuseError(
            tr("none of the crossing's shelves is on this machine: {shelves}", shelves=", ".join(exported.shelves)),
            tr("Name the folder or server of the releases."),
        )
    staging = home().resolve() / "crossings" / f".importing-{uuid.uuid4().hex}"
    try:
        unpack(file, staging, work)
        given = (staging / "crossing").resolve()
        _check_record(given / "crossing.sqlite", file)
        record = staging.resolve() / "record"
        _copy_known(given, record)
        shutil.copyfile(given / "crossing.sqlite", record / "crossing.sqlite")
        source = Store(staging / "store")
        profile = _keep_profile(staging / "profile", file)
        _adopt(record / "crossing.sqlite", exported, plan, shelves, profile)
        crossing = Crossing(record)
        if not plan.with_commands:
            crossing.keep(OWN_CHECKS, tuple(item for item in crossing.read(OWN_CHECKS) if not item.run))
        ids = snapshots_of(crossing) | {exported.newest}
        copy_snapshots(source, Store(default_store()), sorted(ids), contents_of(crossing), work)
        if not plan.project.exists() or not any(plan.project.iterdir()):
            store = Store(default_store())
            restore(store, store.manifest(exported.newest), plan.project, (), work)
        os.rename(record, target)
    finally:
        shutil.rmtree(staging, ignore_errors=True)
    return Crossing(target)


def is_here(address: str) -> bool:
    """Whether a shelf can be used on this machine: a folder that exists, or a server."""
    try:
        cleaned = clean_address(address)
    except FernshaleError:
        return False
    return is_server(cleaned) or Path(cleaned).is_dir()


# -- inside


def _about(crossing: Crossing, newest: str) -> Mapping[str, Any]:
    setup = crossing.setup
    return {
        "format": FORMAT,
        "project": setup.project.name,
        "start": setup.start,
        "target": setup.target,
        "shelves": [clean_address(address) for address in setup.shelves],
        "newest": newest,
        "folder": str(crossing.folder),
        "commands": [list(item.run) for item in crossing.read(OWN_CHECKS) if item.run],
    }


def _read_about(data: Any) -> ExportedCrossing:
    if data["format"] != FORMAT:
        raise ValueError(
            tr("its format is {found!r}, this Fernshale reads {known}", found=data["format"], known=FORMAT)
        )
    texts = [data[name] for name in ("project", "start", "target", "newest", "folder")]
    if not all(isinstance(text, str) for text in (*texts, *data["shelves"])):
        raise TypeError("a text is missing")
    project, start, target, newest, folder = texts
    commands = tuple(tuple(map(str, line)) for line in data["commands"])
    return ExportedCrossing(project, start, target, tuple(data["shelves"]), newest, folder, commands)


def _not_exported(file: Path, error: Exception) -> MisuseError:
    return MisuseError(
        tr("{file} is not an exported crossing: {error}", file=file, error=error),
        tr("Choose a file that *Export…* wrote."),
    )


def _copy_known(source: Path, target: Path) -> None:
    """Copy what a record has in addition to its database: rules, logs and pictures. Anything else is not taken over: a journal from
    elsewhere would be finished in any folder that it names, and links could lead anywhere."""
    target.mkdir()
    paths = [source / name for name in _FILES]
    paths += [path for name in _FOLDERS for path in sorted((source / name).rglob("*"))]
    for path in paths:
        if path.is_file() and path.resolve() == path.absolute():
            place = target / path.relative_to(source)
            place.parent.mkdir(parents=True, exist_ok=True)
            shutil.copyfile(path, place)


def _pack(staging: Path, file: Path, work: Work) -> None:
    """Packs are compressed already; the rest is text."""
    paths = [path for path in sorted(staging.rglob("*")) if path.is_file() and not path.is_symlink()]
    with zipfile.ZipFile(file, "w") as archive:
        for number, path in enumerate(paths):
            work.check()
            work.progress(tr("writing the file"), number, len(paths))
            name = str(path.relative_to(staging))
            kind = zipfile.ZIP_STORED if name.startswith("store/packs/") else zipfile.ZIP_DEFLATED
            archive.write(path, name, kind)


def _check_record(path: Path, file: Path) -> None:
    """Refuse a database that is damaged or has more than the tables of a crossing: a trigger would act with ours."""
    try:
        with contextlib.closing(sqlite3.connect(f"file:{path}?mode=ro&immutable=1", uri=True)) as database:
            database.execute("PRAGMA trusted_schema = OFF")
            rows = database.execute("SELECT type, name FROM sqlite_master").fetchall()
            odd = [
                name for kind, name in rows if kind not in ("table", "index") or name not in _OBJECTS | _automatic(rows)
            ]
            state = database.execute("PRAGMA integrity_check(1)").fetchone()[0]
    except sqlite3.Error as error:
        raise _not_exported(file, error) from error
    if odd or state != "ok":
        raise ProjectError(
            tr("the record of the crossing in {file} is not usable: {odd}", file=file, odd=", ".join(odd) or state)
        )


def _automatic(rows: Sequence[tuple[str, str]]) -> frozenset[str]:
    """The indexes that SQLite makes by itself for primary keys."""
    return frozenset(name for kind, name in rows if kind == "index" and name.startswith("sqlite_autoindex_"))


def _keep_profile(folder: Path, file: Path) -> Path:
    found = sorted(folder.glob(f"*{ENDING}")) if folder.is_dir() else []
    if len(found) != 1:
        raise MisuseError(tr("{file} has no engine profile", file=file))
    return keep_profile(found[0])


def _adopt(path: Path, exported: ExportedCrossing, plan: ImportPlan, shelves: Sequence[str], profile: Path) -> None:
    """Have the record name places of this machine, and forget what another person agreed to."""
    target = folder_of(plan.project)
    before, after = (json.dumps(str(place))[1:-1] for place in (exported.folder, target))
    with contextlib.closing(sqlite3.connect(path)) as database, database:
        for name, value in list(_facts(database)):
            moved = value.replace(f"{before}/", f"{after}/")
            if name == "setup":
                moved = json.dumps(_setup_here(json.loads(value), plan.project, shelves, profile))
            if moved != value:
                database.execute("UPDATE facts SET value = ? WHERE name = ?", (moved, name))
        for fact in (*AGREEMENTS, CHECKOUT.name):
            database.execute("DELETE FROM facts WHERE name = ?", (fact,))
        database.execute("DELETE FROM decisions WHERE key = ?", (COMMIT_STEPS,))


def _facts(database: sqlite3.Connection) -> Iterator[tuple[str, str]]:
    yield from database.execute("SELECT name, value FROM facts").fetchall()


def _setup_here(setup: dict[str, Any], project: Path, shelves: Sequence[str], profile: Path) -> dict[str, Any]:
    return {
        **setup,
        "project": str(project.resolve()),
        "profile": str(profile.resolve()),
        "shelves": list(shelves),
        "original": "",
    }
