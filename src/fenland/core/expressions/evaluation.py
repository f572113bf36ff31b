"""Evaluation in Python: a tree becomes a function of what its names are bound to.

Types are dynamic here: an operator asks its operands what they are. `&&` and `||` are commutative with regard
to errors, as the specification has it: one part that settles the whole outweighs one that failed.
"""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterable, Mapping
from datetime import timedelta
from decimal import Context, Decimal, DecimalException
from typing import Any

from fenland.core.expressions.budget import spend
from fenland.core.expressions.checking import Names, check
from fenland.core.expressions.faults import EvaluationError
from fenland.core.expressions.functions import called, integer, left_out, sized, span
from fenland.core.expressions.kinds import TYPES, before, bound, equal, key_of, kind_of, named, value_of
from fenland.core.expressions.parser import parse
from fenland.core.expressions.tree import (
    Call,
    Choice,
    Constant,
    Each,
    Entries,
    Failure,
    Index,
    Items,
    Logic,
    Name,
    Node,
    Path,
    Select,
    Step,
    parts_of,
)
from fenland.core.expressions.types import conversion, type_from
from fenland.core.limits import BOUNDS, Bounds

Bindings = Mapping[str, Any]
Compiled = Callable[[Bindings], Any]


#: Under this name, which no expression can say, stands how many items macros may still go over.
_LEFT = ""
#: Under this one stands what follows references: from a collection and a key to a record, or None.
FOLLOW = "->"
#: Items that the macros of one evaluation may go over in all: they can be nested.
MOST_ITEMS = 100_000


def evaluate(text: str, bindings: Bindings, bounds: Bounds = BOUNDS) -> Any:
    """The value of an expression, names standing for what they are bound to.

    Raises `ExpressionMistake` for a text that is none, and `EvaluationError` where it has no value.
    """
    return compiled(parse(text, bounds))({name: bound(value) for name, value in bindings.items()})


def compile_expression(text: str, types: Mapping[str, str], bounds: Bounds = BOUNDS) -> Compiled:
    """A function of what the names of an expression are bound to, its types checked beforehand.

    `types` says of each name what it will be: `int`, `string`, `list(date)`, `map(dyn)`; `dyn` is anything.
    Raises `ExpressionMistake` for a text that is no expression or cannot fit these types, and `ValueError`
    for a type that is none. The function raises `EvaluationError`.
    """
    names = Names({name: type_from(one) for name, one in types.items()})
    run = compiled(check(text, parse(text, bounds), names).tree)
    return lambda bindings: run({name: bound(value) for name, value in bindings.items()})


def compiled(node: Node) -> Compiled:
    """A function that gives the value of a tree, by what its names are bound to; see `evaluate`.

    It raises `TooCostly` when the request has no steps left.
    """
    run, steps = _run(node), weight(node)

    def evaluated(bindings: Bindings) -> Any:
        spend(steps)
        return run({**bindings, _LEFT: [MOST_ITEMS]})

    return evaluated


def weight(node: Node) -> int:
    """The steps of one evaluation, without what macros do for each item."""
    if isinstance(node, Each):
        return 1 + weight(node.operand)
    return 1 + sum(map(weight, parts_of(node)))


def _run(node: Node) -> Compiled:
    return _COMPILERS[type(node)](node)


# --- leaves and structures ---------------------------------------------------------------------------


def _constant(node: Constant) -> Compiled:
    value = node.value
    return lambda _bindings: value


def _name(node: Name) -> Compiled:
    name = node.name

    def run(bindings: Bindings) -> Any:
        if name not in bindings:
            if name in TYPES:
                return TYPES[name]
            raise EvaluationError(left_out(name) or f"There is no {name!r} here.")
        return bindings[name]

    return run


def _path(node: Path) -> Compiled:
    """A field of a record, as the record keeps it, which paths through references are followed to."""
    if not node.steps:
        raise TypeError("A whole record is no value.")
    root, through, last, convert = node.root, node.steps[:-1], node.steps[-1].name, conversion(node.type)

    def run(bindings: Bindings) -> Any:
        try:
            record = bindings[root]
            for step in through:
                record = _followed(step, record[step.name], bindings[FOLLOW])
            value = record[last]
        except KeyError as missing:
            raise EvaluationError(f"There is no {missing.args[0]!r} here.") from None
        return value if value is None or convert is None else convert(value)

    return run


def _followed(step: Step, key: Any, follow: Callable[[str | None, Any], Any]) -> Any:
    if key is None:
        raise EvaluationError(f"{step.name} refers to nothing.")
    record = follow(step.references, key)
    if record is None:
        raise EvaluationError(f"What {step.name} refers to is not there.")
    return record


def _failure(node: Failure) -> Compiled:
    def run(_bindings: Bindings) -> Any:
        raise EvaluationError(node.message)

    return run


def _select(node: Select) -> Compiled:
    operand, field, asks = _run(node.operand), node.field, node.asks

    def run(bindings: Bindings) -> Any:
        value = operand(bindings)
        if not isinstance(value, dict):
            raise EvaluationError(f"A {named(value)} has no field {field!r}.")
        if asks:
            return field in value
        if field not in value:
            raise EvaluationError(f"There is no {field!r}.")
        return value[field]

    return run


def _index(node: Index) -> Compiled:
    operand, index = _run(node.operand), _run(node.index)

    def run(bindings: Bindings) -> Any:
        value, wanted = operand(bindings), index(bindings)
        if isinstance(value, dict):
            key = key_of(wanted)
            if key not in value:
                raise EvaluationError(f"There is no key {wanted!r}.")
            return value[key]
        if not isinstance(value, list):
            raise EvaluationError(f"A {named(value)} has no items.")
        place = value_of(key_of(wanted))
        if kind_of(place) != "int" or not 0 <= place < len(value):
            raise EvaluationError(f"There is no item {wanted!r} in a list of {len(value)}.")
        return value[place]

    return run


def _items(node: Items) -> Compiled:
    items = [_run(one) for one in node.items]
    return lambda bindings: [item(bindings) for item in items]


def _entries(node: Entries) -> Compiled:
    entries = [(_run(key), _run(value)) for key, value in node.entries]

    def run(bindings: Bindings) -> Any:
        found = {key_of(key(bindings)): value(bindings) for key, value in entries}
        if len(found) != len(entries):
            raise EvaluationError("A key stands twice in one map.")
        return found

    return run


# --- logic -------------------------------------------------------------------------------------------


def _truth(value: Any) -> bool:
    if not isinstance(value, bool):
        raise EvaluationError(f"A {named(value)} is neither true nor false.")
    return value


def _settled(parts: Iterable[tuple[Compiled, Bindings]], settling: bool) -> bool:
    """Of `&&` a false part settles the whole, of `||` a true one, whatever failed before it."""
    failed: EvaluationError | None = None
    for part, bindings in parts:
        try:
            if _truth(part(bindings)) is settling:
                return settling
        except EvaluationError as error:
            failed = failed or error
    if failed is not None:
        raise failed
    return not settling


def _logic(node: Logic) -> Compiled:
    parts, settling = [_run(one) for one in node.parts], node.operator == "||"
    return lambda bindings: _settled(((part, bindings) for part in parts), settling)


def _choice(node: Choice) -> Compiled:
    condition, yes, no = _run(node.condition), _run(node.yes), _run(node.no)
    return lambda bindings: yes(bindings) if _truth(condition(bindings)) else no(bindings)


def _each(node: Each) -> Compiled:
    operand, variable, macro = _run(node.operand), node.variable, node.macro
    condition = _run(node.condition) if node.condition is not None else None
    result = _run(node.result) if node.result is not None else None
    steps = 1 + sum(weight(one) for one in (node.condition, node.result) if one is not None)

    def each(items: Iterable[Any], bindings: Bindings) -> Iterable[Bindings]:
        for item in items:
            spend(steps)
            yield {**bindings, variable: item}

    def run(bindings: Bindings) -> Any:
        value = operand(bindings)
        if not isinstance(value, (list, dict)):
            raise EvaluationError(f"{macro} goes over a list or a map, not a {named(value)}.")
        items = value if isinstance(value, list) else [value_of(key) for key in value]
        left = bindings[_LEFT]
        left[0] -= len(items)
        if left[0] < 0:
            raise EvaluationError(f"The expression goes over more than {MOST_ITEMS} items.")
        inner = each(items, bindings)
        if condition is not None and macro in ("all", "exists"):
            return _settled(((condition, one) for one in inner), macro == "exists")
        kept = (one for one in inner if condition is None or _truth(condition(one)))
        if macro == "exists_one":
            return sum(1 for _ in kept) == 1
        return [one[variable] if result is None else result(one) for one in kept]

    return run


# --- operators ---------------------------------------------------------------------------------------


def _call(node: Call) -> Compiled:
    arguments, name, method = [_run(one) for one in node.arguments], node.name, node.method
    if name in _UNARY or name in _BINARY:
        exact = [_as_decimal(one) for one in node.arguments]
        operation = _UNARY.get(name) or _BINARY[name]
        if not any(exact):
            return _plainly(operation, arguments)

        def operate(bindings: Bindings) -> Any:
            given = [argument(bindings) for argument in arguments]
            if any(isinstance(one, Decimal) for one in given):
                # A double that stands beside a decimal is read as the digits it was written with.
                given = [one if digits is None else digits for one, digits in zip(given, exact, strict=True)]
            return operation(*given)

        return operate
    return lambda bindings: called(name, [argument(bindings) for argument in arguments], method=method)


def _plainly(operation: Callable[..., Any], arguments: list[Compiled]) -> Compiled:
    """The operation where no literal could be meant as a decimal."""
    if len(arguments) == 1:
        (only,) = arguments
        return lambda bindings: operation(only(bindings))
    one, other = arguments
    return lambda bindings: operation(one(bindings), other(bindings))


def _as_decimal(node: Node) -> Decimal | None:
    written = isinstance(node, Constant) and isinstance(node.value, float) and node.text
    return Decimal(written) if written else None


def _negative(value: Any) -> Any:
    if kind_of(value) == "int":
        return integer(-value)
    if kind_of(value) in ("double", "decimal"):
        return -value
    raise EvaluationError(f"There is no negative {named(value)}.")


#: What adds and subtracts times: by the kinds of both sides.
_TIMES: Mapping[tuple[str, str, str], Callable[[Any, Any], Any]] = {
    ("+", "timestamp", "duration"): operator.add,
    ("+", "duration", "timestamp"): operator.add,
    ("+", "duration", "duration"): operator.add,
    ("-", "timestamp", "timestamp"): operator.sub,
    ("-", "timestamp", "duration"): operator.sub,
    ("-", "duration", "duration"): operator.sub,
    ("+", "date", "int"): lambda day, count: day + timedelta(days=count),
    ("-", "date", "int"): lambda day, count: day - timedelta(days=count),
    ("-", "date", "date"): lambda one, other: (one - other).days,
}
#: What the specification lets lie between two timestamps: nanoseconds that fit in 64 bits.
_FARTHEST_APART = timedelta(microseconds=(2**63 - 1) // 1000)
_NUMERIC: Mapping[str, Callable[[Any, Any], Any]] = {"+": operator.add, "-": operator.sub, "*": operator.mul}
#: Room for the digits of whatever fields hold, multiplied again and again.
_DIGITS = Context(prec=200)
#: The same of decimals, of which one side may be a whole number.
_EXACT = {"+": _DIGITS.add, "-": _DIGITS.subtract, "*": _DIGITS.multiply}


def _divided(one: int, other: int) -> int:
    if other == 0:
        raise EvaluationError("Division by zero.")
    quotient = abs(one) // abs(other)
    return integer(quotient if (one < 0) == (other < 0) else -quotient)


def _rest(one: int, other: int) -> int:
    if other == 0:
        raise EvaluationError("Division by zero.")
    return one - other * _divided(one, other)


def _double_divided(one: float, other: float) -> float:
    if other != 0:
        return one / other
    if one == 0 or one != one:
        return float("nan")
    # By IEEE 754: the sign of an infinity is that of both sides.
    return float("inf") if (one > 0) == (str(other)[0] != "-") else float("-inf")


def _double(symbol: str, one: float, other: float) -> float:
    try:
        return _double_divided(one, other) if symbol == "/" else float(_NUMERIC[symbol](one, other))
    except OverflowError:
        return float("inf")


def _decimal(symbol: str, one: Any, other: Any) -> Any:
    if symbol == "/":
        if other == 0:
            raise EvaluationError("Division by zero.")
        return float(one) / float(other)
    try:
        return _EXACT[symbol](one, other)
    except DecimalException:
        raise EvaluationError("The decimal has too many digits.") from None


def _arithmetic(symbol: str) -> Callable[[Any, Any], Any]:
    def run(one: Any, other: Any) -> Any:
        left, right = kind_of(one), kind_of(other)
        kinds = {left, right}
        if kinds == {"int"}:
            if symbol in "/%":
                return _divided(one, other) if symbol == "/" else _rest(one, other)
            return integer(_NUMERIC[symbol](one, other))
        if kinds == {"double"} and symbol != "%":
            return _double(symbol, one, other)
        if "decimal" in kinds and kinds <= {"decimal", "int"} and symbol != "%":
            return _decimal(symbol, one, other)
        if symbol == "+" and kinds in ({"string"}, {"list"}):
            sized(len(one) + len(other))
            spend(len(one) + len(other) >> 6)
            return one + other
        timed = _TIMES.get((symbol, left, right))
        if timed is None:
            raise EvaluationError(f"There is no {left} {symbol} {right}.")
        try:
            found = timed(one, other)
        except OverflowError:
            raise EvaluationError("The result lies outside the years 1 to 9999.") from None
        if (left, right) == ("timestamp", "timestamp") and abs(found) > _FARTHEST_APART:
            raise EvaluationError("The timestamps lie more than 292 years apart.")
        return span(found) if isinstance(found, timedelta) else found

    return run


def _within(value: Any, holder: Any) -> bool:
    if isinstance(holder, list):
        spend(len(holder))
        return any(equal(value, one) for one in holder)
    if isinstance(holder, dict):
        if kind_of(value) == "double" and value != value // 1:
            # No key equals it, though it could not be one itself.
            return False
        return key_of(value) in holder
    raise EvaluationError(f"A {named(holder)} holds nothing to look in.")


_UNARY: Mapping[str, Callable[[Any], Any]] = {"!_": lambda value: not _truth(value), "-_": _negative}
_BINARY: Mapping[str, Callable[[Any, Any], Any]] = {
    "_==_": equal,
    "_!=_": lambda one, other: not equal(one, other),
    "_<_": lambda one, other: before(one, other) == -1,
    "_<=_": lambda one, other: before(one, other) in (-1, 0),
    "_>_": lambda one, other: before(one, other) == 1,
    "_>=_": lambda one, other: before(one, other) in (1, 0),
    "_in_": _within,
    **{f"_{symbol}_": _arithmetic(symbol) for symbol in "+-*/%"},
}

_COMPILERS: Mapping[type, Callable[[Any], Compiled]] = {
    Path: _path,
    Failure: _failure,
    Constant: _constant,
    Name: _name,
    Select: _select,
    Index: _index,
    Items: _items,
    Entries: _entries,
    Logic: _logic,
    Choice: _choice,
    Each: _each,
    Call: _call,
}
