"""Batches: several creates, updates and deletes in one request and one commit.

All or nothing, or each on its own: then a refused item is undone alone, and the others are kept. A
later item may name a record that an earlier one creates, by the name the earlier gives it with `as`:
`{"created": NAME}` in place of a key, or of the value of a reference.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from fenland.core.access import Actor
from fenland.core.definitions import Collection
from fenland.core.limits import beyond, weight
from fenland.core.problems import Malformed, Refusal, Unavailable, refusal_data, refusal_from
from fenland.core.values import as_written
from fenland.service.create import CreateRequest, create_within
from fenland.service.delete import DeleteRequest, delete_within
from fenland.service.finding import permit
from fenland.service.once import SAVED, Form, Once, once
from fenland.service.saving import Saved
from fenland.service.service import Call, Service
from fenland.service.update import UpdateRequest, update_within
from fenland.storage.sqlite import Connection, savepoint

Action = Literal["create", "update", "delete"]
#: Puts keys for the names of records created earlier in the batch; given a collection, and JSON.
Resolve = Callable[[Collection, Any], Any]


@dataclass(frozen=True, slots=True)
class Item:
    """One thing to do. `make` gives the request it stands for, once earlier items are done."""

    make: Callable[[Resolve], CreateRequest | UpdateRequest | DeleteRequest]
    name: str | None = None


@dataclass(frozen=True, slots=True)
class Outcome:
    """What became of an item: what was saved, or why it was refused. Neither: it was not tried, or undone."""

    saved: Saved | None = None
    collection: str = ""
    created: bool = False
    refusal: Refusal | None = None


@dataclass(frozen=True, slots=True)
class Done:
    """What became of a batch; `repeated` when these are the kept outcomes of an earlier request."""

    outcomes: list[Outcome]
    repeated: bool = False


class _TooMuch(Exception):
    """The records of the batch are together more than one answer holds."""


class _NotMade(Exception):
    """An item names a record that an earlier item was to create, and was refused."""


class _Broken(Exception):
    """Carries the outcomes of an all-or-nothing batch out of its transaction, which is then undone."""

    def __init__(self, outcomes: list[Outcome]) -> None:
        super().__init__("broken")
        self.outcomes = outcomes


@dataclass(slots=True)
class _Run:
    """A batch being carried out."""

    service: Service
    call: Call
    actor: Actor
    connection: Connection
    created: dict[str, Any] = field(default_factory=dict)
    failed: set[str] = field(default_factory=set)
    #: Characters of JSON that the answer may still hold.
    room: int = 0

    def attempt(self, item: Item) -> Outcome:
        """What becomes of an item, which is undone alone when it is refused."""
        try:
            with savepoint(self.connection):
                return self.do(item)
        except (Unavailable, _TooMuch):
            # About the storage and not about this item: the whole batch ends, and nothing of it is kept.
            raise
        except (Refusal, _NotMade) as reason:
            if item.name is not None:
                self.failed.add(item.name)
            return Outcome(refusal=reason if isinstance(reason, Refusal) else None)

    def resolve(self, collection: Collection, sent: Any) -> Any:
        """The value with keys in the place of names of records created earlier."""
        if isinstance(sent, dict) and sent.keys() == {"created"}:
            name = sent["created"]
            if isinstance(name, str) and name in self.failed:
                raise _NotMade(name)
            if not isinstance(name, str) or name not in self.created:
                raise Malformed(f"No earlier item of the batch created {name!r}. Name it there with as.")
            return self.created[name]
        if not isinstance(sent, dict):
            return sent
        fields = collection.fields
        return {
            name: self.resolve(collection, value)
            if name in fields and fields[name].references and isinstance(value, dict)
            else value
            for name, value in sent.items()
        }

    def do(self, item: Item) -> Outcome:
        """Carries out an item. Raises `_TooMuch` when the answer to all would be too large."""
        outcome = self._done(item)
        if outcome.saved is not None:
            self.room -= weight(outcome.saved.record)
        if self.room < 0:
            raise _TooMuch
        return outcome

    def _done(self, item: Item) -> Outcome:
        request = item.make(self.resolve)
        if isinstance(request, CreateRequest):
            resource = self.service.resource(request.collection)
            permit("create", resource, self.actor, {})
            given = request.read_fields(resource.rules)
            parts = (self.service, self.connection, self.call, self.actor, resource)
            saved = create_within(*parts, request, given)
        else:
            resource = self.service.resource(request.address.collection)
            parts = (self.service, self.connection, self.call, self.actor, resource)
            if isinstance(request, UpdateRequest):
                saved = update_within(*parts, request)
            else:
                saved = delete_within(*parts, request)
        if item.name is not None:
            self.created[item.name] = saved.record[resource.collection.key]
        return Outcome(saved, resource.collection.name, created=isinstance(request, CreateRequest))


def _keep(done: Done) -> dict[str, Any]:
    return {
        "outcomes": [
            {
                "saved": SAVED.keep(one.saved) if one.saved is not None else None,
                "refusal": refusal_data(one.refusal) if one.refusal is not None else None,
                "collection": one.collection,
                "created": one.created,
            }
            for one in done.outcomes
        ]
    }


def _give(kept: dict[str, Any]) -> Done:
    outcomes = [
        Outcome(
            SAVED.give(one["saved"]) if one["saved"] is not None else None,
            one["collection"],
            one["created"],
            refusal_from(one["refusal"]) if one["refusal"] is not None else None,
        )
        for one in kept["outcomes"]
    ]
    return Done(outcomes, repeated=True)


def batch(
    service: Service, call: Call, items: Sequence[Item], *, atomic: bool, asked: Once | None = None
) -> Done:
    """Carries the items out in order and tells what became of each.

    All or nothing: when one is refused the others are still tried, so that all that is wrong is told at
    once, and then everything is undone.
    """
    actor = service.authenticate(call)

    def work(connection: Connection) -> Done:
        run = _Run(service, call, actor, connection, room=service.limits.answer)
        outcomes = [run.attempt(item) for item in items]
        if atomic and any(one.saved is None for one in outcomes):
            raise _Broken(outcomes)
        return Done(outcomes)

    try:
        return service.database.write(once(service, actor, asked, work, Form(_keep, _give)))
    except _TooMuch:
        raise beyond(
            "answer_limit", service.limits.answer, "The records of the batch are too large together."
        ) from None
    except _Broken as broken:
        return Done([replace(one, saved=None) for one in broken.outcomes])


def read_action(sent: Mapping[str, Any]) -> Action:
    """The action an item names. Raises `Malformed`."""
    action = sent.get("action")
    if action not in ("create", "update", "delete"):
        raise Malformed(f"action is {as_written(action)}. It must be create, update or delete.")
    found: Action = action
    return found
