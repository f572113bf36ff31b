"""Leaves: the one text of each history entry that is hashed, and how secret values stand in it.

A leaf is the canonical JSON (RFC 8785) of an object with the parts of the entry by name, those that are null
left out. `docs/verifying.md` describes it for whoever checks it without this code. Two things it does not
hold as they are:

Numbers with a fraction, and whole ones that doubles do not hold, stand as texts: `=` and their digits. A
text that begins with `=` gets another one in front. So no two values have one form.

Each leaf has a random salt among its parts, shown only with the whole leaf: without it a hash, of the leaf or
of any node above it, tells nothing to who tries values. Leaves from before salts (format 1) have none.

Values of fields that are sensitive, or are never shown, stand beside the changes as commitments: the SHA-256
of a random salt and the value's canonical JSON. Once salt and value are gone, nothing tells what it was.
"""

from __future__ import annotations

import math
import re
from collections.abc import Callable, Mapping
from dataclasses import replace
from decimal import Decimal
from hashlib import sha256
from typing import Any

import orjson

from fenland.core.history.entries import Entry, Seal, Seals
from fenland.core.history.parts import PARTS
from fenland.core.values.canonical import LARGEST_EXACT, canonical_plain

#: What a number begins with that stands as a text.
MARK = "="
#: Bytes of a salt: 128 bits.
SALT = 16

Pair = tuple[Any, Any]


def leaf_value(value: Any) -> Any:
    """A value as leaves hold it."""
    kind = type(value)
    if value is None or kind is bool:
        return value
    if kind is str:
        return MARK + value if value.startswith(MARK) else value
    if kind is int:
        return value if -LARGEST_EXACT <= value <= LARGEST_EXACT else f"{MARK}{value}"
    if kind is Decimal:
        return f"{MARK}{value:f}"
    if kind is float:
        if not math.isfinite(value):
            raise ValueError("NaN and the infinities are no JSON numbers.")
        return f"{MARK}{Decimal(repr(value)):f}"
    if kind is dict:
        return {name: leaf_value(member) for name, member in value.items()}
    return [leaf_value(member) for member in value]


def from_leaf(value: Any) -> Any:
    """The value that a leaf holds so."""
    kind = type(value)
    if kind is str:
        if not value.startswith(MARK):
            return value
        return value[1:] if value.startswith(MARK * 2) else _number(value[1:])
    if kind is dict:
        return {name: from_leaf(member) for name, member in value.items()}
    return [from_leaf(member) for member in value] if kind is list else value


_DIGITS = re.compile(r"-?[0-9]+(\.[0-9]+)?", re.ASCII)


def _number(text: str) -> Any:
    if not _DIGITS.fullmatch(text):
        raise ValueError(f"{MARK + text[:40]!r} stands for no number.")
    return Decimal(text) if "." in text or not _is_beyond(text) else int(text)


def _is_beyond(text: str) -> bool:
    # Whole numbers within the bounds stand as numbers; those that do not are of a field with fractions.
    return abs(int(text)) > LARGEST_EXACT


def held_changes(changes: Mapping[str, Pair]) -> dict[str, list[Any]]:
    """Changes as leaves hold them: by field, the value before and the one after."""
    return {name: [leaf_value(old), leaf_value(new)] for name, (old, new) in changes.items()}


def changes_text(changes: Mapping[str, Pair]) -> bytes:
    """The canonical JSON of that."""
    return canonical_plain(held_changes(changes))


def changes_from(text: str | bytes) -> dict[str, Pair]:
    """The changes that such a text holds."""
    return {name: (from_leaf(old), from_leaf(new)) for name, (old, new) in orjson.loads(text).items()}


def commitment(salt: bytes, value: Any) -> str:
    """What stands for a secret value, in hexadecimal digits."""
    return commitment_to(salt, leaf_value(value))


def commitment_to(salt: bytes, held: Any) -> str:
    """The same, of a value as leaves hold it."""
    return sha256(salt + canonical_plain(held)).hexdigest()


def sealed(entry: Entry, salt: Callable[[], bytes]) -> Entry:
    """The entry with the values of its secret fields under seals, each with a salt of its own."""
    if not entry.secret or entry.secret.isdisjoint(entry.changes):
        return entry

    def seal(value: Any) -> Seal | None:
        if value is None:
            return None
        fresh = salt()
        return Seal(commitment(fresh, value), fresh)

    seals = {
        name: (seal(old), seal(new)) for name, (old, new) in entry.changes.items() if name in entry.secret
    }
    return replace(entry, seals=seals)


def sealed_text(seals: Seals) -> bytes | None:
    """The canonical JSON of the commitments, by field; None where there are none."""
    if not seals:
        return None
    return canonical_plain({name: [_hash(old), _hash(new)] for name, (old, new) in seals.items()})


def _hash(seal: Seal | None) -> str | None:
    return None if seal is None else seal.hash


def open_changes(entry: Entry) -> dict[str, Pair]:
    """The changes of an entry that are under no seal."""
    return {name: pair for name, pair in entry.changes.items() if name not in entry.seals}


def leaf_text(parts: dict[str, Any], changes: bytes, seals: bytes | None) -> bytes:
    """The leaf of an entry by its parts, which are not null, and the texts of its changes and seals.

    It takes the parts over, in which the key is still as it is.
    """
    parts["key"] = leaf_value(parts["key"])
    parts["changes"] = orjson.Fragment(changes)
    if seals is not None:
        parts["sealed"] = orjson.Fragment(seals)
    # Its own names are of ASCII, so this order is that of RFC 8785 whatever the values hold.
    return orjson.dumps(parts, option=orjson.OPT_SORT_KEYS)


def entry_from(leaf: Mapping[str, Any]) -> tuple[Entry, Mapping[str, list[str | None]]]:
    """The entry that a leaf is of, and the commitments to its secret values. Raises `ValueError`."""
    try:
        parts = {part.attribute: leaf[part.name] for part in PARTS if part.name in leaf}
        changes = {name: (from_leaf(old), from_leaf(new)) for name, (old, new) in leaf["changes"].items()}
        entry = Entry(**{**parts, "key": from_leaf(parts["key"])}, changes=changes)
        return entry, leaf.get("sealed", {})
    except (KeyError, TypeError, AttributeError) as error:
        raise ValueError(f"A leaf has not all its parts: {error}") from None


def leaf_of(entry: Entry) -> bytes:
    """The leaf of an entry, which has its sequence and its seals."""
    parts = {part.name: part.of(entry) for part in PARTS}
    kept = {name: value for name, value in parts.items() if value is not None}
    return leaf_text(kept, changes_text(open_changes(entry)), sealed_text(entry.seals))
