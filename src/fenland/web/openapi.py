"""The OpenAPI 3.1 document, generated from the definitions: exact enough for typed clients."""

from __future__ import annotations

import fenland
from fenland.core.definitions import Collection, Definitions
from fenland.core.edits import edits_schema
from fenland.core.limits import Limits
from fenland.core.schemas import RESERVED_SCHEMAS, field_schema, may_set
from fenland.core.values import MISSING
from fenland.web.errors import KINDS, PROBLEM
from fenland.web.openapi_parts import (
    CHOICES,
    ENTRY,
    FIELD_ERROR,
    JSON_PATCH_SCHEMA,
    PARAMETERS,
    PREVIEW,
    PROBLEM_SCHEMA,
    SESSION,
    TEXT,
    Schema,
    batch_schema,
    parameter,
)
from fenland.web.reading import EDITS, FORM_TYPES, JSON, JSON_PATCH, MERGE_PATCH


def _ref(name: str) -> Schema:
    return {"$ref": f"#/components/{name}"}


def _content(schema: Schema, *types: str) -> Schema:
    return {kind: {"schema": schema} for kind in types or (JSON,)}


def _responses(*codes: str) -> Schema:
    """The problems an operation may answer with, by status."""
    # A status is listed once; where kinds share one, the first is its plain one.
    return {str(KINDS[code].status): _ref(f"responses/{code}") for code in reversed(codes)}


def _use(*names: str) -> list[Schema]:
    return [_ref(f"parameters/{name}") for name in names]


def _problem_responses() -> Schema:
    return {
        code: {
            "description": f"{kind.title}. {kind.remedy}",
            "content": _content(_ref("schemas/Problem"), PROBLEM),
        }
        for code, kind in KINDS.items()
    }


def _page_of(item: Schema, following: Schema) -> Schema:
    return {
        "type": "object",
        "properties": {
            "items": {"type": "array", "items": item},
            "next": following,
            "count": {"type": "integer"},
        },
        "required": ["items", "next"],
    }


def _type_name(collection: Collection) -> str:
    return "".join(part.capitalize() for part in collection.name.split("_"))


def _schemas(collection: Collection) -> dict[str, Schema]:
    """The schemas of a collection: whole records, records to create, and patches."""
    fields = collection.fields.values()
    shown = {**RESERVED_SCHEMAS, **{one.name: field_schema(one) for one in fields if not one.write_only}}
    settable = [one for one in fields if may_set(one, collection, creating=True, transfer=True)]
    patched = [one for one in fields if may_set(one, collection, creating=False, transfer=True)]
    required = [
        one.name
        for one in settable
        if one.required and one.default is MISSING and one.name != collection.owner
    ]
    name = _type_name(collection)
    record = {"type": "object", "title": collection.title, "properties": shown, "required": list(shown)}
    form = {
        "type": "object",
        "properties": {
            "values": {"type": "object"},
            "version": {"type": ["integer", "null"]},
            "etag": {"type": ["string", "null"]},
            "schema": {"type": "object"},
            "choices": CHOICES,
            "writable": {"type": "array", "items": TEXT},
            "deletable": {"type": "boolean"},
        },
    }
    return {
        name: record,
        f"{name}New": {
            "type": "object",
            "properties": {one.name: field_schema(one) for one in settable},
            "required": required,
            "additionalProperties": False,
        },
        f"{name}Patch": {
            "type": "object",
            "description": "Absent: untouched. null: cleared. A value: set (RFC 7396).",
            "properties": {one.name: field_schema(one) for one in patched},
        },
        f"{name}Form": form,
    }


def _record_answer(name: str, description: str, *headers: str) -> Schema:
    return {
        "description": description,
        "headers": {header: {"schema": TEXT} for header in headers},
        "content": _content(_ref(f"schemas/{name}")),
    }


_READING = ("not-signed-in", "not-found")
_WRITING = (
    "malformed",
    *_READING,
    "not-permitted",
    "unsupported-media",
    "too-large",
    "conflict",
    "invalid",
    "unavailable",
    "storage-full",
)
_GUARDED = ("version-mismatch", "version-required")


_CHANGING = ("if_match", "if_none_match", "base", "preview", "once", "prefer", "blank", "reason")


def _changed(name: str) -> Schema:
    """The answers to a change of one record: as saved, or with `preview` what would be."""
    saved = _record_answer(name, "The record as saved; with preview, what would change.", "ETag")
    saved["content"] = _content({"anyOf": [_ref(f"schemas/{name}"), _ref("schemas/Preview")]})
    return {
        "200": saved,
        "204": {"description": "Saved; return=minimal was preferred."},
        **_responses(*_WRITING, *_GUARDED),
    }


def _one_record(name: str, suffix: str) -> Schema:
    """Read, update and delete of one record; `suffix` keeps operation ids apart."""
    return {
        "get": {
            "operationId": f"read{name}{suffix}",
            "parameters": _use("if_none_match"),
            "responses": {
                "200": _record_answer(name, "The record.", "ETag", "Accept-Patch"),
                "304": {"description": "The client has this version."},
                **_responses(*_READING),
            },
        },
        "patch": {
            "operationId": f"update{name}{suffix}",
            "parameters": _use(*_CHANGING),
            "requestBody": {
                "required": True,
                "content": {
                    **_content(_ref(f"schemas/{name}Patch"), MERGE_PATCH, JSON, *FORM_TYPES),
                    **_content(_ref("schemas/JsonPatch"), JSON_PATCH),
                    **_content(_ref("schemas/Edits"), EDITS),
                },
            },
            "responses": _changed(name),
        },
        "put": {
            "operationId": f"replace{name}{suffix}",
            "parameters": _use(*_CHANGING),
            "requestBody": {
                "required": True,
                "content": _content(_ref(f"schemas/{name}Patch"), JSON, *FORM_TYPES),
            },
            "responses": _changed(name),
        },
        "delete": {
            "operationId": f"delete{name}{suffix}",
            "parameters": _use("if_match", "if_none_match", "prefer", "reason", "once"),
            "responses": {
                "200": _record_answer(name, "The last copy.", "ETag"),
                "204": {"description": "Deleted; return=minimal was preferred."},
                **_responses(*_READING, "not-permitted", "conflict", *_GUARDED),
            },
        },
    }


def _paths(collection: Collection) -> dict[str, Schema]:
    name, base = _type_name(collection), f"/v1/records/{collection.name}"
    key = parameter("key", "path", TEXT, f"The record's {collection.key}.")
    paths: dict[str, Schema] = {
        base: {
            "get": {
                "operationId": f"list{name}",
                "parameters": _use("q", "sort", "limit", "cursor", "count"),
                "responses": {
                    "200": {
                        "description": "A page.",
                        "headers": {"Link": {"schema": TEXT}},
                        "content": _content(_page_of(_ref(f"schemas/{name}"), {"type": ["string", "null"]})),
                    },
                    **_responses("malformed", *_READING),
                },
            },
            "post": {
                "operationId": f"create{name}",
                "parameters": _use("prefer", "blank", "reason", "once"),
                "requestBody": {
                    "required": True,
                    "content": _content(_ref(f"schemas/{name}New"), JSON, *FORM_TYPES),
                },
                "responses": {
                    "201": _record_answer(name, "The record as created.", "ETag", "Location"),
                    **_responses(*_WRITING),
                },
            },
        },
        f"{base}/{{key}}": {"parameters": [key], **_one_record(name, "")},
        f"{base}/{{key}}/history": {
            "parameters": [key],
            "get": {
                "operationId": f"history{name}",
                "parameters": _use("below", "limit"),
                "responses": {
                    "200": {
                        "description": "Newest first.",
                        "content": _content(_page_of(_ref("schemas/Entry"), {"type": ["integer", "null"]})),
                    },
                    **_responses("malformed", *_READING),
                },
            },
        },
        f"{base}/{{key}}/form": {
            "parameters": [key],
            "get": {
                "operationId": f"form{name}",
                "responses": {
                    "200": _record_answer(f"{name}Form", "All an edit form needs.", "ETag"),
                    **_responses(*_READING),
                },
            },
        },
    }
    for item in collection.fields.values():
        if item.unique:
            value = parameter("value", "path", TEXT, f"The record's {item.name}.")
            suffix = f"By{''.join(part.capitalize() for part in item.name.split('_'))}"
            paths[f"{base}/by/{item.name}/{{value}}"] = {
                "parameters": [value],
                **_one_record(name, suffix),
            }
    for path in paths.values():
        for operation in path.values():
            if isinstance(operation, dict) and "operationId" in operation:
                operation["tags"] = [collection.name]
    return paths


def _own_paths(limits: Limits) -> dict[str, Schema]:
    listed = {"description": "The collections.", "content": _content({"type": "object"})}
    schema = {
        "description": "Its JSON Schema for this caller, or the form to create.",
        "content": _content({"type": "object"}),
    }
    collection = parameter("collection", "path", TEXT, "The collection's name.")
    purpose = parameter("for", "query", {"enum": ["create"]}, "Ask for all a form to create needs.")
    session = {"description": "The signed-in account.", "content": _content(_ref("schemas/Session"))}
    health = {"description": "The service answers.", "content": _content({"type": "object"})}
    return {
        "/v1/schemas": {
            "get": {"operationId": "schemas", "responses": {"200": listed, **_responses("not-signed-in")}}
        },
        "/v1/schemas/{collection}": {
            "parameters": [collection],
            "get": {
                "operationId": "schema",
                "parameters": [purpose],
                "responses": {"200": schema, **_responses(*_READING, "not-permitted")},
            },
        },
        "/v1/edits.schema.json": {
            "get": {"operationId": "editsSchema", "security": [], "responses": {"200": health}}
        },
        "/v1/batch": {
            "post": {
                "operationId": "batch",
                "parameters": _use("once"),
                "requestBody": {"required": True, "content": _content(batch_schema(limits))},
                "responses": {
                    "200": {
                        "description": "A result for each item.",
                        "content": _content({"type": "object"}),
                    },
                    **_responses("malformed", "not-signed-in", "unsupported-media", "too-large", "invalid"),
                },
            }
        },
        "/v1/session": {
            "get": {"operationId": "session", "responses": {"200": session, **_responses("not-signed-in")}}
        },
        "/healthz": {"get": {"operationId": "healthz", "security": [], "responses": {"200": health}}},
    }


def document(definitions: Definitions, title: str, limits: Limits) -> Schema:
    """The document for these definitions, under these limits."""
    paths = _own_paths(limits)
    schemas = {
        "Problem": PROBLEM_SCHEMA,
        "FieldError": FIELD_ERROR,
        "Entry": ENTRY,
        "Session": SESSION,
        "Preview": PREVIEW,
        "JsonPatch": JSON_PATCH_SCHEMA,
        "Edits": {name: value for name, value in edits_schema(limits).items() if name != "$schema"},
    }
    for collection in definitions.collections.values():
        schemas |= _schemas(collection)
        paths |= _paths(collection)
    return {
        "openapi": "3.1.0",
        "info": {"title": title, "version": fenland.__version__},
        "security": [{"bearer": []}],
        "tags": [
            {"name": one.name, "description": one.description or one.title}
            for one in definitions.collections.values()
        ],
        "paths": paths,
        "components": {
            "securitySchemes": {"bearer": {"type": "http", "scheme": "bearer"}},
            "parameters": PARAMETERS,
            "responses": _problem_responses(),
            "schemas": schemas,
        },
    }
