"""Once: a request with an idempotency key is carried out once, however often it is sent.

The outcome is kept in the transaction of the change itself, so there is no moment at which one is
there without the other. Refusals are not kept: they changed nothing, and may turn out otherwise
the next time. A second request that comes while the first runs waits for the writer, then finds it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta
from typing import Any, Generic, TypeVar

from fenland.core.access.policy import Caller
from fenland.core.evolving.lineage import current_name
from fenland.core.problems import KeyReused
from fenland.core.reserved import RESERVED
from fenland.service.changes.finding import Address, not_there
from fenland.service.changes.saved import Saved
from fenland.service.work import View, Work
from fenland.storage.door import Kept

Result = TypeVar("Result")

LONGEST_KEY = 255
#: Long enough for a phone that was out of reach for a day.
_KEPT_FOR = timedelta(hours=24)


@dataclass(frozen=True, slots=True)
class Once:
    """An idempotency key, and a fingerprint of the request it came with."""

    key: str
    fingerprint: str


@dataclass(frozen=True, slots=True)
class Keeping(Generic[Result]):
    """How an outcome is kept as JSON, and given again."""

    keep: Callable[[Result], dict[str, Any]]
    give: Callable[[Work, Caller, dict[str, Any]], Result]


def _keep_saved(saved: Saved) -> dict[str, Any]:
    return {
        "collection": saved.collection,
        "record": saved.record,
        "changed": saved.changed,
        "etag": saved.etag,
        "dropped": list(saved.dropped),
        "unseen": saved.unseen,
    }


def _give_saved(work: Work, caller: Caller, kept: dict[str, Any]) -> Saved:
    """The outcome again, of which the caller gets what they may still see. Raises `NotFound`."""
    record, collection = kept["record"], kept["collection"]
    number, service = kept.get("definitions", 1), work.service
    if number != service.database.number:
        collection = current_name(service.passages, number, collection)
    resource, sight = work.resource(collection), work.sight(caller)
    if (lineage := service.lineage(resource)) is not None:
        record = lineage.record(number, record)
    # What has been deleted since is judged by what it was.
    gone = {**dict.fromkeys((*RESERVED, *resource.collection.fields)), **record}
    now = work.find(resource, "id", record["id"]) or gone
    if not resource.policy.may("read", sight, now):
        if kept.get("unseen"):
            dropped = tuple(kept["dropped"])
            return Saved(record, kept["changed"], "", collection, dropped, repeated=True, unseen=True)
        raise not_there(Address(collection, str(record[resource.collection.key])))
    access = resource.policy.fields(sight, now)
    shown = access.shown(record)
    # As it was answered then, when the records may not have been moved yet.
    tag = kept.get("etag") or resource.etag(record, access)
    return Saved(shown, kept["changed"], tag, collection, tuple(kept["dropped"]), repeated=True)


#: The outcome of a request about one record.
SAVED = Keeping(_keep_saved, _give_saved)


def is_kept(view: View, caller: Caller, asked: Once) -> bool:
    """Whether a request with this key was carried out before."""
    service = view.service
    return service.database.outcomes.holds(view.reading, caller.actor.name, asked.key, service.now())


def once(
    caller: Caller, asked: Once | None, work: Callable[[Work], Result], keeping: Keeping[Result]
) -> Callable[[Work], Result]:
    """`work`, or what gives its kept outcome. Raises `KeyReused` for a key that came with another request."""
    if asked is None:
        return work

    def guarded(unit: Work) -> Result:
        outcomes, account = unit.service.database.outcomes, caller.actor.name
        kept = outcomes.find(unit.writing, account, asked.key, unit.service.now())
        if kept is None:
            result = work(unit)
            content = {**keeping.keep(result), "definitions": unit.service.database.number}
            outcome = Kept(asked.fingerprint, content)
            outcomes.keep(unit.writing, account, asked.key, outcome, unit.service.now(_KEPT_FOR))
            return result
        if kept.fingerprint != asked.fingerprint:
            raise KeyReused(
                "This Idempotency-Key was used for another request. Use a new key for each change."
            )
        return keeping.give(unit, caller, kept.content)

    return guarded
