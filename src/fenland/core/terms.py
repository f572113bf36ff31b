"""Terms: what searches of the history skip by. Of a block of entries it is kept which terms are in it.

A term stands for something that an entry has: its collection, its actor, a value of a field. A search reads
the blocks that have all terms of what it asks, and judges each entry of them; a term may say too much, and
never too little. Values under seals have none: they would outlive what is erased.
"""

from __future__ import annotations

from collections.abc import Iterator
from hashlib import blake2b
from typing import Any

from fenland.core.history import Entry
from fenland.core.values import frozen

#: Entries of one block.
BLOCK = 32
#: Parts of an entry that a search may ask for, and the kinds of terms they have.
EQUALS = ("collection", "actor", "behalf", "action", "via", "request_id", "batch", "client", "key", "id")
#: Letters of a piece of a reason.
_PIECE = 3


def term(kind: str, value: Any) -> int:
    """The number of a term, in 63 bits."""
    text = f"{kind}\0{value if type(value) is str else frozen(value)}"
    return int.from_bytes(blake2b(text.encode(), digest_size=8).digest()) >> 1


def value_term(field: str, value: Any) -> int:
    """The term of a value that a field had, or came to have."""
    return term(f"value {field}", value)


def pieces(text: str) -> set[int]:
    """The terms of all that a text has three letters long, in upper or lower case."""
    lower = text.lower()
    return {term("reason", lower[at : at + _PIECE]) for at in range(len(lower) - _PIECE + 1)}


def terms_of(entry: Entry) -> Iterator[int]:
    """The terms of an entry, some of them perhaps twice."""
    for kind in EQUALS:
        value = entry.record_id if kind == "id" else getattr(entry, kind)
        if value is not None and value != "":
            yield term(kind, value)
    for name, (before, after) in entry.changes.items():
        yield term("field", name)
        if name in entry.seals:
            continue
        if before is not None:
            yield value_term(name, before)
        if after is not None:
            yield value_term(name, after)
    if entry.reason:
        yield from pieces(entry.reason)
