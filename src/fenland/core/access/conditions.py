"""Conditions: what must hold of a record, as one small frozen tree that storage makes SQL of, for many.

`condition_of` makes it of an expression of which only the record is left to know (`expressions/reducing.py`):
comparisons that have an exact form in SQL become nodes of their own, and every other one an `Evaluated`,
which storage has the same Python code evaluate. So both readings agree on every row: generated tests compare.

An error is unknown, and so is what depends on it: `true or unknown` is true, `not unknown` is unknown, the
three-valued logic of SQL. What is unknown does not hold.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any, Literal, cast

from fenland.core.expressions.evaluation import compiled
from fenland.core.expressions.faults import EvaluationError
from fenland.core.expressions.kinds import NUMBERS, ORDERED, kind_of
from fenland.core.expressions.tree import Call, Choice, Constant, Logic, Node, Path, paths_in
from fenland.core.values.identity import timestamp

Comparison = Literal["==", "!=", "<", "<=", ">", ">="]


@dataclass(frozen=True, slots=True)
class Column:
    """A field of the record, as stored, or of what it refers to: all names but the last are references."""

    steps: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class Value:
    """A value as fields keep it."""

    value: Any


@dataclass(frozen=True, slots=True)
class Compare:
    """A column compared with a value, or with a column of the same type."""

    left: Column
    comparison: Comparison
    right: Column | Value


@dataclass(frozen=True, slots=True)
class Among:
    """Whether a column holds one of these values; None among them stands for holding nothing."""

    column: Column
    values: tuple[Any, ...]


@dataclass(frozen=True, slots=True)
class Contains:
    """Whether a column's text holds another one, somewhere or at its start."""

    column: Column
    text: str
    at_start: bool


@dataclass(frozen=True, slots=True)
class Holds:
    """What a column of true and false says."""

    column: Column


@dataclass(frozen=True, slots=True)
class Evaluated:
    """What an expression says when it is evaluated: each of its paths, and where that may be known."""

    node: Node
    inputs: tuple[tuple[Path, Condition], ...]


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


@dataclass(frozen=True, slots=True)
class If:
    """One of two, by a condition; unknown where that is."""

    condition: Condition
    yes: Condition
    no: Condition


@dataclass(frozen=True, slots=True)
class Unknown:
    """An error, whatever the record."""


Condition = Compare | Among | Contains | Holds | Evaluated | And | Or | Not | If | Unknown

ALWAYS: Condition = And()
NEVER: Condition = Or()
UNKNOWN: Condition = Unknown()

#: What must hold of a record for a path to be known to who asks. Where it does not, the path is an error.
Guard = Callable[[Path], Condition]


def column_of(path: Path) -> Column:
    """The column that a path leads to."""
    return Column(tuple(step.name for step in path.steps))


def both(*conditions: Condition) -> Condition:
    """All of these conditions."""
    parts = tuple(one for one in conditions if one != ALWAYS)
    if NEVER in parts:
        return NEVER
    return parts[0] if len(parts) == 1 else And(parts)


def known_where(guard: Condition, condition: Condition) -> Condition:
    """The condition where the guard holds; unknown elsewhere."""
    return condition if guard == ALWAYS else UNKNOWN if guard == NEVER else If(guard, condition, UNKNOWN)


def condition_of(node: Node, guard: Guard = lambda _path: ALWAYS) -> Condition:
    """The condition that an expression over one record is."""
    match node:
        case Constant(value=True):
            return ALWAYS
        case Constant(value=False):
            return NEVER
        case Logic(operator="&&"):
            return And(tuple(condition_of(part, guard) for part in node.parts))
        case Logic():
            return Or(tuple(condition_of(part, guard) for part in node.parts))
        case Call(name="!_"):
            return Not(condition_of(node.arguments[0], guard))
        case Choice():
            return If(*(condition_of(one, guard) for one in (node.condition, node.yes, node.no)))
    paths = list({path.steps: path for path in paths_in(node)}.values())
    if not paths:
        return _settled(node)
    exact = _exact(node)
    if exact is not None:
        return known_where(both(*map(guard, paths)), exact)
    return Evaluated(node, tuple((path, guard(path)) for path in paths))


def _settled(node: Node) -> Condition:
    """What asks nothing of the record, and so is the same for all."""
    try:
        found = compiled(node)({})
    except EvaluationError:
        return UNKNOWN
    return ALWAYS if found is True else NEVER if found is False else UNKNOWN


def _exact(node: Node) -> Condition | None:
    """What has the very same meaning in SQL; None for all else."""
    if isinstance(node, Path):
        return Holds(column_of(node)) if node.type.kind == "bool" else None
    if not isinstance(node, Call) or len(node.arguments) != 2:
        return None
    left, right = node.arguments
    if node.name == "_in_" and isinstance(left, Path) and isinstance(right, Constant):
        return _among(left, right.value)
    if node.name in _TEXTS and node.method and isinstance(left, Path) and isinstance(right, Constant):
        text = isinstance(right.value, str) and left.type.kind == "string"
        return Contains(column_of(left), right.value, _TEXTS[node.name]) if text else None
    comparison = node.name.strip("_")
    if comparison not in _TURNED:
        return None
    if isinstance(left, Constant) and isinstance(right, Path):
        left, right, comparison = right, left, _TURNED[comparison]
    if not isinstance(left, Path):
        return None
    if isinstance(right, Path):
        return _columns(left, comparison, right)
    return _compared(left, comparison, right.value) if isinstance(right, Constant) else None


#: Methods of texts, and whether they look at the start alone.
_TEXTS: Mapping[str, bool] = {"contains": False, "startsWith": True}
#: Each comparison with its sides exchanged.
_TURNED: Mapping[str, str] = {"==": "==", "!=": "!=", "<": ">", "<=": ">=", ">": "<", ">=": "<="}


def _columns(left: Path, comparison: str, right: Path) -> Condition | None:
    one, other = left.type, right.type
    if one.kind != other.kind or one.scale != other.scale or one.kind not in (*NUMBERS, *ORDERED):
        return None
    return Compare(column_of(left), cast(Comparison, comparison), column_of(right))


def _compared(path: Path, comparison: str, value: Any) -> Condition | None:
    column = column_of(path)
    if value is None:
        if comparison not in ("==", "!="):
            return UNKNOWN
        # A record's own field is always there to be asked; so is what it refers to, or that is an error.
        return Compare(column, cast(Comparison, comparison), Value(None))
    kept = _kept(path, value)
    return None if kept is None else Compare(column, cast(Comparison, comparison), Value(kept))


def _among(path: Path, values: Any) -> Condition | None:
    if not isinstance(values, list):
        return None
    kept = [None if value is None else _kept(path, value) for value in values]
    if any(one is None and value is not None for one, value in zip(kept, values, strict=True)):
        return None
    return Among(column_of(path), tuple(kept))


#: Whole numbers up to here are doubles too, to the last digit.
_EXACT_DOUBLES = 2**53


def _kept(path: Path, value: Any) -> Any:
    """The value as the field at the end of the path would keep it; None where it could not, exactly."""
    kind, given = path.type.kind, kind_of(value)
    if kind == given == "double":
        return value if value == value else None
    if kind == given and kind in ("string", "bool", "int"):
        return value
    if kind == given == "date" and isinstance(value, date):
        return value.isoformat()
    if kind == given == "timestamp" and isinstance(value, datetime):
        return timestamp(value)
    if given not in NUMBERS:
        return None
    if kind == "double":
        return float(value) if given == "int" and abs(value) <= _EXACT_DOUBLES else None
    if kind == "int":
        whole = value == value and abs(value) < _EXACT_DOUBLES and value == int(value)
        return int(value) if whole else None
    if kind == "decimal" and path.type.scale is not None and given in ("int", "decimal"):
        return _scaled(Decimal(value), path.type.scale)
    return None


def _scaled(value: Decimal, scale: int) -> Decimal | None:
    """A decimal with so many digits after the point, if those are enough for it and it fits a column."""
    sign, digits, exponent = value.as_tuple()
    count = "".join(map(str, digits)).lstrip("0")
    if not isinstance(exponent, int) or len(count) + exponent > _DIGITS:
        return None
    # By its digits, since arithmetic would round those beyond the precision of the context.
    places = max(exponent + scale, -len(count))
    whole, rest = (count + "0" * places, "") if places >= 0 else (count[:places], count[places:])
    if rest.strip("0") or int(whole or "0") >= 2**63:
        return None
    return Decimal((sign, tuple(map(int, whole or "0")), -scale))


#: Digits that a column has for the whole part of a number.
_DIGITS = 19
