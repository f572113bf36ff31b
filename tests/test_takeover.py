"""Attempts to read, infer or change what is not one's own: each is refused, and nothing changes."""

from __future__ import annotations

import base64
import json
import threading
import time
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import jwt
import pytest
from cryptography.hazmat.primitives.asymmetric import ec

from fenland.core.access.policy import Scope
from fenland.demo.issuer import AUDIENCE, IssuerServer
from fenland.service.accounts.accounts import AccountChange, NewAccount, add_account, change_account
from fenland.service.accounts.tokens import NewToken, issue_token, revoke_tokens
from fenland.service.service import Service
from support import TOKENS, bearer, workshop_of

KEY = {"type": "string", "required": True, "unique": True, "fixed": True}
#: Cora owns D1 and its site; Carl owns D2. Carl may read all but D3, which is the office's, and no pay.
DESCRIBED = {
    "sites": {"key": "code", "fields": {"code": KEY, "boss": {"type": "string"}}, "access": {"read": ["everyone"], "create": ["office"]}},
    "duties": {
        "key": "code", "owner": "owner",
        "fields": {
            "code": KEY, "owner": {"type": "string"}, "title": {"type": "string", "search": True}, "site": {"references": "sites"}, "count": {"type": "integer", "default": 1},
            "pay": {"type": "integer", "access": {"read": ["office"], "update": ["office"]}},
            "diary": {"type": "string", "search": True, "access": {"read": "record.owner == actor.name", "update": "record.owner == actor.name"}},
            "base": {"references": "sites", "access": {"read": ["office"], "update": ["office"]}}, "grade": {"type": "string", "enum": ["low", "high"], "access": {"read": ["office"]}},
            "badge": {"type": "string", "unique": True, "access": {"read": ["office"], "update": ["office"]}},
        },
        "access": {
            "read": "'office' in actor.roles || record.title != 'hidden'", "create": {"roles": ["office", "crew"], "if": "next.owner == actor.name || 'office' in actor.roles"},
            "update": "'office' in actor.roles || (record.owner == actor.name && (next.site == null || next.site.boss == actor.name))",
            "delete": "'office' in actor.roles || record.owner == actor.name", "transfer": ["office"],
        },
    },
    "vault": {"key": "code", "fields": {"code": KEY, "duty": {"references": "duties"}}, "access": {"read": ["office"], "create": ["office"]}},
}  # fmt: skip


@dataclass
class House:
    """The service with its records, and carl, who tries."""

    service: Service
    http: httpx.Client
    issuer: IssuerServer
    path = "/v1/records/duties"

    def carl(
        self, method: str, path: str, body: Any = None, kind: str = "application/json", **headers: str
    ) -> httpx.Response:
        content = None if body is None else body if isinstance(body, str) else json.dumps(body)
        given = {**bearer("carl"), "Content-Type": kind, **headers}
        return self.http.request(method, path, content=content, headers=given)

    def whole(self) -> list[Any]:
        listed = self.http.get(self.path, params={"sort": "code"}, headers=bearer("olga")).json()
        return list(listed["items"])


@pytest.fixture(scope="module")
def house(tmp_path_factory: pytest.TempPathFactory) -> Iterator[House]:
    issuer = IssuerServer()
    threading.Thread(target=issuer.serve_forever, daemon=True).start()
    settings = {
        "issuer": issuer.address,
        "issuer_audience": AUDIENCE,
        "issuer_joins_accounts": True,
        "account_managers": ["office"],
        "account_delegates": ["office"],
        "allowed_origins": ["https://app.example"],
    }
    with workshop_of(DESCRIBED, tmp_path_factory.mktemp("house") / "x.db", **settings) as (service, http):
        for code, boss in (("S1", "cora"), ("S2", "carl")):
            assert http.post("/v1/records/sites", json={"code": code, "boss": boss}).status_code == 201
        for code, owner, title, site in (
            ("D1", "cora", "nights", "S1"),
            ("D2", "carl", "days", "S2"),
            ("D3", "olga", "hidden", None),
        ):
            fields = {
                "code": code,
                "owner": owner,
                "title": title,
                "site": site,
                "pay": 70,
                "badge": f"B-{code}",
            }
            assert http.post("/v1/records/duties", json=fields).status_code == 201
        assert (
            http.patch("/v1/records/duties/D1", json={"diary": "met ida"}, headers=bearer("cora")).status_code
            == 200
        )
        assert http.post("/v1/records/vault", json={"code": "V1", "duty": "D1"}).status_code == 201
        add_account(service, NewAccount("gone", "Gone", ["office"], password="long enough words"))
        yield House(service, http, issuer)
    issuer.shutdown()
    issuer.server_close()


D1, D2 = "/v1/records/duties/D1", "/v1/records/duties/D2"
MERGE, PATCH, EDITS, FORM = (
    "application/merge-patch+json",
    "application/json-patch+json",
    "application/vnd.fenland.edits+json",
    "application/x-www-form-urlencoded",
)
Attempt = Callable[[House], httpx.Response]


def batch(*items: Any) -> Any:
    return {"items": [{"collection": "duties", **one} for one in items], "atomic": True}


#: What is tried, and the statuses that refuse it.
REFUSED: dict[str, tuple[Attempt, tuple[int, ...]]] = {
    # another's record
    "merge patch": (lambda h: h.carl("PATCH", D1, {"title": "mine"}, MERGE), (403,)),
    "JSON": (lambda h: h.carl("PATCH", D1, {"title": "mine"}), (403,)),
    "JSON Patch": (lambda h: h.carl("PATCH", D1, [{"op": "replace", "path": "/title", "value": "mine"}], PATCH), (403,)),
    "edits": (lambda h: h.carl("PATCH", D1, {"edits": [{"at": "/count", "increase_by": 1}]}, EDITS), (403,)),
    "form": (lambda h: h.carl("PATCH", D1, "title=mine", FORM), (403,)),
    "PUT": (lambda h: h.carl("PUT", D1, {"code": "D1", "title": "mine"}), (403,)),
    "DELETE": (lambda h: h.carl("DELETE", D1), (403,)),
    "by id": (lambda h: h.carl("PATCH", f"/v1/records/duties/by/id/{h.whole()[0]['id']}", {"title": "mine"}), (403,)),
    "override to PATCH": (lambda h: h.carl("POST", D1, {"title": "mine"}, **{"X-HTTP-Method-Override": "PATCH"}), (403,)),
    "saved by id": (lambda h: h.carl("POST", f"{h.path}/save", {"id": h.whole()[0]["id"], "title": "mine"}), (403,)),
    "saved by a form": (lambda h: h.carl("POST", f"{h.path}/save", f"id={h.whole()[0]['id']}&title=mine", FORM), (403,)),
    "saved where it cannot be seen": (lambda h: h.carl("POST", f"{h.path}/save", {"id": h.whole()[2]["id"], "title": "mine"}), (404,)),
    "override to PATCH by query": (lambda h: h.carl("POST", f"{D1}?method=PATCH", {"title": "mine"}), (403,)),
    "override to DELETE by query": (lambda h: h.carl("POST", f"{D1}?method=DELETE"), (403,)),
    "override to DELETE": (lambda h: h.carl("POST", D1, **{"X-HTTP-Method-Override": "DELETE"}), (403,)),
    "batch update": (lambda h: h.carl("POST", "/v1/batch", batch({"action": "update", "key": "D1", "fields": {"title": "mine"}})), (422,)),
    "batch edits": (lambda h: h.carl("POST", "/v1/batch", batch({"action": "update", "key": "D1", "edits": [{"at": "/title", "set": "mine"}]})), (422,)),
    "batch delete": (lambda h: h.carl("POST", "/v1/batch", batch({"action": "delete", "key": "D1"})), (422,)),
    "many": (lambda h: h.carl("PATCH", f"{h.path}?where=true", {"title": "mine"}), (422,)),
    "many delete": (lambda h: h.carl("DELETE", f"{h.path}?where=true"), (422,)),
    "preview": (lambda h: h.carl("POST", f"{D1}/preview", {"title": "mine"}), (403,)),
    "preview by query": (lambda h: h.carl("PATCH", f"{D1}?preview=true", {"title": "mine"}), (403,)),
    "lenient": (lambda h: h.carl("PATCH", D1, {"title": "mine"}, Prefer="handling=lenient"), (403,)),
    "claiming to be the console": (lambda h: h.carl("PATCH", D1, {"title": "mine"}, **{"Fenland-Via": "effect", "Fenland-Client": "someone-else"}), (403,)),
    "on behalf of the owner": (lambda h: h.carl("PATCH", D1, {"title": "mine"}, **{"Fenland-On-Behalf-Of": "cora"}), (403,)),
    "on behalf of nobody": (lambda h: h.carl("GET", D1, **{"Fenland-On-Behalf-Of": "nobody"}), (403,)),
    # by a stream
    "stream on behalf of the owner": (lambda h: h.carl("GET", "/v1/changes", Accept="text/event-stream", **{"Fenland-On-Behalf-Of": "cora"}), (403,)),
    # the owner field
    "owner by merge patch": (lambda h: h.carl("PATCH", D2, {"owner": "cora"}), (422,)),
    "owner taken": (lambda h: h.carl("PATCH", D1, {"owner": "carl"}), (403,)),
    "owner by JSON Patch": (lambda h: h.carl("PATCH", D2, [{"op": "add", "path": "/owner", "value": "cora"}], PATCH), (422,)),
    "owner by edits": (lambda h: h.carl("PATCH", D2, {"edits": [{"at": "/owner", "set": "cora"}]}, EDITS), (422,)),
    "owner by form": (lambda h: h.carl("PATCH", D2, "owner=cora", FORM), (422,)),
    "owner by PUT": (lambda h: h.carl("PUT", D2, {"code": "D2", "owner": "cora"}), (422,)),
    "owner cleared": (lambda h: h.carl("PATCH", f"{D2}?clear=owner", {}), (422,)),
    "owner copied": (lambda h: h.carl("PATCH", D2, [{"op": "copy", "from": "/title", "path": "/owner"}], PATCH), (422,)),
    "owner in a batch": (lambda h: h.carl("POST", "/v1/batch", batch({"action": "update", "key": "D2", "fields": {"owner": "cora"}})), (422,)),
    "created for another": (lambda h: h.carl("POST", h.path, {"code": "D9", "owner": "cora"}), (403, 422)),
    # what it would be, and references moved
    "moved to another's site": (lambda h: h.carl("PATCH", D2, {"site": "S1"}), (403,)),
    "moved by edits": (lambda h: h.carl("PATCH", D2, {"edits": [{"at": "/site", "set": "S1"}]}, EDITS), (403,)),
    "moved by JSON Patch": (lambda h: h.carl("PATCH", D2, [{"op": "replace", "path": "/site", "value": "S1"}], PATCH), (403,)),
    "moved in a batch": (lambda h: h.carl("POST", "/v1/batch", batch({"action": "update", "key": "D2", "fields": {"site": "S1"}})), (422,)),
    "moved by many": (lambda h: h.carl("PATCH", f"{h.path}?code=D2", {"site": "S1"}), (422,)),
    # fields of others
    "pay": (lambda h: h.carl("PATCH", D2, {"pay": 900}), (422,)),
    "pay as it may be": (lambda h: h.carl("PATCH", D2, {"pay": 70}), (422,)),
    "pay by edits": (lambda h: h.carl("PATCH", D2, {"edits": [{"at": "/pay", "increase_by": 1}]}, EDITS), (422,)),
    "pay copied to a field of one's own": (lambda h: h.carl("PATCH", D2, [{"op": "copy", "from": "/pay", "path": "/count"}], PATCH), (409, 422)),
    "pay tested": (lambda h: h.carl("PATCH", D2, [{"op": "test", "path": "/pay", "value": 70}, {"op": "replace", "path": "/count", "value": 3}], PATCH), (409,)),
    "pay asked by only_if": (lambda h: h.carl("PATCH", D2, {"edits": [{"at": "/count", "set": 3, "only_if": "pay == 70"}]}, EDITS), (409,)),
    "pay asked by a condition of its place": (lambda h: h.carl("PATCH", D2, {"edits": [{"at": "/pay", "set": 3, "only_if": {"equals": 70}}]}, EDITS), (400, 409, 422)),
    "pay on creation": (lambda h: h.carl("POST", h.path, {"code": "D8", "pay": 900}), (422,)),
    "a badge that is taken": (lambda h: h.carl("PATCH", D2, {"badge": "B-D1"}), (422,)),
    "a badge on creation": (lambda h: h.carl("POST", h.path, {"code": "D8", "badge": "B-D1"}), (422,)),
    # probes
    "where by pay": (lambda h: h.carl("GET", f"{h.path}?where=pay+>+1"), (403,)),
    "sort by pay": (lambda h: h.carl("GET", f"{h.path}?sort=pay"), (403,)),
    "pay.from=1": (lambda h: h.carl("GET", f"{h.path}?pay.from=1"), (403,)), "pay.to=99, many": (lambda h: h.carl("PATCH", f"{h.path}?pay.to=99&preview=true", {"count": 2}), (403,)),
    "pay=70": (lambda h: h.carl("GET", f"{h.path}?pay=70"), (403,)),
    "many chosen by pay": (lambda h: h.carl("PATCH", f"{h.path}?where=pay+==+70&preview=true", {"count": 2}), (403,)),
    "what is hidden": (lambda h: h.carl("GET", f"{h.path}/D3"), (404,)),
    "the form of what is hidden": (lambda h: h.carl("GET", f"{h.path}/D3/form"), (404,)),
    "the history of what is hidden": (lambda h: h.carl("GET", f"{h.path}/D3/history"), (404,)),
    "why, of what is hidden": (lambda h: h.carl("GET", f"{h.path}/D3/access"), (404,)),
    "changing what is hidden": (lambda h: h.carl("PATCH", f"{h.path}/D3", {"title": "x"}), (404,)),
    "deleting what is hidden": (lambda h: h.carl("DELETE", f"{h.path}/D3"), (404,)),
    "what is hidden, by a unique field": (lambda h: h.carl("GET", f"{h.path}/by/badge/B-D3"), (404,)),
    "by a field that is not theirs": (lambda h: h.carl("GET", f"{h.path}/by/badge/B-D1"), (404,)),
    "changing by a field that is not theirs": (lambda h: h.carl("PATCH", f"{h.path}/by/badge/B-D2", {"count": 2}), (404,)),
    "a collection that is not theirs": (lambda h: h.carl("GET", "/v1/records/vault/V1"), (404,)),
    "another's reasons": (lambda h: h.carl("GET", f"{D2}/access?account=olga"), (403,)),
    "another's tokens": (lambda h: h.carl("GET", "/v1/tokens?account=olga"), (403,)),
    "another's token revoked": (lambda h: h.carl("DELETE", "/v1/tokens/0123456789?account=olga"), (403,)),
    "notices": (lambda h: h.carl("GET", "/v1/notices"), (403,)),
    "subscriptions": (lambda h: h.carl("GET", "/v1/subscriptions"), (403,)),
    "a subscription of one's own": (lambda h: h.carl("POST", "/v1/subscriptions", {"name": "mine", "url": "https://mine.example/"}), (403,)),
    "a subscription of another's": (lambda h: h.carl("POST", "/v1/subscriptions", {"name": "mine", "url": "https://mine.example/", "account": "olga"}), (403,)),
    "the secret of a subscription": (lambda h: h.carl("POST", "/v1/subscriptions/board/secret", {}), (403,)),
    "being at what is hidden": (lambda h: h.carl("POST", f"{h.path}/D3/presence", {"window": "w", "doing": "reading"}), (404,)),
    "who is at what is hidden": (lambda h: h.carl("POST", f"{h.path}/D3/presence", {"window": "w", "doing": "gone"}), (404,)),
    "all accounts": (lambda h: h.carl("GET", "/v1/accounts"), (403,)),
    "a role for oneself": (lambda h: h.carl("PATCH", "/v1/accounts/carl", {"roles": ["office"]}), (403,)),
    "an account of the office": (lambda h: h.carl("POST", "/v1/accounts", {"name": "mole", "roles": ["office"]}), (403,)),
    "another's password": (lambda h: h.carl("PATCH", "/v1/accounts/olga", {"password": "now it is mine"}), (403,)),
}  # fmt: skip


def _other(house: House, token: str) -> httpx.Response:
    return house.http.get(D1, headers={"Authorization": f"Bearer {token}"})


def _signed(house: House, **claims: Any) -> str:
    return house.issuer.token({"sub": "carl", "roles": ["crew"], **claims})


def _forged(house: House, algorithm: str, key: Any, **head: Any) -> str:
    now = int(time.time())
    claims = {
        "iss": house.issuer.address,
        "aud": AUDIENCE,
        "sub": "olga",
        "roles": ["office"],
        "iat": now,
        "exp": now + 600,
    }
    return jwt.encode(
        claims,
        key,
        algorithm,
        headers={"kid": house.issuer.keys.as_json()["keys"][0]["kid"], "typ": "at+jwt", **head},
    )


def _revoked(house: House) -> str:
    secret, token = issue_token(house.service, "carl", NewToken("short"))
    assert _other(house, secret).status_code == 200
    revoke_tokens(house.service, "carl", token.id)
    return secret


def _disabled(house: House) -> str:
    secret, _ = issue_token(house.service, "gone")
    assert _other(house, secret).status_code == 200
    change_account(house.service, "gone", AccountChange(disabled=True))
    return secret


def _unsigned(house: House) -> str:
    _, claims, _ = _signed(house).split(".")
    none = base64.urlsafe_b64encode(b'{"alg":"none","typ":"at+jwt"}').decode().rstrip("=")
    return f"{none}.{claims}."


def _patched(house: House) -> str:
    head, claims, signature = _signed(house).split(".")
    sent = json.loads(base64.urlsafe_b64decode(claims + "=="))
    changed = (
        base64.urlsafe_b64encode(json.dumps({**sent, "sub": "olga", "roles": ["office"]}).encode())
        .decode()
        .rstrip("=")
    )
    return f"{head}.{changed}.{signature}"


#: Tokens that are good for nothing.
TOKENS_REFUSED: dict[str, Callable[[House], str]] = {
    "none": lambda house: "",
    "unknown": lambda house: "no-such-token",
    "expired": lambda house: issue_token(house.service, "carl", NewToken(lifetime=timedelta(microseconds=1)))[
        0
    ],
    "revoked": _revoked,
    "of a disabled account": _disabled,
    "a hash": lambda house: "0" * 64,
    "alg: none": _unsigned,
    "claims changed": _patched,
    "another's key": lambda house: _forged(house, "ES256", ec.generate_private_key(ec.SECP256R1())),
    "a secret key for a public one": lambda house: _forged(
        house, "HS256", "a secret of more than thirty-two bytes"
    ),
    "an unknown key": lambda house: _forged(
        house, "ES256", ec.generate_private_key(ec.SECP256R1()), kid="other"
    ),
    "another type": lambda house: _forged(
        house, "ES256", ec.generate_private_key(ec.SECP256R1()), typ="dpop+jwt"
    ),
    "expired, by the issuer": lambda house: _signed(house, exp=int(time.time()) - 600),
    "for another audience": lambda house: _signed(house, aud="elsewhere"),
    "of another issuer": lambda house: _signed(house, iss="https://other.example"),
    "without an end": lambda house: _signed(house, exp=None),
    "without a name": lambda house: _signed(house, sub=7),
    "not yet": lambda house: _signed(house, nbf=int(time.time()) + 600),
}


def test_the_table_is_long_enough() -> None:
    assert len(REFUSED) + len(TOKENS_REFUSED) >= 60


@pytest.mark.parametrize("name", REFUSED)
def test_an_attempt_is_refused_and_nothing_changes(house: House, name: str) -> None:
    attempt, statuses = REFUSED[name]
    before = house.whole()
    answer = attempt(house)
    assert answer.status_code in statuses, answer.text
    assert house.whole() == before
    assert (
        "B-D" not in answer.text.replace("B-D1", "", 1) if "badge" in name else "met ida" not in answer.text
    )


@pytest.mark.parametrize("name", TOKENS_REFUSED)
def test_a_token_that_is_good_for_nothing_is_refused(house: House, name: str) -> None:
    answer = _other(house, TOKENS_REFUSED[name](house))
    assert answer.status_code == 401, answer.text
    assert "WWW-Authenticate" in answer.headers


def test_a_token_of_the_issuer_is_as_good_as_its_claims(house: House) -> None:
    assert _other(house, _signed(house)).status_code == 200
    as_carl = {"Authorization": f"Bearer {_signed(house)}"}
    assert house.http.patch(D1, json={"title": "mine"}, headers=as_carl).status_code == 403
    assert house.http.get("/v1/records/vault/V1", headers=as_carl).status_code == 404
    office = {"Authorization": f"Bearer {house.issuer.token({'sub': 'ext', 'roles': ['office', 'ghosts']})}"}
    assert house.http.get("/v1/records/vault/V1", headers=office).status_code == 200
    assert house.http.get("/v1/session", headers=office).json()["roles"] == ["office"]


def test_a_new_key_is_found_and_unknown_ones_are_not_looked_for_each_time(house: House) -> None:
    house.issuer.keys.rotate()
    issued = house.service.issued
    assert issued is not None
    issued._next_read -= 60
    assert _other(house, _signed(house)).status_code == 200
    asked = house.issuer.asked
    for _ in range(5):
        assert _other(house, TOKENS_REFUSED["an unknown key"](house)).status_code == 401
    assert house.issuer.asked <= asked + 1


def test_a_scope_narrows_and_never_widens(house: House) -> None:
    def token(
        rights: list[str] | None, collections: list[str] | None, account: str = "olga"
    ) -> dict[str, str]:
        scope = Scope.from_json({"rights": rights, "collections": collections})
        return {"Authorization": f"Bearer {issue_token(house.service, account, NewToken(scope=scope))[0]}"}

    reading = token(["read"], None)
    assert house.http.get(D1, headers=reading).status_code == 200
    assert house.http.patch(D1, json={"title": "x"}, headers=reading).status_code == 403
    assert house.http.get(f"{D1}/form", headers=reading).json()["writable"] == []
    listed = [house.http.get("/v1/records/duties?writable=true", headers=one).json() for one in ({}, reading)]
    assert listed[0]["items"] == listed[1]["items"]
    assert any(listed[0]["writable"]) and not any(listed[1]["writable"])
    elsewhere = token(None, ["sites"])
    assert house.http.get(D1, headers=elsewhere).status_code == 404
    assert house.http.get("/v1/records/duties", headers=elsewhere).json()["items"] == []
    through, duties = {"where": "site.boss == 'cora'"}, token(["read"], ["duties"])
    assert house.http.get("/v1/records/duties", params=through, headers=duties).status_code == 403
    assert (
        house.http.patch(D1, json={"title": "x"}, headers=token(["update", "read"], None, "carl")).status_code
        == 403
    )
    for path in ("/v1/accounts", "/v1/tokens"):
        assert house.http.get(path, headers=reading).status_code == 403
    assert house.http.post("/v1/tokens", json={}, headers=reading).status_code == 403


def test_an_idempotency_key_gives_another_nothing_and_oneself_what_is_still_theirs(house: House) -> None:
    key = {"Idempotency-Key": "once"}
    made = house.http.post(
        house.path, json={"code": "D5", "title": "days", "pay": 3}, headers={**bearer("olga"), **key}
    )
    assert made.status_code == 201
    other = house.http.post(
        house.path, json={"code": "D5", "title": "days", "pay": 3}, headers={**bearer("carl"), **key}
    )
    assert other.status_code == 422
    assert "pay" not in other.json().get("record", {})
    mine = {**bearer("carl"), "Idempotency-Key": "carl's"}
    assert house.http.post(house.path, json={"code": "D6", "title": "days"}, headers=mine).status_code == 201
    again = house.http.post(house.path, json={"code": "D6", "title": "days"}, headers=mine)
    assert (again.status_code, again.headers["Fenland-Repeated"]) == (201, "true")
    assert house.http.patch(f"{house.path}/D6", json={"title": "hidden"}).status_code == 200
    assert house.http.post(house.path, json={"code": "D6", "title": "days"}, headers=mine).status_code == 404
    for code in ("D5", "D6"):
        assert house.http.delete(f"{house.path}/{code}").status_code == 200


def test_a_cached_tag_tells_nothing(house: House) -> None:
    tag = house.http.get(f"{house.path}/D3").headers["ETag"]
    assert house.carl("GET", f"{house.path}/D3", **{"If-None-Match": tag}).status_code == 404
    assert house.carl("GET", f"{house.path}/D3", **{"If-None-Match": "*"}).status_code == 404
    assert (
        house.carl("PATCH", f"{house.path}/D3", {"title": "x"}, **{"If-Match": '"stale"'}).status_code == 404
    )
    # A list is of who asks as well.
    for path in (house.path, "/v1/records/vault"):
        listed, own = house.http.get(path).headers["ETag"], house.carl("GET", path)
        for held in (listed, "*"):
            assert house.carl("GET", path, **{"If-None-Match": held}).text == own.text
    form = house.http.get(f"{house.path}/D3/form").headers["ETag"]
    assert house.carl("GET", f"{house.path}/D3/form", **{"If-None-Match": form}).status_code == 404
    included = house.http.get(f"{D1}?include=site")
    assert included.headers["ETag"] != house.http.get(D1).headers["ETag"]
    assert (
        house.http.get(f"{D1}?include=site", headers={"If-None-Match": included.headers["ETag"]}).status_code
        == 304
    )
    assert (
        house.http.patch(
            "/v1/records/duties/D1", json={"count": 1}, headers={"If-Match": included.headers["ETag"]}
        ).status_code
        == 200
    )


@pytest.mark.parametrize(
    ("hidden", "absent"),
    [
        ("/v1/records/duties/D3", "/v1/records/duties/D4"),
        ("/v1/records/vault/V1", "/v1/records/vault/V2"),
        ("/v1/records/duties/D3/form", "/v1/records/duties/D4/form"),
        ("/v1/records/duties/D3/history", "/v1/records/duties/D4/history"),
    ],
)
@pytest.mark.parametrize("method", ["GET", "PATCH", "DELETE"])
def test_what_is_hidden_and_what_is_not_there_are_answered_alike(
    house: House, method: str, hidden: str, absent: str
) -> None:
    one, other = (
        house.carl(method, path, {"title": "x"} if method == "PATCH" else None) for path in (hidden, absent)
    )
    key, gone = hidden.split("/")[4], absent.split("/")[4]

    def told(answer: httpx.Response, name: str) -> Any:
        return {**answer.json(), "request_id": "", "detail": answer.json()["detail"].replace(name, "…")}

    assert (one.status_code, told(one, key)) == (other.status_code, told(other, gone))


# --- sessions ----------------------------------------------------------------------------------------


def _session(house: House) -> tuple[dict[str, str], str]:
    """The cookie of a session of carl's, and what proves its pages."""
    change_account(house.service, "carl", AccountChange(password="reeds and rushes"))
    answer = house.http.post(
        "/v1/session", json={"name": "carl", "password": "reeds and rushes"}, headers={"Authorization": ""}
    )
    assert answer.status_code == 201, answer.text
    cookie = answer.headers["Set-Cookie"]
    assert "HttpOnly" in cookie
    assert "SameSite=Lax" in cookie
    house.http.cookies.clear()
    return {"Cookie": cookie.split(";")[0], "Authorization": ""}, answer.json()["csrf"]


#: What comes with a change in a session, and what it is answered with. `{csrf}` is the proof.
PROOFS: list[tuple[dict[str, str], int]] = [
    ({"Fenland-CSRF": "{csrf}"}, 200),
    ({"Fenland-CSRF": "{csrf}", "Origin": "http://workshop", "Sec-Fetch-Site": "same-origin"}, 200),
    ({"Fenland-CSRF": "{csrf}", "Origin": "https://app.example", "Sec-Fetch-Site": "same-site"}, 200),
    ({"Fenland-CSRF": "{csrf}", "Origin": "https://evil.example"}, 403),
    ({"Fenland-CSRF": "{csrf}", "Origin": "null"}, 403),
    ({"Fenland-CSRF": "{csrf}", "Origin": "http://workshop.evil.example"}, 403),
    ({"Fenland-CSRF": "{csrf}", "Sec-Fetch-Site": "cross-site"}, 403),
    ({"Fenland-CSRF": "{csrf}", "Sec-Fetch-Site": "same-site"}, 403),
    ({"Fenland-CSRF": "wrong"}, 403),
    ({}, 403),
    ({"Origin": "http://workshop"}, 403),
]


@pytest.mark.parametrize(("headers", "status"), PROOFS)
def test_changes_in_a_session_need_the_proof_of_its_own_pages(
    house: House, headers: dict[str, str], status: int
) -> None:
    cookie, csrf = _session(house)
    given = {name: value.replace("{csrf}", csrf).encode("latin-1") for name, value in headers.items()}
    answer = house.http.patch(
        D2, json={"count": 1}, headers={**{k: v.encode() for k, v in cookie.items()}, **given}
    )
    assert answer.status_code == status, answer.text
    assert house.http.get(D2, headers=cookie).status_code == 200


def test_sessions_end(house: House) -> None:
    cookie, csrf = _session(house)
    # The secret of a session is no bearer token.
    assert _other(house, cookie["Cookie"].partition("=")[2]).status_code == 401
    proved = {**cookie, "Fenland-CSRF": csrf}
    ended = house.http.request("DELETE", "/v1/session", headers=proved)
    assert (ended.status_code, "Max-Age=0" in ended.headers["Set-Cookie"]) == (204, True)
    assert house.http.get(D2, headers=cookie).status_code == 401
    cookie, csrf = _session(house)
    change_account(house.service, "carl", AccountChange(password="another one, then"))
    assert house.http.get(D2, headers=cookie).status_code == 401
    house.http.cookies.clear()


def test_signing_in_tells_nothing_and_is_slowed(house: House, monkeypatch: pytest.MonkeyPatch) -> None:
    # Within one window of time, however long it takes here.
    now = house.service.clock()
    monkeypatch.setattr(house.service, "clock", lambda: now)

    def attempt(name: str, password: str = "no idea at all") -> httpx.Response:
        return house.http.post(
            "/v1/session", json={"name": name, "password": password}, headers={"Authorization": ""}
        )

    answers = [attempt(name).json() for name in ("cora", "nobody", "gone")]
    assert len({json.dumps({**one, "request_id": ""}) for one in answers}) == 1
    statuses = [attempt("cora").status_code for _ in range(9)]
    assert statuses[0] == 401
    assert statuses[-1] == 429
    slowed = attempt("cora")
    assert int(slowed.headers["Retry-After"]) > 0


def test_other_origins_get_credentials_only_where_they_are_named(house: House) -> None:
    named = house.http.get(D2, headers={**bearer("carl"), "Origin": "https://app.example"})
    assert named.headers["Access-Control-Allow-Credentials"] == "true"
    assert named.headers["Access-Control-Allow-Origin"] == "https://app.example"
    other = house.http.get(D2, headers={**bearer("carl"), "Origin": "https://evil.example"})
    assert "Access-Control-Allow-Origin" not in other.headers


def test_all_origins_get_no_credentials(tmp_path: Path) -> None:
    with workshop_of(DESCRIBED, tmp_path / "x.db", allowed_origins=["*"]) as (_, http):
        answer = http.get("/v1/session", headers={"Origin": "https://any.example"})
        assert "Access-Control-Allow-Credentials" not in answer.headers


def test_on_behalf_of_another_both_must_be_allowed_and_both_are_kept(house: House) -> None:
    acting = {**bearer("olga"), "Fenland-On-Behalf-Of": "cora"}
    assert house.http.get("/v1/records/vault/V1", headers=acting).status_code == 404
    assert house.http.get(f"{house.path}/D2", headers=acting).status_code == 200
    assert house.http.patch(f"{house.path}/D2", json={"title": "x"}, headers=acting).status_code == 403
    assert house.http.patch(D1, json={"count": 4}, headers=acting).status_code == 200
    entry = house.http.get(f"{D1}/history").json()["items"][0]
    assert (entry["actor"], entry["behalf"]) == ("olga", "cora")
    assert entry["sentence"].startswith("Cora (through Olga) changed")


def test_the_last_who_manages_accounts_stays_one(tmp_path: Path) -> None:
    # A house of its own: others may have joined those who manage the shared one.
    with workshop_of(DESCRIBED, tmp_path / "x.db", account_managers=["office"]) as (_, http):
        refused = http.patch("/v1/accounts/olga", json={"roles": []})
        assert refused.status_code == 409, refused.text
        assert http.patch("/v1/accounts/olga", json={"disabled": True}).status_code == 409


def test_requests_are_counted_where_the_settings_bound_them(tmp_path: Path) -> None:
    with workshop_of(DESCRIBED, tmp_path / "x.db", rate_limit=3) as (_, http):
        answers = [http.get("/v1/session", headers=bearer(name)) for name in ("carl", "carl", "carl", "carl")]
        assert [one.status_code for one in answers][:3] == [200, 200, 200]
        assert answers[3].status_code == 429
        assert answers[3].headers["RateLimit-Policy"] == '"minute";q=3;w=60'
        assert int(answers[3].headers["Retry-After"]) <= 60


def test_basic_carries_an_account_and_its_token(house: House) -> None:
    def basic(name: str, token: str) -> int:
        sent = base64.b64encode(f"{name}:{token}".encode()).decode()
        return house.http.get(D2, headers={"Authorization": f"Basic {sent}"}).status_code

    assert basic("carl", TOKENS["carl"][1]) == 200
    assert basic("olga", TOKENS["carl"][1]) == 401
    assert basic("carl", "no-such-token") == 401
    assert house.http.get(D2, headers={"Authorization": "Basic ~"}).status_code == 401


@pytest.mark.parametrize(
    ("address", "cookie", "origin", "foreign"),
    [
        ("https://firm.example/records", "Path=/records; Max-Age=43200; HttpOnly; SameSite=Lax; Secure", "https://firm.example", "http://workshop"),
        ("http://firm.example", "Path=/; Max-Age=43200; HttpOnly; SameSite=Lax", "http://firm.example", "https://firm.example"),
    ],
)  # fmt: skip
def test_behind_a_proxy_sessions_follow_the_public_address(
    tmp_path: Path, address: str, cookie: str, origin: str, foreign: str
) -> None:
    with workshop_of(DESCRIBED, tmp_path / "x.db", public_address=address) as (service, http):
        change_account(service, "olga", AccountChange(password="reeds and rushes"))
        sent = {"json": {"name": "olga", "password": "reeds and rushes"}}
        assert (
            http.post("/v1/session", headers={"Authorization": "", "Origin": foreign}, **sent).status_code
            == 403
        )
        begun = http.post("/v1/session", headers={"Authorization": "", "Origin": origin}, **sent)
        secret, _, rest = begun.headers["Set-Cookie"].partition("; ")
        assert rest == cookie
        http.cookies.clear()
        proved = {"Cookie": secret, "Authorization": "", "Fenland-CSRF": begun.json()["csrf"]}
        made = [
            http.post("/v1/records/sites", json={"code": "S7"}, headers={**proved, "Origin": one}).status_code
            for one in (foreign, origin)
        ]
        assert made == [403, 201]


def test_an_idle_session_ends_and_one_that_is_used_goes_on(tmp_path: Path) -> None:
    with workshop_of(DESCRIBED, tmp_path / "x.db", session_idle_minutes=10) as (service, http):
        change_account(service, "olga", AccountChange(password="reeds and rushes"))
        moment = service.clock()
        service.clock = lambda: moment
        begun = http.post(
            "/v1/session",
            json={"name": "olga", "password": "reeds and rushes"},
            headers={"Authorization": ""},
        )
        cookie = {"Cookie": begun.headers["Set-Cookie"].split(";")[0], "Authorization": ""}
        http.cookies.clear()
        for _ in range(3):
            moment += timedelta(minutes=9)
            assert http.get("/v1/session", headers=cookie).status_code == 200
            service.database.note_uses()
        moment += timedelta(minutes=11)
        assert http.get("/v1/session", headers=cookie).status_code == 401


def test_a_form_shows_nothing_of_what_may_not_be_read(house: House) -> None:
    form = house.carl("GET", f"{D1}/form").json()
    for part in (form["values"], form["choices"], form["schema"]["properties"]):
        assert not {"base", "pay", "badge"} & part.keys()
    assert not {"base", "pay", "badge"} & set(form["schema"]["required"])
    new = house.carl("GET", "/v1/schemas/duties?for=create").json()
    assert not {"base", "pay"} & (new["choices"].keys() | set(new["writable"]))
    assert house.carl("GET", "/v1/schemas/duties/choices/base").status_code == 404
    assert "S2" in json.dumps(house.http.get(f"{D1}/form").json()["choices"]["base"])


# --- whose account it is -----------------------------------------------------------------------------


def test_who_an_issuer_lets_in_is_nobody_here(tmp_path: Path) -> None:
    issuer = IssuerServer()
    threading.Thread(target=issuer.serve_forever, daemon=True).start()
    settings = {"issuer": issuer.address, "issuer_audience": AUDIENCE, "account_managers": ["office"]}
    try:
        with workshop_of(DESCRIBED, tmp_path / "x.db", **settings) as (_, http):

            def ask(method: str, path: str, sub: str, **more: Any) -> httpx.Response:
                token = issuer.token({"sub": sub, "roles": ["crew", "office"]})
                return http.request(method, path, headers={"Authorization": f"Bearer {token}"}, **more)

            # The name of an account here, and words that mean something else, are nobody's to bring along.
            for name in ("carl", "olga", "fenland", "owner", "Everyone", "nobody"):
                assert ask("GET", "/v1/session", name).status_code == 401, name
            assert ask("GET", "/v1/session", "ext").json()["manages_accounts"] is False
            for method, path, body in (
                ("POST", "/v1/tokens", {}), ("GET", "/v1/tokens", None), ("POST", "/v1/session/password", {"current": "x", "new": "reeds and rushes"}),
                ("GET", "/v1/accounts", None), ("PATCH", "/v1/accounts/carl", {"roles": []}), ("GET", "/v1/tokens?account=carl", None),
            ):  # fmt: skip
                assert ask(method, path, "ext", json=body).status_code == 403, path
            assert ask("GET", "/v1/history?collection=fenland_accounts", "ext").json()["items"] == []
            assert ask("POST", "/v1/records/duties", "ext", json={"code": "X1"}).json()["owner"] == "ext"
    finally:
        issuer.shutdown()
        issuer.server_close()


def test_a_token_never_outlives_what_it_was_made_with(tmp_path: Path) -> None:
    with workshop_of(DESCRIBED, tmp_path / "x.db") as (service, http):
        change_account(service, "carl", AccountChange(password="reeds and rushes"))
        short, _ = issue_token(service, "carl", NewToken(lifetime=timedelta(hours=1)))
        made: dict[str, Any] = {}
        for body in ({}, {"days": 30}):
            made = http.post("/v1/tokens", json=body, headers={"Authorization": f"Bearer {short}"}).json()
            assert made["expires_at"] <= service.now(timedelta(hours=1))
        longer = {"Authorization": f"Bearer {made['token']}"}
        assert http.post("/v1/tokens", json={}, headers=longer).json()["expires_at"] <= made["expires_at"]
        # For a name and a password there are short ones, which a change of the password ends.
        none = {"Authorization": ""}
        asked = {"name": "carl", "password": "reeds and rushes", "minutes": 5, "scope": {"rights": ["read"]}}
        given = http.post("/v1/tokens", json=asked, headers=none)
        assert (given.status_code, given.json()["scope"]["rights"]) == (201, ["read"])
        assert given.json()["expires_at"] <= service.now(timedelta(minutes=5))
        for wrong in ({**asked, "password": "x"}, {**asked, "name": "nobody.here"}):
            assert http.post("/v1/tokens", json=wrong, headers=none).status_code == 401
        assert http.post("/v1/tokens", json={**asked, "minutes": 0}, headers=none).status_code == 422
        assert http.post("/v1/tokens", headers=none).status_code == 401
        mine = {"Authorization": f"Bearer {given.json()['token']}"}
        assert http.get("/v1/records/duties", headers=mine).status_code == 200
        change_account(service, "carl", AccountChange(password="reeds and willows"))
        assert http.get("/v1/records/duties", headers=mine).status_code == 401
        assert http.get("/v1/records/duties", headers={"Authorization": f"Bearer {short}"}).status_code == 200


def test_changes_of_an_account_at_once_lose_nothing(tmp_path: Path) -> None:
    with workshop_of(DESCRIBED, tmp_path / "x.db", account_managers=["office"]) as (_, http):

        def set_one(number: int) -> None:
            assert (
                http.patch("/v1/accounts/cora", json={"attributes": {f"a{number}": number}}).status_code
                == 200
            )

        threads = [threading.Thread(target=set_one, args=(number,)) for number in range(12)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        found = http.get("/v1/accounts/cora")
        assert {f"a{number}": number for number in range(12)}.items() <= found.json()["attributes"].items()
        stale = {"If-Match": found.headers["ETag"]}
        assert http.patch("/v1/accounts/cora", json={"title": "C."}, headers=stale).status_code == 200
        refused = http.patch("/v1/accounts/cora", json={"title": "D."}, headers=stale)
        assert (refused.status_code, refused.json()["version"]) == (412, found.json()["version"] + 1)
        assert (
            http.patch("/v1/accounts/cora", json={"title": "D."}, headers={"If-Match": "garbage"}).status_code
            == 400
        )
        assert http.get("/v1/accounts/cora").json()["title"] == "C."
        assert (
            "a1"
            not in http.patch("/v1/accounts/cora", json={"attributes": {"a1": None}}).json()["attributes"]
        )


def test_a_delegate_sees_nothing_of_the_others_account(house: House) -> None:
    acting = {**bearer("olga"), "Fenland-On-Behalf-Of": "carl"}
    path = "/v1/history?collection=fenland_accounts"
    assert house.http.get(path, headers=bearer("carl")).json()["items"]
    assert house.http.get(path, headers=acting).json()["items"] == []


def test_nobody_locks_another_out_from_elsewhere(tmp_path: Path) -> None:
    with workshop_of(DESCRIBED, tmp_path / "x.db", trusted_proxies=["127.0.0.1"]) as (service, http):
        change_account(service, "carl", AccountChange(password="reeds and rushes"))

        def attempt(password: str, address: str) -> int:
            headers = {"Authorization": "", "X-Forwarded-For": address}
            sent = {"name": "carl", "password": password}
            return http.post("/v1/session", json=sent, headers=headers).status_code

        assert [attempt("wrong words here", "203.0.113.9") for _ in range(9)] == [401] * 8 + [429]
        assert attempt("reeds and rushes", "203.0.113.9") == 429
        assert attempt("reeds and rushes", "198.51.100.7") == 201
        # Whatever else is counted, of other windows too, the lockout stays.
        counters, now = service.database.counters, service.clock().timestamp()
        for number in range(40_000):
            counters.count(f"requests of address 10.{number >> 8}.{number & 255}.1", 60, now)
        assert attempt("reeds and rushes", "203.0.113.9") == 429


def test_few_passwords_are_worked_on_at_a_time(monkeypatch: pytest.MonkeyPatch) -> None:
    from fenland.core.problems import TooMany
    from fenland.service.accounts import passwords

    monkeypatch.setattr(passwords, "_LONGEST_WAIT", 0.01)
    running, most, all_told = [0], [0], threading.Event()

    class Slow:
        def verify(self, kept: str, password: str) -> bool:
            running[0] += 1
            most[0] = max(most[0], running[0])
            # As long as it takes until the others have been told, however slow the machine.
            all_told.wait(60)
            running[0] -= 1
            return True

    monkeypatch.setattr(passwords, "_HASHER", Slow())
    outcomes: list[Any] = []

    def sign_in() -> None:
        try:
            outcomes.append(passwords.matches("x", "kept"))
        except TooMany:
            outcomes.append("later")
            if outcomes.count("later") == 10:
                all_told.set()

    threads = [threading.Thread(target=sign_in) for _ in range(12)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert (most[0], outcomes.count(True), outcomes.count("later")) == (2, 2, 10)


def test_an_issuer_that_does_not_answer_holds_nobody(monkeypatch: pytest.MonkeyPatch) -> None:
    from fenland.core.problems import NotSignedIn, Unavailable
    from fenland.service.accounts import issuers
    from fenland.service.ways_in import Issuer

    monkeypatch.setattr(issuers, "_DEADLINE", 0.3)
    monkeypatch.setattr(issuers, "_PATIENCE", 0.02)
    asked, silent = [0], threading.Event()

    def fetch(address: str) -> Any:
        asked[0] += 1
        silent.wait(5)
        return {
            "keys": [
                {"kid": "odd", "kty": "XX"},
                {"kid": "enc", "kty": "EC", "use": "enc"},
                7,
                {"kid": "bad", "kty": "EC"},
            ]
        }

    about = Issuer("https://i.example", "aud", "https://i.example/keys")
    issued = issuers.IssuedTokens(about, frozenset(), fetch=fetch)
    forged = jwt.encode({"sub": "x"}, ec.generate_private_key(ec.SECP256R1()), "ES256", {"kid": "unknown"})
    moment, outcomes = datetime(2031, 4, 9, tzinfo=UTC), list[str]()

    def try_it() -> None:
        try:
            issued.actor(forged, moment)
        except (NotSignedIn, Unavailable) as refusal:
            outcomes.append(type(refusal).__name__)

    threads = [threading.Thread(target=try_it) for _ in range(30)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert set(outcomes) <= {"Unavailable", "NotSignedIn"}
    assert asked[0] == 1, "one at a time, and not again at once after a failure"
    silent.set()
    later = moment + timedelta(seconds=60)
    for _ in range(50):
        with pytest.raises(NotSignedIn):
            issued.actor(forged, later)
    assert asked[0] == 2, "an unknown key is remembered, and keys of kinds not known here are passed over"
