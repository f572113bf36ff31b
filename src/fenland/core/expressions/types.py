"""The types of expressions: what is known of a value before there is one.

A type is a kind (`kinds.py`), with what is in it where it holds others. `dyn` is known only when it is there.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import date, datetime
from decimal import Decimal
from typing import Any

KINDS = frozenset(
    {
        "null_type", "bool", "int", "double", "decimal", "string", "list", "map", "timestamp", "duration",
        "date", "type", "dyn",
    }
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class ValueType:
    """What a value is. `item` is the type of a list's items, or of a map's values."""

    kind: str
    item: ValueType | None = None
    #: Of a map whose members are known, their types: others it has none.
    members: Mapping[str, ValueType] | None = None
    #: Of kind `record`: the collection it is of.
    collection: str = ""
    #: Of a decimal, its digits after the point, where they are settled.
    scale: int | None = None

    def __str__(self) -> str:
        if self.kind == "list" and self.item is not None and self.item.kind != "dyn":
            return f"list({self.item})"
        return {"null_type": "null"}.get(self.kind, self.kind)

    @property
    def inner(self) -> ValueType:
        """The type of what it holds."""
        return self.item or DYN


DYN = ValueType("dyn")
NULL = ValueType("null_type")
BOOL, INT, DOUBLE, STRING = ValueType("bool"), ValueType("int"), ValueType("double"), ValueType("string")
DECIMAL, DATE = ValueType("decimal"), ValueType("date")
TIMESTAMP, DURATION = ValueType("timestamp"), ValueType("duration")


def list_of(item: ValueType) -> ValueType:
    """The type of a list of such items."""
    return ValueType("list", item)


def record_of(collection: str) -> ValueType:
    """The type of the records of a collection."""
    return ValueType("record", collection=collection)


@dataclass(frozen=True, slots=True)
class FieldType:
    """The type of a record's field, and the collection that it refers to, if any."""

    type: ValueType
    references: str | None = None


#: The types of fields, by collection and by field.
Catalog = Mapping[str, Mapping[str, FieldType]]

_WRITTEN = re.compile(r"([a-z_]+)(?:\((.+)\))?")


def type_from(text: str) -> ValueType:
    """The type that a text names: `int`, `string`, `list(date)`, `map(dyn)`. Raises `ValueError`."""
    found = _WRITTEN.fullmatch(text.strip())
    kind = (
        "null_type" if found is not None and found[1] == "null" else (found[1] if found is not None else "")
    )
    if found is None or kind not in KINDS or (found[2] is not None and kind not in ("list", "map")):
        raise ValueError(f"{text!r} is no type. Write one such as int, string or list(string).")
    return ValueType(kind, type_from(found[2]) if found[2] is not None else None)


# --- from what records keep to what expressions have ---------------------------------------------------

Conversion = Callable[[Any], Any]


def conversion(kind: ValueType) -> Conversion | None:
    """What makes an expression's value of what a record keeps, null aside; None where it is the same."""
    if kind.kind == "list":
        return _list_conversion(conversion(kind.inner))
    if kind.kind == "map":
        return _map_conversion({name: conversion(one) for name, one in (kind.members or {}).items()})
    return _CONVERSIONS.get(kind.kind)


def _free(value: Any) -> Any:
    """A value whose type nothing says: numbers with a fraction are doubles, as JSON has no decimals."""
    if isinstance(value, Decimal):
        return float(value)
    if isinstance(value, list):
        return [_free(one) for one in value]
    if isinstance(value, dict):
        return {name: _free(one) for name, one in value.items()}
    return value


_CONVERSIONS: Mapping[str, Conversion] = {
    "date": date.fromisoformat,
    "timestamp": datetime.fromisoformat,
    "double": float,
    "decimal": Decimal,
    "dyn": _free,
}


def _list_conversion(item: Conversion | None) -> Conversion | None:
    if item is None:
        return None
    return lambda value: [None if one is None else item(one) for one in value]


def _map_conversion(members: Mapping[str, Conversion | None]) -> Conversion:
    def convert(value: Mapping[str, Any]) -> dict[str, Any]:
        return {
            name: one if one is None or (change := members.get(name, _free)) is None else change(one)
            for name, one in value.items()
        }

    return convert
