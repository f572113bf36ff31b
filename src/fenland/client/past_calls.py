"""What can be asked of the past, each as a flow: how records were, the way back, and what proves it all."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from fenland.client.body import write_json
from fenland.client.calls import JSON, MEDIA, How, Walk
from fenland.client.flows import Flow, Request, ask_json, ask_saved, ask_undo, path
from fenland.client.records import Entry, Preview, Record, entry_from, preview_from, record_from


@dataclass(frozen=True, slots=True)
class Wanted:
    """Which entries are wanted: all of it must hold."""

    where: str | None = None
    equal: Mapping[str, Any] = field(default_factory=dict)

    def query(self) -> dict[str, Any]:
        """The parameters of the request."""
        return {"where": self.where, **self.equal}


def wanted(where: str | None, **equal: Any) -> Wanted:
    """What a search was given; `since` and `until` are called from and to in requests."""
    named = {"since": "from", "until": "to"}
    return Wanted(where, {named.get(name, name): value for name, value in equal.items() if value is not None})


def entries(asked: Wanted, limit: int | None) -> Walk[Entry]:
    """Entries of everything, newest first."""
    return Walk(path("history"), asked.query(), "below", entry_from, limit)


def entry(sequence: int) -> Flow[Entry]:
    """One entry."""
    return entry_from((yield from ask_json(Request("GET", path("history", sequence)))))


def exported(asked: Wanted, form: str, after: int) -> Request:
    """The request for the history as a file. Raises `ValueError` for a form that there is not."""
    if form not in ("jsonl", "csv"):
        raise ValueError(f"The history does not come as {form!r}. Use jsonl or csv.")
    return Request("GET", path("history"), {**asked.query(), "after": after}, {"Accept": MEDIA[form]})


def read(collection: str, key: Any, version: int | None, at: str | None) -> Flow[Record]:
    """A record as it was."""
    query = {"version": version, "at": at}
    return record_from((yield from ask_json(Request("GET", path("records", collection, key), query))))


def records(collection: str, at: str, limit: int | None) -> Walk[Record]:
    """The records of a collection as they were."""
    return Walk(path("records", collection), {"at": at}, "cursor", record_from, limit)


def _answered(address: str, query: Mapping[str, Any] | None = None) -> Flow[Mapping[str, Any]]:
    found: Mapping[str, Any] = yield from ask_json(Request("GET", address, query or {}))
    return found


def difference(collection: str, key: Any, older: int, newer: int | None) -> Flow[Mapping[str, Any]]:
    """What differs between two versions."""
    return _answered(path("records", collection, key, "difference"), {"from": older, "to": newer})


def head(above: int | None, wait: int | None) -> Flow[Mapping[str, Any]]:
    """The signed head."""
    return _answered(path("history", "head"), {"above": above, "wait": wait})


def keys() -> Flow[Mapping[str, Any]]:
    """The public keys."""
    return _answered(path("history", "keys"))


def proof(sequence: int, size: int | None) -> Flow[Mapping[str, Any]]:
    """What shows that an entry is under a head."""
    return _answered(path("history", sequence, "proof"), {"size": size})


def consistency(older: int, newer: int | None) -> Flow[Mapping[str, Any]]:
    """What shows that a head goes on from an older one."""
    return _answered(path("history", "consistency"), {"from": older, "to": newer})


def evidence(collection: str, key: Any, size: int | None = None) -> Flow[Mapping[str, Any]]:
    """All that shows what became of a record, under the newest head or the kept one of this size."""
    return _answered(path("records", collection, key, "history", "evidence"), {"size": size})


def activity(by: str, since: str | None, until: str | None) -> Flow[Mapping[str, Any]]:
    """How many entries there were day by day."""
    return _answered(path("history", "activity"), {"by": by, "from": since, "to": until})


def restore(collection: str, key: Any, when: Mapping[str, Any], how: How) -> Flow[Record]:
    """Brings a record back, or to how it was."""
    address, query = path("records", collection, key, "restore"), {**how.query(), **when}
    return (yield from ask_saved(Request("POST", address, query, how.headers())))


def preview_restoring(collection: str, key: Any, when: Mapping[str, Any]) -> Flow[Preview]:
    """What that would do."""
    address, query = path("records", collection, key, "restore"), {**when, "preview": "true"}
    return preview_from((yield from ask_json(Request("POST", address, query))))


def undo(
    sequence: int | None, sent: Mapping[str, Any], how: How, *, preview: bool
) -> Flow[Mapping[str, Any]]:
    """Takes back the save of an entry, or what `sent` names."""
    address = path("history", "undo") if sequence is None else path("history", sequence, "undo")
    query = {"reason": how.reason, "preview": "true" if preview else None}
    body = write_json({name: value for name, value in sent.items() if value is not None})
    headers = {"Content-Type": JSON, **how.headers()}
    found: Mapping[str, Any] = yield from ask_undo(Request("POST", address, query, headers, body))
    return found


def erase(
    collection: str, key: Any, fields: Sequence[str], values: Mapping[str, Any] | None, how: How
) -> Flow[Record]:
    """Erases values for good."""
    body = write_json({"fields": list(fields), "reason": how.reason, "values": dict(values or {})})
    headers = {"Content-Type": JSON, **how.headers()}
    request = Request("POST", path("records", collection, key, "erase"), {}, headers, body)
    return (yield from ask_saved(request))
