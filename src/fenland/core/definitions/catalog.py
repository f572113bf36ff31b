"""What expressions may speak of, by the definitions: the types of fields, and the names of each rule."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from itertools import pairwise

from fenland.core.definitions.model import Collection, Field
from fenland.core.expressions.checking import Names
from fenland.core.expressions.tree import paths_in
from fenland.core.expressions.types import (
    BOOL,
    DATE,
    DOUBLE,
    DYN,
    INT,
    STRING,
    TIMESTAMP,
    Catalog,
    FieldType,
    ValueType,
    list_of,
    record_of,
)
from fenland.core.reserved import RESERVED

_BY_TYPE: Mapping[str, ValueType] = {"string": STRING, "integer": INT, "number": DOUBLE, "boolean": BOOL}
_BY_FORMAT: Mapping[str | None, ValueType] = {"date": DATE, "date-time": TIMESTAMP}

#: What `actor` is in every expression.
ACTOR = ValueType(
    "map",
    members={
        "name": STRING,
        "roles": list_of(STRING),
        "attributes": ValueType("map", DYN),
        "signed_in": BOOL,
        "via": STRING,
    },
)
#: The names that stand for who asks, and when.
AROUND: Mapping[str, ValueType] = {"actor": ACTOR, "now": TIMESTAMP, "today": DATE}
#: What `pass` is in rules: the pass by which is asked; its texts are empty where it is by none.
PASS = ValueType("map", members={"template": STRING, "number": INT, "maker": STRING})
#: The names that stand around a record in rules. Those of filters are fields that may be called so.
AROUND_RULES: Mapping[str, ValueType] = {**AROUND, "pass": PASS}


def type_of(item: Field) -> ValueType:
    """The type of a field's values in expressions."""
    if item.type == "string":
        return _BY_FORMAT.get(item.format, STRING)
    if item.scale is not None:
        return ValueType("decimal", scale=item.scale)
    if item.type == "array":
        return list_of(DYN if item.items is None else type_of(item.items))
    if item.type == "object":
        if item.properties is None:
            return ValueType("map", DYN)
        return ValueType("map", members={name: type_of(one) for name, one in item.properties.items()})
    return _BY_TYPE[item.type]


def catalog_of(collections: Iterable[Collection]) -> Catalog:
    """The types of all fields, those that the service keeps itself among them."""
    reserved = {
        name: FieldType(INT if schema["type"] == "integer" else _BY_FORMAT.get(schema.get("format"), STRING))
        for name, schema in RESERVED.items()
    }
    return {
        one.name: reserved
        | {name: FieldType(type_of(item), item.references) for name, item in one.fields.items()}
        for one in collections
    }


def followed_fields(collections: Iterable[Collection]) -> dict[str, tuple[str, ...]]:
    """Of each collection, the fields that rules, checks and formulas ask for by references to it."""
    found: dict[str, set[str]] = {}
    for one in collections:
        rules = [
            *one.access.values(),
            *(rule for item in one.fields.values() for rule in item.access.values()),
        ]
        conditions = [rule.condition for rule in rules]
        formulas = [item.initial for item in one.fields.values() if item.initial is not None]
        trees = [condition.tree for condition in conditions if condition is not None]
        trees += [formula.rule.tree for formula in formulas]
        trees += [rule.tree for effect in one.effects for rule in effect.rules]
        trees += [rule.tree for template in one.passes.values() for rule in template.rules]
        derived = [item.derived for item in one.fields.values() if item.derived is not None]
        trees += [rule.tree for formula in derived for rule in formula.rules]
        for path in (
            path for tree in (*trees, *(check.rule.tree for check in one.checks)) for path in paths_in(tree)
        ):
            for step, following in pairwise(path.steps):
                found.setdefault(str(step.references), set()).add(following.name)
    return {name: tuple(sorted(fields)) for name, fields in found.items()}


def rule_names(catalog: Catalog, collection: str, records: Iterable[str]) -> Names:
    """What a rule may speak of: these records of the collection, the actor and the time."""
    return Names({**AROUND_RULES, **dict.fromkeys(records, record_of(collection))}, catalog)


def filter_names(catalog: Catalog, collection: str) -> Names:
    """What the condition of a list may speak of: the fields of the record by their bare names."""
    return Names({**AROUND, "record": record_of(collection)}, catalog, bare="record")
