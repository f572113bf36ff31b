"""What the OpenAPI document says of one collection: its schemas, and the operations on its records.

What is sent and what is answered are schemas of their own: a default in a patch would be sent over a
stored value by clients that fill it in, and what is required in an answer is not in a patch.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fenland.core.definitions import Collection, Field
from fenland.core.field_access import field_access
from fenland.core.reserved import RESERVED_SCHEMAS
from fenland.core.schemas import field_schema
from fenland.core.values import MISSING
from fenland.web.body import HTML_FORMS
from fenland.web.errors import PROBLEM
from fenland.web.openapi_files import export_operation, import_parts
from fenland.web.openapi_history import AT, VERSION, record_history_paths
from fenland.web.openapi_parts import (
    FLAG,
    NUMBER,
    OPEN,
    READING,
    TEXT,
    Schema,
    closed,
    content_of,
    nullable,
    parameter,
    ref,
    responses_of,
    used,
)
from fenland.web.patch_formats import FORMATS
from fenland.web.query import LIST_PARAMETERS


def _sent(schema: Any, *, patch: bool) -> Any:
    """A field's schema as it is sent: without defaults, which a client may fill in over a stored value.

    In a patch an object's own required properties may be left out too, for it is merged.
    """
    if not isinstance(schema, dict):
        return schema
    dropped = {"default", "readOnly"} | ({"required"} if patch else set())
    found = {name: value for name, value in schema.items() if name not in dropped}
    if "properties" in found:
        found["properties"] = {
            # Null takes a member out.
            name: _sent(_or_null(one) if patch else one, patch=patch)
            for name, one in found["properties"].items()
        }
    return found


def _or_null(schema: Schema) -> Schema:
    if isinstance(schema.get("type"), str):
        schema = {**schema, "type": [schema["type"], "null"]}
        if "enum" in schema:
            schema["enum"] = [*schema["enum"], None]
    return schema


def _answered(item: Field, *, set_by_none: bool) -> Schema:
    schema = {name: value for name, value in field_schema(item).items() if name != "default"}
    return {**schema, "readOnly": True} if set_by_none else schema


def _example(fields: Mapping[str, Field]) -> Schema:
    """Values that the definition itself gives: examples, the first choice of an enum, or what must be given."""
    found = {}
    for name, item in fields.items():
        if item.examples:
            found[name] = item.examples[0]
        elif item.enum:
            found[name] = item.enum[0]
        elif item.filled and item.default is MISSING:
            found[name] = _some_value(item)
    return found


#: Of each format, and each type, a value that nearly every definition takes.
_FORMATTED = {
    "date": "2031-04-09",
    "date-time": "2031-04-09T14:30:00Z",
    "uuid": "01a1c1d1-0000-7000-8000-000000000001",
    "email": "somebody@firm.example",
    "uri": "https://firm.example/page",
}


def _some_value(item: Field) -> Any:
    """A value of a required field for which the definition gives none."""
    least = item.constraints.get("minimum", 1)
    if item.type == "string":
        plain = "text".ljust(item.constraints.get("minLength", 0), "x")[: item.max_length or 100]
        return _FORMATTED.get(item.format or "", plain)
    if item.type == "object":
        return _example(item.properties or {})
    by_type: dict[str, Any] = {"boolean": True, "array": [], "integer": least, "number": least}
    return by_type[item.type]


def _page(name: str) -> Schema:
    return closed(
        {
            "items": {"type": "array", "items": ref(f"schemas/{name}")},
            "next": nullable(TEXT),
            "count": NUMBER,
            "labels": ref("schemas/Labels"),
            "included": ref("schemas/Included"),
        },
        optional=("count", "labels", "included"),
    )


def schemas_of(collection: Collection, name: str) -> dict[str, Schema]:
    """The schemas of a collection: records as answered, to create and to patch, and what holds them."""
    fields = collection.fields
    settable, patched = ({n: fields[n] for n in _settable(collection, creating=one)} for one in (True, False))
    shown = {n: dict(schema) for n, schema in RESERVED_SCHEMAS.items()}
    shown |= {n: _answered(f, set_by_none=n not in settable) for n, f in fields.items() if not f.write_only}
    required = [
        n for n, f in settable.items() if f.required and f.default is MISSING and n != collection.owner
    ]
    return {
        name: closed(
            shown,
            optional=[n for n, f in fields.items() if "read" in f.access],
            title=collection.singular,
            description=collection.description or collection.title,
        ),
        f"{name}New": {
            "type": "object",
            "description": f"A {collection.singular.lower()} to create. What is left out gets its default, or null.",
            "properties": {n: _sent(field_schema(f), patch=False) for n, f in settable.items()},
            "required": required,
            "additionalProperties": False,
        },
        f"{name}Patch": {
            "type": "object",
            "description": "Absent: untouched. null: cleared. A value: set (RFC 7396).",
            "properties": {n: _sent(field_schema(f), patch=True) for n, f in patched.items()},
            "additionalProperties": False,
        },
        f"{name}Page": _page(name),
        f"{name}Form": closed(
            {
                "values": OPEN,
                "version": nullable(NUMBER),
                "etag": nullable(TEXT),
                "schema": OPEN,
                "choices": {"type": "object", "additionalProperties": ref("schemas/Choices")},
                "writable": {"type": "array", "items": TEXT},
                "deletable": FLAG,
                "erasable": {"type": "array", "items": TEXT},
            },
            description="All an edit form needs; `version` and `etag` are null for what is yet to be created.",
        ),
        f"{name}Preview": closed(
            {
                "preview": FLAG,
                "version": NUMBER,
                "changes": {"type": "object", "additionalProperties": ref("schemas/Change")},
                "record": OPEN,
                "errors": {"type": "array", "items": ref("schemas/FieldError")},
                "ignored": {"type": "array", "items": TEXT},
            },
            description="What a change would do, had it been saved.",
        ),
    }


def _settable(collection: Collection, *, creating: bool, transfer: bool = True) -> list[str]:
    """The fields that somebody, who may change records, can give a value."""
    return field_access(collection, creating=creating, transfer=transfer).settable


def _record_answer(name: str, description: str, *headers: str) -> Schema:
    return {
        "description": description,
        "headers": {header: {"schema": TEXT} for header in headers},
        "content": content_of(ref(f"schemas/{name}")),
    }


_WRITING = (
    "malformed",
    *READING,
    "not-permitted",
    "body-timeout",
    "conflict",
    "unsupported-media",
    "invalid",
    "storage-full",
)
_GUARDED = ("version-mismatch", "version-required")
_MINIMAL = {"description": "Saved; return=minimal was preferred."}


def _patch_body(name: str, fields: Schema) -> Schema:
    content: Schema = {}
    for one in FORMATS:
        content |= content_of(one.schema(name), *one.media_types, example=one.example(fields))
    return {"required": True, "content": content}


def _equalities(collection: Collection) -> list[Schema]:
    """A parameter for each field that lists can be filtered by without an expression."""
    return [
        {
            **parameter(
                name,
                "query",
                {"type": "array", "items": _filtered_by(item)},
                "A value it has; repeated: any of them.",
            ),
            "explode": True,
        }
        for name, item in collection.fields.items()
        if item.type not in ("array", "object") and not item.write_only and name not in LIST_PARAMETERS
    ]


def _filtered_by(item: Field) -> Schema:
    """A value that a field is filtered by."""
    return {"type": item.type, **({"format": item.format} if item.format else {})}


class _Operations:
    """The operations on one collection; `suffix` keeps the ids of those by a unique field apart."""

    def __init__(self, collection: Collection, name: str) -> None:
        self.collection = collection
        self.name = name
        self.one = collection.singular.lower()
        self.example = self._example(creating=False)

    def _example(self, *, creating: bool) -> Schema:
        fields = self.collection.fields
        settable = _settable(self.collection, creating=creating, transfer=False)
        return _example({name: fields[name] for name in settable})

    def operation(self, verb: str, suffix: str, summary: str, description: str, **parts: Any) -> Schema:
        return {
            "operationId": f"{verb}{self.name}{suffix}",
            "summary": summary,
            "description": description,
            "tags": [self.collection.name],
            **parts,
        }

    def read(self, suffix: str) -> Schema:
        return self.operation(
            "read", suffix, f"Read a {self.one}", "The record as it is now; 304 when If-None-Match has its ETag.",
            parameters=[*used("fields", "if_none_match"), VERSION, AT],
            responses={
                "200": _record_answer(self.name, "The record.", "ETag", "Accept-Patch"),
                "304": {"description": "The client has this version."},
                **responses_of("malformed", *READING),
            },
        )  # fmt: skip

    def _changed(self) -> Schema:
        return {
            "200": _record_answer(
                self.name, "The record as saved.", "ETag", "Preference-Applied", "Fenland-Repeated"
            ),
            "204": _MINIMAL,
            **responses_of(*_WRITING, *_GUARDED),
        }

    def update(self, suffix: str) -> Schema:
        return self.operation(
            "update", suffix, f"Change fields of a {self.one}", "Only the fields that are sent; see docs/updates.md.",
            parameters=used(
                "if_match", "if_none_match", "base", "clear", "blank", "coerce", "reason", "once", "prefer", "client"
            ),
            requestBody=_patch_body(self.name, self.example),
            responses=self._changed(),
        )  # fmt: skip

    def replace(self, suffix: str) -> Schema:
        return self.operation(
            "replace", suffix, f"Replace a {self.one}", "What is left out gets its default, or null.",
            parameters=used(
                "if_match", "if_none_match", "base", "blank", "coerce", "reason", "once", "prefer", "client"
            ),
            requestBody={
                "required": True,
                "content": {**content_of(ref(f"schemas/{self.name}Patch")), **content_of(OPEN, *HTML_FORMS)},
            },
            responses=self._changed(),
        )  # fmt: skip

    def put(self, suffix: str) -> Schema:
        content = {**content_of(ref(f"schemas/{self.name}New")), **content_of(OPEN, *HTML_FORMS)}
        answers = self._changed()
        created = _record_answer(self.name, "The record as created.", "ETag", "Location", "Fenland-Repeated")
        return self.operation(
            "put", suffix, f"Create or replace a {self.one}",
            "Created where it is not there. If-None-Match: * refuses where it is, If-Match where it is not.",
            parameters=used(
                "if_match", "if_none_match", "base", "blank", "coerce", "reason", "once", "prefer", "client"
            ),
            requestBody={"required": True, "content": content},
            responses={**answers, "201": created},
        )  # fmt: skip

    def import_rows(self) -> Schema:
        return self.operation(
            "import", "", f"Bring in {self.collection.title.lower()} from a file",
            "Columns are matched to fields by name or title; each row goes through the pipeline of one record.",
            **import_parts(),
        )  # fmt: skip

    def delete(self, suffix: str) -> Schema:
        return self.operation(
            "delete", suffix, f"Delete a {self.one}", "Answers with the last copy; the history stays.",
            parameters=used("if_match", "if_none_match", "base", "prefer", "reason", "once", "client"),
            responses={
                "200": _record_answer(self.name, "The last copy.", "ETag"),
                "204": {"description": "Deleted; return=minimal was preferred."},
                **responses_of(*READING, "malformed", "not-permitted", "conflict", "key-reused", "storage-full", *_GUARDED),
            },
        )  # fmt: skip

    def preview(self) -> Schema:
        return self.operation(
            "preview", "", f"See what a change of a {self.one} would do", "Takes what PATCH takes, and saves nothing.",
            parameters=used("if_match", "base", "clear", "blank", "coerce", "prefer", "reason"),
            requestBody=_patch_body(self.name, self.example),
            responses={
                "200": _record_answer(f"{self.name}Preview", "What would change, and what is wrong."),
                **responses_of(*_WRITING, *_GUARDED),
            },
        )  # fmt: skip

    def list(self) -> Schema:
        return self.operation(
            "list", "", f"List and search {self.collection.title.lower()}", "Pages by cursor; no record is met twice.",
            parameters=[
                *used("where", "q", "sort", "fields", "include", "limit", "cursor", "count", "labels"),
                *used("blank_filters"),
                AT,
                *_equalities(self.collection),
            ],
            responses={
                "200": {
                    "description": "A page.",
                    "headers": {"Link": {"schema": TEXT}},
                    "content": content_of(ref(f"schemas/{self.name}Page")),
                },
                **responses_of("malformed", "not-permitted", *READING),
            },
        )  # fmt: skip

    def many(self, verb: str, summary: str, **parts: Any) -> Schema:
        query = [
            parameter("preview", "query", FLAG, "Whether only to tell what would become of them."),
            parameter(
                "expect", "query", NUMBER, "How many records there must be; refused where it is another."
            ),
            parameter("atomic", "query", FLAG, "All or nothing, unless false: then each on its own."),
        ]
        codes = (
            "malformed",
            "not-permitted",
            "conflict",
            "unsupported-media",
            "invalid",
            "storage-full",
            *READING,
        )
        answers = {"200": "Done, or what a preview found.", "422": "Nothing was done: some were refused."}
        told = {
            status: {"description": text, "content": content_of(ref("schemas/Many"))}
            for status, text in answers.items()
        }
        told["422"] = {
            "description": answers["422"],
            "content": {**content_of(ref("schemas/Many")), **content_of(ref("schemas/Invalid"), PROBLEM)},
        }
        changing = used("blank", "clear", "coerce", "prefer") if parts else []
        return self.operation(
            verb, "", summary, "The filter chooses them, as in lists; each gets its history entry.",
            parameters=[
                *used("where", "reason", "once", "client"), *changing, *query, *_equalities(self.collection)
            ],
            responses={**responses_of(*codes), **told}, **parts,
        )  # fmt: skip

    def access(self) -> Schema:
        account = parameter("account", "query", TEXT, "Another account's, for who manages accounts.")
        return self.operation(
            "access", "", f"What may be done with a {self.one}, and why", "Each right and field, with its rule.",
            parameters=[account],
            responses={
                "200": {"description": "Rights and fields.", "content": content_of(ref("schemas/Access"))},
                **responses_of("malformed", "not-permitted", *READING),
            },
        )  # fmt: skip

    def create(self) -> Schema:
        return self.operation(
            "create", "", f"Create a {self.one}", "Answers with the record as created, defaults included.",
            parameters=used("prefer", "blank", "coerce", "reason", "once", "client"),
            requestBody={
                "required": True,
                "content": {
                    **content_of(ref(f"schemas/{self.name}New"), example=self._example(creating=True)),
                    **content_of(OPEN, *HTML_FORMS),
                },
            },
            responses={
                "201": _record_answer(self.name, "The record as created.", "ETag", "Location", "Fenland-Repeated"),
                **responses_of(*_WRITING),
            },
        )  # fmt: skip

    def history(self) -> Schema:
        return self.operation(
            "history", "", f"Who changed what in a {self.one}", "Newest first, also after it was deleted.",
            parameters=[
                *used("below", "limit"),
                parameter("field", "query", TEXT, "Only entries that changed this field."),
                parameter("actor", "query", TEXT, "Only entries by, or on behalf of, this account."),
            ],
            responses={
                "200": {
                    "description": "A page of entries.",
                    "headers": {"Link": {"schema": TEXT}},
                    "content": content_of(ref("schemas/History")),
                },
                **responses_of("malformed", *READING),
            },
        )  # fmt: skip

    def form(self) -> Schema:
        return self.operation(
            "form", "", f"All a form to edit a {self.one} needs", "Values, schema, choices and who may set what.",
            parameters=[VERSION, AT],
            responses={
                "200": _record_answer(f"{self.name}Form", "The form.", "ETag", "Accept-Patch"),
                **responses_of("malformed", *READING),
            },
        )  # fmt: skip

    def paths(self) -> dict[str, Schema]:
        collection = self.collection
        base, plural = f"/v1/records/{collection.name}", collection.title.lower()
        key_field = collection.fields.get(collection.key)
        kind = {"type": "string" if key_field is None else key_field.type}
        key = [parameter("key", "path", kind, f"The record's {collection.key}.")]
        paths: dict[str, Schema] = {
            base: {
                "get": self.list(),
                "post": self.create(),
                "patch": self.many(
                    "updateMany",
                    f"Change {plural} by filter",
                    requestBody=_patch_body(self.name, self.example),
                ),
                "delete": self.many("deleteMany", f"Delete {plural} by filter"),
            },
            f"{base}/import": {"post": self.import_rows()},
            f"/v1/exports/{collection.name}": {
                "get": export_operation(self.name, collection.title, _equalities(collection))
            },
            f"{base}/{{key}}/access": {"parameters": key, "get": self.access()},
            f"{base}/{{key}}": {"parameters": key, **self._one("")},
            f"{base}/{{key}}/preview": {"parameters": key, "post": self.preview()},
            f"{base}/{{key}}/history": {"parameters": key, "get": self.history()},
            f"{base}/{{key}}/form": {"parameters": key, "get": self.form()},
            **record_history_paths(self.operation, self.name, self.one, (f"{base}/{{key}}", key)),
        }
        for item in collection.fields.values():
            if item.unique:
                value = parameter("value", "path", {"type": item.type}, f"The record's {item.name}.")
                suffix = f"By{''.join(part.capitalize() for part in item.name.split('_'))}"
                # By its key a record has an address of its own, at which it cannot be created.
                others = {} if item.name == collection.key else self._one(suffix)
                one = {"parameters": [value], **others, "put": self.put(suffix)}
                paths[f"{base}/by/{item.name}/{{value}}"] = one
        return paths

    def _one(self, suffix: str) -> Schema:
        return {
            "get": self.read(suffix),
            "patch": self.update(suffix),
            "put": self.replace(suffix),
            "delete": self.delete(suffix),
        }


def paths_of(collection: Collection, name: str) -> dict[str, Schema]:
    """The paths of a collection whose record type is called `name`."""
    return _Operations(collection, name).paths()
