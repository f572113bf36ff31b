"""Signed heads of the history's tree, and the public keys that signed them; both are only ever added."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import bindparam, select

from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared, parameters_of
from fenland.storage.shared.tables import OwnTables
from fenland.storage.shared.values import Head


class TableHeads:
    """`Heads` of the door over their tables."""

    def __init__(self, tables: OwnTables, engine: Engine) -> None:
        heads, keys = tables.tree.heads, tables.tree.keys
        shown = select(heads.c.size, heads.c.root, heads.c.time, heads.c.signed)
        self._all = Prepared(shown.order_by(heads.c.size), engine)
        self._page = Prepared(
            shown.where(heads.c.size < bindparam("below"))
            .order_by(heads.c.size.desc())
            .limit(bindparam("x_limit")),
            engine,
        )
        self._add = Prepared(heads.insert().values(parameters_of(heads, heads.c.keys())), engine)
        self._keys = Prepared(select(keys.c.key).order_by(keys.c.since, keys.c.id), engine)
        self._add_key = Prepared(keys.insert().values(parameters_of(keys, keys.c.keys())), engine)

    def last(self, reading: Reading) -> Head | None:
        """See `Heads`."""
        found = self.page(reading, below=2**62, limit=1)
        return found[0] if found else None

    def all(self, reading: Reading) -> list[Head]:
        """See `Heads`."""
        return [_head(self._all.converted(row)) for row in self._all.all(reading, {})]

    def page(self, reading: Reading, *, below: int, limit: int) -> list[Head]:
        """See `Heads`."""
        rows = self._page.all(reading, {"below": below, "x_limit": limit})
        return [_head(self._page.converted(row)) for row in rows]

    def keep(self, writing: Writing, head: Head) -> None:
        """See `Heads`."""
        given = {"size": head.size, "root": head.root.hex(), "time": head.time, "signed": head.signed}
        self._add.run(writing, {f"v_{name}": value for name, value in given.items()})

    def keys(self, reading: Reading) -> list[dict[str, Any]]:
        """See `Heads`."""
        return [self._keys.converted(row)[0] for row in self._keys.all(reading, {})]

    def add_key(self, writing: Writing, key: Mapping[str, Any], now: str) -> None:
        """See `Heads`."""
        if key["kid"] not in {one["kid"] for one in self.keys(writing)}:
            self._add_key.run(writing, {"v_id": key["kid"], "v_key": dict(key), "v_since": now})


def _head(values: Sequence[Any]) -> Head:
    size, root, time, signed = values
    return Head(size, bytes.fromhex(root), time, signed)
