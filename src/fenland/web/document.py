"""The OpenAPI 3.1 document, generated from the routes and the definitions: exact enough for typed clients."""

from __future__ import annotations

import fenland
from fenland.core.changes.edits import edits_schema
from fenland.core.definitions.model import Definitions
from fenland.core.limits import Limits
from fenland.core.problems import REFUSALS
from fenland.web.describing import accounts, feed, files, history, notices, passes, records
from fenland.web.describing.record_types import schemas_of, type_names
from fenland.web.http.cookies import COOKIE
from fenland.web.http.errors import PROBLEM
from fenland.web.http.schemas import Schema, content_of, ref
from fenland.web.operations import components_of, paths_of
from fenland.web.routes import ROUTES


def _problem_responses() -> Schema:
    return {
        code: {
            "description": f"{kind.title}. {kind.remedy}",
            "content": content_of(ref(f"schemas/{records.problem_schema_of(kind)}"), PROBLEM),
        }
        for code, kind in REFUSALS.items()
    }


def document(definitions: Definitions, title: str, limits: Limits, address: str = "/") -> Schema:
    """The document for these definitions, under these limits, of a service at this address."""
    edits = {name: value for name, value in edits_schema(limits).items() if name != "$schema"}
    schemas = {
        **records.SCHEMAS,
        **history.SCHEMAS,
        **feed.SCHEMAS,
        **files.SCHEMAS,
        **accounts.SCHEMAS,
        **notices.SCHEMAS,
        **passes.SCHEMAS,
        **records.batch_schemas(limits),
        "Edits": edits,
    }
    types = type_names(definitions, schemas)
    for about in types:
        schemas |= schemas_of(about)
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
        "paths": paths_of(ROUTES, types),
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
            "parameters": components_of(ROUTES),
            "responses": _problem_responses(),
            "schemas": schemas,
        },
    }
