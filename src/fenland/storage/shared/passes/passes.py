"""Passes: what was handed out, to whom, and until when it is good."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cache
from typing import Any

from sqlalchemy import BindParameter, Table, bindparam, select

from fenland.storage.shared.handed_out import Pass, PassesWanted
from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared, parameters_of

#: What may be asked of them besides their collection.
_EQUAL = ("template", "record_id", "run")

#: Rows that are read at a time where all are.
_AT_A_TIME = 500


class TablePasses:
    """`Passes` of the door."""

    def __init__(self, table: Table, engine: Engine) -> None:
        self._table, self._engine = table, engine
        self._names = [column.name for column in table.columns if column.name != "number"]
        self._row = (*(table.c[name] for name in self._names), table.c.number)
        self._by_hash = Prepared(select(*self._row).where(table.c.hash == bindparam("x_hash")), engine)
        this = table.c.number == bindparam("x_number")
        self._by_number = Prepared(select(*self._row).where(this), engine)
        inserted = table.insert().values(parameters_of(table, self._names))
        self._add = Prepared(engine.numbering(inserted, table.c.number), engine)
        self._change = Prepared(table.update().where(this).values(parameters_of(table, self._names)), engine)
        used = ("opened_at", "sent_at", "sent", "tries")
        self._use = Prepared(table.update().where(this).values(parameters_of(table, used)), engine)
        number = table.c.number
        beyond = select(*self._row).where(number > _count("x_above")).order_by(number).limit(_AT_A_TIME)
        self._beyond = Prepared(beyond, engine)
        self._page = cache(self._paged)

    def _paged(self, asked: tuple[str, ...]) -> Prepared:
        table, limit = self._table, _count("x_limit")
        equal = [table.c[name] == bindparam(f"x_{name}") for name in asked]
        found = select(*self._row).where(
            table.c.collection == bindparam("x_collection"), table.c.number < _count("x_below"), *equal
        )
        return Prepared(found.order_by(table.c.number.desc()).limit(limit), self._engine)

    def by_hash(self, reading: Reading, hashed: str) -> Pass | None:
        """See `Passes`."""
        return self._one(self._by_hash, reading, {"x_hash": hashed})

    def by_number(self, reading: Reading, number: int) -> Pass | None:
        """See `Passes`."""
        return self._one(self._by_number, reading, {"x_number": number})

    def page(self, reading: Reading, wanted: PassesWanted) -> list[Pass]:
        """See `Passes`."""
        asked = tuple(name for name in _EQUAL if getattr(wanted, name) is not None)
        prepared = self._page(asked)
        given = {f"x_{name}": value for name, value in wanted._asdict().items()}
        rows = prepared.all(reading, given)
        return [self._read(prepared.converted(row)) for row in rows]

    def every(self, reading: Reading) -> Iterator[Pass]:
        """All of them, some at a time, in the order of their numbers."""
        above, more = 0, True
        while more:
            rows = self._beyond.all(reading, {"x_above": above})
            found = [self._read(self._beyond.converted(row)) for row in rows]
            yield from found
            above, more = (found[-1].number if found else 0), len(found) == _AT_A_TIME

    def add(self, writing: Writing, one: Pass) -> int:
        """See `Passes`."""
        return self._add.added(writing, [getattr(one, name) for name in self._names])

    def change(self, writing: Writing, one: Pass) -> None:
        """See `Passes`."""
        self._change.run(writing, self._values(one))

    def use(self, writing: Writing, one: Pass) -> None:
        """See `Passes`."""
        self._use.run(writing, self._values(one))

    def _one(self, prepared: Prepared, reading: Reading, given: dict[str, Any]) -> Pass | None:
        row = prepared.one(reading, given)
        return None if row is None else self._read(prepared.converted(row))

    def _values(self, one: Pass) -> dict[str, Any]:
        return {"x_number": one.number, **{f"v_{name}": getattr(one, name) for name in self._names}}

    def _read(self, row: Sequence[Any]) -> Pass:
        *values, number = row
        return Pass(**dict(zip(self._names, values, strict=True)), number=number)


def _count(name: str) -> BindParameter[int]:
    return bindparam(name)
