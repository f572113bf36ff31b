"""The outbox: notices that changes left for other systems, in the order in which they were left."""

from __future__ import annotations

from collections.abc import Mapping

from sqlalchemy import bindparam, delete, func, select, update

from fenland.core.limits import Limits
from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared, parameters_of
from fenland.storage.shared.tables import OwnTables
from fenland.storage.shared.values import Noticed

#: Those that are removed with one that comes.
_REMOVED_AT_A_TIME = 100


class TableNotices:
    """`Notices` of the door."""

    def __init__(self, tables: OwnTables, engine: Engine, limits: Limits) -> None:
        table = tables.notices
        self._characters = limits.answer
        self._names = [column.name for column in table.columns if column.name != "number"]
        self._add = Prepared(
            engine.numbering(table.insert().values(parameters_of(table, self._names)), table.c.number), engine
        )
        old = (
            select(table.c.number)
            .where(table.c.time < bindparam("x_time", type_=table.c.time.type))
            .order_by(table.c.time)
            .limit(_REMOVED_AT_A_TIME)
        )
        self._remove = Prepared(delete(table).where(table.c.number.in_(old)), engine)
        self._after = Prepared(
            select(*table.columns)
            .where(table.c.number > bindparam("x_after"))
            .order_by(table.c.number)
            .limit(bindparam("x_limit")),
            engine,
        )
        self._below = Prepared(
            select(*table.columns)
            .where(table.c.number < bindparam("x_below"))
            .order_by(table.c.number.desc())
            .limit(bindparam("x_limit")),
            engine,
        )
        self._before = Prepared(
            select(func.coalesce(func.max(table.c.number), 0)).where(
                table.c.time < bindparam("x_time", type_=table.c.time.type)
            ),
            engine,
        )
        self._empty = Prepared(
            update(table)
            .where(table.c.record_id == bindparam("x_record"))
            .values(data=bindparam("v_data", type_=table.c.data.type)),
            engine,
        )

    def add(self, writing: Writing, notice: Noticed, before: str) -> int:
        """See `Notices`."""
        self._remove.run(writing, {"x_time": before})
        return self._add.added(writing, [getattr(notice, name) for name in self._names])

    def after(self, reading: Reading, number: int, limit: int) -> tuple[list[Noticed], bool]:
        """See `Notices`."""
        return self._page(self._after, reading, {"x_after": number, "x_limit": limit + 1})

    def below(self, reading: Reading, number: int, limit: int) -> tuple[list[Noticed], bool]:
        """See `Notices`."""
        return self._page(self._below, reading, {"x_below": number, "x_limit": limit + 1})

    def _page(
        self, prepared: Prepared, reading: Reading, given: Mapping[str, int]
    ) -> tuple[list[Noticed], bool]:
        rows, more = prepared.some(reading, given, self._characters)
        beyond = len(rows) == given["x_limit"]
        found = [Noticed(*prepared.converted(row)) for row in (rows[:-1] if beyond else rows)]
        return found, more or beyond

    def before(self, reading: Reading, time: str) -> int:
        """See `Notices`."""
        found: int = self._before.one(reading, {"x_time": time})[0]
        return found

    def empty(self, writing: Writing, record_id: str) -> int:
        """See `Notices`."""
        return self._empty.run(writing, {"x_record": record_id, "v_data": {}})
