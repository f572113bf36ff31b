"""Reading a database for an audit: as it stands, whatever its definitions, and nothing is written."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import orjson
from sqlalchemy.dialects import sqlite as sqlite_dialect

from fenland.core.auditing import Row
from fenland.core.definitions import Definitions
from fenland.core.field_access import Record
from fenland.core.history import Entry
from fenland.core.leaves import MARK, PARTS, leaf_value
from fenland.storage.column_types import read_json_text
from fenland.storage.records import TableRecords
from fenland.storage.sqlite import engine as sqlite
from fenland.storage.stores import Stores
from fenland.storage.tables import LAYOUT, Tables
from fenland.storage.values import Archive, DatabaseRefused, Defined, Head

_AT_A_TIME = 2_000
#: How a key begins whose text is another one in a leaf.
_MARKED = f'"{MARK}'


class Audited:
    """A database at one moment."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._connection = connection
        self._engine = sqlite.SqliteEngine(sqlite_dialect.dialect())
        tables = Tables(Definitions({}))
        self._stores = Stores.of_service(tables, self._engine)
        self._columns = [column.name for column in tables.history.columns]

    def count(self) -> int:
        """How many entries there are."""
        return int(self._connection.execute("SELECT count(*) FROM fenland_history").fetchone()[0])

    def rows(self) -> Iterator[Row]:
        """The entries as they stand, in the order of their sequence."""
        held, fragment = ("changes", "sealed", "nodes", "key"), orjson.Fragment
        plain = [name for name in self._columns if name not in held]
        names = [PARTS[name] for name in plain]
        columns = ", ".join(f'"{name}"' for name in (*plain, *held))
        cursor = self._connection.execute(f"SELECT {columns} FROM fenland_history ORDER BY sequence")  # noqa: S608 - our own names
        for *values, changes, sealed, nodes, key in cursor:
            parts = {name: value for name, value in zip(names, values, strict=True) if value is not None}
            parts["changes"] = fragment(changes.encode())
            if sealed is not None:
                parts["sealed"] = fragment(sealed.encode())
            plain_text = key.startswith('"') and not key.startswith(_MARKED)
            parts["key"] = fragment(key.encode()) if plain_text else leaf_value(read_json_text(key))
            yield Row(parts["sequence"], parts["time"], parts, nodes)

    def entries(self) -> Iterator[Entry]:
        """The same, read."""
        above = 0
        while True:
            found = self._stores.history.following(self._connection, above, _AT_A_TIME)
            yield from found
            if len(found) < _AT_A_TIME:
                return
            above = found[-1].sequence or 0

    def peaks(self, size: int) -> list[bytes]:
        """The roots of the perfect subtrees of the first so many entries, largest first."""
        return self._stores.history.tree.peaks(self._connection, size)

    def archives(self) -> list[Archive]:
        """The archives that entries were moved to."""
        return self._stores.history.archives(self._connection)

    def heads(self) -> list[Head]:
        """The heads that are kept."""
        return self._stores.heads.all(self._connection)

    def keys(self) -> list[dict[str, Any]]:
        """The public keys that are kept."""
        return self._stores.heads.keys(self._connection)

    def missing_guards(self) -> list[str]:
        """The triggers that are not there as they should be."""
        there = dict(self._connection.execute("SELECT name, sql FROM sqlite_master WHERE type = 'trigger'"))
        return [name for name, text in sqlite.guards("fenland_history").items() if there.get(name) != text]

    def defined(self) -> list[Defined]:
        """The definitions that the database has had."""
        rows = self._connection.execute(
            "SELECT number, content, moved, sequence FROM fenland_definitions ORDER BY number"
        )
        read = read_json_text
        return [Defined(number, read(content), tuple(read(moved)), at) for number, content, moved, at in rows]

    def records(self, definitions: Definitions) -> Iterator[tuple[str, Iterator[Record]]]:
        """The records of each collection, by its name."""
        tables = Tables(definitions)
        for name, collection in definitions.collections.items():
            records = TableRecords(collection, tables.records[name], self._engine)
            yield name, records.walk(self._connection)


@contextmanager
def audited_sqlite(path: Path) -> Iterator[Audited]:
    """See `audited` of the door."""
    if not path.is_file():
        raise DatabaseRefused(f"There is no database at {path}.")
    connection = sqlite3.connect(f"file:{sqlite.quoted(path)}?mode=ro", uri=True, isolation_level=None)
    try:
        connection.execute("BEGIN")
        row = connection.execute("SELECT value FROM fenland_meta WHERE name = 'layout'").fetchone()
        if row is None or json.loads(str(row[0])) != LAYOUT:
            raise DatabaseRefused(f"{path} is of another layout than this version reads. Migrate it first.")
        yield Audited(connection)
    except sqlite3.DatabaseError as error:
        raise DatabaseRefused(f"{path} cannot be read as a database of this service: {error}.") from None
    finally:
        connection.close()
