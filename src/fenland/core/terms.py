"""Terms: what searches of the history skip by. Of a block of entries it is kept which terms are in it.

A term stands for something that an entry has: its collection, its actor, a value of a field. A search reads
the blocks that have all terms of what it asks, and judges each entry of them; a term may say too much, and
never too little. Values under seals have none: they would outlive what is erased.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any
from zlib import crc32

from fenland.core.canonical import canonical_plain

#: Entries of one block.
BLOCK = 32
#: Parts of an entry that a search can skip by.
EQUALS = ("collection", "actor", "behalf", "action", "request_id", "batch")
#: Letters of a piece of a reason.
_PIECE = 3


def term(kind: str, text: str) -> int:
    """The number of a term. Where two have one, a search reads a block for nothing."""
    return crc32(f"{kind}\0{text}".encode())


def value_term(field: str, value: Any) -> int:
    """The term of a value, in the form of leaves, that a field had or came to have."""
    return term(f"value {field}", _text(value))


def _text(value: Any) -> str:
    """One text for each value; numbers have it by what they are worth."""
    if isinstance(value, str):
        return _number(value[1:]) if value.startswith("=") and not value.startswith("==") else value
    if type(value) is int:
        return _number(value)
    return canonical_plain(value).decode()


def _number(value: int | str) -> str:
    # As a double: of numbers that any comparison takes for equal, these are.
    return f"#{float(str(value)) + 0.0!r}"


def pieces(text: str) -> set[int]:
    """The terms of all that a text has three letters long, in upper or lower case."""
    lower = text.lower()
    return {term("reason", lower[at : at + _PIECE]) for at in range(len(lower) - _PIECE + 1)}


def terms_of(
    parts: Mapping[str, Any], changes: Mapping[str, Any], sealed: Mapping[str, Any]
) -> Iterator[int]:
    """The terms of an entry by its parts, changes and seals, in the form of leaves; some perhaps twice."""
    for kind in EQUALS:
        if value := parts[kind]:
            yield term(kind, value)
    for name, sides in changes.items():
        yield term("field", name)
        for value in sides:
            if value is not None:
                yield value_term(name, value)
    for name in sealed:
        yield term("field", name)
    if reason := parts["reason"]:
        yield from pieces(reason)
