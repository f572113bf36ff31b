"""Reading a database for an audit: as it stands, whatever its definitions, and nothing is written."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import orjson

from fenland.core.access.field_access import Record
from fenland.core.definitions.model import Definitions
from fenland.core.history.auditing import Row
from fenland.core.history.entries import Entry
from fenland.core.history.leaves import MARK, leaf_value
from fenland.core.history.parts import LEAF_NAMES
from fenland.core.history.terms import BLOCK
from fenland.storage.shared.column_types import read_json_text
from fenland.storage.shared.handed_out import Pass, Proposal
from fenland.storage.shared.history.terms import block_of
from fenland.storage.shared.records.records import TableRecords
from fenland.storage.shared.stores import Stores
from fenland.storage.shared.tables import LAYOUT, Tables, own_tables
from fenland.storage.shared.values import Account, Archive, DatabaseRefused, Defined, Head, Subscription
from fenland.storage.sqlite import engine as sqlite

_AT_A_TIME = 2_000
#: What reading an entry raises where somebody has put something else in its place.
_UNREADABLE = (ValueError, TypeError, KeyError, AttributeError, ArithmeticError)
#: How a key begins whose text is another one in a leaf.
_MARKED = f'"{MARK}'


@dataclass(frozen=True, slots=True)
class Unreadable:
    """An entry that cannot be read, and why."""

    sequence: int
    why: str


class Audited:
    """A database at one moment."""

    def __init__(self, connection: sqlite3.Connection) -> None:
        self._connection = connection
        self._engine = sqlite.ENGINE
        tables = own_tables()
        self._stores = Stores.of_service(tables, self._engine)
        self._columns = [column.name for column in tables.history.columns]

    def count(self) -> int:
        """How many entries there are."""
        return int(self._connection.execute("SELECT count(*) FROM fenland_history").fetchone()[0])

    def rows(self) -> Iterator[Row]:
        """The entries as they stand, in the order of their sequence."""
        held, fragment = ("changes", "sealed", "nodes", "key"), orjson.Fragment
        plain = [name for name in self._columns if name not in held]
        names = [LEAF_NAMES[name] for name in plain]
        columns = ", ".join(f'"{name}"' for name in (*plain, *held))
        cursor = self._connection.execute(f"SELECT {columns} FROM fenland_history ORDER BY sequence")  # noqa: S608 - our own names
        for *values, changes, sealed, nodes, key in cursor:
            parts = {name: value for name, value in zip(names, values, strict=True) if value is not None}
            try:
                parts["changes"] = fragment(changes.encode())
                if sealed is not None:
                    parts["sealed"] = fragment(sealed.encode())
                plain_text = key.startswith('"') and not key.startswith(_MARKED)
                parts["key"] = fragment(key.encode()) if plain_text else leaf_value(read_json_text(key))
            except _UNREADABLE:
                # Somebody has put something else there: no leaf is like that.
                parts = {name: parts[name] for name in ("sequence", "time")}
            yield Row(
                parts["sequence"], str(parts["time"]), parts, nodes if isinstance(nodes, bytes) else b""
            )

    def entries(self) -> Iterator[Entry | Unreadable]:
        """The same, read; or why one cannot be."""
        above, last = 0, int(self._stores.history.last(self._connection).sequence)
        while above < last:
            try:
                found: list[Entry | Unreadable] = [
                    *self._stores.history.following(self._connection, above, _AT_A_TIME)
                ]
            except _UNREADABLE:
                # One by one, to know which.
                found = [self._entry(one) for one in range(above + 1, min(above + _AT_A_TIME, last) + 1)]
            yield from found
            if not found:
                return
            above = found[-1].sequence or last

    def _entry(self, sequence: int) -> Entry | Unreadable:
        try:
            found = self._stores.history.entry(self._connection, sequence)
            return found if found is not None else Unreadable(sequence, "It is not there.")
        except _UNREADABLE as error:
            return Unreadable(sequence, str(error))

    def opened(self, entry: Entry, hashes: Mapping[str, list[str | None]]) -> Entry:
        """An entry that is read from an archive, with what is here of its secret values."""
        return self._stores.history.opened(self._connection, entry, hashes)

    def root(self, size: int) -> bytes:
        """The root of the first so many entries, by the nodes that are kept."""
        return self._stores.history.tree.root(self._connection, size)

    def stray_secrets(self) -> list[tuple[int, str, str]]:
        """Entries, with their times, and fields of which there are secret values, and no seal."""
        text = (
            "SELECT s.sequence, h.time, s.field "
            "FROM fenland_sealed s JOIN fenland_history h USING (sequence) "
            "WHERE h.sealed IS NULL OR json_type(h.sealed, '$.\"' || s.field || '\"') IS NULL"
        )
        return [(int(one), str(time), str(name)) for one, time, name in self._connection.execute(text)]

    def wrong_terms(self) -> Iterator[int]:
        """The last entries of blocks whose terms, by which searches find them, are not as they should be."""
        terms, size = self._stores.history.terms, self.count()
        first = self._stores.history.first(self._connection)
        last = self._stores.history.last(self._connection).sequence
        for block in range(block_of(first + BLOCK - 1), last + 1 if size else 0, BLOCK):
            try:
                if terms.kept(self._connection, block) != terms.due(self._connection, block):
                    yield block
            except _UNREADABLE:
                # Of an entry that cannot be read, more is said elsewhere.
                continue

    def accounts(self) -> list[Account]:
        """The accounts."""
        return self._stores.accounts.all(self._connection)

    def subscriptions(self) -> list[Subscription]:
        """The subscriptions."""
        return self._stores.subscriptions.all(self._connection)

    def handed_out(self) -> Iterator[Pass | Proposal]:
        """The passes, and what came in through them."""
        yield from self._stores.passes.every(self._connection)
        yield from self._stores.proposals.every(self._connection)

    def first(self) -> int:
        """The sequence of the first entry that is in no archive."""
        return self._stores.history.first(self._connection)

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

    def strange_triggers(self) -> list[str]:
        """The triggers that this service did not make: they could change what is written."""
        there = self._connection.execute(
            "SELECT name FROM sqlite_master WHERE type = 'trigger' ORDER BY name"
        )
        known = sqlite.guards("fenland_history")
        return [str(name) for (name,) in there if name not in known]

    def defined(self) -> list[Defined]:
        """The definitions that the database has had."""
        rows = self._connection.execute(
            "SELECT number, content, moved, sequence FROM fenland_definitions ORDER BY number"
        )
        read = read_json_text
        try:
            return [Defined(number, read(text), tuple(read(moved)), at) for number, text, moved, at in rows]
        except (ValueError, TypeError, AttributeError) as error:
            raise DatabaseRefused(f"The definitions that it has had cannot be read: {error}.") from None

    def records(self, definitions: Definitions) -> Iterator[tuple[str, Iterator[Record]]]:
        """The records of each collection, by its name."""
        tables = Tables(definitions)
        for name, collection in definitions.collections.items():
            records = TableRecords(collection, tables.records[name], self._engine)
            yield name, records.walk(self._connection)


@contextmanager
def audited(path: Path, *, still: bool = False) -> Iterator[Audited]:
    """See `audited` of the door."""
    if not path.is_file():
        raise DatabaseRefused(f"There is no database at {path}.")
    # Beside a file that nobody writes nothing need be left, and its folder may be one to read alone.
    how = "mode=ro&immutable=1" if still else "mode=ro"
    connection = sqlite3.connect(f"file:{sqlite.quoted(path)}?{how}", uri=True, isolation_level=None)
    try:
        connection.execute("BEGIN")
        row = connection.execute("SELECT value FROM fenland_meta WHERE name = 'layout'").fetchone()
        # As it is written, whatever else stands there.
        if row is None or str(row[0]) != json.dumps(LAYOUT):
            raise DatabaseRefused(f"{path} is of another layout than this version reads. Migrate it first.")
        yield Audited(connection)
    except sqlite3.DatabaseError as error:
        raise DatabaseRefused(f"{path} cannot be read as a database of this service: {error}.") from None
    finally:
        connection.close()
