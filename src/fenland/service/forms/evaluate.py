"""Evaluating an expression for records, by whoever holds the project: its type, its SQL, its values."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from fenland.core.access.conditions import condition_of
from fenland.core.access.field_access import Record
from fenland.core.access.policy import Actor, Caller
from fenland.core.definitions.catalog import AROUND, filter_names
from fenland.core.expressions import EvaluationError, as_json, compiled, kind_of, parse
from fenland.core.expressions.checking import Checked, check
from fenland.core.expressions.evaluation import FOLLOW
from fenland.core.expressions.reducing import reducer
from fenland.service.accounts.accounts import find_account
from fenland.service.accounts.callers import actor_of
from fenland.service.changes.finding import Address, find_any
from fenland.service.service import Service
from fenland.service.work import View, snapshot
from fenland.storage.door import Order, Page


@dataclass(frozen=True, slots=True)
class EvaluateRequest:
    """What to evaluate, and for whom: by default for somebody without roles, and for the first records."""

    text: str
    collection: str
    key: str | None = None
    account: str | None = None
    limit: int = 20


@dataclass(frozen=True, slots=True)
class Evaluated:
    """Its type; the SQL of a condition; and of each record the key, and the value or why there is none."""

    type: str
    sql: str | None
    values: list[dict[str, Any]]


def evaluate_for(service: Service, request: EvaluateRequest) -> Evaluated:
    """Evaluates an expression with full sight. Raises `ExpressionMistake`, `NotFound`."""
    resource = service.resource(request.collection)
    checked = check(request.text, parse(request.text), filter_names(service.catalog, request.collection))
    actor = Actor("nobody") if request.account is None else actor_of(find_account(service, request.account))
    with snapshot(service) as view:
        sight = view.sight(Caller(actor, via="command-line"))
        sql = None
        if checked.type.kind in ("bool", "dyn"):
            sql = resource.records.sql(condition_of(reducer(checked.tree, frozenset(AROUND))(sight.names)))
        # Whoever holds the project may ask anything of what is referred to, and not only what rules ask.
        names = {**sight.names, FOLLOW: sight.whole}
        values = [
            {"key": record[resource.collection.key], **_value(checked, {**names, "record": record})}
            for record in _records(view, request)
        ]
    return Evaluated(str(checked.type), sql, values)


def _records(view: View, request: EvaluateRequest) -> Iterator[Record]:
    resource = view.resource(request.collection)
    if request.key is not None:
        return iter([find_any(view, resource, Address(request.collection, request.key))])
    found, _ = resource.records.page(view.reading, Page(order=(Order("id"),), limit=request.limit))
    return iter(found)


def _value(checked: Checked, names: dict[str, Any]) -> dict[str, Any]:
    try:
        value = compiled(checked.tree)(names)
    except EvaluationError as error:
        return {"error": str(error)}
    return {"value": as_json(value), "type": kind_of(value)}
