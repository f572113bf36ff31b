"""Proposals: what came in through passes, and what has become of each field of it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cache
from typing import Any

from sqlalchemy import BindParameter, Table, bindparam, func, or_, select

from fenland.storage.shared.handed_out import Proposal, ProposalsWanted, ProposedField
from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared, parameters_of

#: What may be asked of them.
_EQUAL = ("collection", "state", "record_id", "pass_number")

#: Rows that are read at a time where all are.
_AT_A_TIME = 500


class TableProposals:
    """`Proposals` of the door."""

    def __init__(self, table: Table, engine: Engine) -> None:
        self._table, self._engine = table, engine
        self._names = [column.name for column in table.columns if column.name != "number"]
        self._row = (*(table.c[name] for name in self._names), table.c.number)
        this = table.c.number == bindparam("x_number")
        self._by_number = Prepared(select(*self._row).where(this), engine)
        theirs = table.c.pass_number == bindparam("x_pass_number")
        self._sent = Prepared(select(*self._row).where(theirs, table.c.token == bindparam("x_token")), engine)
        inserted = table.insert().values(parameters_of(table, self._names))
        self._add = Prepared(engine.numbering(inserted, table.c.number), engine)
        changed = parameters_of(table, self._names)
        self._change = Prepared(table.update().where(this).values(changed), engine)
        self._remove = Prepared(table.delete().where(this), engine)
        counted = select(table.c.collection, func.count()).where(table.c.state == bindparam("x_state"))
        self._counts = Prepared(counted.group_by(table.c.collection), engine)
        before = bindparam("x_before", type_=table.c.settled_at.type)
        old = select(*self._row).where(table.c.settled_at < before)
        self._old = Prepared(old.order_by(table.c.settled_at).limit(_count("x_limit")), engine)
        its: BindParameter[str] = bindparam("x_record_id")
        about = select(*self._row).where(or_(table.c.record_id == its, table.c.made_id == its))
        self._about = Prepared(about, engine)
        number = table.c.number
        beyond = select(*self._row).where(number > _count("x_above")).order_by(number).limit(_AT_A_TIME)
        self._beyond = Prepared(beyond, engine)
        self._page = cache(self._paged)

    def _paged(self, asked: tuple[str, ...], newest: bool) -> Prepared:
        table, number = self._table, self._table.c.number
        equal = [table.c[name] == bindparam(f"x_{name}") for name in asked]
        within = (number > _count("x_above"), number < _count("x_below"))
        found = select(*self._row).where(*within, *equal).order_by(number.desc() if newest else number)
        return Prepared(found.limit(_count("x_limit")), self._engine)

    def by_number(self, reading: Reading, number: int) -> Proposal | None:
        """See `Proposals`."""
        return self._one(self._by_number, reading, {"x_number": number})

    def sent(self, reading: Reading, pass_number: int, token: str) -> Proposal | None:
        """See `Proposals`."""
        return self._one(self._sent, reading, {"x_pass_number": pass_number, "x_token": token})

    def page(self, reading: Reading, wanted: ProposalsWanted) -> list[Proposal]:
        """See `Proposals`."""
        asked = tuple(name for name in _EQUAL if getattr(wanted, name) is not None)
        prepared = self._page(asked, wanted.newest)
        given = {f"x_{name}": value for name, value in wanted._asdict().items()}
        return [self._read(prepared.converted(row)) for row in prepared.all(reading, given)]

    def waiting(self, reading: Reading) -> dict[str, int]:
        """See `Proposals`."""
        return dict(self._counts.all(reading, {"x_state": "waiting"}))

    def old(self, reading: Reading, before: str, limit: int) -> list[Proposal]:
        """See `Proposals`."""
        rows = self._old.all(reading, {"x_before": before, "x_limit": limit})
        return [self._read(self._old.converted(row)) for row in rows]

    def about(self, reading: Reading, record_id: str) -> list[Proposal]:
        """See `Proposals`."""
        rows = self._about.all(reading, {"x_record_id": record_id})
        return [self._read(self._about.converted(row)) for row in rows]

    def every(self, reading: Reading) -> Iterator[Proposal]:
        """All of them, some at a time, in the order of their numbers."""
        above, more = 0, True
        while more:
            rows = self._beyond.all(reading, {"x_above": above})
            found = [self._read(self._beyond.converted(row)) for row in rows]
            yield from found
            above, more = (found[-1].number if found else 0), len(found) == _AT_A_TIME

    def add(self, writing: Writing, one: Proposal) -> int:
        """See `Proposals`."""
        values = self._values(one)
        return self._add.added(writing, [values[f"v_{name}"] for name in self._names])

    def change(self, writing: Writing, one: Proposal) -> None:
        """See `Proposals`."""
        self._change.run(writing, {"x_number": one.number, **self._values(one)})

    def remove(self, writing: Writing, number: int) -> None:
        """See `Proposals`."""
        self._remove.run(writing, {"x_number": number})

    def _one(self, prepared: Prepared, reading: Reading, given: dict[str, Any]) -> Proposal | None:
        row = prepared.one(reading, given)
        return None if row is None else self._read(prepared.converted(row))

    def _values(self, one: Proposal) -> dict[str, Any]:
        values = {f"v_{name}": getattr(one, name) for name in self._names}
        kept = {name: each.as_json() for name, each in one.fields.items()}
        return {**values, "v_fields": kept, "v_whole": one.whole.as_json()}

    def _read(self, row: Sequence[Any]) -> Proposal:
        *columns, number = row
        values = dict(zip(self._names, columns, strict=True))
        del values["state"]
        fields = {name: ProposedField(*each) for name, each in values["fields"].items()}
        whole = ProposedField(*values["whole"])
        return Proposal(**{**values, "fields": fields, "whole": whole, "number": number})


def _count(name: str) -> BindParameter[int]:
    return bindparam(name)
