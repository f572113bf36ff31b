"""Deriving: the values of derived fields, worked out from the other fields of their record.

What an expression gives is fitted to its field: a number is rounded half-even to the field's `multipleOf`, or
to a whole number, and everything else must be of the field's type. What the field's own keywords do not allow
is a problem of the derived field, as it would be of one that is sent.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from decimal import ROUND_HALF_EVEN, Context, Decimal
from math import isfinite
from typing import Any

from fenland.core.definitions.derived import in_order
from fenland.core.definitions.model import Collection, Derived, Field
from fenland.core.definitions.validation import REFUSED, compile_field
from fenland.core.expressions import EvaluationError, as_json, compiled
from fenland.core.problems import Problem, pointer_to

Record = dict[str, Any]
#: Told of an expression that failed where its field may hold nothing, and why.
Failed = Callable[[Derived, str], None]

#: Numbers of 64 bits have 19 digits; this leaves room for all that is divided and multiplied on the way.
_EXACT = Context(prec=100)


class Derivation:
    """One derived field, compiled."""

    def __init__(self, item: Field, derived: Derived) -> None:
        self.field, self.derived, self.inputs = item, derived, derived.inputs
        self._run = compiled(derived.rule.tree)
        self._check = compile_field(item)
        self.pointer = pointer_to(item.name)
        self._step = _step_of(item)

    def value(self, record: Mapping[str, Any], problems: list[Problem]) -> Any:
        """The value as it is kept, or `REFUSED` with a problem. Raises `EvaluationError`."""
        found = self._run({"record": record})
        if self._step is not None and type(found) in (int, float, Decimal):
            found = self._rounded(found, self._step)
        elif isinstance(found, float) and not isfinite(found):
            raise EvaluationError(f"The result, {found}, is no number")
        else:
            found = as_json(found)
        return None if found is None else self._check(found, self.pointer, problems)

    @staticmethod
    def _rounded(found: float | Decimal, step: Decimal) -> Decimal:
        if not isfinite(found):
            raise EvaluationError(f"The result, {found}, is no number")
        # A double is what its shortest text says, as everywhere.
        exact = Decimal(repr(found)) if isinstance(found, float) else Decimal(found)
        steps = _EXACT.divide(exact, step).to_integral_value(ROUND_HALF_EVEN, _EXACT)
        return _EXACT.multiply(steps, step)


def _step_of(item: Field) -> Decimal | None:
    """What the values of a field are whole multiples of; None where they need not be of anything."""
    step = item.constraints.get("multipleOf")
    if item.type == "integer":
        return Decimal(1 if step is None else step)
    return None if step is None or item.type != "number" else Decimal(step)


class Derivations:
    """The derived fields of one collection, each behind those that it is derived from."""

    def __init__(self, collection: Collection) -> None:
        self._all = [
            Derivation(item, item.derived) for item in in_order(collection.fields) if item.derived is not None
        ]
        self.names = frozenset(one.field.name for one in self._all)

    def values(self, record: Mapping[str, Any], problems: list[Problem], failed: Failed) -> Record:
        """The derived values of a record, by its other fields; what is wrong is added to the problems.

        Of what is derived from a field that is wrong already, nothing more is said.
        """
        if not self._all:
            return {}
        wrong = {problem.pointer.split("/", 2)[1] for problem in problems if problem.pointer}
        whole, found = dict(record), Record()
        for one in self._all:
            name = one.field.name
            if not wrong.isdisjoint(one.inputs):
                wrong.add(name)
                continue
            value = self._worked_out(one, whole, problems, failed)
            if value is REFUSED:
                wrong.add(name)
            else:
                whole[name] = found[name] = value
        return found

    @staticmethod
    def _worked_out(one: Derivation, record: Record, problems: list[Problem], failed: Failed) -> Any:
        value, why, item = None, "it comes to nothing", one.field
        try:
            value = one.value(record, problems)
        except EvaluationError as error:
            why = str(error).rstrip(".")
            if item.nullable:
                failed(one.derived, why)
        if value is None and not item.nullable:
            empty = [name for name in one.inputs if record.get(name) is None]
            detail = f"Cannot be worked out from {', '.join(one.inputs) or 'its expression'}: {why}."
            problems.append(Problem(one.pointer, "underivable", detail, {"empty": empty}))
            return REFUSED
        return value
