"""Presence: who else has a record open now, and who edits it. A courtesy: nothing is locked, nothing kept."""

from __future__ import annotations

from typing import Literal, NamedTuple

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.service.accounts.callers import actor_of
from fenland.service.changes.finding import Address, find
from fenland.service.service import Resource, Service
from fenland.service.work import View, snapshot
from fenland.storage.door import Present

#: Seconds for which somebody is there who said so; it is to be said again before.
LASTS = 20

#: What somebody does with a record: `gone` is who has closed it, or only wants to know.
Doing = Literal["reading", "editing", "gone"]


class Here(NamedTuple):
    """What the caller says of themselves: in which of their windows, and what they do there."""

    window: str
    doing: Doing


class Other(NamedTuple):
    """Somebody else who is there."""

    account: str
    title: str
    editing: bool


def meet(service: Service, caller: Caller, address: Address, here: Here) -> list[Other]:
    """Notes that the caller is at a record, or is no more, and says who else is: of those who may read it.

    Raises `NotFound` where they may not read it themselves.
    """
    name, now = (caller.acting or caller.actor).name, service.clock().timestamp()
    with snapshot(service, caller) as view:
        resource, record = find(view, caller, address)
        place, presence = f"{resource.collection.name} {record['id']}", service.database.presence
        if here.doing == "gone":
            presence.leave(place, here.window, name)
        else:
            presence.enter(place, here.window, Present(name, here.doing == "editing"), now + LASTS)
        others = [one for one in presence.there(place, now) if one.name != name]
        told = (_other(view, resource, record, one) for one in others)
        return [one for one in told if one is not None]


def _other(view: View, resource: Resource, record: Record, one: Present) -> Other | None:
    """Somebody, as others are told of them; None where they may not read the record any more."""
    account = view.service.database.accounts.by_name(view.reading, one.name)
    if account is None:
        # An outside issuer says what they may, when they ask.
        return Other(one.name, one.name, one.editing)
    sight = view.service.sight(Caller(actor_of(account)), view.follow, view.whole)
    if account.disabled or not resource.policy.may("read", sight, record):
        return None
    return Other(one.name, account.title, one.editing)
