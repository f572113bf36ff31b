"""Conditions as SQL: the second reading of the trees of `core/conditions.py`, for many rows.

What stands in a condition is kept as the column it is compared with keeps it. Properties of the actor
are parameters, so that one statement serves every actor.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, get_args

from sqlalchemy import (
    Boolean,
    ColumnElement,
    String,
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
from sqlalchemy.types import TypeEngine

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


def actor_parameters(actor: object) -> Mapping[str, Any]:
    """What a statement with a condition is given of the actor."""
    return {_parameter(name): getattr(actor, name) for name in get_args(ActorProperty)}


def _parameter(name: str) -> str:
    return f"actor_{name}"


def sql_of(condition: Condition, table: Table) -> ColumnElement[bool]:
    """The condition over the rows of a table. Unknown is NULL there, so what is unknown selects nothing."""
    if isinstance(condition, Compare):
        return _compared(condition, table)
    if isinstance(condition, Not):
        return not_(sql_of(condition.part, table))
    parts = [sql_of(part, table) for part in condition.parts]
    return and_(true(), *parts) if isinstance(condition, And) else or_(false(), *parts)


def _compared(condition: Compare, table: Table) -> ColumnElement[bool]:
    order = ORDER.get(condition.comparison)
    if order is not None and Value(None) in (condition.left, condition.right):
        return cast(null(), Boolean)
    field = next((one for one in (condition.left, condition.right) if isinstance(one, FieldOf)), None)
    kind: TypeEngine[Any] = String() if field is None else table.c[field.name].type
    left, right = (_operand(one, kind, table) for one in (condition.left, condition.right))
    if order is not None:
        ordered: ColumnElement[bool] = order(left, right)  # type: ignore[assignment]
        return ordered
    if condition.comparison == "==":
        return left.is_not_distinct_from(right)
    return left.is_distinct_from(right)


def _operand(operand: Operand, kind: TypeEngine[Any], table: Table) -> ColumnElement[Any]:
    if isinstance(operand, FieldOf):
        return table.c[operand.name]
    if isinstance(operand, ActorOf):
        return bindparam(_parameter(operand.name), type_=String())
    return null() if operand.value is None else literal(operand.value, kind)
