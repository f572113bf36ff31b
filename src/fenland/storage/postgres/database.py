"""One PostgreSQL database, as the door promises it; plain rather than fast.

One change at a time is made, whatever processes there are: an advisory lock keeps the order, as SQLite's one
writer does. Nothing is remembered of tokens, and nothing is made on the event loop.
"""

from __future__ import annotations

import tempfile
from collections import deque
from collections.abc import Callable, Iterator
from contextlib import AbstractContextManager, contextmanager
from datetime import UTC, datetime
from pathlib import Path
from typing import TypeVar

import psycopg

from fenland.core.definitions.model import Definitions
from fenland.core.limits import DEFAULTS, Limits
from fenland.core.values.identity import timestamp
from fenland.storage.postgres.engine import (
    ENGINE,
    PostgresConnection,
    connect,
    make_engine,
    translated,
)
from fenland.storage.shared.accounts.accounts import token_hash
from fenland.storage.shared.accounts.counting import Counters
from fenland.storage.shared.evolving.preparing import Known, prepare
from fenland.storage.shared.inspector import Inspector
from fenland.storage.shared.protocols import Together, Writing
from fenland.storage.shared.records.presence import Presence
from fenland.storage.shared.stores import Stores
from fenland.storage.shared.tables import Tables
from fenland.storage.shared.turn import WouldWait
from fenland.storage.shared.values import Admission, DatabaseRefused, Made

Result = TypeVar("Result")

#: The number of the advisory lock that whoever writes holds: any, so long as it is always the same.
_LOCK = 7_304_815


class PostgresDatabase(Stores):
    """`Database` of the door."""

    def __init__(self, address: str, tables: Tables, limits: Limits, known: Known) -> None:
        super().__init__(tables, ENGINE, limits, known)
        self._address = address
        self._idle: deque[PostgresConnection] = deque()
        self._uses: dict[str, str] = {}
        # The file needs no name once it is open: nothing of it is left when the processes that share it end.
        with tempfile.TemporaryDirectory() as folder:
            self.counters = Counters(Path(folder) / "counts")
            self.presence = Presence(Path(folder) / "present")
            self.inspector = Inspector(Path(folder) / "requests", known.number)

    @contextmanager
    def _lent(self) -> Iterator[PostgresConnection]:
        try:
            connection = self._idle.pop()
        except IndexError:
            connection = connect(self._address)
        try:
            yield connection
        except psycopg.Error as error:
            raise translated(error) from error
        finally:
            if connection.closed:
                connection.close()
            else:
                self._idle.append(connection)

    def check(self) -> None:
        """See `Database`."""
        with self.reading() as connection:
            connection.execute("SELECT 1")

    def reading(self, account: str | None = None) -> AbstractContextManager[PostgresConnection]:
        """See `Database`."""
        return self._lent()

    @contextmanager
    def snapshot(self, account: str | None = None) -> Iterator[PostgresConnection]:
        """See `Database`."""
        with self._lent() as connection:
            connection.execute("BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY")
            try:
                yield connection
            finally:
                connection.execute("ROLLBACK")

    def write(self, work: Callable[[Writing], Result]) -> Result:
        """See `Database`."""
        with self._lent() as connection:
            connection.execute("BEGIN")
            try:
                connection.execute("SELECT pg_advisory_xact_lock(%s)", (_LOCK,))
                result = work(connection)
                end = self.history.last(connection).sequence
                connection.execute("COMMIT")
            except BaseException:
                if not connection.closed:
                    connection.execute("ROLLBACK")
                raise
        self.growth.note(end)
        return result

    def change_accounts(self, work: Callable[[Writing], Result]) -> Result:
        """See `Database`."""
        return self.write(work)

    def accounts_stamp(self) -> bytes | None:
        """See `Database`."""
        return None

    def admitted(self, token: str, moment: datetime, *, used: bool = True) -> Admission | None:
        """See `Database`."""
        with self.reading() as connection:
            found = self.accounts.by_token(connection, token_hash(token), moment)
        if found is not None and used:
            self._uses[token_hash(token)] = timestamp(moment)
        return found

    def note_uses(self) -> None:
        """See `Database`."""
        uses, self._uses = self._uses, {}
        if uses:
            self.write(lambda writing: self.accounts.use(writing, uses))

    def together(self) -> Together:
        """See `Database`."""
        raise WouldWait

    def scrub(self) -> None:
        """See `Database`. What the server keeps of removed rows is its own affair, until it cleans up."""
        with self._lent() as connection:
            connection.execute("VACUUM")

    def close(self) -> None:
        """See `Database`."""
        while self._idle:
            self._idle.pop().close()


def open_postgres(address: str, definitions: Definitions, limits: Limits = DEFAULTS) -> PostgresDatabase:
    """The database at an address, as libpq takes it. See `open_database`."""
    tables = Tables(definitions)
    engine = make_engine(address)
    try:
        with engine.begin() as connection:
            known = prepare(connection, tables, Made(timestamp(datetime.now(UTC))), ENGINE)
    except psycopg.OperationalError as error:
        raise DatabaseRefused(f"The database cannot be opened: {error}") from None
    finally:
        engine.dispose()
    return PostgresDatabase(address, tables, limits, known)
