"""The terms of blocks of entries, by which searches skip what cannot be meant; see `core/terms.py`."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from sqlalchemy import Select, Table, bindparam, select

from fenland.core.history import Entry
from fenland.core.terms import BLOCK, terms_of
from fenland.storage.protocols import Reading, Writing
from fenland.storage.statements import Engine, Prepared

#: Rows of one insert; how many terms one search asks for, and how many blocks it is told of at a time.
_ROWS, _MOST, _AT_A_TIME = 50, 6, 64


class Terms:
    """The blocks that terms are in. A block is numbered by the sequence of its last entry."""

    def __init__(self, table: Table, engine: Engine) -> None:
        self._many, self._one = (
            Prepared(
                table.insert().values(
                    [
                        {"term": bindparam(f"v_term{row}"), "block": bindparam(f"v_block{row}")}
                        for row in range(rows)
                    ]
                ),
                engine,
            )
            for rows in (_ROWS, 1)
        )
        self._blocks = [Prepared(_blocks_with(table, count), engine) for count in range(1, _MOST + 1)]

    def add(self, writing: Writing, block: int, entries: Iterable[Entry]) -> None:
        """Keeps the terms of a block that is full."""
        found = sorted({one for entry in entries for one in terms_of(entry)})
        for start in range(0, len(found), _ROWS):
            part = found[start : start + _ROWS]
            if len(part) == _ROWS:
                self._add(writing, self._many, part, block)
            else:
                for one in part:
                    self._add(writing, self._one, [one], block)

    @staticmethod
    def _add(writing: Writing, insert: Prepared, terms: Sequence[int], block: int) -> None:
        given = {f"v_term{row}": one for row, one in enumerate(terms)}
        insert.run(writing, given | {f"v_block{row}": block for row in range(len(terms))})

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
