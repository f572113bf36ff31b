"""Statements built and compiled with SQLAlchemy once and run as text on the driver's own connection.

Compiling and SQLAlchemy's result objects cost more than SQLite's own work; the compiled text with its
parameters in order costs neither. What converts values is taken from the types of the columns, also once.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from operator import itemgetter
from typing import Any, Protocol

from sqlalchemy import BindParameter, Column, ColumnElement, Dialect, Executable, Insert, Table, bindparam
from sqlalchemy.sql.elements import ClauseElement

from fenland.storage.shared.column_types import Conversion, from_column, to_column
from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.turn import WouldHoldUp, in_a_hurry

#: Characters that a row, or rows together, may hold where they are read by who may wait for nobody: to make
#: values of them, and answers of those, takes some milliseconds.
_MOST_OF_ONE, _MOST_OF_ALL = 50_000, 200_000


def parameters_of(table: Table, names: Iterable[str]) -> dict[str, BindParameter[Any]]:
    """Parameters for the values that columns are given, each called `v_` and the column's name."""
    return {name: bindparam(f"v_{name}", type_=table.c[name].type) for name in names}


class Engine(Protocol):
    """What each database engine does its own way."""

    dialect: Dialect
    #: What its driver raises.
    errors: tuple[type[Exception], ...]

    def __hash__(self) -> int:
        """One for each kind: what is made for it is made once."""

    def translated(self, error: Exception) -> Exception:
        """The error in the words of the door and the core, or itself when it is a defect of ours."""

    def place(self, column: ColumnElement[str], text: ColumnElement[str]) -> ColumnElement[int]:
        """Where a text begins in another one, counted from 1; 0 where it does not."""

    def holds_word(self, column: ColumnElement[str], word: BindParameter[str]) -> ColumnElement[bool]:
        """Whether a text holds a word, given as `word_pattern` makes it, in upper or lower case."""

    def word_pattern(self, word: str) -> str:
        """The pattern that finds a word within a text."""

    def numbering(self, insert: Insert, column: Column[int]) -> Executable:
        """The insert, made to tell the number that the engine gives the new row in this column."""

    def number_in(self, cursor: Any) -> int:
        """That number, once the insert has run."""

    def append_only(self, table: str) -> Iterable[str]:
        """The statements that have a table refuse to change or lose rows, but for those in an archive."""


class Prepared:
    """A statement's text, the order of its parameters, and what converts values on their way in and out.

    It is compiled when it is first used: most statements are for requests that seldom come, and compiling
    all of them would take most of the time in which a command or a service starts.
    """

    text: str
    #: The names of its parameters.
    order: tuple[str, ...]
    #: What converts the columns of a row, by their places; for readers of rows to apply.
    conversions: dict[int, Conversion]
    _conversions: tuple[tuple[int, Conversion], ...]
    _fixed: dict[str, Any]
    _picked: Callable[[Mapping[str, Any]], Any] | None

    def __init__(self, statement: Executable | Callable[[], Executable], engine: Engine) -> None:
        """A large statement can be given as what builds it."""
        self._statement, self._dialect = statement, engine.dialect
        self._errors, self._translated, self._number_in = engine.errors, engine.translated, engine.number_in

    def __getattr__(self, name: str) -> Any:
        # Reached only for what is not there yet. Two threads that come here at once do the same twice.
        if name not in Prepared.__annotations__:
            raise AttributeError(name)
        self._compile()
        return self.__dict__[name]

    def _compile(self) -> None:
        dialect = self._dialect
        statement = self._statement if isinstance(self._statement, Executable) else self._statement()
        if not isinstance(statement, ClauseElement):
            raise TypeError("Only statements can be prepared.")
        compiled: Any = statement.compile(dialect=dialect)
        # None when a statement has no parameters.
        order = tuple(compiled.positiontup or ())
        conversions = {name: to_column(bound.type, dialect) for bound, name in compiled.bind_names.items()}
        columns = getattr(statement, "selected_columns", ())
        converted = ((place, from_column(one.type, dialect)) for place, one in enumerate(columns))
        self.conversions = {place: convert for place, convert in converted if convert is not None}
        self._conversions = tuple(
            (place, convert) for place, name in enumerate(order) if (convert := conversions[name]) is not None
        )
        self._fixed = {name: value for name, value in compiled.params.items() if value is not None}
        # For the usual case, all given and more than one, which itemgetter makes a tuple of.
        self._picked = itemgetter(*order) if len(order) > 1 else None
        self.order = order
        self.text = str(compiled)

    def values(self, given: Mapping[str, Any]) -> Sequence[Any]:
        """Parameters by name, as `converted_in` gives them."""
        if self._fixed:
            given = {**self._fixed, **given}
        if self._picked is not None:
            return self.converted_in(self._picked(given))
        return self.converted_in([given[name] for name in self.order])

    def converted_in(self, picked: Sequence[Any]) -> Sequence[Any]:
        """Parameters in the order of the text, as the columns hold them."""
        if not self._conversions:
            return picked
        values = list(picked)
        for place, convert in self._conversions:
            if (value := values[place]) is not None:
                values[place] = convert(value)
        return values

    def one(self, reading: Reading, given: Mapping[str, Any]) -> Any:
        """The first row, or None. Raises `WouldHoldUp`."""
        row = reading.execute(self.text, self.values(given)).fetchone()
        if row is not None and in_a_hurry():
            _hold_up_nobody([row], _MOST_OF_ONE)
        return row

    def all(self, reading: Reading, given: Mapping[str, Any]) -> list[Any]:
        """Every row. Raises `WouldHoldUp`."""
        found: list[Any] = reading.execute(self.text, self.values(given)).fetchall()
        if in_a_hurry():
            _hold_up_nobody(found, _MOST_OF_ALL)
        return found

    def some(
        self, reading: Reading, given: Mapping[str, Any], characters: int, places: Sequence[int] | None = None
    ) -> tuple[list[Any], bool]:
        """Rows until they hold so many characters, one at least; and whether there were more.

        `places` are those of the columns whose values may be long, where not all are counted. Raises
        `WouldHoldUp`.
        """
        rows: list[Any] = []
        hurried = in_a_hurry()
        characters = min(characters, _MOST_OF_ALL) if hurried else characters
        cursor = reading.execute(self.text, self.values(given))
        for row in cursor:
            values = row if places is None else [row[place] for place in places]
            characters -= sum([len(value) for value in values if isinstance(value, str)])
            if characters < 0 and (rows or hurried):
                cursor.close()
                if hurried:
                    raise WouldHoldUp
                return rows, True
            rows.append(row)
        return rows, False

    def run(self, writing: Writing, given: Mapping[str, Any]) -> int:
        """Runs a change and returns how many rows it touched. Raises in the words of the door."""
        try:
            touched: int = writing.execute(self.text, self.values(given)).rowcount
        except self._errors as error:
            raise self._translated(error) from error
        return touched

    def added(self, writing: Writing, picked: Sequence[Any]) -> int:
        """Runs an insert made by `numbering`, its parameters in order; gives the number of the new row."""
        try:
            return self._number_in(writing.execute(self.text, self.converted_in(picked)))
        except self._errors as error:
            raise self._translated(error) from error

    def converted(self, row: Sequence[Any]) -> list[Any]:
        """A row's values, converted."""
        values = list(row)
        for place, convert in self.conversions.items():
            if (value := values[place]) is not None:
                values[place] = convert(value)
        return values


def _hold_up_nobody(rows: Sequence[Any], most: int) -> None:
    """Raises `WouldHoldUp` where rows hold more characters."""
    if sum([len(value) for row in rows for value in row if isinstance(value, str)]) > most:
        raise WouldHoldUp
