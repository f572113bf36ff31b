"""Conditions as SQL: the trees of `core/access/conditions.py` over the rows of a table.

What is unknown is NULL, and SQL's own logic does the rest. A statement depends on the shape of a condition
alone: the values in it are parameters, so that one statement serves every actor. `Evaluated` calls back into
Python, by a number under which its function is known for as long as the condition is.
"""

from __future__ import annotations

import itertools
import operator
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any
from weakref import WeakValueDictionary

from sqlalchemy import (
    Boolean,
    ColumnElement,
    Dialect,
    Integer,
    String,
    Table,
    and_,
    bindparam,
    case,
    cast,
    false,
    func,
    literal_column,
    not_,
    null,
    or_,
    select,
    true,
)
from sqlalchemy.types import TypeEngine

from fenland.core.access.conditions import (
    ALWAYS,
    Among,
    And,
    Column,
    Compare,
    Condition,
    Contains,
    Evaluated,
    Holds,
    If,
    Not,
    Or,
    Unknown,
    Value,
    column_of,
)
from fenland.core.expressions import Compiled, EvaluationError, compiled
from fenland.core.expressions.tree import Name, Node, Path, with_parts
from fenland.core.expressions.types import conversion
from fenland.storage.shared.column_types import from_column
from fenland.storage.shared.statements import Engine, Prepared

_ORDER: Mapping[str, Callable[[Any, Any], Any]] = {
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}

#: What stands for a value that may not be known; no column holds bytes.
NOT_KNOWN = b"\0"


# --- shapes and values --------------------------------------------------------------------------------


def shape_of(condition: Condition) -> Any:
    """What of a condition its statement depends on: all but the values in it."""
    match condition:
        case Compare(left=left, comparison=comparison, right=Value(value=value)):
            return (comparison, left, value is None)
        case Compare(left=left, comparison=comparison, right=right):
            return (comparison, left, right)
        case Among(column=column, values=values):
            return ("among", column, len(values), None in values)
        case Contains(column=column, at_start=at_start):
            return ("contains", column, at_start)
        case Holds(column=column):
            return ("holds", column)
        case Evaluated(inputs=inputs):
            return ("evaluated", tuple((column_of(path), shape_of(guard)) for path, guard in inputs))
        case And(parts=parts) | Or(parts=parts):
            return (type(condition).__name__, *map(shape_of, parts))
        case Not(part=part):
            return ("not", shape_of(part))
        case If(condition=asked, yes=yes, no=no):
            return ("if", shape_of(asked), shape_of(yes), shape_of(no))
        case Unknown():
            return ("unknown",)


def _names() -> Iterator[str]:
    return map("c_{}".format, itertools.count())


class Parameters:
    """The values in conditions, by their names in statements; functions live as long as this."""

    def __init__(self, conditions: Iterable[Condition], table: Table, dialect: Dialect) -> None:
        self._names = _names()
        self._kept: list[Function] = []
        self.values = {name: value for one in conditions for name, value in self._of(one, table, dialect)}

    def _of(self, condition: Condition, table: Table, dialect: Dialect) -> Iterator[tuple[str, Any]]:
        # In the order in which `ConditionWriter` comes to them.
        match condition:
            case Compare(right=Value(value=value)):
                if value is not None:
                    yield next(self._names), value
            case Among(values=values):
                for value in values:
                    if value is not None:
                        yield next(self._names), value
            case Contains(text=text):
                yield next(self._names), text
            case Evaluated(inputs=inputs):
                function = Function(condition, table, dialect)
                self._kept.append(function)
                yield next(self._names), function.number
                for _, guard in inputs:
                    yield from self._of(guard, table, dialect)
            case And(parts=parts) | Or(parts=parts):
                for part in parts:
                    yield from self._of(part, table, dialect)
            case Not(part=part):
                yield from self._of(part, table, dialect)
            case If(condition=asked, yes=yes, no=no):
                for part in (asked, yes, no):
                    yield from self._of(part, table, dialect)


# --- Python within SQL --------------------------------------------------------------------------------

_NUMBERS = itertools.count(1)
_FUNCTIONS: WeakValueDictionary[int, Function] = WeakValueDictionary()


class Function:
    """An expression that statements call by its number, given what its paths' columns hold."""

    def __init__(self, condition: Evaluated, table: Table, dialect: Dialect) -> None:
        self.number = next(_NUMBERS)
        paths = [path for path, _ in condition.inputs]
        names = {(path.root, path.steps): f"#{place}" for place, path in enumerate(paths)}
        self._run: Compiled = compiled(_named(condition.node, names))
        self._inputs = [
            (names[path.root, path.steps], from_column(_type_at(table, path), dialect), conversion(path.type))
            for path in paths
        ]
        _FUNCTIONS[self.number] = self

    def __call__(self, *given: Any) -> bool | None:
        """What it says of a row: true, false, or None for an error."""
        bindings = {}
        for (name, stored, convert), value in zip(self._inputs, given, strict=True):
            if value == NOT_KNOWN:
                continue
            for change in (stored, convert):
                value = value if value is None or change is None else change(value)
            bindings[name] = value
        try:
            found = self._run(bindings)
        except EvaluationError:
            return None
        return found if isinstance(found, bool) else None


def _named(node: Node, names: Mapping[Any, str]) -> Node:
    """The tree with a name in the place of each path."""
    if isinstance(node, Path):
        return Name(names[node.root, node.steps], node.at)
    return with_parts(node, lambda part: _named(part, names))


def _type_at(table: Table, path: Path) -> TypeEngine[Any]:
    for step in path.steps[:-1]:
        table = _target(table, step.name)
    return table.c[path.steps[-1].name].type


def evaluated(number: int, *given: Any) -> bool | None:
    """What a statement's call gives; for engines to know under the name of `CALL`."""
    return _FUNCTIONS[number](*given)


CALL = "fenland_evaluated"


# --- SQL ------------------------------------------------------------------------------------------------


def condition_text(condition: Condition, table: Table, engine: Engine) -> str:
    """The SQL that a condition becomes, its values written out; for people to read."""
    statement = select(ConditionWriter(table, engine).written(condition)).select_from(table)
    prepared = Prepared(statement, engine)
    parameters = Parameters([condition], table, engine.dialect)
    values = iter(prepared.values(parameters.values) if prepared.order else ())
    text = re.sub(r"\?", lambda _: _literal(next(values)), prepared.text)
    selected = re.sub(r" AS \w+ *$", "", text.removeprefix("SELECT ").rpartition("\nFROM ")[0].strip())
    return selected.replace(f"{table.name}.", "")


def _literal(value: Any) -> str:
    """A column's content as SQL has it in a text."""
    if isinstance(value, str):
        quoted = value.replace("'", "''")
        return f"'{quoted}'"
    return str(int(value)) if isinstance(value, bool) else str(value)


class ConditionWriter:
    """Writes conditions over the rows of a table; their values are parameters, see `Parameters`."""

    def __init__(self, table: Table, engine: Engine) -> None:
        self._table = table
        self._engine = engine
        self._names = _names()

    def known(self, field: str, guard: Condition) -> ColumnElement[Any]:
        """A column's value where a guard holds, and nothing elsewhere."""
        column = self._table.c[field]
        return column if guard == ALWAYS else case((self.written(guard), column))

    def written(self, condition: Condition) -> ColumnElement[bool]:
        """One condition. Several are written in the order in which `Parameters` has them."""
        match condition:
            case Compare():
                return self._compared(condition)
            case Among(column=column, values=values):
                return self._among(column, values)
            case Contains(column=column, at_start=at_start):
                text = bindparam(next(self._names), type_=String())
                place = self._engine.place(_value(self._table, column.steps), text)
                return place == 1 if at_start else place > 0
            case Holds(column=column):
                return _value(self._table, column.steps) == true()
            case Evaluated(inputs=inputs):
                return self._evaluated(inputs)
            case And(parts=parts):
                return and_(true(), *map(self.written, parts))
            case Or(parts=parts):
                return or_(false(), *map(self.written, parts))
            case Not(part=part):
                return not_(self.written(part))
            case If(condition=asked, yes=yes, no=no):
                asked_sql, yes_sql, no_sql = map(self.written, (asked, yes, no))
                return case((asked_sql, yes_sql), (not_(asked_sql), no_sql))
            case Unknown():
                return cast(null(), Boolean)

    def _parameter(self, kind: TypeEngine[Any]) -> ColumnElement[Any]:
        return bindparam(next(self._names), type_=kind)

    def _compared(self, condition: Compare) -> ColumnElement[bool]:
        left, right = condition.left, condition.right
        column = _value(self._table, left.steps)
        other: ColumnElement[Any]
        if isinstance(right, Column):
            other = _value(self._table, right.steps)
        else:
            other = null() if right.value is None else self._parameter(column.type)
        order = _ORDER.get(condition.comparison)
        if order is not None:
            ordered: ColumnElement[bool] = order(column, other)
            return ordered
        equal = condition.comparison == "=="
        found = column.is_not_distinct_from(other) if equal else column.is_distinct_from(other)
        return self._reached(found, left, *([right] if isinstance(right, Column) else []))

    def _among(self, column: Column, values: tuple[Any, ...]) -> ColumnElement[bool]:
        found = _value(self._table, column.steps)
        given = [self._parameter(found.type) for value in values if value is not None]
        among = and_(found.is_not(None), found.in_(given)) if given else false()
        return self._reached(or_(found.is_(None), among) if None in values else among, column)

    def _reached(self, condition: ColumnElement[bool], *columns: Column) -> ColumnElement[bool]:
        """The condition where the references on the way to its columns lead somewhere; unknown elsewhere."""
        ways = [_value(self._table, one.steps[:-1]).is_not(None) for one in columns if len(one.steps) > 1]
        return case((and_(*ways), condition)) if ways else condition

    def _evaluated(self, inputs: tuple[tuple[Path, Condition], ...]) -> ColumnElement[bool]:
        number = self._parameter(Integer())
        given = [self._input(path, guard) for path, guard in inputs]
        return func.fenland_evaluated(number, *given, type_=Boolean) == true()

    def _input(self, path: Path, guard: Condition) -> ColumnElement[Any]:
        steps = column_of(path).steps
        value = _value(self._table, steps)
        known = [] if guard == ALWAYS else [self.written(guard)]
        known += [_value(self._table, steps[:-1]).is_not(None)] if len(steps) > 1 else []
        if not known:
            return value
        return case((and_(*known), value), else_=literal_column("x'00'"))


def _target(table: Table, reference: str) -> Table:
    """The table that a column refers to."""
    table_of: Table = _key(table, reference).table
    return table_of


def _key(table: Any, reference: str) -> Any:
    """The column that a column refers to."""
    (found,) = table.c[reference].foreign_keys
    return found.column


def _value(table: Any, steps: tuple[str, ...]) -> ColumnElement[Any]:
    """A column of a row, or of the row that its references lead to."""
    column: ColumnElement[Any] = table.c[steps[0]]
    if len(steps) == 1:
        return column
    key = _key(table, steps[0])
    target = key.table.alias()
    inner = select(_value(target, steps[1:])).where(target.c[key.name] == column)
    return inner.correlate(table).scalar_subquery()
