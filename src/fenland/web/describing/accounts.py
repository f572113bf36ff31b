"""Schemas of accounts, sessions, tokens, access and choices, and of many records at once."""

from __future__ import annotations

from typing import get_args

from fenland.core.consequences.telling import Kind
from fenland.web.http.schemas import ANY, FLAG, MOMENT, NUMBER, OPEN, TEXT, Schema, closed, nullable, ref

_NAMES: Schema = {"type": "array", "items": TEXT}
_SCOPE: Schema = {
    "type": ["object", "null"],
    "description": "Rights and collections that a token lends; null is all of them.",
    "properties": {"rights": {"type": ["array", "null"], "items": TEXT}, "collections": {"type": ["array", "null"], "items": TEXT}},
}  # fmt: skip
_ACCOUNT: Schema = {
    "title": TEXT,
    "roles": _NAMES,
    "attributes": {**OPEN, "description": "What rules can use."},
}
_PASSWORD: Schema = {"type": ["string", "null"], "description": "Null takes it away."}
_TOKEN: Schema = {
    "id": TEXT,
    "kind": {"type": "string", "enum": ["token", "session"]},
    "label": TEXT,
    "created_at": MOMENT,
    "expires_at": nullable(MOMENT),
    "used_at": nullable(MOMENT),
    "scope": _SCOPE,
}
_RULE: Schema = {"rule": TEXT, "file": TEXT, "line": NUMBER}
_BY_ROLE: Schema = {"type": "array", "items": ref("schemas/RoleRights")}
_NEW_TOKEN: Schema = {"label": TEXT, "days": {"type": ["integer", "null"]}, "scope": _SCOPE}


def _by_name(schema: Schema) -> Schema:
    return {"type": "object", "additionalProperties": schema}


SCHEMAS: dict[str, Schema] = {
    "Session": closed(
        {
            "account": TEXT,
            "title": TEXT,
            "roles": _NAMES,
            "attributes": OPEN,
            "manages_accounts": FLAG,
            "may_subscribe": {**FLAG, "description": "Whether they may have what they see sent elsewhere."},
            "scope": _SCOPE,
            "acting": {"type": ["string", "null"], "description": "Who acts, on behalf of the account."},
            "csrf": {
                "type": ["string", "null"],
                "description": "To send as Fenland-CSRF with changes in a session.",
            },
        }
    ),
    "Credentials": closed({"name": TEXT, "password": TEXT}),
    "PasswordChange": closed({"current": TEXT, "new": TEXT}),
    "Account": closed({"name": TEXT, **_ACCOUNT, "disabled": FLAG}),
    "Accounts": closed({"items": {"type": "array", "items": ref("schemas/Account")}, "roles": _NAMES}),
    "AccountNew": closed(
        {"name": TEXT, **_ACCOUNT, "password": _PASSWORD},
        optional=("title", "roles", "attributes", "password"),
    ),
    "AccountPatch": closed(
        {**_ACCOUNT, "password": _PASSWORD, "disabled": FLAG},
        optional=("title", "roles", "attributes", "password", "disabled"),
    ),
    "Token": closed(_TOKEN),
    "Tokens": closed({"items": {"type": "array", "items": ref("schemas/Token")}}),
    "TokenNew": closed(_NEW_TOKEN, optional=tuple(_NEW_TOKEN)),
    "TokenIssued": closed({"token": {"type": "string", "description": "Shown this once."}, **_TOKEN}),
    "ChoicePage": closed(
        {"items": {"type": "array", "items": ref("schemas/Choice")}, "next": nullable(TEXT)}
    ),
    "Consequences": closed(
        {
            "items": {
                "type": "array",
                "items": closed(
                    {
                        "kind": {"type": "string", "enum": list(get_args(Kind))},
                        "place": {**TEXT, "description": "The field that it is about; or the collection."},
                        "does": TEXT,
                        "sources": {"type": "array", "items": TEXT},
                        "on": {"type": "array", "items": TEXT},
                        "if": nullable(TEXT),
                        "by": {**nullable(TEXT), "description": "The collection that it follows from."},
                        "found": {**nullable(TEXT), "description": "The records that a rule finds."},
                        "file": nullable(TEXT),
                        "line": nullable(NUMBER),
                    }
                ),
            },
            "unseen": {
                **NUMBER,
                "description": "How many are about fields that are not the caller's to read.",
            },
        },
        description="What follows from changes: fields that are derived, begin with something, or are set.",
    ),
    "Judgement": closed(
        {
            "allowed": FLAG,
            "because": TEXT,
            **_RULE,
            "parts": {
                "type": "array",
                "items": closed(
                    {"part": TEXT, "value": {"type": ["boolean", "null"]}, "why": TEXT}, optional=("why",)
                ),
            },
            "depends": TEXT,
        },
        optional=("because", *_RULE, "parts", "depends"),
        description="Whether something may be done, by which rule, and which parts of it decide.",
    ),
    "Access": closed(
        {
            "account": TEXT,
            "rights": _by_name(ref("schemas/Judgement")),
            "fields": _by_name(
                closed({"read": ref("schemas/Judgement"), "update": ref("schemas/Judgement")})
            ),
        }
    ),
    "RoleRights": closed(
        {
            "role": {"type": ["string", "null"], "description": "Null for who has none."},
            "rights": _by_name(
                closed(
                    {
                        "may": {
                            "type": "string",
                            "enum": ["always", "never", "owner", "where", "as the record"],
                        },
                        "if": TEXT,
                    },
                    optional=("if",),
                )
            ),
        }
    ),
    "AccessMatrix": closed(
        {
            "rights": _NAMES,
            "roles": _BY_ROLE,
            "fields": {"type": "array", "items": closed({"field": TEXT, "title": TEXT, "roles": _BY_ROLE})},
            "rules": _by_name(closed(_RULE)),
            "checks": {"type": "array", "items": closed({"rule": TEXT, "message": TEXT, "fields": _NAMES})},
        }
    ),
    "Many": closed(
        {
            "done": FLAG,
            "batch": {"type": ["string", "null"], "description": "What the entries share."},
            "matched": {"type": "integer"},
            "changed": {"type": "integer"},
            "refused": {"type": "integer"},
            "records": {
                "type": "array",
                "items": closed(
                    {"key": ANY, "changes": OPEN, "problem": OPEN}, optional=("changes", "problem")
                ),
            },
        },
        description="What became of the chosen records; up to 20 are shown, refusals first.",
    ),
}
