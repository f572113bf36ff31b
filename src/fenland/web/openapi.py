"""The OpenAPI 3.1 document, generated from the definitions: exact enough for typed clients.

`openapi_records.py` describes a collection, `openapi_parts.py` what no definition changes.
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

import fenland
from fenland.core.definitions import Collection, Definitions
from fenland.core.edits import edits_schema
from fenland.core.limits import Limits
from fenland.core.problems import REFUSALS
from fenland.web.cookies import COOKIE
from fenland.web.errors import PROBLEM
from fenland.web.openapi_accounts import SCHEMAS as ACCOUNT_SCHEMAS
from fenland.web.openapi_accounts import account_paths
from fenland.web.openapi_files import FILE_SCHEMAS
from fenland.web.openapi_history import HISTORY_SCHEMAS, history_paths
from fenland.web.openapi_parts import (
    OPEN,
    PARAMETERS,
    READING,
    SCHEMAS,
    TEXT,
    Schema,
    batch_schemas,
    content_of,
    parameter,
    problem_schema_of,
    ref,
    responses_of,
    used,
)
from fenland.web.openapi_records import paths_of, schemas_of

_SCHEMA_JSON = "application/schema+json"


def _problem_responses() -> Schema:
    return {
        code: {
            "description": f"{kind.title}. {kind.remedy}",
            "content": content_of(ref(f"schemas/{problem_schema_of(kind)}"), PROBLEM),
        }
        for code, kind in REFUSALS.items()
    }


#: What the document has of its own, which no record type may be called.
_OWN_NAMES = ("Schema", "EditsSchema", "Openapi", "Health", "Session", "Edits")
#: What stands behind a record type's name in the names of its other schemas.
_SUFFIXES = ("", "New", "Patch", "Page", "Form", "Preview")


def type_names(definitions: Definitions, taken: Iterable[str]) -> dict[str, str]:
    """The name of each collection's record type, no two schemas having the same."""
    used, names = {*taken, *_OWN_NAMES}, {}
    for collection in definitions.collections.values():
        name = _type_name(collection)
        while any(name + suffix in used for suffix in _SUFFIXES):
            name += "Record"
        used |= {name + suffix for suffix in _SUFFIXES}
        names[collection.name] = name
    return names


def _type_name(collection: Collection) -> str:
    """What a collection's record type is to be called: its singular title, in one word."""
    words = "".join(one if one.isalnum() and one.isascii() else " " for one in collection.singular).split()
    name = "".join(word[0].upper() + word[1:] for word in words)
    return name if name[:1].isalpha() else "".join(part.capitalize() for part in collection.name.split("_"))


def _own(verb: str, summary: str, responses: Schema, **parts: Any) -> Schema:
    return {
        "operationId": verb,
        "summary": summary,
        "description": f"{summary}.",
        "responses": responses,
        **parts,
    }


def _ok(description: str, schema: Schema, *types: str) -> Schema:
    return {"200": {"description": description, "content": content_of(schema, *types)}}


def _own_paths() -> dict[str, Schema]:
    collection = parameter("collection", "path", TEXT, "The collection's name.")
    purpose = parameter(
        "for", "query", {"type": "string", "enum": ["create"]}, "Ask for all a form to create needs."
    )
    described = {
        "200": {
            "description": "Its JSON Schema for this caller, or the form to create.",
            "content": {**content_of(OPEN, _SCHEMA_JSON), **content_of(OPEN)},
        }
    }
    return {
        "/v1/schemas": {
            "get": _own(
                "listCollections", "The collections there are",
                {**_ok("The collections.", ref("schemas/Collections")), **responses_of("malformed", "not-signed-in")},
            )
        },
        "/v1/schemas/{collection}": {
            "parameters": [collection],
            "get": _own(
                "readSchema", "The JSON Schema of a collection for this caller",
                {**described, **responses_of("malformed", *READING, "not-permitted")}, parameters=[purpose],
            ),
        },
        "/v1/edits.schema.json": {
            "get": _own(
                "readEditsSchema", "The JSON Schema of edits",
                {**_ok("The schema.", OPEN, _SCHEMA_JSON), **responses_of()}, security=[],
            )
        },
        "/v1/openapi.json": {
            "get": _own("readOpenapi", "This document", {**_ok("It.", OPEN), **responses_of()}, security=[])
        },
        **_service_paths(),
        **account_paths(),
        **history_paths(),
    }  # fmt: skip


def _service_paths() -> dict[str, Schema]:
    example = {"items": [{"action": "delete", "collection": "tickets", "key": "T-0001", "reason": "twice"}]}
    return {
        "/v1/batch": {
            "post": _own(
                "batch", "Several creates, updates and deletes at once",
                {
                    **_ok("A result for each item.", ref("schemas/BatchResults")),
                    **responses_of("malformed", "not-signed-in", "body-timeout", "unsupported-media", "storage-full"),
                    "422": {
                        "description": "A broken all-or-nothing batch, with a result for each item; or a key used before.",
                        "content": {
                            **content_of(ref("schemas/BatchResults")), **content_of(ref("schemas/Problem"), PROBLEM),
                        },
                    },
                },
                parameters=used("once", "client"),
                requestBody={"required": True, "content": content_of(ref("schemas/Batch"), example=example)},
            )
        },
        "/healthz": {
            "get": _own(
                "readHealth", "Whether the service is well",
                {**_ok("It is.", ref("schemas/Health")), **responses_of()}, security=[],
            )
        },
    }  # fmt: skip


def document(definitions: Definitions, title: str, limits: Limits, address: str = "/") -> Schema:
    """The document for these definitions, under these limits, of a service at this address."""
    paths = _own_paths()
    edits = {name: value for name, value in edits_schema(limits).items() if name != "$schema"}
    schemas = {
        **SCHEMAS,
        **HISTORY_SCHEMAS,
        **FILE_SCHEMAS,
        **ACCOUNT_SCHEMAS,
        **batch_schemas(limits),
        "Edits": edits,
    }
    for name, type_name in type_names(definitions, schemas).items():
        collection = definitions.collections[name]
        schemas |= schemas_of(collection, type_name)
        paths |= paths_of(collection, type_name)
    return {
        "openapi": "3.1.0",
        "info": {
            "title": title,
            "version": fenland.__version__,
            "description": "Records with partial updates, validation, ownership and a history.",
        },
        "servers": [{"url": address}],
        "security": [{"bearer": []}, {"basic": []}, {"session": []}],
        "tags": [
            {"name": one.name, "description": one.description or one.title}
            for one in definitions.collections.values()
        ],
        "paths": paths,
        "components": {
            "securitySchemes": {
                "bearer": {"type": "http", "scheme": "bearer"},
                "basic": {
                    "type": "http",
                    "scheme": "basic",
                    "description": "The account, and a token of it.",
                },
                "session": {"type": "apiKey", "in": "cookie", "name": COOKIE},
            },
            "parameters": PARAMETERS,
            "responses": _problem_responses(),
            "schemas": schemas,
        },
    }
