"""Schemas of the feed: events as CloudEvents 1.0 has them."""

from __future__ import annotations

from fenland.web.http.schemas import MOMENT, NUMBER, OPEN, TEXT, Schema, closed, ref

_DID = ("created", "updated", "deleted", "arrived", "left")
_PROPOSED = ("proposed", "reviewed")
_DATA = closed(
    {
        "changes": {"type": "object", "additionalProperties": ref("schemas/Change")},
        "record": {**OPEN, "description": "As the caller may see it now."},
        "of": {**TEXT, "description": "Of a proposal: the collection of the record that its pass is for."},
        "key": {"type": ["string", "integer"], "description": "And the key of that record."},
        "kind": TEXT,
        "state": {**TEXT, "description": "What has become of the proposal by now."},
    },
    optional=("changes", "record", "of", "key", "kind", "state"),
)

SCHEMAS: dict[str, Schema] = {
    "Event": closed(
        {
            "specversion": {"const": "1.0"},
            "id": {**TEXT, "description": "In the order of the feed; what `after` takes."},
            "source": {**TEXT, "description": "The list that the record, or the proposal, is of."},
            "type": {
                "enum": [
                    *(f"fenland.record.{did}" for did in _DID),
                    *(f"fenland.proposal.{did}" for did in _PROPOSED),
                    "fenland.reset",
                ]
            },
            "time": MOMENT,
            "subject": {**TEXT, "description": "The record's key, or the proposal's number."},
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
