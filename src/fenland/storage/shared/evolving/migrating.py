"""Migrating: a comparison of definitions carried out on tables, with Alembic's operations.

The same operations run on a connection, or write the SQL that they are. Where a table must be made anew, its
rows are put into one that is exactly as a new database would have it: under a name of its own at first, since
the older one is read meanwhile. Values that are converted or filled pass through `fenland_moved`, a function
of `core/evolving/moving.py` that SQL calls.
"""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from sqlalchemy import (
    Column,
    ColumnElement,
    Connection,
    Dialect,
    ForeignKey,
    Index,
    Table,
    column,
    func,
    insert,
    literal,
    null,
    select,
    table,
)
from sqlalchemy.types import NullType

from fenland.core.definitions.model import place_of
from fenland.core.definitions.validation import REFUSED
from fenland.core.evolving.comparing import Comparison, Succession
from fenland.core.evolving.moving import FieldMover, Mover
from fenland.core.reserved import RESERVED
from fenland.storage.shared.column_types import Conversion, from_column, to_column
from fenland.storage.shared.tables import OWN, Tables

if TYPE_CHECKING:
    # Loaded where it is used: it takes a quarter of the time in which a command or a worker begins.
    from alembic.operations import Operations

#: The function that SQL calls for a value that is not carried over as it is.
MOVED = "fenland_moved"
#: How a table is called until it takes the place of the older one.
_NEXT = f"{OWN}next_"


class Misfit(Exception):
    """A value that was seen to fit does not: a defect, or somebody wrote past the lock."""


@dataclass(slots=True)
class Moved:
    """What `fenland_moved` gives: the value of a field, by its place and what it asks of the older row."""

    dialect: Dialect
    _fields: dict[str, tuple[list[tuple[str, Conversion | None]], FieldMover, Conversion | None]] = field(
        default_factory=dict
    )

    def add(self, place: str, mover: FieldMover, old: Table, new: Table) -> None:
        """Makes a field known."""
        asked = [(name, from_column(old.c[name].type, self.dialect)) for name in mover.asks]
        self._fields[place] = (asked, mover, to_column(new.c[mover.field.name].type, self.dialect))

    def __call__(self, place: str, *row: Any) -> Any:
        """The value as its column holds it. Raises `Misfit`."""
        asked, mover, to = self._fields[place]
        older = {
            name: raw if raw is None or convert is None else convert(raw)
            for (name, convert), raw in zip(asked, row, strict=True)
        }
        value = mover.value(older)
        if value is REFUSED or (value is None and mover.field.filled and not mover.later):
            raise Misfit(place)
        return value if value is None or to is None else to(value)


def operations_on(connection: Connection) -> Operations:
    """Operations that are run."""
    from alembic.migration import MigrationContext
    from alembic.operations import Operations

    return Operations(MigrationContext.configure(connection))


def sql_of(dialect: Dialect, work: Callable[[Operations], None]) -> str:
    """The SQL that operations are."""
    from alembic.migration import MigrationContext
    from alembic.operations import Operations

    text = io.StringIO()
    options = {"as_sql": True, "output_buffer": text, "literal_binds": True}
    work(Operations(MigrationContext.configure(dialect=dialect, opts=options)))
    return text.getvalue().strip() + "\n" if text.getvalue().strip() else ""


@dataclass(frozen=True, slots=True)
class Remaking:
    """One table that is made anew: what it was, what it will be, and how its rows come to be."""

    succession: Succession
    old: Table
    new: Table
    mover: Mover


def remakings_of(comparison: Comparison, old: Tables, new: Tables) -> list[Remaking]:
    """The tables that a comparison makes anew."""
    return [
        Remaking(one, old.records[one.old.name], new.records[one.new.name], Mover(one))
        for one in comparison.kept
        if one.remade
    ]


def moved_by(remakings: Sequence[Remaking], dialect: Dialect) -> Moved:
    """What `fenland_moved` gives for these."""
    moved = Moved(dialect)
    for one in remakings:
        for mover in one.mover.fields.values():
            if not mover.plain:
                moved.add(place_of(one.succession.new, mover.field), mover, one.old, one.new)
    return moved


def carry_out(
    operations: Operations,
    comparison: Comparison,
    old: Tables,
    new: Tables,
    done: Callable[[], None] = lambda: None,
) -> None:
    """Makes the tables of older definitions those of newer ones; calls `done` after each that has rows."""
    remakings = remakings_of(comparison, old, new)
    for added in comparison.added:
        _create(operations, new.records[added.name], added.name)
        _index(operations, new.records[added.name], new.records[added.name].indexes)
    for one in comparison.kept:
        if not one.remade:
            _adjust(operations, one, old.records[one.old.name], new.records[one.new.name])
    for remaking in remakings:
        _create(operations, remaking.new, _NEXT + remaking.new.name)
        operations.execute(_filling(remaking))
        done()
    for remaking in remakings:
        operations.drop_table(remaking.old.name)
    for gone in comparison.gone:
        operations.drop_table(gone.name)
    for remaking in remakings:
        operations.rename_table(_NEXT + remaking.new.name, remaking.new.name)
        _index(operations, remaking.new, remaking.new.indexes)


def _create(operations: Operations, table: Table, name: str) -> None:
    operations.create_table(name, *map(_alone, table.columns))


def _index(operations: Operations, table: Table, indexes: Iterable[Index]) -> None:
    for index in sorted(indexes, key=lambda one: str(one.name)):
        operations.create_index(str(index.name), table.name, [column.name for column in index.columns])


def _adjust(operations: Operations, one: Succession, old: Table, new: Table) -> None:
    """What needs no row to be moved: columns that may be empty, and indexes."""
    for move in one.moves:
        if move.source is None:
            operations.add_column(new.name, _alone(new.c[move.field.name]), inline_references=True)
    had, has = ({str(index.name): index for index in table.indexes} for table in (old, new))
    for name in sorted(had.keys() - has.keys()):
        operations.drop_index(name, old.name)
    _index(operations, new, (has[name] for name in has.keys() - had.keys()))


def _alone(column: Column[Any]) -> Column[Any]:
    """A column as it stands in a table of its own, with what it refers to."""
    keys = [
        ForeignKey(key.target_fullname, deferrable=key.deferrable, initially=key.initially)
        for key in column.foreign_keys
    ]
    return Column(
        column.name,
        column.type,
        *keys,
        primary_key=column.primary_key,
        nullable=column.nullable,
        unique=column.unique,
    )


def _filling(one: Remaking) -> Any:
    """The statement that puts the rows of the older table into the newer one."""
    names = [column.name for column in one.new.columns]
    target = table(_NEXT + one.new.name, *(column(name) for name in names))
    return insert(target).from_select(names, select(*_values(one)).order_by(one.old.c.id))


def _values(one: Remaking) -> Iterator[ColumnElement[Any]]:
    for name in RESERVED:
        yield one.old.c[name]
    for mover in one.mover.fields.values():
        if not mover.plain:
            place = place_of(one.succession.new, mover.field)
            asked = [one.old.c[name] for name in mover.asks]
            yield func.fenland_moved(literal(place), *asked, type_=NullType())
        else:
            yield null() if mover.source is None else one.old.c[mover.source]
