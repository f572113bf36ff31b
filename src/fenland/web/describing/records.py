"""Schemas of answers about records, whatever their type: problems, changes, forms, lists, and those of batches."""

from __future__ import annotations

from fenland.core.history.telling import ENTRY_SCHEMAS
from fenland.core.limits import Limits
from fenland.core.problems import REFUSALS, Conflict, Invalid, Refusal
from fenland.web.http.patch_formats import MEMBERS
from fenland.web.http.schemas import (
    ANY,
    FLAG,
    NUMBER,
    OPEN,
    POINTER,
    REASON,
    TEXT,
    Schema,
    closed,
    nullable,
    ref,
    taken,
    texts,
)

_PROBLEM: Schema = {
    "type": {"type": "string", "format": "uri-reference"},
    "title": TEXT,
    "status": NUMBER,
    "detail": TEXT,
    "request_id": TEXT,
}
_CONFLICT: Schema = closed(
    {
        "pointer": POINTER,
        "base": ANY,
        "current": ANY,
        "yours": ANY,
        "only_if": OPEN,
    },
    optional=("base", "current", "yours", "only_if"),
    description="A field others changed too: as it was, is and was sent. Or a condition that does not hold.",
)
_REFERRING: Schema = closed({"collection": TEXT, "key": {"type": ["string", "integer"]}})


def problem_schema_of(kind: type[Refusal]) -> str:
    """The name of the schema of a kind's problem details: those of one status share one."""
    own = {Conflict.status: "Conflict", Invalid.status: "Invalid"}
    return own.get(kind.status, "Problem")


def _problem(name: str, description: str) -> Schema:
    """The problem details of all kinds that this schema describes, with the parameters of each."""
    kinds = [kind for kind in REFUSALS.values() if problem_schema_of(kind) == name]
    parameters = {one: schema for kind in kinds for one, schema in kind.parameters.items()}
    return closed({**_PROBLEM, **parameters}, optional=("request_id", *parameters), description=description)


SCHEMAS: dict[str, Schema] = {
    "Problem": _problem("Problem", "RFC 9457 problem details."),
    "FieldError": closed(
        {"pointer": POINTER, "code": TEXT, "detail": TEXT},
        additionalProperties=True,
        description="One thing wrong with one place; the parameters of the rule stand beside these.",
    ),
    "Invalid": _problem(
        "Invalid", "What is wrong, field by field. An idempotency key used before has no errors."
    ),
    "FieldConflict": _CONFLICT,
    "Referring": _REFERRING,
    "Conflict": _problem("Conflict", "What stands in the way, and what was not done for it."),
    "Consequence": closed(
        {
            "collection": TEXT,
            "key": {"type": ["string", "integer"]},
            "action": TEXT,
            "rule": nullable(TEXT),
            "notice": {**nullable(TEXT), "description": "Of a notice that would be left, what it is called."},
            "changes": {"type": "object", "additionalProperties": ref("schemas/Change")},
        },
        description="A change that would follow in another record, or a notice, and the rule, as file and line.",
    ),
    "Change": closed(
        {
            "before": ANY,
            "after": ANY,
            "hidden": {"type": "boolean", "description": "Its values are not shown."},
            "erased": {"type": "boolean", "description": "A value was erased for good."},
            "inside": {
                "type": "array",
                "description": "Of an object, each place inside it that differs.",
                "items": closed({"pointer": POINTER, "before": ANY, "after": ANY}),
            },
            "put_in": {"type": "array", "items": ANY, "description": "Of a list, what was put in."},
            "taken_out": {"type": "array", "items": ANY, "description": "Of a list, what was taken out."},
            "now": {
                "type": "string",
                "description": "What the field is called today, where that is otherwise.",
            },
        },
        optional=("before", "after", "hidden", "erased", "inside", "put_in", "taken_out", "now"),
    ),
    "Entry": closed(
        {**ENTRY_SCHEMAS, "causes": {**FLAG, "description": "Whether others follow from it; in no file."}},
        optional=("causes",),
        description="One change of one record.",
    ),
    "Health": closed({"status": TEXT, "title": TEXT, "version": TEXT}),
    "Choice": closed({"value": ANY, "label": TEXT}),
    "Choices": closed(
        {"options": texts(ref("schemas/Choice")), "more": FLAG, "search": TEXT}, optional=("search",)
    ),
    "Collection": closed(
        {
            "name": TEXT,
            "title": TEXT,
            "singular": TEXT,
            "description": TEXT,
            "key": TEXT,
            "naming": TEXT,
            "owner": nullable(TEXT),
            "searched": texts(),
            "views": {**FLAG, "description": "Whether its records say how lists of others are shown."},
            "references": {
                "type": "object",
                "additionalProperties": TEXT,
                "description": "The fields that refer to other records, each with their collection.",
            },
            "indexed": texts(),
            "if_match": {"type": "string", "enum": ["optional", "required"]},
            "may": closed(dict.fromkeys(("read", "create", "update", "delete", "pass", "review"), FLAG)),
            "passes": {
                "type": "array",
                "items": closed({"name": TEXT, "title": TEXT, "lists": FLAG, "days": NUMBER}),
                "description": "The templates that this caller may make passes of.",
            },
            "schema": TEXT,
            "records": TEXT,
        },
        description="A record type, and what this caller may do with it.",
    ),
    "Calls": closed({"items": texts(ref("schemas/Call"))}),
    "Call": closed(
        {
            "action": TEXT,
            "way": {"type": "string", "enum": ["any", "form", "texts", "json"]},
            "title": TEXT,
            "method": TEXT,
            "url": TEXT,
            "headers": {"type": "object", "additionalProperties": TEXT},
            "body": nullable(TEXT),
            "untouched": TEXT,
        },
        description="A call to copy: what stands in braces is to be filled in.",
    ),
    "Labels": {
        "type": "object",
        "description": "What people read in place of a key or an account's name: by field, and by what it holds.",
        "additionalProperties": {"type": "object", "additionalProperties": TEXT},
    },
    "Included": {
        "type": "object",
        "description": "What records refer to: by collection, and by key.",
        "additionalProperties": {"type": "object", "additionalProperties": OPEN},
    },
    "Collections": closed({"items": texts(ref("schemas/Collection"))}),
    "JsonPatch": {
        "type": "array",
        "description": "RFC 6902.",
        "items": closed(
            {
                "op": {"type": "string", "enum": ["add", "remove", "replace", "move", "copy", "test"]},
                "path": POINTER,
                "from": POINTER,
                "value": ANY,
            },
            optional=("from", "value"),
        ),
        "examples": [[{"op": "test", "path": "/status", "value": "standby"}]],
    },
}

_ITEM_KEY: Schema = {
    "description": 'A key, or {"created": NAME} of an earlier item.',
    "oneOf": [TEXT, NUMBER, closed({"created": TEXT})],
}
_TAGS: Schema = {"oneOf": [TEXT, texts()], "description": "Entity tags, one of which must be the record's."}


#: Whatever a refusal may carry.
_PARAMETERS = {name: schema for kind in REFUSALS.values() for name, schema in kind.parameters.items()}
_BATCH_RESULT: Schema = closed(
    {
        "status": NUMBER,
        "etag": TEXT,
        "record": OPEN,
        "type": TEXT,
        "title": TEXT,
        "detail": TEXT,
        **_PARAMETERS,
    },
    optional=("etag", "record", "type", "title", "detail", *_PARAMETERS),
    description="What became of an item: the record, or what was wrong. 424: not done, since another item was refused.",
)


def batch_schemas(limits: Limits) -> dict[str, Schema]:
    """The body of a batch, its items, and the answer."""
    items: Schema = {
        "oneOf": [ref(f"schemas/{one}") for one in ("BatchCreate", "BatchUpdate", "BatchDelete", "BatchPut")]
    }
    return {
        **_item_schemas(limits),
        "Batch": taken(
            {"items": {"type": "array", "items": items, "maxItems": limits.batch}, "atomic": FLAG},
            optional=("atomic",),
            description="All or nothing, unless `atomic` is false: then each on its own.",
        ),
        "BatchResult": _BATCH_RESULT,
        "BatchResults": closed(
            {"done": FLAG, "batch": nullable(TEXT), "results": texts(ref("schemas/BatchResult"))}
        ),
    }


def _item_schemas(limits: Limits) -> dict[str, Schema]:
    common: Schema = {"collection": TEXT}
    create = closed(
        {
            "action": {"type": "string", "enum": ["create"]},
            **common,
            "fields": OPEN,
            "as": {"type": "string", "description": "A name for what is created, for later items."},
            "reason": REASON,
        },
        optional=("as", "reason"),
    )
    update = closed(
        {
            "action": {"type": "string", "enum": ["update"]},
            **common,
            "key": _ITEM_KEY,
            **{name: one.schema(limits) for name, one in MEMBERS.items()},
            "clear": texts(),
            "if_match": _TAGS,
            "base": {"oneOf": [TEXT, NUMBER]},
            "reason": REASON,
        },
        optional=(*MEMBERS, "clear", "if_match", "base", "reason"),
    )
    delete = closed(
        {
            "action": {"type": "string", "enum": ["delete"]},
            **common,
            "key": _ITEM_KEY,
            "if_match": _TAGS,
            "reason": REASON,
        },
        optional=("if_match", "reason"),
    )
    put = closed(
        {
            "action": {"type": "string", "enum": ["put"]},
            **common,
            "by": {"type": "string", "description": "The name of a unique field."},
            "value": _ITEM_KEY,
            "fields": OPEN,
            "if_match": _TAGS,
            "if_none_match": _TAGS,
            "as": {"type": "string", "description": "A name for what is saved, for later items."},
            "reason": REASON,
        },
        optional=("if_match", "if_none_match", "as", "reason"),
        description="Creates the record whose unique field holds the value, or replaces it.",
    )
    return {"BatchCreate": create, "BatchUpdate": update, "BatchDelete": delete, "BatchPut": put}
