"""Routes of subscriptions: which other systems are sent what, and what became of it."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from fenland.service.notices.delivered import (
    Asked,
    Delivered,
    find_delivery,
    list_deliveries,
    send_again,
    send_since,
    send_test,
)
from fenland.service.notices.subscriptions import (
    Standing,
    SubscriptionChange,
    add_subscription,
    change_subscription,
    find_subscription,
    list_subscriptions,
    permit_subscribing,
    remove_subscription,
    rotate_secret,
    subscription_etag,
)
from fenland.storage.door import Attempt, Delivery
from fenland.web.describing.contents import one_body
from fenland.web.http import parameters as p
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.members import FLAG, NAMES, TEXT, Member, sent_members
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route
from fenland.web.http.schemas import ETAG, MOMENT, closed, taken
from fenland.web.http.schemas import TEXT as STRING

_MEMBERS: dict[str, Member] = {
    "account": TEXT, "url": TEXT, "collections": NAMES, "where": TEXT, "data": TEXT, "notices": NAMES,
}  # fmt: skip
#: For how long older secrets sign as well where nothing is said, and at most, in hours.
_OVERLAP, _LONGEST = 24, 720
_HOURS: Member = (
    lambda one: type(one) in (int, float, Decimal) and 0 <= one <= _LONGEST,
    f"a number of hours from 0 to {_LONGEST}",
)
_PRIVATE = {"Cache-Control": "no-store"}


# --- how they are shown --------------------------------------------------------------------------------


def _standing_json(standing: Standing) -> dict[str, Any]:
    one = standing.subscription
    return {
        "name": one.name,
        **one.parts,
        "why": one.why or None,
        "failing_since": one.failing_since,
        "waiting": standing.waiting,
        "parked": standing.parked,
        "secrets": [{"until": each.until} for each in one.secrets],
        "version": one.version,
    }


def _answer(standing: Standing, status: int = 200, **more: Any) -> Answer:
    headers = {"ETag": subscription_etag(standing.subscription), **(_PRIVATE if more else {})}
    return json_answer({**_standing_json(standing), **more}, status, headers)


def _attempt_json(attempt: Attempt) -> dict[str, Any]:
    return {**attempt._asdict(), "why": attempt.why or None}


def _delivery_json(one: Delivery) -> dict[str, Any]:
    return {
        "number": one.number,
        "event": one.event,
        "type": one.type,
        "collection": one.collection or None,
        "key": one.subject or None,
        "time": one.time,
        "state": one.state,
        "attempts": one.attempts,
        "due": one.due if one.state == "waiting" else None,
    }


def _listed_json(found: Delivered) -> dict[str, Any]:
    last = _attempt_json(found.attempts[0]) if found.attempts else None
    return {**_delivery_json(found.delivery), "last": last}


# --- the routes ------------------------------------------------------------------------------------------


def _permitted(call: Call) -> None:
    permit_subscribing(call.service, call.caller)
    call.check()


def _list(call: Call) -> Answer:
    _permitted(call)
    return json_answer(
        {"items": [_standing_json(one) for one in list_subscriptions(call.service, call.caller)]}
    )


def _read(call: Call) -> Answer:
    _permitted(call)
    return _answer(find_subscription(call.service, call.caller, call.place["subscription"]))


def _add(call: Call) -> Answer:
    _permitted(call)
    sent = sent_members(call, {"name": TEXT, **_MEMBERS}, "name", "url")
    name = sent.pop("name")
    one, secret = add_subscription(call.service, call.caller, name, SubscriptionChange(**sent))
    return _answer(Standing(one), 201, secret=secret)


def _change(call: Call) -> Answer:
    _permitted(call)
    sent = sent_members(call, {**_MEMBERS, "paused": FLAG})
    match = call.header(p.IF_MATCH)
    call.check()
    change = SubscriptionChange(**sent)
    return _answer(change_subscription(call.service, call.caller, call.place["subscription"], change, match))


def _remove(call: Call) -> Answer:
    _permitted(call)
    remove_subscription(call.service, call.caller, call.place["subscription"])
    return Answer(None, 204, _PRIVATE)


def _rotate(call: Call) -> Answer:
    _permitted(call)
    sent = sent_members(call, {"hours": _HOURS})
    secret = rotate_secret(
        call.service, call.caller, call.place["subscription"], float(sent.get("hours", _OVERLAP))
    )
    return json_answer({"secret": secret}, 201, _PRIVATE)


def _test(call: Call) -> Answer:
    _permitted(call)
    return _listed(send_test(call.service, call.caller, call.place["subscription"]))


def _deliveries(call: Call) -> Answer:
    _permitted(call)
    asked = Asked(call.get(p.DELIVERY_STATE), call.get(p.BELOW), call.get(p.LIMIT))
    found = list_deliveries(call.service, call.caller, call.place["subscription"], asked)
    return json_answer({"items": [_listed_json(one) for one in found.items], "next": found.next})


def _delivery(call: Call) -> Answer:
    _permitted(call)
    found = find_delivery(
        call.service, call.caller, call.place["subscription"], call.number("number", "delivery")
    )
    tried = [_attempt_json(one) for one in found.attempts]
    return json_answer({**_delivery_json(found.delivery), "tried": tried})


def _again(call: Call) -> Answer:
    _permitted(call)
    return _listed(
        send_again(call.service, call.caller, call.place["subscription"], call.number("number", "delivery"))
    )


def _listed(one: Delivery) -> Answer:
    return json_answer(_listed_json(Delivered(one, [])), 202)


def _since(call: Call) -> Answer:
    _permitted(call)
    sent = sent_members(call, {"since": TEXT}, "since")
    since = p.moment("since", sent["since"])
    return json_answer(
        {"after": str(send_since(call.service, call.caller, call.place["subscription"], since))}, 202
    )


_ALL = "/v1/subscriptions"
_ONE = f"{_ALL}/{{subscription}}"
_KEPT = f"{_ONE}/deliveries"
_ANSWER = Reply("The subscription.", "Subscription", ETAG)
_SENT = ("not-permitted", "unsupported-media", "invalid")
_FROM = taken({"since": {**MOMENT, "description": "What came from then on is sent again."}})
_SINCE = closed({"after": {**STRING, "description": "The place of the feed behind which it begins."}})
_QUEUED = Reply("It is about to be sent.", "Delivery")

ROUTES: tuple[Route, ...] = (
    Route(
        "GET", _ALL, "listSubscriptions", "Which other systems are sent what", _list,
        answers={200: Reply("Those that the caller may manage.", "Subscriptions")},
        problems=("not-permitted",), late=True,
    ),
    Route(
        "POST", _ALL, "addSubscription", "Have what an account sees sent to another system", _add,
        answers={201: Reply("The subscription, with its secret.", "SubscriptionIssued", ETAG)},
        problems=(*_SENT, "conflict"), body=one_body("SubscriptionNew"), late=True,
    ),
    Route(
        "GET", _ONE, "readSubscription", "A subscription", _read, answers={200: _ANSWER},
        problems=("not-permitted",), late=True,
    ),
    Route(
        "PATCH", _ONE, "changeSubscription", "Change a subscription, pause it or go on", _change,
        (p.IF_MATCH,), {200: _ANSWER}, (*_SENT, "conflict", "version-mismatch"),
        one_body("SubscriptionPatch", "application/json", "application/merge-patch+json"), late=True,
    ),
    Route(
        "DELETE", _ONE, "removeSubscription", "Send nothing to another system any more", _remove,
        answers={204: Reply("Done.")}, problems=("not-permitted",), late=True,
    ),
    Route(
        "POST", f"{_ONE}/secret", "rotateSecret", "Sign with another secret, for a while beside the last",
        _rotate, answers={201: Reply("The new one.", "Secret")}, problems=_SENT,
        body=one_body("SecretNew"), late=True,
    ),
    Route(
        "POST", f"{_ONE}/test", "testSubscription", "Send a test", _test, answers={202: _QUEUED},
        problems=("not-permitted",), late=True,
    ),
    Route(
        "POST", f"{_ONE}/resend", "resendSince", "Send all again that came since a moment", _since,
        answers={202: Reply("From where on.", _SINCE)}, problems=_SENT,
        body=one_body(_FROM), late=True,
    ),
    Route(
        "GET", _KEPT, "listDeliveries", "What was sent, and is to be sent, the newest first", _deliveries,
        (p.DELIVERY_STATE, p.BELOW, p.LIMIT), {200: Reply("A page of them.", "Deliveries")},
        ("not-permitted",), late=True,
    ),
    Route(
        "GET", f"{_KEPT}/{{number}}", "readDelivery", "A delivery and each attempt at it", _delivery,
        answers={200: Reply("The delivery.", "DeliveryResult")}, problems=("not-permitted",), late=True,
    ),
    Route(
        "POST", f"{_KEPT}/{{number}}/resend", "resend", "Send one again", _again, answers={202: _QUEUED},
        problems=("not-permitted",), late=True,
    ),
)  # fmt: skip
