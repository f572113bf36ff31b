"""The terms of blocks of entries, by which searches skip what cannot be meant: `core/history/terms.py`."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import partial, reduce
from operator import and_
from typing import Any

import orjson
from sqlalchemy import Insert, Select, Table, bindparam, select

from fenland.core.history.terms import BLOCK, EQUALS, take_terms
from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared

#: Rows of one insert, in the sizes they are prepared for, largest first.
_ROWS = (64, 8, 1)
#: How many terms one search asks for at a time.
_MOST = 6
#: Entries of one segment. Their terms fit into some dozens of pages, which stay at hand as it is filled; and
#: a search asks each segment in turn.
_SEGMENT = 2_048


#: What is asked of a row besides its changes and seals.
_NAMED = (*EQUALS, "reason")


class Gathered:
    """The terms of a block that is being filled, as far as its entries were seen as they came."""

    __slots__ = ("count", "found")

    def __init__(self) -> None:
        self.found, self.count = dict[int, int](), 0

    def take(
        self, sequence: int, named: Mapping[str, Any], changes: Mapping[str, Any], sealed: Iterable[str]
    ) -> None:
        """Notes the terms of the entry that comes next, by its parts and changes in the form of leaves."""
        if sequence % BLOCK == 1:
            self.found, self.count = {}, 0
        self.count += 1
        take_terms(self.found, _bit(sequence), named, changes, sealed)


class Terms:
    """The blocks that terms are in. A block is numbered by the sequence of its last entry."""

    def __init__(self, table: Table, table_of: Table, engine: Engine) -> None:
        """`table_of` is that of the history."""
        self._inserts = {rows: Prepared(partial(_insert_of, table, rows), engine) for rows in _ROWS}
        rows = select(*(table_of.c[name] for name in ("sequence", *_NAMED, "changes", "sealed")))
        self._rows = Prepared(
            rows.where(table_of.c.sequence > bindparam("above"), table_of.c.sequence <= bindparam("last")),
            engine,
        )
        of_block = (table.c.segment == bindparam("segment")) & (table.c.block == bindparam("block"))
        self._kept = Prepared(select(table.c.term, table.c.entries).where(of_block), engine)
        self._blocks = [
            Prepared(partial(_blocks_with, table, count), engine) for count in range(1, _MOST + 1)
        ]

    def add(self, writing: Writing, block: int, gathered: Gathered) -> None:
        """Keeps the terms of a block that is full. What was not seen as it came is read."""
        found = gathered.found if gathered.count == BLOCK else self.due(writing, block)
        left, segment = sorted(found), segment_of(block)
        while left:
            count = next(rows for rows in _ROWS if rows <= len(left))
            # In the order of the text: segment, term, block and entries, row by row.
            values = [value for one in left[:count] for value in (segment, one, block, found[one])]
            writing.execute(self._inserts[count].text, values)
            left = left[count:]

    def due(self, reading: Reading, block: int) -> dict[int, int]:
        """The terms that a full block has: by term, a bit for each entry that has it."""
        found: dict[int, int] = {}
        rows = self._rows.all(reading, {"above": block - BLOCK, "last": block})
        for sequence, *parts, changes, sealed in rows:
            named = dict(zip(_NAMED, parts, strict=True))
            seals = orjson.loads(sealed) if sealed else ()
            take_terms(found, _bit(sequence), named, orjson.loads(changes), seals)
        return found

    def kept(self, reading: Reading, block: int) -> dict[int, int]:
        """The terms that are kept of a block."""
        return dict(self._kept.all(reading, {"block": block, "segment": segment_of(block)}))

    def blocks(self, reading: Reading, terms: Sequence[int], below: int) -> Iterator[tuple[int, int]]:
        """The blocks below this one in which entries have all these terms, newest first.

        Each comes with those entries, a bit for each.
        """
        given = {f"x_term{place}": one for place, one in enumerate(terms)}
        statement = self._blocks[len(terms) - 1]
        for segment in range(segment_of(below - 1), 0, -_SEGMENT):
            rows = statement.all(reading, {**given, "below": below, "segment": segment})
            for block, *masks in rows:
                if mask := reduce(and_, masks):
                    yield block, mask

    def rarest(self, reading: Reading, terms: Sequence[int], below: int) -> list[int]:
        """The terms that are in the fewest blocks lately, as many as are asked for at a time."""
        if len(terms) == 1:
            return list(terms)
        segments = [one for one in (segment_of(below) - _SEGMENT, segment_of(below)) if one > 0]
        counted = {
            one: sum(
                len(self._blocks[0].all(reading, {"x_term0": one, "below": below, "segment": segment}))
                for segment in segments
            )
            for one in terms
        }
        return sorted(counted, key=counted.__getitem__)[:_MOST]


def _bit(sequence: int) -> int:
    return 1 << ((sequence - 1) % BLOCK)


def has(mask: int, sequence: int) -> bool:
    """Whether an entry of a block is among those with a term."""
    return bool(mask & _bit(sequence))


def block_of(sequence: int) -> int:
    """The block that an entry is in."""
    return -(-sequence // BLOCK) * BLOCK


def segment_of(sequence: int) -> int:
    """The segment that an entry is in, numbered by the sequence of its last one."""
    return -(-sequence // _SEGMENT) * _SEGMENT


def _insert_of(table: Table, rows: int) -> Insert:
    names = ("segment", "term", "block", "entries")
    return table.insert().values(
        [{name: bindparam(f"v_{name}{row}") for name in names} for row in range(rows)]
    )


def _blocks_with(table: Table, count: int) -> Select[Any]:
    first, *others = (table.alias(f"t{place}") for place in range(count))
    masks = [one.c.entries for one in (first, *others)]
    statement = select(first.c.block, *masks).where(
        first.c.segment == bindparam("segment"),
        first.c.term == bindparam("x_term0"),
        first.c.block < bindparam("below"),
    )
    for place, one in enumerate(others, 1):
        statement = statement.where(
            one.c.segment == first.c.segment,
            one.c.term == bindparam(f"x_term{place}"),
            one.c.block == first.c.block,
        )
    return statement.order_by(first.c.block.desc())
