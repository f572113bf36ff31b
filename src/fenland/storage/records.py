"""The records of one collection: read by key, listed, added, changed and removed.

Every method takes the connection it works on, so that the caller decides the transaction.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy import (
    BindParameter,
    ColumnElement,
    Dialect,
    Select,
    Table,
    and_,
    bindparam,
    false,
    func,
    or_,
    select,
)

from fenland.core.access import Scope
from fenland.core.definitions import Collection
from fenland.storage.codec import Codec
from fenland.storage.sqlite import Connection
from fenland.storage.statements import Prepared


class VersionRace(Exception):
    """The record changed between reading and writing it within one transaction: a defect."""


@dataclass(frozen=True, slots=True)
class Order:
    """One step of a sort: a field, and whether it falls."""

    field: str
    falling: bool = False


@dataclass(frozen=True, slots=True)
class Page:
    """What part of a list is wanted. `after` holds the values of `order` at the last record seen."""

    scope: Scope
    actor: str
    words: tuple[str, ...] = ()
    order: tuple[Order, ...] = ()
    after: tuple[Any, ...] | None = None
    limit: int = 50


class Records:
    """The statements of one collection, prepared once."""

    def __init__(self, collection: Collection, table: Table, dialect: Dialect) -> None:
        self.collection = collection
        self.codec = Codec(collection)
        self._table = table
        self._dialect = dialect
        self._columns = [table.c[name] for name in self.codec.columns]
        self._by_field: dict[str, Prepared] = {}
        self._updates: dict[tuple[str, ...], Prepared] = {}
        self._lists: dict[Any, Prepared] = {}
        self._referring: dict[str, Prepared] = {}
        self._insert = Prepared(
            table.insert().values({name: bindparam(f"v_{name}") for name in self.codec.columns}), dialect
        )
        self._delete = Prepared(
            table.delete().where(table.c.id == bindparam("x_id"), table.c.version == bindparam("x_version")),
            dialect,
        )

    # --- reading ------------------------------------------------------------------------------

    def find(self, connection: Connection, field: str, value: Any) -> dict[str, Any] | None:
        """The record whose unique `field` (or `id`) holds this value, or None."""
        prepared = self._by_field.get(field)
        if prepared is None:
            where = self._table.c[field] == bindparam("value")
            prepared = Prepared(select(*self._columns).where(where), self._dialect)
            self._by_field[field] = prepared
        row = prepared.one(connection, {"value": self.codec.encode(field, value)})
        return None if row is None else self.codec.record(row)

    def referring(self, connection: Connection, field: str, key: Any) -> list[dict[str, Any]]:
        """The records whose reference `field` holds this key."""
        prepared = self._referring.get(field)
        if prepared is None:
            where = self._table.c[field] == bindparam("key")
            statement = select(*self._columns).where(where).order_by(self._table.c.id)
            prepared = self._referring[field] = Prepared(statement, self._dialect)
        return self.codec.records(prepared.all(connection, {"key": key}))

    def page(self, connection: Connection, page: Page) -> list[dict[str, Any]]:
        """The records of a page, in order; ask for one more than is shown to learn whether more follow."""
        nulls = tuple(value is None for value in page.after) if page.after is not None else None
        shape = ("page", page.scope, len(page.words), page.order, nulls)
        prepared = self._lists.get(shape)
        if prepared is None:
            prepared = self._lists[shape] = Prepared(self._page_statement(page), self._dialect)
        given = self._selection(page)
        given["x_limit"] = page.limit
        for place, (order, value) in enumerate(zip(page.order, page.after or (), strict=False)):
            given[f"after_{place}"] = self.codec.encode(order.field, value)
        return self.codec.records(prepared.all(connection, given))

    def count(self, connection: Connection, page: Page) -> int:
        """How many records the page's selection holds in all."""
        shape = ("count", page.scope, len(page.words))
        prepared = self._lists.get(shape)
        if prepared is None:
            statement = self._selected(select(func.count()).select_from(self._table), page)
            prepared = self._lists[shape] = Prepared(statement, self._dialect)
        return int(prepared.one(connection, self._selection(page))[0])

    def _selection(self, page: Page) -> dict[str, Any]:
        given: dict[str, Any] = {"x_actor": page.actor}
        for place, word in enumerate(page.words):
            given[f"word_{place}"] = "%" + _literal(word.lower()) + "%"
        return given

    def _selected(self, statement: Select[Any], page: Page) -> Select[Any]:
        if page.scope is Scope.OWNED and self.collection.owner is not None:
            owner: ColumnElement[str] = self._table.c[self.collection.owner]
            statement = statement.where(owner == bindparam("x_actor"))
        elif page.scope is not Scope.ALL:
            statement = statement.where(false())
        searched = [self._table.c[name] for name in self.collection.searched]
        for place in range(len(page.words)):
            word: BindParameter[str] = bindparam(f"word_{place}")
            statement = statement.where(
                or_(false(), *(func.lower(column).like(word, escape="\\") for column in searched))
            )
        return statement

    def _page_statement(self, page: Page) -> Select[Any]:
        statement = self._selected(select(*self._columns), page)
        if page.after is not None:
            statement = statement.where(self._beyond(page.order, page.after))
        for order in page.order:
            column = self._table.c[order.field]
            # Nulls come first going up and last going down, on every database.
            ordered = column.desc().nulls_last() if order.falling else column.asc().nulls_first()
            statement = statement.order_by(ordered)
        return statement.limit(bindparam("x_limit"))

    def _beyond(self, orders: Sequence[Order], after: Sequence[Any]) -> ColumnElement[bool]:
        """What comes after a record in the order: beyond it at one step, equal at all before."""
        branches: list[ColumnElement[bool]] = []
        equal: list[ColumnElement[bool]] = []
        for place, (order, value) in enumerate(zip(orders, after, strict=True)):
            column = self._table.c[order.field]
            bound: BindParameter[Any] = bindparam(f"after_{place}")
            beyond: ColumnElement[bool]
            equal_here: ColumnElement[bool]
            if value is None:
                beyond = false() if order.falling else column.is_not(None)
                equal_here = column.is_(None)
            else:
                beyond = or_(column < bound, column.is_(None)) if order.falling else column > bound
                equal_here = column == bound
            branches.append(and_(*equal, beyond))
            equal.append(equal_here)
        return or_(*branches)

    # --- writing ------------------------------------------------------------------------------

    def add(self, connection: Connection, record: Mapping[str, Any]) -> None:
        """Inserts a whole record. Raises the driver's error when a unique value is taken."""
        encode = self.codec.encode
        self._insert.run(connection, {f"v_{name}": encode(name, record[name]) for name in self.codec.columns})

    def change(
        self, connection: Connection, record_id: str, version: int, changes: Mapping[str, Any]
    ) -> None:
        """Writes only the columns in `changes`, guarded by the version the change was made from."""
        names = tuple(changes)
        prepared = self._updates.get(names)
        if prepared is None:
            prepared = self._updates[names] = self._update_statement(names)
        encode = self.codec.encode
        given = {f"v_{name}": encode(name, value) for name, value in changes.items()}
        given["x_id"], given["x_version"] = record_id, version
        if prepared.run(connection, given) != 1:
            raise VersionRace(f"{self.collection.name} {record_id} is no longer at version {version}.")

    def _update_statement(self, names: tuple[str, ...]) -> Prepared:
        table = self._table
        statement = (
            table.update()
            .where(table.c.id == bindparam("x_id"), table.c.version == bindparam("x_version"))
            .values({name: bindparam(f"v_{name}") for name in names})
        )
        return Prepared(statement, self._dialect)

    def remove(self, connection: Connection, record_id: str, version: int) -> None:
        """Deletes a record, guarded by its version."""
        if self._delete.run(connection, {"x_id": record_id, "x_version": version}) != 1:
            raise VersionRace(f"{self.collection.name} {record_id} is no longer at version {version}.")


def _literal(word: str) -> str:
    return word.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_")
