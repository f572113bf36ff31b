"""Holding: what the holder of a secret may see and propose, found out anew for each request.

A pass lends the rights of its maker as they are now, cut by its template; of one that a rule made, and
wherever passes outlive their makers, the template alone decides. Nothing tells a wrong secret from one that
is over: whatever stands in the way of all use raises `Ended`, with the same words.
"""

from __future__ import annotations

import hmac
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any

from fenland.core.access.conditions import ALWAYS, Condition, condition_of
from fenland.core.access.field_access import FieldAccess, Record
from fenland.core.access.policy import Actor, ByPass, Caller, Scope
from fenland.core.definitions.catalog import AROUND_RULES
from fenland.core.definitions.model import Collection, PassTemplate
from fenland.core.evolving.lineage import current_name
from fenland.core.expressions import EvaluationError, compiled
from fenland.core.expressions.checking import Checked
from fenland.core.expressions.reducing import reducer
from fenland.core.problems import NotFound, NotPermitted, TooMany
from fenland.service.accounts.callers import actor_of
from fenland.service.addresses import counted_as
from fenland.service.changes.finding import lookup_value
from fenland.service.handing_out import hash_of
from fenland.service.service import Resource, Service
from fenland.service.work import View, Work, snapshot, written
from fenland.storage.door import Pass

#: How asking by a pass is told in the history.
VIA = "pass"
#: Second answers that may be wrong, one after the other.
MOST_TRIES = 5
#: Wrong secrets within a quarter of an hour: from one address, and in all before one from each is too many.
_MOST_WRONG, _MOST_WRONG_IN_ALL, _WINDOW = 20, 2_000, 900
#: Longer than any secret, and than any answer.
_LONGEST = 200
#: Seconds for which a second answer counts as given, and digits of a moment at most.
_PROVEN, _DIGITS = 3_600, 12


class Ended(NotFound):
    """Nothing can be seen or sent by this link: a wrong one, or one that is over, whyever."""

    def __init__(self) -> None:
        super().__init__("This link is not good, or not good any more. Ask whoever sent it for another.")


class AnswerWanted(NotPermitted):
    """What only the holder knows was not said yet."""

    def __init__(self) -> None:
        super().__init__("Say first what you were asked.")


class Locked(NotPermitted):
    """Too many answers were wrong."""

    def __init__(self) -> None:
        super().__init__("Too many answers were wrong. Ask whoever sent the link to unlock it.")


@dataclass(frozen=True, slots=True)
class Asking:
    """Who asks by a link: its secret, from which address, and the id of the request."""

    secret: str
    address: str = ""
    request_id: str = ""
    #: What shows that the second answer was given; see `proof_for`.
    proof: str = ""


@dataclass(frozen=True, slots=True)
class Held:
    """A pass that is good, with what it is for; `caller` has the rights that it lends."""

    handed: Pass
    template: PassTemplate
    resource: Resource
    caller: Caller

    @property
    def used_up(self) -> bool:
        """Whether nothing more can be sent by it."""
        return 0 < self.template.uses <= self.handed.sent

    @property
    def locked(self) -> bool:
        """Whether too many second answers were wrong."""
        return bool(self.template.answer) and self.handed.tries >= MOST_TRIES


def held_by(view: View, asking: Asking) -> Held:
    """The pass of this secret. Raises `Ended`, and `TooMany` where too many wrong ones came."""
    service = view.service
    # Nothing is looked for in secrets that are too long; a hash is compared all the same.
    found = service.database.passes.by_hash(view.reading, hash_of(asking.secret[:_LONGEST]))
    refuse_guessing(service, asking.address)
    held = None if found is None or is_over(service, found) else _held(view, found, asking.request_id)
    if held is None:
        note_guess(service, asking.address)
        raise Ended
    return held


def is_over(service: Service, one: Pass) -> bool:
    """Whether a pass was revoked, or its time is over."""
    return one.revoked_at is not None or one.expires_at <= service.now()


def _held(view: View, one: Pass, request_id: str) -> Held | None:
    lent = template_of(view.service, one)
    if lent is None:
        return None
    resource, template = lent
    caller = lent_by(view, one, template, resource, request_id)
    return None if caller is None else Held(one, template, resource, caller)


def template_of(service: Service, one: Pass) -> tuple[Resource, PassTemplate] | None:
    """The collection of a pass, as it is called by now, and its template; None where either is no more."""
    number = service.database.number
    name = one.collection
    if one.definitions != number:
        name = current_name(service.passages, one.definitions, name)
    resource = service.resources.get(name)
    template = None if resource is None else resource.collection.passes.get(one.template)
    return None if resource is None or template is None else (resource, template)


def lent_by(
    view: View, one: Pass, template: PassTemplate, resource: Resource, request_id: str = ""
) -> Caller | None:
    """Who asks by a pass, with the rights that it lends; None where its maker has none to lend any more."""
    by = ByPass(one.number, template.name, one.maker or one.rule)
    scope = scope_of(view.service.resources, resource.collection, template)
    if not one.maker or view.service.outsiders.outlive:
        return Caller(Actor(by.name), VIA, request_id, scope=scope, by_rule=True, by_pass=by)
    account = view.account(one.maker)
    if account is None or account.disabled:
        return None
    return Caller(actor_of(account), VIA, request_id, scope=scope, by_pass=by)


def scope_of(resources: Mapping[str, Resource], own: Collection, template: PassTemplate) -> Scope:
    """What of its maker's rights a template lends."""
    rights, shows, sets = {"read", "update"}, dict[str, frozenset[str]](), dict[str, frozenset[str]]()
    targets = [resources[str(own.fields[name].references)].collection for name in template.choices]
    # Of what a reference names no more is seen than what names it.
    named = [own.fields[name].references for name in template.shows]
    targets += [resources[one].collection for one in named if one is not None]
    if (creation := template.creation) is not None:
        fields = resources[creation.collection].collection.fields
        given = (fields[name].references for name in creation.given)
        targets += [resources[one].collection for one in given if one is not None]
        rights.add("create")
        if resources[creation.collection].collection.owner in creation.given:
            # Whose it is to be says the template, as far as its maker may say that.
            rights.add("transfer")
        theirs = frozenset((*creation.fields, *creation.given))
        shows[creation.collection] = sets[creation.collection] = theirs
    for target in targets:
        shows[target.name] = shows.get(target.name, frozenset()) | {target.key, target.naming}
    shows[own.name] = shows.get(own.name, frozenset()) | {own.key, *template.shows}
    sets[own.name] = sets.get(own.name, frozenset()) | frozenset(template.changes)
    return Scope(frozenset(rights), frozenset(shows), shows, sets)


# --- the record --------------------------------------------------------------------------------------------


def record_of(view: View, held: Held, key: str | None = None) -> tuple[Record, FieldAccess]:
    """The record that a pass is for, or the one with this key of those that it lists. Raises `Ended`."""
    resource, one = held.resource, held.handed
    if one.record_id:
        record = view.find(resource, "id", one.record_id) if key is None else None
    else:
        name = resource.collection.key
        value = None if key is None else lookup_value(resource, name, key)
        record = None if value is None else view.find(resource, name, value)
    if record is None or not lends(view, held, record):
        raise Ended
    return record, resource.policy.fields(view.sight(held.caller), record)


def lends(view: View, held: Held, record: Record) -> bool:
    """Whether the pass is good for a record: the template is, and its maker may hand out passes for it."""
    caller, policy = held.caller, held.resource.policy
    if not caller.by_rule:
        # Not what is lent: whether it may be.
        maker = Caller(caller.actor, VIA, by_pass=caller.by_pass)
        if not policy.may("pass", view.service.sight(maker, view.follow, view.whole), record):
            return False
    sight = view.sight(caller)
    return policy.may("read", sight, record) and holds(held.template.where, {**sight.names, "record": record})


def holds(condition: Checked | None, names: Mapping[str, Any]) -> bool:
    """Whether a condition of a template holds; one that cannot be evaluated does not."""
    if condition is None:
        return True
    try:
        return compiled(condition.tree)(names) is True
    except EvaluationError:
        return False


def left_to_ask(condition: Checked | None, names: Mapping[str, Any]) -> Condition:
    """What a condition over `record` still asks of records, once all else is known."""
    if condition is None:
        return ALWAYS
    return condition_of(reducer(condition.tree, frozenset({*AROUND_RULES}))(names))


# --- the second answer -------------------------------------------------------------------------------------


def proof_for(held: Held, now: datetime) -> str:
    """What shows for a while that the second answer was given: until when, and a code of ours."""
    until = str(int(now.timestamp()) + _PROVEN)
    return f"{until}.{_code(held.handed, until)}"


def permit_answered(held: Held, proof: str, now: datetime) -> None:
    """Raises `Locked`, and `AnswerWanted` unless the second answer was given, where one is asked for."""
    if not held.template.answer:
        return
    if held.locked:
        raise Locked
    until, _, code = proof.partition(".")
    good = until.isascii() and until.isdigit() and len(until) < _DIGITS and int(until) > now.timestamp()
    right = hmac.compare_digest(code.encode("utf-8", "replace"), _code(held.handed, until).encode())
    if not (good and right):
        raise AnswerWanted


def _code(one: Pass, until: str) -> str:
    # The salt is shown nowhere, and another one comes with another link.
    return hmac.new(
        one.salt.encode(), f"{one.number} {until}".encode("utf-8", "replace"), "sha256"
    ).hexdigest()


def give_answer(service: Service, asking: Asking, text: str) -> str | None:
    """What proves that a second answer was right; None where it was wrong. Raises `Ended`, `Locked`."""
    with snapshot(service) as view:
        held_by(view, asking)

    def work(unit: Work) -> str | None:
        held = held_by(unit, asking)
        if not held.template.answer:
            raise Ended
        record, _ = record_of(unit, held)
        if held.locked:
            raise Locked
        right = is_answer(held, record, text)
        tries = 0 if right else held.handed.tries + 1
        if tries != held.handed.tries:
            service.database.passes.use(unit.writing, replace(held.handed, tries=tries))
        return proof_for(held, service.clock()) if right else None

    return written(service, work)


def is_answer(held: Held, record: Record, text: str) -> bool:
    """Whether a text is what the record holds, spaces and case apart."""
    value: Any = record
    for step in held.template.answer:
        value = value.get(step) if isinstance(value, dict) else None
    known = "" if value is None else _plain([str(value)])
    given = _plain([text[:_LONGEST]])
    # Compared also where nothing is known, so that its time tells nothing.
    right = hmac.compare_digest(given.encode("utf-8", "replace"), known.encode("utf-8", "replace"))
    return right and bool(known)


def _plain(texts: Iterable[str]) -> str:
    return "".join("".join(texts).split()).casefold()


# --- guessing ----------------------------------------------------------------------------------------------


def refuse_guessing(service: Service, address: str) -> None:
    """Raises `TooMany` where too many wrong secrets came from an address, or one did while many come."""
    counters, now = service.database.counters, service.clock().timestamp()
    mine = counters.count(_place(address), _WINDOW, now, 0)
    every = counters.count(_place(), _WINDOW, now, 0)
    most = _MOST_WRONG if every.times < _MOST_WRONG_IN_ALL else 1
    if mine.times >= most:
        raise TooMany(
            f"Too many links from here were wrong. Wait {mine.left} seconds.",
            headers={"Retry-After": str(mine.left)},
        )


def note_guess(service: Service, address: str) -> None:
    """Counts a secret that was wrong, or over."""
    counters, now = service.database.counters, service.clock().timestamp()
    for place in (_place(address), _place()):
        counters.count(place, _WINDOW, now)


def _place(address: str | None = None) -> str:
    return "wrong links" if address is None else f"wrong links from {counted_as(address)}"
