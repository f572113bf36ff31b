"""The terms of blocks of entries, by which searches skip what cannot be meant; see `core/terms.py`."""

from __future__ import annotations

from collections.abc import Sequence

import orjson
from sqlalchemy import Select, Table, bindparam, select

from fenland.core.terms import BLOCK, EQUALS, terms_of
from fenland.storage.protocols import Reading, Writing
from fenland.storage.statements import Engine, Prepared

#: Rows of one insert, in the sizes they are prepared for, largest first.
_ROWS = (64, 8, 1)
#: How many terms one search asks for, and how many blocks it is told of at a time.
_MOST, _AT_A_TIME = 6, 64


class Terms:
    """The blocks that terms are in. A block is numbered by the sequence of its last entry."""

    def __init__(self, table: Table, table_of: Table, engine: Engine) -> None:
        """`table_of` is that of the history."""
        self._inserts = {
            rows: Prepared(
                table.insert().values(
                    [
                        {"term": bindparam(f"v_term{row}"), "block": bindparam(f"v_block{row}")}
                        for row in range(rows)
                    ]
                ),
                engine,
            )
            for rows in _ROWS
        }
        rows = select(*(table_of.c[name] for name in (*EQUALS, "reason", "changes", "sealed")))
        self._rows = Prepared(
            rows.where(table_of.c.sequence > bindparam("above"), table_of.c.sequence <= bindparam("last")),
            engine,
        )
        self._blocks = [Prepared(_blocks_with(table, count), engine) for count in range(1, _MOST + 1)]

    def add(self, writing: Writing, block: int) -> None:
        """Keeps the terms of a block that is full."""
        found: set[int] = set()
        for *parts, changes, sealed in self._rows.all(writing, {"above": block - BLOCK, "last": block}):
            named = dict(zip((*EQUALS, "reason"), parts, strict=True))
            found.update(terms_of(named, orjson.loads(changes), orjson.loads(sealed) if sealed else {}))
        left = sorted(found)
        while left:
            rows = next(rows for rows in _ROWS if rows <= len(left))
            values = [value for one in left[:rows] for value in (one, block)]
            # In the order of the text: term and block, row by row.
            writing.execute(self._inserts[rows].text, values)
            left = left[rows:]

    def blocks(self, reading: Reading, terms: Sequence[int], below: int) -> list[int]:
        """The newest blocks below this one that have all these terms, newest first."""
        asked = terms[:_MOST]
        given = {f"x_term{place}": one for place, one in enumerate(asked)}
        statement = self._blocks[len(asked) - 1]
        return [row[0] for row in statement.all(reading, {**given, "below": below, "x_limit": _AT_A_TIME})]


def block_of(sequence: int) -> int:
    """The block that an entry is in."""
    return -(-sequence // BLOCK) * BLOCK


def _blocks_with(table: Table, count: int) -> Select[int]:
    first, *others = (table.alias(f"t{place}") for place in range(count))
    statement = select(first.c.block).where(
        first.c.term == bindparam("x_term0"), first.c.block < bindparam("below")
    )
    for place, one in enumerate(others, 1):
        statement = statement.where(one.c.term == bindparam(f"x_term{place}"), one.c.block == first.c.block)
    return statement.order_by(first.c.block.desc()).limit(bindparam("x_limit"))
