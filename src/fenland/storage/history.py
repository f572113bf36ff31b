"""The history table: entries are added in the transaction of their change, and only ever read."""

from __future__ import annotations

from collections.abc import Sequence
from operator import attrgetter
from typing import Any

from sqlalchemy import Table, bindparam, select

from fenland.core.history import Entry
from fenland.core.limits import DEFAULTS, Limits
from fenland.storage.protocols import Reading, Writing
from fenland.storage.statements import Engine, Prepared


class TableHistory:
    """`History` of the door over its table, whose columns are the parts of an `Entry`."""

    def __init__(self, table: Table, engine: Engine, limits: Limits = DEFAULTS) -> None:
        self._limits = limits
        self._columns = [column.name for column in table.columns]
        self._changes = self._columns.index("changes")
        written = [name for name in self._columns if name != "sequence"]
        values = {name: bindparam(f"v_{name}", type_=table.c[name].type) for name in written}
        self._add = Prepared(engine.numbering(table.insert().values(values), table.c.sequence), engine)
        self._parts = attrgetter(*(name.removeprefix("v_") for name in self._add.order))
        of_record = table.c.record_id == bindparam("record_id", type_=table.c.record_id.type)
        entries = select(*table.columns)
        self._of_record = Prepared(
            entries.where(of_record, table.c.version < bindparam("below"))
            .order_by(table.c.version.desc())
            .limit(bindparam("x_limit")),
            engine,
        )
        self._since = Prepared(
            entries.where(of_record, table.c.version > bindparam("version"))
            .order_by(table.c.version)
            .limit(bindparam("x_limit")),
            engine,
        )
        self._last_deleted = Prepared(
            entries.where(
                table.c.collection == bindparam("collection"),
                table.c.key == bindparam("key", type_=table.c.key.type),
                table.c.action == "delete",
            )
            .order_by(table.c.sequence.desc())
            .limit(1),
            engine,
        )

    def add(self, writing: Writing, entry: Entry) -> int:
        """See `History`."""
        return self._add.added(writing, self._parts(entry))

    def of_record(
        self, reading: Reading, record_id: str, *, below: int, limit: int
    ) -> tuple[list[Entry], bool]:
        """See `History`."""
        given = {"record_id": record_id, "below": below, "x_limit": limit + 1}
        rows, cut = self._of_record.some(reading, given, self._limits.answer)
        return [self._entry(row) for row in rows[:limit]], cut or len(rows) > limit

    def since(
        self, reading: Reading, record_id: str, version: int, *, most: int, characters: int
    ) -> list[Entry] | None:
        """See `History`."""
        given = {"record_id": record_id, "version": version, "x_limit": most + 1}
        rows = self._since.all(reading, given)
        if len(rows) > most or sum(len(row[self._changes]) for row in rows) > characters:
            return None
        return [self._entry(row) for row in rows]

    def last_deleted(self, reading: Reading, collection: str, key: Any) -> Entry | None:
        """See `History`."""
        row = self._last_deleted.one(reading, {"collection": collection, "key": key})
        return None if row is None else self._entry(row)

    def _entry(self, row: Sequence[Any]) -> Entry:
        values = dict(zip(self._columns, self._of_record.converted(row), strict=True))
        values["changes"] = {name: (before, after) for name, (before, after) in values["changes"].items()}
        return Entry(**values)
