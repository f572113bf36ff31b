"""Kept outcomes of requests that came with an idempotency key, until they expire."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from sqlalchemy import Dialect, Table, bindparam, select, tuple_

from fenland.storage.codec import json_text, read_verbatim
from fenland.storage.sqlite import Connection
from fenland.storage.statements import Prepared

_EXPIRED_AT_A_TIME = 100


@dataclass(frozen=True, slots=True)
class Outcome:
    """What a request led to, and the fingerprint of that request."""

    fingerprint: str
    content: dict[str, Any]


class Outcomes:
    """The statements about kept outcomes, prepared once."""

    def __init__(self, table: Table, dialect: Dialect) -> None:
        mine = (table.c.account == bindparam("x_account")) & (table.c.key == bindparam("x_key"))
        self._find = Prepared(
            select(table.c.fingerprint, table.c.content).where(mine, table.c.expires_at > bindparam("now")),
            dialect,
        )
        self._add = Prepared(
            table.insert().values({column.name: bindparam(f"v_{column.name}") for column in table.columns}),
            dialect,
        )
        # In portions: after a busy day there may be very many.
        past = (
            select(table.c.account, table.c.key)
            .where(table.c.expires_at <= bindparam("now"))
            .order_by(table.c.expires_at)
            .limit(_EXPIRED_AT_A_TIME)
        )
        here = tuple_(table.c.account, table.c.key)
        self._expire = Prepared(table.delete().where(here.in_(past)), dialect)

    def find(self, connection: Connection, account: str, key: str, now: str) -> Outcome | None:
        """The outcome kept under an account's key, after clearing away what has expired."""
        self._expire.run(connection, {"now": now})
        row = self._find.one(connection, {"x_account": account, "x_key": key, "now": now})
        return None if row is None else Outcome(row[0], read_verbatim(row[1]))

    def keep(
        self,
        connection: Connection,
        account: str,
        key: str,
        fingerprint: str,
        content: dict[str, Any],
        expires: str,
    ) -> None:
        """Keeps an outcome until it expires."""
        self._add.run(
            connection,
            {
                "v_account": account,
                "v_key": key,
                "v_fingerprint": fingerprint,
                "v_content": json_text(content),
                "v_expires_at": expires,
            },
        )
