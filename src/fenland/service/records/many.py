"""Many by filter: one change, or a deletion, for all records that a condition chooses.

Each record goes through the pipeline of a single one, with a history entry of its own; all entries share the
request. All or nothing, or each on its own; `expect` refuses where the filter chooses another number than its
sender saw.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from typing import Any

from fenland.core.access.conditions import Among, Column, both
from fenland.core.access.field_access import FieldAccess
from fenland.core.access.policy import Caller
from fenland.core.changes.change import Act
from fenland.core.changes.patches import Patch
from fenland.core.definitions.model import Blank, Right
from fenland.core.limits import beyond
from fenland.core.problems import Conflict, Malformed, NotPermitted, Refusal, Unavailable
from fenland.service.changes.finding import Address
from fenland.service.records.delete import DeleteRequest, decide_deletion, delete_within
from fenland.service.records.filtering import Filter, filter_condition
from fenland.service.records.once import Keeping, Once, is_kept, once
from fenland.service.records.update import UpdateRequest, carry_out, decide
from fenland.service.service import Service
from fenland.service.work import View, Work, snapshot, written
from fenland.storage.door import Order, Page

#: How many records a preview, or an answer, shows what becomes of.
MOST_SHOWN = 20
#: Records that are read at a time.
_TOGETHER = 500


@dataclass(frozen=True, slots=True)
class ManyRequest:
    """A change for many as asked; without a `patch` it is a deletion."""

    collection: str
    filter: Filter
    patch: Patch | None = None
    blank: Blank | None = None
    clear: tuple[str, ...] = ()
    lenient: bool = False
    reason: str | None = None
    expect: int | None = None
    atomic: bool = True
    once: Once | None = None
    #: Raises why the patch could not be read, once records may be changed.
    check: Callable[[], None] = lambda: None


@dataclass(slots=True)
class Many:
    """What became of many records, or would become: counts, and some of them one by one.

    `shown` holds each key with its changes, or why it was refused, refusals first.
    """

    matched: int = 0
    changed: int = 0
    refused: int = 0
    shown: list[dict[str, Any]] = field(default_factory=list)
    done: bool = True
    repeated: bool = False
    #: What its entries share.
    batch: str | None = None

    def tell(self, key: Any, changes: Any = None, refusal: Refusal | None = None) -> None:
        """Counts what becomes of one record."""
        if refusal is not None:
            self.refused += 1
            shown: dict[str, Any] = {"key": key, "refusal": refusal}
            refusals = [one for one in self.shown if "refusal" in one]
            self.shown.insert(len(refusals), shown)
        else:
            self.changed += changes is not None
            if changes is not None:
                self.shown.append({"key": key, "changes": changes})
        del self.shown[MOST_SHOWN:]


class _Undone(Exception):
    """Carries what was found out of a transaction that is to be undone."""

    def __init__(self, found: Many) -> None:
        super().__init__("undone")
        self.found = found


def _check(service: Service, caller: Caller, request: ManyRequest) -> None:
    """Raises what is wrong with the request itself, and not with one of the records."""
    policy, sight = service.resource(request.collection).policy, service.sight(caller)
    right: Right = "update" if request.patch is not None else "delete"
    if not policy.ever(right, sight):
        raise NotPermitted(f"{caller.actor.title or caller.actor.name} may {right} no records here.")
    request.check()


def change_many(service: Service, caller: Caller, request: ManyRequest) -> Many:
    """Changes or deletes the chosen records. All or nothing, nothing is done where one is refused."""
    _check(service, caller, request)
    batch = service.new_batch()
    # Looking through a table takes long, and is done before anybody else has to wait for this.
    before = Many()
    with snapshot(service, caller) as view:
        repeated = request.once is not None and is_kept(view, caller, request.once)
        chosen = [] if repeated else _chosen(view, caller, request, before)

    def work(unit: Work) -> Many:
        found = Many(before.matched, batch=batch)
        for record_id, key in _still_chosen(unit, caller, request, chosen):
            try:
                with unit.nested():
                    found.tell(key, _carry_out(unit, caller, request, record_id))
            except Unavailable:
                raise
            except Refusal as refusal:
                found.tell(key, refusal=refusal)
        if request.atomic and found.refused:
            raise _Undone(found)
        return found

    try:
        return written(service, once(caller, request.once, work, _KEEPING), Act(batch=batch))
    except _Undone as undone:
        undone.found.done, undone.found.changed, undone.found.batch = False, 0, None
        undone.found.shown = [one for one in undone.found.shown if "refusal" in one]
        return undone.found


def preview_many(service: Service, caller: Caller, request: ManyRequest) -> Many:
    """What it would come to: each record on its own, as they are now. Nothing is written."""
    _check(service, caller, request)
    found = Many(done=False)
    with snapshot(service, caller) as view:
        for record_id, key in _chosen(view, caller, request, found):
            try:
                found.tell(key, _foreseen(view, caller, request, record_id))
            except Refusal as refusal:
                found.tell(key, refusal=refusal)
    return found


def _chosen(view: View, caller: Caller, request: ManyRequest, found: Many) -> list[tuple[str, Any]]:
    """The ids and keys of the chosen records. Raises `Malformed`, `TooLarge`, `Conflict`."""
    resource, most = view.resource(request.collection), view.limits.many
    if not request.filter.where and not request.filter.equal:
        raise Malformed("Nothing says which records are meant. Send where; where=true means all of them.")
    page = Page(filter_condition(view, caller, resource, request.filter), order=(Order("id"),), limit=1)
    found.matched = resource.records.count(view.reading, page)
    if request.expect is not None and found.matched != request.expect:
        raise Conflict(
            f"The filter chooses {found.matched} records now, not {request.expect}. Look again, then decide.",
            count=found.matched,
        )
    if found.matched > most:
        raise beyond("many_limit", most, f"The filter chooses {found.matched} records.")
    chosen: list[tuple[str, Any]] = []
    key = resource.collection.key
    after = None
    while len(chosen) < found.matched:
        page = Page(page.condition, order=(Order("id"),), after=after, limit=min(most, _TOGETHER))
        records, more = resource.records.page(view.reading, page)
        chosen += [(record["id"], record[key]) for record in records]
        if not more:
            break
        after = (records[-1]["id"],)
    return chosen


def _still_chosen(
    unit: Work, caller: Caller, request: ManyRequest, chosen: list[tuple[str, Any]]
) -> Iterator[tuple[str, Any]]:
    """Of the chosen records those that the filter still chooses. Raises `Conflict`."""
    resource = unit.resource(request.collection)
    condition = filter_condition(unit, caller, resource, request.filter)
    still: set[str] = set()
    for begin in range(0, len(chosen), _TOGETHER):
        among = Among(Column(("id",)), tuple(one for one, _ in chosen[begin : begin + _TOGETHER]))
        page = Page(both(condition, among), order=(Order("id"),), limit=_TOGETHER)
        still.update(record["id"] for record in resource.records.page(unit.reading, page)[0])
    if request.expect is not None and len(still) != request.expect:
        raise Conflict(
            f"The filter chooses {len(still)} records now, not {request.expect}. Look again, then decide.",
            count=len(still),
        )
    return (pair for pair in chosen if pair[0] in still)


def _update(request: ManyRequest, patch: Patch, record_id: str) -> UpdateRequest:
    return UpdateRequest(
        Address(request.collection, record_id, "id"),
        patch,
        blank=request.blank,
        clear=request.clear,
        lenient=request.lenient,
        reason=request.reason,
    )


def _carry_out(unit: Work, caller: Caller, request: ManyRequest, record_id: str) -> Any:
    """The changes that were made to one record; None for none."""
    if request.patch is None:
        delete_within(
            unit, caller, DeleteRequest(Address(request.collection, record_id, "id"), reason=request.reason)
        )
        return {}
    asked = _update(request, request.patch, record_id)
    decision = decide(unit, caller, asked)
    carry_out(unit, caller, asked, decision)
    return None if decision.change is None else _shown(decision.access, dict(decision.change.fields))


def _foreseen(view: View, caller: Caller, request: ManyRequest, record_id: str) -> Any:
    if request.patch is None:
        decide_deletion(view, caller, DeleteRequest(Address(request.collection, record_id, "id")))
        return {}
    decision = decide(view, caller, _update(request, request.patch, record_id))
    decision.refuse_problems()
    return None if decision.change is None else _shown(decision.access, dict(decision.change.fields))


def _shown(access: FieldAccess, changes: dict[str, Any]) -> dict[str, Any]:
    return {name: {"before": was, "after": now} for name, (was, now) in access.shown(changes).items()}


def _keep(many: Many) -> dict[str, Any]:
    # What it came to, and no values: whoever asks again may not be allowed to see them any more.
    return {"matched": many.matched, "changed": many.changed, "refused": many.refused, "batch": many.batch}


def _give(_work: Work, _caller: Caller, kept: dict[str, Any]) -> Many:
    return Many(kept["matched"], kept["changed"], kept["refused"], repeated=True, batch=kept.get("batch"))


_KEEPING = Keeping(_keep, _give)
