"""Small pieces that the OpenAPI document is made of."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from fenland.core.problems import REFUSALS
from fenland.core.values.plain import MISSING
from fenland.service.changes.finding import LONGEST_REASON
from fenland.web.http.body import JSON

Schema = dict[str, Any]


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
#: A time, or a day, as somebody asks for it.
TIME: Schema = {"type": "string", "examples": ["2031-04-09T12:00:00Z", "2031-04-09"]}
FILE: Schema = {"type": "string", "format": "binary"}
#: Any JSON value at all.
ANY: Schema = {"description": "Any JSON value."}
OPEN: Schema = {"type": "object", "additionalProperties": True}
REASON: Schema = {"type": "string", "maxLength": LONGEST_REASON}
BASE: Schema = {"type": "string", "examples": ['"018f3c1e-7b2a-7cc0-9a51-3f0f3d1c2b4a.3"', "3"]}


def texts(schema: Schema = TEXT) -> Schema:
    """A list of texts, or of something else."""
    return {"type": "array", "items": schema}


# --- headers of answers ------------------------------------------------------------------------------


def _headers(*names: str) -> Schema:
    return {name: {"schema": TEXT} for name in names}


ETAG = _headers("ETag")
TAGGED = _headers("ETag", "Accept-Patch")
SAVED = _headers("ETag", "Preference-Applied", "Fenland-Ignored", "Fenland-Repeated")
CREATED = _headers("ETag", "Location", "Preference-Applied", "Fenland-Ignored", "Fenland-Repeated")
LINK = _headers("Link")
COOKIE = _headers("Set-Cookie")

# --- pieces of operations ----------------------------------------------------------------------------

#: What any operation may be answered with.
_ALWAYS = ("too-large", "too-many", "internal", "unavailable")


def content_of(schema: Schema, *types: str, example: Any = MISSING) -> Schema:
    """The content of a body or an answer, by media type; JSON if none is named."""
    shown = {} if example is MISSING else {"example": example}
    return {kind: {"schema": schema, **shown} for kind in types or (JSON,)}


def responses_of(*codes: str) -> Schema:
    """The problems an operation may answer with, by status."""
    # A status is listed once; where kinds share one, the first is its plain one.
    return {str(REFUSALS[code].status): ref(f"responses/{code}") for code in reversed((*codes, *_ALWAYS))}
