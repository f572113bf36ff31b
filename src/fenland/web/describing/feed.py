"""Schemas of the feed: events as CloudEvents 1.0 has them."""

from __future__ import annotations

from fenland.web.http.schemas import MOMENT, NUMBER, OPEN, TEXT, Schema, closed, ref

_DID = ("created", "updated", "deleted", "arrived", "left")
_DATA = closed(
    {
        "changes": {"type": "object", "additionalProperties": ref("schemas/Change")},
        "record": {**OPEN, "description": "As the caller may see it now."},
    },
    optional=("changes", "record"),
)

SCHEMAS: dict[str, Schema] = {
    "Event": closed(
        {
            "specversion": {"const": "1.0"},
            "id": {**TEXT, "description": "In the order of the feed; what `after` takes."},
            "source": {**TEXT, "description": "The list that the record is of."},
            "type": {"enum": [*(f"fenland.record.{did}" for did in _DID), "fenland.reset"]},
            "time": MOMENT,
            "subject": {**TEXT, "description": "The record's key."},
            "recordid": TEXT,
            "recordversion": NUMBER,
            "action": {**TEXT, "description": "That of the entry in the history."},
            "actor": TEXT,
            "client": TEXT,
            "datacontenttype": {"const": "application/json"},
            "data": _DATA,
        },
        optional=(
            "subject", "recordid", "recordversion", "action", "actor", "client", "datacontenttype", "data",
        ),
        description="One change. `reset`: what may be seen is another now, so that lists are to be read again.",
    ),
    "Events": {"type": "array", "items": ref("schemas/Event")},
}  # fmt: skip
