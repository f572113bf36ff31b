"""Statements built with SQLAlchemy once and run as text on the driver's own connection.

Compiling and SQLAlchemy's result objects cost more than SQLite's own work; the compiled text with
its parameters in order costs neither.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from operator import itemgetter
from typing import Any

from sqlalchemy import Dialect, Executable
from sqlalchemy.sql.elements import ClauseElement

from fenland.storage.sqlite import Connection


class Prepared:
    """A statement's text and the order of its named parameters."""

    def __init__(self, statement: Executable, dialect: Dialect) -> None:
        if not isinstance(statement, ClauseElement):
            raise TypeError("Only statements can be prepared.")
        compiled = statement.compile(dialect=dialect)
        self.text = str(compiled)
        # `positiontup` is only on SQL compilers, and None when a statement has no parameters.
        self.order: tuple[str, ...] = tuple(getattr(compiled, "positiontup", None) or ())
        self.fixed: dict[str, Any] = {
            name: value for name, value in compiled.params.items() if value is not None
        }

        # For the usual case, all given and more than one, which itemgetter makes a tuple of.
        self._picked = itemgetter(*self.order) if len(self.order) > 1 and not self.fixed else None

    def values(self, given: Mapping[str, Any]) -> Sequence[Any]:
        """Parameters in the order of the text."""
        if self._picked is not None:
            picked: tuple[Any, ...] = self._picked(given)
            return picked
        fixed = self.fixed
        return [given[name] if name in given else fixed[name] for name in self.order]

    def one(self, connection: Connection, given: Mapping[str, Any]) -> Any:
        """The first row, or None."""
        return connection.execute(self.text, self.values(given)).fetchone()

    def all(self, connection: Connection, given: Mapping[str, Any]) -> list[Any]:
        """Every row."""
        return connection.execute(self.text, self.values(given)).fetchall()

    def some(
        self, connection: Connection, given: Mapping[str, Any], characters: int
    ) -> tuple[list[Any], bool]:
        """Rows until they hold so many characters, one at least; and whether there were more."""
        rows: list[Any] = []
        cursor = connection.execute(self.text, self.values(given))
        for row in cursor:
            characters -= sum(len(value) for value in row if isinstance(value, str))
            if characters < 0 and rows:
                cursor.close()
                return rows, True
            rows.append(row)
        return rows, False

    def run(self, connection: Connection, given: Mapping[str, Any]) -> int:
        """Runs a change and returns how many rows it touched."""
        return connection.execute(self.text, self.values(given)).rowcount

    def added(self, connection: Connection, given: Mapping[str, Any]) -> int:
        """Runs an insert and returns the integer key of the new row."""
        return connection.execute(self.text, self.values(given)).lastrowid or 0
