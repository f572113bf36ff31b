"""The Merkle tree of RFC 9162 section 2.1, over hashes of leaves that are only ever appended.

What is kept are the roots of perfect subtrees: `node(level, place)` is that of the leaves from place times 2
to the power of level on, as many as that power. All else is worked out from about as many of them as the
size of the tree has digits in base 2, so nothing here grows with the tree. A leaf is numbered from 0.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from hashlib import sha256

#: Bytes of a hash.
HASH = 32

#: Gives the root of a perfect subtree, by its level and its place among those of that level.
Node = Callable[[int, int], bytes]

#: The root of a tree without leaves.
EMPTY = sha256(b"").digest()


def leaf_hash(entry: bytes) -> bytes:
    """The hash of a leaf."""
    return sha256(b"\0" + entry).digest()


def node_hash(left: bytes, right: bytes) -> bytes:
    """The hash of two subtrees beside each other."""
    return sha256(b"\1" + left + right).digest()


def completed(size: int, leaf: bytes, node: Node) -> list[bytes]:
    """The nodes that are there once a leaf is appended to a tree of this size: its own, and its parents.

    The one at place n of the list is of level n; only nodes that are there before it are asked for.
    """
    found, place = [leaf], size
    while place & 1:
        found.append(node_hash(node(len(found) - 1, place - 1), found[-1]))
        place >>= 1
    return found


def root_of(size: int, node: Node) -> bytes:
    """The root of the first leaves (MTH of section 2.1.1)."""
    return _root(0, size, node) if size else EMPTY


def _root(start: int, end: int, node: Node) -> bytes:
    count = end - start
    if count & (count - 1) == 0 and start % count == 0:
        return node(count.bit_length() - 1, start // count)
    middle = start + _split(count)
    return node_hash(_root(start, middle, node), _root(middle, end, node))


def _split(count: int) -> int:
    """The largest power of two below a count."""
    return 1 << ((count - 1).bit_length() - 1)


def inclusion_path(leaf: int, size: int, node: Node) -> list[bytes]:
    """What proves that a leaf is in the tree of this size (PATH of section 2.1.3.1)."""
    if not 0 <= leaf < size:
        raise ValueError(f"There is no leaf {leaf} in a tree of {size}.")
    found: list[bytes] = []
    start, end = 0, size
    while end - start > 1:
        middle = start + _split(end - start)
        if leaf < middle:
            found.append(_root(middle, end, node))
            end = middle
        else:
            found.append(_root(start, middle, node))
            start = middle
    return found[::-1]


def consistency_path(older: int, size: int, node: Node) -> list[bytes]:
    """What proves that a tree begins with all of an older one (PROOF of section 2.1.4.1)."""
    if not 0 < older <= size:
        raise ValueError(f"A tree of {size} does not begin with one of {older}.")
    found: list[bytes] = []
    start, end, whole = 0, size, True
    while older != end:
        middle = start + _split(end - start)
        if older <= middle:
            found.append(_root(middle, end, node))
            end = middle
        else:
            found.append(_root(start, middle, node))
            start, whole = middle, False
    if not whole:
        found.append(_root(start, end, node))
    return found[::-1]


def includes(leaf: int, entry: bytes, size: int, path: Sequence[bytes], root: bytes) -> bool:
    """Whether a path proves that the leaf with this hash is in the tree with this root (section 2.1.3.2)."""
    if not 0 <= leaf < size:
        return False
    place, last, found = leaf, size - 1, entry
    for step in path:
        if last == 0:
            return False
        if place & 1 or place == last:
            found = node_hash(step, found)
            while place and not place & 1:
                place, last = place >> 1, last >> 1
        else:
            found = node_hash(found, step)
        place, last = place >> 1, last >> 1
    return last == 0 and found == root


def consistent(older: tuple[int, bytes], newer: tuple[int, bytes], path: Sequence[bytes]) -> bool:
    """Whether a path proves that a tree, by size and root, begins with all of an older one (2.1.4.2)."""
    (first_size, first_root), (size, root) = older, newer
    if not 0 < first_size <= size:
        return False
    if first_size == size:
        return not path and first_root == root
    if first_size & (first_size - 1) == 0:
        path = [first_root, *path]
    if not path:
        return False
    place, last = first_size - 1, size - 1
    while place & 1:
        place, last = place >> 1, last >> 1
    before = after = path[0]
    for step in path[1:]:
        if last == 0:
            return False
        if place & 1 or place == last:
            before, after = node_hash(step, before), node_hash(step, after)
            while place and not place & 1:
                place, last = place >> 1, last >> 1
        else:
            after = node_hash(after, step)
        place, last = place >> 1, last >> 1
    return last == 0 and before == first_root and after == root
