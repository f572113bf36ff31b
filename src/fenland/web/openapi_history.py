"""What the OpenAPI document says of the history: search, undo, proofs, and the past of one record."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from fenland.service.searching import EQUAL
from fenland.web.files import MEDIA
from fenland.web.openapi_parts import (
    ANY,
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
    taken,
    used,
)

_SIZE = parameter("size", "query", {**NUMBER, "minimum": 1}, "The size of the head to prove it under.")
_TIME = {"type": "string", "examples": ["2031-04-09T12:00:00Z", "2031-04-09"]}
_HASH = {"type": "string", "pattern": "^[0-9a-f]{64}$"}
_PATH = {"type": "array", "items": _HASH, "description": "Hashes, as RFC 9162 section 2.1 orders them."}
_CHANGES = {"type": "object", "additionalProperties": ref("schemas/Change")}
_KEY = {"type": ["string", "integer"]}
_LABELS = {"type": "object", "additionalProperties": {"type": "object", "additionalProperties": TEXT}}
_ARCHIVED = {"type": "array", "items": TEXT, "description": "Files that older entries were moved to."}
_OPENED = closed({"salt": TEXT, "value": ANY})
_PROVEN = {
    "sequence": NUMBER,
    "leaf_hash": {
        **nullable(_HASH),
        "description": "null for an entry older than salts of which some is hidden: its hash could tell what.",
    },
    "path": _PATH,
    "leaf": {**nullable(OPEN), "description": "The entry as it was hashed; null where some of it is hidden."},
    "opened": {
        "type": "object",
        "description": "What opens the commitments of a leaf, by field: before and after.",
        "additionalProperties": {"type": "array", "items": nullable(_OPENED)},
    },
}

HISTORY_SCHEMAS: dict[str, Schema] = {
    "Entries": closed(
        {
            "items": {"type": "array", "items": ref("schemas/Entry")},
            "next": {**nullable(NUMBER), "description": "The sequence to go on below; null at the end."},
            "labels": {"type": "object", "additionalProperties": _LABELS},
            "people": {"type": "object", "additionalProperties": TEXT},
            "archived": _ARCHIVED,
        }
    ),
    "History": closed(
        {
            "items": {"type": "array", "items": ref("schemas/Entry")},
            "next": nullable(NUMBER),
            "labels": _LABELS,
            "people": {"type": "object", "additionalProperties": TEXT},
            "archived": _ARCHIVED,
        }
    ),
    "Difference": closed({"from": NUMBER, "to": NUMBER, "changes": _CHANGES, "before": OPEN, "after": OPEN}),
    "Activity": closed(
        {
            "days": {"type": "array", "items": {"type": "string", "format": "date"}},
            "series": {
                "type": "array",
                "items": closed({"name": TEXT, "counts": {"type": "array", "items": NUMBER}}),
            },
            "since": {**nullable(TEXT), "description": "From when on they are counted whole; null: all."},
        }
    ),
    "Undone": closed(
        {
            "sequence": NUMBER,
            "collection": TEXT,
            "key": _KEY,
            "did": {"type": "string", "enum": ["update", "delete", "restore", "nothing"]},
            "version": nullable(NUMBER),
            "changes": _CHANGES,
            "problem": OPEN,
        },
        optional=("problem",),
        description="What became of one entry that was to be undone.",
    ),
    "Undoing": closed(
        {
            "done": {**FLAG, "description": "Whether anything of it was kept."},
            "preview": FLAG,
            "undone": NUMBER,
            "refused": NUMBER,
            "left": {**NUMBER, "description": "Saves that there was no time for: ask for them again."},
            "unseen": {**NUMBER, "description": "Records among them that the caller may not see."},
            "batch": nullable(TEXT),
            "items": {"type": "array", "items": ref("schemas/Undone")},
        }
    ),
    "Head": closed(
        {
            "size": NUMBER,
            "root": _HASH,
            "time": {"type": "string", "format": "date-time"},
            "signed": {"type": "string", "description": "A JWS in compact form (RFC 7515), EdDSA."},
        },
        description="A signed head of the history's tree.",
    ),
    "Heads": closed({"items": {"type": "array", "items": ref("schemas/Head")}, "next": nullable(NUMBER)}),
    "KeySet": closed({"keys": {"type": "array", "items": OPEN}}, description="A JWK set (RFC 7517)."),
    "Consistency": closed(
        {"from": NUMBER, "to": NUMBER, "from_root": _HASH, "to_root": _HASH, "path": _PATH}
    ),
    "Proof": closed({**_PROVEN, "head": ref("schemas/Head")}),
    "Proven": closed(dict(_PROVEN)),
    "Proofs": closed(
        {
            "head": ref("schemas/Head"),
            "items": {"type": "array", "items": ref("schemas/Proven")},
            "next": nullable(NUMBER),
        }
    ),
    "Evidence": closed(
        {
            "format": TEXT,
            "collection": TEXT,
            "id": TEXT,
            "key": _KEY,
            "head": ref("schemas/Head"),
            "keys": ref("schemas/KeySet"),
            "entries": {"type": "array", "items": ref("schemas/Proven")},
        },
        description="All that shows what became of a record; docs/verifying.md says how to check it.",
    ),
}

_BELOW = parameter("below", "query", NUMBER, "Only what is below this; as `next` says.")
_FROM = parameter("from", "query", _TIME, "Not before this time.")
_TO = parameter("to", "query", _TIME, "Not after this time.")
_PREVIEW = parameter("preview", "query", FLAG, "Whether only to tell what it would do.")
_SEQUENCE = parameter("sequence", "path", NUMBER, "The number of the entry.")
VERSION = parameter("version", "query", NUMBER, "As it was at this version.")
AT = parameter("at", "query", _TIME, "As it was at this time.")

_WRITING = ("not-permitted", "conflict", "key-reused", "body-timeout", "storage-full")


def _ok(description: str, schema: str, *types: str) -> Schema:
    return {"200": {"description": description, "content": content_of(ref(f"schemas/{schema}"), *types)}}


def _own(verb: str, summary: str, schema: str, *codes: str, **parts: Any) -> Schema:
    return {
        "operationId": verb,
        "summary": summary,
        "description": f"{summary}.",
        "responses": {**_ok(f"{summary}.", schema), **responses_of("malformed", *codes)},
        **parts,
    }


def _undo(verb: str, summary: str, body: Schema, *parameters: Schema) -> Schema:
    found = _own(
        verb, summary, "Undoing", *READING, *_WRITING,
        parameters=[*parameters, _PREVIEW, *used("reason", "once", "client")],
        requestBody={"required": False, "content": content_of(body)},
    )  # fmt: skip
    both = {**content_of(ref("schemas/Undoing")), **found["responses"]["409"].get("content", {})}
    words = "Something stands in the way, and nothing was done: each item says what."
    found["responses"]["409"] = {"description": words, "content": both}
    return found


def history_paths() -> dict[str, Schema]:
    """The paths of the history of everything."""
    equal = [parameter(name, "query", TEXT, f"Only entries whose {name} is this.") for name in EQUAL]
    search = _own(
        "searchHistory", "Search the history of everything", "Entries", *READING, "not-permitted",
        parameters=[
            *equal,
            parameter("field", "query", TEXT, "Only entries that changed this field."),
            parameter("reason", "query", TEXT, "Only entries whose reason holds this."),
            _FROM, _TO, _BELOW,
            parameter("after", "query", NUMBER, "Of a file, only entries after this sequence."),
            *used("where", "limit"),
        ],
    )  # fmt: skip
    files = content_of({"type": "string", "format": "binary"}, MEDIA_LINES, MEDIA_CSV)
    search["responses"]["200"]["content"] |= files
    return {"/v1/history": {"get": search}, **_undo_paths(), **_proof_paths()}


def _undo_paths() -> dict[str, Schema]:
    atomic = {"atomic": {**FLAG, "description": "All or nothing, unless false."}}
    many = {"batch": TEXT, "actor": TEXT, "from": _TIME, "to": _TIME}
    by = {"type": "string", "enum": ["collection", "actor"], "default": "collection"}
    named = [parameter(name, "query", TEXT, f"Only of this {name}.") for name in ("collection", "actor")]
    return {
        "/v1/history/activity": {
            "get": _own(
                "readActivity", "How many entries there were day by day", "Activity", *READING,
                parameters=[_FROM, _TO, parameter("by", "query", by, "What to count by."), *named],
            )
        },
        "/v1/history/undo": {
            "post": _undo(
                "undoMany", "Undo a batch, or all that an account did in a while",
                taken({**many, **atomic}, optional=(*many, *atomic)),
            )
        },
        "/v1/history/{sequence}": {
            "parameters": [_SEQUENCE], "get": _own("readEntry", "One entry", "Entry", *READING)
        },
        "/v1/history/{sequence}/undo": {
            "parameters": [_SEQUENCE],
            "post": _undo("undo", "Undo the save of an entry", taken(atomic, optional=tuple(atomic))),
        },
    }  # fmt: skip


def _proof_paths() -> dict[str, Schema]:
    sizes = [
        parameter("from", "query", {**NUMBER, "minimum": 1}, "The size of the older head.", required=True),
        parameter("to", "query", {**NUMBER, "minimum": 1}, "That of the newer one; the newest if left out."),
    ]
    return {
        "/v1/history/head": {
            "get": _own("readHead", "The signed head of the history", "Head", "not-signed-in")
        },
        "/v1/history/heads": {
            "get": _own(
                "listHeads", "The heads that are kept, newest first", "Heads", "not-signed-in",
                parameters=[_BELOW, *used("limit")],
            )
        },
        "/v1/history/keys": {
            "get": _own("readKeys", "The public keys that sign heads", "KeySet", security=[])
        },
        "/v1/history/consistency": {
            "get": _own(
                "readConsistency", "What shows that the history begins with all of an older head",
                "Consistency", "not-signed-in", parameters=sizes,
            )
        },
        "/v1/history/{sequence}/proof": {
            "parameters": [_SEQUENCE],
            "get": _own(
                "readProof", "What shows that an entry stands in the history", "Proof", *READING,
                parameters=[_SIZE],
            ),
        },
    }  # fmt: skip


MEDIA_LINES, MEDIA_CSV = (media for media, form in sorted(MEDIA.items()) if form in ("jsonl", "csv"))

#: Makes an operation of a collection: the verb, its suffix, a summary, a description, and its parts.
Operation = Callable[..., Schema]


def record_history_paths(
    operation: Operation, name: str, one: str, address: tuple[str, list[Schema]]
) -> dict[str, Schema]:
    """The paths of one record's past; `name` is that of its type, `one` what a record is called."""
    base, key = address
    found = {**_reading_paths(operation, one), **_back_paths(operation, name, one)}
    return {f"{base}{path}": {"parameters": key, **operations} for path, operations in found.items()}


def _reading_paths(operation: Operation, one: str) -> dict[str, Schema]:
    def reading(verb: str, schema: str, summary: str, *parameters: Schema) -> Schema:
        return operation(
            verb, "", summary, "Who may read the record may read this.",
            parameters=list(parameters),
            responses={**_ok(f"{summary}.", schema), **responses_of("malformed", *READING)},
        )  # fmt: skip

    one_or_more = {**NUMBER, "minimum": 1}
    older = parameter("from", "query", one_or_more, "The older version.", required=True)
    newer = parameter("to", "query", one_or_more, "The newer one; the newest if left out.")
    return {
        "/history/proof": {
            "get": reading("prove", "Proofs", f"What proves the history of a {one}", _BELOW, *used("limit"))
        },
        "/history/evidence": {"get": reading("evidence", "Evidence", f"An evidence file of a {one}", _SIZE)},
        "/difference": {
            "get": reading(
                "difference", "Difference", f"What differs between two versions of a {one}", older, newer
            )
        },
    }


def _back_paths(operation: Operation, name: str, one: str) -> dict[str, Schema]:
    saved = {
        "description": "The record as saved.",
        "headers": {"ETag": {"schema": TEXT}},
        "content": content_of({"anyOf": [ref(f"schemas/{name}"), ref(f"schemas/{name}Preview")]}),
    }
    copies = {
        "schema": TEXT,
        "description": "Files that hold the values still, as a list of strings (RFC 9651): copies that "
        "migrations made, and backups of the schedule. Left out where there are none.",
    }
    erased = {
        "description": "The record as saved.",
        "headers": {"ETag": {"schema": TEXT}, "Fenland-Copies": copies},
        "content": content_of(ref(f"schemas/{name}")),
    }
    codes = ("malformed", *READING, *_WRITING, "version-mismatch", "version-required", "invalid")
    answers = {
        **responses_of(*codes),
        "204": {"description": "Done; return=minimal was preferred."},
    }
    body = taken(
        {"fields": {"type": "array", "items": TEXT, "minItems": 1}, "reason": TEXT, "values": OPEN},
        optional=("values", "reason"),
    )
    return {
        "/restore": {
            "post": operation(
                "restore", "", f"Bring a {one} back, or to how it was",
                "A deleted one as it was last, or at a moment; one that is there, at a moment.",
                parameters=[VERSION, AT, _PREVIEW, *used("if_match", "base", "prefer", "reason", "once", "client")],
                responses={**answers, "200": saved},
            )
        },
        "/erase": {
            "post": operation(
                "erase", "", f"Erase values of a {one} for good",
                "Sensitive fields alone; the values go from the record, its history and kept outcomes.",
                parameters=used("if_match", "prefer", "reason", "once", "client"),
                requestBody={"required": True, "content": content_of(body)},
                responses={**answers, "200": erased},
            )
        },
    }  # fmt: skip
