"""Effects that reach other records: what they do, by whose right, what refuses them, and how they are taken back."""

from __future__ import annotations

import json
import random
import re
import sqlite3
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.reading import definitions_from
from fenland.core.limits import Limits
from fenland.service.project import read_source
from fenland.service.proof.verifying import verify_database
from fenland.service.service import Service
from support import bearer, fenland, new_project, start, workshop_of

EVERYONE = {right: ["everyone"] for right in ("read", "create", "update", "delete")}
#: What carl of the crew may neither see nor change.
OFFICE = {right: ["office"] for right in ("read", "create", "update", "delete")}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
TEXT, WHOLE, FLAG = {"type": "string"}, {"type": "integer"}, {"type": "boolean"}
CLOSED = 'before.state == "open" && after.state == "done"'
MINE = "each.station == after.station"

WORKS: dict[str, Any] = {
    "stations": {
        "key": "code",
        "access": OFFICE,
        "fields": {
            "code": CODE,
            "last_work": {"type": "string", "format": "date", "readOnly": True},
            "picture": TEXT,
            "cap": WHOLE,
            "open": WHOLE | {"derived": {"count": "tickets.station", "if": 'each.state == "open"'}},
            "busy": FLAG,
        },
        "checks": [{"rule": "next.last_work == null || next.cap != 0", "message": "No work at this one."}],
        "effects": [
            {"on": "create", "pick": "pictures", "where": "each.free", "set": {"picture": "each.code"}},
            {
                "on": "create", "create": "visits", "each": "templates", "where": "each.active",
                "set": {"code": 'after.code + "-" + each.code', "station": "after.code", "text": "each.text"},
            },
            {"on": "update", "if": "(after.open > 1) != (before.open > 1)", "set": {"busy": "after.open > 1"}},
        ],
    },
    "pictures": {"key": "code", "access": OFFICE, "fields": {"code": CODE, "free": FLAG}},
    "templates": {"key": "code", "access": OFFICE, "fields": {"code": CODE, "active": FLAG, "text": TEXT}},
    "visits": {
        "key": "code",
        "access": OFFICE,
        "reason": "required",
        "fields": {
            "code": CODE,
            "station": {"references": "stations", "on_delete": "restrict"},
            "text": TEXT,
            "done": FLAG | {"default": False},
            "by": TEXT | {"default": {"expression": "actor.name"}},
        },
    },
    "tickets": {
        "key": "code",
        "access": EVERYONE,
        "fields": {
            "code": CODE,
            "station": TEXT,
            "at": {"references": "stations"},
            "state": TEXT | {"default": "open"},
        },
        "effects": [],
    },
}  # fmt: skip
# Who may not see stations names none: a rule puts the reference there.
WORKS["tickets"]["fields"] |= {"station": {"references": "stations"}, "where": TEXT}
del WORKS["tickets"]["fields"]["at"]
WORKS["tickets"]["effects"] = [
    {"on": ["create", "update"], "if": "after.where != null && after.station == null", "set": {"station": "after.where"}},
    {"on": "update", "if": CLOSED, "change": "after.station", "set": {"last_work": "today"}},
    {"on": "update", "if": CLOSED, "change": "visits", "where": f"{MINE} && !each.done", "set": {"done": True}},
    {"on": "delete", "if": "before.station != null", "delete": "visits", "where": "each.station == before.station && each.done"},
]  # fmt: skip


@pytest.fixture
def works(tmp_path: Path) -> Iterator[httpx.Client]:
    with workshop_of(WORKS, tmp_path / "works.db") as (service, http):
        prepared(service, http)
        yield http
    assert verify_database(tmp_path / "works.db").faults == []


def prepared(service: Service, http: httpx.Client) -> None:
    service.dice = random.Random(3)
    for code, free in (("P1", True), ("P2", False), ("P3", True)):
        made(http, "pictures", code=code, free=free)
    for code, active in (("a", True), ("b", False), ("c", True)):
        made(http, "templates", code=code, active=active, text=f"Look at {code}")
    made(http, "stations", code="S1")
    for number in (1, 2):
        made(http, "tickets", code=f"T{number}", station="S1")


def made(http: httpx.Client, collection: str, **fields: Any) -> dict[str, Any]:
    answer = http.post(f"/v1/records/{collection}", json=fields)
    assert answer.status_code == 201, answer.text
    found: dict[str, Any] = answer.json()
    return found


def close(http: httpx.Client, key: str = "T1", who: str = "carl") -> httpx.Response:
    return http.patch(f"/v1/records/tickets/{key}", json={"state": "done"}, headers=bearer(who))


def station(http: httpx.Client, key: str = "S1") -> dict[str, Any]:
    found: dict[str, Any] = http.get(f"/v1/records/stations/{key}").json()
    return found


def visits(http: httpx.Client) -> dict[str, dict[str, Any]]:
    return {one["code"]: one for one in http.get("/v1/records/visits").json()["items"]}


def entries(http: httpx.Client, **where: Any) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = http.get("/v1/history", params={"limit": 100, **where}).json()["items"]
    return found


def test_a_new_record_gets_others_made_from_templates_and_a_picture(works: httpx.Client) -> None:
    found = visits(works)
    assert {code: one["text"] for code, one in found.items()} == {"S1-a": "Look at a", "S1-c": "Look at c"}
    assert {one["by"] for one in found.values()} == {"olga"} and {one["done"] for one in found.values()} == {
        False
    }
    assert station(works)["picture"] in ("P1", "P3")
    given = {made(works, "stations", code=f"X{number}")["picture"] for number in range(12)}
    assert given == {"P1", "P3"}
    [creation] = entries(works, collection="stations", key="S1", action="create")
    made_by = entries(works, collection="visits", request_id=creation["request_id"])
    assert {(one["cause"], one["rule"], one["via"]) for one in made_by} == {
        (creation["sequence"], "stations:1", "effect")
    }


#: What a rule does to the very record whose change it follows from; what becomes of the record.
BACK: dict[str, tuple[dict[str, Any], Any]] = {
    "changes it again": ({"change": "jobs", "where": "each.code == after.code", "set": {"seen": True}}, (True, 0)),
    "changes what is derived of others": ({"create": "parts", "set": {"job": "after.code"}}, (None, 1)),
    "deletes it": ({"delete": "jobs", "where": "each.code == after.code"}, None),
}  # fmt: skip
#: The ways to save one record, as which the rule acts.
ONE: dict[str, Any] = {
    "create": lambda http: http.post("/v1/records/jobs", json={"code": "B", "go": True}),
    "update": lambda http: http.patch("/v1/records/jobs/A", json={"go": True}),
    "replace": lambda http: http.put("/v1/records/jobs/A", json={"code": "A", "go": True}),
    "put": lambda http: http.put("/v1/records/jobs/by/code/C", json={"go": True}),
    "restore": lambda http: http.post("/v1/records/jobs/Z/restore"),
    "preview": lambda http: http.post("/v1/records/jobs/A/preview", json={"go": True}),
    "batch": lambda http: http.post(
        "/v1/batch", json={"items": [{"collection": "jobs", "key": "A", "action": "update", "fields": {"go": True}}]}
    ),
}  # fmt: skip


@pytest.mark.parametrize("way", ONE)
@pytest.mark.parametrize("does", BACK)
def test_the_answer_shows_what_a_rule_did_to_the_record_itself(tmp_path: Path, does: str, way: str) -> None:
    effect, left = BACK[does]
    on = {
        "on": ["create", "update", "restore"],
        "if": "after.go == true && after.seen == null && after.parts == 0",
    }
    fields = {"code": CODE, "go": FLAG, "seen": FLAG, "parts": WHOLE | {"derived": {"count": "parts.job"}}}
    jobs = {"key": "code", "access": EVERYONE, "fields": fields, "effects": [on | effect]}
    parts = {"access": EVERYONE, "fields": {"job": {"references": "jobs", "on_delete": "cascade"}}}
    with workshop_of({"jobs": jobs, "parts": parts}, tmp_path / "x.db") as (_, http):
        made(http, "jobs", code="A")
        made(http, "jobs", code="Z", go=True, seen=False)
        http.patch("/v1/records/jobs/Z", json={"seen": None}).raise_for_status()
        if does != "deletes it":
            http.patch("/v1/records/jobs/Z", json={"seen": None, "go": True}).raise_for_status()
        http.delete("/v1/records/jobs/Z")
        answer = ONE[way](http)
        assert answer.is_success, answer.text
        told = answer.json() if answer.content else {}
        told = told["results"][0] if way == "batch" else told
        record, tag = told.get("record", told), told.get("etag", answer.headers.get("ETag"))
        read = http.get(f"/v1/records/jobs/{record.get('code', 'A' if way != 'restore' else 'Z')}")
        if way == "preview":
            # As it would be: what is saved alone has been stamped.
            assert (read.json()["version"], read.json()["go"]) == (1, None)
            assert left is None or (record["seen"], record["parts"]) == left
        elif left is None:
            assert (read.status_code, tag, record.keys() - {"id", "code"}) == (404, None, set())
        else:
            assert (read.json(), read.headers["ETag"]) == (record, tag)
            assert (record["seen"], record["parts"] > 0) == (left[0], left[1] > 0)


def test_from_nothing_a_pick_is_null(works: httpx.Client) -> None:
    for code in ("P1", "P3"):
        works.patch(f"/v1/records/pictures/{code}", json={"free": None}).raise_for_status()
    assert made(works, "stations", code="S2")["picture"] is None


def test_a_rule_does_what_its_caller_may_not_and_shows_them_nothing(works: httpx.Client) -> None:
    assert station(works)["busy"] is True
    assert works.get("/v1/records/stations/S1", headers=bearer("carl")).status_code == 404
    answer = close(works)
    assert answer.status_code == 200 and "last_work" not in answer.text
    now = station(works)
    assert now["last_work"] is not None and (now["open"], now["busy"]) == (1, False)
    assert {one["done"] for one in visits(works).values()} == {True}
    [entry] = entries(works, collection="tickets", key="T1", action="update")
    chain = {one["sequence"]: one for one in entries(works) if one["sequence"] >= entry["sequence"]}
    rules = {(one["collection"], one["action"], one["rule"]) for one in chain.values()}
    assert rules == {
        ("tickets", "update", None),
        ("stations", "derive", "stations:1"),
        ("stations", "update", "tickets:1"),
        ("stations", "update", "stations:1"),
        ("visits", "update", "tickets:1"),
    }
    for one in chain.values():
        # Each leads back to what was asked for.
        while one["cause"] is not None:
            one = chain[one["cause"]]
        assert one["sequence"] == entry["sequence"]
    assert all(one["reason"] is None for one in chain.values())
    # A change that changes nothing brings nothing with it.
    head = works.get("/v1/history/head").json()["size"]
    assert close(works).status_code == 200 and works.get("/v1/history/head").json()["size"] == head


def test_a_rule_may_refer_to_what_its_caller_may_not_see(works: httpx.Client) -> None:
    answer = works.post("/v1/records/tickets", json={"code": "T8", "station": "S1"}, headers=bearer("carl"))
    assert answer.status_code == 422
    answer = works.post("/v1/records/tickets", json={"code": "T8", "where": "S1"}, headers=bearer("carl"))
    assert (answer.status_code, answer.json()["station"]) == (201, "S1")
    answer = works.post("/v1/records/tickets", json={"code": "T9", "where": "none"}, headers=bearer("carl"))
    assert answer.status_code == 422 and answer.json()["errors"][0]["code"] == "reference"


def test_what_is_refused_refuses_all_and_is_told_to_who_may_see_it(works: httpx.Client) -> None:
    works.patch("/v1/records/stations/S1", json={"cap": 0}).raise_for_status()
    head = works.get("/v1/history/head").json()["size"]
    [problem] = close(works, who="olga").json()["errors"]
    assert (problem["code"], problem["collection"], problem["key"], problem["rule"]) == (
        "consequence",
        "stations",
        "S1",
        "tickets:1",
    )
    assert "No work at this one." in problem["detail"]
    [problem] = close(works, who="carl").json()["errors"]
    assert problem == {
        "pointer": "", "code": "consequence",
        "detail": "What follows from it would not be allowed, in a record that is not yours to see.",
    }  # fmt: skip
    together = {"items": [
        {"action": "create", "collection": "tickets", "fields": {"code": "T7"}},
        {"action": "update", "collection": "tickets", "key": "T1", "fields": {"state": "done"}},
    ]}  # fmt: skip
    assert works.post("/v1/batch", json=together).json()["done"] is False
    assert works.get("/v1/history/head").json()["size"] == head
    done = works.post("/v1/batch", json={**together, "atomic": False}).json()
    assert [one["status"] for one in done["results"]] == [201, 422]
    assert works.get("/v1/records/tickets/T1").json()["state"] == "open"


def test_a_deletion_deletes_what_the_rule_finds(works: httpx.Client) -> None:
    close(works).raise_for_status()
    works.patch("/v1/records/visits/S1-c?reason=again", json={"done": False}).raise_for_status()
    works.delete("/v1/records/tickets/T1", headers=bearer("carl")).raise_for_status()
    assert set(visits(works)) == {"S1-c"}


def test_taking_a_save_back_takes_back_what_rules_did(works: httpx.Client) -> None:
    before = (station(works), visits(works))
    close(works).raise_for_status()
    [entry] = entries(works, collection="tickets", key="T1", action="update")
    undo = f"/v1/history/{entry['sequence']}/undo"
    preview = works.post(undo, params={"preview": "true"}, headers=bearer("carl")).json()
    # Two visits and two changes of the station are not carl's to see: counted, and not named.
    assert [one["key"] for one in preview["items"]] == ["T1"] and preview["unseen"] == 4
    assert "last_work" not in str(preview)
    works.post(undo, headers=bearer("carl")).raise_for_status()
    after = (station(works), visits(works))

    def plain(found: Any) -> Any:
        kept = ("version", "updated_at", "updated_by")
        return [
            {name: value for name, value in one.items() if name not in kept}
            for one in (found[0], *found[1].values())
        ]

    assert plain(before) == plain(after)
    # And back again; this time what rules did stays.
    close(works).raise_for_status()
    entry = entries(works, collection="tickets", key="T1", action="update")[0]
    works.post(f"/v1/history/{entry['sequence']}/undo", json={"consequences": False}).raise_for_status()
    found = station(works)
    assert (
        found["last_work"] is not None,
        found["open"],
        works.get("/v1/records/tickets/T1").json()["state"],
    ) == (True, 2, "open")


def test_what_a_rule_did_is_not_anybodys_to_take_back_alone(works: httpx.Client) -> None:
    close(works).raise_for_status()
    ruled = [one for one in entries(works, collection="stations") if one["rule"] == "tickets:1"]
    undo = f"/v1/history/{ruled[0]['sequence']}/undo"
    assert works.post(undo, headers=bearer("carl")).status_code == 404
    assert works.post(undo).status_code == 200
    assert station(works)["last_work"] is None


def test_who_sees_what_a_rule_did_may_not_take_it_back_by_its_right(tmp_path: Path) -> None:
    seen = {**WORKS["stations"], "access": OFFICE | {"read": ["everyone"]}}
    with workshop_of({**WORKS, "stations": seen}, tmp_path / "seen.db") as (service, http):
        prepared(service, http)
        close(http).raise_for_status()
        [ruled] = [one for one in entries(http, collection="stations") if one["rule"] == "tickets:1"]
        answer = http.post(f"/v1/history/{ruled['sequence']}/undo", headers=bearer("carl"))
        assert answer.status_code == 409 and "may not change" in answer.text, answer.text
        assert station(http)["last_work"] is not None


def test_taking_a_creation_back_takes_what_was_made_with_it_first(works: httpx.Client) -> None:
    made(works, "stations", code="S2")
    assert len(visits(works)) == 4
    [entry] = entries(works, collection="stations", key="S2")
    answer = works.post(f"/v1/history/{entry['sequence']}/undo", params={"reason": "mistake"})
    assert answer.status_code == 200 and answer.json()["undone"] == 3, answer.text
    assert len(visits(works)) == 2 and works.get("/v1/records/stations/S2").status_code == 404
    # What stands in the way of it refuses all of it.
    made(works, "stations", code="S3")
    works.patch("/v1/records/visits/S3-a?reason=r", json={"text": "Mine"}).raise_for_status()
    [entry] = entries(works, collection="stations", key="S3")
    assert works.post(f"/v1/history/{entry['sequence']}/undo?reason=m").status_code == 409
    assert works.get("/v1/records/stations/S3").status_code == 200


def test_a_deletion_by_rule_comes_back_with_what_it_took_along(tmp_path: Path) -> None:
    plain = {"key": "code", "access": EVERYONE}
    described = {
        "a": {**plain, "fields": {"code": CODE}, "effects": [{"on": "delete", "delete": "b", "where": "each.of == before.code"}]},
        "b": {**plain, "fields": {"code": CODE, "of": TEXT}},
        "c": {**plain, "fields": {"code": CODE, "b": {"references": "b", "on_delete": "cascade"}}},
        "d": {**plain, "fields": {"code": CODE, "b": {"references": "b", "on_delete": "clear"}}},
        "e": {**plain, "fields": {"code": CODE, "b": {"references": "b"}}},
    }  # fmt: skip
    with workshop_of(described, tmp_path / "chain.db") as (_, http):
        made(http, "a", code="A")
        made(http, "b", code="B", of="A")
        made(http, "c", code="C", b="B")
        made(http, "d", code="D", b="B")
        http.delete("/v1/records/a/A").raise_for_status()
        assert (
            http.get("/v1/records/c/C").status_code == 404 and http.get("/v1/records/d/D").json()["b"] is None
        )
        entry = entries(http, collection="a", action="delete")[0]["sequence"]
        http.post(f"/v1/history/{entry}/undo").raise_for_status()
        assert http.get("/v1/records/c/C").json()["b"] == "B" == http.get("/v1/records/d/D").json()["b"]
        # What refers to it and may not lose it refuses the whole.
        made(http, "e", code="E", b="B")
        answer = http.delete("/v1/records/a/A")
        assert answer.status_code == 422 and "refers to this one" in answer.json()["errors"][0]["detail"]
    assert verify_database(tmp_path / "chain.db").faults == []


def test_effects_that_go_on_and_on_are_ended_and_their_chain_is_told(tmp_path: Path) -> None:
    ping = {"on": "update", "change": "b", "where": "true", "set": {"n": "each.n + 1"}}
    pong = {"on": "update", "change": "a", "where": "true", "set": {"n": "each.n + 1"}}
    fields = {"code": CODE, "n": WHOLE | {"default": 0}}
    described = {
        "a": {"key": "code", "access": EVERYONE, "fields": fields, "effects": [ping]},
        "b": {"key": "code", "access": EVERYONE, "fields": fields, "effects": [pong]},
    }
    with workshop_of(described, tmp_path / "loop.db", Limits(depth=4)) as (_, http):
        made(http, "a", code="A")
        made(http, "b", code="B")
        answer = http.patch("/v1/records/a/A", json={"n": 1})
        [problem] = answer.json()["errors"]
        assert (answer.status_code, problem["code"]) == (422, "consequence")
        assert (
            "a:1 → b:1 → a:1 → b:1 → a:1" in problem["detail"]
            and "consequence_depth_limit" in problem["detail"]
        )
        assert http.get("/v1/records/b/B").json()["n"] == 0


def test_what_an_effect_may_not_set_in_a_derived_record_refuses_all_of_it(tmp_path: Path) -> None:
    effect = {"on": "update", "if": "after.jobs > 0", "set": {"good": "true", "few": "after.jobs * 9"}}
    fields = {
        "code": CODE,
        "good": FLAG,
        "few": WHOLE | {"maximum": 8},
        "jobs": WHOLE | {"derived": {"count": "b.a"}},
    }
    described = {
        "a": {"key": "code", "access": EVERYONE, "fields": fields, "effects": [effect]},
        "b": {"key": "code", "access": EVERYONE, "fields": {"code": CODE, "a": {"references": "a"}}},
    }
    with workshop_of(described, tmp_path / "both.db") as (_, http):
        made(http, "a", code="A")
        answer = http.post("/v1/records/b", json={"code": "B", "a": "A"})
        assert answer.status_code == 422 and "few: Must be at most 8" in answer.text
        assert http.get("/v1/records/a/A").json()["good"] is None


def test_what_follows_from_all_of_a_request_is_bounded_together(tmp_path: Path) -> None:
    described = {
        "a": {"key": "code", "access": EVERYONE, "fields": {"code": CODE, "name": TEXT}},
        "b": {
            "key": "code", "access": EVERYONE,
            "fields": {"code": CODE, "a": {"references": "a"}, "of": TEXT | {"derived": "record.a.name"}},
        },
    }  # fmt: skip
    with workshop_of(described, tmp_path / "many.db", Limits(evaluation=4_000)) as (_, http):
        made(http, "a", code="A", name="0")
        for number in range(40):
            made(http, "b", code=f"B{number}", a="A")
        http.patch("/v1/records/a/A", json={"name": "1"}).raise_for_status()
        items = [
            {"action": "update", "collection": "a", "key": "A", "fields": {"name": f"{one}"}}
            for one in range(2, 32)
        ]
        answer = http.post("/v1/batch", json={"items": items})
        assert "evaluation_limit" in answer.text, answer.text
        assert {one["of"] for one in http.get("/v1/records/b").json()["items"]} == {"1"}


def test_a_derived_address_must_have_a_scheme_that_may_be_kept(tmp_path: Path) -> None:
    link = {"type": "string", "format": "uri"}
    described = {
        "a": {"key": "code", "access": EVERYONE, "fields": {"code": CODE, "scheme": TEXT}},
        "b": {
            "key": "code", "access": EVERYONE,
            "fields": {"code": CODE, "a": {"references": "a"}, "link": link | {"derived": 'record.a.scheme + "://x.example"'}},
        },
    }  # fmt: skip
    with workshop_of(described, tmp_path / "links.db") as (_, http):
        made(http, "a", code="A", scheme="https")
        made(http, "b", code="B", a="A")
        answer = http.patch("/v1/records/a/A", json={"scheme": "gopher"})
        assert answer.status_code == 422 and answer.json()["errors"][0]["problems"][0]["code"] == "scheme"


def test_the_preview_of_bringing_back_tells_what_would_be_refused(works: httpx.Client) -> None:
    works.delete("/v1/records/tickets/T2").raise_for_status()
    works.patch("/v1/records/tickets/T1", json={"state": "done"}).raise_for_status()
    answer = works.post("/v1/records/tickets/T2/restore", params={"preview": "true"})
    assert [(one["key"], one["action"]) for one in answer.json()["consequences"]] == [("S1", "derive")]


def test_more_than_the_limit_is_refused(tmp_path: Path) -> None:
    fields = {"code": CODE, "n": WHOLE}
    many = {"on": "update", "change": "b", "where": "true", "set": {"n": "after.n"}}
    described = {
        "a": {"key": "code", "access": EVERYONE, "fields": fields, "effects": [many]},
        "b": {"key": "code", "access": EVERYONE, "fields": fields},
    }
    with workshop_of(described, tmp_path / "many.db", Limits(consequences=5)) as (_, http):
        made(http, "a", code="A")
        for number in range(6):
            made(http, "b", code=f"B{number}")
        answer = http.patch("/v1/records/a/A", json={"n": 1})
        assert (answer.status_code, answer.json()["limit"]) == (413, "consequence_limit")
        http.delete("/v1/records/b/B0").raise_for_status()
        http.patch("/v1/records/a/A", json={"n": 2}).raise_for_status()
        assert {one["n"] for one in http.get("/v1/records/b").json()["items"]} == {2}


#: An effect of jobs, and what is said of it.
MISTAKES: dict[str, tuple[dict[str, Any], str]] = {
    "two things": ({"change": "after.site", "delete": "visits", "set": {"n": 1}}, "says change and delete"),
    "no collection": ({"create": "visit", "set": {"code": "'x'"}}, "create names 'visit', which is no collection"),
    "no reference": ({"change": "after.n", "set": {"n": 1}}, "n refers to nothing"),
    "no field": ({"change": "after.place", "set": {"n": 1}}, "jobs has no field 'place'"),
    "no root": ({"change": "site.boss", "set": {"n": 1}}, "begins with 'site'"),
    "further": ({"change": "after.site.nobody", "set": {"n": 1}}, "sites has no field 'nobody'"),
    "a reference and a condition": ({"change": "after.site", "where": "each.n == 1", "set": {"n": 1}}, "leads to one record"),
    "where of nothing": ({"where": "each.n == 1", "set": {"n": 1}}, "does not say of which records"),
    "each without create": ({"each": "visits", "set": {"n": 1}}, "one record to set"),
    "each beside change": ({"change": "visits", "each": "sites", "set": {"n": 1}}, "both say which records"),
    "no condition": ({"change": "visits", "where": "each.n", "set": {"n": 1}}, "must be true or false"),
    "a condition that is none": ({"change": "visits", "where": 4, "set": {"n": 1}}, "where is 4"),
    "no such field of theirs": ({"change": "visits", "set": {"m": 1}}, "sets 'm', which is no field"),
    "another type": ({"change": "visits", "set": {"n": "each.code"}}, "set gives string"),
    "their key": ({"change": "visits", "set": {"code": "'x'"}}, "sets the key 'code'"),
    "what is fixed": ({"change": "visits", "set": {"site": "after.site"}}, "which is fixed"),
    "what is derived": ({"change": "visits", "set": {"twice": 1}}, "which is derived"),
    "what is missing": ({"create": "visits", "set": {"n": 1}}, "without code, which is required"),
    "nothing changed": ({"change": "visits"}, "does nothing"),
    "set of what goes": ({"delete": "visits", "set": {"n": 1}}, "What is deleted holds nothing"),
    "each of nothing": ({"set": {"n": "each.n"}}, "each"),
    "what is secret": ({"create": "visits", "each": "sites", "set": {"code": "each.pin", "n": 1}}, "'pin', which is writeOnly"),
    "a list": ({"change": ["visits"], "set": {"n": 1}}, 'names ["visits"]'),
}  # fmt: skip


@pytest.mark.parametrize("name", MISTAKES)
def test_a_mistake_is_told_at_its_place(name: str) -> None:
    effect, said = MISTAKES[name]
    described = {
        "sites": {"key": "code", "fields": {"code": CODE, "n": WHOLE, "pin": TEXT | {"writeOnly": True}}},
        "visits": {
            "key": "code",
            "fields": {
                "code": CODE, "n": WHOLE, "site": {"references": "sites", "fixed": True},
                "twice": WHOLE | {"derived": "record.n * 2"},
            },
        },
        "jobs": {
            "key": "code",
            "fields": {"code": CODE, "n": WHOLE, "site": {"references": "sites"}},
            "effects": [{"on": "update", **effect}],
        },
    }  # fmt: skip
    with pytest.raises(DefinitionMistakes) as caught:
        definitions_from(described)
    assert any(said in f"{one.what} {one.hint}" for one in caught.value.mistakes), caught.value.mistakes
    assert all(one.pointer.startswith("/effects/0") for one in caught.value.mistakes)


def test_of_what_is_deleted_nothing_can_be_set() -> None:
    described = {"jobs": {"fields": {"n": WHOLE}, "effects": [{"on": ["delete"], "set": {"n": 1}}]}}
    with pytest.raises(DefinitionMistakes, match="nothing is left to set"):
        definitions_from(described)


def test_the_guide_says_what_happens(tmp_path: Path) -> None:
    guide = (Path(__file__).parents[1] / "docs" / "consequences.md").read_text()
    read = []
    for text in re.findall(r"```yaml\n(.*?)```", guide, re.DOTALL):
        (tmp_path / "block.yaml").write_text(text)
        read.append(read_source(tmp_path / "block.yaml", "block.yaml").data)
    _, referred, gathered, *_, others, templates, notices, passes = read
    assert passes["effects"][0]["pass"] == "own_details"
    day, hours = {"type": "string", "format": "date"}, {"type": "number", "multipleOf": Decimal("0.25")}
    plain = {"key": "code", "access": EVERYONE}
    described = {
        "boards": {**plain, "fields": {"code": CODE, "name": TEXT}},
        "stations": {
            **plain,
            "fields": {
                "code": CODE, "name": TEXT, "kind": TEXT, "board": {"references": "boards"}, "picture": TEXT,
                "last_work_on": day, **gathered["fields"],
            },
            **templates,
        },
        "tickets": {
            "key": "number",
            "access": EVERYONE,
            "fields": {
                "number": CODE, "state": TEXT | {"default": "open"}, "hours": hours, "closed_on": day,
                "station": {"references": "stations"}, **referred["fields"],
            },
            "effects": [*others["effects"], *notices["effects"]],
        },
        "reminders": {**plain, "fields": {"code": CODE, "ticket": TEXT, "sent": FLAG | {"default": False}}},
        "templates": {**plain, "fields": {"code": CODE, "kind": TEXT, "text": TEXT}},
        "tasks": {**plain, "fields": {"code": CODE, "station": {"references": "stations"}, "text": TEXT}},
        "pictures": {**plain, "fields": {"code": CODE, "free": FLAG}},
    }  # fmt: skip
    with workshop_of(described, tmp_path / "guide.db", account_managers=["office"]) as (_, http):
        made(http, "boards", code="B", name="North")
        made(http, "pictures", code="P", free=True)
        for code, kind in (("x", "sluice"), ("y", "weir")):
            made(http, "templates", code=code, kind=kind, text="Look")
        assert made(http, "stations", code="S", name="Mill", kind="sluice", board="B")["picture"] == "P"
        assert [one["code"] for one in http.get("/v1/records/tasks").json()["items"]] == ["S-x"]
        first = made(http, "tickets", number="1", station="S", hours=1.5)
        assert (first["place"], first["board"]) == ("Mill", "North")
        made(http, "tickets", number="2", station="S", hours=0.5, closed_on="2031-04-09")
        made(http, "reminders", code="R", ticket="1")
        http.patch("/v1/records/tickets/1", json={"state": "done"}).raise_for_status()
        assert http.get("/v1/records/reminders/R").json()["sent"] is True
        [notice] = http.get("/v1/notices").json()["items"]
        said = {"number": "1", "station": "S", "at": "Mill", "urgent": True}
        assert (notice["notice"], notice["data"]) == ("ticket-done", said)
        found = station(http, "S")
        shown = {name: found[name] for name in gathered["fields"]}
        expected = {"jobs": 2, "open": 1, "hours": 2.0, "usual": 1.0, "last": "2031-04-09", "per_job": 1.0}
        assert shown == expected and found["last_work_on"] is not None
        http.patch("/v1/records/boards/B", json={"name": "South"}).raise_for_status()
        assert http.get("/v1/records/tickets/2").json()["board"] == "South"
        http.delete("/v1/records/tickets/1").raise_for_status()
        assert http.get("/v1/records/reminders").json()["items"] == []


def test_what_follows_is_told_but_for_fields_that_somebody_may_not_read(works: httpx.Client) -> None:
    found = works.get("/v1/schemas/tickets/consequences").json()
    told = {(one["kind"], one["place"], one["by"]) for one in found["items"]}
    assert {
        ("effect", "stations.last_work", "tickets"),
        ("delete", "visits", "tickets"),
        ("effect", "tickets.station", None),
    } <= told
    assert found["unseen"] == 0
    made_of = next(
        one
        for one in works.get("/v1/schemas/visits/consequences").json()["items"]
        if one["place"] == "visits.text"
    )
    assert (made_of["kind"], made_of["by"], made_of["found"]) == (
        "create",
        "stations",
        "each of templates where each.active",
    )
    # Carl may read no station.
    carls = works.get("/v1/schemas/tickets/consequences", headers=bearer("carl")).json()
    assert carls["unseen"] == len(found["items"]) - len(carls["items"]) > 2
    assert "stations" not in str(carls["items"]) and "last_work" not in str(carls)
    answer = works.get("/v1/schemas/stations/consequences", headers=bearer("carl"))
    assert answer.status_code == 403


def test_an_entry_says_whether_others_follow_from_it_to_who_may_see_those(works: httpx.Client) -> None:
    close(works).raise_for_status()
    newest = works.get("/v1/records/tickets/T1/history").json()["items"][0]
    root = newest["sequence"]
    chain = works.get("/v1/history", params={"where": f"sequence == {root} || cause == {root}"}).json()[
        "items"
    ]
    assert len(chain) > 1 and chain[-1]["sequence"] == root
    last = works.get("/v1/history?limit=1").json()["items"][0]
    for place, told in (
        ("/v1/records/tickets/T1/history", newest), (f"/v1/history/{root}", None), ("/v1/history", chain[-1]),
    ):  # fmt: skip
        told = works.get(place).json() if told is None else told
        assert (told["sequence"], told["causes"]) == (root, True), place
    assert last["causes"] is False and last["cause"] is not None
    # Carl may see none of the others.
    carls = works.get("/v1/records/tickets/T1/history", headers=bearer("carl")).json()["items"][0]
    assert (carls["sequence"], carls["causes"]) == (root, False)
    assert works.get(f"/v1/history/{root}", headers=bearer("carl")).json()["causes"] is False


def test_a_preview_tells_what_would_follow(works: httpx.Client) -> None:
    found = works.post("/v1/records/tickets/T1/preview", json={"state": "done"}).json()
    told = {(one["collection"], one["key"], one["action"], one["rule"]) for one in found["consequences"]}
    assert ("stations", "S1", "update", "tickets:1") in told and (
        "stations",
        "S1",
        "derive",
        "stations:1",
    ) in told
    assert next(one for one in found["consequences"] if one["collection"] == "visits")["changes"] == {
        "done": {"before": False, "after": True}
    }
    carls = works.post(
        "/v1/records/tickets/T1/preview", json={"state": "done"}, headers=bearer("carl")
    ).json()
    assert (carls["consequences"], carls["unseen"]) == ([], len(found["consequences"]))
    assert station(works)["last_work"] is None


def test_the_command_line_foresees_it_folds_what_is_derived_and_recomputes(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "works")
    (folder / "collections" / "notes.yaml").unlink()
    access = {right: ["editor"] for right in ("read", "create", "update", "delete")}
    for name, one in WORKS.items():
        (folder / "collections" / f"{name}.yaml").write_text(json.dumps({**one, "access": access}))
    for one in folder.glob("records.db*"):
        one.unlink()
    fenland("account", "add", "ada", "--role", "editor", "--project", str(folder))
    issued = fenland("account", "token", "ada", "--project", str(folder), "--json")
    running = start("start", folder, folder / "log")
    try:
        signed = {"FENLAND_ADDRESS": running.address, "FENLAND_TOKEN": json.loads(issued.stdout)["token"]}
        fenland("create", "stations", "code=S1", env=signed)
        for number in range(3):
            fenland("create", "tickets", f"code=T{number}", "station=S1", env=signed)
        seen = fenland("update", "tickets", "T1", "state=done", "--preview", env=signed).stdout
        assert (
            "And stations S1 changes by tickets.yaml" in seen.replace("collections/", "")
            and "last_work" in seen
        )
        told = fenland("history", "stations", "S1", env=signed).stdout
        assert "3 derived changes" in told or "2 derived changes" in told
        assert "brought about open" in fenland("history", "stations", "S1", "--derived", env=signed).stdout
    finally:
        running.stop()
    assert "Nothing differs" in fenland("recompute", "--project", str(folder)).stdout
    raw = sqlite3.connect(next(folder.glob("*.db")))
    raw.execute("UPDATE stations SET open = 7")
    raw.commit()
    raw.close()
    told = fenland("recompute", "stations", "--project", str(folder)).stdout
    assert "stations S1: open 7 → 3" in told
    assert "Nothing differs" in fenland("recompute", "--project", str(folder)).stdout
    fenland("recompute", "station", "--project", str(folder), code=1)
