"""What can be asked of passes, and of what came in through them, each as a flow."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from fenland.client.calls import Walk, json_request
from fenland.client.flows import Flow, Request, ask, ask_json, path

Json = Mapping[str, Any]


def given(**members: Any) -> dict[str, Any]:
    """The members that are named."""
    return {name: value for name, value in members.items() if value is not None}


def send(members: Json, *segments: Any) -> Flow[Json]:
    """Makes or changes something of passes or proposals."""
    found: Json = yield from ask_json(json_request("POST", path(*segments), members))
    return found


def one(*segments: Any) -> Flow[Json]:
    """A pass or a proposal."""
    found: Json = yield from ask_json(Request("GET", path(*segments)))
    return found


def passes(wanted: Mapping[str, Any], limit: int | None) -> Walk[Json]:
    """What was handed out, the newest first."""
    return Walk(path("passes"), wanted, "below", lambda each: each, limit)


def proposals(wanted: Mapping[str, Any], limit: int | None) -> Walk[Json]:
    """What came in, the oldest first unless the newest are wanted."""
    return Walk(path("proposals"), wanted, "after", lambda each: each, limit)


def revoke(number: int) -> Flow[None]:
    """Ends a pass."""
    yield from ask(Request("DELETE", path("passes", number)))


def revoke_all(wanted: Mapping[str, Any]) -> Flow[int]:
    """Ends several; how many."""
    found: Json = yield from ask_json(Request("DELETE", path("passes"), given(**wanted)))
    return int(found["revoked"])


def letters(members: Json) -> Request:
    """Passes for all records of a list, as a file."""
    return json_request("POST", path("passes", "letters"), members)


def settled(number: int, how: str, members: Json, match: str | None) -> Flow[Json]:
    """What has become of a proposal."""
    asked = json_request("POST", path("proposals", number, how), members)
    headers = {**asked.headers, **({"If-Match": match} if match else {})}
    found: Json = yield from ask_json(Request("POST", asked.path, {}, headers, asked.content))
    return found


def settled_all(numbers: Sequence[int], how: str, reason: str | None) -> Flow[list[Json]]:
    """What has become of each of several."""
    members = {"proposals": list(numbers), **given(reason=reason)}
    found: Json = yield from ask_json(json_request("POST", path("proposals", how), members))
    items: list[Json] = found["items"]
    return items
