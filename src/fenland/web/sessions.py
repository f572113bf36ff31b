"""Routes of the caller's own way in: their session, their password, their tokens."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.problems import NotPermitted, NotSignedIn
from fenland.service.accounts.accounts import manages, permit_managing
from fenland.service.accounts.callers import actor_of
from fenland.service.accounts.sessions import Attempt, change_password, sign_in, token_for_password
from fenland.service.accounts.tokens import NewToken, issue_token, list_tokens, read_scope, revoke_tokens
from fenland.service.notices.subscriptions import may_subscribe
from fenland.storage.door import Token
from fenland.web.describing.contents import one_body
from fenland.web.http import parameters as p
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.body import body_of
from fenland.web.http.caller import origin_of
from fenland.web.http.calls import Call
from fenland.web.http.cookies import check_origin, csrf_of, session_of, set_cookie
from fenland.web.http.members import ANYTHING, DAYS, MINUTES, TEXT, sent_members
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route
from fenland.web.http.schemas import COOKIE

#: Minutes that a token lasts which somebody gets for their password.
_USUAL_MINUTES = 60


def _token_json(token: Token) -> dict[str, Any]:
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


def _session_here(call: Call) -> str | None:
    """The secret of the session that the request came in, where it did not come with a token."""
    return None if call.environ.get("HTTP_AUTHORIZATION") else session_of(call.environ)


def _own(caller: Caller) -> str:
    """The account whose tokens and password the caller may change."""
    if caller.let_in == "issuer":
        raise NotPermitted("Who the issuer lets in has no tokens or password here. Sign in with a password.")
    if not caller.is_themselves:
        raise NotPermitted("This token reaches records alone. Use a session, or a token for everything.")
    return caller.actor.name


# --- the session -------------------------------------------------------------------------------------


def _session_json(call: Call, caller: Caller, csrf: str | None) -> dict[str, Any]:
    actor = caller.actor
    return {
        "account": actor.name,
        "title": actor.title,
        "roles": sorted(actor.roles),
        "attributes": actor.attributes,
        "manages_accounts": manages(call.service, caller),
        "may_subscribe": may_subscribe(call.service, caller),
        "scope": None if caller.scope is None else caller.scope.as_json(),
        "acting": None if caller.acting is None else caller.acting.name,
        "csrf": csrf,
    }


def _read(call: Call) -> Answer:
    secret = _session_here(call)
    return json_answer(_session_json(call, call.caller, csrf_of(secret) if secret else None))


def _begin(call: Call) -> Answer:
    service, origin = call.service, origin_of(call.environ)
    check_origin(call.environ, service.ways_in)
    sent = sent_members(call, {"name": TEXT, "password": TEXT}, "name", "password")
    label = call.environ.get("HTTP_USER_AGENT", "")
    attempt = Attempt(sent["name"], sent["password"], origin.address, label, origin.request_id)
    account, secret = sign_in(service, attempt)
    shown = _session_json(call, Caller(actor_of(account)), csrf_of(secret))
    return json_answer(shown, 201, {"Set-Cookie": set_cookie(service.ways_in, secret)})


def _end(call: Call) -> Answer:
    service, secret = call.service, _session_here(call)
    if secret is not None:
        found = service.database.admitted(secret, service.clock())
        if found is not None:
            revoke_tokens(service, call.caller.actor.name, found.token.id, call.caller)
    return _signed_out(call)


def _signed_out(call: Call) -> Answer:
    cookie = set_cookie(call.service.ways_in, "")
    return Answer(None, 204, {"Set-Cookie": cookie, "Cache-Control": "no-store"})


def _password(call: Call) -> Answer:
    origin = origin_of(call.environ)
    _own(call.caller)
    call.check()
    sent = sent_members(call, {"current": TEXT, "new": TEXT}, "current", "new")
    change_password(call.service, call.caller, sent["current"], sent["new"], origin.address)
    return _signed_out(call)


# --- tokens ------------------------------------------------------------------------------------------


def _whose(call: Call) -> str:
    whose, caller = call.get(p.ACCOUNT), call.caller
    if whose is None or whose == caller.actor.name:
        return _own(caller)
    permit_managing(call.service, caller)
    return whose


def _list(call: Call) -> Answer:
    return json_answer({"items": [_token_json(one) for one in list_tokens(call.service, _whose(call))]})


def _issue(call: Call) -> Answer:
    if not call.environ.get("HTTP_AUTHORIZATION") and session_of(call.environ) is None:
        return _issue_for_password(call)
    call.sign_in()
    service, caller = call.service, call.caller
    whose = _own(caller)
    call.check()
    sent = sent_members(call, {"label": TEXT, "days": DAYS, "scope": ANYTHING})
    lifetime = None if sent.get("days") is None else timedelta(days=sent["days"])
    scope = read_scope(service, sent.get("scope"))
    # A token made with a token ends with it, and was made with what that was made with.
    made_with = caller.made_with if caller.let_in == "token" else "session"
    new = NewToken(sent.get("label", ""), lifetime, scope, made_with=made_with, until=caller.until)
    return _issued(*issue_token(service, whose, new, caller))


def _issue_for_password(call: Call) -> Answer:
    """A short token for a client that has a name and a password and no cookies."""
    service, origin = call.service, origin_of(call.environ)
    call.check()
    members = {"name": TEXT, "password": TEXT, "label": TEXT, "minutes": MINUTES, "scope": ANYTHING}
    if not body_of(call.request, service.limits):
        raise NotSignedIn("No token was sent. Send one, or a name and a password in the body.")
    sent = sent_members(call, members, "name", "password")
    scope = read_scope(service, sent.get("scope"))
    attempt = Attempt(sent["name"], sent["password"], origin.address, "", origin.request_id)
    lifetime = timedelta(minutes=sent.get("minutes", _USUAL_MINUTES))
    new = NewToken(sent.get("label", ""), lifetime, scope, made_with="password")
    return _issued(*token_for_password(service, attempt, new))


def _issued(secret: str, token: Token) -> Answer:
    return json_answer({"token": secret, **_token_json(token)}, 201, {"Cache-Control": "no-store"})


def _revoke(call: Call) -> Answer:
    revoke_tokens(call.service, _whose(call), call.place["id"], call.caller)
    return Answer(None, 204, {"Cache-Control": "no-store"})


_SENT = ("not-permitted", "unsupported-media", "invalid")
_GONE = Reply("Done.")

ROUTES: tuple[Route, ...] = (
    Route(
        "GET", "/v1/session", "readSession", "Who is signed in", _read,
        answers={200: Reply("Who is.", "Session")},
    ),
    Route(
        "POST", "/v1/session", "beginSession", "Sign in with name and password; a browser gets a session",
        _begin, answers={201: Reply("Who is signed in now.", "Session", COOKIE)},
        problems=("not-signed-in", *_SENT),
        body=one_body("Credentials"), signed_in="no",
    ),
    Route(
        "DELETE", "/v1/session", "endSession", "Sign out", _end, answers={204: _GONE},
        problems=("not-permitted",),
    ),
    Route(
        "POST", "/v1/session/password", "changePassword", "Give the own account another password", _password,
        answers={204: _GONE}, problems=_SENT, body=one_body("PasswordChange"), late=True,
    ),
    Route(
        "GET", "/v1/tokens", "listTokens", "The tokens and sessions of an account", _list, (p.ACCOUNT,),
        {200: Reply("Them.", "Tokens")}, ("not-permitted", "not-found"),
    ),
    Route(
        "POST", "/v1/tokens", "issueToken", "Make a token, which is shown this once", _issue,
        answers={201: Reply("The token.", "TokenIssued")}, problems=("not-signed-in", *_SENT),
        body=one_body("TokenNew"), signed_in="maybe", late=True,
    ),
    Route(
        "DELETE", "/v1/tokens/{id}", "revokeToken", "Revoke a token, or end a session", _revoke, (p.ACCOUNT,),
        {204: _GONE}, ("not-permitted",),
    ),
)  # fmt: skip
