"""What is too much: bounds on what one request may send and make, so that none takes all time or memory.

Each is a setting; a refusal names the setting and its value, so that a client can act on it and
whoever runs the service knows what to raise.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from fenland.core.problems import TooLarge


@dataclass(frozen=True, slots=True)
class Bounds:
    """How much one expression may be: characters, levels and nodes."""

    length: int = 10_000
    nesting: int = 60
    nodes: int = 1_000


#: What is used where nothing else is said.
BOUNDS = Bounds()


@dataclass(frozen=True, slots=True)
class Limits:
    """The bounds, each with its default.

    `body` is in bytes; `record` and `answer` are in characters of JSON; `cascade` and `consequences` count
    records,
    `long_reads` the long searches of one account, and `read_seconds` how long one may take. `many` counts the
    records that one change by filter may touch, `rows` and `file` those of a file that is brought in, and its
    bytes, `expression` bounds what callers write, and `evaluation` counts steps: what the expressions of one
    request may take.
    """

    body: int = 1_000_000
    nesting: int = 32
    operations: int = 1_000
    record: int = 4_000_000
    batch: int = 500
    answer: int = 16_000_000
    cascade: int = 5_000
    consequences: int = 10_000
    depth: int = 8
    long_reads: int = 4
    read_seconds: float = 20.0
    many: int = 1_000
    rows: int = 100_000
    file: int = 50_000_000
    expression: Bounds = BOUNDS
    evaluation: int = 10_000_000
    #: Bytes of a spreadsheet once it is unpacked, and the schemes that URIs may have.
    unpacked: int = 64_000_000
    #: Days that notices are kept in the outbox.
    notice_days: int = 30
    #: The time zone that `today` is in, by its name in the IANA database.
    zone: str = "UTC"
    schemes: frozenset[str] = frozenset({"http", "https", "mailto", "tel"})


#: What is used where nobody set anything else.
DEFAULTS = Limits()


def beyond(setting: str, most: int, detail: str) -> TooLarge:
    """The refusal for what passes a limit: `setting` is its name among the settings."""
    return TooLarge(f"{detail} The limit is {most} (the setting {setting}).", limit=setting, most=most)


def check_depth(depth: int, limits: Limits) -> None:
    """Raises `TooLarge` for what nests deeper than the limit."""
    if depth > limits.nesting:
        raise beyond("nesting_limit", limits.nesting, "It nests too deep. Send something flatter.")


def depth_of(value: Any) -> int:
    """How many levels a value nests: none for a text or a number. For values that were bounded when read."""
    if not isinstance(value, (dict, list)):
        return 0
    members = value.values() if isinstance(value, dict) else value
    return 1 + max((depth_of(one) for one in members if isinstance(one, (dict, list))), default=0)


def weight(value: Any) -> int:
    """How many characters of JSON a value makes, escapes and digits of small numbers aside."""
    if isinstance(value, str):
        return len(value) + 2
    if isinstance(value, dict):
        return 2 + sum(len(name) + 4 + weight(member) for name, member in value.items())
    if isinstance(value, list):
        return 2 + sum(map(weight, value)) + len(value)
    # Numbers are bounded where they are read; only long ones are worth a look.
    return len(str(value)) if isinstance(value, (int, Decimal)) and not isinstance(value, bool) else 5


_GROWING = (str, list, dict)
#: Characters of a field's name, and of a value that is no text, at most.
_MOST_BESIDE = 500


def check_record(record: Mapping[str, Any], changes: Mapping[str, Any], limits: Limits) -> None:
    """Raises `TooLarge` for a record that these changes make larger than the limit."""
    # Numbers and the like cannot make a record large, and most changes are no more.
    if not any(isinstance(value, _GROWING) for value in changes.values()):
        return
    room = limits.record - _MOST_BESIDE * len(record)
    for value in record.values():
        if isinstance(value, str):
            room -= len(value)
        elif isinstance(value, (list, dict)):
            room = -1
            break
    if room >= 0:
        # Of texts and numbers alone more cannot come; to weigh each would cost as much as to check it.
        return
    if weight(record) > limits.record:
        raise beyond("record_limit", limits.record, "The record would be too large. Store less in it.")
