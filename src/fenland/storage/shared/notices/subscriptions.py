"""Subscriptions: which other systems are sent what, and how far each of them has come."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from sqlalchemy import Table, bindparam, select

from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared, parameters_of
from fenland.storage.shared.values import Secret, Subscription

#: What says how far one has come; all else is changed by people.
_PROGRESS = ("place", "notice", "failing_since")


class TableSubscriptions:
    """`Subscriptions` of the door."""

    def __init__(self, table: Table, engine: Engine) -> None:
        self._names = [column.name for column in table.columns]
        self._all = Prepared(select(*table.columns).order_by(table.c.name), engine)
        self._by_name = Prepared(select(*table.columns).where(table.c.name == bindparam("x_name")), engine)
        self._add = Prepared(table.insert().values(parameters_of(table, self._names)), engine)
        mine = table.c.id == bindparam("x_id")
        changed = [name for name in self._names if name != "id"]
        self._change = Prepared(table.update().where(mine).values(parameters_of(table, changed)), engine)
        self._go_on = Prepared(
            table.update()
            .where(mine, table.c.place == bindparam("x_place"), table.c.notice == bindparam("x_notice"))
            .values(parameters_of(table, _PROGRESS[:2])),
            engine,
        )
        self._fail = Prepared(table.update().where(mine).values(parameters_of(table, _PROGRESS[2:])), engine)
        self._remove = Prepared(table.delete().where(mine), engine)

    def all(self, reading: Reading) -> list[Subscription]:
        """See `Subscriptions`."""
        return [self._read(self._all.converted(row)) for row in self._all.all(reading, {})]

    def by_name(self, reading: Reading, name: str) -> Subscription | None:
        """See `Subscriptions`."""
        row = self._by_name.one(reading, {"x_name": name})
        return None if row is None else self._read(self._by_name.converted(row))

    def add(self, writing: Writing, one: Subscription) -> None:
        """See `Subscriptions`."""
        self._add.run(writing, self._values(one))

    def change(self, writing: Writing, one: Subscription) -> None:
        """See `Subscriptions`."""
        self._change.run(writing, {"x_id": one.id, **self._values(one)})

    def go_on(self, writing: Writing, one: Subscription, place: str, notice: int) -> bool:
        """See `Subscriptions`."""
        given = {"x_id": one.id, "x_place": one.place, "x_notice": one.notice}
        return bool(self._go_on.run(writing, {**given, "v_place": place, "v_notice": notice}))

    def note_failing(self, writing: Writing, subscription: str, since: str | None) -> None:
        """See `Subscriptions`."""
        self._fail.run(writing, {"x_id": subscription, "v_failing_since": since})

    def remove(self, writing: Writing, subscription: str) -> None:
        """See `Subscriptions`."""
        self._remove.run(writing, {"x_id": subscription})

    def _values(self, one: Subscription) -> dict[str, Any]:
        values = {f"v_{name}": getattr(one, name) for name in self._names}
        lists = {"v_collections": list(one.collections), "v_notices": list(one.notices)}
        return {**values, **lists, "v_secrets": [list(secret) for secret in one.secrets]}

    def _read(self, row: Sequence[Any]) -> Subscription:
        values = dict(zip(self._names, row, strict=True))
        secrets = tuple(Secret(*one) for one in values["secrets"])
        lists = {name: tuple(values[name]) for name in ("collections", "notices")}
        return Subscription(**{**values, **lists, "secrets": secrets, "paused": bool(values["paused"])})
