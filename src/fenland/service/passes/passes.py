"""Passes: made for records by those who may hand them out, listed, made anew with another link, and revoked.

Who may do any of it to a pass is who may hand out passes for its record, as it is now.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any, Literal, get_args

from fenland.core.access.conditions import both
from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.definitions.model import PassTemplate
from fenland.core.names import did_you_mean
from fenland.core.problems import Conflict, Invalid, NotFound, NotPermitted, Problem
from fenland.service.changes.finding import Address, find
from fenland.service.entering import Did
from fenland.service.handing_out import (
    blank_pass,
    enter_pass,
    hand_out,
    hash_of,
    new_salt,
    new_secret,
    revoke,
)
from fenland.service.passes.holding import (
    MOST_TRIES,
    Held,
    holds,
    is_over,
    left_to_ask,
    lends,
    lent_by,
    template_of,
)
from fenland.service.records.filtering import Filter, filter_condition
from fenland.service.service import Resource, Service
from fenland.service.work import View, Work, snapshot, written
from fenland.storage.door import Order, Page, Pass, PassesWanted

#: Whether something can be done with a pass, and why not: it has no link yet, was revoked, is over, was used
#: as often as may be, is locked; or what it is for, or who made it, does not allow it any more (`idle`).
PassState = Literal["good", "no link", "revoked", "over", "used up", "locked", "idle"]
STATES: tuple[PassState, ...] = get_args(PassState)
#: Days that a pass can be good, and passes of a letter run that share a transaction.
MOST_DAYS, _TOGETHER = 3_650, 250
#: Records that a letter run reads at a time, and passes that one removal looks through.
_AT_A_TIME = 250


@dataclass(frozen=True, slots=True)
class PassRequest:
    """A pass as asked: of which template, and for which record; a list is for none."""

    collection: str
    template: str
    address: Address | None = None
    days: int | None = None


@dataclass(frozen=True, slots=True)
class Made:
    """A pass that was made, or made anew, and its secret, which is shown this once."""

    handed: Pass
    secret: str


@dataclass(frozen=True, slots=True)
class Standing:
    """A pass, and how it stands."""

    handed: Pass
    state: PassState


# --- who may -----------------------------------------------------------------------------------------------


def _template(resource: Resource, name: str) -> PassTemplate:
    found = resource.collection.passes.get(name)
    if found is None:
        hint = did_you_mean(name, resource.collection.passes)
        raise NotFound(f"{resource.collection.name} has no template {name!r} of passes. {hint}")
    return found


def _permit_themselves(caller: Caller) -> None:
    if not caller.is_themselves:
        raise NotPermitted(
            "A pass lends the rights of the account that makes it. Make it as yourself: not for another, not "
            "with a token of limited scope, and not with one of an outside issuer."
        )


def may_hand_out(view: View, caller: Caller, resource: Resource, record: Record | None) -> bool:
    """Whether the caller may hand out passes for a record; for the list of all, whether for any."""
    sight, policy = view.sight(caller), resource.policy
    if record is None:
        return policy.ever("pass", sight) and policy.ever("read", sight)
    return policy.may("pass", sight, record) and policy.may("read", sight, record)


def _permit(view: View, caller: Caller, resource: Resource, record: Record | None) -> None:
    if not may_hand_out(view, caller, resource, record):
        who = caller.actor.title or caller.actor.name
        raise NotPermitted(f"{who} may hand out no passes here. Ask somebody whose role allows it.")


# --- making ------------------------------------------------------------------------------------------------


def make_pass(service: Service, caller: Caller, request: PassRequest) -> Made:
    """Makes a pass, with its secret. Raises `NotFound`, `NotPermitted`, `Invalid`, `Conflict`."""
    service.resource(request.collection)
    _check_days(request.days)

    def work(unit: Work) -> Made:
        resource, template, record = _asked(unit, caller, request)
        blank = blank_pass(service, resource.collection.name, template, request.days)
        about, number, secret = _made(unit, caller, resource, record, blank)
        return Made(replace(about, number=number), secret)

    return written(service, work)


def _asked(view: View, caller: Caller, request: PassRequest) -> tuple[Resource, PassTemplate, Record | None]:
    """What a pass is asked for, which may be made."""
    resource, record = view.resource(request.collection), None
    if request.address is not None:
        resource, record = find(view, caller, request.address)
    _permit(view, caller, resource, record)
    _permit_themselves(caller)
    template = _template(resource, request.template)
    if template.lists != (record is None):
        wanted = "is for a list. Leave key out." if template.lists else "is for one record. Send its key."
        raise Invalid([Problem("/key", "not_required" if template.lists else "required", f"It {wanted}")])
    if record is not None and not _fits(view, caller, template, record):
        raise Conflict(f"{template.title}: this record is none that the template is for.")
    return resource, template, record


def _fits(view: View, caller: Caller, template: PassTemplate, record: Record) -> bool:
    return holds(template.where, {**view.sight(caller).names, "record": record})


def _made(
    work: Work, caller: Caller, resource: Resource, record: Record | None, blank: Pass
) -> tuple[Pass, int, str]:
    """Makes a pass like a blank one for a record, or for none; that, its number and its secret."""
    secret, collection = new_secret(), resource.collection
    # There may be very many of them: all at once, since each copy costs as much as keeping it.
    about = replace(
        blank,
        id=work.service.new_id(),
        record_id="" if record is None else record["id"],
        key=None if record is None else record[collection.key],
        maker=caller.actor.name,
        hash=hash_of(secret),
        salt=new_salt(),
    )
    return about, hand_out(work.service, work.writing, about, caller), secret


def _check_days(days: int | None) -> None:
    if days is not None and not 1 <= days <= MOST_DAYS:
        raise Invalid([Problem("/days", "maximum", f"Must be a whole number from 1 to {MOST_DAYS}.")])


# --- a letter run ------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class RunRequest:
    """Passes for all records of a list that their maker may hand out some for."""

    collection: str
    template: str
    filter: Filter
    days: int | None = None


@dataclass(frozen=True, slots=True)
class Letter:
    """One of them: its number and secret, key and name of its record, and until when it is good."""

    number: int
    key: Any
    name: str
    secret: str
    expires_at: str


def letter_run(service: Service, caller: Caller, request: RunRequest) -> tuple[str, Iterator[list[Letter]]]:
    """The id of a run, and its passes, some at a time, each as soon as they are durable.

    Raises at once what can be known beforehand. A run that is broken off has made those that it gave, and
    at most as many more as share a transaction; by its id all of them can be revoked.
    """
    resource = service.resource(request.collection)
    _check_days(request.days)
    with snapshot(service, caller) as view:
        _permit(view, caller, resource, None)
        _permit_themselves(caller)
        template = _template(resource, request.template)
        if template.lists:
            raise Invalid([Problem("/template", "enum", "It is for a list, and for no one record.")])
        filter_condition(view, caller, resource, request.filter)
    run = service.new_batch()
    return run, _portions(service, caller, request, template, run)


def _portions(
    service: Service, caller: Caller, request: RunRequest, template: PassTemplate, run: str
) -> Iterator[list[Letter]]:
    after: tuple[Any, ...] | None = None
    while True:

        def work(unit: Work, after: tuple[Any, ...] | None = after) -> tuple[list[Letter], Any]:
            return _portion(unit, caller, request, (template, run, after))

        found, after = written(service, work)
        if found:
            yield found
        if after is None:
            return


def _portion(
    work: Work, caller: Caller, request: RunRequest, going: tuple[PassTemplate, str, tuple[Any, ...] | None]
) -> tuple[list[Letter], tuple[Any, ...] | None]:
    """The next passes of a run, and behind which record it goes on; None at its end."""
    template, run, after = going
    resource = work.resource(request.collection)
    sight, policy, collection = work.sight(caller), resource.policy, resource.collection
    condition = both(
        filter_condition(work, caller, resource, request.filter),
        policy.condition("pass", sight),
        left_to_ask(template.where, sight.names),
    )
    page = Page(condition, order=(Order("id"),), after=after, limit=_AT_A_TIME)
    records, more = resource.records.page(work.reading, page)
    found, blank = [], blank_pass(work.service, collection.name, template, request.days)
    blank = replace(blank, run=run)
    naming = None if collection.naming == collection.key else collection.naming
    for record in records:
        about, number, secret = _made(work, caller, resource, record, blank)
        name = policy.fields(sight, record).shown(record).get(naming) if naming else None
        found.append(Letter(number, about.key, str(name or ""), secret, about.expires_at))
    return found, (records[-1]["id"],) if more and records else None


# --- reading -----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class PassesRequest:
    """A page of passes of a collection, the newest first; `address` is of the record that they are for."""

    collection: str
    template: str | None = None
    address: Address | None = None
    run: str | None = None
    below: int = 2**62
    limit: int = 50


@dataclass(frozen=True, slots=True)
class PassPage:
    """Passes that the caller may know of, and below which number there may be more."""

    items: list[Standing]
    next: int | None


def list_passes(service: Service, caller: Caller, request: PassesRequest) -> PassPage:
    """A page of passes. Raises `NotFound`, `NotPermitted`."""
    with snapshot(service, caller) as view:
        resource = view.resource(request.collection)
        record = None if request.address is None else find(view, caller, request.address)[1]
        _permit(view, caller, resource, record)
        of = None if record is None else record["id"]
        found, below, more = list[Standing](), request.below, True
        names = _names_of(view, resource)
        while len(found) < request.limit and more:
            page = [
                one
                for name in names
                for one in service.database.passes.page(
                    view.reading, PassesWanted(name, request.template, of, request.run, below, _AT_A_TIME)
                )
            ]
            page = sorted(page, key=lambda one: one.number, reverse=True)[:_AT_A_TIME]
            more = len(page) == _AT_A_TIME
            for one in page:
                below = one.number
                if _known(view, caller, one):
                    found.append(Standing(one, state_of(view, one)))
                    if len(found) == request.limit:
                        more = True
                        break
            view.breathe()
    return PassPage(found, below if more and found else None)


def _names_of(view: View, resource: Resource) -> list[str]:
    lineage = view.service.lineage(resource)
    return [resource.collection.name] if lineage is None else lineage.names


def _known(view: View, caller: Caller, one: Pass) -> bool:
    """Whether the caller may hand out passes for what this one is for; of a record that is gone, for any."""
    lent = template_of(view.service, one)
    resource = lent[0] if lent else view.service.resources.get(one.collection)
    if resource is None:
        return False
    record = view.find(resource, "id", one.record_id) if one.record_id else None
    return may_hand_out(view, caller, resource, record)


def find_pass(view: View, caller: Caller, number: int) -> Pass:
    """The pass of this number. Raises `NotFound`, also for one that the caller may not know of."""
    found = view.service.database.passes.by_number(view.reading, number)
    if found is None or not _known(view, caller, found):
        raise NotFound(f"There is no pass {number} that you may see.")
    return found


def read_pass(service: Service, caller: Caller, number: int) -> Standing:
    """A pass and how it stands. Raises `NotFound`."""
    with snapshot(service, caller) as view:
        found = find_pass(view, caller, number)
        return Standing(found, state_of(view, found))


def state_of(view: View, one: Pass) -> PassState:
    """How a pass stands now."""
    if one.revoked_at is not None:
        return "revoked"
    # Its time begins with its first link.
    if one.hash is not None and is_over(view.service, one):
        return "over"
    lent = template_of(view.service, one)
    caller = None if lent is None else lent_by(view, one, lent[1], lent[0])
    if lent is None or caller is None:
        return "idle"
    held = Held(one, lent[1], lent[0], caller)
    if one.record_id:
        record = view.find(lent[0], "id", one.record_id)
        if record is None or not lends(view, held, record):
            return "idle"
    if held.used_up:
        return "used up"
    if one.hash is None:
        return "no link"
    return "locked" if held.locked else "good"


# --- changing ----------------------------------------------------------------------------------------------


def renew_pass(service: Service, caller: Caller, number: int, days: int | None = None) -> Made:
    """Gives a pass another link, good for as long as a new one; the one before is good no more.

    It lends the rights of who renews it from then on. Raises `NotFound`, `NotPermitted`, `Conflict`.
    """
    _check_days(days)

    def work(unit: Work) -> Made:
        one = find_pass(unit, caller, number)
        _permit_themselves(caller)
        lent = template_of(service, one)
        if lent is None or one.revoked_at is not None:
            why = "it was revoked" if one.revoked_at else "its template is no more"
            raise Conflict(f"Pass {number} cannot be made anew: {why}. Make another.")
        fresh, secret = blank_pass(service, one.collection, lent[1], days), new_secret()
        after = replace(
            one,
            hash=hash_of(secret),
            salt=fresh.salt,
            expires_at=fresh.expires_at,
            maker=caller.actor.name,
            sent=0,
            tries=0,
            opened_at=None,
            version=one.version + 1,
        )
        unit.service.database.passes.change(unit.writing, after)
        changes: dict[str, tuple[Any, Any]] = {"link": (None, "changed")}
        changes["expires_at"] = (one.expires_at, after.expires_at)
        enter_pass(service, unit.writing, after, Did("update", changes), caller)
        return Made(after, secret)

    return written(service, work)


def unlock_pass(service: Service, caller: Caller, number: int) -> Standing:
    """Has second answers taken again that were wrong too often. Raises `NotFound`."""

    def work(unit: Work) -> Standing:
        one = find_pass(unit, caller, number)
        if one.tries >= MOST_TRIES:
            after = replace(one, tries=0, version=one.version + 1)
            unit.service.database.passes.change(unit.writing, after)
            enter_pass(service, unit.writing, after, Did("update", {"locked": (True, False)}), caller)
            one = after
        return Standing(one, state_of(unit, one))

    return written(service, work)


def revoke_pass(service: Service, caller: Caller, number: int) -> None:
    """Ends a pass for good, at once. Raises `NotFound`."""

    def work(unit: Work) -> None:
        revoke(service, unit.writing, find_pass(unit, caller, number), caller)

    written(service, work)


def revoke_passes(service: Service, caller: Caller, request: PassesRequest) -> int:
    """Ends all passes of a template, or of a run, that the caller may hand out; how many. Some at a time.

    Raises `NotFound`, `NotPermitted`.
    """
    with snapshot(service, caller) as view:
        resource = view.resource(request.collection)
        _permit(view, caller, resource, None)
        names = _names_of(view, resource)
    count = 0
    for name in names:
        below: int | None = request.below
        while below is not None:

            def work(unit: Work, name: str = name, below: int = below) -> tuple[int, int | None]:
                wanted = PassesWanted(name, request.template, None, request.run, below, _TOGETHER)
                found = service.database.passes.page(unit.writing, wanted)
                mine = [one for one in found if _known(unit, caller, one)]
                ended = sum(revoke(service, unit.writing, one, caller) for one in mine)
                return ended, found[-1].number if len(found) == _TOGETHER else None

            ended, below = written(service, work)
            count += ended
    return count
