"""Deliveries: what is to be sent to whom, in which order, and each attempt at it.

Nothing of what is sent is kept here: it is made anew from the history for each attempt.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from sqlalchemy import Table, bindparam, func, select

from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared, parameters_of
from fenland.storage.shared.values import Attempt, Delivery, DeliveryState

_WAITING: DeliveryState = "waiting"


class TableDeliveries:
    """`Deliveries` of the door."""

    def __init__(self, table: Table, attempts: Table, engine: Engine) -> None:
        self._names = [column.name for column in table.columns if column.name != "number"]
        columns = [table.c[name] for name in self._names]
        row = (*columns, table.c.number)
        self._attempt_names = [one.name for one in attempts.columns if one.name not in ("number", "delivery")]
        theirs = table.c.subscription == bindparam("x_subscription")
        this = table.c.number == bindparam("x_number")
        self._add = Prepared(
            engine.numbering(table.insert().values(parameters_of(table, self._names)), table.c.number), engine
        )
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
        self._again = Prepared(
            table.update()
            .where(theirs, table.c.event == bindparam("x_event"))
            .values(parameters_of(table, again)),
            engine,
        )
        earlier = table.alias()
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
        waiting = (theirs, table.c.state == _WAITING)
        self._due = Prepared(
            select(*row)
            .where(*waiting, table.c.due <= bindparam("x_now", type_=table.c.due.type), ~behind)
            .order_by(table.c.sequence, table.c.number)
            .limit(bindparam("x_limit")),
            engine,
        )
        self._next = Prepared(select(func.min(table.c.due)).where(*waiting), engine)
        self._count = Prepared(
            select(func.count()).where(theirs, table.c.state == bindparam("x_state")), engine
        )
        below = table.c.number < bindparam("x_below")
        page = select(*row).where(theirs, below).order_by(table.c.number.desc()).limit(bindparam("x_limit"))
        self._page = Prepared(page, engine)
        self._page_of = Prepared(page.where(table.c.state == bindparam("x_state")), engine)
        self._one = Prepared(select(*row).where(theirs, this), engine)
        self._settle = Prepared(
            table.update()
            .where(this, table.c.due == bindparam("x_due", type_=table.c.due.type))
            .values(parameters_of(table, ("state", "due", "attempts"))),
            engine,
        )
        of_one = attempts.c.delivery == bindparam("x_delivery")
        self._add_attempt = Prepared(
            attempts.insert().values(parameters_of(attempts, ["delivery", *self._attempt_names])), engine
        )
        self._attempts = Prepared(
            select(*(attempts.c[name] for name in self._attempt_names))
            .where(of_one)
            .order_by(attempts.c.number.desc())
            .limit(bindparam("x_limit")),
            engine,
        )
        self._silence = Prepared(
            attempts.update()
            .where(
                attempts.c.delivery.in_(
                    select(table.c.number).where(table.c.record_id == bindparam("x_record"))
                )
            )
            .values(answer=bindparam("v_answer")),
            engine,
        )
        self._old = Prepared(
            select(table.c.number)
            .where(table.c.until < bindparam("x_before", type_=table.c.until.type), table.c.state != _WAITING)
            .limit(bindparam("x_limit")),
            engine,
        )
        self._of = Prepared(select(table.c.number).where(theirs).limit(bindparam("x_limit")), engine)
        self._whose = Prepared(select(table.c.subscription).distinct(), engine)
        self._remove = Prepared(table.delete().where(this), engine)
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
