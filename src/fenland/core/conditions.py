"""Conditions: what must hold of a record for an actor, as one small frozen tree with two readings.

`holds` reads a tree in Python, for one record; `storage/conditions.py` makes SQL of the same tree, for many.
The two agree on every row, which a generated test compares: a condition that means two things is a hole.

Equality is defined between all values: a field that holds nothing equals null, and nothing else. Order with
nothing on either side is unknown, and so is what depends on it (`true or unknown` is true, `not unknown` is
unknown): the three-valued logic of SQL. What is unknown does not hold.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any, Literal

from fenland.core.values import same

Comparison = Literal["==", "!=", "<", "<=", ">", ">="]
#: What conditions may ask of who is asking.
ActorProperty = Literal["name"]

#: The comparisons of order; the other two are those of equality.
ORDER: Mapping[str, Callable[[Any, Any], bool]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}


@dataclass(frozen=True, slots=True)
class Value:
    """A value that stands in the condition itself, as fields keep it."""

    value: Any


@dataclass(frozen=True, slots=True)
class FieldOf:
    """A field of the record, as stored."""

    name: str


@dataclass(frozen=True, slots=True)
class ActorOf:
    """A property of who is asking."""

    name: ActorProperty


Operand = Value | FieldOf | ActorOf


@dataclass(frozen=True, slots=True)
class Compare:
    """Two operands of one type, compared."""

    left: Operand
    comparison: Comparison
    right: Operand


@dataclass(frozen=True, slots=True)
class And:
    """Holds when all parts do; without any, always."""

    parts: tuple[Condition, ...] = ()


@dataclass(frozen=True, slots=True)
class Or:
    """Holds when one part does; without any, never."""

    parts: tuple[Condition, ...] = ()


@dataclass(frozen=True, slots=True)
class Not:
    """Holds when its part does not, and that is known."""

    part: Condition


Condition = Compare | And | Or | Not

ALWAYS: Condition = And()
NEVER: Condition = Or()


def holds(condition: Condition, record: Mapping[str, Any], actor: object) -> bool:
    """Whether a condition holds of a record, as stored, for an actor; what is unknown does not."""
    return _truth(condition, record, actor) is True


def _truth(condition: Condition, record: Mapping[str, Any], actor: object) -> bool | None:
    """True, false, or None for unknown."""
    if isinstance(condition, Compare):
        return _compared(condition, record, actor)
    if isinstance(condition, Not):
        truth = _truth(condition.part, record, actor)
        return None if truth is None else not truth
    # Of `and` a false part settles it, of `or` a true one; else an unknown part leaves it unknown.
    settling = isinstance(condition, Or)
    found = [_truth(part, record, actor) for part in condition.parts]
    if settling in found:
        return settling
    return None if None in found else not settling


def _compared(condition: Compare, record: Mapping[str, Any], actor: object) -> bool | None:
    left, right = _read(condition.left, record, actor), _read(condition.right, record, actor)
    order = ORDER.get(condition.comparison)
    if order is None:
        return same(left, right) == (condition.comparison == "==")
    return None if left is None or right is None else order(left, right)


def _read(operand: Operand, record: Mapping[str, Any], actor: object) -> Any:
    if isinstance(operand, Value):
        return operand.value
    return record.get(operand.name) if isinstance(operand, FieldOf) else getattr(actor, operand.name)
