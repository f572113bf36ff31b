"""The records of one collection: read by key, listed, added, changed and removed.

Every method takes the connection it works on, so that the caller decides the transaction.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
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

from fenland.core.access import Actor
from fenland.core.conditions import ALWAYS, Condition
from fenland.core.definitions import Collection, Field
from fenland.core.limits import DEFAULTS, Limits
from fenland.storage import sqlite
from fenland.storage.codec import Codec
from fenland.storage.conditions import actor_parameters, sql_of
from fenland.storage.sqlite import Connection
from fenland.storage.statements import Prepared

#: Characters that a record may hold and still count as small.
_SMALL = 20_000
_MOST_STATEMENTS = 256
#: Characters in an account's name, which owner fields hold.
_LONGEST_NAME = 64


class VersionRace(Exception):
    """The record changed between reading and writing it within one transaction: a defect."""


@dataclass(frozen=True, slots=True)
class Order:
    """One step of a sort: a field, and its direction."""

    field: str
    descending: bool = False


@dataclass(frozen=True, slots=True)
class Page:
    """What part of a list is wanted. `after` holds the values of `order` at the last record seen."""

    #: What must hold of a record to be in the list at all, for whom.
    condition: Condition
    actor: Actor
    words: tuple[str, ...] = ()
    order: tuple[Order, ...] = ()
    after: tuple[Any, ...] | None = None
    limit: int = 50
    #: Only the records with nothing in the first field of the order.
    nulls_only: bool = False


class Records:
    """The statements of one collection, prepared once."""

    def __init__(
        self, collection: Collection, table: Table, dialect: Dialect, limits: Limits = DEFAULTS
    ) -> None:
        self.collection = collection
        self._limits = limits
        #: Whether no record can be large, so that nobody needs to count what a page of them holds.
        self.small = sum(_longest(item, collection) for item in collection.fields.values()) <= _SMALL
        self.codec = Codec(collection)
        self._table = table
        self._dialect = dialect
        self._columns = [table.c[name] for name in self.codec.columns]
        self._by_field: dict[str, Prepared] = {}
        self._updates: dict[tuple[str, ...], Prepared] = {}
        self._lists: dict[Any, Prepared] = {}
        self._referring: dict[str, Prepared] = {}
        self._counts: dict[str, Prepared] = {}
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

    def referring(self, connection: Connection, field: str, key: Any, limit: int) -> list[dict[str, Any]]:
        """The records whose reference `field` holds this key, up to so many."""
        prepared = self._referring.get(field)
        if prepared is None:
            where = self._table.c[field] == bindparam("key")
            statement = select(*self._columns).where(where).order_by(self._table.c.id)
            prepared = Prepared(statement.limit(bindparam("x_limit")), self._dialect)
            self._referring[field] = prepared
        return self.codec.records(prepared.all(connection, {"key": key, "x_limit": limit}))

    def count_referring(self, connection: Connection, field: str, key: Any) -> int:
        """How many records hold this key in their reference `field`."""
        prepared = self._counts.get(field)
        if prepared is None:
            statement = select(func.count()).select_from(self._table)
            prepared = Prepared(statement.where(self._table.c[field] == bindparam("key")), self._dialect)
            self._counts[field] = prepared
        return int(prepared.one(connection, {"key": key})[0])

    def page(self, connection: Connection, page: Page) -> tuple[list[dict[str, Any]], bool]:
        """The records of a page, in order, and whether more follow.

        A page ends early where its records would be too large together.
        """
        rows, cut = self._stretch(connection, page, page.limit + 1)
        if not cut and len(rows) <= page.limit and self._nulls_follow(page):
            rest = replace(page, after=None, nulls_only=True)
            found, cut = self._stretch(connection, rest, page.limit + 1 - len(rows))
            rows += found
        more = cut or len(rows) > page.limit
        return self.codec.records(rows[: page.limit]), more

    def _stretch(self, connection: Connection, page: Page, limit: int) -> tuple[list[Any], bool]:
        """The rows of a page that one range of an index gives."""
        nulls = tuple(value is None for value in page.after) if page.after is not None else None
        shape = ("page", page.condition, len(page.words), page.order, nulls, page.nulls_only)
        prepared = self._lists.get(shape)
        if prepared is None:
            prepared = Prepared(self._page_statement(page), self._dialect)
            _keep(self._lists, shape, prepared)
        given = self._selection(page)
        given["x_limit"] = limit
        for place, (order, value) in enumerate(zip(page.order, page.after or (), strict=False)):
            given[f"after_{place}"] = self.codec.encode(order.field, value)
        if self.small:
            return prepared.all(connection, given), False
        return prepared.some(connection, given, self._limits.answer)

    def _nulls_follow(self, page: Page) -> bool:
        """Whether what a page asks for ends with the records that have nothing in the first field."""
        first = page.order[0]
        return (
            first.descending
            and page.after is not None
            and page.after[0] is not None
            and bool(self._table.c[first.field].nullable)
        )

    def count(self, connection: Connection, page: Page) -> int:
        """How many records the page's selection holds in all."""
        shape = ("count", page.condition, len(page.words))
        prepared = self._lists.get(shape)
        if prepared is None:
            statement = self._selected(select(func.count()).select_from(self._table), page)
            prepared = Prepared(statement, self._dialect)
            _keep(self._lists, shape, prepared)
        return int(prepared.one(connection, self._selection(page))[0])

    def _selection(self, page: Page) -> dict[str, Any]:
        given: dict[str, Any] = {**actor_parameters(page.actor)}
        for place, word in enumerate(page.words):
            given[f"word_{place}"] = sqlite.word_pattern(word)
        return given

    def _selected(self, statement: Select[Any], page: Page) -> Select[Any]:
        if page.condition != ALWAYS:
            statement = statement.where(sql_of(page.condition, self._table, self.codec))
        searched = [self._table.c[name] for name in self.collection.searched]
        for place in range(len(page.words)):
            word: BindParameter[str] = bindparam(f"word_{place}")
            statement = statement.where(
                or_(false(), *(sqlite.holds_word(column, word) for column in searched))
            )
        return statement

    def _page_statement(self, page: Page) -> Select[Any]:
        statement = self._selected(select(*self._columns), page)
        if page.nulls_only:
            statement = statement.where(self._table.c[page.order[0].field].is_(None))
        if page.after is not None:
            statement = statement.where(*self._beyond(page.order, page.after))
        for order in page.order:
            column = self._table.c[order.field]
            # Nulls come first going up and last going down, on every database.
            ordered = column.desc().nulls_last() if order.descending else column.asc().nulls_first()
            statement = statement.order_by(ordered)
        return statement.limit(bindparam("x_limit"))

    def _beyond(self, orders: Sequence[Order], after: Sequence[Any]) -> list[ColumnElement[bool]]:
        """What comes after a record in the order: beyond it at one step, equal at all before.

        The first condition bounds the first field by itself, so that an index is entered at that place.
        Records with nothing in that field, which come last going down, are `page`'s to add.
        """
        branches: list[ColumnElement[bool]] = []
        equal: list[ColumnElement[bool]] = []
        for place, (order, value) in enumerate(zip(orders, after, strict=True)):
            column = self._table.c[order.field]
            bound: BindParameter[Any] = bindparam(f"after_{place}")
            beyond: ColumnElement[bool]
            equal_here: ColumnElement[bool]
            if value is None:
                beyond = false() if order.descending else column.is_not(None)
                equal_here = column.is_(None)
            elif place == 0:
                beyond = column < bound if order.descending else column > bound
                equal_here = column == bound
            else:
                beyond = or_(column < bound, column.is_(None)) if order.descending else column > bound
                equal_here = column == bound
            branches.append(and_(*equal, beyond))
            equal.append(equal_here)
        first: ColumnElement[Any] = self._table.c[orders[0].field]
        bound = bindparam("after_0")
        entry: list[ColumnElement[bool]]
        if after[0] is None:
            entry = [first.is_(None)] if orders[0].descending else []
        else:
            entry = [first <= bound if orders[0].descending else first >= bound]
        return [*entry, or_(*branches)]

    # --- writing ------------------------------------------------------------------------------

    def add(self, connection: Connection, record: Mapping[str, Any]) -> None:
        """Inserts a whole record. Raises the driver's error when a unique value is taken."""
        encode = self.codec.encode
        self._insert.run(connection, {f"v_{name}": encode(name, record[name]) for name in self.codec.columns})

    def change(
        self, connection: Connection, record_id: str, version: int, changes: Mapping[str, Any]
    ) -> None:
        """Writes only the columns in `changes`, guarded by the version the change was made from."""
        names = tuple(sorted(changes))
        prepared = self._updates.get(names)
        if prepared is None:
            prepared = self._update_statement(names)
            _keep(self._updates, names, prepared)
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


def _keep(cache: dict[Any, Prepared], shape: Any, prepared: Prepared) -> None:
    """Keeps a statement, of which only so many are kept: clients choose what is sorted and changed."""
    if len(cache) >= _MOST_STATEMENTS:
        cache.clear()
    cache[shape] = prepared


def _longest(item: Field, collection: Collection) -> int:
    """How many characters a field's value can have."""
    if item.name == collection.owner:
        return _LONGEST_NAME
    if item.type in ("array", "object"):
        return _SMALL + 1
    if item.type != "string" or item.format in ("date", "date-time", "uuid"):
        return 40
    return _SMALL + 1 if item.max_length is None and item.enum is None else item.max_length or 100
