"""Events as CloudEvents 1.0 has them: what the feed answers with, and what is sent to other systems."""

from __future__ import annotations

from typing import Any

from fenland.service.feed.changes import Event, Place
from fenland.storage.door import Noticed, Proposal

#: Where the feed is, below the path under which clients reach the service.
CHANGES = "/v1/changes"
#: The type of one event, and of several (CloudEvents JSON format, sections 3 and 4).
EVENT = "application/cloudevents+json"
BATCH = "application/cloudevents-batch+json"
#: The type of the event that says: read all of it again.
RESET = "fenland.reset"
#: What the types of effects' notices begin with, and their ids.
NOTICE, NOTICE_ID = "fenland.notice.", "n"


def plain_event(event_id: str, source: str, kind: str, time: str) -> dict[str, Any]:
    """An event that is of no record."""
    return {"specversion": "1.0", "id": event_id, "source": source, "type": kind, "time": time}


def event_type(event: Event) -> str:
    """What an event of the feed is called."""
    if event.did in ("proposed", "reviewed"):
        return f"fenland.proposal.{event.did}"
    return RESET if event.did == "reset" else f"fenland.record.{event.did}"


def event_json(event: Event, prefix: str) -> dict[str, Any]:
    """An event of the feed in the JSON format of CloudEvents 1.0."""
    event_id, kind, time = str(event.place), event_type(event), event.entry.time
    if event.did == "reset":
        return plain_event(event_id, prefix + CHANGES, kind, time)
    if event.proposal is not None:
        return _proposal_json(event, event.proposal, prefix)
    told = plain_event(event_id, f"{prefix}/v1/records/{event.collection}", kind, time)
    told |= {"subject": str(event.key), "recordid": event.record_id}
    if event.version is not None:
        told["recordversion"] = event.version
    if event.own:
        # Of who changed something else, or what is not theirs any more, nothing is told.
        entry = event.entry
        told |= {"action": entry.action, "actor": entry.actor}
        told |= {} if entry.client is None else {"client": entry.client}
    data: dict[str, Any] = {}
    if event.changes is not None:
        pairs = event.changes.items()
        data["changes"] = {name: {"before": old, "after": new} for name, (old, new) in pairs}
    if event.record is not None:
        data["record"] = event.record
    return told | ({"datacontenttype": "application/json", "data": data} if data else {})


def _proposal_json(event: Event, one: Proposal, prefix: str) -> dict[str, Any]:
    """What is told of a proposal: where it is and how it stands by now; what it says, its reviewers read."""
    told = plain_event(str(event.place), f"{prefix}/v1/proposals", event_type(event), event.entry.time)
    told |= {"subject": str(one.number), "recordid": one.record_id, "actor": event.entry.actor}
    data = {"of": event.collection, "key": one.key, "kind": one.kind, "state": one.state}
    return told | {"datacontenttype": "application/json", "data": data}


def notice_json(notice: Noticed, prefix: str) -> dict[str, Any]:
    """A notice that an effect left, as such an event."""
    source = f"{prefix}/v1/records/{notice.collection}"
    told = plain_event(f"{NOTICE_ID}{notice.number}", source, NOTICE + notice.name, notice.time)
    told |= {"subject": str(notice.key), "recordid": notice.record_id}
    return told | {"datacontenttype": "application/json", "data": notice.data}


def place_of(text: str) -> Place:
    """The place that an id of the feed stands for."""
    sequence, _, record_id = text.partition(".")
    return Place(int(sequence), record_id)
