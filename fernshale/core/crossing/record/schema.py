"""The tables of `crossing.sqlite`, with a version number in the database and a migration from each version to the next."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable

from fernshale.core.base.errors import ProjectError
from fernshale.core.base.texts import tr
from fernshale.core.crossing.record.step_order import Write, done_after


def migrate(database: sqlite3.Connection) -> None:
    """Bring a database, also an empty one, to the newest version: all migrations that it lacks, in one transaction.

    Raises ProjectError for a database of a newer Fernshale.
    """
    if _version(database) == len(_MIGRATIONS):
        return
    database.execute("BEGIN IMMEDIATE")
    version = _version(database)  # another process may have been faster
    if version > len(_MIGRATIONS):
        raise ProjectError(
            tr(
                "this crossing was written by a newer Fernshale (version {version}, this one knows {number})",
                version=version,
                number=len(_MIGRATIONS),
            ),
            tr("Update Fernshale to go on with it."),
        )
    for migration in _MIGRATIONS[version:]:
        migration(database)
    database.execute(f"PRAGMA user_version = {len(_MIGRATIONS)}")


def _version(database: sqlite3.Connection) -> int:
    return int(database.execute("PRAGMA user_version").fetchone()[0])


def _first_tables(database: sqlite3.Connection) -> None:
    """Facts, decisions (those of steps in `carried`), logbook. Databases without a version number may have these tables."""
    for statement in (
        "CREATE TABLE IF NOT EXISTS facts (name TEXT PRIMARY KEY, value TEXT NOT NULL)",
        """CREATE TABLE IF NOT EXISTS decisions (
            key TEXT PRIMARY KEY, stage TEXT NOT NULL, choice TEXT NOT NULL, text TEXT NOT NULL,
            who TEXT NOT NULL, why TEXT NOT NULL, time REAL NOT NULL, entry INTEGER NOT NULL)""",
        "CREATE TABLE IF NOT EXISTS carried AS SELECT * FROM decisions WHERE 0",
        "CREATE INDEX IF NOT EXISTS carried_by ON carried (entry)",
        """CREATE TABLE IF NOT EXISTS logbook (
            id INTEGER PRIMARY KEY AUTOINCREMENT, time REAL NOT NULL, stage TEXT NOT NULL, title TEXT NOT NULL,
            why TEXT NOT NULL, about TEXT NOT NULL, snapshot TEXT NOT NULL, changes TEXT, state TEXT NOT NULL)""",
    ):
        database.execute(statement)


def _writes(database: sqlite3.Connection) -> None:
    """Every write of the project in order. A crossing from before this table gets its rows from the logbook."""
    if database.execute("SELECT 1 FROM sqlite_master WHERE name = 'writes'").fetchone():
        return
    database.execute(
        """CREATE TABLE writes (
            id INTEGER PRIMARY KEY AUTOINCREMENT, entry INTEGER NOT NULL, is_forward INTEGER NOT NULL, latest INTEGER NOT NULL)"""
    )
    rows = database.execute("SELECT id, about, state FROM logbook WHERE changes IS NOT NULL ORDER BY id").fetchall()
    for id, _, _ in rows:
        database.execute("INSERT INTO writes (entry, is_forward, latest) VALUES (?, 1, ?)", (id, id))
    done = done_after(read_writes(database), {id: about for id, about, _ in rows})
    for id, _, state in reversed(rows):
        if state == "undone" and id in done:
            add_write(database, id, is_forward=False)


_MIGRATIONS: tuple[Callable[[sqlite3.Connection], None], ...] = (_first_tables, _writes)


def add_write(database: sqlite3.Connection, entry: int, *, is_forward: bool) -> None:
    """Record that the changes of an entry were written or undone."""
    database.execute(
        "INSERT INTO writes (entry, is_forward, latest) SELECT ?, ?, MAX(id) FROM logbook", (entry, is_forward)
    )


def read_writes(database: sqlite3.Connection) -> tuple[Write, ...]:
    """All writes, oldest first."""
    rows = database.execute("SELECT entry, is_forward, latest FROM writes ORDER BY id").fetchall()
    return tuple(Write(entry, bool(is_forward), latest) for entry, is_forward, latest in rows)
