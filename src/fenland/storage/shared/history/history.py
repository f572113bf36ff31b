"""The history table: entries are added in the transaction of their change, and only ever read.

Each is a leaf of a Merkle tree, whose nodes come with it (`tree.py`); its secret values stand in a table of
their own, from which they can be erased; and each full block of entries has its terms (`terms.py`).
"""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from operator import attrgetter, itemgetter
from typing import Any

import orjson

from fenland.core.history.entries import Entry, Seal
from fenland.core.history.leaves import (
    SALT,
    changes_from,
    from_leaf,
    held_changes,
    leaf_text,
    leaf_value,
    open_changes,
    sealed,
    sealed_text,
)
from fenland.core.history.parts import LEAF_NAMES
from fenland.core.history.terms import BLOCK
from fenland.core.limits import DEFAULTS, Limits
from fenland.core.values.canonical import canonical_plain
from fenland.storage.shared.history.terms import Gathered, block_of, has
from fenland.storage.shared.history.texts import texts_of
from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine
from fenland.storage.shared.tables import OwnTables
from fenland.storage.shared.values import NONE_YET, Archive, Candidates, Last, Mark

#: Where more than this part of a block is wanted, it is read whole.
_DENSE = 4
#: Entries of one record that are read at a time.
_AT_A_TIME = 500
#: Columns that an entry has no value for as it is: the first three, and the last three.
_STORED = ("sequence", "time", "salt", "changes", "sealed", "nodes")


class TableHistory:
    """`History` of the door over its tables; its statements are prepared once."""

    def __init__(self, tables: OwnTables, engine: Engine, limits: Limits = DEFAULTS) -> None:
        self._limits = limits
        #: In one epoch of the connection that writes, the newest entry, the peaks of the tree as far as they
        #: are known, and the terms of the block that is being filled.
        self._epoch: int | None = None
        self._kept_last, self._peaks, self._gathered = NONE_YET, dict[int, bytes](), Gathered()
        self._texts = texts = texts_of(tables, engine)
        self.tree, self.terms = texts.tree, texts.terms
        self._columns = texts.columns
        self._places = {name: place for place, name in enumerate(self._columns)}
        self._long = [self._places[name] for name in ("key", "reason", "changes", "sealed")]
        attributes = [name for name in self._columns if name not in _STORED]
        #: What leaves call the parts of an entry, in the order of the columns.
        self._names = [LEAF_NAMES[name] for name in attributes]
        self._get_parts = attrgetter(*attributes)
        self._last_unsalted: int | None = None

    # --- adding ------------------------------------------------------------------------------------------

    def last(self, reading: Reading) -> Last:
        """See `History`."""
        epoch = getattr(reading, "epoch", None)
        if epoch is not None and epoch == self._epoch:
            return self._kept_last
        # Each transaction asks this, so that what need not be converted is not looked through.
        row = reading.execute(self._texts.last.text, self._texts.last_values).fetchone()
        found = NONE_YET
        if row is not None:
            found = Last(*(self._texts.last.converted(row) if self._texts.last.conversions else row))
        if epoch is not None:
            self._epoch, self._kept_last, self._peaks, self._gathered = epoch, found, {}, Gathered()
        return found

    def asked_since(self, epoch: int) -> bool:
        """Whether anybody wanted to know the last entry since then: who adds one does."""
        return self._epoch is not None and self._epoch >= epoch

    def add(self, writing: Writing, entry: Entry) -> Last:
        """See `History`."""
        last = self.last(writing)
        entry = sealed(entry, lambda: os.urandom(SALT))
        sequence = last.sequence + 1
        # Whatever the clock does, no entry is from before the one before it.
        time = max(entry.time, last.time)
        parts = self._get_parts(entry)
        named = dict(zip(self._names, parts, strict=True))
        held = held_changes(open_changes(entry) if entry.seals else entry.changes)
        changes, seals = canonical_plain(held), sealed_text(entry.seals)
        leaf = {name: value for name, value in named.items() if value is not None}
        salt = os.urandom(SALT).hex()
        leaf["sequence"], leaf["time"], leaf["salt"] = sequence, time, salt
        # Without epochs nothing tells whether what is remembered was undone.
        remembers = getattr(writing, "epoch", None) is not None
        peaks, gathered = (self._peaks, self._gathered) if remembers else ({}, Gathered())
        nodes = self.tree.completed(writing, last, leaf_text(leaf, changes, seals), peaks)
        # In the order of the columns.
        row = (
            sequence,
            time,
            salt,
            *parts,
            changes.decode(),
            None if seals is None else seals.decode(),
            nodes,
        )
        self._texts.add.added(writing, row)
        if entry.seals:
            self._keep_secrets(writing, sequence, entry)
        gathered.take(sequence, named, held, entry.seals)
        if sequence % BLOCK == 0:
            self.terms.add(writing, sequence, gathered)
        self._kept_last = Last(sequence, time, nodes)
        return self._kept_last

    def _keep_secrets(self, writing: Writing, sequence: int, entry: Entry) -> None:
        for name, seals in entry.seals.items():
            for side, (seal, value) in enumerate(zip(seals, entry.changes[name], strict=True)):
                if seal is not None:
                    kept = None if name in entry.unkept else canonical_plain(leaf_value(value)).decode()
                    given = (sequence, name, side, entry.record_id, seal.salt, kept)
                    names = ("sequence", "field", "side", "record_id", "salt", "value")
                    self._texts.seal.run(
                        writing, {f"v_{one}": value for one, value in zip(names, given, strict=True)}
                    )

    def erase(self, writing: Writing, record_id: str, field: str, above: int, upto: int) -> int:
        """See `History`."""
        given = {"record_id": record_id, "field": field, "above": above, "upto": upto}
        return self._texts.erase.run(writing, given)

    # --- reading -----------------------------------------------------------------------------------------

    def sealed_fields(
        self, reading: Reading, after: tuple[str, str], *, limit: int
    ) -> list[tuple[str, str, int]]:
        """See `History`."""
        given = {"record_id": after[0], "field": after[1], "x_limit": limit}
        rows = self._texts.sealed_fields.all(reading, given)
        return [tuple(self._texts.sealed_fields.converted(row)) for row in rows]

    def of_record(
        self, reading: Reading, record_id: str, *, below: int, limit: int
    ) -> tuple[list[Entry], bool]:
        """See `History`."""
        given = {"record_id": record_id, "below": below, "x_limit": limit + 1}
        rows, cut = self._texts.of_record.some(reading, given, self._limits.answer, self._long)
        return [self._entry(reading, row) for row in rows[:limit]], cut or len(rows) > limit

    def settled(self, reading: Reading, record_id: str) -> int | None:
        """See `History`."""
        row = self._texts.settled.one(reading, {"record_id": record_id})
        return None if row is None or row[0] is None else int(row[0])

    def first_changes(
        self, reading: Reading, record_id: str, version: int, *, above: int
    ) -> Iterator[list[tuple[int, Mapping[str, tuple[Any, Any]]]]]:
        """See `History`."""
        # There may be very many, of which little is wanted: only that is made of values.
        known, given = set[str](), {"record_id": record_id, "x_limit": _AT_A_TIME}
        while rows := self._texts.changed.all(reading, {**given, "version": version}):
            found: list[tuple[int, Mapping[str, tuple[Any, Any]]]] = []
            for sequence, _, changes, seals in rows:
                names = orjson.loads(changes).keys()
                if seals is not None:
                    names = names | orjson.loads(seals).keys()
                if sequence <= above or not names <= known:
                    known |= names if sequence > above else set()
                    opened = None if seals is None else self.entry(reading, sequence)
                    found.append((sequence, changes_from(changes) if opened is None else opened.changes))
            yield found
            version = rows[-1][1]

    def since(
        self, reading: Reading, record_id: str, version: int, *, most: int, characters: int
    ) -> list[Entry] | None:
        """See `History`."""
        given = {"record_id": record_id, "version": version, "x_limit": most + 1}
        rows = self._texts.since.all(reading, given)
        changes = self._places["changes"]
        if len(rows) > most or sum(len(row[changes]) for row in rows) > characters:
            return None
        return [self._entry(reading, row) for row in rows]

    def last_deleted(self, reading: Reading, collection: str, key: Any) -> Entry | None:
        """See `History`."""
        row = self._texts.last_deleted.one(reading, {"collection": collection, "key": key})
        return None if row is None else self._entry(reading, row)

    def counts(self, reading: Reading, above: int, last: int) -> list[tuple[str, str, int]]:
        """See `History`."""
        return [tuple(row) for row in self._texts.counts.all(reading, {"above": above, "last": last})]

    def deleted_since(
        self, reading: Reading, collection: str, sequence: int, *, after: str, limit: int
    ) -> list[str]:
        """See `History`."""
        given = {"collection": collection, "sequence": sequence, "after": after, "x_limit": limit}
        return [row[0] for row in self._texts.deleted_since.all(reading, given)]

    def entry(self, reading: Reading, sequence: int) -> Entry | None:
        """See `History`."""
        found = self._within(reading, sequence - 1, sequence + 1, 1)
        return found[0] if found else None

    def following(self, reading: Reading, above: int, limit: int, below: int = 2**62) -> list[Entry]:
        """See `History`."""
        return self._within(reading, above, below, limit)

    def changed_since(self, reading: Reading, above: int) -> tuple[int, dict[str, int]]:
        """See `History`."""
        found: dict[str, int] = dict(self._texts.collections.all(reading, {"above": above}))
        return max(found.values(), default=above), found

    def unsalted(self, reading: Reading) -> int:
        """See `History`."""
        if self._last_unsalted is None:
            row = self._texts.unsalted.one(reading, {})
            self._last_unsalted = 0 if row is None else int(self._texts.unsalted.converted(row)[0])
        return self._last_unsalted

    def first(self, reading: Reading) -> int:
        """See `History`."""
        row = self._texts.first.one(reading, {})
        return 1 if row is None else int(row[0])

    def archives(self, reading: Reading) -> list[Archive]:
        """See `History`."""
        return [
            Archive(*self._texts.archives.converted(row)) for row in self._texts.archives.all(reading, {})
        ]

    def archive(self, writing: Writing, about: Archive) -> None:
        """See `History`."""
        given = {f"v_{name}": getattr(about, name) for name in ("last", "first", "file", "digest", "time")}
        self._texts.add_archive.run(writing, given)
        self._texts.keep_nodes.run(writing, {"last": about.last})
        self._texts.take_out.run(writing, {"last": about.last})

    def at(self, reading: Reading, time: str) -> int:
        """See `History`."""
        return self._last_for(reading, lambda found: found <= time)

    def before(self, reading: Reading, time: str) -> int:
        """See `History`."""
        return self._last_for(reading, lambda found: found < time)

    def _last_for(self, reading: Reading, is_early: Callable[[str], bool]) -> int:
        # Times never go back, so that the last entry up to one is found as in a dictionary.
        low, high = self.first(reading) - 1, self.last(reading).sequence
        while low < high:
            middle = (low + high + 1) // 2
            [found] = self._texts.time.converted(self._texts.time.one(reading, {"sequence": middle}))
            low, high = (middle, high) if is_early(found) else (low, middle - 1)
        return low

    def candidates(
        self, reading: Reading, wanted: Candidates, *, below: int
    ) -> Iterator[tuple[int, list[Entry]]]:
        """See `History`."""
        for above, rows in self._candidate_rows(reading, wanted, below):
            yield above, [self._entry(reading, row) for row in rows]

    def behind(self, reading: Reading, sequence: int) -> Mark | None:
        """See `History`."""
        row = self._texts.behind.one(reading, {"sequence": sequence + 1})
        return None if row is None else Mark(*self._texts.behind.converted(row))

    def marks(self, reading: Reading, wanted: Candidates, *, below: int) -> Iterator[list[Mark]]:
        """See `History`."""
        pick = itemgetter(*(self._places[name] for name in Mark._fields))
        read_key = self._texts.oldest.conversions.get(self._places["key"])
        for _, rows in self._candidate_rows(reading, wanted, below):
            found = [Mark(*pick(row)) for row in rows]
            yield found if read_key is None else [one._replace(key=read_key(one.key)) for one in found]

    def _candidate_rows(
        self, reading: Reading, wanted: Candidates, below: int
    ) -> Iterator[tuple[int, list[Any]]]:
        for start, top, mask in self._spans(reading, wanted, below):
            above = max(start, wanted.above)
            if mask is None or mask.bit_count() > BLOCK // _DENSE:
                rows = self._texts.newest.all(reading, {"above": above, "below": top, "x_limit": BLOCK})
            else:
                rows = self._of(reading, range(top - 1, above, -1), mask)
            yield above, [row for row in rows if self._meets(row, wanted.equal)]

    def _of(self, reading: Reading, sequences: Sequence[int], mask: int) -> list[Any]:
        """The rows of those entries of a block that are among some, each found by its number."""
        found = []
        for sequence in sequences:
            if has(mask, sequence):
                given = {"above": sequence - 1, "below": sequence + 1, "x_limit": 1}
                found += self._texts.newest.all(reading, given)
        return found

    def _meets(self, row: Sequence[Any], equal: Mapping[str, Collection[Any]]) -> bool:
        return all(row[self._places[name]] in allowed for name, allowed in equal.items())

    def _spans(
        self, reading: Reading, wanted: Candidates, below: int
    ) -> Iterator[tuple[int, int, int | None]]:
        """What is to be looked through, newest first: each span is above one sequence and below another.

        Where it is known, it comes with those of its entries that have all terms, a bit for each.
        """
        last = self.last(reading).sequence
        top = min(below, last + 1)
        full = last - last % BLOCK
        start = block_of(top - 1) - BLOCK
        if top - 1 > full or not wanted.terms:
            # What is newest is in no full block yet, and its terms are not kept.
            start = max(start, 0)
            yield start, top, None
            top = start + 1
        if not wanted.terms:
            while top - 1 > wanted.above:
                start = max(top - 1 - BLOCK, 0)
                yield start, top, None
                top = start + 1
            return
        newest = block_of(top - 1)
        terms = self.terms.rarest(reading, wanted.terms, newest)
        for block, mask in self.terms.blocks(reading, terms, newest + 1):
            if block <= wanted.above:
                return
            yield block - BLOCK, min(top, block + 1), mask

    def _within(self, reading: Reading, above: int, below: int, limit: int) -> list[Entry]:
        rows = self._texts.oldest.all(reading, {"above": above, "below": below, "x_limit": limit})
        return [self._entry(reading, row) for row in rows]

    def _entry(self, reading: Reading, row: Sequence[Any]) -> Entry:
        values = dict(zip(self._columns, self._texts.oldest.converted(row), strict=True))
        del values["nodes"]
        seals, changes = values.pop("sealed"), changes_from(values.pop("changes"))
        entry = Entry(**values, changes=changes)
        return entry if seals is None else self._opened(reading, entry, orjson.loads(seals))

    def opened(self, reading: Reading, entry: Entry, hashes: Mapping[str, list[str | None]]) -> Entry:
        """The entry of a leaf that is kept elsewhere, with what is here of its secret values."""
        return self._opened(reading, entry, hashes) if hashes else entry

    def _opened(self, reading: Reading, entry: Entry, hashes: Mapping[str, list[str | None]]) -> Entry:
        """The entry with what its seals hold, as far as that is kept."""
        rows = self._texts.seals.all(reading, {"sequence": entry.sequence})
        opened = {(field, side): (bytes(salt), value) for field, side, salt, value in rows}
        changes, seals = dict(entry.changes), dict(entry.seals)
        for name, (old, new) in hashes.items():
            before, after = opened.get((name, 0)), opened.get((name, 1))
            changes[name] = (_secret(before), _secret(after))
            seals[name] = (_seal(old, before), _seal(new, after))
        return replace(entry, changes=changes, seals=seals)


def _secret(kept: tuple[bytes, str | None] | None) -> Any:
    return None if kept is None or kept[1] is None else from_leaf(orjson.loads(kept[1]))


def _seal(hashed: str | None, kept: tuple[bytes, str | None] | None) -> Seal | None:
    if hashed is None:
        return None
    return Seal(hashed) if kept is None else Seal(hashed, kept[0], kept[1] is not None)
