"""JSON Schema 2020-12 of a collection, for one caller: what a client may show, send and expect."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from fenland.core.access.field_access import FieldAccess
from fenland.core.definitions.keywords import KEYWORDS
from fenland.core.definitions.model import Field
from fenland.core.definitions.validation import HIGHEST_INTEGER, LOWEST_INTEGER
from fenland.core.reserved import RESERVED_SCHEMAS
from fenland.core.values.plain import MISSING

DIALECT = "https://json-schema.org/draft/2020-12/schema"


def _number(value: Any) -> Any:
    if isinstance(value, Decimal) and value == value.to_integral_value():
        return int(value)
    return value


def field_schema(item: Field) -> dict[str, Any]:
    """The schema of one field's values."""
    schema: dict[str, Any] = {"type": [item.type, "null"] if item.nullable else item.type}
    if item.name != "item":
        schema["title"] = item.label
    for row in KEYWORDS.values():
        if row.schema is not None and (value := getattr(item, row.attribute)) != row.usual:
            schema[row.schema] = list(value) if isinstance(value, tuple) else value
    for name, value in item.constraints.items():
        schema[name] = list(value) if isinstance(value, tuple) else _number(value)
    if item.enum is not None and item.nullable:
        schema["enum"].append(None)
    if item.type == "integer":
        schema.setdefault("minimum", LOWEST_INTEGER)
        schema.setdefault("maximum", HIGHEST_INTEGER)
    if item.scale is not None:
        quantum = Decimal(1).scaleb(-item.scale)
        schema.setdefault("minimum", LOWEST_INTEGER * quantum)
        schema.setdefault("maximum", HIGHEST_INTEGER * quantum)
        schema["x-decimals"] = item.scale
    if item.default is not MISSING:
        schema["default"] = item.default
    if item.begins:
        schema["x-begins"] = True
    if item.derived is not None:
        # Not from what: that may name, or tell of, what not everybody may read.
        schema["x-derived"] = True
    if item.items is not None:
        schema["items"] = field_schema(item.items)
    if item.type == "object" and item.properties is None:
        schema["additionalProperties"] = True
    if item.properties is not None:
        schema["properties"] = {name: field_schema(one) for name, one in item.properties.items()}
        schema["required"] = [name for name, one in item.properties.items() if one.required]
        schema["additionalProperties"] = False
    return schema


def collection_schema(access: FieldAccess) -> dict[str, Any]:
    """The schema of whole records for a caller, or of one to create; `readOnly` on what they cannot set."""
    collection, creating = access.collection, access.creating
    properties: dict[str, Any] = {} if creating else {k: dict(v) for k, v in RESERVED_SCHEMAS.items()}
    required = []
    for name, item in collection.fields.items():
        settable = access.sets(name)
        if name in access.hidden and not (settable or item.write_only):
            # What somebody may neither read nor set is not there for them.
            continue
        properties[name] = field_schema(item)
        if name in access.hidden:
            properties[name]["writeOnly"] = True
        if not settable:
            properties[name]["readOnly"] = True
        begins = item.default is not MISSING or item.begins
        filled = begins or name == collection.owner or not settable
        shown = name not in access.hidden or item.write_only
        if item.required and not (creating and filled) and (creating or shown):
            required.append(name)
    schema: dict[str, Any] = {
        "$schema": DIALECT,
        "title": collection.title,
        "type": "object",
        "properties": properties,
        "required": required if creating else [*RESERVED_SCHEMAS, *required],
        "additionalProperties": False,
        "x-collection": collection.name,
        "x-key": collection.key,
        "x-naming": collection.naming,
        "x-columns": [name for name in collection.listed if name in properties],
    }
    if collection.description:
        schema["description"] = collection.description
    if collection.views:
        schema["x-views"] = True
    if collection.owner is not None:
        schema["x-owner"] = collection.owner
    return schema
