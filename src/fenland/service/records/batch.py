"""Batches: several creates, updates and deletes in one request and one commit.

All or nothing, or each on its own: then a refused item is undone alone, and the others are kept. A
later item may name a record that an earlier one creates, by the name the earlier gives it with `as`:
`{"created": NAME}` in place of a key, or of the value of a reference.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from fenland.core.access.policy import Caller
from fenland.core.changes.change import Act
from fenland.core.definitions.model import Collection
from fenland.core.limits import beyond, weight
from fenland.core.problems import Malformed, NotFound, Refusal, Unavailable, refusal_data, refusal_from
from fenland.core.values.plain import as_written
from fenland.service.changes.drafting import Draft
from fenland.service.changes.saved import Saved
from fenland.service.records.create import CreateRequest, create_within, read_new
from fenland.service.records.delete import DeleteRequest, delete_within
from fenland.service.records.once import SAVED, Keeping, Once, once
from fenland.service.records.putting import PutRequest, put_within
from fenland.service.records.update import UpdateRequest, update_within
from fenland.service.service import Service
from fenland.service.work import Work, snapshot, written

ItemAction = Literal["create", "update", "delete", "put"]
ACTIONS: tuple[ItemAction, ...] = ("create", "update", "delete", "put")

#: Puts keys for the names of records created earlier in the batch; given a collection, and JSON.
Resolve = Callable[[Collection, Any], Any]


@dataclass(frozen=True, slots=True)
class Item:
    """One thing to do. `make` gives the request it stands for, once earlier items are done."""

    make: Callable[[Resolve], CreateRequest | UpdateRequest | DeleteRequest | PutRequest]
    name: str | None = None


@dataclass(frozen=True, slots=True)
class Result:
    """What became of an item: what was saved, or why it was refused. Neither: it was not tried, or undone."""

    saved: Saved | None = None
    created: bool = False
    refusal: Refusal | None = None


@dataclass(frozen=True, slots=True)
class Done:
    """What became of a batch; `repeated` when this is the kept outcome of an earlier request."""

    results: list[Result]
    repeated: bool = False
    #: What its entries share.
    batch: str | None = None


class _TooMuch(Exception):
    """The records of the batch are together more than one answer holds."""


class _NotMade(Exception):
    """An item names a record that an earlier item was to create, and was refused."""


class _Broken(Exception):
    """Carries the results of an all-or-nothing batch out of its transaction, which is then undone."""

    def __init__(self, results: list[Result]) -> None:
        super().__init__("broken")
        self.results = results


@dataclass(slots=True)
class _Run:
    """A batch being carried out."""

    work: Work
    caller: Caller
    created: dict[str, Any] = field(default_factory=dict)
    failed: set[str] = field(default_factory=set)
    #: Characters of JSON that the answer may still hold.
    room: int = 0

    def attempt(self, item: Item) -> Result:
        """What becomes of an item, which is undone alone when it is refused."""
        try:
            with self.work.nested():
                return self.do(item)
        except (Unavailable, _TooMuch):
            # About the storage and not about this item: the whole batch ends, and nothing of it is kept.
            raise
        except (Refusal, _NotMade) as reason:
            if item.name is not None:
                self.failed.add(item.name)
            return Result(refusal=reason if isinstance(reason, Refusal) else None)

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

    def do(self, item: Item) -> Result:
        """Carries out an item. Raises `_TooMuch` when the answer to all would be too large."""
        result = self._done(item)
        if result.saved is not None:
            self.room -= weight(result.saved.record)
        if self.room < 0:
            raise _TooMuch
        return result

    def _done(self, item: Item) -> Result:
        request, work, caller = item.make(self.resolve), self.work, self.caller
        created = isinstance(request, CreateRequest)
        if isinstance(request, CreateRequest):
            collection = request.collection
            saved = create_within(work, caller, read_new(work.service, caller, request))
        elif isinstance(request, PutRequest):
            collection, done = request.address.collection, put_within(work, caller, request)
            saved, created = done.saved, done.created
        else:
            collection = request.address.collection
            if isinstance(request, UpdateRequest):
                saved = update_within(work, caller, request)
            else:
                saved = delete_within(work, caller, request)
        if item.name is not None:
            self.created[item.name] = saved.record[work.resource(collection).collection.key]
        return Result(saved, created=created)


def _keep(done: Done) -> dict[str, Any]:
    return {
        "batch": done.batch,
        "outcomes": [
            {
                "saved": SAVED.keep(one.saved) if one.saved is not None else None,
                "refusal": refusal_data(one.refusal) if one.refusal is not None else None,
                "created": one.created,
            }
            for one in done.results
        ],
    }


def _give(work: Work, caller: Caller, kept: dict[str, Any]) -> Done:
    number = kept.get("definitions", 1)
    return Done([_given(work, caller, one, number) for one in kept["outcomes"]], True, kept.get("batch"))


def _given(work: Work, caller: Caller, one: Mapping[str, Any], number: int) -> Result:
    if one["saved"] is None:
        refusal = refusal_from(one["refusal"]) if one["refusal"] is not None else None
        return Result(None, one["created"], refusal)
    try:
        return Result(SAVED.give(work, caller, {**one["saved"], "definitions": number}), one["created"])
    except NotFound as refusal:
        # Done then, and not theirs to see any more.
        return Result(None, one["created"], refusal)


def batch(
    service: Service, caller: Caller, items: Sequence[Item], *, atomic: bool, asked: Once | None = None
) -> Done:
    """Carries the items out in order and tells what became of each.

    All or nothing: when one is refused the others are still tried, so that all that is wrong is told at
    once, and then everything is undone.
    """

    batch_id = service.new_batch()

    def work(unit: Work) -> Done:
        run = _Run(unit, caller, room=service.limits.answer)
        results = [run.attempt(item) for item in items]
        if atomic and any(one.saved is None for one in results):
            raise _Broken(results)
        return Done(results, batch=batch_id)

    try:
        return written(service, once(caller, asked, work, Keeping(_keep, _give)), Act(batch=batch_id))
    except _TooMuch:
        raise _too_much(service) from None
    except _Broken as broken:
        return Done([replace(one, saved=None) for one in broken.results])


def preview_batch(service: Service, caller: Caller, items: Sequence[Item]) -> list[Result]:
    """What would become of each item, of those after it as well; nothing is written, and nobody has to wait.

    Records are told as they would be: what is made has an id that it would not have.
    """
    with snapshot(service, caller) as view:
        run = _Run(Draft(service, view.reading), caller, room=service.limits.answer)
        try:
            return [run.attempt(item) for item in items]
        except _TooMuch:
            raise _too_much(service) from None


def _too_much(service: Service) -> Refusal:
    return beyond("answer_limit", service.limits.answer, "The records of the batch are too large together.")


def read_action(sent: Mapping[str, Any]) -> ItemAction:
    """The action an item names. Raises `Malformed`."""
    action = sent.get("action")
    if action not in ACTIONS:
        raise Malformed(f"action is {as_written(action)}. It must be one of {', '.join(ACTIONS)}.")
    found: ItemAction = action
    return found
