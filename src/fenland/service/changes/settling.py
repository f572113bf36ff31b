"""Settling: what a change of one record comes to, whichever way it was asked for.

Creating, updating, replacing, restoring, undoing and erasing work out which fields would get which values,
and come here. What must be asked of such a change is asked here and nowhere else, so that no way of writing
can leave a question out: who may give these fields these values, whether the record may be changed to what
it would be, the limits, the whole record, the collection's checks, other records, and the reason.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from fenland.core.access.field_access import PROTECTIONS, FieldAccess, Record
from fenland.core.access.policy import Caller, Sight
from fenland.core.changes.change import Change, last_of
from fenland.core.definitions.model import Right
from fenland.core.definitions.views import view_problems
from fenland.core.limits import check_record
from fenland.core.problems import Problem, pointer_to
from fenland.core.values.plain import same
from fenland.service.changes.finding import demand_reason, permit
from fenland.service.changes.intent import Intent
from fenland.service.changes.looking import names_around
from fenland.service.changes.others import check_others
from fenland.service.changes.saved import Saved
from fenland.service.changes.sought import around
from fenland.service.service import Resource
from fenland.service.work import View, Work

#: What is said of a value that the caller neither sent nor may see.
_UNDERIVED = "Something that follows from it cannot be kept as it would come out."
_NOT_SAID = "Cannot be worked out from what the record would hold."
_UNSEEN = "What stood there cannot be put back as things are."


def derived(view: View, intent: Intent, problems: list[Problem]) -> tuple[Intent, list[Problem]]:
    """The intent with its derived fields as they come out, and what is wrong with those."""
    resource, stored = intent.resource, intent.stored
    if not resource.rules.derivations.names:
        return intent, []
    found, wrong = derived_values(view, resource, intent.record, problems)
    if stored is not None:
        found = {name: value for name, value in found.items() if not same(stored[name], value)}
    return replace(intent, values={**intent.values, **found}), wrong


def with_consequences(
    view: View, caller: Caller, intent: Intent, problems: list[Problem]
) -> tuple[Intent, list[Problem]]:
    """The intent with its derived fields and what its effects set, and what is wrong with either."""
    resource, stored, record = intent.resource, intent.stored, intent.record
    if not intent.values or not resource.rules.effects.on(intent.trigger):
        return derived(view, intent, problems)

    def derive(whole: Record) -> tuple[Record, list[Problem]]:
        return derived_values(view, resource, whole, problems)

    def sound(whole: Record) -> bool:
        return not problems and resource.rules.is_whole(whole) and not any(check_others(view, caller, intent))

    names = {**names_around(view, caller), "before": _before(intent)}
    beside = replace(around(view), sound=sound)
    whole, wrong, happened = resource.rules.effects.follow(intent.trigger, names, record, derive, beside)
    changed = {name: value for name, value in whole.items() if not same(record[name], value)}
    values = {**intent.values, **changed}
    if stored is not None:
        back = {name for name in changed if same(stored[name], values[name])}
        values = {name: value for name, value in values.items() if name not in back}
    by_rule = intent.by_rule | (changed.keys() - resource.rules.derivations.names)
    effects = ", ".join(map(str, happened))
    return replace(intent, values=values, by_rule=frozenset(by_rule), effects=effects), wrong


def _anything_happens(view: View, caller: Caller, intent: Intent, record: Record) -> bool:
    """Whether the condition of any effect holds, of the record as it would be without: mostly none does."""
    effects, failed = intent.resource.rules.effects, view.service.rule_failed
    names = {**names_around(view, caller), "before": _before(intent), "after": record}
    return any(one.happens(names, failed) for one in effects.on(intent.trigger))


def _before(intent: Intent) -> Mapping[str, Any]:
    """What effects take for the record before; of one that is brought back, its last copy."""
    if intent.stored is None and intent.trigger == "restore":
        return intent.start
    return intent.stored or {}


def settle_by_rule(view: View, caller: Caller, intent: Intent, problems: list[Problem]) -> Intent:
    """The intent of a rule, with its own consequences; adds all that is wrong with it.

    Nobody's rights are asked, and no reason. Raises `TooLarge`.
    """
    intent, wrong = with_consequences(view, caller, intent, problems)
    problems += wrong
    judge(view, caller, intent, problems)
    return intent


def derived_values(
    view: View, resource: Resource, record: Record, problems: list[Problem]
) -> tuple[Record, list[Problem]]:
    """What the derived fields of a record come to, and what is wrong with them besides these problems."""
    told = list(problems)
    found = resource.rules.derivations.values(record, told, view.service.rule_failed, view.follow)
    return found, told[len(problems) :]


def _told(wrong: list[Problem], resource: Resource, sight: Sight, record: Record) -> list[Problem]:
    """What is said of what follows from a change: nothing of fields that the caller may not read."""
    hidden, inputs = resource.policy.fields(sight, record).hidden, resource.rules.derivations.inputs
    found = []
    for one in wrong:
        if one.pointer.split("/", 2)[1] in hidden:
            one = Problem("", one.code, _UNDERIVED)
        elif one.code == "underivable" and not hidden.isdisjoint(inputs[one.pointer]):
            one = Problem(one.pointer, one.code, _NOT_SAID)
        found.append(one)
    return found


def refused_fields(view: View, caller: Caller, intent: Intent) -> dict[str, str]:
    """The given fields that the caller may not give, by rules that ask what the record would be; and why."""
    resource, record, given = intent.resource, intent.record, intent.given
    policy, sight, owner = resource.policy, view.sight(caller), resource.collection.owner
    refused = dict.fromkeys(policy.refused(sight, intent.stored, record, given), "not_permitted")
    if owner is not None and owner in given:
        before = intent.stored or intent.start
        handed = not same(before[owner], given[owner]) and policy.asks_next("transfer", sight, before, given)
        if handed and not policy.may("transfer", sight, before, record):
            refused[owner] = "owner"
    return refused


def protected_problems(refused: Mapping[str, str]) -> list[Problem]:
    """The problems of fields that the caller may not give."""
    return [Problem(pointer_to(name), code, PROTECTIONS[code]) for name, code in refused.items()]


def settle(view: View, caller: Caller, intent: Intent, problems: list[Problem]) -> Intent:
    """Adds all that is wrong with a change, and gives it without what the caller may not give.

    Raises `NotPermitted`, and `TooLarge` for a record over the limits.
    """
    resource, stored, rules = intent.resource, intent.stored, intent.resource.rules
    asked, wrong = derived(view, intent, problems)
    refused = refused_fields(view, caller, asked) if intent.given else {}
    if refused:
        problems += protected_problems(refused)
        asked, wrong = derived(view, intent.without(refused), problems)
    intent, record, sight = asked, asked.record, view.sight(caller)
    right: Right = "create" if stored is None else "update"
    if (stored is None or intent.given) and resource.policy.asks_next(right, sight, stored, intent.values):
        permit(right, resource, sight, stored, record)
    # From here on it is no longer what the caller asked for, but what comes of it.
    if rules.effects.on(intent.trigger) and _anything_happens(view, caller, intent, record):
        intent, wrong = with_consequences(view, caller, intent, problems)
    if wrong:
        problems += _told(wrong, resource, sight, stored or record)
    judge(view, caller, intent, problems)
    demand_reason(caller, resource, intent.reason, problems)
    return intent


def judge(view: View, caller: Caller, intent: Intent, problems: list[Problem]) -> None:
    """Adds what is wrong with a record as it would be. Raises `TooLarge` for one over the limits."""
    resource, stored, record = intent.resource, intent.stored, intent.record
    rules, names = resource.rules, names_around(view, caller)
    check_record(record, intent.values, view.limits)
    rules.validate_whole(record, problems)
    problems += rules.run_checks(names, record, stored, problems)
    rules.check_schemes(intent.values, view.limits.schemes, problems)
    if resource.collection.views:
        problems += _unlistable(view, intent)
    problems += check_others(view, caller, intent)
    if not problems:
        problems += rules.run_functions(names, record, stored)


def _unlistable(view: View, intent: Intent) -> Iterator[Problem]:
    """What of a view, as far as it is changed, no list could be asked by."""
    service, changed = view.service, intent.values.keys()
    bounds = view.limits.expression
    for one in view_problems(intent.record, service.definitions.collections, service.catalog, bounds):
        if "collection" in changed or one.pointer.split("/")[1] in changed:
            yield one


def judge_derived(view: View, caller: Caller, change: Change, problems: list[Problem]) -> None:
    """Adds what is wrong with a record whose derived fields alone changed: as far as they have a say in it.

    Raises `TooLarge` for one over the limits.
    """
    resource, record = view.resource(change.collection), change.result
    values = {name: after for name, (_, after) in change.fields.items()}
    check_record(record, values, view.limits)
    names = names_around(view, caller)
    problems += resource.rules.run_checks(names, record, change.before, problems, asking=values.keys())
    resource.rules.check_schemes(values, view.limits.schemes, problems)
    # What a rule gives is nobody's to be refused.
    by_rule = frozenset(values)
    intent = Intent(resource, change.before, record, values, {}, None, None, by_rule)
    problems += check_others(view, caller, intent)
    if not problems:
        problems += resource.rules.run_functions(names, record, change.before)


def unseen(problems: list[Problem], access: FieldAccess) -> list[Problem]:
    """Problems of values that the caller did not send: of fields that they may not read, no value is told."""
    hidden = {pointer_to(name) for name in access.hidden}
    if not hidden:
        return problems
    return [
        Problem(place, one.code, _UNSEEN)
        if (place := "/" + one.pointer.split("/", 2)[1] if one.pointer else "") in hidden
        else one
        for one in problems
    ]


def saved_as(
    work: Work, caller: Caller, resource: Resource, changes: Sequence[Change], dropped: tuple[str, ...] = ()
) -> Saved:
    """What is answered about a record that the first of these changes: as all of them have left it."""
    last = last_of(changes)
    if last.removes:
        saved = _unshown(resource, last.result, dropped)
    else:
        saved = shown_as_saved(work, caller, resource, last.result, dropped)
    return replace(saved, changes=changes)


def shown_as_saved(
    work: Work, caller: Caller, resource: Resource, record: Record, dropped: tuple[str, ...] = ()
) -> Saved:
    """What is answered about a record that was changed: what its caller will see when they read it next."""
    sight = work.sight(caller)
    if not resource.policy.may("read", sight, record):
        return _unshown(resource, record, dropped)
    access, name = resource.policy.fields(sight, record), resource.collection.name
    return Saved(access.shown(record), True, resource.etag(record, access), name, dropped)


def _unshown(resource: Resource, record: Record, dropped: tuple[str, ...]) -> Saved:
    """Of one that they may not read any more, or that is gone with it: nothing but its id and key."""
    key = resource.collection.key
    known = {"id": record["id"], key: record[key]}
    return Saved(known, True, "", resource.collection.name, dropped, unseen=True)
