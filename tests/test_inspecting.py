"""The request inspector: what an account is told of its own requests, and what it never holds."""

from __future__ import annotations

import json
import os
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest

from commands import fenland
from fenland.cli import inspecting
from fenland.client import Client, InvalidError
from fenland.service.service import Service
from fenland.storage.door import MOST_NOTED, NOTE_ROOM, Inspection
from fenland.storage.shared.inspector import MOST_ACCOUNTS, Inspector
from support import TOKENS, bearer, new_project, start, workshop_of

CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
#: Names no value that a test sends otherwise holds.
SECRET = "ZEBRA-4711"
GAUGES: dict[str, Any] = {
    "gauges": {
        "key": "code",
        "access": {right: ["everyone"] for right in ("read", "create", "update", "delete", "erase")},
        "fields": {
            "code": CODE,
            "name": {"type": "string", "required": True, "maxLength": 40},
            "level": {"type": "integer", "maximum": 900},
            "kept": {"type": "string", "blank": "keep"},
            "cleared": {"type": "string", "blank": "clear"},
            "serial": {"type": "integer", "readOnly": True},
            "double": {"type": "integer", "derived": "record.level * 2"},
            "tags": {"type": "array", "items": {"type": "string"}},
            "site": {
                "type": "object",
                "properties": {"town": {"type": "string"}, "lane": {"type": "string"}},
            },
            "phone": {
                "type": "string",
                "sensitive": True,
                "unique": True,
                "pattern": "^[A-Z0-9-]+$",
                "maxLength": 12,
            },
            "pin": {"type": "string", "writeOnly": True},
            "notes": {"type": "string", "sensitive": True, "search": True},
        },
        "checks": [{"call": "lucky"}],
    },
    "readings": {
        "access": {"read": ["everyone"], "create": ["everyone"]},
        "fields": {"gauge": {"references": "gauges"}},
    },
}
#: What a project says of its own may hold anything.
RULES = """
from fenland.rules import check, problem

@check
def lucky(next):
    return problem("level", f"Not with {next['phone']}.") if next["level"] == 13 else None
"""  # fmt: skip
AT, ONE = "/v1/records/gauges", "/v1/records/gauges/G1"
Works = tuple[Service, httpx.Client]


@pytest.fixture
def works(tmp_path: Path) -> Iterator[Works]:
    with workshop_of(GAUGES, tmp_path / "x.db", rules=RULES) as (service, http):
        first = {
            "code": "G1",
            "name": "one",
            "level": 3,
            "kept": "k",
            "cleared": "c",
            "site": {"town": "Ely", "lane": "L"},
        }
        http.post(AT, json=first).raise_for_status()
        switched(http)
        yield service, http  # fmt: skip


def switched(http: httpx.Client, who: str = "olga", **more: Any) -> dict[str, Any]:
    answer = http.put("/v1/requests", json={"minutes": 10, **more}, headers=bearer(who))
    answer.raise_for_status()
    return answer.json()


def noted(http: httpx.Client, who: str = "olga", **query: Any) -> list[dict[str, Any]]:
    answer = http.get("/v1/requests", params={"limit": 200, **query}, headers=bearer(who))
    answer.raise_for_status()
    return answer.json()["items"]


def outcomes(told: dict[str, Any]) -> dict[str, Any]:
    return {one["field"]: one["outcome"] for one in told.get("fields", [])}


# --- what is told -------------------------------------------------------------------------------------


def test_each_field_that_was_sent_says_what_it_meant(works: Works) -> None:
    _, http = works
    sent = {
        "code": "G1",
        "name": "one",
        "level": 5,
        "kept": "",
        "cleared": "",
        "serial": 7,
        "site": {"town": "March"},
    }
    answer = http.patch(ONE, json=sent, params={"lenient": "true"}, headers={"User-Agent": "tool/1"})
    assert answer.status_code == 200, answer.text
    [told] = noted(http)
    assert outcomes(told) == {
        "code": "same", "name": "same", "level": "set", "kept": "left", "cleared": "cleared", "serial": "ignored",
        "site": "set", "double": "followed",
    }  # fmt: skip
    rows = {one["field"]: one for one in told["fields"]}
    assert rows["level"] == {"field": "level", "sent": 5, "outcome": "set"}
    assert rows["site"]["now"] == {"town": "March", "lane": "L"}
    assert rows["double"] == {"field": "double", "outcome": "followed", "now": 10}
    assert (told["method"], told["path"], told["operation"], told["status"]) == ("PATCH", ONE, "update", 200)
    assert told["query"] == {"lenient": "true"}
    assert told["headers"]["User-Agent"] == "tool/1" and "Authorization" not in told["headers"]
    assert told["microseconds"] > 0 and told["bytes"] == len(answer.content)
    assert told["request_id"] == answer.headers["X-Request-ID"]
    assert http.get(f"/v1/requests/{told['number']}").json() == told
    assert http.get("/v1/requests/999").status_code == 404


def test_a_refusal_says_why_beside_the_field_that_it_is_about(works: Works) -> None:
    _, http = works
    refused = http.patch(ONE, json={"level": 901, "name": "two", "colour": "red", "site": {"town": 3}})
    assert refused.status_code == 422
    [told] = noted(http)
    assert outcomes(told) == {
        "level": "refused", "name": "not saved", "colour": "refused", "site": "refused",
    }  # fmt: skip
    rows = {one["field"]: one for one in told["fields"]}
    problems = {one["pointer"]: one for one in refused.json()["errors"]}
    assert rows["level"]["detail"] == problems["/level"]["detail"]
    assert rows["site"]["detail"] == problems["/site/town"]["detail"]
    # Whatever nobody knows the name of may be a secret, misspelt.
    said = {"code": "unknown_field", "detail": problems["/colour"]["detail"]}
    assert rows["colour"] == {"field": "colour", "withheld": True, "outcome": "refused", **said}
    assert told["problem"]["code"] == "invalid"


WAYS: dict[str, tuple[str, str, dict[str, Any], dict[str, str]]] = {
    "merge patch": ("PATCH", ONE, {"json": {"level": 8}}, {"level": "set", "double": "followed"}),
    "form": ("PATCH", ONE, {"data": {"level": "8", "name": "one"}}, {"level": "set", "name": "same", "double": "followed"}),
    "texts": ("PATCH", f"{ONE}?coerce=text", {"json": {"level": "8"}}, {"level": "set", "double": "followed"}),
    "JSON Patch": (
        "PATCH", ONE, {"content": json.dumps([{"op": "replace", "path": "/level", "value": 8}]), "headers": {"Content-Type": "application/json-patch+json"}},
        {"level": "set", "double": "followed"},
    ),
    "edits": (
        "PATCH", ONE, {"content": json.dumps({"edits": [{"at": "/tags", "include": ["a"]}]}), "headers": {"Content-Type": "application/vnd.fenland.edits+json"}},
        {"tags": "set"},
    ),
    "PUT": ("PUT", ONE, {"json": {"code": "G1", "name": "n", "level": 3}}, {"code": "same", "name": "set", "level": "same", "kept": "followed", "cleared": "followed", "site": "followed"}),
    "create": ("POST", AT, {"json": {"code": "G2", "name": "n", "level": 1}}, {"code": "set", "name": "set", "level": "set", "double": "followed"}),
    "save, new": ("POST", f"{AT}/save", {"json": {"id": "", "code": "G3", "name": "n"}}, {"id": "same", "code": "set", "name": "set"}),
    "put by": ("PUT", f"{AT}/by/code/G4", {"json": {"code": "G4", "name": "n"}}, {"code": "set", "name": "set"}),
    "preview": ("POST", f"{ONE}/preview", {"json": {"level": 8, "name": ""}}, {"level": "set", "name": "set", "double": "followed"}),
    "cleared": ("PATCH", ONE, {"json": {"level": None}}, {"level": "cleared", "double": "followed"}),
}  # fmt: skip


@pytest.mark.parametrize("way", WAYS)
def test_every_way_to_change_a_record_tells_its_fields(works: Works, way: str) -> None:
    _, http = works
    method, path, body, meant = WAYS[way]
    http.request(method, path, **body).raise_for_status()
    [told] = noted(http)
    assert outcomes(told) == meant
    row = next(one for one in told["fields"] if one["field"] in ("level", "tags", "name"))
    assert "sent" in row or "edit" in row


def test_batches_files_and_many_tell_their_parts(works: Works) -> None:
    _, http = works
    items = [
        {"action": "create", "collection": "gauges", "fields": {"code": "B1", "name": "n"}},
        {"action": "update", "collection": "gauges", "key": "G1", "fields": {"level": 9000, "name": "x"}},
        {"action": "delete", "collection": "gauges", "key": "none"},
    ]
    http.post("/v1/batch", json={"items": items, "atomic": False}).raise_for_status()
    http.patch(f"{AT}?where=level+>+1", json={"name": "both"}).raise_for_status()
    http.post(
        f"{AT}/import", content=b"code,name\nB1,n\nB2,m\n", headers={"Content-Type": "text/csv"}
    ).raise_for_status()
    file, many, batch = noted(http)
    assert [one["status"] for one in batch["items"]] == [201, 422, 404]
    assert batch["items"][1]["fields"][0]["code"] == "maximum"
    assert batch["items"][1]["fields"][1]["outcome"] == "not saved"
    assert many["counts"] == {"matched": 1, "changed": 1, "refused": 0}
    assert many["fields"] == [{"field": "name", "sent": "both"}] and many["query"] == {"where": "level > 1"}
    assert file["counts"] == {"rows": 2, "created": 1, "updated": 0, "unchanged": 1, "refused": 0}


def test_the_same_key_again_is_told_as_the_outcome_that_was_kept(works: Works) -> None:
    _, http = works
    for _ in range(2):
        http.patch(ONE, json={"level": 6}, headers={"Idempotency-Key": "k-1"}).raise_for_status()
    again, first = noted(http)
    assert (first.get("repeated"), again["repeated"]) == (None, True)
    assert outcomes(first)["level"] == "set" and "outcome" not in again["fields"][0]


# --- whose, and for how long --------------------------------------------------------------------------


def test_it_is_each_account_s_own_and_off_until_switched_on(works: Works) -> None:
    service, http = works
    for who in ("olga", "carl"):
        http.get(ONE, headers=bearer(who)).raise_for_status()
    assert [one["path"] for one in noted(http)] == [ONE]
    assert noted(http, "carl") == []
    assert http.get("/v1/requests", headers=bearer("carl")).json()["until"] is None
    switched(http, "carl")
    http.get("/v1/session", headers=bearer("carl"))
    assert [one["path"] for one in noted(http, "carl")] == ["/v1/session"]
    # A token that reaches less than the account does says nothing of what others of its tokens sent.
    scoped = http.post("/v1/tokens", json={"scope": {"rights": ["read"]}}).json()["token"]
    held = {"Authorization": f"Bearer {scoped}"}
    http.get(ONE, headers=held).raise_for_status()
    assert noted(http)[0]["path"] == ONE and noted(http)[1]["operation"] == "issueToken"
    for method in ("GET", "PUT", "DELETE"):
        body = {"json": {"minutes": 1}} if method == "PUT" else {}
        assert http.request(method, "/v1/requests", headers=held, **body).status_code == 403
    assert http.get("/v1/requests", headers={"Authorization": ""}).status_code == 401
    assert http.delete("/v1/requests").status_code == 204
    http.get(ONE).raise_for_status()
    assert noted(http) == []
    assert noted(http, "carl") != []
    assert service.database.inspector.of("olga", 0) is None


def test_it_ends_by_itself_and_what_it_kept_goes_an_hour_later(works: Works, tmp_path: Path) -> None:
    service, http = works
    http.get(ONE).raise_for_status()
    begun = service.clock()
    assert b"/gauges/G1" in (tmp_path / "x.db.requests-notes").read_bytes()
    for later, seen in ((11, 1), (71, 0)):
        service.clock = lambda later=later: begun + timedelta(minutes=later)
        http.get(ONE).raise_for_status()
        assert len(noted(http)) == seen
    assert b"gauges" not in (tmp_path / "x.db.requests-notes").read_bytes()


def test_what_the_console_asks_is_noted_only_where_that_is_wanted(works: Works) -> None:
    _, http = works
    for wanted in (False, True):
        switched(http, console=wanted)
        http.get(ONE, headers={"Fenland-Via": "console"}).raise_for_status()
        assert len(noted(http)) == wanted
    http.post(f"{ONE}/presence", json={"window": "w", "doing": "gone"}).raise_for_status()
    assert len(noted(http)) == 1


def test_the_last_ones_are_kept_and_can_be_followed(works: Works) -> None:
    _, http = works
    for number in range(MOST_NOTED + 5):
        http.get(f"{AT}/no-{number}")
    found = noted(http)
    assert [one["number"] for one in found] == [*range(MOST_NOTED + 5, 5, -1)]
    assert found[0]["path"] == f"{AT}/no-{MOST_NOTED + 4}" and found[0]["status"] == 404
    assert [one["number"] for one in noted(http, after=203)] == [205, 204]
    assert noted(http, after=205) == []
    assert [one["number"] for one in noted(http, limit=2)] == [205, 204]
    # Begun anew, its numbers are small again, and whoever follows misses none.
    http.delete("/v1/requests").raise_for_status()
    switched(http)
    http.get(ONE)
    assert [one["number"] for one in noted(http, after=205)] == [1]


@pytest.mark.parametrize(("body", "told"), [({}, "/minutes"), ({"minutes": 0}, "/minutes"), ({"minutes": 1441}, "/minutes"), ({"minutes": True}, "/minutes"), ({"minutes": 5, "console": 1}, "/console"), ({"minutes": 5, "x": 1}, "/x")])  # fmt: skip
def test_wrong_wishes_are_refused(works: Works, body: dict[str, Any], told: str) -> None:
    _, http = works
    answer = http.put("/v1/requests", json=body)
    assert answer.status_code == 422 and [one["pointer"] for one in answer.json()["errors"]] == [told]


# --- what it never holds ------------------------------------------------------------------------------

_JSON_PATCH = {"Content-Type": "application/json-patch+json"}
_EDITS = {"Content-Type": "application/vnd.fenland.edits+json"}
#: Requests that hold the secret somewhere.
TELLING: dict[str, tuple[str, str, dict[str, Any]]] = {
    "sensitive": ("PATCH", ONE, {"json": {"phone": SECRET}}),
    "sensitive, whole": ("PUT", ONE, {"json": {"code": "G1", "name": "n", "phone": SECRET, "pin": SECRET}}),
    "write-only": ("PATCH", ONE, {"json": {"pin": SECRET}}),
    "misspelt": ("PATCH", ONE, {"json": {"phnoe": SECRET}}),
    "misspelt, ignored": ("PATCH", f"{ONE}?lenient=true", {"json": {"phnoe": SECRET}}),
    "too long": ("PATCH", ONE, {"json": {"phone": SECRET * 9}}),
    "of another type": ("PATCH", ONE, {"json": {"phone": [SECRET, {"x": SECRET}]}}),
    "against its pattern": ("PATCH", ONE, {"json": {"phone": f"{SECRET} x"}}),
    "created": ("POST", AT, {"json": {"code": "S1", "name": "n", "phone": SECRET, "notes": SECRET}}),
    "taken": ("POST", AT, {"json": {"code": "S2", "name": "n", "phone": SECRET}}),
    "saved": ("POST", f"{AT}/save", {"json": {"code": "S3", "name": "n", "notes": SECRET}}),
    "form": ("PATCH", ONE, {"data": {"notes": SECRET}}),
    "texts": ("PATCH", f"{ONE}?coerce=text", {"json": {"notes": SECRET}}),
    "JSON Patch": ("PATCH", ONE, {"content": json.dumps([{"op": "add", "path": "/notes", "value": SECRET}]), "headers": _JSON_PATCH}),
    "JSON Patch, tested": ("PATCH", ONE, {"content": json.dumps([{"op": "test", "path": "/notes", "value": f"{SECRET}!"}]), "headers": _JSON_PATCH}),
    "JSON Patch, inside": ("PATCH", ONE, {"content": json.dumps([{"op": "add", "path": f"/notes/{SECRET}", "value": 1}]), "headers": _JSON_PATCH}),
    "JSON Patch, of a root": ("PATCH", ONE, {"content": json.dumps([{"op": "add", "path": "", "value": {"notes": SECRET}}]), "headers": _JSON_PATCH}),
    "edits": ("PATCH", ONE, {"content": json.dumps({"edits": [{"at": "/notes", "append": SECRET}]}), "headers": _EDITS}),
    "edits, if": ("PATCH", ONE, {"content": json.dumps({"edits": [{"at": "/level", "set": 1, "only_if": f"notes == '{SECRET}'"}]}), "headers": _EDITS}),
    "edits, cannot": ("PATCH", ONE, {"content": json.dumps({"edits": [{"at": "/notes", "increase_by": 1, "only_if": {"is": SECRET}}]}), "headers": _EDITS}),
    "preview": ("POST", f"{ONE}/preview", {"json": {"phone": SECRET, "pin": SECRET}}),
    "batch": ("POST", "/v1/batch", {"json": {"items": [{"action": "update", "collection": "gauges", "key": "G1", "fields": {"phone": SECRET, "phnoe": SECRET}}]}}),
    "batch, other formats": ("POST", "/v1/batch", {"json": {"atomic": False, "items": [
        {"action": "update", "collection": "gauges", "key": "G1", "edits": [{"at": "/notes", "set": SECRET}]},
        {"action": "put", "collection": "gauges", "by": "phone", "value": SECRET, "fields": {"phone": SECRET}},
        {"action": "none", "phone": SECRET}, SECRET,
    ]}}),
    "many": ("PATCH", f"{AT}?where=phone+==+'{SECRET}'", {"json": {"notes": SECRET}}),
    "file": ("POST", f"{AT}/import", {"content": f"code,phone\nS9,{SECRET}\n".encode(), "headers": {"Content-Type": "text/csv"}}),
    "filtered": ("GET", f"{AT}?phone={SECRET}&phone.from={SECRET}", {}),
    "condition": ("GET", f"{AT}?where=phone+==+'{SECRET}'", {}),
    "condition, wrong": ("GET", f"{AT}?where=phone+==+'{SECRET}'+nonsense", {}),
    "searched": ("GET", f"{AT}?q={SECRET}", {}),
    "sorted by it, next page": ("GET", f"{AT}?sort=phone&limit=1", {}),
    "by its value": ("GET", f"{AT}/by/phone/{SECRET}", {}),
    "by its value, put": ("PUT", f"{AT}/by/phone/{SECRET}", {"json": {"code": "S8", "name": "n"}}),
    "a parameter that is none": ("GET", f"{AT}?token={SECRET}", {}),
    "a broken body": ("PATCH", ONE, {"content": f'{{"phone": "{SECRET}"', "headers": {"Content-Type": "application/json"}}),
    "a body of no type": ("PATCH", ONE, {"content": SECRET.encode()}),
    "a password": ("POST", "/v1/session/password", {"json": {"current": SECRET, "new": SECRET * 3, SECRET: 1}}),
    "an account": ("POST", "/v1/accounts", {"json": {"name": "neu", "password": SECRET * 3}}),
    "erased, wrong in its place": ("POST", f"{ONE}/erase", {"json": {"fields": ["phone"], "reason": "r", "values": {"phone": f"{SECRET} {SECRET} {SECRET}"}}}),
    "told by a function of the project": ("PATCH", ONE, {"json": {"level": 13, "phone": SECRET}}),
    "behind very many": ("PATCH", ONE, {"json": {**{f"x{number}": 1 for number in range(150)}, "level": 13, "phone": SECRET}}),
    "choices, searched": ("GET", f"/v1/schemas/readings/choices/gauge?q={SECRET}", {}),
    "history, searched": ("GET", f"/v1/history?where=after.phone+==+'{SECRET}'", {}),
    "erased, another in its place": ("POST", f"{ONE}/erase", {"json": {"fields": ["notes"], "reason": "r", "values": {"notes": SECRET}}}),
}  # fmt: skip


def test_no_secret_value_is_in_what_is_kept_whichever_way_it_was_sent(works: Works, tmp_path: Path) -> None:
    _, http = works
    http.patch(ONE, json={"phone": SECRET, "pin": SECRET, "notes": SECRET}).raise_for_status()
    file = tmp_path / "x.db.requests-notes"
    for name, (method, path, body) in TELLING.items():
        answer = http.request(method, path, **body)
        assert answer.status_code < 500, (name, answer.text)
        if "next page" in name:
            http.get(path, params={"sort": "phone", "limit": "1", "cursor": answer.json()["next"]})
        kept = file.read_bytes()
        assert SECRET.encode() not in kept and SECRET[:5].encode() not in kept, name
    assert len(noted(http)) == len(TELLING) + 2
    # And it is told that something is missing, where it is.
    told = [one for one in noted(http) if one["operation"] == "update" and one.get("fields")]
    assert all(
        "sent" not in row
        for one in told
        for row in one["fields"]
        if row["field"] in ("phone", "pin", "notes")
    )
    assert any(row.get("withheld") for one in told for row in one["fields"])


def test_short_secrets_are_not_told_by_what_is_missing(works: Works) -> None:
    _, http = works
    http.patch(ONE, json={"level": 13, "phone": "I"})
    [told] = noted(http)
    assert {one["field"]: one.get("detail") for one in told["fields"]}["level"] == "…"


def test_what_other_definitions_made_of_requests_is_removed(tmp_path: Path) -> None:
    path = tmp_path / "x.requests"
    old, new = Inspector(path, 1), Inspector(path, 2)
    old.begin("olga", Inspection(100, 200, console=False), 1)
    old.note("olga", b"under the old", 1)
    assert [one.content for one in old.noted("olga", 1)] == [b"under the old"]
    new.note("olga", b"under the new", 1)
    assert [(one.number, one.content) for one in new.noted("olga", 1)] == [(2, b"under the new")]
    assert b"old" not in path.with_name("x.requests-notes").read_bytes()


# --- bounds -------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("method", "path", "body"),
    [
        ("PATCH", ONE, {"name": "x" * 900_000}),
        ("PATCH", ONE, {f"field-{number}" * 30: "x" for number in range(2_000)}),
        ("PATCH", ONE, {"tags": ["t" * 100] * 5_000, "site": {"town": "y" * 100_000}}),
        ("PATCH", f"{ONE}?reason={'r' * 8_000}", {"level": 1}),
        ("GET", f"{AT}?where={'true+%26%26+' * 500}true", None),
        ("GET", AT + "".join(f"?name={'n' * 500}" if not one else f"&name={'n' * 500}{one}" for one in range(50)), None),
        ("POST", "/v1/batch", {"items": [{"action": "create", "collection": "gauges", "fields": {"name": "n" * 500, "level": 9_999}}] * 500}),
        ("GET", f"{AT}/{'k' * 5_000}", None),
    ],
)  # fmt: skip
def test_a_note_is_bounded_whatever_was_sent(works: Works, method: str, path: str, body: Any) -> None:
    service, http = works
    http.request(method, path, json=body, headers={"User-Agent": "u" * 5_000, "Prefer": "p" * 5_000})
    [kept] = service.database.inspector.noted("olga", service.clock().timestamp())
    assert len(kept.content) <= NOTE_ROOM
    told = json.loads(kept.content)
    assert (told["method"], told["path"][:20]) == (method, path.partition("?")[0][:20]) and told[
        "status"
    ] >= 200


def test_so_many_accounts_have_it_on_at_once_and_no_more(tmp_path: Path) -> None:
    one, other = (Inspector(tmp_path / "x", 1) for _ in range(2))
    on = Inspection(100, 200, console=True)
    assert all(one.begin(f"account-{number}", on, 1) for number in range(MOST_ACCOUNTS))
    assert not other.begin("another", on, 1) and other.begin("account-3", on, 1)
    other.note("account-3", b"three", 1)
    other.note("another", b"another", 1)
    assert [(seen.number, seen.content) for seen in one.noted("account-3", 1)] == [(1, b"three")]
    assert one.noted("account-4", 1) == one.noted("another", 1) == []
    assert other.of("account-3", 1) == on and other.of("account-3", 101) is None
    one.forget("account-3")
    assert other.begin("another", on, 1) and other.noted("another", 1) == []
    other.tidy(201)
    assert (tmp_path / "x-notes").stat().st_size == 0 and one.begin("account-3", on, 202)


@pytest.mark.parametrize("body", [b'{"name": "a\\ud800b"}', b'{"\\ud800": 1}', b'{"tags": ["\\udc00"], "site": {"\\ud800": "x"}}', b'{"level": 1e400}', b'{"name": 1.00000000000000000000000000001}', b"[]", b"{", b"\xff"])  # fmt: skip
def test_whatever_was_sent_is_answered_as_without_it_and_noted(works: Works, body: bytes) -> None:
    _, http = works
    kind = {"Content-Type": "application/json"}
    told = [http.patch(ONE, content=body, headers={**bearer(who), **kind}) for who in ("carl", "olga")]
    assert told[0].status_code == told[1].status_code < 500
    [one] = noted(http)
    assert one["status"] == told[0].status_code
    if b"1.000" in body:
        assert "1.00000000000000000000000000001" in http.get("/v1/requests").text


def test_what_is_saved_is_never_answered_as_failed_for_want_of_a_note(
    works: Works, monkeypatch: pytest.MonkeyPatch
) -> None:
    _, http = works

    def broken(*_: Any) -> Any:
        raise KeyError("none")

    monkeypatch.setattr("fenland.web.http.noting._fitted", broken)
    assert http.patch(ONE, json={"level": 77}).json()["level"] == 77


def test_a_full_disk_refuses_no_request(works: Works, monkeypatch: pytest.MonkeyPatch) -> None:
    _, http = works

    def full(*_: Any) -> int:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "pwrite", full)
    assert http.get(ONE).status_code == 200
    monkeypatch.undo()
    assert noted(http) == []


# --- by client and command ----------------------------------------------------------------------------


def test_clients_and_commands_see_them_as_they_come(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = new_project(tmp_path / "p")
    running = start("start", folder, tmp_path / "log", "--workers", "2")
    token = (folder / "token").read_text()
    monkeypatch.setenv("FENLAND_ADDRESS", running.address)
    monkeypatch.setenv("FENLAND_TOKEN", token)

    def told(*words: str) -> Any:
        return json.loads(fenland("requests", *words, "--json").stdout)

    assert told("list")["until"] is None
    assert told("on", "--minutes", "5")["until"] is not None
    with Client(running.address, token=token) as client:
        # Whichever process answers, it is noted.
        for number in range(12):
            client.create("notes", {"slug": f"n{number}", "title": f"note {number}"})
        with pytest.raises(InvalidError):
            client.create("notes", {"slug": "n1", "title": "", "colour": "red"})
        found = client.requests(limit=200)
        assert [one["status"] for one in found["items"]].count(201) == 12
        refused = found["items"][0]
        assert client.request(refused["number"]) == refused
        assert {one["field"]: one["outcome"] for one in refused["fields"]}["colour"] == "refused"
        assert client.requests(after=refused["number"])["items"] == []
    assert [one["status"] for one in told("list", "--refused")["items"]] == [422]
    assert told("show", str(refused["number"]))["problem"]["code"] == "invalid"
    shown = fenland("requests", "show", str(refused["number"])).stdout
    assert "colour" in shown and "not kept" in shown and "unknown_field" in shown
    assert "slug: unique" in fenland("requests", "list", "--refused").stdout
    fenland("requests", "show", "999", code=4)
    assert told("off") == {"until": None}
    assert "None was noted yet" in fenland("requests", "list").stdout
    running.stop()


def test_one_can_be_followed_until_the_time_is_over(
    works: Works, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    """Each that comes is shown once and in order; it is switched on where it is off."""
    _, http = works
    http.delete("/v1/requests").raise_for_status()
    rounds = iter([("no-1", "no-2"), (), ("no-3",), None])

    def wait(_: float) -> None:
        keys = next(rounds)
        if keys is None:
            raise KeyboardInterrupt
        for key in keys:
            http.get(f"{AT}/{key}")

    class Signed(Client):
        def __init__(self) -> None:
            super().__init__("http://workshop", token=TOKENS["olga"][1], transport=http._transport)

    monkeypatch.setattr(inspecting.time, "sleep", wait)
    monkeypatch.setattr(inspecting, "signed_in", lambda _timeout: Signed())
    inspecting.follow(minutes=5, refused=False, timeout=5, as_json=True)
    lines = [json.loads(line) for line in capsys.readouterr().out.splitlines() if line.startswith("{")]
    assert [one["path"].rpartition("/")[2] for one in lines] == ["no-1", "no-2", "no-3"]
