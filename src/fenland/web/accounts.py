"""Routes of accounts, for who manages them."""

from __future__ import annotations

from typing import Any

from fenland.service.accounts.accounts import (
    AccountChange,
    NewAccount,
    account_etag,
    add_account,
    change_account,
    find_account,
    list_accounts,
    permit_managing,
)
from fenland.storage.door import Account
from fenland.web.describing.contents import one_body
from fenland.web.http import parameters as p
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.members import FLAG, NAMES, OBJECT, SECRET, TEXT, sent_members
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route
from fenland.web.http.schemas import ETAG

_MEMBERS = {"title": TEXT, "roles": NAMES, "attributes": OBJECT, "password": SECRET}


def _account_json(account: Account) -> dict[str, Any]:
    """An account as answers show it."""
    return {
        "name": account.name,
        "title": account.title,
        "roles": sorted(account.roles),
        "attributes": account.attributes,
        "disabled": account.disabled,
        "version": account.version,
    }


def _account_answer(account: Account, status: int = 200) -> Answer:
    return json_answer(_account_json(account), status, {"ETag": account_etag(account)})


def _permitted(call: Call) -> None:
    """Raises why the caller may not manage accounts; then what is wrong with the request."""
    permit_managing(call.service, call.caller)
    call.check()


def _list(call: Call) -> Answer:
    _permitted(call)
    found = [_account_json(one) for one in list_accounts(call.service)]
    return json_answer({"items": found, "roles": list(call.service.definitions.roles)})


def _read(call: Call) -> Answer:
    _permitted(call)
    return _account_answer(find_account(call.service, call.place["name"]))


def _add(call: Call) -> Answer:
    _permitted(call)
    sent = sent_members(call, {"name": TEXT, **_MEMBERS}, "name")
    return _account_answer(add_account(call.service, NewAccount(**sent), call.caller), 201)


def _change(call: Call) -> Answer:
    _permitted(call)
    sent = sent_members(call, {**_MEMBERS, "disabled": FLAG})
    match = call.header(p.IF_MATCH)
    call.check()
    if "attributes" in sent:
        sent["merged"] = sent.pop("attributes")
    change = AccountChange(**sent)
    return _account_answer(change_account(call.service, call.place["name"], change, call.caller, match))


_ONE = "/v1/accounts/{name}"
_ANSWER = Reply("The account.", "Account", ETAG)
_PROBLEMS = ("not-permitted", "unsupported-media", "invalid", "conflict")

ROUTES: tuple[Route, ...] = (
    Route(
        "GET", "/v1/accounts", "listAccounts", "All accounts, for who manages them", _list,
        answers={200: Reply("The accounts.", "Accounts")}, problems=("not-permitted",), late=True,
    ),
    Route(
        "POST", "/v1/accounts", "addAccount", "Add an account", _add, answers={201: _ANSWER},
        problems=_PROBLEMS, body=one_body("AccountNew"), late=True,
    ),
    Route(
        "GET", _ONE, "readAccount", "An account", _read, answers={200: _ANSWER},
        problems=("not-permitted",), late=True,
    ),
    Route(
        "PATCH", _ONE, "changeAccount", "Change an account: what is not named stays", _change, (p.IF_MATCH,),
        {200: _ANSWER}, _PROBLEMS,
        one_body("AccountPatch", "application/json", "application/merge-patch+json"), late=True,
    ),
)  # fmt: skip
