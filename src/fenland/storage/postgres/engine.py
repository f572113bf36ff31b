"""What only PostgreSQL does: how a connection is set up, what its errors mean, its triggers, its search."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from typing import Any

import psycopg
from psycopg import errors
from psycopg.types.string import TextLoader
from sqlalchemy import (
    BindParameter,
    Column,
    ColumnElement,
    Dialect,
    Executable,
    Insert,
    Integer,
    Text,
    create_engine,
    func,
    type_coerce,
)

from fenland.core.problems import StorageFull, Unavailable
from fenland.storage.shared.values import ReferenceBroken, ValueTaken

#: From the detail of a unique violation: "Key (email)=(x) already exists."
_TAKEN = re.compile(r"Key \((\w+)")


class PostgresConnection(psycopg.Connection[Any]):
    """A connection: `Reading`, and within a transaction `Writing`."""

    @contextmanager
    def nested(self) -> Iterator[None]:
        """See `Writing`."""
        self.execute("SAVEPOINT part")
        try:
            yield
        except BaseException:
            self.execute("ROLLBACK TO SAVEPOINT part")
            self.execute("RELEASE SAVEPOINT part")
            raise
        self.execute("RELEASE SAVEPOINT part")


def connect(address: str) -> PostgresConnection:
    """A connection that begins no transaction by itself, with moments in UTC and JSON as its text."""
    connection = PostgresConnection.connect(address, autocommit=True, options="-c timezone=UTC")
    for kind in ("json", "jsonb"):
        connection.adapters.register_loader(kind, TextLoader)
    return connection


def make_engine(address: str) -> Any:
    """SQLAlchemy's engine for the making of tables."""
    return create_engine("postgresql+psycopg://", creator=lambda: psycopg.connect(address))


class PostgresEngine:
    """`Engine` of the statements."""

    errors: tuple[type[Exception], ...] = (psycopg.Error,)
    #: With parameters by their place, as statements are run.
    dialect: Dialect = create_engine("postgresql+psycopg://", paramstyle="format").dialect

    def translated(self, error: Exception) -> Exception:
        """See `Engine`."""
        return translated(error)

    def place(self, column: ColumnElement[str], text: ColumnElement[str]) -> ColumnElement[int]:
        """See `Engine`."""
        return func.strpos(column, text, type_=Integer())

    def holds_word(self, column: ColumnElement[str], word: BindParameter[str]) -> ColumnElement[bool]:
        """See `Engine`."""
        # Compared as people read, by ICU's rules, and not as it is kept, by the numbers of its characters.
        return type_coerce(column, Text()).collate("und-x-icu").ilike(word, escape="\\")

    def word_pattern(self, word: str) -> str:
        """See `Engine`."""
        escaped = re.sub(r"([\\%_])", r"\\\1", word)
        return f"%{escaped}%"

    def numbering(self, insert: Insert, column: Column[int]) -> Executable:
        """See `Engine`."""
        return insert.returning(column)

    def number_in(self, cursor: psycopg.Cursor[Any]) -> int:
        """See `Engine`."""
        return int(cursor.fetchall()[0][0])

    def append_only(self, table: str) -> Iterable[str]:
        """See `Engine`."""
        refusal = f"{table}_is_append_only"
        # What is in an archive may go.
        archived = "TG_OP = 'DELETE' AND EXISTS (SELECT 1 FROM fenland_archives WHERE last >= OLD.sequence)"
        yield (
            f"CREATE FUNCTION {refusal}() RETURNS trigger LANGUAGE plpgsql AS "
            f"$$ BEGIN IF {archived} THEN RETURN OLD; END IF; "
            f"RAISE EXCEPTION '{table} is append-only'; END $$"
        )
        yield (
            f"CREATE TRIGGER {table}_no_change BEFORE UPDATE OR DELETE ON {table} "
            f"FOR EACH ROW EXECUTE FUNCTION {refusal}()"
        )


#: The one there is.
ENGINE = PostgresEngine()


def translated(error: Exception) -> Exception:
    """The error in the words of the door and the core, or itself when it is a defect of ours."""
    if isinstance(error, errors.UniqueViolation):
        found = _TAKEN.search(error.diag.message_detail or "")
        return ValueTaken(found[1]) if found else error
    if isinstance(error, errors.ForeignKeyViolation):
        return ReferenceBroken(str(error))
    if isinstance(error, errors.DiskFull):
        return StorageFull("The disk is full, so nothing was saved. Make room, then send it again.")
    if isinstance(error, psycopg.OperationalError):
        return Unavailable(f"The database cannot be reached: {error}. Nothing was saved.")
    return error
