"""The JSON Schema 2020-12 of definitions themselves, by which editors complete and check their files.

It is made of the rows by which definitions are read, and is no second judge: what it refuses is wrong, and
`fenland check` knows what else is.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from fenland.core.definitions.constraints import CONSTRAINTS
from fenland.core.definitions.effects import EFFECT_WORDS
from fenland.core.definitions.keywords import COLLECTION_KEYWORDS, KEYWORDS
from fenland.core.definitions.model import FIELD_RIGHTS, RIGHTS, TRIGGERS
from fenland.core.definitions.passes import TEMPLATE_KEYWORDS
from fenland.core.definitions.rule_reading import CHECK_WORDS, RULE_WORDS

Schema = dict[str, Any]

#: What people read of a keyword where they write it; of constraints, JSON Schema's own words are known.
ABOUT: Mapping[str, str] = {
    "singular": "What one record is called.",
    "order": "The collection's place among the others: lower numbers first.",
    "key": "The field in addresses and references: required, unique and fixed. id if left out.",
    "owner": "The field that holds the name of the owning account.",
    "label": "The field whose value names a record to people, beside its key.",
    "columns": "The fields that lists show first, in this order.",
    "fields": "The fields, by name: lower-case letters, digits and _.",
    "access": "Who may do what. What is not granted is denied.",
    "checks": "What must hold of a record to be saved.",
    "effects": "What a change brings with it, in the record and in others.",
    "passes": "What links for people without an account let them see and propose, by name.",
    "views": "Its records say how lists of others are shown, under a name.",
    "revalidate": "whole: every field is checked at each change, not only the touched ones.",
    "if_match": "required: changes must say which version they were made from.",
    "reason": "required: changes must say why they are made.",
    "type": "As what values are kept. A reference takes the type of the key it holds.",
    "title": "What people read.",
    "description": "What people read of it, at more length.",
    "format": "A date, a time, or a text that is checked.",
    "items": "What the list holds.",
    "properties": "What the object holds, by name.",
    "required": "true: must be given, never cleared. Of an object: the properties that must be there.",
    "nullable": "Whether null is allowed: yes, unless the field is required.",
    "default": "What new records hold where nobody gives it: a value, {expression: …}, {series: …} …",
    "examples": "Values that people are shown.",
    "readOnly": "Nobody sets it; rules may.",
    "writeOnly": "It is never shown.",
    "unique": "No two records have the same value; records can be found by it.",
    "fixed": "Set at creation, never again.",
    "references": "The collection whose key it holds.",
    "on_delete": "When the record it refers to is deleted: forbid that, clear this, or delete this too.",
    "search": "q looks in it.",
    "indexed": "An index keeps the records in its order.",
    "blank": "What an empty text means: a value, nothing at all, null, or an error.",
    "sensitive": "Its values stand apart in the history, and can be erased for good.",
    "derived": "What it is worked out from: an expression over record, or records that refer to it.",
    "was": "What it was called before, so that what it holds is kept.",
    "fill": "An expression over record: its value in records that were there before it.",
    "values": "What becomes of values that were there before.",
}

_TEXT: Schema = {"type": "string"}
_TEXTS: Schema = {"type": "array", "items": _TEXT}


def definition_schema() -> Schema:
    """The schema of a file of `collections/`."""
    found = _closed(
        {word: {**shape.schema, **_about(word)} for word, shape in COLLECTION_KEYWORDS.items()}, ["fields"]
    )
    found["properties"] |= {
        "fields": {
            **_about("fields"),
            "type": "object",
            "minProperties": 1,
            "propertyNames": {"pattern": "^[a-z][a-z0-9_]*$", "maxLength": 63},
            "additionalProperties": {"$ref": "#/$defs/field"},
        },
        "columns": {**_about("columns"), **_TEXTS, "minItems": 1, "uniqueItems": True},
        "access": {**_about("access"), **_rights(RIGHTS)},
        "checks": {**_about("checks"), "type": "array", "minItems": 1, "items": {"$ref": "#/$defs/check"}},
        "effects": {**_about("effects"), "type": "array", "minItems": 1, "items": {"$ref": "#/$defs/effect"}},
        "passes": {
            **_about("passes"), "type": "object", "additionalProperties": {"$ref": "#/$defs/pass"},
        },
    }  # fmt: skip
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "A collection",
        "description": "One record type of a Fenland project: a file of collections/, named after it.",
        **found,
        "$defs": _parts(),
    }


def _parts() -> Schema:
    inner = {word: row for word, row in KEYWORDS.items() if not row.outermost}
    trigger = {"enum": list(TRIGGERS)}
    return {
        "field": _of_field(KEYWORDS),
        # A property of an object, or what a list holds.
        "inner": _of_field(inner),
        "rule": {
            "anyOf": [
                {**_TEXTS, "description": "Roles, owner or everyone."},
                {**_TEXT, "description": "A condition."},
                _closed({"roles": _TEXTS, "if": _TEXT}, RULE_WORDS, any_of=True),
            ]
        },
        "check": _closed({word: _TEXTS if word == "fields" else _TEXT for word in CHECK_WORDS}),
        "effect": _closed(
            {
                **{word: {} for word in EFFECT_WORDS},
                "on": {"anyOf": [trigger, {"type": "array", "minItems": 1, "items": trigger}]},
                **dict.fromkeys(("if", "where"), _TEXT),
            },
            ["on"],
        ),
        "pass": _closed({word: shape.schema for word, shape in TEMPLATE_KEYWORDS.items()}),
    }


def _of_field(rows: Mapping[str, Any]) -> Schema:
    found = _closed({word: {**row.shape.schema, **_about(word)} for word, row in rows.items()})
    inside = {"$ref": "#/$defs/inner"}
    found["properties"] |= {
        "items": {**_about("items"), **inside},
        "properties": {**_about("properties"), "type": "object", "additionalProperties": inside},
    }
    if "access" in rows:
        found["properties"]["access"] = {**_about("access"), **_rights(FIELD_RIGHTS)}
    return found


def _rights(rights: Iterable[str]) -> Schema:
    return _closed({right: {"$ref": "#/$defs/rule"} for right in rights})


def _about(word: str) -> Schema:
    return {} if word in CONSTRAINTS else {"description": ABOUT[word]}


def _closed(properties: Mapping[str, Any], required: Iterable[str] = (), *, any_of: bool = False) -> Schema:
    found: Schema = {"type": "object", "properties": dict(properties), "additionalProperties": False}
    if any_of:
        return {**found, "minProperties": 1}
    return {**found, "required": list(required)} if required else found
