"""The type checker: a tree and the types of its names give the tree with its paths settled, and its type.

What could only ever be an error is a mistake here, with its place: an unknown name or field, an operator that
does not take these types, a reference followed too far. Where a type is `dyn`, the evaluation decides.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from typing import NoReturn

from fenland.core.expressions.faults import ExpressionMistake
from fenland.core.expressions.functions import FUNCTIONS, LEFT_OUT, METHODS, RESULTS, left_out
from fenland.core.expressions.kinds import NUMBERS, ORDERED, TYPES
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
)
from fenland.core.expressions.types import (
    BOOL,
    DATE,
    DECIMAL,
    DOUBLE,
    DURATION,
    DYN,
    INT,
    NULL,
    STRING,
    TIMESTAMP,
    Catalog,
    FieldType,
    ValueType,
    list_of,
)
from fenland.core.names import did_you_mean

#: How many references may be followed, one after the other.
MOST_FOLLOWED = 3


@dataclass(frozen=True, slots=True)
class Names:
    """What an expression may speak of.

    `types` are those of its names; with `bare`, the fields of that one, a record, are names as well.
    """

    types: Mapping[str, ValueType]
    catalog: Catalog = field(default_factory=dict)
    bare: str | None = None
    #: Of names that one might expect here, why they are not there.
    absent: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Checked:
    """An expression that fits what it speaks of."""

    text: str
    tree: Node
    type: ValueType


def check(text: str, node: Node, names: Names) -> Checked:
    """The expression, checked. Raises `ExpressionMistake`."""
    tree, kind = _Checker(text, names).typed(node, {})
    if kind.kind == "record":
        _refuse_record(text, tree)
    return Checked(text, tree, kind)


def check_condition(text: str, node: Node, names: Names) -> Checked:
    """The same for one that must be true or false."""
    found = check(text, node, names)
    if found.type.kind not in ("bool", "dyn"):
        raise ExpressionMistake(
            text, _start(node), f"This is {_a(found.type)}. A condition must be true or false."
        )
    return found


def _start(node: Node) -> int:
    """Where the text of a node begins."""
    while isinstance(node, (Call, Logic, Choice, Index, Select, Each)):
        at = node.at
        if isinstance(node, Call):
            first: Node | None = node.arguments[0] if node.arguments else None
        elif isinstance(node, Logic):
            first = node.parts[0]
        else:
            first = node.condition if isinstance(node, Choice) else node.operand
        if first is None or _start(first) >= at:
            return at
        node = first
    return node.at


def _refuse_record(text: str, node: Node) -> NoReturn:
    name = node.root if isinstance(node, Path) else "This"
    raise ExpressionMistake(text, node.at, f"{name} is a whole record. Name one of its fields.")


Scope = Mapping[str, ValueType]
Typed = tuple[Node, ValueType]


class _Checker:
    def __init__(self, text: str, names: Names) -> None:
        self._text = text
        self._names = names

    def _refuse(self, node: Node, what: str) -> NoReturn:
        raise ExpressionMistake(self._text, node.at, what[0].upper() + what[1:])

    def typed(self, node: Node, scope: Scope) -> Typed:
        """The node as it is to be evaluated, and its type; `scope` holds the variables of macros."""
        match node:
            case Constant():
                return node, _type_of(node)
            case Name():
                return self._name(node, scope)
            case Select():
                return self._select(node, scope)
            case Index():
                return self._index(node, scope)
            case Call():
                return self._call(node, scope)
            case Logic():
                parts = tuple(self._truth(one, scope) for one in node.parts)
                return replace(node, parts=parts), BOOL
            case Choice():
                return self._choice(node, scope)
            case Items():
                items = [self._value(one, scope) for one in node.items]
                return replace(node, items=tuple(one for one, _ in items)), list_of(
                    _joined(t for _, t in items)
                )
            case Entries():
                return self._entries(node, scope)
            case Each():
                return self._each(node, scope)
            case Path():
                return node, node.type
            case Failure():
                return node, DYN

    def _value(self, node: Node, scope: Scope) -> Typed:
        """The same for what must be a value, and no whole record."""
        found, kind = self.typed(node, scope)
        if kind.kind == "record":
            _refuse_record(self._text, found)
        return found, kind

    def _truth(self, node: Node, scope: Scope) -> Node:
        found, kind = self._value(node, scope)
        if kind.kind not in ("bool", "dyn"):
            raise ExpressionMistake(
                self._text, _start(node), f"This is {_a(kind)}. It must be true or false here."
            )
        return found

    # --- names and fields ---------------------------------------------------------------------

    def _name(self, node: Name, scope: Scope) -> Typed:
        types, bare = self._names.types, self._names.bare
        if node.name in scope:
            return node, scope[node.name]
        fields = self._names.catalog[types[bare].collection] if bare is not None else {}
        if bare is not None and node.name in fields:
            return self._field(Path(bare, (), types[bare], node.at), node.name, node)
        found = types.get(node.name)
        if found is None:
            if node.name in TYPES:
                return Constant(TYPES[node.name], "", node.at), ValueType("type")
            if node.name in self._names.absent:
                self._refuse(node, self._names.absent[node.name])
            hint = did_you_mean(node.name, [*types, *scope, *fields])
            if (why := left_out(node.name)) is not None:
                self._refuse(node, why)
            what = "no field or name" if bare is not None else "no name"
            self._refuse(node, f"There is {what} {node.name!r} here. {hint}")
        return (Path(node.name, (), found, node.at) if found.kind == "record" else node), found

    def _select(self, node: Select, scope: Scope) -> Typed:
        operand, kind = self.typed(node.operand, scope)
        if isinstance(operand, Path) and (kind.kind == "record" or operand.steps[-1].references):
            found, kind = self._field(operand, node.field, node)
            # A record has all its fields. What it refers to may not be there: an error, as it is further on.
            return (Call("_==_", (found, found), node.at), BOOL) if node.asks else (found, kind)
        if kind.kind == "dyn":
            return replace(node, operand=operand), BOOL if node.asks else DYN
        if kind.kind != "map":
            self._refuse(node, f"{_a(kind)} has no field {node.field!r}.")
        if kind.members is not None:
            if node.field not in kind.members:
                hint = did_you_mean(node.field, kind.members)
                self._refuse(node, f"There is no {node.field!r} in it. {hint}")
            return replace(node, operand=operand), BOOL if node.asks else kind.members[node.field]
        return replace(node, operand=operand), BOOL if node.asks else kind.inner

    def _field(self, record: Path, name: str, node: Node) -> Typed:
        """A field of the record that a path leads to."""
        collection = record.steps[-1].references if record.steps else record.type.collection
        fields = self._names.catalog.get(str(collection))
        if fields is None:
            # Where the collection itself could not be read, that is what there is to tell.
            fields = {name: FieldType(DYN)}
        if name not in fields:
            self._refuse(node, f"There is no field {name!r} in {collection}. {did_you_mean(name, fields)}")
        if len(record.steps) > MOST_FOLLOWED:
            self._refuse(node, f"At most {MOST_FOLLOWED} references can be followed.")
        found = fields[name]
        return Path(
            record.root, (*record.steps, Step(name, found.references)), found.type, node.at
        ), found.type

    def _index(self, node: Index, scope: Scope) -> Typed:
        operand, kind = self._value(node.operand, scope)
        index, place = self._value(node.index, scope)
        found = replace(node, operand=operand, index=index)
        if kind.kind == "list":
            if place.kind not in ("int", "double", "dyn"):
                self._refuse(node, f"Items of a list are counted, and this is {_a(place)}.")
            return found, kind.inner
        if kind.kind == "map":
            self._key(index, place)
            if kind.members is not None and isinstance(index, Constant):
                if index.value not in kind.members:
                    self._refuse(
                        node,
                        f"There is no {index.value!r} in it. {did_you_mean(str(index.value), kind.members)}",
                    )
                return found, kind.members[index.value]
            return found, DYN if kind.members is not None else kind.inner
        if kind.kind != "dyn":
            self._refuse(node, f"{_a(kind)} has no items.")
        return found, DYN

    def _key(self, node: Node, kind: ValueType) -> None:
        if kind.kind not in ("string", "int", "bool", "double", "dyn"):
            self._refuse(node, f"{_a(kind)} cannot be a key of a map.")

    # --- structures ---------------------------------------------------------------------------

    def _choice(self, node: Choice, scope: Scope) -> Typed:
        condition = self._truth(node.condition, scope)
        (yes, one), (no, other) = self._value(node.yes, scope), self._value(node.no, scope)
        return replace(node, condition=condition, yes=yes, no=no), _joined((one, other))

    def _entries(self, node: Entries, scope: Scope) -> Typed:
        entries, kinds = [], []
        for key, value in node.entries:
            (kept_key, key_kind), (kept, kind) = self._value(key, scope), self._value(value, scope)
            self._key(kept_key, key_kind)
            entries.append((kept_key, kept))
            kinds.append(kind)
        return replace(node, entries=tuple(entries)), ValueType("map", _joined(kinds))

    def _each(self, node: Each, scope: Scope) -> Typed:
        operand, kind = self._value(node.operand, scope)
        if kind.kind not in ("list", "map", "dyn"):
            self._refuse(node, f"{node.macro} goes over a list or a map, not {_a(kind)}.")
        if self._names.types.get(node.variable, DYN).kind == "record":
            what = f"{node.variable} is the record. Give the items another name."
            raise ExpressionMistake(self._text, node.at, what[0].upper() + what[1:])
        item = kind.inner if kind.kind == "list" else DYN
        inner = {**scope, node.variable: item}
        condition = None if node.condition is None else self._truth(node.condition, inner)
        result, made = (None, item) if node.result is None else self._value(node.result, inner)
        found = replace(node, operand=operand, condition=condition, result=result)
        return found, list_of(made) if node.macro in ("map", "filter") else BOOL

    # --- operators and functions --------------------------------------------------------------

    def _call(self, node: Call, scope: Scope) -> Typed:
        if node.name in LEFT_OUT and not node.method:
            self._refuse(node, LEFT_OUT[node.name])
        typed = [self._value(one, scope) for one in node.arguments]
        kinds = [kind for _, kind in typed]
        if node.name in _OPERATORS and len(typed) == 2:
            typed = _beside_decimals(typed)
            kinds = [kind for _, kind in typed]
        found = replace(node, arguments=tuple(one for one, _ in typed))
        if not node.method and node.name in _OPERATORS:
            symbol = node.name.strip("_")
            return found, self._operated(found, symbol, kinds)
        return found, self._result(found, kinds)

    def _operated(self, node: Call, symbol: str, kinds: list[ValueType]) -> ValueType:
        if len(kinds) == 1:
            fits = ("bool",) if symbol == "!" else ("int", "double", "decimal")
            if kinds[0].kind not in (*fits, "dyn"):
                self._refuse(node, f"There is no {symbol} of {_a(kinds[0])}.")
            return BOOL if symbol == "!" else kinds[0]
        one, other = kinds
        if symbol in ("==", "!="):
            if not comparable(one, other):
                self._refuse(node, f"{_a(one)} is never equal to {_a(other)}.")
            return BOOL
        if symbol == "in":
            return self._within(node, one, other)
        if symbol in _RELATIONS:
            if "dyn" in (one.kind, other.kind):
                return BOOL
            if not {one.kind, other.kind} <= NUMBERS and (one.kind != other.kind or one.kind not in ORDERED):
                self._refuse(node, f"There is no order between {one} and {other}.")
            return BOOL
        return self._arithmetic(node, symbol, one, other)

    def _within(self, node: Call, one: ValueType, other: ValueType) -> ValueType:
        if other.kind == "list":
            if not comparable(one, other.inner):
                self._refuse(node, f"{_a(one)} is never among {_a(other)}.")
        elif other.kind == "map":
            self._key(node, one)
        elif other.kind != "dyn":
            self._refuse(node, f"{_a(other)} holds nothing to look in.")
        return BOOL

    def _arithmetic(self, node: Call, symbol: str, one: ValueType, other: ValueType) -> ValueType:
        left, right = one.kind, other.kind
        if "dyn" in (left, right):
            return DYN
        if left == right == "int" or (left == right == "double" and symbol != "%"):
            return one
        if "decimal" in (left, right) and {left, right} <= {"decimal", "int"} and symbol != "%":
            return DOUBLE if symbol == "/" else DECIMAL
        if symbol == "+" and left == right and left in ("string", "list"):
            return list_of(_joined((one.inner, other.inner))) if left == "list" else one
        found = _TIMES.get((symbol, left, right))
        if found is None:
            hint = ""
            if {left, right} == {"int", "double"}:
                hint = " Convert one of them: double(…) or int(…)."
            self._refuse(node, f"There is no {one} {symbol} {other}.{hint}")
        return found

    def _result(self, node: Call, kinds: list[ValueType]) -> ValueType:
        rows = METHODS if node.method else FUNCTIONS
        known = [row for name, row in rows if name == node.name]
        if not known:
            what = "method" if node.method else "function"
            hint = did_you_mean(node.name, sorted({name for name, _ in rows}))
            self._refuse(node, f"There is no {what} {node.name!r}. {hint}")
        if not any(_takes(row, kinds) for row in known):
            given = ", ".join(map(str, kinds)) or "nothing"
            takes = " or ".join(sorted({f"({', '.join(row)})" for row in known}))
            self._refuse(node, f"{node.name} does not take ({given}). It takes {takes}.")
        return RESULTS[node.name]


def _takes(row: tuple[str, ...], kinds: list[ValueType]) -> bool:
    return len(row) == len(kinds) and all(
        wanted == "any" or kind.kind in (wanted, "dyn") for wanted, kind in zip(row, kinds, strict=True)
    )


_RELATIONS = ("<", "<=", ">", ">=")
_OPERATORS = frozenset(
    {"!_", "-_", *(f"_{symbol}_" for symbol in ("==", "!=", *_RELATIONS, "in", "+", "-", "*", "/", "%"))}
)
_TIMES: Mapping[tuple[str, str, str], ValueType] = {
    ("+", "timestamp", "duration"): TIMESTAMP,
    ("+", "duration", "timestamp"): TIMESTAMP,
    ("+", "duration", "duration"): DURATION,
    ("-", "timestamp", "timestamp"): DURATION,
    ("-", "timestamp", "duration"): TIMESTAMP,
    ("-", "duration", "duration"): DURATION,
    ("+", "date", "int"): DATE,
    ("-", "date", "int"): DATE,
    ("-", "date", "date"): INT,
}


def _a(kind: ValueType) -> str:
    """A type with its article, as a sentence has it."""
    text = str(kind)
    return f"{'an' if text[0] in 'aeiou' else 'a'} {text}"


def comparable(one: ValueType, other: ValueType) -> bool:
    """Whether two values of these types can be equal at all."""
    kinds = {one.kind, other.kind}
    if kinds & {"dyn", "null_type"} or kinds <= NUMBERS:
        return True
    if len(kinds) > 1:
        return False
    return one.kind != "list" or comparable(one.inner, other.inner)


def _type_of(node: Constant) -> ValueType:
    value = node.value
    if value is None:
        return NULL
    if isinstance(value, bool):
        return BOOL
    by_type = {int: INT, float: DOUBLE, Decimal: DECIMAL, str: STRING}
    return by_type.get(type(value), DYN)


def _joined(kinds: Iterable[ValueType]) -> ValueType:
    """The type of what is of one of these types; null is of every type."""
    found = [kind for kind in kinds if kind.kind != "null_type"]
    if found and all(one.kind == found[0].kind for one in found):
        inner = {id(one): one for one in found}
        return (
            found[0] if len(inner) == 1 or found[0].kind not in ("list", "map") else ValueType(found[0].kind)
        )
    return DYN


def _beside_decimals(typed: list[Typed]) -> list[Typed]:
    """Literals with a fraction that stand beside a decimal, or are compared with one, as exact decimals."""
    if not any(kind.kind == "decimal" for _, kind in typed):
        return typed
    return [_exactly(node, kind) for node, kind in typed]


def _exactly(node: Node, kind: ValueType) -> Typed:
    if isinstance(node, Constant) and isinstance(node.value, float):
        return replace(node, value=Decimal(node.text)), DECIMAL
    if isinstance(node, Items) and kind.inner.kind in ("double", "dyn"):
        items = [_exactly(one, DYN) for one in node.items]
        return replace(node, items=tuple(one for one, _ in items)), list_of(DYN)
    return node, kind
