"""One database: opened, checked against the definitions, and handed out as statements and a writer."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any, TypeVar

from sqlalchemy import Engine, Table, inspect, select
from sqlalchemy.exc import DBAPIError
from sqlalchemy.schema import CreateIndex, CreateTable

from fenland.core.definitions import Definitions
from fenland.core.limits import DEFAULTS, Limits
from fenland.core.problems import Conflict, Unavailable
from fenland.storage import sqlite
from fenland.storage.accounts import Accounts
from fenland.storage.history import History
from fenland.storage.known import KnownTokens, Mark
from fenland.storage.outcomes import Outcomes
from fenland.storage.patience import STEPS, LongReads, Watch
from fenland.storage.records import Records
from fenland.storage.shapes import bring_over, mark_of, misfits_of, shape_of
from fenland.storage.tables import LAYOUT, Tables
from fenland.storage.turn import Turn
from fenland.storage.writer import Together, Writer

Result = TypeVar("Result")


class DatabaseRefused(Exception):
    """The database cannot be used as it is: the message says why and what to do."""


class _Reading:
    """A reading connection, lent for the body of a with statement."""

    __slots__ = ("_account", "_database", "_lent")

    def __init__(self, database: Database, account: str | None) -> None:
        self._database = database
        self._account = account

    def __enter__(self) -> sqlite.Connection:
        # Not one a thread: servers end idle threads and start others, and theirs would be lost.
        try:
            self._lent = self._database.idle.pop()
        except IndexError:
            self._lent = self._database.connect()
        connection, watch = self._lent
        watch.begin(self._account)
        return connection

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        watch = self._lent[1]
        watch.end()
        self._database.idle.append(self._lent)
        if error is not None and watch.refusal is not None:
            raise Unavailable(watch.refusal) from None
        if isinstance(error, (sqlite.Error, MemoryError)):
            raise sqlite.translated(error) from error


class Database:
    """The open database of a project.

    Readers take a connection each, from those that are idle; one writer writes.
    """

    def __init__(
        self, engine: Engine, path: Path, definitions: Definitions, tables: Tables, limits: Limits
    ) -> None:
        dialect = engine.dialect
        self._engine = engine
        self._path = path
        self._file = _file_at(path)
        self.idle: deque[tuple[sqlite.Connection, Watch]] = deque()
        self.records = {
            name: Records(one, tables.records[name], dialect, limits)
            for name, one in definitions.collections.items()
        }
        self.history = History(tables.history, dialect, limits)
        self.outcomes = Outcomes(tables.outcomes, dialect)
        self.accounts = Accounts(tables.accounts, tables.tokens, dialect)
        self.turn = Turn()
        self._long = LongReads(self.turn, per_account=limits.long_reads, seconds=limits.read_seconds)
        lock_path = path.with_name(path.name + ".lock")
        self._mark = Mark(lock_path)
        self.known_tokens = KnownTokens(self._mark)
        self._writing = sqlite.make_engine(path, writing=True)
        self._writer = Writer(self._connect_writer, lock_path, self.turn, guard=self.check_there)

    def connect(self) -> tuple[sqlite.Connection, Watch]:
        """A new reading connection, watched."""
        connection, watch = sqlite.driver_connection(self._engine), Watch(self._long)
        connection.set_progress_handler(watch, STEPS)
        return connection, watch

    def _connect_writer(self) -> sqlite.WritingConnection:
        connection = sqlite.writing_connection(self._writing)
        connection.between = self.turn.breathe
        connection.set_progress_handler(self.turn.breathe, STEPS)
        return connection

    def check_there(self) -> None:
        """Raises `Unavailable` when the file that was opened no longer lies where it was."""
        if _file_at(self._path) != self._file:
            raise Unavailable(
                "The database file was moved away or replaced, so nothing is saved. "
                "Put it back, or start the service anew."
            )

    def check(self) -> None:
        """Raises `Unavailable` when the database cannot be read."""
        self.check_there()
        with self.reading() as connection:
            connection.execute("SELECT 1").fetchone()

    def reading(self, account: str | None = None) -> _Reading:
        """A reading connection for the body, in which each statement sees what is committed when it starts.

        Of an account's long reads only so many run or wait at a time; `Unavailable` is raised for more.
        """
        return _Reading(self, account)

    @contextmanager
    def snapshot(self, account: str | None = None) -> Iterator[sqlite.Connection]:
        """A reading connection that sees one moment of the database throughout."""
        with self.reading(account) as connection:
            connection.execute("BEGIN")
            try:
                yield connection
            finally:
                if connection.in_transaction:
                    connection.execute("COMMIT")

    def write(self, work: Callable[[sqlite.Connection], Result]) -> Result:
        """Runs `work` in one durable transaction; see `Writer.run`."""
        try:
            result: Result = self._writer.run(work)
        except sqlite.ReferenceBroken:
            # Found only at the commit: references are checked there.
            raise Conflict(
                "A record this one refers to, or that refers to it, has just changed. Try again."
            ) from None
        return result

    def together(self) -> Together:
        """Opens a transaction for several calls of `write` by this thread, which may wait for nobody."""
        return self._writer.together()

    def change_accounts(self, work: Callable[[sqlite.Connection], Result]) -> Result:
        """The same for a change of accounts or tokens, which every process then heeds at once."""
        with self.known_tokens.changing():
            return self.write(work)

    def close(self) -> None:
        """Closes every connection."""
        self._writer.close()
        self._mark.close()
        while self.idle:
            self.idle.pop()[0].close()
        self._engine.dispose()
        self._writing.dispose()


def _file_at(path: Path) -> tuple[int, int] | None:
    try:
        found = os.stat(path)
    except OSError:
        return None
    return found.st_dev, found.st_ino


def open_database(path: Path, definitions: Definitions, limits: Limits = DEFAULTS) -> Database:
    """Opens the database at `path`, creating the file and the tables that are not there yet.

    Raises `DatabaseRefused` when the file cannot be read or written, is of a newer layout, or holds
    tables that differ from the definitions.
    """
    tables = Tables(definitions)
    sqlite.append_only(tables.history)
    engine = sqlite.make_engine(path)
    try:
        _make_private(path)
        _prepare(engine, tables)
        return Database(engine, path, definitions, tables, limits)
    except DBAPIError as error:
        raise DatabaseRefused(
            f"The database {path} cannot be opened: {error.orig}. "
            "Check that the folder exists, may be written and holds a database of this service."
        ) from None
    except OSError as error:
        raise DatabaseRefused(
            f"The database {path} cannot be opened: {error.strerror}. "
            "Check that the folder exists, may be written and holds a database of this service."
        ) from None


def _make_private(path: Path) -> None:
    """Sees that only the file's owner can read it; SQLite gives the log beside it the same mode."""
    os.close(os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600))
    for one in (path, path.with_name(path.name + "-wal"), path.with_name(path.name + "-shm")):
        with suppress(OSError):
            one.chmod(0o600)


def fold(path: Path) -> None:
    """Moves the write-ahead log into the database file, so that a plain copy of that file is whole.

    To be called when every process has let go of the database; while one has not, nothing happens.
    """
    engine = sqlite.make_engine(path)
    with suppress(DBAPIError), engine.connect() as connection:
        connection.exec_driver_sql(sqlite.FOLD)
    engine.dispose()


def _prepare(engine: Engine, tables: Tables) -> None:
    with engine.connect() as connection:
        connection.exec_driver_sql("BEGIN IMMEDIATE")
        present = set(inspect(connection).get_table_names())
        meta = tables.meta
        if meta.name in present:
            known = {row.name: row.value for row in connection.execute(select(meta))}
            _check_layout(known.get("layout"))
            known = bring_over(connection, tables, known)
        else:
            known = {}
            _create(connection, meta)
            connection.execute(meta.insert().values(name="layout", value=LAYOUT))
        made = [table for table in tables.metadata.tables.values() if table is not meta]
        if misfits := misfits_of(made, present, known):
            raise DatabaseRefused("\n".join(misfits))
        for table in made:
            if table.name in present:
                for index in table.indexes:
                    connection.execute(CreateIndex(index, if_not_exists=True))
            else:
                _create(connection, table)
                connection.execute(meta.insert().values(name=mark_of(table.name), value=shape_of(table)))
        connection.commit()


def _create(connection: Any, table: Table) -> None:
    # One by one, in place of create_all: references may go in circles, which SQLite permits.
    connection.execute(CreateTable(table))
    for index in sorted(table.indexes, key=lambda one: str(one.name)):
        connection.execute(CreateIndex(index))
    table.dispatch.after_create(table, connection, checkfirst=False, _ddl_runner=None, tables=[table])


def _check_layout(layout: Any) -> None:
    if not isinstance(layout, int) or layout > LAYOUT:
        raise DatabaseRefused(
            f"The database was written by a newer version (layout {layout}; this one reads up to "
            f"{LAYOUT}). Install the newer version, or point to another database."
        )
