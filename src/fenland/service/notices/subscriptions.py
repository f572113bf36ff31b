"""Subscriptions: which other systems are sent what; added, changed and removed by those who may.

A subscription acts with the rights of an account. Who manages accounts manages all of them; who may have some
of their own, those that act as themselves and are sent nothing but what they see.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass, fields, replace
from datetime import timedelta
from typing import Any, get_args
from urllib.parse import SplitResult, urlsplit

from fenland.core.access.policy import Caller
from fenland.core.history.entries import SUBSCRIPTIONS
from fenland.core.names import NOTICE, did_you_mean
from fenland.core.problems import (
    Conflict,
    Invalid,
    NotFound,
    NotPermitted,
    Problem,
    Refusal,
    Unavailable,
    VersionMismatch,
)
from fenland.core.values.plain import MISSING
from fenland.service.accounts.accounts import NAME, NAME_RULE, manages
from fenland.service.accounts.callers import actor_of
from fenland.service.entering import About, Did, enter_about, parts_changed
from fenland.service.feed.changes import Data, Following, Place, followed
from fenland.service.feed.cloudevents import RESET, place_of
from fenland.service.notices.signing import new_secret
from fenland.service.service import Service
from fenland.storage.door import Delivery, Reading, Secret, Subscription, Writing

#: What stands for all collections, or all notices; and what may stand beside events.
ALL = "*"
_DATA = get_args(Data)
_LONGEST_URL, _MOST_NAMES = 2_000, 100
#: Entries that are looked through at a time for one of them: the others wait meanwhile. Records are known by
#: what has become of them since, so that little at a time would cost more in all.
_MOST_LOOKED = 1_000
_HOST = re.compile(r"[A-Za-z0-9.:_-]+")
#: What decides which events are sent: with another, a copy of what was sent so far is not right any more.
_DECISIVE = ("account", "collections", "where")
#: Secrets that sign at a time.
_MOST_SECRETS = 5


@dataclass(frozen=True, slots=True)
class SubscriptionChange:
    """What is to change of a subscription; `MISSING` stays."""

    account: Any = MISSING
    url: Any = MISSING
    collections: Any = MISSING
    where: Any = MISSING
    data: Any = MISSING
    notices: Any = MISSING
    paused: Any = MISSING

    def of(self, before: Subscription) -> Subscription:
        """The subscription with what is given."""
        given = {one.name: getattr(self, one.name) for one in fields(self)}
        given = {name: value for name, value in given.items() if value is not MISSING}
        for name in ("collections", "notices"):
            if name in given:
                given[name] = tuple(dict.fromkeys(given[name]))
        if "paused" in given:
            given["why"] = ""
        return replace(before, **given)


# --- who may ---------------------------------------------------------------------------------------------


def _may_have(service: Service, caller: Caller) -> bool:
    return caller.is_themselves and not service.outward.subscribers.isdisjoint(caller.actor.roles)


def may_subscribe(service: Service, caller: Caller) -> bool:
    """Whether the caller may have anything sent to other systems."""
    return manages(service, caller) or _may_have(service, caller)


def permit_subscribing(service: Service, caller: Caller) -> None:
    """Raises `NotPermitted` to who may have nothing sent."""
    if not may_subscribe(service, caller):
        raise NotPermitted(
            "Subscriptions are for those whose role the setting account_subscribers, or account_managers, "
            "names. Ask one of them."
        )


def _theirs(service: Service, caller: Caller, one: Subscription) -> bool:
    # What effects say is not judged by anybody's rights.
    own = one.account == caller.actor.name and not one.notices
    return manages(service, caller) or (own and _may_have(service, caller))


def caller_for(service: Service, reading: Reading, one: Subscription) -> Caller | None:
    """Who a subscription acts as; None where the account may nothing any more."""
    account = service.database.accounts.by_name(reading, one.account)
    if account is None or account.disabled:
        return None
    return Caller(actor_of(account), via="subscription")


def following_of(one: Subscription, place: Place, limit: int, data: str | None = None) -> Following:
    """What a subscription follows of the feed."""
    chosen = () if ALL in one.collections else one.collections
    return Following(place, chosen, one.where, limit, data or one.data, _MOST_LOOKED)  # type: ignore[arg-type]


# --- reading -----------------------------------------------------------------------------------------------


def there(service: Service, reading: Reading, caller: Caller, name: str) -> Subscription:
    """The subscription of this name. Raises `NotPermitted`; `NotFound` also for one that is not theirs."""
    permit_subscribing(service, caller)
    kept = service.database.subscriptions
    found = kept.by_name(reading, name)
    if found is None or not _theirs(service, caller, found):
        known = [one.name for one in kept.all(reading) if _theirs(service, caller, one)]
        raise NotFound(f"There is no subscription {name!r}. {did_you_mean(name, known)}")
    return found


@dataclass(frozen=True, slots=True)
class Standing:
    """A subscription, and how many deliveries wait and are parked."""

    subscription: Subscription
    waiting: int = 0
    parked: int = 0


def standing(service: Service, reading: Reading, one: Subscription) -> Standing:
    """How a subscription stands."""
    deliveries = service.database.deliveries
    counts = (deliveries.count(reading, one.id, state) for state in ("waiting", "parked"))
    return Standing(one, *counts)


def list_subscriptions(service: Service, caller: Caller) -> list[Standing]:
    """Those that the caller may manage, by name. Raises `NotPermitted`."""
    permit_subscribing(service, caller)
    with service.database.snapshot() as reading:
        every = service.database.subscriptions.all(reading)
        return [standing(service, reading, one) for one in every if _theirs(service, caller, one)]


def find_subscription(service: Service, caller: Caller, name: str) -> Standing:
    """The subscription of this name. Raises `NotPermitted`, `NotFound`."""
    with service.database.snapshot() as reading:
        return standing(service, reading, there(service, reading, caller, name))


def subscription_etag(one: Subscription) -> str:
    """The entity tag of a subscription."""
    return f'"{one.id}.{one.version}"'


# --- changing ----------------------------------------------------------------------------------------------


def add_subscription(
    service: Service, caller: Caller, name: str, change: SubscriptionChange
) -> tuple[Subscription, str]:
    """Adds a subscription; with what signs its notices, which is shown this once.

    It is sent what comes from now on. Raises `NotPermitted`, `Invalid`, `Conflict`.
    """
    permit_subscribing(service, caller)
    secret = new_secret()
    blank = Subscription("", name, caller.actor.name, "", (), secrets=(Secret(secret, None),))
    wanted = change.of(blank)
    if change.collections is MISSING and not wanted.notices:
        wanted = replace(wanted, collections=(ALL,))
    problems = [] if NAME.fullmatch(name) else [Problem("/name", "pattern", NAME_RULE)]
    _check(service, caller, wanted, problems)

    def work(writing: Writing) -> Subscription:
        database = service.database
        every = database.subscriptions.all(writing)
        if any(one.name == name for one in every):
            raise Conflict(
                f"There is a subscription {name!r} already. Choose another name, or change that one."
            )
        if len(every) >= service.outward.most:
            most = service.outward.most
            raise Conflict(
                f"There are {most} subscriptions, as many as may be (the setting subscription_limit)."
            )
        newest, _ = database.notices.below(writing, 2**62, 1)
        last = database.history.last(writing).sequence
        made = replace(
            wanted, id=service.new_id(), place=str(Place(last)), notice=newest[0].number if newest else 0
        )
        database.subscriptions.add(writing, made)
        _enter(service, writing, made, Did("create", parts_changed({}, made.parts) | _CHANGED), caller)
        return made

    return service.database.write(work), secret


#: That another secret signs, and nothing of what it is.
_CHANGED: dict[str, tuple[Any, Any]] = {"secret": (None, "changed")}


def change_subscription(
    service: Service,
    caller: Caller,
    name: str,
    change: SubscriptionChange,
    match: tuple[str, ...] | None = None,
) -> Standing:
    """Changes a subscription. Where other records are its own from then on, it is told to read all again.

    Raises `NotPermitted`, `NotFound`, `Invalid`, and `VersionMismatch` where `match` holds no tag of it.
    """
    with service.database.snapshot() as reading:
        before = there(service, reading, caller, name)
    # Judged before anything is locked: what it asks takes long. A change meanwhile is seen by the version.
    _check(service, caller, change.of(before), [])

    def work(writing: Writing) -> Standing:
        found = there(service, writing, caller, name)
        if match is not None and "*" not in match and subscription_etag(found) not in match:
            raise VersionMismatch(
                f"The subscription is at version {found.version} now. Read it again, then decide.",
                version=found.version,
            )
        if found.version != before.version:
            raise Conflict("The subscription was changed just now. Read it again, then decide.")
        wanted = change.of(found)
        if wanted == found:
            return standing(service, writing, found)
        after = replace(wanted, version=found.version + 1)
        if any(getattr(after, one) != getattr(found, one) for one in _DECISIVE):
            _tell_again(service, writing, after)
        if found.paused and not after.paused:
            after = replace(after, failing_since=None)
        changed = parts_changed(found.parts, after.parts)
        service.database.subscriptions.change(writing, after)
        if changed:
            _enter(service, writing, after, Did("update", changed), caller)
        return standing(service, writing, after)

    return service.database.write(work)


def _tell_again(service: Service, writing: Writing, one: Subscription) -> None:
    """Has a subscription told that what it was sent so far is not what it follows any more."""
    now, sequence = service.now(), place_of(one.place).sequence
    until = service.now(service.outward.patience)
    about = (f"changed-{one.version}", RESET, sequence, "", "", "")
    service.database.deliveries.add(writing, Delivery(one.id, *about, time=now, due=now, until=until))


def remove_subscription(service: Service, caller: Caller, name: str) -> None:
    """Removes a subscription; nothing is sent to it any more. Raises `NotPermitted`, `NotFound`."""

    def work(writing: Writing) -> None:
        found = there(service, writing, caller, name)
        service.database.subscriptions.remove(writing, found.id)
        gone = {part: (value, None) for part, value in found.parts.items()}
        _enter(service, writing, found, Did("delete", gone), caller)

    service.database.write(work)


def rotate_secret(service: Service, caller: Caller, name: str, hours: float) -> str:
    """Makes another secret, which is shown this once; those before it sign as well for so many hours.

    Raises `NotPermitted`, `NotFound`.
    """
    secret = new_secret()

    def work(writing: Writing) -> None:
        found, now = there(service, writing, caller, name), service.now()
        ends = service.now(timedelta(hours=hours))
        older = [Secret(one.text, min(one.until or ends, ends)) for one in signing_now(found, now)]
        kept = (Secret(secret, None), *(older if hours else ()))[:_MOST_SECRETS]
        changed = replace(found, secrets=kept, version=found.version + 1)
        service.database.subscriptions.change(writing, changed)
        _enter(service, writing, changed, Did("update", _CHANGED), caller)

    service.database.write(work)
    return secret


def signing_now(one: Subscription, now: str) -> list[Secret]:
    """The secrets that sign at a moment, the newest first."""
    return [each for each in one.secrets if each.until is None or each.until > now]


def pause(service: Service, one: Subscription, why: str) -> None:
    """Has nothing sent to a subscription any more until somebody says so, since it is of no use."""

    def work(writing: Writing) -> None:
        found = service.database.subscriptions.by_name(writing, one.name)
        if found is None or found.id != one.id or found.paused or found.version != one.version:
            return
        after = replace(found, paused=True, why=why, version=found.version + 1)
        service.database.subscriptions.change(writing, after)
        _enter(service, writing, after, Did("update", parts_changed(found.parts, after.parts)), None)

    service.database.write(work)


def _enter(service: Service, writing: Writing, one: Subscription, did: Did, by: Caller | None) -> None:
    enter_about(service, writing, About(SUBSCRIPTIONS, one.id, one.name), did, by)


# --- what is wrong with one --------------------------------------------------------------------------------


def _check(service: Service, caller: Caller, one: Subscription, problems: list[Problem]) -> None:
    """Raises `Invalid` for what a subscription cannot be."""
    problems = [*problems, *_address_problems(service, one.url)]
    if one.notices and not manages(service, caller):
        detail = "What effects say is judged by no rights: only who manages accounts may have it sent."
        problems.append(Problem("/notices", "not_permitted", detail))
    for name in one.notices:
        if name != ALL and not NOTICE.fullmatch(name):
            problems.append(Problem("/notices", "pattern", f"No notice can be called {name[:80]!r}."))
    if len(one.notices) > _MOST_NAMES or len(one.collections) > _MOST_NAMES:
        problems.append(Problem("/collections", "max_items", f"Must be at most {_MOST_NAMES} names."))
    if not one.notices and not one.collections:
        detail = "Must name a collection, or * for all; or notices must name what effects leave."
        problems.append(Problem("/collections", "min_items", detail))
    if one.data not in _DATA:
        problems.append(Problem("/data", "enum", f"Must be one of {', '.join(_DATA)}."))
    problems += _following_problems(service, caller, one)
    if problems:
        raise Invalid(problems)


def _address_problems(service: Service, url: str) -> Iterator[Problem]:
    plain = service.outward.plain
    schemes = ("https", "http") if plain else ("https",)
    try:
        parts = urlsplit(url)
        port = parts.port
    except ValueError:
        parts, port = SplitResult("", "", "", "", ""), None
    host = parts.hostname or ""
    if not url.isascii() or not url.isprintable() or " " in url or len(url) > _LONGEST_URL:
        detail = f"Must be an address of at most {_LONGEST_URL} characters of ASCII, without blanks."
        yield Problem("/url", "format", detail)
    elif parts.scheme not in schemes:
        beside = "" if plain else " (Plain http is allowed by the setting notice_plain_http.)"
        yield Problem("/url", "format", f"Must begin with {schemes[0]}://.{beside}")
    elif not _HOST.fullmatch(host) or "@" in parts.netloc or "#" in url or port == 0:
        detail = "Must be like https://board.example/notices, with neither a password nor a # in it."
        yield Problem("/url", "format", detail)
    elif not _allowed(service, host):
        detail = (
            "Must not be of a network that is not public. Those that are allowed all the same, the setting "
            "notice_networks says."
        )
        yield Problem("/url", "not_permitted", detail)


def _allowed(service: Service, host: str) -> bool:
    """Whether a host may be sent to, where it is an IP address: names are looked up at sending."""
    try:
        return service.outward.allows(host)
    except ValueError:
        return host.lower() != "localhost" or service.outward.allows("127.0.0.1")


def _following_problems(service: Service, caller: Caller, one: Subscription) -> Iterator[Problem]:
    """What is wrong with what is followed, found by following it."""
    if one.account != caller.actor.name and not manages(service, caller):
        yield Problem(
            "/account", "not_permitted", "Must be your own: only who manages accounts has others' sent."
        )
        return
    if one.where and (len(one.collections) != 1 or ALL in one.collections):
        yield Problem("/where", "not_permitted", "Must stand with one collection, whose records it is about.")
        return
    with service.database.reading() as reading:
        acting = caller_for(service, reading, one)
        last = service.database.history.last(reading).sequence
    if acting is None:
        known = "There is no such account, or it is disabled."
        yield Problem("/account", "reference", known)
        return
    chosen = [name for name in one.collections if name != ALL]
    for name in chosen:
        if name not in service.resources:
            hint = did_you_mean(name, service.resources)
            yield Problem("/collections", "enum", f"There is no collection {name!r}. {hint}")
    if not one.collections or not all(name in service.resources for name in chosen):
        return
    try:
        followed(service, acting, following_of(one, Place(last), 1))
    except Unavailable:
        raise
    except Refusal as refusal:
        yield Problem("/where", "format", refusal.detail)
