"""Schemas of answers about files: what became of the rows of one."""

from __future__ import annotations

from fenland.web.http.schemas import FLAG, NUMBER, TEXT, Schema, closed, nullable, ref

_ERROR: Schema = {
    **closed(
        {"pointer": TEXT, "code": TEXT, "detail": TEXT, "column": nullable(TEXT)},
        description="What is wrong with a cell, and the parameters of its code.",
    ),
    "additionalProperties": True,
}

SCHEMAS: dict[str, Schema] = {
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
