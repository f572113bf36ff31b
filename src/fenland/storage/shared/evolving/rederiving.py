"""Deriving anew, once tables were made those of newer definitions: what is derived between records."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any, Protocol

from sqlalchemy import bindparam, update

from fenland.core.access.conditions import Among, Column
from fenland.core.access.field_access import Record
from fenland.core.consequences.network import Network, Node
from fenland.core.consequences.spreading import Deriving
from fenland.core.definitions.model import Collection
from fenland.core.definitions.validation import REFUSED
from fenland.core.problems import Problem
from fenland.core.values.plain import as_written, same
from fenland.storage.shared.protocols import Reading
from fenland.storage.shared.records.records import TableRecords
from fenland.storage.shared.statements import Engine, Prepared
from fenland.storage.shared.tables import Tables
from fenland.storage.shared.values import DatabaseRefused, Order, Page

#: Records that are read, and written, at a time; and those that are remembered.
_AT_A_TIME, _REMEMBERED = 1_000, 5_000


class Stored:
    """Where records are found in tables. See `Lookups` of `core/consequences/spreading.py`."""

    def __init__(
        self, reading: Reading, collections: Mapping[str, Collection], stores: Mapping[str, TableRecords]
    ) -> None:
        self._reading, self._collections, self._stores = reading, collections, stores
        #: Records that were looked up by their keys, which many refer to.
        self._known: dict[tuple[str, Any], Record | None] = {}

    def forget(self) -> None:
        """To be called where records change: what was looked up may not be so any more."""
        self._known.clear()

    def by_id(self, collection: str, record_id: str) -> Record | None:
        """See `Lookups`."""
        return self._stores[collection].find(self._reading, "id", record_id)

    def by_key(self, collection: str, key: Any) -> Record | None:
        """See `Lookups`."""
        place = (collection, key)
        if place not in self._known:
            if len(self._known) >= _REMEMBERED:
                self.forget()
            name = self._collections[collection].key
            self._known[place] = self._stores[collection].find(self._reading, name, key)
        return self._known[place]

    def all_referring(self, collection: str, name: str, key: Any) -> Iterable[Record]:
        """See `Lookups`."""
        found = self._stores[collection].referring(self._reading, name, key, _AT_A_TIME + 1)
        if len(found) <= _AT_A_TIME:
            return found
        return self._pages(collection, Page(Among(Column((name,)), (key,))))

    def how_many_refer(self, collection: str, name: str, key: Any) -> int:
        """See `Lookups`."""
        return self._stores[collection].count_referring(self._reading, name, key)

    def has_changed(self, _collection: str) -> bool:
        """See `Lookups`."""
        return False

    def all_of(self, collection: str) -> Iterator[Record]:
        """The records of a collection, which may be changed meanwhile."""
        return self._pages(collection, Page())

    def _pages(self, collection: str, wanted: Page) -> Iterator[Record]:
        after, more = None, True
        while more:
            page = Page(wanted.condition, order=(Order("id"),), after=after, limit=_AT_A_TIME)
            found, more = self._stores[collection].page(self._reading, page)
            yield from found
            after = (found[-1]["id"],) if found else None


class Driver(Protocol):
    """The driver's connection, in the transaction of the migration."""

    def executemany(self, text: str, rows: Iterable[Any], /) -> Any:
        """Runs a statement once for each row of parameters."""


def rederive(
    driver: Driver, tables: Tables, found: Stored, engine: Engine, told: Callable[[int], None]
) -> None:
    """Works out anew what is derived between records, and writes what differs; `told` is how many were seen.

    Raises `DatabaseRefused` for a record whose value cannot be kept.
    """
    deriving, done = Deriving(found, lambda *_: None), 0
    for collection, nodes in Network(tables.project).passes:
        table, names = tables.records[collection.name], [node.field.name for node in nodes]
        statement = update(table).where(table.c.id == bindparam("x_id", type_=table.c.id.type))
        given = {f"x_{name}": bindparam(f"x_{name}", type_=table.c[name].type) for name in names}
        prepared = Prepared(statement.values(dict(zip(names, given.values(), strict=True))), engine)
        # What is written in one pass is asked for in none but later ones.
        found.forget()
        rows: list[Sequence[Any]] = []
        for record in found.all_of(collection.name):
            values = [_value(deriving, node, record) for node in nodes]
            if not all(map(same, map(record.__getitem__, names), values)):
                row = dict(zip(given, values, strict=True))
                rows.append(prepared.values({"x_id": record["id"], **row}))
            done += 1
            if not done % _AT_A_TIME:
                driver.executemany(prepared.text, rows)
                rows = []
                told(done)
        driver.executemany(prepared.text, rows)


def _value(deriving: Deriving, node: Node, record: Record) -> Any:
    problems: list[Problem] = []
    value = deriving.value(node, record, problems)
    if value is REFUSED or problems:
        why = problems[0].detail if problems else "It cannot be worked out."
        key = as_written(record[node.collection.key])
        raise DatabaseRefused(
            f"{node.collection.name}.{node.field.name} of {key} cannot be kept as it is derived: {why} "
            "Nothing was changed."
        )
    return value
