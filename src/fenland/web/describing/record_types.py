"""What the OpenAPI document says of one record type: its name, and the schemas of what is sent and answered.

What is sent and what is answered are schemas of their own: a default in a patch would be sent over a
stored value by clients that fill it in, and what is required in an answer is not in a patch.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from fenland.core.access.schemas import field_schema
from fenland.core.definitions.model import Collection, Definitions, Field
from fenland.core.reserved import RESERVED_SCHEMAS
from fenland.core.values.plain import MISSING
from fenland.web.http.record_type import RecordType, settable_fields
from fenland.web.http.schemas import FLAG, NUMBER, OPEN, TEXT, Schema, closed, nullable, ref

#: What the document has of its own, which no record type may be called.
_OWN_NAMES = ("Schema", "EditsSchema", "Openapi", "Health", "Session", "Edits")
#: What stands behind a record type's name in the names of its other schemas.
_SUFFIXES = ("", "New", "Patch", "Page", "Form", "Preview")


def type_names(definitions: Definitions, taken: Iterable[str]) -> list[RecordType]:
    """The record types by names of which no two have a schema in common."""
    used, found = {*taken, *_OWN_NAMES}, []
    for collection in definitions.collections.values():
        name = _type_name(collection)
        while any(name + suffix in used for suffix in _SUFFIXES):
            name += "Record"
        used |= {name + suffix for suffix in _SUFFIXES}
        found.append(RecordType(collection, name))
    return found


def _type_name(collection: Collection) -> str:
    """What a collection's record type is to be called: its singular title, in one word."""
    words = "".join(one if one.isalnum() and one.isascii() else " " for one in collection.singular).split()
    name = "".join(word[0].upper() + word[1:] for word in words)
    return name if name[:1].isalpha() else "".join(part.capitalize() for part in collection.name.split("_"))


def _sent(schema: Any, *, patch: bool) -> Any:
    """A field's schema as it is sent: without defaults, which a client may fill in over a stored value.

    In a patch an object's own required properties may be left out too, for it is merged.
    """
    if not isinstance(schema, dict):
        return schema
    dropped = {"default", "readOnly"} | ({"required"} if patch else set())
    found = {name: value for name, value in schema.items() if name not in dropped}
    if "properties" in found:
        found["properties"] = {
            # Null takes a member out.
            name: _sent(_or_null(one) if patch else one, patch=patch)
            for name, one in found["properties"].items()
        }
    return found


def _or_null(schema: Schema) -> Schema:
    if isinstance(schema.get("type"), str):
        schema = {**schema, "type": [schema["type"], "null"]}
        if "enum" in schema:
            schema["enum"] = [*schema["enum"], None]
    return schema


def _answered(item: Field, *, set_by_none: bool) -> Schema:
    schema = {name: value for name, value in field_schema(item).items() if name != "default"}
    return {**schema, "readOnly": True} if set_by_none else schema


def _page(name: str) -> Schema:
    return closed(
        {
            "items": {"type": "array", "items": ref(f"schemas/{name}")},
            "next": nullable(TEXT),
            "count": NUMBER,
            "labels": ref("schemas/Labels"),
            "included": ref("schemas/Included"),
            "writable": {
                "type": "array",
                "items": {"type": "array", "items": TEXT},
                "description": "For each of the items, the fields that this caller may change.",
            },
        },
        optional=("count", "labels", "included", "writable"),
    )


_PREVIEW = closed(
    {
        "preview": FLAG,
        "version": NUMBER,
        "changes": {"type": "object", "additionalProperties": ref("schemas/Change")},
        "record": OPEN,
        "errors": {"type": "array", "items": ref("schemas/FieldError")},
        "ignored": {"type": "array", "items": TEXT},
        "consequences": {"type": "array", "items": ref("schemas/Consequence")},
        "unseen": {**NUMBER, "description": "How many follow besides, or are not the caller's to see."},
    },
    description="What a change would do, had it been saved.",
)


def schemas_of(about: RecordType) -> dict[str, Schema]:
    """Its schemas: records as answered, to create and to patch, and what holds them."""
    collection, name, fields = about.collection, about.name, about.collection.fields
    settable, patched = (
        {n: fields[n] for n in settable_fields(collection, creating=one)} for one in (True, False)
    )
    shown = {n: dict(schema) for n, schema in RESERVED_SCHEMAS.items()}
    shown |= {n: _answered(f, set_by_none=n not in settable) for n, f in fields.items() if not f.write_only}
    required = [
        n
        for n, f in settable.items()
        if f.required and f.default is MISSING and not f.begins and n != collection.owner
    ]
    record = closed(
        shown,
        optional=[n for n, f in fields.items() if "read" in f.access],
        title=collection.singular,
        description=collection.description or collection.title,
    )
    labelled = [n for n, f in fields.items() if f.references or n == collection.owner]
    if labelled:
        # With row_labels; by no name of a field, so that clients that are made of this need not know.
        record["patternProperties"] = {rf"^({'|'.join(labelled)})\.label$": TEXT}
    return {
        name: record,
        f"{name}New": {
            "type": "object",
            "description": f"A {collection.singular.lower()} to create. What is left out gets its default, or null.",
            "properties": {n: _sent(field_schema(f), patch=False) for n, f in settable.items()},
            "required": required,
            "additionalProperties": False,
        },
        f"{name}Patch": {
            "type": "object",
            "description": "Absent: untouched. null: cleared. A value: set (RFC 7396).",
            "properties": {n: _sent(field_schema(f), patch=True) for n, f in patched.items()},
            "additionalProperties": False,
        },
        f"{name}Page": _page(name),
        f"{name}Form": closed(
            {
                "values": OPEN,
                "version": nullable(NUMBER),
                "etag": nullable(TEXT),
                "schema": OPEN,
                "choices": {"type": "object", "additionalProperties": ref("schemas/Choices")},
                "writable": {"type": "array", "items": TEXT},
                "deletable": FLAG,
                "erasable": {"type": "array", "items": TEXT},
            },
            description="All an edit form needs; `version` and `etag` are null for what is yet to be created.",
        ),
        f"{name}Preview": _PREVIEW,
    }
