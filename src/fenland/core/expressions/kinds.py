"""The values of expressions: of what kind each is, when two are equal, and which goes before which.

null, bool, int, double, string, list and map are Python's own; an exact decimal is a `Decimal`, a timestamp a
`datetime` with a zone, a duration a `timedelta`, a day a `date`, and a type a `Type`. Keys of maps that are
no strings are kept with their kind, since Python takes true for 1.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from decimal import Decimal
from typing import Any

from fenland.core.expressions.budget import spend
from fenland.core.expressions.faults import EvaluationError


@dataclass(frozen=True, slots=True)
class Type:
    """The type of a value, which is a value too."""

    name: str


@dataclass(frozen=True, slots=True)
class Key:
    """A key of a map that is no string."""

    kind: str
    value: Any


#: In the order in which they are asked: true is an int to Python, and a datetime a date.
_KINDS: tuple[tuple[type, str], ...] = (
    (bool, "bool"),
    (int, "int"),
    (float, "double"),
    (Decimal, "decimal"),
    (str, "string"),
    (list, "list"),
    (dict, "map"),
    (datetime, "timestamp"),
    (date, "date"),
    (timedelta, "duration"),
    (Type, "type"),
)
#: The same for the very types, which nearly all values are of.
_EXACTLY: Mapping[type, str] = {**dict(_KINDS), type(None): "null_type"}
#: Types by their names, which stand for them wherever nothing else is called so.
TYPES: Mapping[str, Type] = {kind: Type(kind) for kind in (*dict(_KINDS).values(), "null_type")}
NUMBERS = frozenset({"int", "double", "decimal"})
#: Kinds other than numbers whose values have an order among themselves.
ORDERED = frozenset({"string", "bool", "timestamp", "duration", "date"})


def kind_of(value: Any) -> str:
    """The kind of a value, by the name that messages and `type` use."""
    known = _EXACTLY.get(type(value))
    if known is not None:
        return known
    for python, kind in _KINDS:
        if isinstance(value, python):
            return kind
    raise EvaluationError(f"{value!r} is no value that expressions know.")


def named(value: Any) -> str:
    """The kind of a value, for messages."""
    return "null" if value is None else kind_of(value)


def equal(one: Any, other: Any) -> bool:
    """Equality, which is defined between all values; but for numbers, different kinds are unequal."""
    if type(one) is str and type(other) is str:
        return one == other
    left, right = kind_of(one), kind_of(other)
    if left in NUMBERS and right in NUMBERS:
        return bool(one == other)
    if left != right:
        return False
    if left in ("list", "map"):
        spend(len(one))
    if left == "list":
        return len(one) == len(other) and all(map(equal, one, other))
    if left == "map":
        return one.keys() == other.keys() and all(equal(value, other[key]) for key, value in one.items())
    return bool(one == other)


def before(one: Any, other: Any) -> int | None:
    """-1, 0 or 1 as one goes before, with or after the other; None with a NaN. Raises `EvaluationError`."""
    left, right = kind_of(one), kind_of(other)
    if not (left in NUMBERS and right in NUMBERS) and not (left == right and left in ORDERED):
        raise EvaluationError(f"There is no order between {left} and {right}.")
    if one < other:
        return -1
    if one > other:
        return 1
    return 0 if one == other else None


def key_of(value: Any) -> Any:
    """A value as a key of a map. Raises `EvaluationError` for one that cannot be."""
    kind = kind_of(value)
    if kind == "string":
        return value
    if kind == "double" and value == value // 1 and abs(value) < 2**63:
        return Key("int", int(value))
    if kind in ("int", "bool"):
        return Key(kind, value)
    raise EvaluationError(f"A {kind} cannot be a key of a map.")


def value_of(key: Any) -> Any:
    """The value that a key of a map stands for."""
    return key.value if isinstance(key, Key) else key


def bound(value: Any) -> Any:
    """A value from outside, such as JSON, as expressions have it. Raises `EvaluationError`."""
    if isinstance(value, (list, tuple, frozenset, set)):
        return [bound(one) for one in (sorted(value) if isinstance(value, (set, frozenset)) else value)]
    if isinstance(value, Mapping):
        return {name: bound(member) for name, member in value.items()}
    if isinstance(value, datetime):
        return value.astimezone(UTC)
    kind_of(value)
    return value
