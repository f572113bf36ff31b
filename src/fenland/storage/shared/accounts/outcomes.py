"""Kept outcomes of requests that came with an idempotency key, until they expire."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from sqlalchemy import Table, bindparam, select, tuple_

from fenland.storage.shared.column_types import read_json_text
from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared
from fenland.storage.shared.values import Kept

_EXPIRED_AT_A_TIME = 100


class TableOutcomes:
    """`Outcomes` of the door over their table; its statements are prepared once."""

    def __init__(self, table: Table, engine: Engine) -> None:
        now = bindparam("now", type_=table.c.expires_at.type)
        mine = (table.c.account == bindparam("x_account")) & (table.c.key == bindparam("x_key"))
        self._find = Prepared(
            select(table.c.fingerprint, table.c.content).where(mine, table.c.expires_at > now), engine
        )
        self._add = Prepared(
            table.insert().values(
                {column.name: bindparam(f"v_{column.name}", type_=column.type) for column in table.columns}
            ),
            engine,
        )
        # In portions: after a busy day there may be very many.
        past = (
            select(table.c.account, table.c.key)
            .where(table.c.expires_at <= now)
            .order_by(table.c.expires_at)
            .limit(_EXPIRED_AT_A_TIME)
        )
        here = tuple_(table.c.account, table.c.key)
        self._all = Prepared(select(table.c.account, table.c.key, table.c.content), engine)
        here_is = (table.c.account == bindparam("x_account")) & (table.c.key == bindparam("x_key"))
        self._rewrite = Prepared(
            table.update().where(here_is).values(content=bindparam("v_content", type_=table.c.content.type)),
            engine,
        )
        self._expire = Prepared(table.delete().where(here.in_(past)), engine)

    def holds(self, reading: Reading, account: str, key: str, now: str) -> bool:
        """See `Outcomes`."""
        return self._find.one(reading, {"x_account": account, "x_key": key, "now": now}) is not None

    def find(self, writing: Writing, account: str, key: str, now: str) -> Kept | None:
        """See `Outcomes`."""
        self._expire.run(writing, {"now": now})
        row = self._find.one(writing, {"x_account": account, "x_key": key, "now": now})
        return None if row is None else Kept(*self._find.converted(row))

    def rewrite(self, writing: Writing, holding: str, change: Callable[[Any], Any]) -> int:
        """See `Outcomes`."""
        # Seldom asked for, and outcomes are kept for a day: nothing is looked up by.
        count = 0
        for account, key, text in self._all.all(writing, {}):
            if holding in text:
                content = change(read_json_text(text))
                count += self._rewrite.run(
                    writing, {"x_account": account, "x_key": key, "v_content": content}
                )
        return count

    def keep(self, writing: Writing, account: str, key: str, outcome: Kept, expires: str) -> None:
        """See `Outcomes`."""
        self._add.run(
            writing,
            {
                "v_account": account,
                "v_key": key,
                "v_fingerprint": outcome.fingerprint,
                "v_content": outcome.content,
                "v_expires_at": expires,
            },
        )
