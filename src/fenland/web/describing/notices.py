"""Schemas of notices for other systems: what effects left, subscriptions, and what became of what was sent."""

from __future__ import annotations

from typing import get_args

from fenland.service.feed.changes import Data
from fenland.storage.door import DeliveryState
from fenland.web.http.schemas import FLAG, MOMENT, NUMBER, TEXT, Schema, closed, nullable, ref, taken

_NAMES: Schema = {"type": "array", "items": TEXT}
#: What people say of a subscription.
_ASKED: Schema = {
    "account": {**TEXT, "description": "With whose rights it is judged what is sent; one's own if left out."},
    "url": {**TEXT, "format": "uri", "description": "Where notices are sent, by https."},
    "collections": {**_NAMES, "description": "Those whose changes are sent; * is all of them."},
    "where": {**TEXT, "description": "A condition over records of the one collection; empty for none."},
    "data": {"enum": list(get_args(Data)), "description": "What stands beside each event, as in the feed."},
    "notices": {**_NAMES, "description": "Effects' notices that are sent, by name; * is all of them."},
    "paused": {**FLAG, "description": "Whether nothing is sent; what comes meanwhile is sent afterwards."},
}
_NEW = {name: schema for name, schema in _ASKED.items() if name != "paused"}
_SUBSCRIPTION: Schema = {
    "name": TEXT,
    **_ASKED,
    "why": {**nullable(TEXT), "description": "Why it is paused, where nobody did that."},
    "failing_since": {**nullable(MOMENT), "description": "Since when nothing that was sent was taken."},
    "waiting": {**NUMBER, "description": "Deliveries that are still to be sent, or sent again."},
    "parked": {**NUMBER, "description": "Those that were tried for long enough, and are tried no more."},
    "secrets": {
        "type": "array",
        "items": closed({"until": nullable(MOMENT)}),
        "description": "What signs now, the newest first, each until when. They are shown nowhere.",
    },
    "version": NUMBER,
}
_SECRET = {**TEXT, "description": "What signs the notices, by Standard Webhooks. Shown this once."}
_ATTEMPT = closed(
    {
        "time": MOMENT,
        "milliseconds": NUMBER,
        "status": {**nullable(NUMBER), "description": "Of the answer; null where none came."},
        "why": {**nullable(TEXT), "description": "What was wrong, where the answer does not say."},
        "answer": {**TEXT, "description": "How the answer began."},
    }
)
_DELIVERY: Schema = {
    "number": NUMBER,
    "event": {**TEXT, "description": "The id of the event."},
    "type": TEXT,
    "collection": nullable(TEXT),
    "key": nullable(TEXT),
    "time": {**MOMENT, "description": "When it happened."},
    "state": {
        "enum": list(get_args(DeliveryState)),
        "description": "void: when it was to be sent, the account could not see any more what it was about.",
    },
    "attempts": NUMBER,
    "due": {**nullable(MOMENT), "description": "When it is sent next, where it waits."},
}

SCHEMAS: dict[str, Schema] = {
    "Notices": closed(
        {
            "items": {
                "type": "array",
                "items": closed(
                    {
                        "number": {**NUMBER, "description": "In the order in which they were left."},
                        "notice": {**TEXT, "description": "What it is called."},
                        "time": MOMENT,
                        "collection": TEXT,
                        "key": {"type": ["string", "integer"]},
                        "sequence": {**NUMBER, "description": "The entry of the change that left it."},
                        "rule": {**TEXT, "description": "Where the effect stands, as file and line."},
                        "data": {"type": "object", "description": "What it says, by name."},
                    }
                ),
            },
            "next": {**nullable(NUMBER), "description": "Behind which number there are more."},
        },
        description="Messages for other systems, each written with the change that left it.",
    ),
    "Subscription": closed(_SUBSCRIPTION),
    "Subscriptions": closed({"items": {"type": "array", "items": ref("schemas/Subscription")}}),
    "SubscriptionNew": taken({"name": TEXT, **_NEW}, optional=tuple(one for one in _NEW if one != "url")),
    "SubscriptionPatch": taken(_ASKED, optional=tuple(_ASKED)),
    "SubscriptionIssued": closed({**_SUBSCRIPTION, "secret": _SECRET}),
    "Secret": closed({"secret": _SECRET}),
    "SecretNew": taken(
        {"hours": {"type": "number", "minimum": 0, "maximum": 720, "description": "For how long those before it sign as well; 24 if left out."}},
        optional=("hours",),
    ),
    "Delivery": closed({**_DELIVERY, "last": nullable(_ATTEMPT)}),
    "DeliveryResult": closed({**_DELIVERY, "tried": {"type": "array", "items": _ATTEMPT}}),
    "Deliveries": closed(
        {
            "items": {"type": "array", "items": ref("schemas/Delivery")},
            "next": {**nullable(NUMBER), "description": "Below which number there are more."},
        }
    ),
}  # fmt: skip
