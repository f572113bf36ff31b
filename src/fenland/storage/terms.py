"""The terms of blocks of entries, by which searches skip what cannot be meant; see `core/terms.py`."""

from __future__ import annotations

from collections.abc import Sequence
from functools import reduce
from operator import and_
from typing import Any

import orjson
from sqlalchemy import Select, Table, bindparam, select

from fenland.core.terms import BLOCK, EQUALS, terms_of
from fenland.storage.protocols import Reading, Writing
from fenland.storage.statements import Engine, Prepared

#: Rows of one insert, in the sizes they are prepared for, largest first.
_ROWS = (64, 8, 1)
#: How many terms one search asks for, and how many blocks it is told of at a time.
_MOST, _AT_A_TIME = 6, 64
#: Up to so many blocks are counted to tell which term is in the fewest.
_COUNTED = 500


class Terms:
    """The blocks that terms are in. A block is numbered by the sequence of its last entry."""

    def __init__(self, table: Table, table_of: Table, engine: Engine) -> None:
        """`table_of` is that of the history."""
        self._inserts = {
            rows: Prepared(
                table.insert().values(
                    [
                        {name: bindparam(f"v_{name}{row}") for name in ("term", "block", "entries")}
                        for row in range(rows)
                    ]
                ),
                engine,
            )
            for rows in _ROWS
        }
        rows = select(*(table_of.c[name] for name in ("sequence", *EQUALS, "reason", "changes", "sealed")))
        self._rows = Prepared(
            rows.where(table_of.c.sequence > bindparam("above"), table_of.c.sequence <= bindparam("last")),
            engine,
        )
        here = table.c.term == bindparam("x_term0")
        self._some = Prepared(select(table.c.block).where(here).limit(bindparam("x_limit")), engine)
        self._blocks = [Prepared(_blocks_with(table, count), engine) for count in range(1, _MOST + 1)]

    def add(self, writing: Writing, block: int) -> None:
        """Keeps the terms of a block that is full."""
        found: dict[int, int] = {}
        rows = self._rows.all(writing, {"above": block - BLOCK, "last": block})
        for sequence, *parts, changes, sealed in rows:
            named = dict(zip((*EQUALS, "reason"), parts, strict=True))
            bit = _bit(sequence)
            for one in terms_of(named, orjson.loads(changes), orjson.loads(sealed) if sealed else {}):
                found[one] = found.get(one, 0) | bit
        left = sorted(found)
        while left:
            count = next(rows for rows in _ROWS if rows <= len(left))
            # In the order of the text: term, block and entries, row by row.
            values = [value for one in left[:count] for value in (one, block, found[one])]
            writing.execute(self._inserts[count].text, values)
            left = left[count:]

    def blocks(self, reading: Reading, terms: Sequence[int], below: int) -> list[tuple[int, int]]:
        """The newest blocks below this one in which entries have all these terms, newest first.

        Each comes with those entries, a bit for each; there may be none.
        """
        given = {f"x_term{place}": one for place, one in enumerate(terms)}
        statement = self._blocks[len(terms) - 1]
        rows = statement.all(reading, {**given, "below": below, "x_limit": _AT_A_TIME})
        return [(block, reduce(and_, masks)) for block, *masks in rows]

    def rarest(self, reading: Reading, terms: Sequence[int]) -> list[int]:
        """The terms that are in the fewest blocks, as many as are asked for at a time."""
        if len(terms) == 1:
            return list(terms)
        counted = {one: len(self._some.all(reading, {"x_term0": one, "x_limit": _COUNTED})) for one in terms}
        return sorted(counted, key=counted.__getitem__)[:_MOST]


def _bit(sequence: int) -> int:
    return 1 << ((sequence - 1) % BLOCK)


def has(mask: int, sequence: int) -> bool:
    """Whether an entry of a block is among those with a term."""
    return bool(mask & _bit(sequence))


def block_of(sequence: int) -> int:
    """The block that an entry is in."""
    return -(-sequence // BLOCK) * BLOCK


def _blocks_with(table: Table, count: int) -> Select[Any]:
    first, *others = (table.alias(f"t{place}") for place in range(count))
    masks = [one.c.entries for one in (first, *others)]
    statement = select(first.c.block, *masks).where(
        first.c.term == bindparam("x_term0"), first.c.block < bindparam("below")
    )
    for place, one in enumerate(others, 1):
        statement = statement.where(one.c.term == bindparam(f"x_term{place}"), one.c.block == first.c.block)
    return statement.order_by(first.c.block.desc()).limit(bindparam("x_limit"))
