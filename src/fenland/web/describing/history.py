"""Schemas of answers about the history: entries, undo, heads, proofs."""

from __future__ import annotations

from fenland.web.http.schemas import ANY, FLAG, NUMBER, OPEN, TEXT, Schema, closed, nullable, ref

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

SCHEMAS: dict[str, Schema] = {
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
            "did": {"type": "string", "enum": ["update", "delete", "restore", "revoke", "nothing"]},
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
