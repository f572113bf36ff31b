"""Routes of accounts: the caller's own session and tokens, and the accounts of all for who manages them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import timedelta
from typing import Any

from flask import Flask, Request, request

from fenland.core.access import Caller
from fenland.core.names import did_you_mean
from fenland.core.patches import read_object
from fenland.core.problems import (
    Invalid,
    NotPermitted,
    NotSignedIn,
    Problem,
    UnsupportedMedia,
    pointer_to,
)
from fenland.core.validation import kind_of
from fenland.service.accounts import (
    AccountChange,
    NewAccount,
    account_etag,
    add_account,
    change_account,
    find_account,
    list_accounts,
    manages,
    permit_managing,
)
from fenland.service.callers import actor_of
from fenland.service.service import Service
from fenland.service.sessions import Attempt, change_password, sign_in, token_for_password
from fenland.service.tokens import NewToken, issue_token, list_tokens, read_scope, revoke_tokens
from fenland.storage.door import Account, Token
from fenland.web.answering import Answer, json_answer
from fenland.web.body import JSON, body_of, check_coding
from fenland.web.caller import caller_of, came_of
from fenland.web.cookies import check_origin, csrf_of, session_of, set_cookie
from fenland.web.headers import preconditions_of
from fenland.web.query import query_of

#: A member of a body: whether a value fits, and how it must look.
Member = tuple[Callable[[Any], bool], str]

_TEXT: Member = (lambda one: isinstance(one, str), "a text")
_FLAG: Member = (lambda one: isinstance(one, bool), "true or false")
_OBJECT: Member = (lambda one: isinstance(one, dict), "an object")
_NAMES: Member = (
    lambda one: isinstance(one, list) and all(isinstance(name, str) for name in one),
    "a list of names",
)
_DAYS: Member = (
    lambda one: one is None or (type(one) is int and 1 <= one <= 36_500),
    "a whole number of days from 1 to 36500, or null",
)
_MINUTES: Member = (
    lambda one: type(one) is int and 1 <= one <= 1_440,
    "a whole number of minutes from 1 to 1440",
)
#: Minutes that a token lasts which somebody gets for their password.
_USUAL_MINUTES = 60
_SECRET: Member = (lambda one: one is None or isinstance(one, str), "a text, or null for none")
_ANYTHING: Member = (lambda one: True, "a scope")

ACCOUNT_MEMBERS = {"title": _TEXT, "roles": _NAMES, "attributes": _OBJECT, "password": _SECRET}


def account_json(account: Account) -> dict[str, Any]:
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
    return json_answer(account_json(account), status, {"ETag": account_etag(account)})


def token_json(token: Token) -> dict[str, Any]:
    """What may be known of a token, as answers show it."""
    return {
        "id": token.id,
        "kind": token.kind,
        "label": token.label,
        "created_at": token.created_at,
        "expires_at": token.expires_at,
        "used_at": token.used_at,
        "scope": None if token.scope is None else token.scope.as_json(),
    }


def _sent(asked: Request, service: Service, members: Mapping[str, Member], *needed: str) -> dict[str, Any]:
    """The members of a body. Raises `UnsupportedMedia`, `Malformed`, `Invalid`."""
    if asked.mimetype != JSON and asked.mimetype != "application/merge-patch+json":
        raise UnsupportedMedia(f"The body is of type {asked.mimetype or 'none'}. Send {JSON}.")
    check_coding(asked, JSON)
    found = read_object(body_of(asked, service.limits), service.limits)
    problems = []
    for name, value in found.items():
        if name not in members:
            detail = f"There is no {name!r} here. {did_you_mean(name, members)}"
            problems.append(Problem(pointer_to(name), "unknown_field", detail))
        elif not members[name][0](value):
            detail = f"Must be {members[name][1]}, not {kind_of(value)}."
            problems.append(Problem(pointer_to(name), "type", detail))
        elif isinstance(value, str) and "\0" in value:
            problems.append(Problem(pointer_to(name), "characters", "Must not hold U+0000."))
    for name in needed:
        if name not in found:
            problems.append(Problem(pointer_to(name), "required", "Must be given. Send a value."))
    if problems:
        raise Invalid(problems)
    return found


def _session_here() -> str | None:
    """The secret of the session that the request came in, where it did not come with a token."""
    return None if request.environ.get("HTTP_AUTHORIZATION") else session_of(request.environ)


def _own(caller: Caller) -> str:
    """The account whose tokens and password the caller may change."""
    if caller.let_in == "issuer":
        raise NotPermitted("Who the issuer lets in has no tokens or password here. Sign in with a password.")
    if not caller.is_themselves:
        raise NotPermitted("This token reaches records alone. Use a session, or a token for everything.")
    return caller.actor.name


class _Views:
    """The views, each named for its route."""

    def __init__(self, service: Service) -> None:
        self.service = service

    # --- the caller's own session ---------------------------------------------------------------

    def _session(self, caller: Caller, csrf: str | None) -> dict[str, Any]:
        actor = caller.actor
        return {
            "account": actor.name,
            "title": actor.title,
            "roles": sorted(actor.roles),
            "attributes": actor.attributes,
            "manages_accounts": manages(self.service, caller),
            "scope": None if caller.scope is None else caller.scope.as_json(),
            "acting": None if caller.acting is None else caller.acting.name,
            "csrf": csrf,
        }

    def session(self) -> Answer:
        caller = caller_of(request, self.service)
        query_of(request)
        secret = _session_here()
        return json_answer(self._session(caller, csrf_of(secret) if secret else None))

    def begin(self) -> Answer:
        service, came = self.service, came_of(request.environ)
        check_origin(request.environ, service.ways_in)
        sent = _sent(request, service, {"name": _TEXT, "password": _TEXT}, "name", "password")
        label = request.environ.get("HTTP_USER_AGENT", "")
        attempt = Attempt(sent["name"], sent["password"], came.address, label, came.request_id)
        account, secret = sign_in(service, attempt)
        shown = self._session(Caller(actor_of(account)), csrf_of(secret))
        return json_answer(shown, 201, {"Set-Cookie": set_cookie(service.ways_in, secret)})

    def end(self) -> Answer:
        service = self.service
        caller, secret = caller_of(request, service), _session_here()
        query_of(request)
        if secret is not None:
            found = service.database.admitted(secret, service.clock())
            if found is not None:
                revoke_tokens(service, caller.actor.name, found.token.id, caller)
        return Answer(None, 204, {"Set-Cookie": set_cookie(service.ways_in, ""), "Cache-Control": "no-store"})

    def password(self) -> Answer:
        service = self.service
        caller, came = caller_of(request, service), came_of(request.environ)
        _own(caller)
        sent = _sent(request, service, {"current": _TEXT, "new": _TEXT}, "current", "new")
        change_password(service, caller, sent["current"], sent["new"], came.address)
        return Answer(None, 204, {"Set-Cookie": set_cookie(service.ways_in, ""), "Cache-Control": "no-store"})

    # --- tokens -------------------------------------------------------------------------------

    def _whose(self, caller: Caller, query: Mapping[str, str]) -> str:
        whose = query.get("account")
        if whose is None or whose == caller.actor.name:
            return _own(caller)
        permit_managing(self.service, caller)
        return whose

    def tokens(self) -> Answer:
        caller = caller_of(request, self.service)
        whose = self._whose(caller, query_of(request, "account"))
        return json_answer({"items": [token_json(one) for one in list_tokens(self.service, whose)]})

    def issue(self) -> Answer:
        if not request.environ.get("HTTP_AUTHORIZATION") and session_of(request.environ) is None:
            return self._issue_for_password()
        service, caller = self.service, caller_of(request, self.service)
        whose = _own(caller)
        query_of(request)
        sent = _sent(request, service, {"label": _TEXT, "days": _DAYS, "scope": _ANYTHING})
        lifetime = None if sent.get("days") is None else timedelta(days=sent["days"])
        scope = read_scope(service, sent.get("scope"))
        # A token made with a token ends with it, and was made with what that was made with.
        made_with = caller.made_with if caller.let_in == "token" else "session"
        new = NewToken(sent.get("label", ""), lifetime, scope, made_with=made_with, until=caller.until)
        secret, token = issue_token(service, whose, new, caller)
        return self._issued(secret, token)

    def _issue_for_password(self) -> Answer:
        """A short token for a client that has a name and a password and no cookies."""
        service, came = self.service, came_of(request.environ)
        query_of(request)
        members = {"name": _TEXT, "password": _TEXT, "label": _TEXT, "minutes": _MINUTES, "scope": _ANYTHING}
        if not body_of(request, service.limits):
            raise NotSignedIn("No token was sent. Send one, or a name and a password in the body.")
        sent = _sent(request, service, members, "name", "password")
        scope = read_scope(service, sent.get("scope"))
        attempt = Attempt(sent["name"], sent["password"], came.address, "", came.request_id)
        lifetime = timedelta(minutes=sent.get("minutes", _USUAL_MINUTES))
        new = NewToken(sent.get("label", ""), lifetime, scope, made_with="password")
        return self._issued(*token_for_password(service, attempt, new))

    @staticmethod
    def _issued(secret: str, token: Token) -> Answer:
        return json_answer({"token": secret, **token_json(token)}, 201, {"Cache-Control": "no-store"})

    def revoke(self, token_id: str) -> Answer:
        caller = caller_of(request, self.service)
        whose = self._whose(caller, query_of(request, "account"))
        revoke_tokens(self.service, whose, token_id, caller)
        return Answer(None, 204, {"Cache-Control": "no-store"})

    # --- accounts -----------------------------------------------------------------------------

    def accounts(self) -> Answer:
        permit_managing(self.service, caller_of(request, self.service))
        query_of(request)
        found = [account_json(one) for one in list_accounts(self.service)]
        return json_answer({"items": found, "roles": list(self.service.definitions.roles)})

    def account(self, name: str) -> Answer:
        permit_managing(self.service, caller_of(request, self.service))
        query_of(request)
        return _account_answer(find_account(self.service, name))

    def add(self) -> Answer:
        caller = caller_of(request, self.service)
        permit_managing(self.service, caller)
        query_of(request)
        sent = _sent(request, self.service, {"name": _TEXT, **ACCOUNT_MEMBERS}, "name")
        return _account_answer(add_account(self.service, NewAccount(**sent), caller), 201)

    def change(self, name: str) -> Answer:
        caller = caller_of(request, self.service)
        permit_managing(self.service, caller)
        query_of(request)
        sent = _sent(request, self.service, {**ACCOUNT_MEMBERS, "disabled": _FLAG})
        match = preconditions_of(request).match
        if "attributes" in sent:
            sent["merged"] = sent.pop("attributes")
        return _account_answer(change_account(self.service, name, AccountChange(**sent), caller, match))


def register(app: Flask, service: Service) -> None:
    """Adds the routes of accounts."""
    views = _Views(service)
    routes: tuple[tuple[str, str, Callable[..., Answer]], ...] = (
        ("GET", "/v1/session", views.session),
        ("POST", "/v1/session", views.begin),
        ("DELETE", "/v1/session", views.end),
        ("POST", "/v1/session/password", views.password),
        ("GET", "/v1/tokens", views.tokens),
        ("POST", "/v1/tokens", views.issue),
        ("DELETE", "/v1/tokens/<token_id>", views.revoke),
        ("GET", "/v1/accounts", views.accounts),
        ("POST", "/v1/accounts", views.add),
        ("GET", "/v1/accounts/<name>", views.account),
        ("PATCH", "/v1/accounts/<name>", views.change),
    )
    for method, rule, view in routes:
        app.add_url_rule(rule, f"accounts {method} {rule}", view, methods=[method])
