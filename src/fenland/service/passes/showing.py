"""Showing: what the page of a pass is made of, and nothing that its holder may not see.

Records come as the pass shows them, fields in the order of its template.
"""

from __future__ import annotations

from collections.abc import Mapping
from contextlib import suppress
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.access.conditions import ALWAYS, both
from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.definitions.model import Field
from fenland.core.problems import Malformed
from fenland.service.changes.proposals import fields_today, target_of
from fenland.service.passes.holding import (
    VIA,
    Asking,
    Ended,
    Held,
    held_by,
    holds,
    left_to_ask,
    permit_answered,
    record_of,
)
from fenland.service.records.labels import Labels, label_of, labels_of
from fenland.service.service import Service
from fenland.service.work import View, Work, snapshot, written
from fenland.storage.door import Order, Page, Proposal, ProposalsWanted, ProposedField

#: Proposals that a page tells of, choices that it offers, and rows of one page of a list.
_MOST_TOLD, _MOST_CHOICES, ROWS = 20, 50, 100
#: Records that a search of choices looks through.
_MOST_LOOKED = 2_000


@dataclass(frozen=True, slots=True)
class Told:
    """A proposal of the pass, as its holder is told of it: fields by the names of today."""

    proposal: Proposal
    fields: Mapping[str, ProposedField]


@dataclass(frozen=True, slots=True)
class Opened:
    """A record as a pass shows it: which fields may be changed, what was sent, labels of references."""

    held: Held
    record: Record
    changeable: tuple[str, ...]
    told: tuple[Told, ...]
    labels: Labels
    version: int

    @property
    def shown(self) -> list[Field]:
        """The fields that it shows."""
        fields = self.held.resource.collection.fields
        return [fields[name] for name in self.held.template.shows if name in self.record]


@dataclass(frozen=True, slots=True)
class Listing:
    """A page of the records that a pass lists, as it shows them."""

    held: Held
    items: list[Record]
    labels: Labels
    after: str | None


def open_pass(service: Service, asking: Asking, key: str | None = None) -> Opened:
    """What the page of a pass shows. Raises `Ended`, `TooMany`, `AnswerWanted`, `Locked`."""
    with snapshot(service) as view:
        held = held_by(view, asking)
        if held.used_up or (key is None) != bool(held.handed.record_id):
            raise Ended
        record, access = record_of(view, held, key)
        permit_answered(held, asking.proof, service.clock())
        names = {held.resource.collection.key, *held.template.shows}
        shown = {name: value for name, value in access.shown(record).items() if name in names}
        labels = labels_of(view, held.caller, held.resource, [shown])
        changeable = tuple(name for name in held.template.changes if access.sets(name) and name in shown)
        told = _told(view, held, record["id"])
    _note_opened(service, held)
    return Opened(held, shown, changeable, told, labels, record["version"])


def open_list(service: Service, asking: Asking, after: str = "") -> Listing:
    """A page of what a pass lists, behind the record with this key. Raises `Ended`, `TooMany`."""
    with snapshot(service) as view:
        held = held_by(view, asking)
        template, resource, caller = held.template, held.resource, held.caller
        if not template.lists:
            raise Ended
        sight = view.sight(caller)
        condition = both(resource.policy.condition("read", sight), left_to_ask(template.where, sight.names))
        if not caller.by_rule:
            maker = Caller(caller.actor, VIA, by_pass=caller.by_pass)
            lending = service.sight(maker, view.follow, view.whole)
            condition = both(condition, resource.policy.condition("pass", lending))
        order = _order(template.sort)
        behind = _behind(view, held, after) if after else None
        place = None if behind is None else tuple(behind[one.field] for one in order)
        page = Page(condition, order=order, after=place, limit=ROWS)
        found, more = resource.records.page(view.reading, page)
        access = resource.policy.fields(sight)
        shown = resource.policy.shown_of(sight, access, found)
        names = {resource.collection.key, *template.shows}
        items = [{name: value for name, value in one.items() if name in names} for one in shown]
        labels = labels_of(view, caller, resource, items)
        last = str(found[-1][resource.collection.key]) if more and found else None
    _note_opened(service, held)
    return Listing(held, items, labels, last)


def _behind(view: View, held: Held, key: str) -> Record | None:
    """The record that a page goes on behind; None where it is none of the list any more: it begins anew."""
    with suppress(Ended):
        return record_of(view, held, key)[0]
    return None


def _order(sort: tuple[str, ...]) -> tuple[Order, ...]:
    steps = [Order(one.removeprefix("-"), one.startswith("-"), ALWAYS) for one in sort]
    return (*steps, Order("id"))


def held_still(service: Service, asking: Asking) -> Held:
    """The pass of a secret, whatever its page asks first. Raises `Ended`, `TooMany`."""
    with snapshot(service) as view:
        return held_by(view, asking)


def _told(view: View, held: Held, record_id: str) -> tuple[Told, ...]:
    if held.template.lists:
        # Many have that link: what one sent is not for the others.
        return ()
    wanted = ProposalsWanted(
        record_id=record_id, pass_number=held.handed.number, newest=True, limit=_MOST_TOLD
    )
    found = []
    for one in view.service.database.proposals.page(view.reading, wanted):
        target = target_of(view, one)
        fields = {} if target is None else fields_today(view, one, target)
        creation = held.template.creation
        seen = held.template.shows if one.kind != "create" else creation.fields if creation else ()
        found.append(Told(one, {name: each for name, (_, each) in fields.items() if name in seen}))
    return tuple(found)


def _note_opened(service: Service, held: Held) -> None:
    """Notes when a pass was first opened."""
    if held.handed.opened_at is not None:
        return

    def work(unit: Work) -> None:
        one = service.database.passes.by_number(unit.writing, held.handed.number)
        if one is not None and one.opened_at is None and one.hash == held.handed.hash:
            service.database.passes.use(unit.writing, replace(one, opened_at=service.now()))

    written(service, work)


# --- choices -----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class Choice:
    """A record that a reference may be changed to: its key, and what people call it."""

    value: Any
    label: str


def choices_of(
    service: Service, asking: Asking, name: str, q: str = "", key: str | None = None
) -> list[Choice]:
    """The records that a reference may be changed to, those first whose keys are; with `q`, those it names.

    Raises `Ended`, also for a field that is no such reference, `TooMany`, `AnswerWanted`, `Locked`.
    """
    if len(q) > 100 or "\0" in q:
        raise Malformed("q is too long. Search for less.")
    with snapshot(service) as view:
        held = held_by(view, asking)
        record, _ = record_of(view, held, key)
        permit_answered(held, asking.proof, service.clock())
        condition = held.template.choices.get(name)
        if condition is None:
            raise Ended
        sight = view.sight(held.caller)
        target = view.target(held.resource.collection.fields[name].references)
        names, words = {**sight.names, "record": record}, q.casefold().split()
        found, looked = list[Choice](), 0
        readable = target.policy.condition("read", sight)
        collection = target.collection
        page = Page(readable, order=(Order(collection.key), Order("id")), limit=_MOST_CHOICES * 4)
        more = True
        while more and looked < _MOST_LOOKED and len(found) < _MOST_CHOICES:
            records, more = target.records.page(view.reading, page)
            for one in records:
                looked += 1
                label = label_of(target.policy.fields(sight, one).shown(one), collection)
                fits = all(word in label.casefold() for word in words)
                if fits and holds(condition, {**names, "each": one}) and len(found) < _MOST_CHOICES:
                    found.append(Choice(one[collection.key], label))
            if records:
                page = replace(page, after=(records[-1][collection.key], records[-1]["id"]))
            view.breathe()
        return found
