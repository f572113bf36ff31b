"""Conditions as SQL: the second reading of the trees of `core/conditions.py`, for many rows.

What stands in a condition is encoded as the column it is compared with keeps it. Properties of the actor
are parameters, so that one statement serves every actor.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, get_args

from sqlalchemy import (
    Boolean,
    ColumnElement,
    Table,
    and_,
    bindparam,
    cast,
    false,
    literal,
    not_,
    null,
    or_,
    true,
)

from fenland.core.conditions import (
    ORDER,
    ActorOf,
    ActorProperty,
    And,
    Compare,
    Condition,
    FieldOf,
    Not,
    Operand,
    Value,
)
from fenland.storage.codec import Codec


def actor_parameters(actor: object) -> Mapping[str, Any]:
    """What a statement with a condition is given of the actor."""
    return {_parameter(name): getattr(actor, name) for name in get_args(ActorProperty)}


def _parameter(name: str) -> str:
    return f"actor_{name}"


def sql_of(condition: Condition, table: Table, codec: Codec) -> ColumnElement[bool]:
    """The condition over the rows of a table. Unknown is NULL there, so what is unknown selects nothing."""
    if isinstance(condition, Compare):
        return _compared(condition, table, codec)
    if isinstance(condition, Not):
        return not_(sql_of(condition.part, table, codec))
    parts = [sql_of(part, table, codec) for part in condition.parts]
    return and_(true(), *parts) if isinstance(condition, And) else or_(false(), *parts)


def _compared(condition: Compare, table: Table, codec: Codec) -> ColumnElement[bool]:
    order = ORDER.get(condition.comparison)
    if order is not None and Value(None) in (condition.left, condition.right):
        return cast(null(), Boolean)
    field = next((one for one in (condition.left, condition.right) if isinstance(one, FieldOf)), None)
    left, right = (_operand(one, field, table, codec) for one in (condition.left, condition.right))
    if order is not None:
        ordered: ColumnElement[bool] = order(left, right)  # type: ignore[assignment]
        return ordered
    if condition.comparison == "==":
        return left.is_not_distinct_from(right)
    return left.is_distinct_from(right)


def _operand(operand: Operand, beside: FieldOf | None, table: Table, codec: Codec) -> ColumnElement[Any]:
    if isinstance(operand, FieldOf):
        return table.c[operand.name]
    if isinstance(operand, ActorOf):
        return bindparam(_parameter(operand.name))
    if operand.value is None:
        return null()
    return literal(operand.value if beside is None else codec.encode(beside.name, operand.value))
