"""One SQLite database: opened, checked against the definitions, and handed out as what the door promises."""

from __future__ import annotations

import os
import time
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from datetime import datetime
from pathlib import Path
from types import TracebackType
from typing import TypeVar

from sqlalchemy import Engine, func, select
from sqlalchemy.exc import DBAPIError

from fenland.core.definitions.model import Definitions
from fenland.core.expressions.budget import current
from fenland.core.limits import Limits
from fenland.core.problems import Unavailable
from fenland.core.values.identity import timestamp
from fenland.storage.shared.accounts.counting import Counters
from fenland.storage.shared.evolving.preparing import Known, prepare
from fenland.storage.shared.inspector import Inspector
from fenland.storage.shared.protocols import Writing
from fenland.storage.shared.records.presence import Presence
from fenland.storage.shared.stores import Stores
from fenland.storage.shared.tables import Tables
from fenland.storage.shared.values import Admission, DatabaseRefused, Made
from fenland.storage.sqlite import engine as sqlite
from fenland.storage.sqlite.known import LONGEST, KnownTokens, Mark, SharedGrowth
from fenland.storage.sqlite.patience import STEPS, LongReads, Watch
from fenland.storage.sqlite.writer import Ends, Shared, Waiting, Writer

Result = TypeVar("Result")

_OTHER_DEFINITIONS = (
    "The database is under newer definitions than this process. Nothing was saved; restart the service."
)


#: How long to wait for readers that need the log, and between two tries.
_SCRUB_SECONDS, _SCRUB_PAUSE = 15.0, 0.05


class _Reading:
    """A reading connection, lent for the body of a with statement."""

    __slots__ = ("_account", "_database", "_lent")

    def __init__(self, database: SqliteDatabase, account: str | None) -> None:
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

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        connection, watch = self._lent
        watch.end()
        database, budget = self._database, current()
        database.idle.append(self._lent)
        if database.mark.number != database.last_moved:
            database.check_definitions(connection)
        if error is not None and watch.refusal is not None:
            raise Unavailable(watch.refusal) from None
        if isinstance(error, sqlite.Error) and budget is not None and budget.refusal is not None:
            # SQLite has an error of its own for what an expression raised within a statement.
            raise budget.refusal from None
        if isinstance(error, (sqlite.Error, MemoryError)):
            raise sqlite.translated(error) from error


class SqliteDatabase(Stores):
    """`Database` of the door. Readers take a connection each, from those that are idle; one writer writes."""

    def __init__(self, engine: Engine, path: Path, tables: Tables, limits: Limits, known: Known) -> None:
        super().__init__(tables, sqlite.ENGINE, limits, known)
        self._engine = engine
        self._path = path
        self._file = _file_at(path)
        self.idle: deque[tuple[sqlite.Connection, Watch]] = deque()
        self._long = LongReads(self.turn, per_account=limits.long_reads, seconds=limits.read_seconds)
        lock_path = path.with_name(path.name + ".lock")
        self.mark = Mark(lock_path)
        self.growth = SharedGrowth(self.mark)
        self.last_moved = known.last_moved
        self._known = KnownTokens(self.mark)
        self.counters = Counters(path.with_name(path.name + ".counts"))
        self.presence = Presence(path.with_name(path.name + ".present"))
        self.inspector = Inspector(path.with_name(path.name + ".requests"), known.number)
        self._writing = sqlite.make_engine(path, writing=True)
        self._writer = Writer(
            self._connect_writer,
            lock_path,
            Waiting(self.turn.aside, self.turn.rest),
            ends=Ends(self._check_before_writing, self._end_of_history, self._note_growth),
        )

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

    def _check_before_writing(self, connection: sqlite.WritingConnection) -> None:
        self.check_there()
        # Whoever puts it under other definitions writes.
        if not connection.continued:
            self._check_number(connection)

    def _end_of_history(self, connection: sqlite.WritingConnection) -> int | None:
        """Where it ends with what this transaction added; None where that is nothing for sure."""
        added = self.history.asked_since(connection.begun)
        return self.history.last(connection).sequence if added else None

    def _note_growth(self, end: int | None) -> None:
        if end is not None:
            self.growth.note(end)

    def _check_number(self, connection: sqlite.Connection) -> None:
        """Raises `Unavailable` when the database is under other definitions by now."""
        if sqlite.number_of(connection) != self.number:
            raise Unavailable(_OTHER_DEFINITIONS)

    def check_definitions(self, connection: sqlite.Connection) -> None:
        """Raises `Unavailable` when records were moved since: what was read may mean something else now.

        The mark is set before the commit, so it may speak of a migration that came to nothing.
        """
        text = "SELECT count(*) FROM fenland_definitions WHERE number > ? AND moved != '[]'"
        if connection.execute(text, [self.number]).fetchone()[0]:
            raise Unavailable(_OTHER_DEFINITIONS)

    def check(self) -> None:
        """See `Database`."""
        self.check_there()
        with self.reading() as connection:
            self._check_number(connection)

    def reading(self, account: str | None = None) -> _Reading:
        """See `Database`."""
        return _Reading(self, account)

    @contextmanager
    def snapshot(self, account: str | None = None) -> Iterator[sqlite.Connection]:
        """See `Database`."""
        with self.reading(account) as connection:
            connection.execute("BEGIN")
            try:
                yield connection
            finally:
                if connection.in_transaction:
                    connection.execute("COMMIT")

    def write(self, work: Callable[[Writing], Result]) -> Result:
        """See `Database`, and `Writer.run`."""
        result: Result = self._writer.run(work)
        return result

    def together(self) -> Shared:
        """See `Database`."""
        return self._writer.together()

    def change_accounts(self, work: Callable[[Writing], Result]) -> Result:
        """See `Database`."""
        with self._known.changing():
            return self.write(work)

    def accounts_stamp(self) -> bytes | None:
        """See `Database`."""
        return self.mark.read()

    def admitted(self, token: str, moment: datetime, *, used: bool = True) -> Admission | None:
        """See `Database`."""

        def look_up(digest: str) -> tuple[Admission, str] | None:
            return self._look_up(digest, moment)

        return self._known.admitted(token, timestamp(moment), look_up, used=used)

    def _look_up(self, digest: str, moment: datetime) -> tuple[Admission, str] | None:
        with self.reading() as reading:
            found = self.accounts.by_token(reading, digest, moment)
        if found is None:
            return None
        soon = timestamp(moment + LONGEST)
        return found, min(soon, found.token.expires_at or soon)

    def note_uses(self) -> None:
        """See `Database`."""
        uses, self._known.uses = self._known.uses, {}
        if uses:
            self.write(lambda writing: self.accounts.use(writing, uses))

    def scrub(self) -> None:
        """See `Database`. Removed bytes are overwritten as they go; the log may still hold them."""
        deadline = time.monotonic() + _SCRUB_SECONDS
        while True:
            with self.reading() as connection:
                busy = connection.execute(sqlite.CHECKPOINT).fetchone()[0]
            if not busy:
                return
            if time.monotonic() > deadline:
                raise Unavailable(
                    "It is erased, but a long read keeps it in the database's log. Ask for it again later."
                )
            time.sleep(_SCRUB_PAUSE)

    def close(self) -> None:
        """Closes every connection."""
        self._writer.close()
        self.mark.close()
        self.counters.close()
        self.presence.close()
        self.inspector.close()
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


def open_database(path: Path, definitions: Definitions, limits: Limits, made: Made) -> SqliteDatabase:
    """See `open_database` of the door."""
    tables = Tables(definitions)
    engine = sqlite.make_engine(path)
    try:
        _make_private(path)
        with engine.connect() as connection:
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            known = prepare(connection, tables, made, sqlite.ENGINE)
            if sqlite.number_of(sqlite.driver_of(connection)) != known.number:
                sqlite.number(connection, known.number)
            mark = Mark(path.with_name(path.name + ".lock"))
            # While no other can: a migration that comes after sets it anew.
            mark.number = known.last_moved
            mark.end = connection.scalar(select(func.coalesce(func.max(tables.history.c.sequence), 0))) or 0
            mark.close()
            connection.commit()
        return SqliteDatabase(engine, path, tables, limits, known)
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
