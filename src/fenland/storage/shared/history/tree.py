"""The Merkle tree over the history, as it is kept: each entry has the nodes that it completes.

That of level n which ends with an entry is the n-th hash of its nodes, so a node is found by the number of
the entry that completes it, whatever the size of the tree. See `core/history/merkle.py`.
"""

from __future__ import annotations

from sqlalchemy import bindparam, select

from fenland.core.history.merkle import (
    HASH,
    Node,
    completed,
    consistency_path,
    inclusion_path,
    leaf_hash,
    root_of,
)
from fenland.storage.shared.protocols import Reading
from fenland.storage.shared.statements import Engine, Prepared
from fenland.storage.shared.tables import OwnTables
from fenland.storage.shared.values import Last


class Tree:
    """The tree. A leaf's number is one less than the sequence of its entry."""

    def __init__(self, tables: OwnTables, engine: Engine) -> None:
        self._nodes, self._archived = (
            Prepared(select(table.c.nodes).where(table.c.sequence == bindparam("sequence")), engine)
            for table in (tables.history, tables.tree.archived)
        )

    def node(self, reading: Reading) -> Node:
        """What gives the nodes that are kept."""

        def found(level: int, place: int) -> bytes:
            given = {"sequence": (place + 1) << level}
            row = self._nodes.one(reading, given) or self._archived.one(reading, given)
            if row is None:
                raise LookupError(f"The nodes of entry {given['sequence']} are missing.")
            return bytes(row[0][level * HASH : (level + 1) * HASH])

        return found

    def completed(self, reading: Reading, last: Last, leaf: bytes, peaks: dict[int, bytes]) -> bytes:
        """The nodes of the entry that comes next, by the text of its leaf.

        `peaks` are the roots of perfect subtrees that wait for one beside them, by level, as far as they are
        known; they are brought up to date.
        """
        kept = self.node(reading)

        def node(level: int, place: int) -> bytes:
            # The leaf beside the new one is at hand.
            return peaks.get(level) or (last.nodes[:HASH] if level == 0 else kept(level, place))

        nodes = completed(last.sequence, leaf_hash(leaf), node)
        peaks[len(nodes) - 1] = nodes[-1]
        return b"".join(nodes)

    def root(self, reading: Reading, size: int) -> bytes:
        """The root of the tree of the first so many entries."""
        return root_of(size, self.node(reading))

    def peaks(self, reading: Reading, size: int) -> list[bytes]:
        """The roots of the perfect subtrees of the first so many entries, largest first."""
        node, found, start = self.node(reading), list[bytes](), 0
        for level in range(size.bit_length() - 1, -1, -1):
            if size >> level & 1:
                found.append(node(level, start >> level))
                start += 1 << level
        return found

    def leaf(self, reading: Reading, sequence: int) -> bytes:
        """The hash of the leaf of an entry."""
        return self.node(reading)(0, sequence - 1)

    def inclusion(self, reading: Reading, sequence: int, size: int) -> list[bytes]:
        """What proves that an entry is in the tree of the first so many."""
        return inclusion_path(sequence - 1, size, self.node(reading))

    def consistency(self, reading: Reading, older: int, size: int) -> list[bytes]:
        """What proves that the tree of so many entries begins with that of the older ones."""
        return consistency_path(older, size, self.node(reading))
