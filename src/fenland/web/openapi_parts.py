"""The parts of the OpenAPI document that no definition changes: parameters and fixed schemas."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from fenland.core.limits import Limits
from fenland.core.problems import REFUSALS, Conflict, Invalid, Refusal
from fenland.core.rules import BLANKS
from fenland.core.telling import ENTRY_SCHEMAS
from fenland.core.values import MISSING
from fenland.service.finding import LONGEST_REASON
from fenland.service.listing import LARGEST_PAGE, USUAL_PAGE
from fenland.service.once import LONGEST_KEY
from fenland.web.body import JSON
from fenland.web.patch_formats import MEMBERS

Schema = dict[str, Any]


def parameter(name: str, where: str, schema: Schema, description: str, *, required: bool = False) -> Schema:
    """A parameter object; those in the path are always required."""
    found = {"name": name, "in": where, "schema": schema, "description": description}
    return {**found, "required": True} if required or where == "path" else found


def ref(name: str) -> Schema:
    """A reference to a component."""
    return {"$ref": f"#/components/{name}"}


def closed(properties: Schema, *, optional: Iterable[str] = (), **more: Any) -> Schema:
    """An object of just these properties, all there but the optional ones."""
    required = [name for name in properties if name not in optional]
    return {
        "type": "object",
        "properties": properties,
        **({"required": required} if required else {}),
        **more,
    }


def taken(properties: Schema, *, optional: Iterable[str] = (), **more: Any) -> Schema:
    """The same as `closed` for what is sent: a member that is none of these is refused."""
    return closed(properties, optional=optional, additionalProperties=False, **more)


def nullable(schema: Schema) -> Schema:
    """The same, or null."""
    return {**schema, "type": [schema["type"], "null"]}


TEXT: Schema = {"type": "string"}
NUMBER: Schema = {"type": "integer"}
FLAG: Schema = {"type": "boolean"}
POINTER: Schema = {"type": "string", "format": "json-pointer"}
MOMENT: Schema = {"type": "string", "format": "date-time"}
#: Any JSON value at all.
ANY: Schema = {"description": "Any JSON value."}
OPEN: Schema = {"type": "object", "additionalProperties": True}
PAGE: Schema = {"type": "integer", "minimum": 1, "maximum": LARGEST_PAGE, "default": USUAL_PAGE}
REASON: Schema = {"type": "string", "maxLength": LONGEST_REASON}
BASE: Schema = {"type": "string", "examples": ['"018f3c1e-7b2a-7cc0-9a51-3f0f3d1c2b4a.3"', "3"]}


def _texts(schema: Schema = TEXT) -> Schema:
    return {"type": "array", "items": schema}


PARAMETERS: dict[str, Schema] = {
    "q": parameter("q", "query", {"type": "string", "maxLength": 200}, "Words that must all be found."),
    "sort": parameter("sort", "query", TEXT, "Fields by comma; a - before one sorts it descending."),
    "limit": parameter("limit", "query", PAGE, "How many to answer with at most."),
    "cursor": parameter("cursor", "query", TEXT, "The `next` of the page before."),
    "count": parameter("count", "query", FLAG, "Whether to count all that match."),
    "where": parameter(
        "where",
        "query",
        {"type": "string", "minLength": 1},
        'A condition over the fields, such as `status == "open" && pumps > 2`.',
    ),
    "fields": parameter(
        "fields",
        "query",
        {"type": "string", "minLength": 1},
        "Fields by comma: records then hold these alone, and not all that is required.",
    ),
    "include": parameter(
        "include",
        "query",
        {"type": "string", "minLength": 1},
        "References by comma, such as `station.watercourse`, to answer with theirs.",
    ),
    "labels": parameter("labels", "query", FLAG, "Whether to tell what references and owners stand for."),
    "below": parameter("below", "query", {"type": "integer", "minimum": 0}, "Only versions under this."),
    "blank": parameter(
        "blank", "query", {"type": "string", "enum": list(BLANKS)}, "What a blank means for every field."
    ),
    "reason": parameter("reason", "query", REASON, "Why; kept in the history."),
    "base": parameter(
        "base", "query", BASE, "The ETag or version you saw; 409 where others changed the same."
    ),
    "clear": parameter("clear", "query", TEXT, "Fields to empty, by comma, whatever a blank means there."),
    "once": parameter(
        "Idempotency-Key",
        "header",
        {"type": "string", "minLength": 1, "maxLength": LONGEST_KEY},
        "Carried out once, however often it is sent.",
    ),
    "if_match": parameter("If-Match", "header", TEXT, "Only if the record has this ETag (RFC 9110)."),
    "if_none_match": parameter("If-None-Match", "header", TEXT, "Only if it has another (RFC 9110)."),
    "prefer": parameter("Prefer", "header", TEXT, "return=minimal, handling=lenient (RFC 7240), by comma."),
    "lenient": parameter("lenient", "query", FLAG, "The same as Prefer: handling=lenient."),
    "return": parameter(
        "return",
        "query",
        {"type": "string", "enum": ["minimal", "representation"]},
        "minimal is the same as Prefer: return=minimal.",
    ),
    "coerce": parameter(
        "coerce",
        "query",
        {"type": "string", "enum": ["text"]},
        "Texts in the body are read by their fields' types, as those of a form are.",
    ),
    "blank_filters": parameter(
        "blank_filters",
        "query",
        {"type": "string", "enum": ["keep", "ignore"]},
        "ignore: a field that is filtered by a blank is not filtered by.",
    ),
    "client": parameter(
        "Fenland-Client", "header", TEXT, "A name the client keeps: its own changes are not others'."
    ),
}

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
    "Entry": closed(dict(ENTRY_SCHEMAS), description="One change of one record."),
    "Health": closed({"status": TEXT, "title": TEXT, "version": TEXT}),
    "Choice": closed({"value": ANY, "label": TEXT}),
    "Choices": closed(
        {"options": _texts(ref("schemas/Choice")), "more": FLAG, "search": TEXT}, optional=("search",)
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
            "searched": _texts(),
            "indexed": _texts(),
            "if_match": {"type": "string", "enum": ["optional", "required"]},
            "may": closed({"read": FLAG, "create": FLAG, "update": FLAG}),
            "schema": TEXT,
            "records": TEXT,
        },
        description="A record type, and what this caller may do with it.",
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
    "Collections": closed({"items": _texts(ref("schemas/Collection"))}),
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
_TAGS: Schema = {"oneOf": [TEXT, _texts()], "description": "Entity tags, one of which must be the record's."}


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
    description="What became of an item: the record, or what was wrong. 424: not done for another's sake.",
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
            {"done": FLAG, "batch": nullable(TEXT), "results": _texts(ref("schemas/BatchResult"))}
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
            "clear": _texts(),
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


# --- pieces of operations ----------------------------------------------------------------------------

#: What any operation may be answered with.
_ALWAYS = ("too-large", "too-many", "internal", "unavailable")
#: What reading anything may be answered with.
READING = ("not-signed-in", "not-found")


def content_of(schema: Schema, *types: str, example: Any = MISSING) -> Schema:
    """The content of a body or an answer, by media type; JSON if none is named."""
    shown = {} if example is MISSING else {"example": example}
    return {kind: {"schema": schema, **shown} for kind in types or (JSON,)}


def responses_of(*codes: str) -> Schema:
    """The problems an operation may answer with, by status."""
    # A status is listed once; where kinds share one, the first is its plain one.
    return {str(REFUSALS[code].status): ref(f"responses/{code}") for code in reversed((*codes, *_ALWAYS))}


def used(*names: str) -> list[Schema]:
    """References to these parameters."""
    more = ("lenient", "return") if "prefer" in names else ()
    return [ref(f"parameters/{name}") for name in (*names, *more)]
