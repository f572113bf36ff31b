"""The parts of the OpenAPI document that no definition changes: parameters and fixed schemas."""

from __future__ import annotations

from typing import Any

from fenland.core.limits import Limits
from fenland.core.rules import BLANKS
from fenland.service.listing import LARGEST_PAGE, USUAL_PAGE

Schema = dict[str, Any]


def parameter(name: str, where: str, schema: Schema, description: str) -> Schema:
    """A parameter object; those in the path are always required."""
    found = {"name": name, "in": where, "schema": schema, "description": description}
    return {**found, "required": True} if where == "path" else found


TEXT: Schema = {"type": "string"}
FLAG: Schema = {"type": "boolean", "default": False}
PAGE: Schema = {"type": "integer", "minimum": 1, "maximum": LARGEST_PAGE, "default": USUAL_PAGE}

PARAMETERS: dict[str, Schema] = {
    "q": parameter("q", "query", TEXT, "Words that must all be found in the searched fields."),
    "sort": parameter("sort", "query", TEXT, "Fields by comma; a - before one turns it round."),
    "limit": parameter("limit", "query", PAGE, "How many to answer with at most."),
    "cursor": parameter("cursor", "query", TEXT, "The `next` of the page before."),
    "count": parameter("count", "query", FLAG, "Whether to count all that match."),
    "below": parameter("below", "query", {"type": "integer", "minimum": 0}, "Only versions under this."),
    "blank": parameter(
        "blank", "query", {"enum": list(BLANKS)}, "What a blank means for every field of this request."
    ),
    "reason": parameter("reason", "query", {"type": "string", "maxLength": 500}, "Kept in the history."),
    "base": parameter(
        "base",
        "query",
        {"type": "integer", "minimum": 1},
        "The version you saw; 409 where others changed the same.",
    ),
    "preview": parameter("preview", "query", FLAG, "Answer what would change, and save nothing."),
    "once": parameter("Idempotency-Key", "header", TEXT, "Carried out once, however often it is sent."),
    "if_match": parameter("If-Match", "header", TEXT, "Only if the record has this ETag (RFC 9110)."),
    "if_none_match": parameter("If-None-Match", "header", TEXT, "Only if it has another (RFC 9110)."),
    "prefer": parameter("Prefer", "header", TEXT, "return=minimal, handling=lenient (RFC 7240), by comma."),
}

PROBLEM_SCHEMA: Schema = {
    "type": "object",
    "description": "RFC 9457 problem details.",
    "properties": {
        "type": {"type": "string", "format": "uri-reference"},
        "title": TEXT,
        "status": {"type": "integer"},
        "detail": TEXT,
        "request_id": TEXT,
        "limit": {"type": "string", "description": "The setting that was passed, with 413."},
        "most": {"type": "integer", "description": "Its value."},
        "version": {"type": "integer", "description": "The record's version, with 409 and 412."},
        "conflicts": {
            "type": "array",
            "description": "With 409, for each field: base, current and yours, or the condition.",
            "items": {
                "type": "object",
                "properties": {"pointer": {"type": "string", "format": "json-pointer"}},
                "required": ["pointer"],
            },
        },
        "operation": {"type": "integer", "description": "Of a JSON Patch, the one that cannot be done."},
        "errors": {"type": "array", "items": {"$ref": "#/components/schemas/FieldError"}},
    },
    "required": ["type", "title", "status", "detail"],
}
FIELD_ERROR: Schema = {
    "type": "object",
    "description": "One thing wrong with one place; the parameters of the rule stand beside these.",
    "properties": {
        "pointer": {"type": "string", "format": "json-pointer"},
        "code": TEXT,
        "detail": TEXT,
    },
    "required": ["pointer", "code", "detail"],
}
ENTRY: Schema = {
    "type": "object",
    "description": "One change of one record.",
    "properties": {
        "sequence": {"type": "integer"},
        "time": {"type": "string", "format": "date-time"},
        "collection": TEXT,
        "id": {"type": "string", "format": "uuid"},
        "key": {"type": ["string", "integer"]},
        "version": {"type": "integer"},
        "action": {"enum": ["create", "update", "delete"]},
        "actor": TEXT,
        "behalf": {"type": ["string", "null"]},
        "via": TEXT,
        "request_id": TEXT,
        "reason": {"type": ["string", "null"]},
        "cause": {"type": ["integer", "null"]},
        "changes": {
            "type": "object",
            "additionalProperties": {
                "type": "object",
                "properties": {"before": {}, "after": {}, "hidden": {"type": "boolean"}},
            },
        },
        "sentence": TEXT,
    },
}
SESSION: Schema = {
    "type": "object",
    "properties": {"account": TEXT, "title": TEXT, "roles": {"type": "array", "items": TEXT}},
    "required": ["account", "title", "roles"],
}
CHOICES: Schema = {
    "type": "object",
    "additionalProperties": {
        "type": "object",
        "properties": {
            "options": {
                "type": "array",
                "items": {"type": "object", "properties": {"value": {}, "label": TEXT}},
            },
            "more": {"type": "boolean"},
        },
    },
}


PREVIEW: Schema = {
    "type": "object",
    "description": "What a change would do, had it been saved.",
    "properties": {
        "preview": {"const": True},
        "version": {"type": "integer"},
        "changes": {"type": "object", "additionalProperties": {"type": "object"}},
        "record": {"type": "object"},
        "errors": {"type": "array", "items": {"$ref": "#/components/schemas/FieldError"}},
        "ignored": {"type": "array", "items": TEXT},
    },
    "required": ["preview", "version", "changes", "record", "errors", "ignored"],
}
JSON_PATCH_SCHEMA: Schema = {
    "type": "array",
    "description": "RFC 6902.",
    "items": {
        "type": "object",
        "properties": {
            "op": {"enum": ["add", "remove", "replace", "move", "copy", "test"]},
            "path": {"type": "string", "format": "json-pointer"},
            "from": {"type": "string", "format": "json-pointer"},
            "value": {},
        },
        "required": ["op", "path"],
    },
}


def batch_schema(limits: Limits) -> Schema:
    """The body of a batch."""
    return {
        "type": "object",
        "properties": {
            "atomic": {"type": "boolean", "default": True},
            "items": {
                "type": "array",
                "maxItems": limits.batch,
                "items": {
                    "type": "object",
                    "properties": {
                        "action": {"enum": ["create", "update", "delete"]},
                        "collection": TEXT,
                        "key": {"description": 'A key, or {"created": NAME} of an earlier item.'},
                        "as": TEXT,
                        "fields": {"type": "object"},
                        "edits": {"type": "array"},
                        "patch": {"type": "array"},
                        "if_match": TEXT,
                        "base": {"type": "integer"},
                        "reason": TEXT,
                    },
                    "required": ["action", "collection"],
                },
            },
        },
        "required": ["items"],
    }
