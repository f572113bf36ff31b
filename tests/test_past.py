"""How records were, and the way back: versions, times, restoring and undoing, through HTTP."""

from __future__ import annotations

import random
from collections.abc import Iterator, Mapping
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.core.changes.change import Stamp, deletion, joined
from fenland.core.definitions.reading import definitions_from
from fenland.core.values.identity import time_of
from fenland.core.values.plain import same
from fenland.service.proof.archiving import archive
from fenland.service.service import Service
from support import bearer, workshop_of

EVERYONE = {right: ["everyone"] for right in ("read", "create", "update", "delete", "erase")}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
SITES = {
    "sites": {"key": "code", "access": EVERYONE, "fields": {"code": CODE, "name": {"type": "string"}}},
    "visits": {
        "key": "code",
        "access": {**EVERYONE, "create": ["office"], "delete": ["office"]},
        "fields": {
            "code": CODE,
            "depth": {"type": "number"},
            "state": {"type": "string", "enum": ["open", "done"]},
            "note": {"type": "string", "blank": "keep"},
            "tags": {"type": "array", "items": {"type": "string"}},
            "place": {"type": "object", "properties": {"road": {"type": "string"}, "town": {"type": "string"}}},
            "serial": {"type": "integer", "unique": True},
            "site": {"references": "sites", "on_delete": "cascade"},
            "backup": {"references": "sites", "on_delete": "clear"},
            "phone": {"type": "string", "sensitive": True},
            "pay": {"type": "integer", "access": {"read": ["office"], "update": ["office"]}},
        },
    },
}  # fmt: skip


@pytest.fixture
def house(tmp_path: Path) -> Iterator[tuple[Service, httpx.Client]]:
    with workshop_of(SITES, tmp_path / "sites.db", account_managers=["office"]) as found:
        yield found


@pytest.fixture
def http(house: tuple[Service, httpx.Client]) -> httpx.Client:
    http = house[1]
    for code in ("S1", "S2"):
        http.post("/v1/records/sites", json={"code": code, "name": code.lower()}).raise_for_status()
    visit = {"code": "V1", "depth": 1.5, "state": "open", "tags": ["a", "b"], "site": "S1", "note": "first"}
    http.post("/v1/records/visits", json=visit).raise_for_status()
    return http


def sent(http: httpx.Client, method: str, path: str, status: int = 200, **parts: Any) -> Any:
    answer = http.request(method, path, **parts)
    assert answer.status_code == status, answer.text
    return answer.json()


def change(http: httpx.Client, **fields: Any) -> Any:
    return sent(http, "PATCH", "/v1/records/visits/V1", json=fields)


def newest(http: httpx.Client) -> int:
    return int(sent(http, "GET", "/v1/history?limit=1")["items"][0]["sequence"])


def batched(http: httpx.Client, *items: Mapping[str, Any]) -> str:
    return str(sent(http, "POST", "/v1/batch", json={"items": list(items)})["batch"])


def undone(http: httpx.Client, sequence: int, status: int = 200, **parts: Any) -> Any:
    return sent(http, "POST", f"/v1/history/{sequence}/undo", status, **parts)


def test_what_is_in_an_archive_is_told_of_and_a_record_keeps_when_it_was_made(
    house: tuple[Service, httpx.Client], http: httpx.Client, tmp_path: Path
) -> None:
    made = sent(http, "GET", "/v1/records/visits/V1")
    change(http, note="the newest entry stays in any case")
    archive(house[0], tmp_path, "2999-01-01T00:00:00.000000Z")
    change(http, note="second")
    told = sent(http, "GET", "/v1/records/sites/S1/history")
    assert (told["items"], len(told["archived"])) == ([], 1)
    assert len(sent(http, "GET", "/v1/records/visits/V1/history")["archived"]) == 1
    later = sent(http, "POST", "/v1/records/visits", 201, json={"code": "V2"})
    assert sent(http, "GET", "/v1/records/visits/V2/history")["archived"] == []
    assert time_of(later["id"]) == later["created_at"]
    sent(http, "DELETE", "/v1/records/visits/V1")
    back = sent(http, "POST", "/v1/records/visits/V1/restore")
    assert back["created_at"] == made["created_at"]


# --- as it was ----------------------------------------------------------------------------------------


def test_a_record_is_shown_as_it_was_at_every_version_and_time(
    house: tuple[Service, httpx.Client], http: httpx.Client
) -> None:
    service, dice = house[0], random.Random(11)
    moment = datetime(2031, 1, 1, tzinfo=UTC)
    service.clock = lambda: moment
    seen: list[tuple[str, dict[str, Any] | None, str]] = []
    for step in range(60):
        moment += timedelta(minutes=1)
        there = http.get("/v1/records/visits/V1")
        if there.status_code == 404:
            sent(http, "POST", "/v1/records/visits/V1/restore")
        elif dice.random() < 0.1:
            sent(http, "DELETE", "/v1/records/visits/V1")
        else:
            values = {
                "depth": dice.choice([None, 0.5, 1e21]),
                "note": dice.choice(["", "x" * 9, "new"]),
                "tags": dice.choice([[], ["b"], ["c", "a"]]),
                "place": dice.choice([None, {"town": f"T{step}"}]),
                "phone": f"0{step}",
            }
            chosen = dice.sample(sorted(values), 2)
            change(http, **{name: values[name] for name in chosen})
        now = http.get("/v1/records/visits/V1")
        state = now.json() if now.status_code == 200 else None
        seen.append((moment.isoformat(), state, now.headers.get("ETag", "")))
    for at, state, tag in seen:
        found = http.get("/v1/records/visits/V1", params={"at": at})
        listed = sent(http, "GET", "/v1/records/visits", params={"at": at})["items"]
        if state is None:
            assert found.status_code == 404
            assert listed == []
            continue
        assert same(found.json(), state)
        assert found.headers["ETag"] == tag
        assert same(listed, [state])
        version = state["version"]
        assert same(sent(http, "GET", f"/v1/records/visits/V1?version={version}"), state)
        form = sent(http, "GET", "/v1/records/visits/V1/form", params={"version": version})
        assert same(form["values"], state)
        assert form["writable"] == []
    assert http.get("/v1/records/visits/V1?at=2020-01-01").status_code == 404


def test_a_list_as_it_was_goes_by_pages_and_holds_what_is_gone_since(http: httpx.Client) -> None:
    for number in range(2, 8):
        sent(http, "POST", "/v1/records/visits", 201, json={"code": f"V{number}", "depth": number})
    at = sent(http, "GET", "/v1/history?limit=1")["items"][0]["time"]
    for number in (1, 4, 7):
        sent(http, "DELETE", f"/v1/records/visits/V{number}")
    sent(http, "POST", "/v1/records/visits", 201, json={"code": "V9"})
    change_of = sent(http, "PATCH", "/v1/records/visits/V2", json={"depth": 99})
    assert change_of["depth"] == 99
    codes, cursor = [], None
    while True:
        page = sent(
            http,
            "GET",
            "/v1/records/visits",
            params={"at": at, "limit": 2, "cursor": cursor or ""} if cursor else {"at": at, "limit": 2},
        )
        codes += [(one["code"], one["depth"]) for one in page["items"]]
        cursor = page["next"]
        if cursor is None:
            break
    assert codes == [("V1", 1.5), *((f"V{number}", float(number)) for number in range(2, 8))]
    for wrong in ("where=depth>1", "q=x", "sort=depth", "count=true", "include=site"):
        assert http.get(f"/v1/records/visits?at=2031-01-01&{wrong}").status_code == 400
    file = http.get("/v1/records/visits?at=2031-01-01", headers={"Accept": "text/csv"})
    assert (file.status_code, "Leave at out" in file.json()["detail"]) == (400, True)


REFUSED = [
    ("GET", "/v1/records/visits/V1?version=9", 400),
    ("GET", "/v1/records/visits/V1?version=0", 400),
    ("GET", "/v1/records/visits/V1?version=1&at=2031-01-01", 400),
    ("GET", "/v1/records/visits/V1?at=soon", 400),
    ("GET", "/v1/records/visits/V1?version=1&include=site", 400),
    ("GET", "/v1/records/visits/V8?version=1", 404),
    ("GET", "/v1/records/visits/V1/difference", 400),
    ("GET", "/v1/records/visits/V1/difference?from=9", 400),
    ("POST", "/v1/records/visits/V1/restore", 409),
    ("POST", "/v1/records/visits/V1/restore?version=7", 400),
    ("POST", "/v1/records/visits/V8/restore", 404),
    ("GET", "/v1/history/999", 404),
    ("POST", "/v1/history/999/undo", 404),
    ("POST", "/v1/history/undo", 400),
    ("GET", "/v1/history?limit=0", 400),
    ("GET", "/v1/history?where=nothing+==+1", 400),
    ("GET", "/v1/history?from=yesterday", 400),
    ("GET", "/v1/history?after=1", 400),
    ("GET", "/v1/history/activity?by=weather", 400),
    ("GET", "/v1/history/activity?from=1999-01-01", 400),
    ("GET", "/v1/history/consistency", 400),
    ("GET", "/v1/history/consistency?from=0", 400),
    ("GET", "/v1/history/consistency?from=9999", 400),
    ("GET", "/v1/history/3/proof?size=1", 404),
    ("POST", "/v1/records/visits/V1/erase", 422),
]


@pytest.mark.parametrize(("method", "path", "status"), REFUSED)
def test_what_makes_no_sense_is_refused_with_a_reason(
    http: httpx.Client, method: str, path: str, status: int
) -> None:
    found = http.request(method, path)
    assert found.status_code == status, found.text
    assert found.json()["detail"]


def test_two_versions_are_told_apart_down_to_what_is_inside(http: httpx.Client) -> None:
    change(http, tags=["b", "c"], place={"road": "Long Drove", "town": "Wick"})
    change(http, place={"town": "Sedge"}, depth=2.0)
    found = sent(http, "GET", "/v1/records/visits/V1/difference?from=1&to=3")["changes"]
    assert found["tags"]["put_in"] == ["c"]
    assert found["tags"]["taken_out"] == ["a"]
    assert set(found) == {"tags", "place", "depth"}
    found = sent(http, "GET", "/v1/records/visits/V1/difference?from=2")["changes"]
    assert found["place"]["inside"] == [{"pointer": "/town", "before": "Wick", "after": "Sedge"}]


# --- restoring ----------------------------------------------------------------------------------------


def test_a_record_goes_back_to_a_version_by_an_ordinary_update(http: httpx.Client) -> None:
    change(http, depth=2.5, note="second", tags=[], state="done")
    change(http, note="third", phone="0123")
    looked = sent(http, "POST", "/v1/records/visits/V1/restore?version=1&preview=true")
    assert set(looked["changes"]) == {"depth", "note", "tags", "state", "phone"}
    assert sent(http, "GET", "/v1/records/visits/V1")["version"] == 3
    back = sent(http, "POST", "/v1/records/visits/V1/restore?version=1&reason=wrong+site")
    assert (back["version"], back["note"], back["tags"], back["phone"]) == (4, "first", ["a", "b"], None)
    entry = sent(http, "GET", "/v1/records/visits/V1/history?limit=1")["items"][0]
    assert (entry["action"], entry["restores"], entry["reason"]) == ("update", 1, "wrong site")
    assert "back to version 1" in entry["sentence"]
    again = sent(http, "POST", "/v1/records/visits/V1/restore?version=1")
    assert again["version"] == 4
    at = sent(http, "GET", "/v1/records/visits/V1?version=2")["updated_at"]
    sent(http, "POST", "/v1/records/visits/V1/restore", params={"at": at})
    assert sent(http, "GET", "/v1/records/visits/V1/history?limit=1")["items"][0]["restores"] == 2


def test_going_back_is_refused_where_others_changed_the_same_since(http: httpx.Client) -> None:
    change(http, depth=2.5)
    tag = http.get("/v1/records/visits/V1").headers["ETag"]
    sent(http, "PATCH", "/v1/records/visits/V1", json={"depth": 9.0}, headers=bearer("carl"))
    found = sent(http, "POST", "/v1/records/visits/V1/restore?version=1&base=2", 409)
    assert found["conflicts"] == [{"pointer": "/depth", "base": 2.5, "current": 9.0, "yours": 1.5}]
    path = "/v1/records/visits/V1/restore?version=1"
    assert http.post(path, headers={"If-Match": tag}).status_code == 412
    assert http.post(path, headers=bearer("vic")).status_code == 200


def test_going_back_may_not_set_what_its_caller_may_not(http: httpx.Client) -> None:
    change(http, depth=2.0, pay=100)
    change(http, pay=200)
    found = sent(http, "POST", "/v1/records/visits/V1/restore?version=1", headers=bearer("carl"))
    # What carl cannot see stays as it is; what he sees goes back.
    assert found["depth"] == 1.5
    assert sent(http, "GET", "/v1/records/visits/V1")["pay"] == 200


def test_a_deleted_record_comes_back_as_it_was_with_its_id_and_owner(http: httpx.Client) -> None:
    before = change(http, phone="0555 1", place={"town": "Wick"})
    sent(http, "DELETE", "/v1/records/visits/V1")
    assert (
        sent(http, "POST", "/v1/records/visits/V1/restore?preview=true")["changes"]["depth"]["after"] == 1.5
    )
    assert http.post("/v1/records/visits/V1/restore", headers=bearer("carl")).status_code == 403
    back = sent(http, "POST", "/v1/records/visits/V1/restore", headers={"Idempotency-Key": "k"})
    again = http.post("/v1/records/visits/V1/restore", headers={"Idempotency-Key": "k"})
    assert again.json() == back
    assert again.headers["Fenland-Repeated"] == "true"
    kept = ("updated_at", "version")
    assert {n: v for n, v in back.items() if n not in kept} == {
        n: v for n, v in before.items() if n not in kept
    }
    assert back["version"] == before["version"] + 2
    sent(http, "DELETE", "/v1/records/visits/V1")
    older = sent(http, "POST", "/v1/records/visits/V1/restore?version=1")
    assert (older["phone"], older["place"]) == (None, None)


def test_bringing_back_names_references_that_are_gone_and_values_that_are_taken(http: httpx.Client) -> None:
    change(http, serial=7)
    sent(http, "DELETE", "/v1/records/visits/V1")
    sent(http, "POST", "/v1/records/visits", 201, json={"code": "V2", "serial": 7})
    sent(http, "DELETE", "/v1/records/sites/S1")
    found = sent(http, "POST", "/v1/records/visits/V1/restore", 422)
    assert {(one["pointer"], one["code"]) for one in found["errors"]} == {
        ("/site", "reference"),
        ("/serial", "unique"),
    }


# --- undoing ------------------------------------------------------------------------------------------


def test_undoing_a_save_changes_back_what_it_changed_and_nothing_else(http: httpx.Client) -> None:
    change(http, depth=2.0, note="second")
    sequence = newest(http)
    change(http, state="done")
    looked = undone(http, sequence, params={"preview": "true"})
    assert (looked["done"], looked["preview"], looked["items"][0]["did"]) == (False, True, "update")
    found = undone(http, sequence, params={"reason": "mistaken"})
    assert set(found["items"][0]["changes"]) == {"depth", "note"}
    record = sent(http, "GET", "/v1/records/visits/V1")
    assert (record["depth"], record["note"], record["state"]) == (1.5, "first", "done")
    entry = sent(http, "GET", f"/v1/history/{newest(http)}")
    assert (entry["undoes"], entry["reason"]) == (sequence, "mistaken")
    assert f"undoes entry {sequence}" in entry["sentence"]
    # What is as it was already is no change; and an undoing can be undone.
    assert undone(http, sequence)["items"][0]["did"] == "nothing"
    undone(http, entry["sequence"])
    assert sent(http, "GET", "/v1/records/visits/V1")["depth"] == 2.0


def test_undoing_names_the_fields_that_were_changed_again(http: httpx.Client) -> None:
    change(http, depth=2.0, note="second", pay=5)
    sequence = newest(http)
    change(http, depth=3.0, pay=6)
    found = undone(http, sequence, 409)
    assert found["done"] is False
    problem = found["items"][0]["problem"]
    assert {one["pointer"]: one.get("current") for one in problem["conflicts"]} == {"/depth": 3.0, "/pay": 6}
    assert sent(http, "GET", "/v1/records/visits/V1")["note"] == "second"
    # Also where the same program made both changes.
    client = {"Fenland-Client": "tablet-7"}
    sent(http, "PATCH", "/v1/records/visits/V1", json={"depth": 4.0}, headers=client)
    sequence = newest(http)
    sent(http, "PATCH", "/v1/records/visits/V1", json={"depth": 5.0}, headers=client)
    undone(http, sequence, 409, headers=client)


def test_undoing_a_creation_deletes_and_undoing_a_deletion_brings_all_back(http: httpx.Client) -> None:
    change(http, backup="S2")
    created = 4
    assert sent(http, "GET", f"/v1/history/{created}")["action"] == "create"
    found = undone(http, newest(http) - 1, 409)
    assert "changed" in found["items"][0]["problem"]["detail"]
    sent(http, "DELETE", "/v1/records/sites/S2")
    cleared = newest(http)
    assert sent(http, "GET", "/v1/records/visits/V1")["backup"] is None
    back = undone(http, cleared - 1)
    assert [one["did"] for one in back["items"]] == ["restore", "update"]
    assert sent(http, "GET", "/v1/records/visits/V1")["backup"] == "S2"
    sent(http, "DELETE", "/v1/records/sites/S1")
    assert http.get("/v1/records/visits/V1").status_code == 404
    back = undone(http, newest(http) - 1)
    assert [(one["collection"], one["did"]) for one in back["items"]] == [
        ("sites", "restore"),
        ("visits", "restore"),
    ]
    assert sent(http, "GET", "/v1/records/visits/V1")["site"] == "S1"
    sent(http, "POST", "/v1/records/sites", 201, json={"code": "S3"})
    assert undone(http, newest(http))["items"][0]["did"] == "delete"
    assert http.get("/v1/records/sites/S3").status_code == 404


def test_a_batch_is_undone_as_a_whole_or_each_on_its_own(http: httpx.Client) -> None:
    batch = batched(
        http,
        {"action": "update", "collection": "visits", "key": "V1", "fields": {"depth": 7.0}},
        {"action": "create", "collection": "visits", "fields": {"code": "V2", "site": "S2"}},
        {"action": "update", "collection": "sites", "key": "S2", "fields": {"name": "two"}},
        {"action": "update", "collection": "visits", "key": "V1", "fields": {"depth": 8.0}},
    )
    looked = sent(http, "POST", "/v1/history/undo?preview=true", json={"batch": batch})
    assert [one["did"] for one in looked["items"]] == ["update", "update", "delete", "update"]
    change_of = sent(http, "PATCH", "/v1/records/sites/S2", json={"name": "mine"})
    assert change_of["name"] == "mine"
    found = sent(http, "POST", "/v1/history/undo", 409, json={"batch": batch})
    assert (found["done"], found["refused"]) == (False, 1)
    assert sent(http, "GET", "/v1/records/visits/V1")["depth"] == 8.0
    found = sent(http, "POST", "/v1/history/undo", json={"batch": batch, "atomic": False})
    assert (found["done"], found["refused"]) == (True, 1)
    assert sent(http, "GET", "/v1/records/visits/V1")["depth"] == 1.5
    assert http.get("/v1/records/visits/V2").status_code == 404
    # What was undone together can be done again together.
    again = sent(http, "POST", "/v1/history/undo", json={"batch": found["batch"]})
    assert again["done"]
    assert sent(http, "GET", "/v1/records/visits/V1")["depth"] == 8.0
    assert sent(http, "GET", "/v1/records/visits/V2")["site"] == "S2"


def test_all_that_an_account_did_in_a_while_is_undone(
    house: tuple[Service, httpx.Client], http: httpx.Client
) -> None:
    moment = datetime(2031, 6, 1, 8, tzinfo=UTC)
    house[0].clock = lambda: moment
    sent(http, "PATCH", "/v1/records/visits/V1", json={"note": "early"}, headers=bearer("carl"))
    moment = datetime(2031, 6, 1, 9, tzinfo=UTC)
    for depth in (3.0, 4.0):
        sent(http, "PATCH", "/v1/records/visits/V1", json={"depth": depth}, headers=bearer("carl"))
    sent(http, "PATCH", "/v1/records/sites/S1", json={"name": "carl's"}, headers=bearer("carl"))
    moment = datetime(2031, 6, 1, 10, tzinfo=UTC)
    sent(http, "PATCH", "/v1/records/visits/V1", json={"state": "done"})
    window = {"actor": "carl", "from": "2031-06-01T09:00:00Z", "to": "2031-06-01T09:30:00Z"}
    found = sent(http, "POST", "/v1/history/undo", json=window)
    assert [one["did"] for one in found["items"]] == ["update", "update", "update"]
    record = sent(http, "GET", "/v1/records/visits/V1")
    assert (record["depth"], record["note"], record["state"]) == (1.5, "early", "done")
    assert sent(http, "GET", "/v1/records/sites/S1")["name"] == "s1"
    repeated = {"Idempotency-Key": "undo"}
    first = sent(http, "POST", "/v1/history/undo", json=window, headers=repeated)
    assert sent(http, "POST", "/v1/history/undo", json=window, headers=repeated)["batch"] == first["batch"]


def test_undoing_needs_the_rights_that_the_change_back_needs(http: httpx.Client) -> None:
    change(http, pay=5)
    found = undone(http, newest(http), 409, headers=bearer("carl"))
    assert found["items"][0]["problem"]["status"] == 422
    sent(http, "DELETE", "/v1/records/visits/V1")
    found = undone(http, newest(http), 409, headers=bearer("carl"))
    assert found["items"][0]["problem"]["status"] == 403


def test_lists_of_changes_put_together_keep_what_each_follows_from() -> None:
    collection = definitions_from({"things": {"fields": {"a": {"type": "string"}}}}).collections["things"]
    stamp, record = Stamp("2031-04-09T00:00:00.000000Z", "olga"), {"a": "x", "version": 1}
    first = [
        deletion(collection, {**record, "id": one}, stamp, cause) for one, cause in (("1", None), ("2", 0))
    ]
    second = [
        deletion(collection, {**record, "id": one}, stamp, cause) for one, cause in (("3", None), ("4", 0))
    ]
    assert [(one.record_id, one.cause) for one in joined([first, second])] == [
        ("1", None), ("2", 0), ("3", None), ("4", 2),
    ]  # fmt: skip
