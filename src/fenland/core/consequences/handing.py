"""Handing: values to functions of the project's own, and what they give back.

A function may give anything that Python has. What comes back from here is a value as expressions know it,
bounded as what is read from a request is; all else is refused.
"""

from __future__ import annotations

import reprlib
from collections.abc import Mapping
from datetime import date, datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from math import isfinite
from types import MappingProxyType
from typing import Any

from fenland.core.expressions import EvaluationError
from fenland.core.expressions.budget import spend
from fenland.core.values.plain import MAX_NUMBER_LENGTH

#: Lists and mappings within each other, at most.
_DEEPEST = 50
#: Members of all of them together, at most.
_MOST_MEMBERS = 100_000
#: Whole numbers have fewer bits than `MAX_NUMBER_LENGTH` digits have.
_BITS = MAX_NUMBER_LENGTH * 3
_SHORT = reprlib.Repr()
_SHORT.maxstring = _SHORT.maxother = 100


def frozen(value: Any) -> Any:
    """The same, which nobody can change: lists as tuples, mappings that are only read."""
    if isinstance(value, dict):
        return MappingProxyType({name: frozen(one) for name, one in value.items()})
    return tuple(map(frozen, value)) if isinstance(value, list) else value


def shown(value: Any) -> str:
    """A value that a function gave, for the log: it may be of a kind that fails to show itself."""
    try:
        # What holds itself, or the same twice over and over, is not written out.
        return _SHORT.repr(value)
    except Exception:
        return f"a {type(value).__name__}"


def is_text(value: Any) -> bool:
    """Whether it is a text of whole characters, as can be written in UTF-8."""
    if not isinstance(value, str):
        return False
    try:
        value.encode()
    except UnicodeEncodeError:
        return False
    return True


def taken(value: Any) -> Any:
    """A value that a function gives, as expressions know it. Raises `EvaluationError`."""
    return _taken(value, 0, [_MOST_MEMBERS])


def _taken(value: Any, depth: int, room: list[int]) -> Any:
    if value is None or isinstance(value, bool):
        return value
    if isinstance(value, str):
        if not is_text(value):
            raise EvaluationError("a text holds half of a surrogate pair")
        # Members of enumerations are texts with another name.
        return str.__str__(value)
    if isinstance(value, (Mapping, list, tuple)):
        if depth >= _DEEPEST:
            raise EvaluationError(f"it nests more than {_DEEPEST} deep")
        # What stands in many places is counted in each, also where no request keeps a budget.
        room[0] -= len(value)
        if room[0] < 0:
            raise EvaluationError(f"it has more than {_MOST_MEMBERS} members")
        spend(len(value))
        if isinstance(value, Mapping):
            return {_name(name): _taken(one, depth + 1, room) for name, one in value.items()}
        return [_taken(one, depth + 1, room) for one in value]
    return _number(value) if isinstance(value, (int, float, Decimal, Fraction)) else _time(value)


def _name(name: Any) -> str:
    if not is_text(name):
        raise EvaluationError("a mapping has a name that is no text")
    return str.__str__(name)


def _number(value: float | Decimal | Fraction) -> Any:
    if isinstance(value, Fraction):
        _number(value.numerator)
        _number(value.denominator)
        return value
    if isinstance(value, int):
        if value.bit_length() > _BITS:
            raise EvaluationError("a number has too many digits")
        return int(value)
    if not (value.is_finite() if isinstance(value, Decimal) else isfinite(value)):
        raise EvaluationError(f"the result, {value}, is no number")
    if isinstance(value, float):
        return float(value)
    if len(value.as_tuple().digits) > MAX_NUMBER_LENGTH or abs(value.adjusted()) > MAX_NUMBER_LENGTH:
        raise EvaluationError("a number has too many digits")
    return value


def _time(value: Any) -> Any:
    if isinstance(value, datetime) and value.utcoffset() is None:
        raise EvaluationError("a moment has no zone")
    if isinstance(value, (date, timedelta)):
        return value
    raise EvaluationError(f"a {type(value).__name__} is no value that a field has")
