"""Opening a database: what is not there yet is made, and newer definitions are taken in where they are free.

All else is for `migrating.py`, which is asked for by name: opening a database moves no data and loses none.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import Connection, Table, inspect, select
from sqlalchemy.schema import AddConstraint, CreateIndex, CreateTable

from fenland.core.definitions.model import DefinitionMistakes, Definitions
from fenland.core.evolving.comparing import Comparison, compare
from fenland.core.values.plain import same, write_json
from fenland.storage.shared.evolving.definitions import Through, all_defined, define
from fenland.storage.shared.evolving.layouts import foreign
from fenland.storage.shared.evolving.migrating import carry_out, operations_on
from fenland.storage.shared.statements import Engine
from fenland.storage.shared.tables import LAYOUT, Tables, own_tables
from fenland.storage.shared.values import DatabaseRefused, Defined, Made

#: How a sentence about what stands in the way ends.
_ASK = "See what it would do with: fenland migrate --preview"


@dataclass(frozen=True, slots=True)
class Known:
    """The definitions that a database has had, oldest first."""

    defined: tuple[Defined, ...]
    #: What was taken in as it was opened, in sentences.
    taken: tuple[str, ...] = ()

    @property
    def number(self) -> int:
        """The number of those that it is under."""
        return self.defined[-1].number

    @property
    def moved(self) -> Mapping[str, int]:
        """By collection, the number of the last ones that moved its records."""
        return {name: one.number for one in self.defined for name in one.moved}

    @property
    def last_moved(self) -> int:
        """The number of the last ones that moved any."""
        return max(self.moved.values(), default=0)


def prepare(connection: Connection, tables: Tables, made: Made, engine: Engine) -> Known:
    """Sees that the tables fit, and makes what is missing; all within the caller's transaction.

    Raises `DatabaseRefused`.
    """
    layout = layout_of(connection, tables)
    if layout is None:
        make_all(connection, tables, engine)
        return Known((define(Through(connection, engine), tables, [], None, made),))
    if layout < LAYOUT:
        raise DatabaseRefused(
            f"The database is of an older version (layout {layout}; this one uses {LAYOUT}). "
            "Bring it over with: fenland migrate"
        )
    before = all_defined(connection, tables)
    comparison = compared(before, tables.project)
    if not comparison.steps:
        return Known(tuple(before))
    _refuse_unless_free(comparison, before, tables.project, made)
    old = Tables(before[-1].read())
    refuse_foreign(connection, comparison)
    carry_out(operations_on(connection), comparison, old, tables)
    newest = define(Through(connection, engine), tables, before, comparison, made)
    return Known((*before, newest), tuple(step.sentence for step in comparison.steps))


def layout_of(connection: Connection, tables: Tables) -> int | None:
    """The layout of a database; None for one that holds nothing of ours. Raises `DatabaseRefused`."""
    if tables.meta.name not in inspect(connection).get_table_names():
        return None
    meta = tables.meta
    layout = connection.execute(select(meta.c.value).where(meta.c.name == "layout")).scalar()
    if not isinstance(layout, int) or layout > LAYOUT:
        raise DatabaseRefused(
            f"The database was written by a newer version (layout {layout}; this one reads up to "
            f"{LAYOUT}). Install the newer version, or point to another database."
        )
    return layout


def compared(before: Sequence[Defined], definitions: Definitions) -> Comparison:
    """What differs from the definitions that the database is under. Raises `DatabaseRefused`."""
    if write_json(before[-1].data) == write_json(dict(definitions.data)):
        return Comparison()
    return compare(read_kept(before[-1]), definitions)


def read_kept(defined: Defined) -> Definitions:
    """The definitions that a database keeps. Raises `DatabaseRefused` where this version finds them wrong."""
    try:
        return defined.read()
    except DefinitionMistakes as mistakes:
        raise DatabaseRefused(
            f"The definitions that the database is under are wrong for this version: {mistakes}. "
            "Open it with the version that wrote them."
        ) from None


def refuse_foreign(connection: Connection, comparison: Comparison) -> None:
    """Raises `DatabaseRefused` where a table that is not ours has the name of a new collection."""
    present = set(inspect(connection).get_table_names())
    renamed = [one.new.name for one in comparison.kept if one.old.name != one.new.name]
    ours = {one.name for one in comparison.gone} | {one.old.name for one in comparison.kept}
    for name in (*(one.name for one in comparison.added), *renamed):
        if name in present - ours:
            raise DatabaseRefused(foreign(name))


def _refuse_unless_free(
    comparison: Comparison, before: Sequence[Defined], definitions: Definitions, made: Made
) -> None:
    for one in before[:-1]:
        if same(one.data, dict(definitions.data)):
            raise DatabaseRefused(
                f"These definitions are number {one.number} of the database, which is under number "
                f"{before[-1].number} by now. Use the newer ones, or go back with: fenland migrate"
            )
    if not comparison.free:
        sentences = [step.sentence for step in comparison.steps if step.effect != "free"]
        raise DatabaseRefused(
            "\n".join(["The definitions differ from those that the database is under.", *sentences, _ASK])
        )
    if not made.at_start:
        sentences = [step.sentence for step in comparison.steps]
        raise DatabaseRefused(
            "\n".join(
                [
                    "The definitions differ from those that the database is under, "
                    "and are not to be taken in here.",
                    *sentences,
                    _ASK,
                ]
            )
        )


# --- making tables -----------------------------------------------------------------------------------


def make_all(connection: Connection, tables: Tables, engine: Engine) -> None:
    """Makes every table of a database that has none. Raises `DatabaseRefused`."""
    present = set(inspect(connection).get_table_names())
    for name in tables.records:
        if name in present:
            raise DatabaseRefused(foreign(name))
    for table in tables.all:
        _create(connection, table, engine)
    connection.execute(tables.meta.insert().values(name="layout", value=LAYOUT))
    _refer(connection, tables.all)


def make_missing(connection: Connection, tables: Tables, engine: Engine) -> None:
    """Makes the service's own tables, and indexes, that came with this layout."""
    present = set(inspect(connection).get_table_names())
    for table in tables.all:
        if table.name not in present:
            _create(connection, table, engine)
        else:
            for index in table.indexes:
                connection.execute(CreateIndex(index, if_not_exists=True))


def _create(connection: Connection, table: Table, engine: Engine) -> None:
    # One by one, in place of create_all: references may go in circles. SQLite looks at where they lead only
    # when rows come; other engines get them once all tables are there.
    later = connection.dialect.supports_alter
    connection.execute(CreateTable(table, include_foreign_key_constraints=[] if later else None))
    for index in sorted(table.indexes, key=lambda one: str(one.name)):
        connection.execute(CreateIndex(index))
    if table is own_tables().history:
        for text in engine.append_only(table.name):
            connection.exec_driver_sql(text)


def _refer(connection: Connection, tables: Sequence[Table]) -> None:
    if connection.dialect.supports_alter:
        for table in tables:
            for reference in sorted(table.foreign_key_constraints, key=lambda one: str(one.column_keys)):
                connection.execute(AddConstraint(reference))


def known_of(connection: Connection, tables: Tables) -> Mapping[str, Any]:
    """All that a database notes of itself."""
    return {row.name: row.value for row in connection.execute(select(tables.meta))}
