"""Notices: which changes leave one, what it says, to whom it is shown, and that none is left of what was not saved."""

from __future__ import annotations

import json
import sqlite3
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.client import Client
from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.reading import definitions_from
from fenland.core.limits import Limits
from fenland.service.proof.verifying import verify_database
from fenland.service.service import Service
from fenland.testing import Trial
from support import bearer, fenland, new_project, start, workshop_of

EVERYONE = {right: ["everyone"] for right in ("read", "create", "update", "delete", "erase")}
OFFICE = {right: ["office"] for right in ("read", "create", "update", "delete")}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
TEXT, WHOLE = {"type": "string"}, {"type": "integer"}
RULES = """
from datetime import date

from fenland.rules import effect, notice

@effect
def tells(after):
    return notice(after["note"], day=date(2031, 4, 9), tags=after["tags"])
"""
WORKS: dict[str, Any] = {
    "sites": {
        "key": "code",
        "access": OFFICE,
        "fields": {
            "code": CODE,
            "name": TEXT,
            "jobs": WHOLE | {"derived": {"count": "jobs.site"}, "maximum": 5},
            "full": {"type": "boolean"},
        },
        "effects": [
            {"on": "update", "if": "after.jobs != before.jobs", "notice": "site.counted", "with": {"jobs": "after.jobs"}},
            {"on": "update", "if": "after.full == true", "notice": "site-full"},
        ],
    },
    "jobs": {
        "key": "code",
        "access": EVERYONE,
        "fields": {
            "code": CODE, "site": {"references": "sites"}, "note": TEXT, "size": WHOLE | {"minimum": 0},
            "tags": {"type": "array", "items": TEXT}, "phone": TEXT | {"sensitive": True},
        },
        "effects": [
            {
                "on": ["create", "update", "restore"], "if": "after.note == 'tell'", "notice": "job-told",
                "with": {"code": "after.code", "site": "after.site.name", "was": "before.size", "by": "actor.name", "urgent": True, "none": None},
            },
            {"on": "delete", "notice": "job-gone", "with": {"code": "before.code"}},
            {"on": "update", "if": "after.note == 'fill'", "change": "after.site", "set": {"full": True}},
            {"on": "update", "if": "after.note.startsWith('own')", "call": "tells"},
        ],
    },
}  # fmt: skip
Works = tuple[Service, httpx.Client]


@pytest.fixture
def path(tmp_path: Path) -> Path:
    return tmp_path / "works.db"


@pytest.fixture
def works(path: Path) -> Iterator[Works]:
    with workshop_of(WORKS, path, rules=RULES, account_managers=["office"]) as found:
        made(found[1], "sites", code="S1", name="North")
        yield found
    assert verify_database(path).faults == []


def made(http: httpx.Client, collection: str, **fields: Any) -> dict[str, Any]:
    answer = http.post(f"/v1/records/{collection}", json=fields)
    assert answer.status_code == 201, answer.text
    found: dict[str, Any] = answer.json()
    return found


def left(http: httpx.Client, after: int = 0) -> list[dict[str, Any]]:
    found: list[dict[str, Any]] = http.get(f"/v1/notices?after={after}&limit=200").json()["items"]
    return found


def names(http: httpx.Client, after: int = 0) -> list[str]:
    return [one["notice"] for one in left(http, after)]


def test_a_notice_comes_with_its_change(works: Works) -> None:
    http = works[1]
    made(http, "jobs", code="J1", site="S1", note="tell", size=3)
    told, counted = left(http)
    newest = http.get("/v1/history?limit=2").json()["items"]
    assert told == {
        "number": 1, "notice": "job-told", "time": newest[1]["time"], "collection": "jobs", "key": "J1",
        "sequence": newest[1]["sequence"], "rule": "jobs:1",
        # Of a new record there was nothing before.
        "data": {"code": "J1", "site": "North", "was": None, "by": "olga", "urgent": True, "none": None},
    }  # fmt: skip
    assert (counted["notice"], counted["data"], counted["sequence"]) == (
        "site.counted", {"jobs": 1}, newest[0]["sequence"],
    )  # fmt: skip
    http.patch("/v1/records/jobs/J1", json={"size": 4}, headers=bearer("carl")).raise_for_status()
    assert [one["data"]["was"] for one in left(http, 2)] == [3]
    # What changes nothing leaves none.
    http.patch("/v1/records/jobs/J1", json={"size": 4}).raise_for_status()
    http.patch("/v1/records/jobs/J1", json={"note": "fill"}).raise_for_status()
    http.delete("/v1/records/jobs/J1").raise_for_status()
    http.post("/v1/records/jobs/J1/restore?version=1").raise_for_status()
    assert names(http, 3) == [
        "site-full",
        "job-gone",
        "site.counted",
        "site-full",
        "job-told",
        "site.counted",
        "site-full",
    ]


#: Ways in which three jobs come, of which the second is refused; and how many are kept.
BROKEN = [
    {"code": "B1", "note": "tell"},
    {"code": "B2", "note": "tell", "size": -1},
    {"code": "B3", "note": "tell"},
]
ITEMS = [{"collection": "jobs", "action": "create", "fields": one} for one in BROKEN]
ROWS = "code,note,size\n" + "".join(f"{one['code']},tell,{one.get('size', '')}\n" for one in BROKEN)
CSV = {"Content-Type": "text/csv"}
WAYS: dict[str, tuple[Any, int]] = {
    "a batch": (lambda http: http.post("/v1/batch", json={"items": ITEMS}), 0),
    "a batch, each": (lambda http: http.post("/v1/batch", json={"items": ITEMS, "atomic": False}), 2),
    "a file": (lambda http: http.post("/v1/records/jobs/import", content=ROWS, headers=CSV), 2),
    "a file, whole": (lambda http: http.post("/v1/records/jobs/import?atomic=true", content=ROWS, headers=CSV), 0),
    "a file, seen beforehand": (lambda http: http.post("/v1/records/jobs/import?preview=true", content=ROWS, headers=CSV), 0),
    "what is refused": (lambda http: http.post("/v1/records/jobs", json=BROKEN[1]), 0),
    "with a key": (lambda http: [http.post("/v1/records/jobs", json=BROKEN[0], headers={"Idempotency-Key": "k1"}) for _ in range(2)], 1),
}  # fmt: skip


@pytest.mark.parametrize("way", WAYS)
def test_of_what_is_not_saved_none_is_left(works: Works, way: str) -> None:
    send, kept = WAYS[way]
    send(works[1])
    assert names(works[1]) == ["job-told"] * kept
    assert len(works[1].get("/v1/records/jobs").json()["items"]) == kept


def test_what_is_refused_further_on_takes_it_along(works: Works) -> None:
    http = works[1]
    for number in range(5):
        made(http, "jobs", code=f"J{number}", site="S1")
    before = names(http)
    assert http.post("/v1/records/jobs", json={"code": "J9", "site": "S1", "note": "tell"}).status_code == 422
    assert names(http) == before


def test_undoing_leaves_none_and_takes_none_back(works: Works) -> None:
    http = works[1]
    made(http, "jobs", code="J1", note="tell")
    entry = http.get("/v1/history?limit=1").json()["items"][0]["sequence"]
    http.post(f"/v1/history/{entry}/undo").raise_for_status()
    assert names(http) == ["job-told"]


def test_a_preview_names_it_to_who_may_see_the_record(works: Works) -> None:
    http = works[1]
    made(http, "jobs", code="J1", site="S1")
    before = names(http)
    for who, seen in (
        ("olga", [("jobs", "job-told"), ("sites", None), ("sites", "site.counted")]),
        ("carl", [("jobs", "job-told")]),
    ):
        answer = http.post(
            "/v1/records/jobs/J1/preview", json={"note": "tell", "site": None}, headers=bearer(who)
        ).json()
        assert [(one["collection"], one["notice"]) for one in answer["consequences"]] == seen
        assert answer["unseen"] == 3 - len(seen)
        assert all(one["action"] == "notice" for one in answer["consequences"] if one["notice"])
    assert names(http) == before
    found = http.get("/v1/schemas/jobs/consequences").json()["items"]
    assert {one["kind"] for one in found} >= {"notice", "call"}
    carls = http.get("/v1/schemas/jobs/consequences", headers=bearer("carl")).json()
    # What it is made of is not all carl's to read.
    assert "job-told" not in json.dumps(carls) and "job-gone" in json.dumps(carls)


def test_functions_leave_notices_too(works: Works) -> None:
    http = works[1]
    made(http, "jobs", code="J1", tags=["a"])
    http.patch("/v1/records/jobs/J1", json={"note": "own-one"}).raise_for_status()
    assert [(one["notice"], one["data"]) for one in left(http)] == [
        ("own-one", {"day": "2031-04-09", "tags": ["a"]})
    ]
    answer = http.patch("/v1/records/jobs/J1", json={"note": "own Two"})
    assert (answer.status_code, answer.json()["type"]) == (500, "/problems/rule-failed")
    assert len(names(http)) == 1


def test_they_come_page_by_page_for_who_manages_accounts(works: Works) -> None:
    http = works[1]
    for number in range(7):
        made(http, "jobs", code=f"J{number}", note="tell")
    pages, after = [], 0
    while True:
        page = http.get(f"/v1/notices?after={after}&limit=3").json()
        pages.append([one["key"] for one in page["items"]])
        if page["next"] is None:
            break
        after = page["next"]
    assert pages == [["J0", "J1", "J2"], ["J3", "J4", "J5"], ["J6"]]
    assert left(http, 10**12) == []
    newest = http.get("/v1/notices?limit=3").json()
    assert [one["key"] for one in newest["items"]] == ["J6", "J5", "J4"]
    older = http.get(f"/v1/notices?limit=9&below={newest['next']}").json()
    assert ([one["key"] for one in older["items"]], older["next"]) == (["J3", "J2", "J1", "J0"], None)
    for wrong in ("after=-1", "after=x", "limit=0", "before=3", "after=1&below=3", "below=-1"):
        assert http.get(f"/v1/notices?{wrong}").status_code == 400, wrong
    assert http.get("/v1/notices", headers=bearer("carl")).status_code == 403
    assert http.get("/v1/notices", headers={"Authorization": ""}).status_code == 401


def test_a_page_holds_no_more_than_an_answer_may(tmp_path: Path) -> None:
    limits = Limits(answer=10_000)
    with workshop_of(WORKS, tmp_path / "x.db", limits, rules=RULES, account_managers=["office"]) as (_, http):
        for number in range(9):
            made(http, "sites", code=f"S{number}", name="x" * 3_000)
            made(http, "jobs", code=f"J{number}", site=f"S{number}", note="tell")
        found, after, pages = [], 0, 0
        while after is not None:
            page = http.get(f"/v1/notices?after={after}&limit=200")
            assert len(page.text) < 12_000
            found += [one["key"] for one in page.json()["items"] if one["notice"] == "job-told"]
            after, pages = page.json()["next"], pages + 1
        assert found == [f"J{number}" for number in range(9)] and pages >= 3


def test_erasing_empties_them_and_old_ones_go(works: Works, path: Path) -> None:
    _, http = works
    made(http, "jobs", code="J1", note="tell", phone="01632 960111")
    made(http, "jobs", code="J2", note="tell")
    http.post("/v1/records/jobs/J1/erase", json={"fields": ["phone"], "reason": "asked"}).raise_for_status()
    assert [one["data"] == {} for one in left(http)] == [True, False]
    raw = sqlite3.connect(path)
    raw.execute("UPDATE fenland_notices SET time = '2020-01-01T00:00:00.000000Z' WHERE number = 2")
    raw.commit()
    raw.close()
    made(http, "jobs", code="J3", note="tell")
    assert [one["number"] for one in left(http)] == [1, 3]


def test_one_that_says_too_much_refuses_the_change(tmp_path: Path) -> None:
    more = {"on": "create", "notice": "long", "with": {"text": "after.note + after.note + after.note"}}
    described = {"jobs": {**WORKS["jobs"], "fields": {"code": CODE, "note": TEXT}, "effects": [more]}}
    with workshop_of(described, tmp_path / "x.db", Limits(record=2_000)) as (_, http):
        for size, status in ((600, 201), (700, 413)):
            answer = http.post("/v1/records/jobs", json={"code": f"J{size}", "note": "x" * size})
            assert answer.status_code == status, answer.text
        assert answer.json()["limit"] == "record_limit" and "The notice long" in answer.json()["detail"]
        assert [one["code"] for one in http.get("/v1/records/jobs").json()["items"]] == ["J600"]


FIELDS = {"n": WHOLE, "s": TEXT | {"sensitive": True}, "w": TEXT | {"writeOnly": True}}
MISTAKES: dict[str, tuple[dict[str, Any], str]] = {
    "no name": ({"notice": 3}, "notice is 3"),
    "an odd name": ({"notice": "Ticket closed"}, "lower-case letters"),
    "no mapping": ({"notice": "a", "with": ["after.n"]}, "a mapping of names"),
    "no expression": ({"notice": "a", "with": {"n": "after."}}, "effects.0.with.n"),
    "an unknown field": ({"notice": "a", "with": {"n": "after.m"}}, "no field 'm'"),
    "what is sensitive": ({"notice": "a", "with": {"s": "after.s"}}, "made of 's', which is sensitive"),
    "what is never shown": ({"notice": "a", "with": {"w": "before.w"}}, "which is writeOnly"),
    "setting as well": ({"notice": "a", "set": {"n": 1}}, "so set has no say"),
    "changing as well": ({"notice": "a", "change": "after.up", "set": {"n": 1}}, "so change has no say"),
    "with alone": ({"with": {"n": "after.n"}, "set": {"n": 1}}, "does not say of which notice"),
    "a condition that is none": ({"notice": "a", "if": "after.n"}, "must be true or false"),
    "without on": ({"notice": "a", "on": None}, "does not say on what it happens"),
}  # fmt: skip


@pytest.mark.parametrize("name", MISTAKES)
def test_a_mistake_is_told_at_its_place(name: str) -> None:
    effect, said = MISTAKES[name]
    effect = {key: value for key, value in {"on": "update", **effect}.items() if value is not None}
    with pytest.raises(DefinitionMistakes) as caught:
        definitions_from({"jobs": {"fields": FIELDS, "effects": [effect]}})
    assert any(said in f"{one.what} {one.hint}" for one in caught.value.mistakes), caught.value.mistakes
    assert all(one.pointer.startswith("/effects/0") for one in caught.value.mistakes)


def test_client_and_command_line_show_them(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "notes")
    settings, notes = folder / "fenland.toml", folder / "collections" / "notes.yaml"
    settings.write_text(settings.read_text() + '\naccount_managers = ["editor"]\n')
    notes.write_text(
        notes.read_text()
        + "\neffects:\n  - {on: create, notice: note-made, with: {slug: after.slug, pinned: after.pinned}}\n"
    )
    running = start("start", folder, folder / "log", "--workers", "2")
    try:
        token = (folder / "token").read_text()
        with Client(running.address, token) as client:
            for number in range(120):
                client.create("notes", {"slug": f"n{number}", "title": "x"})
            found = list(client.notices())
            assert [one["data"]["slug"] for one in found] == [f"n{number}" for number in range(120)]
            assert [one["number"] for one in client.notices(after=118)] == [119, 120]
            assert len(list(client.notices(limit=7))) == 7
            assert [one["number"] for one in client.notices(after=None)] == list(range(120, 0, -1))
        env = {"FENLAND_ADDRESS": running.address, "FENLAND_TOKEN": token, "COLUMNS": "200"}
        told = fenland("notices", "--after", "0", "--limit", "2", env=env).stdout
        assert "note-made" in told and "notes n1" in told and "pinned: no" in told.replace("false", "no")
        assert "--after 2" in told
        assert json.loads(fenland("notices", "--after", "119", "--json", env=env).stdout)[0]["key"] == "n119"
        assert "n119" in fenland("notices", "--limit", "1", env=env).stdout
        assert "No notices behind 500" in fenland("notices", "--after", "500", env=env).stdout
    finally:
        running.stop()


def test_a_trial_knows_them() -> None:
    with Trial(
        {
            "jobs": {
                **WORKS["jobs"],
                "fields": {"code": CODE, "note": TEXT},
                "effects": [{"on": "create", "notice": "made"}],
            }
        }
    ) as trial:
        trial.account("ada").create("jobs", {"code": "J1"})
        with trial.service.database.reading() as reading:
            found, more = trial.service.database.notices.after(reading, 0, 9)
        assert ([one.name for one in found], more) == (["made"], False)
