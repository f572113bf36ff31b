"""Formats of patches, a row each: media types, what a batch calls it, how it is read and described.

A new format is a row here, and a file in `core/` that says what it means.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.access.field_access import FieldAccess
from fenland.core.changes.edits import edits_from, read_edits
from fenland.core.changes.html_forms import read_form, read_texts
from fenland.core.changes.json_patch import json_patch_from, read_json_patch
from fenland.core.changes.patches import MergePatch, Patch, read_object, replacement
from fenland.core.definitions.validation import kind_of
from fenland.core.limits import Limits
from fenland.core.problems import Malformed, UnsupportedMedia
from fenland.core.values.plain import MISSING
from fenland.web.http.body import HTML_FORMS, JSON, body_of, check_coding
from fenland.web.http.calls import Call, later
from fenland.web.http.html_forms import read_inputs
from fenland.web.http.parameters import COERCE

Schema = dict[str, Any]
#: Gives the patch, by what the caller may do; or raises why it cannot be read.
ReadPatch = Callable[[FieldAccess], Patch]


@dataclass(frozen=True, slots=True)
class Member:
    """What a batch item calls a patch of this format, how it is read there, and what it holds."""

    name: str
    read: Callable[[Any, Limits], Patch]
    schema: Callable[[Limits], Schema]


@dataclass(frozen=True, slots=True)
class PatchFormat:
    """One way to say what is to change.

    `read` takes the body, its Content-Type and the limits. `schema` gives, for the name of a record type,
    what OpenAPI says of a body, and `example` makes a body of some fields. Without a `member` no batch
    takes it.
    """

    media_types: tuple[str, ...]
    read: Callable[[bytes, str, Limits], ReadPatch]
    schema: Callable[[str], Schema]
    example: Callable[[Mapping[str, Any]], Any] = lambda fields: MISSING
    member: Member | None = None


def _whatever(read: Callable[[bytes, Limits], Patch]) -> Callable[[bytes, str, Limits], ReadPatch]:
    """Of a format that means the same whoever asks."""

    def with_type(body: bytes, content_type: str, limits: Limits) -> ReadPatch:
        patch = read(body, limits)
        return lambda access: patch

    return with_type


def _html_form(body: bytes, content_type: str, limits: Limits) -> ReadPatch:
    sent = read_inputs(content_type, body, limits)
    return lambda access: read_form(access.collection.fields, sent, limits)


def fields_of(sent: Any) -> Mapping[str, Any]:
    """The fields of a batch item. Raises `Malformed`."""
    if not isinstance(sent, dict):
        raise Malformed(f"fields must be an object, not {kind_of(sent)}.")
    return sent


_OPEN: Schema = {"type": "object", "additionalProperties": True}

FORMATS: tuple[PatchFormat, ...] = (
    PatchFormat(
        media_types=("application/merge-patch+json", JSON),
        read=_whatever(lambda body, limits: MergePatch(read_object(body, limits))),
        schema=lambda name: {"$ref": f"#/components/schemas/{name}Patch"},
        example=dict,
        member=Member("fields", lambda sent, limits: MergePatch(fields_of(sent)), lambda limits: _OPEN),
    ),
    PatchFormat(
        media_types=("application/json-patch+json",),
        read=_whatever(read_json_patch),
        # As a text, since generators of clients cannot tell a list among other bodies.
        schema=lambda name: {
            "type": "string",
            "format": "binary",
            "description": "The text of a JSON Patch (RFC 6902): operations as in the schema JsonPatch.",
        },
        member=Member("patch", json_patch_from, lambda limits: {"$ref": "#/components/schemas/JsonPatch"}),
    ),
    PatchFormat(
        media_types=("application/vnd.fenland.edits+json",),
        read=_whatever(read_edits),
        schema=lambda name: {"$ref": "#/components/schemas/Edits"},
        example=lambda fields: {
            "edits": [{"at": f"/{name}", "set": value} for name, value in list(fields.items())[:1]]
        },
        member=Member(
            "edits",
            lambda sent, limits: edits_from({"edits": sent}, limits),
            lambda limits: {"type": "array", "items": _OPEN, "maxItems": limits.operations},
        ),
    ),
    PatchFormat(media_types=HTML_FORMS, read=_html_form, schema=lambda name: _OPEN),
)

_BY_TYPE = {kind: one for one in FORMATS for kind in one.media_types}
#: What a batch item may hold, by what it calls it.
MEMBERS: Mapping[str, Member] = {one.member.name: one.member for one in FORMATS if one.member is not None}
PATCH_TYPES = tuple(_BY_TYPE)
ACCEPT_PATCH = ", ".join(PATCH_TYPES)
#: What a whole record may be sent as.
WHOLE_TYPES = (JSON, *HTML_FORMS)


def _reader(call: Call, types: tuple[str, ...]) -> ReadPatch:
    """A function that gives the patch a body holds, or raises why it cannot be read.

    The body is read now, before anything is waited for; why it cannot be is told in the order of refusals.
    With `coerce=text` the texts in its fields are read as a form's are, by type.
    """
    request = call.request

    def read() -> ReadPatch:
        sent: str = call.environ.get("CONTENT_TYPE", "")
        kind = sent if sent in _BY_TYPE else request.mimetype
        if kind not in types:
            found = f"is of type {kind!r}" if kind else "has no Content-Type"
            raise UnsupportedMedia(
                f"The body {found}, which is not read here. Send one of {', '.join(types)}.",
                headers={"Accept-Patch": ACCEPT_PATCH},
            )
        check_coding(request, ACCEPT_PATCH)
        return _BY_TYPE[kind].read(body_of(request, call.limits), sent, call.limits)

    found = later(read)

    def patch(access: FieldAccess) -> Patch:
        read_patch = found()
        # Only now, when all else that the request says was read: nothing is done while any of it is refused.
        call.check()
        sent = read_patch(access)
        if call.get(COERCE) and isinstance(sent, MergePatch):
            return replace(sent, fields=read_texts(access.collection.fields, sent.fields))
        return sent

    return patch


def patch_reader(call: Call) -> ReadPatch:
    """Of a body that says what is to change."""
    return _reader(call, PATCH_TYPES)


def fields_reader(call: Call) -> Callable[[FieldAccess], Mapping[str, Any]]:
    """Of a body that holds a whole record: its fields."""
    read = _reader(call, WHOLE_TYPES)

    def fields(access: FieldAccess) -> Mapping[str, Any]:
        patch = read(access)
        if not isinstance(patch, MergePatch):
            raise TypeError("A whole record is sent in a format of fields; WHOLE_TYPES names another.")
        return patch.fields

    return fields


def replacement_reader(call: Call) -> ReadPatch:
    """Of a body that is to take the place of the stored record."""
    read = fields_reader(call)
    return lambda access: replacement(read(access), access)
