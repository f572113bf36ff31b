"""Auditing: entries held against the tree they are leaves of, one after the other, in little memory.

Each entry is as it stands in the table: its parts, the texts of its changes and seals, and its nodes. A fault
says what is wrong, at which entry, and since when.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

import orjson

from fenland.core.history.merkle import EMPTY, HASH, leaf_hash, node_hash

#: Entries that are wrong and looked into together; more say the same.
_MOST_BAD = 300

Kind = Literal[
    "changed", "missing", "swapped", "inserted", "removed", "node", "time", "record", "head", "cut", "salt",
    "trigger", "archive", "account", "subscription", "pass", "proposal", "definitions", "terms", "derived",
]  # fmt: skip


@dataclass(frozen=True, slots=True)
class Fault:
    """What is wrong: its kind, the entry it is about if any, when that was written, and a sentence."""

    kind: Kind
    sentence: str
    sequence: int | None = None
    time: str | None = None

    def as_json(self) -> dict[str, Any]:
        """For scripts."""
        return {"kind": self.kind, "sequence": self.sequence, "since": self.time, "sentence": self.sentence}


@dataclass(slots=True)
class Row:
    """An entry as it stands in its table: the parts of its leaf by name, those that are null left out.

    Its changes and seals are among them, as the bytes that stand in the table.
    """

    sequence: int
    time: str
    parts: dict[str, Any]
    nodes: bytes

    def leaf(self, sequence: int | None = None) -> bytes:
        """The hash of its leaf, at its place or at another one."""
        parts = self.parts if sequence is None else {**self.parts, "sequence": sequence}
        return leaf_hash(orjson.dumps(parts, option=orjson.OPT_SORT_KEYS))


@dataclass
class TreeAudit:
    """Walks the entries in order. `peaks` are the roots of the perfect subtrees so far, largest first."""

    #: The size that the walk begins at, with the peaks of that tree, where older entries are elsewhere.
    size: int = 0
    peaks: list[bytes] = field(default_factory=list)
    #: Sizes at which the root is wanted; `roots` has those that were passed.
    wanted: frozenset[int] = frozenset()
    roots: dict[int, bytes] = field(default_factory=dict)
    faults: list[Fault] = field(default_factory=list)
    _time: str = ""
    _bad: list[Row] = field(default_factory=list)
    _more: int = 0
    #: Entries whose nodes cannot be those of their place.
    _strange: set[int] = field(default_factory=set)
    #: False once a gap makes it unknown what is to the left.
    _whole: bool = True

    def take(self, row: Row) -> None:
        """Looks at the next entry."""
        sequence, time = row.sequence, row.time
        if sequence != self.size + 1:
            self._gap(sequence, time)
        if time < self._time:
            self._tell("time", f"Entry {sequence} is from before the one in front of it.", sequence, time)
        leaf = row.leaf()
        if leaf != row.nodes[:HASH]:
            if len(self._bad) < _MOST_BAD:
                self._bad.append(row)
            else:
                self._more += 1
        self._climb(row, sequence, time)
        self._time = max(time, self._time)

    def _climb(self, row: Row, sequence: int, time: str) -> None:
        """Takes its nodes as they are kept, each held against those to its left."""
        nodes, place, level, found = row.nodes, sequence - 1, 1, row.nodes[:HASH]
        expected = (place ^ (place + 1)).bit_length()
        if len(nodes) != expected * HASH:
            words = f"Entry {sequence} has another number of nodes than its place asks."
            self._strange.add(sequence)
            self._tell("node", words, sequence, time)
        while place & 1:
            stored = nodes[level * HASH : (level + 1) * HASH]
            if self._whole:
                made = node_hash(self.peaks.pop(), found)
                if len(stored) != HASH:
                    stored = made
                elif made != stored:
                    self._strange.add(sequence)
                    words = f"Node {level} of entry {sequence} does not follow from those below it."
                    self._tell("node", words, sequence, time)
            found = stored
            place, level = place >> 1, level + 1
        self._rise(sequence, found)

    def _gap(self, sequence: int, time: str) -> None:
        first, last = self.size + 1, sequence - 1
        if last < first:
            self._tell("inserted", f"Entry {sequence} stands twice.", sequence, time)
            return
        words = f"Entry {first} is missing." if first == last else f"Entries {first} to {last} are missing."
        self._tell("missing", words, first, self._time or time)
        self.lose(last)

    def lose(self, last: int) -> None:
        """Goes on behind an entry, of which, or of one before it, nothing is known."""
        self._whole = False
        self.size = last

    def append(self, leaf: bytes) -> None:
        """Takes a leaf by its hash alone, and works out all else."""
        found, place = leaf, self.size
        while self._whole and place & 1:
            found, place = node_hash(self.peaks.pop(), found), place >> 1
        self._rise(self.size + 1, found)

    def _rise(self, size: int, peak: bytes) -> None:
        """Has so many entries, with the last of the peaks that there are then."""
        self.size = size
        if self._whole:
            self.peaks.append(peak)
            if size in self.wanted:
                self.roots[size] = self.root()

    def root(self) -> bytes:
        """The root of the tree of all entries so far."""
        if not self.peaks:
            return EMPTY
        *left, found = self.peaks
        for peak in reversed(left):
            found = node_hash(peak, found)
        return found

    @property
    def whole(self) -> bool:
        """Whether no entry was missing, so that roots can be told."""
        return self._whole

    def end(self) -> None:
        """Says of entries whose leaf is not theirs what may have become of them."""
        bad = {one.sequence: one for one in self._bad}
        moved = {sequence: self._from(one, bad) for sequence, one in bad.items()}
        shifted = [sequence for sequence, origin in moved.items() if origin == sequence - 1]
        pulled = [sequence for sequence, origin in moved.items() if origin == sequence + 1]
        # All behind an entry moved by one, which a swap of two does to neither side alone.
        if len(shifted) > 1 or (shifted and shifted[0] == self.size and shifted[0] - 1 in bad):
            first = min(shifted) - 1
            self._blame("inserted", bad, first, f"Entry {first} was inserted: all behind it have moved on.")
            moved = {s: o for s, o in moved.items() if s not in shifted and s != first}
        elif len(pulled) > 1:
            first = min(pulled)
            self._blame(
                "removed", bad, first, f"An entry was removed before entry {first}, and all moved up."
            )
            moved = {s: o for s, o in moved.items() if s not in pulled}
        if self.size in moved and self.size in self._strange:
            # Behind all others, with neither a leaf nor nodes of its own.
            self._blame("inserted", bad, self.size, f"Entry {self.size}, the newest, was inserted.")
            del moved[self.size]
        for sequence, origin in sorted(moved.items()):
            if origin is not None:
                words = f"What stands as entry {sequence} is what was entry {origin}."
                self._blame("swapped", bad, sequence, words)
            else:
                words = f"Entry {sequence} is not what was entered in the tree: it was changed."
                self._blame("changed", bad, sequence, words)
        if self._more:
            self._tell("changed", f"{self._more} more entries are not what was entered.", None, None)
        self.faults.sort(key=lambda one: one.sequence or 0)

    def _blame(self, kind: Kind, bad: Mapping[int, Row], sequence: int, words: str) -> None:
        row = bad.get(sequence)
        self._tell(kind, words, sequence, None if row is None else row.time)

    @staticmethod
    def _from(row: Row, bad: Mapping[int, Row]) -> int | None:
        """The place that what stands here was at, where that can be told."""
        stored = row.nodes[:HASH]
        near = (row.sequence - 1, row.sequence + 1)
        for other in (*near, *(one for one in bad if one not in near and one != row.sequence)):
            kept = {stored} if other not in bad else {stored, bad[other].nodes[:HASH]}
            if row.leaf(other) in kept:
                return other
        return None

    def _tell(self, kind: Kind, words: str, sequence: int | None, time: str | None) -> None:
        self.faults.append(Fault(kind, words, sequence, time))


def differing_records(
    replayed: Mapping[str, Mapping[str, Any]], stored: Iterable[Mapping[str, Any]], same: Any
) -> Iterable[tuple[str, Mapping[str, Any] | None, list[str]]]:
    """Records that are not as the history has them: id, the stored one if any, and the fields that differ."""
    left = dict(replayed)
    for record in stored:
        expected = left.pop(record["id"], None)
        if expected is None:
            yield record["id"], record, []
            continue
        fields = [one for one in record if not same(expected.get(one), record[one])]
        if fields:
            yield record["id"], record, fields
    for record_id in left:
        yield record_id, None, []
