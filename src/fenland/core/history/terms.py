"""Terms: what searches of the history skip by. Of a block of entries it is kept which terms are in it.

A term stands for something that an entry has: its collection, its actor, a value of a field. A search reads
the blocks that have all terms of what it asks, and judges each entry of them; a term may say too much, and
never too little. Values under seals have none: they would outlive what is erased.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cache, lru_cache
from typing import Any
from zlib import crc32

from fenland.core.history.parts import PARTS
from fenland.core.values.canonical import canonical_plain

#: Entries of one block.
BLOCK = 32
#: Parts of an entry that a search can skip by.
EQUALS = tuple(part.name for part in PARTS if part.term)
#: Those of which there are few different ones, and many.
_FEW, _MANY = (tuple(part.name for part in PARTS if part.term == kind) for kind in ("few", "many"))
#: Letters of a piece of a reason.
_PIECE = 3


def term(kind: str, text: str) -> int:
    """The number of a term. Where two have one, a search reads a block for nothing."""
    return crc32(text.encode(), _begun(kind))


#: For what there is little of, and so comes again and again.
_known_term = lru_cache(maxsize=4_096)(term)


@cache
def _begun(kind: str) -> int:
    # Kinds are few, and the sum of a text goes on from that of what stands before it.
    return crc32(f"{kind}\0".encode())


def value_term(field: str, value: Any) -> int:
    """The term of a value, in the form of leaves, that a field had or came to have."""
    return crc32(_text(value), _begun(f"value {field}"))


def _text(value: Any) -> bytes:
    """One text for each value; numbers have it by what they are worth."""
    if type(value) is str:
        if value.startswith("=") and not value.startswith("=="):
            return _number(value[1:])
        return value.encode()
    if type(value) is int:
        return _number(value)
    return (b"true" if value else b"false") if type(value) is bool else canonical_plain(value)


#: Whole numbers up to this are written without an exponent.
_PLAIN = 10**15


def _number(value: int | str) -> bytes:
    # As a double: of numbers that any comparison takes for equal, these are.
    if type(value) is int and -_PLAIN < value < _PLAIN:
        # As the double is written, too.
        return b"#%d.0" % value
    return b"#%r" % (float(str(value)) + 0.0)


def pieces(text: str) -> set[int]:
    """The terms of all that a text has three letters long, in upper or lower case."""
    lower = text.lower()
    return {term("reason", lower[at : at + _PIECE]) for at in range(len(lower) - _PIECE + 1)}


def take_terms(
    found: dict[int, int],
    bit: int,
    parts: Mapping[str, Any],
    changes: Mapping[str, Any],
    sealed: Iterable[str],
) -> None:
    """Notes the terms of an entry, by its parts, changes and seals in the form of leaves.

    `found` has by term the bits of the entries that have it. Every change pays for this, so it is one loop.
    """
    terms = [_known_term(kind, value) for kind in _FEW if (value := parts[kind])]
    terms += [term(kind, value) for kind in _MANY if (value := parts[kind])]
    for name, (before, after) in changes.items():
        terms.append(_known_term("field", name))
        begun = _begun(f"value {name}")
        if before is not None:
            terms.append(crc32(_text(before), begun))
        if after is not None:
            terms.append(crc32(_text(after), begun))
    for name in sealed:
        terms.append(term("field", name))
    if reason := parts["reason"]:
        terms += pieces(reason)
    for one in terms:
        found[one] = found.get(one, 0) | bit
