"""One database: opened, checked against the definitions, and handed out as statements and a writer."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any, TypeVar

from sqlalchemy import Engine, Table, inspect, select
from sqlalchemy.exc import DBAPIError
from sqlalchemy.schema import CreateIndex, CreateTable

from fenland.core.definitions import Definitions
from fenland.storage import sqlite
from fenland.storage.accounts import Accounts
from fenland.storage.codec import json_text
from fenland.storage.history import History
from fenland.storage.known import KnownTokens, Mark
from fenland.storage.outcomes import Outcomes
from fenland.storage.records import Records
from fenland.storage.tables import LAYOUT, Tables
from fenland.storage.turn import Turn
from fenland.storage.writer import Writer

Result = TypeVar("Result")


class DatabaseRefused(Exception):
    """The database cannot be used as it is: the message says why and what to do."""


class _Reading:
    """A reading connection, lent for the body of a with statement."""

    __slots__ = ("_connection", "_engine", "_idle")

    def __init__(self, engine: Engine, idle: deque[sqlite.Connection]) -> None:
        self._engine = engine
        self._idle = idle

    def __enter__(self) -> sqlite.Connection:
        # Not one a thread: servers end idle threads and start others, and theirs would be lost.
        try:
            self._connection = self._idle.pop()
        except IndexError:
            self._connection = sqlite.driver_connection(self._engine)
        return self._connection

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        self._idle.append(self._connection)
        if isinstance(error, sqlite.Error):
            raise sqlite.translated(error) from error


class Database:
    """The open database of a project.

    Readers take a connection each, from those that are idle; one writer writes.
    """

    def __init__(self, engine: Engine, path: Path, definitions: Definitions, tables: Tables) -> None:
        dialect = engine.dialect
        self._engine = engine
        self._idle: deque[sqlite.Connection] = deque()
        self.records = {
            name: Records(one, tables.records[name], dialect) for name, one in definitions.collections.items()
        }
        self.history = History(tables.history, dialect)
        self.outcomes = Outcomes(tables.outcomes, dialect)
        self.accounts = Accounts(tables.accounts, tables.tokens, dialect)
        self.turn = Turn()
        lock_path = path.with_name(path.name + ".lock")
        self._mark = Mark(lock_path)
        self.known_tokens = KnownTokens(self._mark)
        self._writer = Writer(sqlite.driver_connection(engine), lock_path, self.turn)

    def reading(self) -> _Reading:
        """A reading connection for the body. Each statement sees what is committed when it starts."""
        return _Reading(self._engine, self._idle)

    @contextmanager
    def snapshot(self) -> Iterator[sqlite.Connection]:
        """A reading connection that sees one moment of the database throughout."""
        with self.reading() as connection:
            connection.execute("BEGIN")
            try:
                yield connection
            finally:
                connection.execute("COMMIT")

    def write(self, work: Callable[[sqlite.Connection], Result]) -> Result:
        """Runs `work` in one durable transaction; see `Writer.run`."""
        result: Result = self._writer.run(work)
        return result

    def change_accounts(self, work: Callable[[sqlite.Connection], Result]) -> Result:
        """The same for a change of accounts or tokens, which every process then heeds at once."""
        with self.known_tokens.changing():
            return self.write(work)

    def close(self) -> None:
        """Closes every connection."""
        self._writer.close()
        self._mark.close()
        while self._idle:
            self._idle.pop().close()
        self._engine.dispose()


def open_database(path: Path, definitions: Definitions) -> Database:
    """Opens the database at `path`, creating the file and the tables that are not there yet.

    Raises `DatabaseRefused` when the file cannot be read or written, is of a newer layout, or holds
    tables that differ from the definitions.
    """
    tables = Tables(definitions)
    sqlite.append_only(tables.history)
    engine = sqlite.make_engine(path)
    try:
        _prepare(engine, tables)
        return Database(engine, path, definitions, tables)
    except DBAPIError as error:
        raise DatabaseRefused(
            f"The database {path} cannot be opened: {error.orig}. "
            "Check that the folder exists, may be written and holds a database of this service."
        ) from None
    except OSError as error:
        raise DatabaseRefused(f"The folder of {path} cannot be written: {error.strerror}.") from None


def _shape(table: Table) -> list[list[Any]]:
    """What a later start compares: each column's name, type, need, uniqueness and reference."""
    return [
        [
            column.name,
            str(column.type),
            not column.nullable,
            bool(column.unique),
            *(str(key.target_fullname) for key in column.foreign_keys),
        ]
        for column in table.columns
    ]


def _prepare(engine: Engine, tables: Tables) -> None:
    with engine.connect() as connection:
        connection.exec_driver_sql("BEGIN IMMEDIATE")
        present = set(inspect(connection).get_table_names())
        meta = tables.meta
        if meta.name in present:
            known = {row.name: row.value for row in connection.execute(select(meta))}
            _check_layout(known.get("layout"))
        else:
            known = {}
            _create(connection, meta)
        for table in tables.metadata.tables.values():
            if table is meta:
                continue
            mark = f"table {table.name}"
            if table.name not in present:
                _create(connection, table)
                known_shape = None
            else:
                known_shape = known.get(mark)
                _check_shape(table, known_shape)
            if known_shape is None:
                connection.execute(meta.insert().values(name=mark, value=_shape(table)))
        if "layout" not in known:
            connection.execute(meta.insert().values(name="layout", value=LAYOUT))
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


def _check_shape(table: Table, known: Any) -> None:
    wanted = _shape(table)
    if known is None:
        raise DatabaseRefused(
            f"The database already holds a table {table.name!r} that this service did not make. "
            "Rename the collection, or point to another database."
        )
    if json_text(known) == json_text(wanted):
        return
    old = {column[0]: column for column in known}
    new = {column[0]: column for column in wanted}
    changes = [
        *(f"field {name} is new" for name in new.keys() - old.keys()),
        *(f"field {name} is gone" for name in old.keys() - new.keys()),
        *(f"field {name} is kept differently" for name in new.keys() & old.keys() if new[name] != old[name]),
    ]
    raise DatabaseRefused(
        f"The definition of {table.name} no longer fits its table: "
        f"{'; '.join(sorted(changes)) or 'its fields moved'}. "
        "Restore the definition, or start with a new database file."
    )
