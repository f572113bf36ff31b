"""The fields that the service keeps itself, on every record: spelled here, and taken from here.

Their names and schemas, what a new record has of them, and what each change sets anew.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

Schema = Mapping[str, Any]

#: In the order answers show them. `x-reserved` tells clients that nobody sets them.
RESERVED: Mapping[str, Schema] = {
    "id": {"type": "string", "format": "uuid", "title": "Id"},
    "version": {"type": "integer", "minimum": 1, "title": "Version"},
    "created_at": {"type": "string", "format": "date-time", "title": "Created at"},
    "created_by": {"type": "string", "title": "Created by"},
    "updated_at": {"type": "string", "format": "date-time", "title": "Updated at"},
    "updated_by": {"type": "string", "title": "Updated by"},
}
RESERVED_SCHEMAS: Mapping[str, Schema] = {
    name: {**schema, "readOnly": True, "x-reserved": True} for name, schema in RESERVED.items()
}


def made(record_id: str, time: str, by: str) -> dict[str, Any]:
    """Those of a record that is created."""
    return {"id": record_id, "version": 1, "created_at": time, "created_by": by} | renewed(1, time, by)


def renewed(version: int, time: str, by: str) -> dict[str, Any]:
    """Those that a change sets anew."""
    return {"version": version, "updated_at": time, "updated_by": by}
