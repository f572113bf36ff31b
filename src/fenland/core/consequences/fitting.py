"""Fitting: what a formula gives, made into a value of the field that it is for.

A number is rounded half-even to the field's `multipleOf`, or to a whole number, and everything else must be
of the field's type. What the field's own keywords do not allow is a problem of that field, as it would be of
one that is sent.
"""

from __future__ import annotations

from collections.abc import Mapping
from decimal import ROUND_HALF_EVEN, Context, Decimal
from fractions import Fraction
from math import isfinite
from typing import Any

from fenland.core.consequences.handing import frozen, taken
from fenland.core.definitions.model import Field, Formula
from fenland.core.definitions.own import Call
from fenland.core.definitions.validation import compile_field
from fenland.core.expressions import Compiled, EvaluationError, as_json, compiled
from fenland.core.problems import Problem, pointer_to

#: Numbers of 64 bits have 19 digits; this leaves room for all that is divided and multiplied on the way.
_EXACT = Context(prec=100)
#: Numbers of fewer digits before the point have room for all those behind it.
_SHORT = 60
#: What is kept as it comes out.
_PLAIN = (str, bool)
_NUMBERS = (int, float, Decimal, Fraction)


class Fitting:
    """What makes values of one field."""

    def __init__(self, item: Field) -> None:
        self.pointer = pointer_to(item.name)
        self._check = compile_field(item)
        #: What the values of the field are whole multiples of; None where they need not be of anything.
        self.step = _step_of(item)
        #: Whether that is a power of ten, by which rounding is to leave off digits.
        self._by_digits = self.step is not None and self.step == Decimal(1).scaleb(self.step.adjusted())

    def value(self, found: Any, problems: list[Problem]) -> Any:
        """The value as it is kept, or `REFUSED` with a problem. Raises `EvaluationError`."""
        if found is None or type(found) in _PLAIN:
            return None if found is None else self._check(found, self.pointer, problems)
        if self.step is not None and type(found) in _NUMBERS:
            found = self.rounded(found)
        elif isinstance(found, Fraction):
            found = _double(found)
        elif isinstance(found, float) and not isfinite(found):
            raise EvaluationError(f"The result, {found}, is no number")
        else:
            found = as_json(found)
        return self._check(found, self.pointer, problems)

    def rounded(self, found: Any) -> Any:
        """A number as one that the field may hold. Raises `EvaluationError`."""
        if isinstance(found, float) and not isfinite(found):
            raise EvaluationError(f"The result, {found}, is no number")
        step = self.step
        if step is None or (step == 1 and isinstance(found, int)):
            return found
        if isinstance(found, Fraction):
            # Half-even.
            return _EXACT.multiply(Decimal(round(found / Fraction(step))), step)
        # A double is what its shortest text says, as everywhere.
        exact = Decimal(repr(found)) if isinstance(found, float) else Decimal(found)
        if self._by_digits and exact.adjusted() < _SHORT:
            return exact.quantize(step, ROUND_HALF_EVEN, _EXACT)
        steps = _EXACT.divide(exact, step).to_integral_value(ROUND_HALF_EVEN, _EXACT)
        return _EXACT.multiply(steps, step)


def _double(found: Fraction) -> float:
    try:
        return float(found)
    except OverflowError:
        raise EvaluationError("The result is too large for a number") from None


class Fitted:
    """A formula for one field, compiled."""

    def __init__(self, item: Field, formula: Formula) -> None:
        self.field, self.formula, self.inputs = item, formula, formula.inputs
        self._run, self._fitting = compiled(formula.rule.tree), Fitting(item)
        if formula.call is not None:
            self._run = called(self._run, formula.call)
        self.pointer = self._fitting.pointer

    def value(self, names: Mapping[str, Any], problems: list[Problem]) -> Any:
        """See `Fitting`."""
        return self._fitting.value(self._run(names), problems)


def called(arguments: Compiled, call: Call) -> Compiled:
    """What a function gives, by the arguments that an expression comes to."""
    return lambda names: taken(call.run(*frozen(arguments(names))))


def _step_of(item: Field) -> Decimal | None:
    """What the values of a field are whole multiples of; None where they need not be of anything."""
    step = item.constraints.get("multipleOf")
    if item.type == "integer":
        return Decimal(1 if step is None else step)
    return None if step is None or item.type != "number" else Decimal(step)
