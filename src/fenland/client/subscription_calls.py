"""What can be asked of subscriptions, each as a flow: who is sent what, and what became of it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fenland.client.calls import Walk, json_request
from fenland.client.flows import Flow, Request, ask, ask_json, path

Json = Mapping[str, Any]


def every() -> Flow[list[Json]]:
    """Those that the caller may manage."""
    found: Json = yield from ask_json(Request("GET", path("subscriptions")))
    items: list[Json] = found["items"]
    return items


def one(name: str) -> Flow[Json]:
    """A subscription."""
    found: Json = yield from ask_json(Request("GET", path("subscriptions", name)))
    return found


def send(method: str, members: Json, *segments: Any) -> Flow[Json]:
    """Changes something of subscriptions."""
    found: Json = yield from ask_json(json_request(method, path("subscriptions", *segments), members))
    return found


def remove(name: str) -> Flow[None]:
    """Removes a subscription."""
    yield from ask(Request("DELETE", path("subscriptions", name)))


def deliveries(name: str, state: str | None, limit: int | None) -> Walk[Json]:
    """What was sent, and is to be sent, the newest first."""
    return Walk(
        path("subscriptions", name, "deliveries"), {"state": state}, "below", lambda each: each, limit
    )


def delivery(name: str, number: int) -> Flow[Json]:
    """A delivery with its attempts."""
    found: Json = yield from ask_json(Request("GET", path("subscriptions", name, "deliveries", number)))
    return found
