"""Deliveries: what is to be sent to whom, in which order, and each attempt at it.

Nothing of what is sent is kept here: it is made anew from the history for each attempt.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from sqlalchemy import BindParameter, Table, bindparam, func, select

from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared, parameters_of
from fenland.storage.shared.values import Attempt, Delivery, DeliveryState

_WAITING: DeliveryState = "waiting"


class TableDeliveries:
    """`Deliveries` of the door."""

    def __init__(self, table: Table, attempts: Table, engine: Engine) -> None:
        self._engine, self._table = engine, table
        self._names = [column.name for column in table.columns if column.name != "number"]
        self._row = (*(table.c[name] for name in self._names), table.c.number)
        self._theirs = table.c.subscription == bindparam("x_subscription")
        self._this = table.c.number == bindparam("x_number")
        self._prepare_reading()
        self._prepare_changing()
        self._prepare_attempts(attempts)

    def _prepare_reading(self) -> None:
        table, engine, theirs = self._table, self._engine, self._theirs
        rows, earlier = select(*self._row), table.alias()
        limit: BindParameter[int] = bindparam("x_limit")
        waiting = (theirs, table.c.state == _WAITING)
        behind = (
            select(earlier.c.number)
            .where(
                earlier.c.subscription == table.c.subscription,
                earlier.c.state == _WAITING,
                earlier.c.record_id == table.c.record_id,
                earlier.c.sequence < table.c.sequence,
            )
            .exists()
        )
        now = bindparam("x_now", type_=table.c.due.type)
        in_order = rows.where(*waiting, table.c.due <= now, ~behind).order_by(
            table.c.sequence, table.c.number
        )
        self._due = Prepared(in_order.limit(limit), engine)
        self._next = Prepared(select(func.min(table.c.due)).where(*waiting), engine)
        of_state = table.c.state == bindparam("x_state")
        self._count = Prepared(select(func.count()).where(theirs, of_state), engine)
        below = table.c.number < bindparam("x_below")
        page = rows.where(theirs, below).order_by(table.c.number.desc()).limit(limit)
        self._page, self._page_of = Prepared(page, engine), Prepared(page.where(of_state), engine)
        self._one = Prepared(rows.where(theirs, self._this), engine)
        numbers = select(table.c.number).limit(limit)
        before = bindparam("x_before", type_=table.c.until.type)
        self._old = Prepared(numbers.where(table.c.until < before, table.c.state != _WAITING), engine)
        self._of = Prepared(numbers.where(theirs), engine)
        self._whose = Prepared(select(table.c.subscription).distinct(), engine)

    def _prepare_changing(self) -> None:
        table, engine = self._table, self._engine
        inserted = table.insert().values(parameters_of(table, self._names))
        self._add = Prepared(engine.numbering(inserted, table.c.number), engine)
        again = (
            "type",
            "sequence",
            "collection",
            "record_id",
            "subject",
            "due",
            "until",
            "state",
            "attempts",
        )
        there = table.update().where(self._theirs, table.c.event == bindparam("x_event"))
        self._again = Prepared(there.values(parameters_of(table, again)), engine)
        known = table.c.due == bindparam("x_due", type_=table.c.due.type)
        settled = parameters_of(table, ("state", "due", "attempts"))
        self._settle = Prepared(table.update().where(self._this, known).values(settled), engine)
        self._remove = Prepared(table.delete().where(self._this), engine)

    def _prepare_attempts(self, attempts: Table) -> None:
        table, engine = self._table, self._engine
        self._attempt_names = [one.name for one in attempts.columns if one.name not in ("number", "delivery")]
        of_one = attempts.c.delivery == bindparam("x_delivery")
        added = parameters_of(attempts, ["delivery", *self._attempt_names])
        self._add_attempt = Prepared(attempts.insert().values(added), engine)
        shown = select(*(attempts.c[name] for name in self._attempt_names)).where(of_one)
        newest = shown.order_by(attempts.c.number.desc()).limit(bindparam("x_limit"))
        self._attempts = Prepared(newest, engine)
        about = select(table.c.number).where(table.c.record_id == bindparam("x_record"))
        silenced = (
            attempts.update().where(attempts.c.delivery.in_(about)).values(answer=bindparam("v_answer"))
        )
        self._silence = Prepared(silenced, engine)
        noted = table.update().where(table.c.record_id == bindparam("x_record"))
        self._note_silenced = Prepared(noted.values(silenced=table.c.silenced + 1), engine)
        self._remove_attempts = Prepared(attempts.delete().where(of_one), engine)

    def add(self, writing: Writing, one: Delivery) -> int:
        """See `Deliveries`."""
        values = {name: getattr(one, name) for name in self._names}
        given = {
            f"v_{name}": value for name, value in values.items() if name not in ("subscription", "event")
        }
        del given["v_time"]
        if self._again.run(writing, {"x_subscription": one.subscription, "x_event": one.event, **given}):
            return 0
        return self._add.added(writing, [values[name] for name in self._names])

    def due(self, reading: Reading, subscription: str, now: str, limit: int) -> list[Delivery]:
        """See `Deliveries`."""
        given = {"x_subscription": subscription, "x_now": now, "x_limit": limit}
        return self._read(self._due, self._due.all(reading, given))

    def next_due(self, reading: Reading, subscription: str) -> str | None:
        """See `Deliveries`."""
        row = self._next.one(reading, {"x_subscription": subscription})
        found: str | None = None if row[0] is None else self._next.converted(row)[0]
        return found

    def count(self, reading: Reading, subscription: str, state: DeliveryState) -> int:
        """See `Deliveries`."""
        found: int = self._count.one(reading, {"x_subscription": subscription, "x_state": state})[0]
        return found

    def page(
        self, reading: Reading, subscription: str, state: DeliveryState | None, *, below: int, limit: int
    ) -> list[Delivery]:
        """See `Deliveries`."""
        given = {"x_subscription": subscription, "x_below": below, "x_limit": limit}
        if state is None:
            return self._read(self._page, self._page.all(reading, given))
        return self._read(self._page_of, self._page_of.all(reading, {**given, "x_state": state}))

    def one(self, reading: Reading, subscription: str, number: int) -> Delivery | None:
        """See `Deliveries`."""
        given = {"x_subscription": subscription, "x_number": number}
        found = self._read(self._one, self._one.all(reading, given))
        return found[0] if found else None

    def settle(self, writing: Writing, one: Delivery, attempt: Attempt | None, due: str) -> bool:
        """See `Deliveries`."""
        given = {"x_number": one.number, "x_due": due}
        settled = {"v_state": one.state, "v_due": one.due, "v_attempts": one.attempts}
        if attempt is not None:
            now = self._one.one(writing, {"x_subscription": one.subscription, "x_number": one.number})
            if now is None or self._read(self._one, [now])[0].silenced != one.silenced:
                # Values were erased while it was under way, which the receiver may have said again.
                attempt = attempt._replace(answer="")
            told = {f"v_{name}": value for name, value in attempt._asdict().items()}
            self._add_attempt.run(writing, {"v_delivery": one.number, **told})
        return bool(self._settle.run(writing, {**given, **settled}))

    def attempts(self, reading: Reading, number: int, limit: int) -> list[Attempt]:
        """See `Deliveries`."""
        rows = self._attempts.all(reading, {"x_delivery": number, "x_limit": limit})
        names = self._attempt_names
        return [Attempt(**dict(zip(names, self._attempts.converted(row), strict=True))) for row in rows]

    def silence(self, writing: Writing, record_id: str) -> int:
        """See `Deliveries`."""
        self._note_silenced.run(writing, {"x_record": record_id})
        return self._silence.run(writing, {"x_record": record_id, "v_answer": ""})

    def remove_old(self, writing: Writing, before: str, limit: int) -> int:
        """See `Deliveries`."""
        rows = self._old.all(writing, {"x_before": before, "x_limit": limit})
        return self._remove_all(writing, (row[0] for row in rows))

    def remove_of(self, writing: Writing, subscription: str, limit: int) -> int:
        """See `Deliveries`."""
        rows = self._of.all(writing, {"x_subscription": subscription, "x_limit": limit})
        return self._remove_all(writing, (row[0] for row in rows))

    def whose(self, reading: Reading) -> list[str]:
        """See `Deliveries`."""
        return [row[0] for row in self._whose.all(reading, {})]

    def _remove_all(self, writing: Writing, numbers: Iterable[int]) -> int:
        count = 0
        for number in list(numbers):
            self._remove_attempts.run(writing, {"x_delivery": number})
            count += self._remove.run(writing, {"x_number": number})
        return count

    def _read(self, prepared: Prepared, rows: list[Any]) -> list[Delivery]:
        found = []
        for row in rows:
            *values, number = prepared.converted(row)
            given: dict[str, Any] = dict(zip(self._names, values, strict=True))
            found.append(replace(Delivery(**given), number=number))
        return found
