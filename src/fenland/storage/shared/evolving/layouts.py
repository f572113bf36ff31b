"""Layouts: databases of earlier versions, and how they are brought over to this one.

Until layout 5 a database did not keep the definitions that it was made for, only the shape of its tables: all
that what is stored depends on. To be brought over, its definitions must be those that the shapes tell of.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from sqlalchemy import Column, Connection, Table, inspect
from sqlalchemy.dialects import sqlite
from sqlalchemy.schema import CreateColumn

from fenland.core.history.entries import ACCOUNTS, Entry, account_id
from fenland.storage.shared.accounts.accounts import TableAccounts
from fenland.storage.shared.evolving.definitions import Through
from fenland.storage.shared.history.history import TableHistory
from fenland.storage.shared.tables import KEPT, OWN, UNSALTED, Tables
from fenland.storage.shared.values import DatabaseRefused, Made

Shape = list[dict[str, Any]]

#: All databases of these layouts are SQLite's.
_SQLITE = sqlite.dialect()
#: The layout from which kept outcomes say which collection their records are of.
_SAYS_COLLECTION = 4


def mark_of(table: str) -> str:
    """The name under which a table's shape is noted."""
    return f"table {table}"


def shape_of(table: Table) -> Shape:
    """What a database of such a layout noted of a table, column by column."""
    return [_column(column) for column in table.columns]


def _column(column: Column[Any]) -> dict[str, Any]:
    return {
        "name": column.name,
        "type": column.type.compile(dialect=_SQLITE),
        "kept": column.info.get(KEPT, ""),
        "required": not column.nullable,
        "unique": bool(column.unique),
        "references": [str(key.target_fullname) for key in column.foreign_keys],
    }


def misfits_of(tables: Sequence[Table], present: set[str], known: Mapping[str, Any]) -> list[str]:
    """A sentence for each difference between the tables that are present and those that are wanted."""
    found: list[str] = []
    for table in tables:
        if table.name in present:
            found += _differences(table, known.get(mark_of(table.name)))
    wanted = {mark_of(table.name) for table in tables}
    for mark in sorted(known.keys() - wanted - {"layout"}):
        name = mark.removeprefix("table ")
        found.append(
            f"The database holds the collection {name!r}, which no definition describes any more. "
            f"Restore its file {name}.yaml, bring the database over, then remove it."
        )
    return found


def foreign(name: str) -> str:
    """What is said of a table in a collection's place."""
    return (
        f"The database already holds a table {name!r} that this service did not make. "
        "Rename the collection, or point to another database."
    )


def _differences(table: Table, known: Shape | None) -> Iterator[str]:
    if known is None:
        yield foreign(table.name)
        return
    old = {column["name"]: column for column in known}
    new = {column["name"]: column for column in shape_of(table)}
    changes = [
        *(f"field {name} is new" for name in new if name not in old),
        *(f"field {name} is gone" for name in old if name not in new),
    ]
    for name in (name for name in new if name in old):
        changes += [f"field {name} {words}" for words in _changed(old[name], new[name])]
    if not changes and list(old) != list(new):
        changes.append("its fields stand in another order")
    if changes:
        yield (
            f"The definition of {table.name} no longer fits its table: {'; '.join(changes)}. "
            "Restore the definition, bring the database over, then change it."
        )


def _changed(old: Mapping[str, Any], new: Mapping[str, Any]) -> Iterator[str]:
    if old["kept"]:
        if old["kept"] != new["kept"]:
            yield f"holds {old['kept']}, and would hold {new['kept']}"
    elif old["type"] != new["type"]:
        yield f"has a column of type {old['type']}, and would have {new['type']}"
    if old["required"] != new["required"]:
        yield "would be required, and is not" if new["required"] else "is required, and would not be"
    if old["unique"] != new["unique"]:
        yield "would be unique, and is not" if new["unique"] else "is unique, and would not be"
    if old["references"] != new["references"]:
        shown = [", ".join(one["references"]) or "nothing" for one in (old, new)]
        yield f"refers to {shown[0]}, and would refer to {shown[1]}"


# --- bringing over ----------------------------------------------------------------------------------


#: The first layout that keeps definitions, and the first whose entries are leaves.
KEEPS_DEFINITIONS = 5
#: The one layout whose entries are leaves without salts, which stay as they are: heads are signed over them.
WITHOUT_SALTS = 6


def bring_over(connection: Connection, tables: Tables, known: Mapping[str, Any]) -> None:
    """Sees that a database of a layout before 5 is of these definitions, and brings its other tables over.

    The service's own tables get the columns that have come since, which hold nothing in old rows; the
    history is for `older_history.py`. Raises `DatabaseRefused`.
    """
    named = dict(known)
    for table in tables.records.values():
        shape = known.get(mark_of(table.name))
        if shape is not None and known["layout"] == 1:
            named[mark_of(table.name)] = _named(shape)
    present = set(inspect(connection).get_table_names())
    made = {name: value for name, value in named.items() if not name.startswith(mark_of(OWN))}
    if misfits := misfits_of(list(tables.records.values()), present, made):
        raise DatabaseRefused("\n".join(misfits))
    for table in tables.own.all:
        if table.name in present and table is not tables.history:
            _add_columns(connection, table)
    if known["layout"] < _SAYS_COLLECTION:
        # They did not say which collection their records are of.
        connection.execute(tables.outcomes.delete())
    meta = tables.meta
    connection.execute(meta.delete().where(meta.c.name.startswith(mark_of(""), autoescape=True)))


def add_own_columns(connection: Connection, tables: Tables) -> None:
    """Gives the service's own tables the columns that have come since, which hold nothing in old rows."""
    for table in tables.own.all:
        _add_columns(connection, table)


def note_unsalted(connection: Connection, tables: Tables, last: int) -> None:
    """Notes of a database of layout 6 the last entry whose leaf has no salt."""
    connection.execute(tables.meta.insert().values(name=UNSALTED, value=last))


def enter_accounts(through: Through, tables: Tables, made: Made) -> None:
    """Tells in the history of accounts that are older than its entries about them."""
    history = TableHistory(tables.own, through.engine)
    for account in TableAccounts(tables.accounts, tables.tokens, through.engine).all(through):
        record_id = account_id(account.name)
        first, _ = history.of_record(through, record_id, below=2, limit=1)
        if first and first[0].action == "create":
            continue
        newest, _ = history.of_record(through, record_id, below=2**62, limit=1)
        history.add(
            through,
            Entry(
                time=made.time,
                collection=ACCOUNTS,
                record_id=record_id,
                key=account.name,
                version=newest[0].version + 1 if newest else 1,
                action="update" if newest else "create",
                actor=made.by,
                via=made.via,
                request_id="",
                changes={name: (None, value) for name, value in account.parts.items()},
            ),
        )


def _add_columns(connection: Connection, table: Table) -> None:
    there = {column["name"] for column in inspect(connection).get_columns(table.name)}
    for column in (one for one in table.columns if one.name not in there):
        described = CreateColumn(column).compile(dialect=connection.dialect)
        connection.exec_driver_sql(f"ALTER TABLE {table.name} ADD COLUMN {described}")


def _named(shape: Sequence[Any]) -> Shape:
    """The shape of a collection's table as layout 1 noted it: without names, and without scales."""
    return [
        {
            "name": name,
            "type": kind,
            # Not noted then: the column's own type must do.
            "kept": "",
            "required": required,
            "unique": unique,
            "references": references,
        }
        for name, kind, required, unique, *references in shape
    ]
