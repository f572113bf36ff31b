"""The records of one collection: read by key, listed, added, changed and removed."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy import (
    BindParameter,
    ColumnElement,
    Select,
    Table,
    and_,
    bindparam,
    false,
    func,
    or_,
    select,
)

from fenland.core.access.conditions import ALWAYS, Condition
from fenland.core.access.field_access import Record
from fenland.core.definitions.model import Collection, Field
from fenland.core.limits import DEFAULTS, Limits
from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.records.condition_sql import ConditionWriter, Parameters, condition_text, shape_of
from fenland.storage.shared.records.rows import row_reader
from fenland.storage.shared.statements import Engine, Prepared, parameters_of
from fenland.storage.shared.values import Order, Page, VersionRace

#: Characters that a record may hold and still count as small.
_SMALL = 20_000
_MOST_STATEMENTS = 256
#: Records of a page, where all are read.
_AT_A_TIME = 1_000
#: Characters in an account's name, which owner fields hold.
_LONGEST_NAME = 64


class TableRecords:
    """`Records` of the door over one table; its statements are prepared once."""

    def __init__(
        self, collection: Collection, table: Table, engine: Engine, limits: Limits = DEFAULTS
    ) -> None:
        self.collection = collection
        self._limits = limits
        #: Whether no record can be large, so that nobody needs to count what a page of them holds.
        self._small = sum(_longest(item, collection) for item in collection.fields.values()) <= _SMALL
        self._table = table
        self._engine = engine
        self._columns = list(table.columns)
        #: Where what its writers chose stands, and may be long.
        self._long = [
            place
            for place, column in enumerate(self._columns)
            if (item := collection.fields.get(column.name)) and item.type in ("string", "array", "object")
        ]
        self._updates: dict[tuple[str, ...], Prepared] = {}
        self._lists: dict[Any, Prepared] = {}
        self._referring: dict[str, Prepared] = {}
        #: Few: which fields rules ask for is settled by the definitions.
        self._parts: dict[tuple[str, tuple[str, ...]], Prepared] = {}
        self._counts: dict[str, Prepared] = {}
        self._values: dict[str, Prepared] = {}
        names = [column.name for column in self._columns]
        self._by_field = {"id": Prepared(self._where_equal("id"), engine)}
        conversions = {names[place]: convert for place, convert in self._by_field["id"].conversions.items()}
        self._record = row_reader(collection.name, names, conversions)
        self._insert = Prepared(table.insert().values(parameters_of(table, names)), engine)
        self._delete = Prepared(table.delete().where(*_guard(table)), engine)

    # --- reading ------------------------------------------------------------------------------

    def find(self, reading: Reading, field: str, value: Any) -> Record | None:
        """See `Records`."""
        prepared = self._by_field.get(field)
        if prepared is None:
            prepared = self._by_field[field] = Prepared(self._where_equal(field), self._engine)
        row = prepared.one(reading, {"value": value})
        return None if row is None else self._record(row)

    def find_part(self, reading: Reading, field: str, value: Any, names: tuple[str, ...]) -> Record | None:
        """See `Records`."""
        prepared = self._parts.get((field, names))
        if prepared is None:
            column, columns = self._table.c[field], [self._table.c[name] for name in names]
            statement = select(*columns).where(column == bindparam("value", type_=column.type))
            prepared = self._parts[field, names] = Prepared(statement, self._engine)
        row = prepared.one(reading, {"value": value})
        return None if row is None else dict(zip(names, prepared.converted(row), strict=True))

    def _where_equal(self, field: str) -> Select[Any]:
        column = self._table.c[field]
        return select(*self._columns).where(column == bindparam("value", type_=column.type))

    def referring(self, reading: Reading, field: str, key: Any, limit: int) -> list[Record]:
        """See `Records`."""
        prepared = self._referring.get(field)
        if prepared is None:
            statement = self._where_equal(field).order_by(self._table.c.id).limit(bindparam("x_limit"))
            prepared = self._referring[field] = Prepared(statement, self._engine)
        return list(map(self._record, prepared.all(reading, {"value": key, "x_limit": limit})))

    def count_referring(self, reading: Reading, field: str, key: Any) -> int:
        """See `Records`."""
        prepared = self._counts.get(field)
        if prepared is None:
            column = self._table.c[field]
            where = column == bindparam("value", type_=column.type)
            statement = select(func.count()).select_from(self._table).where(where)
            prepared = self._counts[field] = Prepared(statement, self._engine)
        return int(prepared.one(reading, {"value": key})[0])

    def values(self, reading: Reading, field: str) -> Iterator[Any]:
        """See `Records`."""
        prepared = self._values.get(field)
        if prepared is None:
            statement = select(self._table.c[field]).where(self._table.c[field].is_not(None))
            prepared = self._values[field] = Prepared(statement, self._engine)
        for row in reading.execute(prepared.text, prepared.values({})):
            yield prepared.converted(row)[0]

    def sql(self, condition: Condition) -> str:
        """See `Records`."""
        return condition_text(condition, self._table, self._engine)

    def page(self, reading: Reading, page: Page) -> tuple[list[Record], bool]:
        """See `Records`."""
        rows, cut = self._stretch(reading, page, page.limit + 1)
        if not cut and len(rows) <= page.limit and self._nulls_follow(page):
            rest = replace(page, after=None, nulls_only=True)
            found, cut = self._stretch(reading, rest, page.limit + 1 - len(rows))
            rows += found
        more = cut or len(rows) > page.limit
        return list(map(self._record, rows[: page.limit])), more

    def _stretch(self, reading: Reading, page: Page, limit: int) -> tuple[list[Any], bool]:
        """The rows of a page that one range of an index gives."""
        nulls = tuple(value is None for value in page.after) if page.after is not None else None
        order = tuple((one.field, one.descending) for one in page.order)
        shape = ("page", *self._shape(page), order, nulls, page.nulls_only, page.offset > 0)
        prepared = self._lists.get(shape)
        if prepared is None:
            prepared = Prepared(self._page_statement(page), self._engine)
            _keep(self._lists, shape, prepared)
        parameters = Parameters(_conditions(page), self._table, self._engine.dialect)
        given = self._selection(page, parameters)
        given["x_limit"] = limit
        if page.offset:
            given["x_offset"] = page.offset
        for place, value in enumerate(page.after or ()):
            given[f"after_{place}"] = value
        if self._small:
            return prepared.all(reading, given), False
        return prepared.some(reading, given, self._limits.answer, self._long)

    def _shape(self, page: Page) -> tuple[Any, ...]:
        searched = tuple(name for name, _ in page.searched)
        return (searched, len(page.words), *map(shape_of, _conditions(page)))

    def _nulls_follow(self, page: Page) -> bool:
        """Whether what a page asks for ends with the records that have nothing in the first field."""
        first = page.order[0]
        return (
            first.descending
            and page.after is not None
            and page.after[0] is not None
            and (bool(self._table.c[first.field].nullable) or first.known != ALWAYS)
        )

    def walk(self, reading: Reading) -> Iterator[Record]:
        """See `Records`."""
        page = Page(order=(Order("id"),), limit=_AT_A_TIME)
        while True:
            found, more = self.page(reading, page)
            yield from found
            if not more:
                return
            page = replace(page, after=(found[-1]["id"],))

    def count(self, reading: Reading, page: Page) -> int:
        """See `Records`."""
        page = replace(page, order=())
        shape = ("count", *self._shape(page))
        prepared = self._lists.get(shape)
        if prepared is None:
            writer = ConditionWriter(self._table, self._engine)
            statement = self._selected(select(func.count()).select_from(self._table), page, writer)
            prepared = Prepared(statement, self._engine)
            _keep(self._lists, shape, prepared)
        parameters = Parameters(_conditions(page), self._table, self._engine.dialect)
        return int(prepared.one(reading, self._selection(page, parameters))[0])

    def _selection(self, page: Page, parameters: Parameters) -> dict[str, Any]:
        given: dict[str, Any] = parameters.values
        for place, word in enumerate(page.words):
            given[f"word_{place}"] = self._engine.word_pattern(word)
        return given

    def _selected(self, statement: Select[Any], page: Page, writer: ConditionWriter) -> Select[Any]:
        if page.condition != ALWAYS:
            statement = statement.where(writer.written(page.condition))
        searched = [writer.known(name, known) for name, known in page.searched]
        for place in range(len(page.words)):
            word: BindParameter[str] = bindparam(f"word_{place}")
            statement = statement.where(
                or_(false(), *(self._engine.holds_word(column, word) for column in searched))
            )
        return statement

    def _page_statement(self, page: Page) -> Select[Any]:
        writer = ConditionWriter(self._table, self._engine)
        statement = self._selected(select(*self._columns), page, writer)
        ordered = [writer.known(one.field, one.known) for one in page.order]
        if page.nulls_only:
            statement = statement.where(ordered[0].is_(None))
        if page.after is not None:
            statement = statement.where(*self._beyond(page.order, ordered, page.after))
        for order, column in zip(page.order, ordered, strict=True):
            # Nulls come first going up and last going down, on every database.
            step = column.desc().nulls_last() if order.descending else column.asc().nulls_first()
            statement = statement.order_by(step)
        if page.offset:
            statement = statement.offset(bindparam("x_offset"))
        return statement.limit(bindparam("x_limit"))

    def _beyond(
        self, orders: Sequence[Order], columns: Sequence[ColumnElement[Any]], after: Sequence[Any]
    ) -> list[ColumnElement[bool]]:
        """What comes after a record in the order: beyond it at one step, equal at all before.

        The first condition bounds the first field by itself, so that an index is entered at that place.
        Records with nothing in that field, which come last going down, are `page`'s to add.
        """
        branches: list[ColumnElement[bool]] = []
        equal: list[ColumnElement[bool]] = []
        for place, (order, column, value) in enumerate(zip(orders, columns, after, strict=True)):
            bound: BindParameter[Any] = bindparam(f"after_{place}", type_=column.type)
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
        first = columns[0]
        bound = bindparam("after_0", type_=first.type)
        entry: list[ColumnElement[bool]]
        if after[0] is None:
            entry = [first.is_(None)] if orders[0].descending else []
        else:
            entry = [first <= bound if orders[0].descending else first >= bound]
        return [*entry, or_(*branches)]

    # --- writing ------------------------------------------------------------------------------

    def add(self, writing: Writing, record: Mapping[str, Any]) -> None:
        """See `Records`."""
        self._insert.run(writing, {f"v_{name}": value for name, value in record.items()})

    def change(self, writing: Writing, record_id: str, version: int, changes: Mapping[str, Any]) -> None:
        """See `Records`."""
        names = tuple(sorted(changes))
        prepared = self._updates.get(names)
        if prepared is None:
            statement = (
                self._table.update().where(*_guard(self._table)).values(parameters_of(self._table, names))
            )
            prepared = Prepared(statement, self._engine)
            _keep(self._updates, names, prepared)
        given = {f"v_{name}": value for name, value in changes.items()}
        given["x_id"], given["x_version"] = record_id, version
        self._guarded(prepared.run(writing, given), record_id, version)

    def remove(self, writing: Writing, record_id: str, version: int) -> None:
        """See `Records`."""
        touched = self._delete.run(writing, {"x_id": record_id, "x_version": version})
        self._guarded(touched, record_id, version)

    def _guarded(self, touched: int, record_id: str, version: int) -> None:
        if touched != 1:
            raise VersionRace(f"{self.collection.name} {record_id} is no longer at version {version}.")


def _conditions(page: Page) -> list[Condition]:
    """All conditions of a page, in the order in which its statement has them."""
    return [page.condition, *(known for _, known in page.searched), *(one.known for one in page.order)]


def _guard(table: Table) -> list[ColumnElement[bool]]:
    return [table.c.id == bindparam("x_id"), table.c.version == bindparam("x_version")]


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
