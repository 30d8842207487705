"""The record of one crossing on disk: its set-up, facts, decisions and logbook.

    HOME/crossings/ID/
      crossing.sqlite    set-up, facts, decisions, logbook (SQLite in WAL mode: a kill loses at most the last transaction);
                         its tables and their versions are those of `schema`; `carried` has the decisions of each step,
                         which count among the decisions while the step is done; `writes` has every write of the project
                         in order, see `step_order`
      journal.json       only while a change set is being written
      lock               held (flock) by the process that acts
      logs/ build/ out/  logs of commands, and the folders that builds and runs write into

Each use opens its own connection, so that a worker thread and the window can read at the same time.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import sqlite3
import threading
import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path
from typing import Any, TypeVar

from fernshale.core.base.cache import Cache
from fernshale.core.base.data_folder import home
from fernshale.core.base.disk import sweep
from fernshale.core.base.errors import FernshaleError, MisuseError, ProjectError
from fernshale.core.base.lock import Held, locked
from fernshale.core.base.texts import tr
from fernshale.core.change.changeset import ChangeSet
from fernshale.core.crossing.record.decisions import Decision
from fernshale.core.crossing.record.facts import LEG_START, START, Fact
from fernshale.core.crossing.record.schema import add_write, migrate, read_writes
from fernshale.core.crossing.record.stage import Stage
from fernshale.core.crossing.record.step_order import BACK, REDO, UNDO, Write, done_after, read_reversal
from fernshale.core.snapshot.store import Store, default_store

T = TypeVar("T")

UNFINISHED = ("pending", "undoing", "redoing")


class AnotherActs(FernshaleError):
    """Another process works on this crossing."""


@dataclass(frozen=True, slots=True)
class Setup:
    """The set-up of a crossing: from the release `start` over all `stops`, the last of which is the target.

    `leg` is the number of the current leg, from 0. `members` are the folders of the workspace members that cross; none: the
    whole project does. `original` is the project that `project` is a copy of, "" where it is crossed in place.
    """

    project: Path
    profile: Path
    shelves: tuple[str, ...]
    start: str
    stops: tuple[str, ...]
    leg: int = 0
    members: tuple[str, ...] = ()
    original: str = ""

    @property
    def from_(self) -> str:
        """The release that the current leg begins from."""
        return self.stops[self.leg - 1] if self.leg else self.start

    @property
    def to(self) -> str:
        """The release that the current leg leads to."""
        return self.stops[self.leg]

    @property
    def target(self) -> str:
        return self.stops[-1]

    def to_json(self) -> dict[str, Any]:
        return {
            "project": str(self.project.resolve()),
            "profile": str(self.profile.resolve()),
            "shelves": list(self.shelves),
            "start": self.start,
            "stops": list(self.stops),
            "leg": self.leg,
            "members": list(self.members),
            "original": self.original,
        }

    @staticmethod
    def from_json(data: dict[str, Any]) -> Setup:
        shelves, stops, members = (tuple(data[name]) for name in ("shelves", "stops", "members"))
        places = Path(data["project"]), Path(data["profile"])
        return Setup(*places, shelves, data["start"], stops, data["leg"], members, data.get("original", ""))


@dataclass(frozen=True, slots=True)
class EntryText:
    """The text of a new logbook entry: its title, the reason, and its subject (`about`, for programs)."""

    stage: Stage
    title: str
    why: str = ""
    about: str = ""


@dataclass(frozen=True, slots=True)
class LogEntry:
    """A logbook entry. `changes` is set when it wrote into the project; `about` names its subject.

    `state` is "done" or "undone", or one of UNSETTLED while its change set is being written or undone.
    """

    id: int
    time: float
    stage: Stage
    title: str
    why: str
    about: str
    snapshot: str
    changes: ChangeSet | None
    state: str

    @property
    def can_undo(self) -> bool:
        return self.state == "done" and self.changes is not None

    @property
    def can_redo(self) -> bool:
        return self.state == "undone" and self.changes is not None

    @property
    def applied_rule(self) -> str:
        """The id of the fix rule that wrote its changes, "" for other steps."""
        kind, _, rule = self.about.partition(" ")
        return rule if kind in ("fix", "silent") else ""

    @property
    def is_undo(self) -> bool:
        """Whether it undid or repeated another step, as a step of its own."""
        verb, _ = read_reversal(self.about) or ("", 0)
        return verb in (UNDO, REDO)

    @property
    def is_return(self) -> bool:
        """Whether it took all steps since a point back."""
        verb, _ = read_reversal(self.about) or ("", 0)
        return verb == BACK


_DECIDE = "INSERT OR REPLACE INTO {} VALUES (?, ?, ?, ?, ?, ?, ?, ?)"


def _decision_row(item: Decision, entry: int) -> tuple[object, ...]:
    return item.key, item.stage.value, item.choice, item.text, item.who, item.why, item.time, entry


class Crossing:
    """An open crossing. Cheap to open; holds no lock, and no connection but within `connected`."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        self.store = Store(default_store())
        self.journal = folder / "journal.json"
        self.cache = Cache()
        self._kept = threading.local()
        with self._database() as database:
            migrate(database)
        self.setup = self._read_setup()

    # -- facts

    def read(self, fact: Fact[T], leg: int | None = None) -> T:
        """The value of a fact; of a fact per leg, that of `leg` (from 0) or of the current leg. Raises ProjectError for damage."""
        name = self._name_of(fact, leg)
        value = self._value(name)
        return fact.empty if value is None else self._decoded(lambda: fact.read(value), f"the fact {name!r}")

    def keep(self, fact: Fact[T], value: T) -> None:
        """Store the value of a fact; of a fact per leg, for the current leg."""
        self._keep_value(self._name_of(fact, None), fact.write(value))

    def _name_of(self, fact: Fact[T], leg: int | None) -> str:
        return f"leg {self.setup.leg if leg is None else leg} {fact.name}" if fact.per_leg else fact.name

    def _value(self, name: str) -> Any:
        with self._database() as database:
            row = database.execute("SELECT value FROM facts WHERE name = ?", (name,)).fetchone()
        return None if row is None else self._decoded(lambda: json.loads(row[0]), f"the fact {name!r}")

    def _keep_value(self, name: str, value: Any) -> None:
        with self._database() as database:
            database.execute("INSERT OR REPLACE INTO facts VALUES (?, ?)", (name, json.dumps(value)))

    @property
    def leg_start(self) -> str:
        """The snapshot from before the current leg, "" where there is none yet."""
        return self.read(LEG_START) or self.read(START)

    def drop_leg_facts(self, after: int) -> None:
        """Delete the facts of all legs after leg `after`."""
        with self._database() as database:
            for leg in range(after + 1, len(self.setup.stops)):
                database.execute("DELETE FROM facts WHERE name LIKE ?", (f"leg {leg} %",))

    @property
    def revision(self) -> bytes:
        """A digest of all facts, decisions and logbook states; it changes with each write."""
        tables = ("* FROM facts ORDER BY name", "* FROM decisions ORDER BY key", "id, state FROM logbook ORDER BY id")
        with self._database() as database:
            rows = [row for table in tables for row in database.execute(f"SELECT {table}")]
        return hashlib.sha256(repr(rows).encode()).digest()

    # -- the route

    def change_setup(self, setup: Setup) -> None:
        """Change the stops, or move to another leg."""
        self._keep_value("setup", setup.to_json())
        self.setup = setup

    # -- decisions

    def decisions(self) -> dict[str, Decision]:
        """All decisions by key, in the order in which they were taken."""
        with self._database() as database:
            rows = database.execute("SELECT * FROM decisions ORDER BY time").fetchall()
        return self._decoded(lambda: {row[0]: Decision(row[0], Stage(row[1]), *row[2:]) for row in rows}, "a decision")

    def left_so(self) -> frozenset[str]:
        """The keys of decisions that wrote nothing. (An item that a step resolved and that appears again is open again.)"""
        return frozenset(key for key, item in self.decisions().items() if not item.entry)

    def decide(self, decision: Decision) -> None:
        """Keep a decision; one under the same key is replaced."""
        with self._database() as database:
            database.execute(_DECIDE.format("decisions"), _decision_row(decision, decision.entry))

    def withdraw(self, key: str) -> None:
        """Delete a decision."""
        with self._database() as database:
            database.execute("DELETE FROM decisions WHERE key = ?", (key,))

    # -- logbook

    def logbook(self) -> tuple[LogEntry, ...]:
        """All entries, oldest first."""
        with self._database() as database:
            rows = database.execute("SELECT * FROM logbook ORDER BY id").fetchall()
        return tuple(self._decoded(partial(_entry, row), f"entry {row[0]} of its logbook") for row in rows)

    def write_entry(
        self,
        text: EntryText,
        snapshot: str,
        changes: ChangeSet | None,
        state: str,
        decided: Sequence[Decision] = (),
    ) -> int:
        """Write a new entry and return its id. `decided` are the decisions it carries out; they count once it is done."""
        data = None if changes is None else json.dumps(changes.to_json())
        with self._database() as database:
            cursor = database.execute(
                "INSERT INTO logbook (time, stage, title, why, about, snapshot, changes, state) VALUES (?,?,?,?,?,?,?,?)",
                (time.time(), text.stage.value, text.title, text.why, text.about, snapshot, data, state),
            )
            id = int(cursor.lastrowid or 0)
            database.executemany(_DECIDE.format("carried"), [_decision_row(item, id) for item in decided])
            if changes is not None and state == "done":
                add_write(database, id, is_forward=True)
            return id

    def mark_entry(self, id: int, state: str) -> None:
        """Set the state of an entry while its change set is being written, or back when nothing was written."""
        with self._database() as database:
            database.execute("UPDATE logbook SET state = ? WHERE id = ?", (state, id))

    def finish_entry(self, id: int, *, is_forward: bool) -> None:
        """Record that the changes of an entry were written (`is_forward`) or undone, and recompute which entries count.

        The decisions of an entry that is undone are withdrawn until it is done again.
        """
        with self._database() as database:
            add_write(database, id, is_forward=is_forward)
            _set_states(database)

    def writes(self) -> tuple[Write, ...]:
        """Every write of the project by this crossing, oldest first."""
        with self._database() as database:
            return read_writes(database)

    @property
    def is_finished(self) -> bool:
        """Whether no change was interrupted: nothing is being written or undone, except by a process that does so right now."""
        with self._database() as database:
            marks = ", ".join("?" * len(UNFINISHED))
            row = database.execute(f"SELECT COUNT(*) FROM logbook WHERE state IN ({marks})", UNFINISHED).fetchone()
        return not row[0] and not self.journal.exists()

    def drop_entry(self, id: int) -> None:
        """Delete an entry whose change set was never written."""
        with self._database() as database:
            database.execute("DELETE FROM logbook WHERE id = ?", (id,))
            database.execute("DELETE FROM carried WHERE entry = ?", (id,))

    # -- folders and locks

    def copy_database(self, folder: Path) -> None:
        """Copy the database into another folder, as of its last transaction. Raises ProjectError."""
        with self._database() as source, contextlib.closing(sqlite3.connect(folder / "crossing.sqlite")) as target:
            source.backup(target)

    def scratch(self, name: str) -> Path:
        """A folder of the crossing's own that commands may write into."""
        folder = self.folder / name
        folder.mkdir(parents=True, exist_ok=True)
        return folder

    @contextlib.contextmanager
    def acting(self) -> Iterator[None]:
        """Hold the crossing's lock. Raises AnotherActs at once when another process holds it."""
        try:
            with locked(self.folder / "lock"):
                sweep(self.folder)
                with self.connected():
                    yield
        except Held as error:
            raise AnotherActs(
                tr("another Fernshale ({holder}) is at work on this crossing", holder=error.holder),
                tr("Wait for it to finish, or end it there."),
            ) from error

    @contextlib.contextmanager
    def connected(self) -> Iterator[None]:
        """Use one connection for everything that this thread reads and writes meanwhile; opening one costs more than a reading."""
        if getattr(self._kept, "database", None) is not None:
            yield
            return
        self._kept.database = self._connect()
        try:
            yield
        finally:
            self._kept.database.close()
            self._kept.database = None

    @contextlib.contextmanager
    def _database(self) -> Iterator[sqlite3.Connection]:
        kept = getattr(self._kept, "database", None)
        database = kept or self._connect()
        try:
            with database:
                yield database
        except sqlite3.Error as error:
            raise ProjectError(
                tr("the crossing in {folder} cannot be read or written: {error}", folder=self.folder, error=error)
            ) from error
        finally:
            if kept is None:
                database.close()

    def _connect(self) -> sqlite3.Connection:
        try:
            database = sqlite3.connect(self.folder / "crossing.sqlite", timeout=10)
        except sqlite3.Error as error:
            raise ProjectError(
                tr("the crossing in {folder} cannot be opened: {error}", folder=self.folder, error=error)
            ) from error
        try:
            database.execute("PRAGMA journal_mode=WAL")
        except sqlite3.Error as error:
            database.close()
            raise ProjectError(
                tr("the crossing in {folder} cannot be read or written: {error}", folder=self.folder, error=error)
            ) from error
        return database

    def _read_setup(self) -> Setup:
        data = self._value("setup")
        if data is None:
            raise MisuseError(tr("{folder} holds no crossing", folder=self.folder))
        return self._decoded(lambda: Setup.from_json(data), "its set-up")

    def _decoded(self, read: Callable[[], T], what: str) -> T:
        """The result of `read`, which decodes a value of the database. Raises ProjectError where the value is damaged."""
        try:
            return read()
        except (ValueError, KeyError, TypeError, IndexError, AttributeError, RecursionError, ProjectError) as error:
            raise ProjectError(
                tr(
                    "the crossing in {folder} is damaged: {what} cannot be read ({error})",
                    folder=self.folder,
                    what=what,
                    error=error,
                ),
                tr(
                    "Its snapshots are whole: `fernshale snapshot list` shows them, and a new crossing can be begun once that "
                    "folder is moved away."
                ),
            ) from error


def begin(setup: Setup) -> Crossing:
    """The crossing of `setup`'s project: the existing one when it leads to the same release, else a new one."""
    folder = folder_of(setup.project)
    if (folder / "crossing.sqlite").exists():
        known = Crossing(folder)
        if known.setup.target == setup.target and known.setup.members == setup.members:
            known.change_setup(replace(known.setup, profile=setup.profile, shelves=setup.shelves))
            return known
        folder.rename(folder.with_name(f"{folder.name}-{int(time.time())}"))
    folder.mkdir(parents=True, exist_ok=True)
    with contextlib.closing(sqlite3.connect(folder / "crossing.sqlite")) as database, database:
        migrate(database)
        database.execute("INSERT INTO facts VALUES ('setup', ?)", (json.dumps(setup.to_json()),))
    return Crossing(folder)


def find_crossing(project: Path) -> Crossing | None:
    """The crossing of a project, None when none was begun."""
    folder = folder_of(project)
    return Crossing(folder) if (folder / "crossing.sqlite").exists() else None


def open_crossing(project: Path) -> Crossing:
    """Like `find_crossing`. Raises MisuseError where no crossing exists."""
    crossing = find_crossing(project)
    if crossing is None:
        raise MisuseError(
            tr("no crossing was begun for {project}", project=project),
            tr("Begin one with `fernshale route PROJECT --to RELEASE --shelf SHELF` or in the window."),
        )
    return crossing


def all_crossings() -> tuple[Crossing, ...]:
    """The crossings that can be resumed, the most recently used first. Those whose project is missing are left out."""
    folders = [path.parent for path in (home() / "crossings").glob("*/crossing.sqlite")]
    found = []
    for folder in sorted(folders, key=lambda item: -(item / "crossing.sqlite").stat().st_mtime):
        with contextlib.suppress(FernshaleError):
            crossing = Crossing(folder)
            if crossing.setup.project.is_dir() and folder_of(crossing.setup.project) == folder:
                found.append(crossing)
    return tuple(found)


def folder_of(project: Path) -> Path:
    """The folder of a project's crossing, whether one was begun or not."""
    path = os.fsencode(project.resolve())
    name = "".join(letter if letter.isalnum() else "-" for letter in project.resolve().name)[:40]
    return home() / "crossings" / f"{name}-{hashlib.sha256(path).hexdigest()[:10]}"


def _set_states(database: sqlite3.Connection) -> None:
    """Mark each entry that wrote as done or undone, and have its decisions count accordingly."""
    rows = database.execute("SELECT id, about, state FROM logbook WHERE changes IS NOT NULL").fetchall()
    writes = read_writes(database)
    done = done_after(writes, {id: about for id, about, _ in rows})
    written = {write.entry for write in writes}
    for id, _, state in rows:
        wanted = "done" if id in done else "undone"
        if id not in written or state == wanted:
            continue
        database.execute("UPDATE logbook SET state = ? WHERE id = ?", (wanted, id))
        if wanted == "undone":
            database.execute("DELETE FROM decisions WHERE entry = ?", (id,))
        else:
            database.execute("INSERT OR REPLACE INTO decisions SELECT * FROM carried WHERE entry = ?", (id,))


def _entry(row: tuple[Any, ...]) -> LogEntry:
    id, when, stage, title, why, about, snapshot, changes, state = row
    change_set = None if changes is None else ChangeSet.from_json(json.loads(changes))
    return LogEntry(id, when, Stage(stage), title, why, about, snapshot, change_set, state)
