"""The history table: entries are added in the transaction of their change, and only ever read."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Dialect, Table, bindparam, select

from fenland.core.history import Entry
from fenland.core.limits import DEFAULTS, Limits
from fenland.storage.codec import json_text, read_json_text
from fenland.storage.sqlite import Connection
from fenland.storage.statements import Prepared

_COLUMNS = (
    "sequence",
    "time",
    "collection",
    "record_id",
    "key",
    "version",
    "action",
    "actor",
    "behalf",
    "via",
    "request_id",
    "reason",
    "cause",
    "changes",
    "client",
)


_CHANGES = _COLUMNS.index("changes")


class History:
    """The statements of the history, prepared once."""

    def __init__(self, table: Table, dialect: Dialect, limits: Limits = DEFAULTS) -> None:
        self._limits = limits
        columns = [table.c[name] for name in _COLUMNS]
        written = _COLUMNS[1:]
        self._add = Prepared(
            table.insert().values({name: bindparam(f"v_{name}") for name in written}).inline(), dialect
        )
        self._of_record = Prepared(
            select(*columns)
            .where(table.c.record_id == bindparam("record_id"), table.c.version < bindparam("below"))
            .order_by(table.c.version.desc())
            .limit(bindparam("x_limit")),
            dialect,
        )
        self._since = Prepared(
            select(*columns)
            .where(table.c.record_id == bindparam("record_id"), table.c.version > bindparam("version"))
            .order_by(table.c.version)
            .limit(bindparam("x_limit")),
            dialect,
        )
        self._last_deleted = Prepared(
            select(*columns)
            .where(
                table.c.collection == bindparam("collection"),
                table.c.key == bindparam("key"),
                table.c.action == "delete",
            )
            .order_by(table.c.sequence.desc())
            .limit(1),
            dialect,
        )

    def add(self, connection: Connection, entry: Entry) -> int:
        """Appends one entry and returns the sequence the table gave it."""
        return self._add.added(
            connection,
            {
                "v_time": entry.time,
                "v_collection": entry.collection,
                "v_record_id": entry.record_id,
                "v_key": json_text(entry.key),
                "v_version": entry.version,
                "v_action": entry.action,
                "v_actor": entry.actor,
                "v_behalf": entry.behalf,
                "v_via": entry.via,
                "v_request_id": entry.request_id,
                "v_reason": entry.reason,
                "v_cause": entry.cause,
                "v_changes": json_text(entry.changes),
                "v_client": entry.client,
            },
        )

    def of_record(
        self, connection: Connection, record_id: str, *, below: int, limit: int
    ) -> tuple[list[Entry], bool]:
        """A record's entries of versions under `below`, newest first, and whether more follow.

        There are fewer than `limit` where they would be too large together.
        """
        given = {"record_id": record_id, "below": below, "x_limit": limit + 1}
        rows, cut = self._of_record.some(connection, given, self._limits.answer)
        return [_entry(row) for row in rows[:limit]], cut or len(rows) > limit

    def since(
        self, connection: Connection, record_id: str, version: int, most: int, characters: int
    ) -> list[Entry] | None:
        """A record's entries of versions over `version`, oldest first; None when they pass the bounds."""
        given = {"record_id": record_id, "version": version, "x_limit": most + 1}
        rows = self._since.all(connection, given)
        if len(rows) > most or sum(len(row[_CHANGES]) for row in rows) > characters:
            return None
        return [_entry(row) for row in rows]

    def last_deleted(self, connection: Connection, collection: str, key: Any) -> Entry | None:
        """The entry that deleted the last record with this key, or None."""
        row = self._last_deleted.one(connection, {"collection": collection, "key": json_text(key)})
        return None if row is None else _entry(row)


def _entry(row: Any) -> Entry:
    values = dict(zip(_COLUMNS, row, strict=True))
    values["key"] = read_json_text(values["key"])
    values["changes"] = {
        name: (before, after) for name, (before, after) in read_json_text(values["changes"]).items()
    }
    return Entry(**values)
