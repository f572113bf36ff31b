"""What the OpenAPI document says of files: lists as files, and rows of a file brought in."""

from __future__ import annotations

from typing import Any

from fenland.core.rules import BLANKS
from fenland.service.importing import MODES
from fenland.web.files import ANY_FILE, MEDIA
from fenland.web.openapi_parts import (
    FLAG,
    NUMBER,
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

_FILE: Schema = {"type": "string", "format": "binary"}

_AS = parameter(
    "as", "query", {"type": "string", "enum": list(MEDIA.values())}, "What the file is; CSV if left out."
)

_ERROR: Schema = {
    **closed(
        {"pointer": TEXT, "code": TEXT, "detail": TEXT, "column": nullable(TEXT)},
        description="What is wrong with a cell, and the parameters of its code.",
    ),
    "additionalProperties": True,
}

FILE_SCHEMAS: dict[str, Schema] = {
    "ImportColumn": closed({"column": TEXT, "field": nullable(TEXT)}),
    "ImportProblem": closed(
        {
            "row": NUMBER,
            "detail": TEXT,
            "cells": {
                "type": ["object", "null"],
                "additionalProperties": True,
                "description": "The row as it was sent, by column; null where it cannot be told.",
            },
            "errors": {"type": "array", "items": _ERROR},
        },
        description="A row that was refused: its number in the file, a header being row 1, and why.",
    ),
    "ImportChange": closed(
        {
            "row": NUMBER,
            "action": {"type": "string", "enum": ["create", "update"]},
            "key": {"type": ["string", "integer"]},
            "changes": {"type": "object", "additionalProperties": ref("schemas/Change")},
        },
    ),
    "ImportRepeat": closed(
        {"row": NUMBER, "earlier": NUMBER},
        description="A row of the same record as an earlier one of the file: the later has the last word.",
    ),
    "Imported": closed(
        {
            "done": {**FLAG, "description": "Whether every row was taken, and it was no preview."},
            "batch": {**nullable(TEXT), "description": "What the entries of these changes share."},
            "rows": NUMBER,
            "created": NUMBER,
            "updated": NUMBER,
            "unchanged": NUMBER,
            "refused": NUMBER,
            "columns": {"type": "array", "items": ref("schemas/ImportColumn")},
            "unmatched": {"type": "array", "items": TEXT},
            "changes": {"type": "array", "items": ref("schemas/ImportChange")},
            "problems": {"type": "array", "items": ref("schemas/ImportProblem")},
            "repeats": {"type": "array", "items": ref("schemas/ImportRepeat")},
            "repeated": {**NUMBER, "description": "How many rows repeat a record, told one by one or not."},
        },
        description="What became of the rows of a file, or would become of them.",
    ),
}


def export_operation(name: str, title: str, parameters: list[Schema]) -> Schema:
    """A list as a file; `parameters` are those by which it is filtered."""
    return {
        "operationId": f"export{name}",
        "summary": f"Export {title.lower()}",
        "description": "The whole list as a file. A list can be asked for as one by Accept, too.",
        "parameters": [_AS, *used("where", "q", "sort", "fields", "blank_filters"), *parameters],
        "responses": {
            "200": {"description": "The file.", "content": content_of(_FILE, *MEDIA)},
            **responses_of("malformed", "not-permitted", *READING),
        },
    }


def import_parts() -> dict[str, Any]:
    """Parameters, body and answers of an import."""
    choice = {"type": "string", "enum": list(MODES), "default": "both"}
    blanks = {"type": "string", "enum": list(BLANKS)}
    told = {
        status: {"description": text, "content": content_of(ref("schemas/Imported"))}
        for status, text in {
            "200": "What became of the rows; refused ones are told under problems.",
            "422": "All or nothing, and nothing was kept: rows were refused.",
        }.items()
    }
    codes = (
        "malformed",
        "not-permitted",
        "unsupported-media",
        "too-large",
        "body-timeout",
        "invalid",
        "storage-full",
    )
    return {
        "parameters": [
            parameter("mode", "query", choice, "New records alone, those that are there, or both."),
            parameter("by", "query", TEXT, "The unique field that says which record a row is of."),
            parameter(
                "batch", "query", {**TEXT, "format": "uuid"}, "Of an earlier portion: both are one import."
            ),
            parameter(
                "map",
                "query",
                {**TEXT, "minLength": 2},
                "A JSON object: by column, the field it stands for, or null.",
            ),
            parameter("blank", "query", blanks, "What an empty cell means; keep if left out."),
            parameter("atomic", "query", FLAG, "All or nothing; otherwise each row is on its own."),
            parameter("preview", "query", FLAG, "Whether only to tell what would become of the rows."),
            _AS,
            *used("reason", "once", "client"),
        ],
        "requestBody": {"required": True, "content": content_of(_FILE, ANY_FILE)},
        "responses": {**responses_of(*codes, "key-reused", *READING), **told},
    }
