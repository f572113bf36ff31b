"""Gathering: what the records that refer to a record come to: how many, their sum, mean, lowest or highest.

A record that the condition leaves out, or whose value is null, does not count. A sum adds each value rounded
to what its field is a multiple of, so that it stays exact however it is brought up to date: by what came and
went alone, whatever else there is. A mean is the exact sum over the exact count.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import timedelta
from fractions import Fraction
from math import isfinite
from typing import Any

from fenland.core.consequences.fitting import Fitting
from fenland.core.definitions.model import Aggregate, Field
from fenland.core.expressions import EvaluationError, compiled
from fenland.core.expressions.evaluation import FOLLOW
from fenland.core.expressions.tree import paths_in
from fenland.core.problems import Problem

Record = Mapping[str, Any]
Follow = Callable[[str, Any], Record | None]

#: What a record gives that does not count.
LEFT_OUT = object()
#: Of those that refer to a record, what each gives.
Gifts = Iterable[Any]


class Gathering:
    """One derived field that gathers, compiled."""

    def __init__(self, item: Field, aggregate: Aggregate) -> None:
        self.field, self.aggregate = item, aggregate
        self._fitting = Fitting(item)
        self._value = None if aggregate.value is None else compiled(aggregate.value.tree)
        self._condition = None if aggregate.condition is None else compiled(aggregate.condition.tree)
        paths = [path for rule in aggregate.rules for path in paths_in(rule.tree)]
        #: The collections of records that it asks, which its own refer to.
        self.followed = frozenset(str(step.references) for path in paths for step in path.steps[:-1])
        #: Whether what came and what went is enough to know to bring it up to date.
        self.incremental = aggregate.kind == "count" or (
            aggregate.kind == "sum" and self._fitting.step is not None
        )
        counts = aggregate.kind in ("count", "sum")
        #: What it is of no records.
        self.empty: Any = self._fitting.value(0, []) if counts else None

    def gift(self, record: Record, follow: Follow) -> Any:
        """What one record gives; `LEFT_OUT` for nothing. Raises `EvaluationError`."""
        names = {"each": record, FOLLOW: follow}
        if self._condition is not None:
            try:
                if self._condition(names) is not True:
                    return LEFT_OUT
            except EvaluationError:
                # As of every condition: what cannot be decided does not hold.
                return LEFT_OUT
        if self._value is None:
            return 1
        value = self._value(names)
        if value is None:
            return LEFT_OUT
        if isinstance(value, float) and not isfinite(value):
            raise EvaluationError(f"A value, {value}, is no number")
        return self._fitting.rounded(value) if self.aggregate.kind == "sum" else value

    def gathered(self, gifts: Gifts, problems: list[Problem]) -> Any:
        """The value of the field, by all that is given: as it is kept, or `REFUSED` with a problem.

        Raises `EvaluationError`.
        """
        given = (one for one in gifts if one is not LEFT_OUT)
        kind = self.aggregate.kind
        if kind in ("min", "max"):
            return self._fitting.value(_extreme(kind, given), problems)
        count, total = 0, Fraction()
        for one in given:
            count, total = count + 1, total + _exactly(one)
        if kind == "count":
            return self._fitting.value(count, problems)
        if kind == "mean":
            return self._fitting.value(total / count, problems) if count else None
        return self._fitting.value(total, problems)

    def moved(self, stored: Any, went: Gifts, came: Gifts, problems: list[Problem]) -> Any:
        """The same, by the value that it had and what went and came since. For one that is `incremental`.

        All of them are multiples of what the field holds, whole or decimal, of which Python's sums are exact.
        """
        total = stored
        for one in came:
            total = total if one is LEFT_OUT else total + one
        for one in went:
            total = total if one is LEFT_OUT else total - one
        return self._fitting.value(total, problems)


def _exactly(value: Any) -> Fraction:
    # A double is what its shortest text says, as everywhere.
    return Fraction(repr(value)) if isinstance(value, float) else Fraction(value)


def _extreme(kind: str, values: Iterable[Any]) -> Any:
    found = None
    for value in values:
        if isinstance(value, (dict, list, timedelta)):
            raise EvaluationError(f"{kind} cannot compare what it is given")
        if found is None or ((value < found) if kind == "min" else (value > found)):
            found = value
    return found
