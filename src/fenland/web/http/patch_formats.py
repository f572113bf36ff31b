"""Formats of patches, a row each: media types, what a batch calls it, how it is read and described.

A new format is a row here, and a file in `core/` that says what it means.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.changes.edits import edits_from, read_edits
from fenland.core.changes.html_forms import read_form, read_texts
from fenland.core.changes.json_patch import json_patch_from, read_json_patch
from fenland.core.changes.patches import NOTHING, MergePatch, Patch, Replacement, read_object
from fenland.core.definitions.model import Field
from fenland.core.definitions.validation import kind_of
from fenland.core.limits import Limits
from fenland.core.problems import Malformed, UnsupportedMedia
from fenland.core.values.plain import MISSING
from fenland.web.http.body import HTML_FORMS, JSON, body_of, check_coding
from fenland.web.http.calls import Call, ahead
from fenland.web.http.html_forms import read_inputs
from fenland.web.http.parameters import COERCE

Schema = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Sent:
    """A body, its Content-Type, and what it is read by: the fields of the collection, and the limits."""

    body: bytes
    content_type: str
    fields: Mapping[str, Field]
    limits: Limits


@dataclass(frozen=True, slots=True)
class Member:
    """What a batch item calls a patch of this format, how it is read there, and what it holds."""

    name: str
    read: Callable[[Any, Limits], Patch]
    schema: Callable[[Limits], Schema]


@dataclass(frozen=True, slots=True)
class PatchFormat:
    """One way to say what is to change.

    `schema` gives, for the name of a record type,
    what OpenAPI says of a body, and `example` makes a body of some fields. Without a `member` no batch
    takes it.
    """

    media_types: tuple[str, ...]
    read: Callable[[Sent], Patch]
    schema: Callable[[str], Schema]
    example: Callable[[Mapping[str, Any]], Any] = lambda _fields: MISSING
    member: Member | None = None


def fields_of(sent: Any) -> Mapping[str, Any]:
    """The fields of a batch item. Raises `Malformed`."""
    if not isinstance(sent, dict):
        raise Malformed(f"fields must be an object, not {kind_of(sent)}.")
    return sent


_OPEN: Schema = {"type": "object", "additionalProperties": True}

FORMATS: tuple[PatchFormat, ...] = (
    PatchFormat(
        media_types=("application/merge-patch+json", JSON),
        read=lambda sent: MergePatch(read_object(sent.body, sent.limits)),
        schema=lambda name: {"$ref": f"#/components/schemas/{name}Patch"},
        example=dict,
        member=Member("fields", lambda sent, _limits: MergePatch(fields_of(sent)), lambda _limits: _OPEN),
    ),
    PatchFormat(
        media_types=("application/json-patch+json",),
        read=lambda sent: read_json_patch(sent.body, sent.limits),
        # As a text, since generators of clients cannot tell a list among other bodies.
        schema=lambda _name: {
            "type": "string",
            "format": "binary",
            "description": "The text of a JSON Patch (RFC 6902): operations as in the schema JsonPatch.",
        },
        member=Member("patch", json_patch_from, lambda _limits: {"$ref": "#/components/schemas/JsonPatch"}),
    ),
    PatchFormat(
        media_types=("application/vnd.fenland.edits+json",),
        read=lambda sent: read_edits(sent.body, sent.limits),
        schema=lambda _name: {"$ref": "#/components/schemas/Edits"},
        example=lambda fields: {
            "edits": [{"at": f"/{name}", "set": value} for name, value in list(fields.items())[:1]]
        },
        member=Member(
            "edits",
            lambda sent, limits: edits_from({"edits": sent}, limits),
            lambda limits: {"type": "array", "items": _OPEN, "maxItems": limits.operations},
        ),
    ),
    PatchFormat(
        media_types=HTML_FORMS,
        read=lambda sent: read_form(
            sent.fields, read_inputs(sent.content_type, sent.body, sent.limits), sent.limits
        ),
        schema=lambda _name: _OPEN,
    ),
)

_BY_TYPE = {kind: one for one in FORMATS for kind in one.media_types}
#: What a batch item may hold, by what it calls it.
MEMBERS: Mapping[str, Member] = {one.member.name: one.member for one in FORMATS if one.member is not None}
PATCH_TYPES = tuple(_BY_TYPE)
ACCEPT_PATCH = ", ".join(PATCH_TYPES)
#: What a whole record may be sent as.
WHOLE_TYPES = (JSON, *HTML_FORMS)


#: Raises why something could not be read, and what else is wrong with the request.
Check = Callable[[], None]


def _ahead(call: Call, types: tuple[str, ...]) -> tuple[Patch, Check]:
    """The patch that a body holds, read now, before anything is waited for.

    Why it cannot be read is told in the order of refusals. With `coerce=text` the texts in its fields are
    read as a form's are, by type.
    """
    resource = call.service.resources.get(call.collection)
    if resource is None:
        # Which is what will be told.
        return NOTHING, call.check
    fields = resource.collection.fields

    def read() -> Patch:
        kind = _kind(call, types)
        body = body_of(call.request, call.limits)
        call.sent = found = _BY_TYPE[kind].read(
            Sent(body, call.environ.get("CONTENT_TYPE", ""), fields, call.limits)
        )
        if call.get(COERCE) and isinstance(found, MergePatch):
            return replace(found, fields=read_texts(fields, found.fields))
        return found

    return ahead(read, NOTHING, call.check)


def _kind(call: Call, types: tuple[str, ...]) -> str:
    """The media type of the body, without its parameters. Raises `UnsupportedMedia`."""
    request = call.request
    sent: str = call.environ.get("CONTENT_TYPE", "")
    kind = sent if sent in _BY_TYPE else request.mimetype
    if kind not in types:
        found = f"is of type {kind!r}" if kind else "has no Content-Type"
        raise UnsupportedMedia(
            f"The body {found}, which is not read here. Send one of {', '.join(types)}.",
            headers={"Accept-Patch": ACCEPT_PATCH},
        )
    check_coding(request, ACCEPT_PATCH)
    return kind


def sent_patch(call: Call) -> tuple[Patch, Check]:
    """Of a body that says what is to change."""
    return _ahead(call, PATCH_TYPES)


def sent_fields(call: Call) -> tuple[Mapping[str, Any], Check]:
    """Of a body that holds a whole record: its fields."""
    patch, check = _ahead(call, WHOLE_TYPES)
    if not isinstance(patch, MergePatch):
        raise TypeError("A whole record is sent in a format of fields; WHOLE_TYPES names another.")
    return patch.fields, check


def sent_whole(call: Call) -> tuple[Replacement, Check]:
    """Of a body that is to take the place of the stored record."""
    fields, check = sent_fields(call)
    return Replacement(fields), check
