"""Filters: the condition that a caller writes, and values that fields must equal, as one condition of a list.

A caller's condition knows of records what they may know (`core/access/knowing.py`), and nothing else.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date, timedelta
from typing import Any

from fenland.core.access.conditions import NEVER, Condition, both, condition_of
from fenland.core.access.field_access import Record
from fenland.core.access.knowing import Known
from fenland.core.access.policy import Caller, Sight
from fenland.core.changes.edits import Edits
from fenland.core.definitions.catalog import AROUND, filter_names, type_of
from fenland.core.definitions.model import Field
from fenland.core.definitions.validation import REFUSED, compile_field
from fenland.core.expressions import EvaluationError, ExpressionMistake, compiled, parse
from fenland.core.expressions.checking import Checked, check_condition
from fenland.core.expressions.reducing import reducer
from fenland.core.expressions.tree import Call, Constant, Node, Path, Step, paths_in
from fenland.core.expressions.types import conversion
from fenland.core.problems import Malformed, NotPermitted
from fenland.core.reserved import RESERVED
from fenland.core.values.texts import read_text
from fenland.service.service import Resource, Service
from fenland.service.work import View

#: Filters that are kept once they are read and checked.
_MOST_KEPT, _LONGEST_KEPT = 200, 1_000
#: Values of one field that may be asked for at a time.
_MOST_VALUES = 100


def checked_filter(service: Service, collection: str, text: str, name: str = "where") -> Checked:
    """A caller's condition over a record of a collection. Raises `Malformed`, with line and column."""
    known = service.filters.get((collection, text))
    if known is not None:
        return known
    names = filter_names(service.catalog, collection)
    try:
        found = check_condition(text, parse(text, service.limits.expression), names)
        if len(text) <= _LONGEST_KEPT:
            if len(service.filters) >= _MOST_KEPT:
                service.filters.clear()
            service.filters[collection, text] = found
        return found
    except ExpressionMistake as mistake:
        raise Malformed(
            f"{name}: {mistake}", line=mistake.line, column=mistake.column, shown=mistake.caret
        ) from None


@dataclass(frozen=True, slots=True)
class Filter:
    """What a caller wants of a list: records for which the condition holds, and whose fields equal."""

    where: str = ""
    equal: Mapping[str, tuple[str, ...]] = field(default_factory=dict)


def filter_condition(view: View, caller: Caller, resource: Resource, wanted: Filter) -> Condition:
    """What must hold of a record for it to be in the list of a caller: theirs to read, and what they want.

    Raises `Malformed`, and `NotPermitted` for a filter by what they can read of no record.
    """
    sight = view.sight(caller)
    readable = resource.policy.condition("read", sight)
    if not wanted.where and not wanted.equal:
        return readable
    known, collection = Known(view.service.policies, sight), resource.collection.name
    nodes = equalities(resource, wanted.equal)
    if wanted.where:
        checked = checked_filter(view.service, collection, wanted.where)
        refuse_unreadable(known, collection, checked.tree)
        nodes.append(reducer(checked.tree, frozenset(AROUND))(sight.names))
    for node in nodes:
        refuse_unreadable(known, collection, node)

    def guard(path: Path) -> Condition:
        return known.guard(collection, path)

    return both(readable, *(condition_of(node, guard) for node in nodes))


def refuse_unreadable(known: Known, collection: str, node: Node) -> None:
    """Raises `NotPermitted` for an expression that asks for what its caller can read of no record."""
    for path in paths_in(node):
        if known.guard(collection, path) == NEVER:
            name = ".".join(step.name for step in path.steps)
            raise NotPermitted(f"{name!r} cannot be read, so nothing can be filtered by it either.")


def answered(view: View, sight: Sight, resource: Resource, stored: Record, edits: Edits) -> Edits:
    """The edits with their expressions answered, by what the caller may know of the record as stored.

    Raises `Malformed`. One that cannot be evaluated does not hold.
    """
    collection = resource.collection.name
    names = Known(view.service.policies, sight).names(collection, stored)
    held = {}
    for text in edits.asked:
        checked = checked_filter(view.service, collection, text, "only_if")
        try:
            held[text] = compiled(checked.tree)(names) is True
        except EvaluationError:
            held[text] = False
    return replace(edits, held=held)


def equalities(resource: Resource, sent: Mapping[str, Iterable[str]]) -> list[Node]:
    """Of each field what values it may have, or lie within, as conditions. Raises `Malformed`."""
    return [_asked(resource, name, list(texts)) for name, texts in sent.items()]


def _asked(resource: Resource, name: str, texts: list[str]) -> Node:
    """What a parameter asks of a record: a value of a field, or an end of what it lies within."""
    name, _, end = name.partition(".")
    if end:
        return _bound(resource, name, end, texts)
    item = resource.collection.fields.get(name) or reserved_field(name)
    if item.type in ("array", "object"):
        raise Malformed(f"{name} holds a {item.type}, which no parameter can name. Use where.")
    if len(texts) > _MOST_VALUES:
        raise Malformed(f"{name} is given {len(texts)} times. Give it at most {_MOST_VALUES} times.")
    kind = type_of(item)
    convert = conversion(kind)
    values = [_value(item, text) for text in texts]
    path = Path("record", (Step(name, item.references),), kind, 0)
    expected = [value if convert is None else convert(value) for value in values]
    return Call("_in_", (path, Constant(expected, "", 0)), 0)


#: The ends of what a value may lie within, behind the name of a field and a dot; both are within.
ENDS = {"from": "_>=_", "to": "_<=_"}
_DAY = re.compile(r"\d{4}-\d{2}-\d{2}", re.ASCII)


def has_ends(item: Field) -> bool:
    """Whether values of a field lie within others: numbers, days and moments."""
    return item.type in ("integer", "number") or item.format in ("date", "date-time")


def _bound(resource: Resource, name: str, end: str, texts: list[str]) -> Node:
    item = resource.collection.fields.get(name) or reserved_field(name)
    whole = f"{name}.{end}"
    if len(texts) > 1:
        raise Malformed(f"The query parameter {whole!r} stands {len(texts)} times. Send it once.")
    if not has_ends(item):
        raise Malformed(f"{whole} asks for numbers, days or moments, and {name} holds none. Use where.")
    kind, text, operator = type_of(item), texts[0], ENDS[end]
    if item.format == "date-time" and _DAY.fullmatch(text):
        # All of the last day is within.
        text, operator = _moment_of(text, end, whole), operator if end == "from" else "_<_"
    value, convert = _value(item, text, whole), conversion(kind)
    path = Path("record", (Step(name, item.references),), kind, 0)
    return Call(operator, (path, Constant(value if convert is None else convert(value), "", 0)), 0)


def _moment_of(day: str, end: str, whole: str) -> str:
    """The moment at which a day begins, or the one after it, in UTC."""
    try:
        found = date.fromisoformat(day) + timedelta(days=end == "to")
    except (ValueError, OverflowError):
        raise Malformed(f"{whole} is {day!r}: there is no such day.") from None
    return f"{found.isoformat()}T00:00:00Z"


def reserved_field(name: str) -> Field:
    """A field that the service keeps itself, as definitions would have it."""
    schema = RESERVED[name]
    return Field(name, schema["type"], format=schema.get("format"))


def _value(item: Field, text: str, place: str = "") -> Any:
    """The value that a text stands for in a field, whatever its constraints: none may equal it."""
    try:
        value = read_text(item.type, text)
        if item.scale is not None:
            # Exact as it is; one of more digits than the field keeps equals none.
            return value
        problems: list[Any] = []
        kept = compile_field(replace(item, constraints={}))(value, "", problems)
        if kept is REFUSED:
            raise ValueError(problems[0].detail)
    except ValueError as error:
        raise Malformed(f"{place or item.name} is {text[:80]!r}: {error}") from None
    return kept
