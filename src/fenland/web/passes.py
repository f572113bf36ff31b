"""Routes of passes: handed out, listed, given another link, revoked; for one record, or for all of a list."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from fenland.core.changes.tabular import csv_cell, csv_lines
from fenland.core.expressions.budget import renew
from fenland.service.changes.finding import Address
from fenland.service.passes.passes import (
    Made,
    PassesRequest,
    PassRequest,
    RunRequest,
    Standing,
    letter_run,
    list_passes,
    make_pass,
    read_pass,
    renew_pass,
    revoke_pass,
    revoke_passes,
    unlock_pass,
)
from fenland.service.records.filtering import Filter
from fenland.web.describing.contents import one_body
from fenland.web.describing.passes import RENEWING, REVOKED
from fenland.web.exporting import streamed_file
from fenland.web.http import parameters as p
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.environ import PAGES
from fenland.web.http.members import DAYS, TEXT, Member, sent_members
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route

_PRIVATE = {"Cache-Control": "no-store"}
_KEY: Member = (lambda one: isinstance(one, str) or type(one) is int, "a text or a whole number")
_EQUAL: Member = (
    lambda one: (
        isinstance(one, dict)
        and all(
            isinstance(each, list) and all(isinstance(text, str) for text in each) for each in one.values()
        )
    ),
    "an object of fields, each with a list of texts",
)
_COLUMNS = ("pass", "key", "name", "link", "good_until")


def _pass_json(standing: Standing) -> dict[str, Any]:
    one = standing.handed
    return {
        "number": one.number,
        "collection": one.collection,
        "template": one.template,
        "key": one.key,
        "maker": one.maker or None,
        "rule": one.rule or None,
        "run": one.run or None,
        "state": standing.state,
        "made_at": one.made_at,
        "expires_at": one.expires_at,
        "revoked_at": one.revoked_at,
        "opened_at": one.opened_at,
        "sent_at": one.sent_at,
        "sent": one.sent,
    }


def _link(call: Call, secret: str) -> str:
    """What holders open: at the address that settings say, or else where its maker asked."""
    return f"{call.outside}{PAGES}/{secret}"


def _issued(call: Call, made: Made) -> Answer:
    standing = Standing(made.handed, "good")
    return json_answer({**_pass_json(standing), "link": _link(call, made.secret)}, 201, _PRIVATE)


def _address(collection: str, key: Any) -> Address | None:
    return None if key is None else Address(collection, str(key))


# --- the routes ----------------------------------------------------------------------------------------


def _make(call: Call) -> Answer:
    members = {"collection": TEXT, "template": TEXT, "key": _KEY, "days": DAYS}
    sent = sent_members(call, members, "collection", "template")
    call.check()
    where = _address(sent["collection"], sent.get("key"))
    asked = PassRequest(sent["collection"], sent["template"], where, sent.get("days"))
    return _issued(call, make_pass(call.service, call.caller, asked))


def _letters(call: Call) -> Answer:
    members = {"collection": TEXT, "template": TEXT, "where": TEXT, "equal": _EQUAL, "days": DAYS}
    sent = sent_members(call, members, "collection", "template")
    call.check()
    equal = {name: tuple(texts) for name, texts in sent.get("equal", {}).items()}
    wanted = Filter(sent.get("where", ""), equal)
    asked = RunRequest(sent["collection"], sent["template"], wanted, sent.get("days"))
    run, portions = letter_run(call.service, call.caller, asked)

    def pieces() -> Iterator[bytes]:
        yield csv_lines([list(_COLUMNS)]).encode()
        for portion in portions:
            renew()
            rows = [
                [
                    str(one.number),
                    csv_cell(one.key),
                    csv_cell(one.name),
                    _link(call, one.secret),
                    one.expires_at,
                ]
                for one in portion
            ]
            yield csv_lines(rows).encode()

    return streamed_file(call, f"letters-{run}", "csv", pieces, {"Fenland-Run": run})


def _asked(call: Call) -> PassesRequest:
    collection = call.get(p.PASSES_OF)
    return PassesRequest(
        collection,
        call.get(p.PASS_TEMPLATE),
        _address(collection, call.get(p.PASS_KEY)),
        call.get(p.PASS_RUN),
        2**62 if call.get(p.BELOW) is None else int(call.get(p.BELOW) or 0),
        call.get(p.LIMIT),
    )


def _list(call: Call) -> Answer:
    found = list_passes(call.service, call.caller, _asked(call))
    return json_answer({"items": [_pass_json(one) for one in found.items], "next": found.next})


def _read(call: Call) -> Answer:
    return json_answer(_pass_json(read_pass(call.service, call.caller, call.number("number", "pass"))))


def _renew(call: Call) -> Answer:
    number = call.number("number", "pass")
    read_pass(call.service, call.caller, number)
    sent = sent_members(call, {"days": DAYS})
    call.check()
    return _issued(call, renew_pass(call.service, call.caller, number, sent.get("days")))


def _unlock(call: Call) -> Answer:
    return json_answer(_pass_json(unlock_pass(call.service, call.caller, call.number("number", "pass"))))


def _revoke(call: Call) -> Answer:
    revoke_pass(call.service, call.caller, call.number("number", "pass"))
    return Answer(None, 204, _PRIVATE)


def _revoke_all(call: Call) -> Answer:
    return json_answer({"revoked": revoke_passes(call.service, call.caller, _asked(call))})


_ALL = "/v1/passes"
_ONE = f"{_ALL}/{{number}}"
_ANSWER = Reply("The pass.", "Pass")
_ISSUED = Reply("The pass, with its link.", "PassIssued")
_SENT = ("not-permitted", "unsupported-media", "invalid", "conflict")

ROUTES: tuple[Route, ...] = (
    Route(
        "GET", _ALL, "listPasses", "What was handed out, the newest first", _list,
        (p.PASSES_OF, p.PASS_TEMPLATE, p.PASS_KEY, p.PASS_RUN, p.BELOW, p.LIMIT),
        {200: Reply("Those that the caller may hand out.", "Passes")}, ("not-permitted", "not-found"),
    ),
    Route(
        "POST", _ALL, "makePass", "Make a link for somebody without an account", _make,
        answers={201: _ISSUED}, problems=(*_SENT, "not-found"), body=one_body("PassNew"), late=True,
    ),
    Route(
        "DELETE", _ALL, "revokePasses", "End all passes of a template, or of a letter run", _revoke_all,
        (p.PASSES_OF, p.PASS_TEMPLATE, p.PASS_RUN),
        {200: Reply("How many.", REVOKED)}, ("not-permitted", "not-found"),
    ),
    Route(
        "POST", f"{_ALL}/letters", "writeLetters", "Make a link for each record of a list", _letters,
        answers={
            200: Reply(
                "A line for each: the pass, the key and name of the record, the link, until when it is good.",
                {"type": "string"}, {"Fenland-Run": {"schema": {"type": "string"}}}, types=("text/csv",),
            )
        },
        problems=(*_SENT, "not-found"), body=one_body("LetterRun"), late=True,
    ),
    Route(
        "GET", _ONE, "readPass", "A pass", _read, answers={200: _ANSWER},
    ),
    Route(
        "DELETE", _ONE, "revokePass", "End a pass", _revoke, answers={204: Reply("Done.")},
    ),
    Route(
        "POST", f"{_ONE}/renew", "renewPass", "Give a pass another link", _renew,
        answers={201: _ISSUED}, problems=_SENT, body=one_body(RENEWING), late=True,
    ),
    Route(
        "POST", f"{_ONE}/unlock", "unlockPass", "Have second answers taken again", _unlock,
        answers={200: _ANSWER},
    ),
)  # fmt: skip
