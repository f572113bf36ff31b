"""Explaining: for one record and one actor, what they may, by which rule, and which part of it decided."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from fenland.core.access.explaining import deciding, matrix
from fenland.core.access.field_access import PROTECTIONS, Record
from fenland.core.access.knowing import Known
from fenland.core.access.policy import Caller, Sight
from fenland.core.consequences.telling import Consequence, consequences_of
from fenland.core.definitions.model import EVERYONE, OWNER, RIGHTS, Rule
from fenland.service.accounts.accounts import permit_managing, there
from fenland.service.accounts.callers import actor_of
from fenland.service.changes.finding import Address, find
from fenland.service.service import Resource, Service
from fenland.service.work import View, snapshot


@dataclass(frozen=True, slots=True)
class _Judged:
    """An actor before a record; `names` say as much of it as whoever asks may know."""

    resource: Resource
    sight: Sight
    record: Record
    names: Mapping[str, Any]


def explain(service: Service, caller: Caller, address: Address, account: str | None = None) -> dict[str, Any]:
    """What the caller may do with a record, or a named account if they manage accounts.

    Of conditions only what the caller may know is told. Raises `NotFound`, `NotPermitted`.
    """
    with snapshot(service) as view:
        resource, record = find(view, caller, address)
        sight = view.sight(caller)
        names = Known(service.policies, sight).names(resource.collection.name, record)
        if account is not None and account != caller.actor.name:
            permit_managing(service, caller)
            other = Caller(actor_of(there(service, view.reading, account)))
            # Who manages accounts sees the rules at work, as the rules themselves see the record.
            sight = view.sight(other)
            names = {**sight.names, "record": record}
        judged = _Judged(resource, sight, record, names)
        rules = resource.collection.access
        return {
            "account": sight.actor.name,
            "rights": {
                right: _right(judged, right, rules.get(right)) for right in RIGHTS if right != "create"
            },
            "fields": {name: _field(judged, name) for name in resource.collection.fields},
        }


def _right(judged: _Judged, right: Any, rule: Rule | None) -> dict[str, Any]:
    allowed = judged.resource.policy.may(right, judged.sight, judged.record)
    scope = judged.sight.caller.scope
    if scope is not None and not scope.allows(right, judged.resource.collection.name):
        return {"allowed": False, "because": "The token does not reach this far."}
    return {"allowed": allowed, **_judgement(judged, rule)}


def _field(judged: _Judged, name: str) -> dict[str, Any]:
    policy, item = judged.resource.policy, judged.resource.collection.fields[name]
    access = policy.fields(judged.sight, judged.record)
    updating = policy.may("update", judged.sight, judged.record)
    judgement: dict[str, Any] = {
        "read": {"allowed": name not in access.hidden, **_judgement_if(judged, item.access.get("read"))},
        "update": {
            "allowed": updating and access.sets(name),
            **_judgement_if(judged, item.access.get("update")),
        },
    }
    if item.write_only:
        judgement["read"]["because"] = "It can be written, and never read."
    code = access.protected.get(name)
    if code is not None and code != "not_permitted":
        judgement["update"]["because"] = PROTECTIONS[code]
    elif not updating:
        judgement["update"]["because"] = "The record itself may not be changed."
    return judgement


def _judgement_if(judged: _Judged, rule: Rule | None) -> dict[str, Any]:
    return {} if rule is None else _judgement(judged, rule)


def _judgement(judged: _Judged, rule: Rule | None) -> dict[str, Any]:
    if rule is None:
        return {"because": "No rule grants it."}
    judgement: dict[str, Any] = {"rule": str(rule), "file": rule.file, "line": rule.line}
    if rule.grants is not None:
        judgement["because"] = _listed(judged, rule.grants)
    if rule.condition is not None:
        judgement["parts"] = [part.as_json() for part in deciding(rule.condition.tree, judged.names)]
        if rule.next_fields:
            judgement["depends"] = (
                "It also asks what the record would be, so it is judged again with each change."
            )
    return judgement


def _listed(judged: _Judged, grants: frozenset[str]) -> str:
    actor, owner = judged.sight.actor, judged.resource.collection.owner
    if EVERYONE in grants:
        return "Everyone may."
    roles = sorted(grants & actor.roles)
    if roles:
        return f"The role {roles[0]} is on the list."
    if OWNER in grants and owner is not None:
        return "The record is theirs." if judged.record[owner] == actor.name else "The record is not theirs."
    return "None of their roles is on the list."


def rules_of(service: Service, collection: str) -> dict[str, Any]:
    """The rules of a collection by role, for people to read. Raises `NotFound`."""
    return matrix(service.resource(collection).collection, service.definitions.roles)


def consequences_in(view: View, caller: Caller, collection: str) -> tuple[list[Consequence], int]:
    """What follows in a collection and from changes there, for people to read; and how much more there is.

    That is what is about fields that the caller can read of no record. Raises `NotFound`.
    """
    sight, told, unseen = view.sight(caller), list[Consequence](), 0
    view.resource(collection)

    def readable(place: str) -> bool:
        name, _, field = place.partition(".")
        policy = view.resource(name).policy
        return policy.ever("read", sight) and field not in policy.fields(sight).hidden

    for one in consequences_of(view.service.definitions):
        if collection not in (one.by, one.place.partition(".")[0]):
            continue
        if all(map(readable, (one.place, *one.sources, *one.asks))):
            told.append(one)
        else:
            unseen += 1
    return told, unseen
