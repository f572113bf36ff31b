"""Saving: what stands between a decided change and the database.

Values that only other rows can judge are checked here, inside the transaction that saves: unique
values, references, the owner's account. Every save writes its history entry beside the record.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access import Actor
from fenland.core.definitions import Field
from fenland.core.history import Entry, EntryAction
from fenland.core.identity import etag
from fenland.core.problems import Conflict, Invalid, Problem, pointer_to
from fenland.core.values import MISSING, as_written
from fenland.service.finding import Record
from fenland.service.service import Call, Resource, Service
from fenland.storage.sqlite import Connection, Error, ReferenceBroken, UniqueTaken, translated


@dataclass(frozen=True, slots=True)
class Saved:
    """A record after a request to change it.

    `dropped` names the fields that lenient handling ignored; `repeated` says that this is the kept
    outcome of an earlier request with the same idempotency key.
    """

    record: Record
    changed: bool
    dropped: tuple[str, ...] = ()
    repeated: bool = False

    @property
    def etag(self) -> str:
        """The entity tag of the record as it is now."""
        return etag(self.record["id"], self.record["version"])


def unique_taken(name: str, value: Any = MISSING) -> Problem:
    """The problem of a value that another record already has."""
    what = "this value" if value is MISSING else as_written(value)
    return Problem(pointer_to(name), "unique", f"Another record already has {what}. Choose another value.")


def check_others(
    service: Service,
    connection: Connection,
    resource: Resource,
    actor: Actor,
    changes: Mapping[str, Any],
    record_id: str,
) -> Iterator[Problem]:
    """What is wrong with changed values in view of other rows."""
    collection = resource.collection
    for name, value in changes.items():
        item = collection.fields.get(name)
        if item is None or value is None:
            continue
        if item.unique:
            other = resource.records.find(connection, name, value)
            if other is not None and other["id"] != record_id:
                yield unique_taken(name, value)
        if item.references is not None and not _may_refer(service, connection, item, actor, value):
            detail = f"There is no {as_written(value)} in {item.references}. Choose one that is there."
            yield Problem(pointer_to(name), "reference", detail, {"references": item.references})
        owner = name == collection.owner and value != actor.name
        if owner and service.database.accounts.by_name(connection, value) is None:
            detail = f"There is no account {as_written(value)}. Name one that is there."
            yield Problem(pointer_to(name), "reference", detail, {"references": "accounts"})


def _may_refer(service: Service, connection: Connection, item: Field, actor: Actor, key: Any) -> bool:
    """Whether the key is there for this actor: what they may not see, they cannot name either."""
    target = service.resources[str(item.references)]
    found = target.records.find(connection, target.collection.key, key)
    return found is not None and target.policy.may("read", actor, found)


class NamingConflicts:
    """Around a write: tells what the database refuses in the words of the record's fields."""

    def __enter__(self) -> None:
        pass

    def __exit__(self, kind: object, error: BaseException | None, trace: object) -> None:
        if not isinstance(error, Error):
            return
        found = translated(error)
        if isinstance(found, UniqueTaken):
            raise Invalid([unique_taken(found.column)]) from None
        if isinstance(found, ReferenceBroken):
            raise Conflict(
                "A record this one refers to, or that refers to it, has just changed. Try again."
            ) from None
        raise found from error


def history_entry(
    call: Call,
    actor: Actor,
    resource: Resource,
    record: Record,
    *,
    action: EntryAction,
    changes: Mapping[str, tuple[Any, Any]],
    reason: str | None = None,
    cause: int | None = None,
) -> Entry:
    """The entry for a record as it is after the change; `record` holds its version and time."""
    return Entry(
        time=record["updated_at"],
        collection=resource.collection.name,
        record_id=record["id"],
        key=record[resource.collection.key],
        version=record["version"],
        action=action,
        actor=actor.name,
        via=actor.via if cause is None else "effect",
        request_id=call.request_id,
        client=call.client,
        changes=changes,
        reason=reason,
        cause=cause,
    )


def save_changes(
    service: Service,
    connection: Connection,
    call: Call,
    actor: Actor,
    resource: Resource,
    stored: Record,
    changes: Mapping[str, Any],
    *,
    reason: str | None = None,
    cause: int | None = None,
) -> Record:
    """Writes the changed columns, guarded by the version, and the history entry. Returns the record."""
    kept = {"version": stored["version"] + 1, "updated_at": service.now(), "updated_by": actor.name}
    record = {**stored, **changes, **kept}
    before_after = {name: (stored[name], value) for name, value in changes.items()}
    entry = history_entry(
        call, actor, resource, record, action="update", changes=before_after, reason=reason, cause=cause
    )
    with NamingConflicts():
        resource.records.change(connection, stored["id"], stored["version"], {**changes, **kept})
        service.database.history.add(connection, entry)
    return record
