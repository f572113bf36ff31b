"""What the OpenAPI document says of accounts, sessions, tokens, access and choices."""

from __future__ import annotations

from typing import Any

from fenland.web.openapi_parts import (
    ANY,
    FLAG,
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

_MOMENT: Schema = {"type": "string", "format": "date-time"}
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
    "created_at": _MOMENT,
    "expires_at": nullable(_MOMENT),
    "used_at": nullable(_MOMENT),
    "scope": _SCOPE,
}
_NEW_TOKEN: Schema = {"label": TEXT, "days": {"type": ["integer", "null"]}, "scope": _SCOPE}

SCHEMAS: dict[str, Schema] = {
    "Session": closed(
        {
            "account": TEXT,
            "title": TEXT,
            "roles": _NAMES,
            "attributes": OPEN,
            "manages_accounts": FLAG,
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
    "Access": closed({"account": TEXT, "rights": OPEN, "fields": OPEN}),
    "AccessMatrix": closed(
        {
            "rights": _NAMES,
            "roles": {"type": "array", "items": OPEN},
            "fields": {"type": "array", "items": OPEN},
            "rules": OPEN,
            "checks": {"type": "array", "items": OPEN},
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

_CHANGING = ("malformed", "not-signed-in", "not-permitted", "unsupported-media", "invalid", "storage-full")
_GONE: Schema = {"204": {"description": "Done."}}
_TAG: Schema = {"ETag": {"schema": TEXT}}
_COOKIE: Schema = {"Set-Cookie": {"schema": TEXT}}
_OF_ACCOUNT = parameter("account", "query", TEXT, "Another account's, for who manages accounts.")


def _operation(verb: str, summary: str, responses: Schema, **parts: Any) -> Schema:
    return {
        "operationId": verb,
        "summary": summary,
        "description": f"{summary}.",
        "responses": responses,
        **parts,
    }


def _answer(name: str, status: str = "200", **parts: Any) -> Schema:
    return {status: {"description": name, "content": content_of(ref(f"schemas/{name}")), **parts}}


def _body(name: str, *types: str) -> Schema:
    return {"required": True, "content": content_of(ref(f"schemas/{name}"), *types)}


def account_paths() -> dict[str, Schema]:
    """The paths of sessions, tokens and accounts."""
    name = parameter("name", "path", TEXT, "The account's name.")
    token_id = parameter("id", "path", TEXT, "The token's id.")
    return {
        "/v1/session": {
            "get": _operation("readSession", "Who is signed in", {**_answer("Session"), **responses_of("malformed", "not-signed-in")}),
            "post": _operation(
                "beginSession", "Sign in with name and password; a browser gets a session",
                {**_answer("Session", "201", headers=_COOKIE), **responses_of(*_CHANGING, "too-many")},
                requestBody=_body("Credentials"), security=[],
            ),
            "delete": _operation("endSession", "Sign out", {**_GONE, **responses_of("malformed", "not-signed-in", "not-permitted")}),
        },
        "/v1/session/password": {
            "post": _operation(
                "changePassword", "Give the own account another password",
                {**_GONE, **responses_of(*_CHANGING, "too-many")}, requestBody=_body("PasswordChange"),
            )
        },
        "/v1/tokens": {
            "get": _operation("listTokens", "The tokens and sessions of an account", {**_answer("Tokens"), **responses_of("malformed", "not-permitted", *READING)}, parameters=[_OF_ACCOUNT]),
            "post": _operation("issueToken", "Make a token, which is shown this once", {**_answer("TokenIssued", "201"), **responses_of(*_CHANGING)}, requestBody=_body("TokenNew")),
        },
        "/v1/tokens/{id}": {
            "parameters": [token_id],
            "delete": _operation("revokeToken", "Revoke a token, or end a session", {**_GONE, **responses_of("malformed", "not-permitted", *READING)}, parameters=[_OF_ACCOUNT]),
        },
        "/v1/accounts": {
            "get": _operation("listAccounts", "All accounts, for who manages them", {**_answer("Accounts"), **responses_of("malformed", "not-signed-in", "not-permitted")}),
            "post": _operation("addAccount", "Add an account", {**_answer("Account", "201", headers=_TAG), **responses_of(*_CHANGING, "conflict")}, requestBody=_body("AccountNew")),
        },
        "/v1/accounts/{name}": {
            "parameters": [name],
            "get": _operation("readAccount", "An account", {**_answer("Account", headers=_TAG), **responses_of("malformed", "not-permitted", *READING)}),
            "patch": _operation(
                "changeAccount", "Change an account: what is not named stays",
                {
                    **_answer("Account", headers=_TAG),
                    **responses_of(*_CHANGING, "not-found", "conflict", "version-mismatch"),
                },
                parameters=used("if_match"),
                requestBody=_body("AccountPatch", "application/json", "application/merge-patch+json"),
            ),
        },
        **_schema_paths(),
    }  # fmt: skip


def _schema_paths() -> dict[str, Schema]:
    collection = parameter("collection", "path", TEXT, "The collection's name.")
    field = parameter("field", "path", TEXT, "The field's name.")
    told = responses_of("malformed", "not-permitted", *READING)
    return {
        "/v1/schemas/{collection}/access": {
            "parameters": [collection],
            "get": _operation("readRules", "Who may do what with records, by role", {**_answer("AccessMatrix"), **told}),
        },
        "/v1/schemas/{collection}/choices/{field}": {
            "parameters": [collection, field],
            "get": _operation(
                "listChoices", "What a field may hold, searched", {**_answer("ChoicePage"), **told},
                parameters=used("q", "limit", "cursor"),
            ),
        },
    }  # fmt: skip
