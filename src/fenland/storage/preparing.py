"""Opening a database: the tables that are there must fit, and what is not there yet is made."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import Connection, Table, inspect, select
from sqlalchemy.schema import AddConstraint, CreateIndex, CreateTable

from fenland.storage.protocols import DatabaseRefused
from fenland.storage.shapes import bring_over, mark_of, misfits_of, shape_of
from fenland.storage.tables import LAYOUT, Tables


def prepare(connection: Connection, tables: Tables) -> None:
    """Sees that the tables that are present fit, and makes the others; all within the caller's transaction.

    Raises `DatabaseRefused`.
    """
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
    new = [table for table in made if table.name not in present]
    for table in made:
        if table.name in present:
            for index in table.indexes:
                connection.execute(CreateIndex(index, if_not_exists=True))
        else:
            _create(connection, table)
            connection.execute(meta.insert().values(name=mark_of(table.name), value=shape_of(table)))
    _refer(connection, new)


def _create(connection: Connection, table: Table) -> None:
    # One by one, in place of create_all: references may go in circles. SQLite looks at where they lead only
    # when rows come; other engines get them once all tables are there.
    later = connection.dialect.supports_alter
    connection.execute(CreateTable(table, include_foreign_key_constraints=[] if later else None))
    for index in sorted(table.indexes, key=lambda one: str(one.name)):
        connection.execute(CreateIndex(index))
    table.dispatch.after_create(table, connection, checkfirst=False, _ddl_runner=None, tables=[table])


def _refer(connection: Connection, tables: Sequence[Table]) -> None:
    if connection.dialect.supports_alter:
        for table in tables:
            for reference in sorted(table.foreign_key_constraints, key=lambda one: str(one.column_keys)):
                connection.execute(AddConstraint(reference))


def _check_layout(layout: Any) -> None:
    if not isinstance(layout, int) or layout > LAYOUT:
        raise DatabaseRefused(
            f"The database was written by a newer version (layout {layout}; this one reads up to "
            f"{LAYOUT}). Install the newer version, or point to another database."
        )
