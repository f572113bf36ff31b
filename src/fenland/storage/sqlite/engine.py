"""What only SQLite does: how a connection is set up, what its errors mean, its triggers, its search."""

from __future__ import annotations

import itertools
import re
import sqlite3
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from pathlib import Path
from typing import Any

from sqlalchemy import (
    BindParameter,
    Column,
    ColumnElement,
    Dialect,
    Engine,
    Executable,
    Insert,
    Integer,
    create_engine,
    event,
    func,
)
from sqlalchemy import Connection as SqlConnection
from sqlalchemy.dialects import sqlite as sqlite_dialect
from sqlalchemy.exc import DBAPIError

from fenland.core.problems import StorageFull, Unavailable
from fenland.storage.shared.records.condition_sql import CALL, evaluated
from fenland.storage.shared.values import ReferenceBroken, ValueTaken

Connection = sqlite3.Connection
Error = sqlite3.Error

#: Milliseconds to wait for another process; within one, the writer's own queue keeps the order.
_BUSY_TIMEOUT = 10_000

#: Pages in the write-ahead log (16 MB of them) before they are moved into the database: a page that
#: changes often is then moved seldom. The usual thousand cost each change a tenth more.
_CHECKPOINT_PAGES = 4000

#: Moves the whole log into the database and empties it.
CHECKPOINT = "PRAGMA wal_checkpoint(TRUNCATE)"

_FULL = {sqlite3.SQLITE_FULL}
_UNIQUE = re.compile(r"UNIQUE constraint failed: (.+)")


#: Statements between two calls of `WritingConnection.between`, less one: a power of two, less one.
_OFTEN = 15


#: Numbers that no two connections of this process share.
_EPOCHS = itertools.count(1)


class TransactionLost(sqlite3.OperationalError):
    """A statement was to run in a transaction that is over: SQLite has rolled it back meanwhile."""


class WritingConnection(sqlite3.Connection):
    """The connection that writes: from `begin` on it runs nothing outside that transaction.

    On some errors (a full disk, too little memory) SQLite rolls the whole transaction back by itself.
    The next statement would then be saved on its own, whatever becomes of the rest.
    """

    _within = False
    _statements = 0
    #: Another number whenever somebody else may have written, and after each thing that was undone: what was
    #: read under one stands, but for what this connection wrote itself.
    epoch = 0
    #: That of the transaction as it began.
    begun = 0
    #: Whether nobody else wrote between this transaction and the one that was kept before it.
    continued = False
    #: What SQLite counts the writing of others by, as it was in the transaction that was kept last.
    _others: int | None = None
    _now: int | None = None
    #: Called every so many statements: whoever works long lets others in between.
    between: Callable[[], None] = staticmethod(lambda: None)

    def execute(self, text: str, values: Any = ()) -> sqlite3.Cursor:
        """See `sqlite3.Connection`. Raises `TransactionLost`."""
        if self._within and not self.in_transaction:
            raise TransactionLost("The transaction was rolled back by the database.")
        self._statements += 1
        if not self._statements & _OFTEN:
            self.between()
        return super().execute(text, values)

    def begin(self) -> None:
        """Opens a transaction with the lock to write. Raises the driver's error when others hold it."""
        self._within = False
        self.execute("BEGIN IMMEDIATE")
        self._within = True
        before, self._others = self._others, None
        self._now = self.execute("PRAGMA data_version").fetchone()[0]
        self.continued = self._now == before
        if not self.continued:
            self.epoch = next(_EPOCHS)
        self.begun = self.epoch

    def commit_work(self) -> None:
        """Ends the transaction, durably."""
        self.execute("COMMIT")
        self._within = False
        self._others = self._now

    def undo(self) -> None:
        """Ends the transaction, if it is still open, with nothing of it kept."""
        self._within = False
        self._others = None
        self.epoch = next(_EPOCHS)
        if self.in_transaction:
            self.execute("ROLLBACK")

    def undo_to(self, savepoint: str) -> None:
        """Undoes what was done since a savepoint, which stays."""
        self.epoch = next(_EPOCHS)
        self.execute(f"ROLLBACK TO {savepoint}")

    @contextmanager
    def nested(self) -> Iterator[None]:
        """See `Writing`."""
        self.execute("SAVEPOINT part")
        try:
            yield
        except BaseException:
            if self.in_transaction:
                self.undo_to("part")
                self.execute("RELEASE part")
            raise
        self.execute("RELEASE part")


def is_busy(error: BaseException) -> bool:
    """Whether another program holds the lock that was wanted."""
    return getattr(error, "sqlite_errorcode", 0) & 0xFF in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED)


def make_engine(path: Path, *, writing: bool = False) -> Engine:
    """An engine whose connections are durable (WAL, synchronous=FULL) and keep foreign keys.

    The driver is left in autocommit: storage begins and commits by itself, since the driver's own
    transactions would begin too late to guard what was read first.
    """
    kind = WritingConnection if writing else Connection
    engine = create_engine(f"sqlite:///{path}", connect_args={"check_same_thread": False, "factory": kind})

    def prepare(connection: Any, _: Any) -> None:
        connection.isolation_level = None
        cursor = connection.cursor()
        cursor.execute(f"PRAGMA busy_timeout={_BUSY_TIMEOUT}")
        cursor.execute("PRAGMA journal_mode=WAL")
        cursor.execute("PRAGMA synchronous=FULL")
        cursor.execute("PRAGMA foreign_keys=ON")
        # What is erased is gone from the file: SQLite writes zeros over it.
        cursor.execute("PRAGMA secure_delete=ON")
        cursor.execute(f"PRAGMA wal_autocheckpoint={_CHECKPOINT_PAGES}")
        cursor.close()
        connection.create_function(CALL, -1, evaluated, deterministic=True)

    event.listen(engine, "connect", prepare)
    return engine


def driver_connection(engine: Engine) -> Connection:
    """A driver connection taken out of the pool for good: its holder closes it."""
    pooled = engine.raw_connection()
    connection = pooled.driver_connection
    pooled.detach()
    if not isinstance(connection, Connection):
        raise TypeError("The engine is not SQLite's.")
    return connection


def driver_of(connection: SqlConnection) -> Connection:
    """The driver's connection beneath SQLAlchemy's, which keeps it."""
    found = connection.connection.driver_connection
    if not isinstance(found, Connection):
        raise TypeError("The engine is not SQLite's.")
    return found


def number(connection: SqlConnection, value: int) -> None:
    """Notes in the file's head which definitions the database is under: the cheapest place to read."""
    connection.exec_driver_sql(f"PRAGMA user_version={value}")


def number_of(connection: Connection) -> int:
    """The number of the definitions that the database is under."""
    return int(connection.execute("PRAGMA user_version").fetchone()[0])


def writing_connection(engine: Engine) -> WritingConnection:
    """The same for the one that writes. It does not wait for locks itself: the writer does."""
    connection = driver_connection(engine)
    if not isinstance(connection, WritingConnection):
        raise TypeError("The engine was not made for writing.")
    connection.execute("PRAGMA busy_timeout=0")
    return connection


def _either_case(letter: str) -> str:
    if letter.isascii():
        return f"[{letter}]" if letter in "*?[" else letter.lower()
    forms = {one for one in (letter, letter.lower(), letter.upper()) if len(one) == 1}
    return f"[{''.join(sorted(forms))}]"


class SqliteEngine:
    """`Engine` of the statements."""

    dialect: Dialect = sqlite_dialect.dialect()
    errors: tuple[type[Exception], ...] = (sqlite3.Error,)

    def translated(self, error: Exception) -> Exception:
        """See `Engine`."""
        return translated(error)

    def place(self, column: ColumnElement[str], text: ColumnElement[str]) -> ColumnElement[int]:
        """See `Engine`."""
        return func.instr(column, text, type_=Integer())

    def holds_word(self, column: ColumnElement[str], word: BindParameter[str]) -> ColumnElement[bool]:
        """See `Engine`.

        SQLite's own LIKE knows the case of ASCII letters alone; GLOB takes sets of characters, so that each
        other letter can be searched for in both cases, at the speed of C.
        """
        return func.lower(column).op("GLOB", is_comparison=True)(word)

    def word_pattern(self, word: str) -> str:
        """See `Engine`."""
        return f"*{''.join(map(_either_case, word))}*"

    def numbering(self, insert: Insert, column: Column[int]) -> Executable:
        """See `Engine`. The driver tells it without being asked, which costs less than RETURNING."""
        return insert.inline()

    def number_in(self, cursor: sqlite3.Cursor) -> int:
        """See `Engine`."""
        return cursor.lastrowid or 0

    def append_only(self, table: str) -> Iterable[str]:
        """See `Engine`."""
        return guards(table).values()


#: The one there is.
ENGINE = SqliteEngine()


def guards(table: str) -> dict[str, str]:
    """The triggers, by their names, that refuse to change or remove what a history table holds.

    What is in an archive may go.
    """
    archived = "WHEN NOT EXISTS (SELECT 1 FROM fenland_archives WHERE last >= OLD.sequence) "
    named = {f"{table}_no_update": ("UPDATE", ""), f"{table}_no_delete": ("DELETE", archived)}
    return {
        name: f"CREATE TRIGGER {name} BEFORE {action} ON {table} "
        f"{unless}BEGIN SELECT RAISE(ABORT, '{table} is append-only'); END"
        for name, (action, unless) in named.items()
    }


def translated(error: Exception) -> Exception:
    """The error in the words of the door and the core, or itself when it is a defect of ours."""
    if isinstance(error, MemoryError):
        return Unavailable(
            "The service has too little memory for this now. Nothing was saved; send it again."
        )
    if isinstance(error, TransactionLost):
        return Unavailable("The database rolled the change back. Nothing was saved; send it again.")
    code = getattr(error, "sqlite_errorcode", 0)
    found = _UNIQUE.match(str(error))
    if found:
        return ValueTaken(found[1].split(", ")[0].partition(".")[2])
    if code == sqlite3.SQLITE_CONSTRAINT_FOREIGNKEY:
        return ReferenceBroken(str(error))
    if code in _FULL:
        return StorageFull("The disk is full, so nothing was saved. Make room, then send it again.")
    primary = code & 0xFF
    if primary in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
        return Unavailable("The database is busy. Send the request again in a moment.")
    if primary in (sqlite3.SQLITE_IOERR, sqlite3.SQLITE_CANTOPEN, sqlite3.SQLITE_READONLY):
        return Unavailable(f"The database cannot be reached: {error}. Nothing was saved.")
    return error


def quoted(path: Path) -> str:
    """A path as a URI of SQLite's takes it."""
    return str(path.resolve()).replace("%", "%25").replace("?", "%3f").replace("#", "%23")


def checkpoint(path: Path) -> None:
    """Moves the write-ahead log into the database file; see the door."""
    engine = make_engine(path)
    with suppress(DBAPIError), engine.connect() as connection:
        connection.exec_driver_sql(CHECKPOINT)
    engine.dispose()
