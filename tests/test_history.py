"""The history: what every entry holds, who sees which, and a search over everything that finds just those."""

from __future__ import annotations

import csv
import io
import json
import random
from collections.abc import Callable, Iterator, Mapping
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.service.accounts.accounts import AccountChange, change_account
from fenland.service.service import Service
from fenland.storage.door import Candidates
from support import bearer, workshop_of

CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
NOTES = {
    "notes": {
        "key": "code",
        "owner": "author",
        "access": {
            "read": {"if": "record.shared == true || record.author == actor.name || 'office' in actor.roles"},
            "create": ["everyone"], "update": ["everyone"], "delete": ["everyone"],
        },
        "fields": {
            "code": CODE, "text": {"type": "string"}, "level": {"type": "number"},
            "count": {"type": "integer"}, "due": {"type": "string", "format": "date"},
            "shared": {"type": "boolean"}, "labels": {"type": "array", "items": {"type": "string"}},
            "phone": {"type": "string", "sensitive": True},
            "pay": {"type": "integer", "access": {"read": ["office"]}},
            "pin": {"type": "string", "writeOnly": True},
            "paper": {"references": "papers", "access": {"read": {"if": "record.author == actor.name"}}},
            "author": {"type": "string", "required": True},
        },
    },
    "papers": {
        "key": "code", "reason": "required",
        "access": {right: ["office"] for right in ("read", "create", "update", "delete")},
        "fields": {"code": CODE, "text": {"type": "string"}},
    },
}  # fmt: skip


@pytest.fixture
def house(tmp_path: Path) -> Iterator[tuple[Service, httpx.Client]]:
    with workshop_of(NOTES, tmp_path / "notes.db", account_managers=["office"]) as found:
        yield found


def sent(http: httpx.Client, method: str, path: str, status: int = 200, **parts: Any) -> Any:
    answer = http.request(method, path, **parts)
    assert answer.status_code == status, answer.text
    return answer.json() if answer.content else None


def entries(http: httpx.Client, who: str = "olga", **query: Any) -> list[dict[str, Any]]:
    """All entries that are found, over all pages."""
    found: list[dict[str, Any]] = []
    below: int | None = None
    while True:
        asked = {**query, "limit": 7, **({} if below is None else {"below": below})}
        page = sent(http, "GET", "/v1/history", params=asked, headers=bearer(who))
        found += page["items"]
        below = page["next"]
        if below is None:
            return found


def test_sequences_have_no_gap_and_times_never_go_back(house: tuple[Service, httpx.Client]) -> None:
    service, http = house
    now = [datetime(2031, 1, 1, tzinfo=UTC)]
    service.clock = lambda: now[0]
    dice = random.Random(5)
    for number in range(40):
        now[0] += timedelta(seconds=dice.choice([-500, -1, 0, 0, 3]))
        if number % 4 == 0:
            body = {
                "items": [
                    {"action": "create", "collection": "notes", "fields": {"code": f"B{number}"}},
                    {"action": "create", "collection": "notes", "fields": {"code": "B0"}},
                ],
                "atomic": False,
            }
            sent(http, "POST", "/v1/batch", json=body)
        else:
            saved = sent(http, "POST", "/v1/records/notes", 201, json={"code": f"N{number}"})
            entry = sent(http, "GET", "/v1/history?limit=1")["items"][0]
            assert entry["time"] == saved["updated_at"] == saved["created_at"]
    found = entries(http)[::-1]
    assert [one["sequence"] for one in found] == list(range(1, len(found) + 1))
    times = [one["time"] for one in found]
    assert times == sorted(times)


def test_accounts_leave_entries_without_anything_secret(house: tuple[Service, httpx.Client]) -> None:
    service, http = house
    sent(
        http,
        "POST",
        "/v1/accounts",
        201,
        json={"name": "wren", "roles": ["crew"], "password": "long enough words"},
    )
    for password, status in (("long enough words", 201), ("quite wrong words", 401)):
        sent(http, "POST", "/v1/session", status, json={"name": "wren", "password": password})
    sent(http, "POST", "/v1/session", 401, json={"name": "my secret typed here", "password": "x"})
    token = sent(http, "POST", "/v1/tokens", 201, json={"label": "tablet", "days": 3})
    sent(http, "DELETE", f"/v1/tokens/{token['id']}", 204)
    sent(http, "PATCH", "/v1/accounts/wren", json={"roles": ["office"], "disabled": True})
    change_account(service, "wren", AccountChange(title="Wren Low"))
    found = [one for one in entries(http, collection="fenland_accounts") if one["sequence"] > 9][::-1]
    told = [(one["action"], one["key"], one["actor"]) for one in found]
    assert told == [
        ("create", "wren", "olga"), ("sign_in", "wren", "wren"), ("sign_in_refused", "wren", "wren"),
        ("issue_token", "olga", "olga"), ("revoke_token", "olga", "olga"), ("update", "wren", "olga"),
        ("update", "wren", "fenland"),
    ]  # fmt: skip
    assert found[5]["changes"]["roles"] == {
        "before": ["crew"],
        "after": ["office"],
        "put_in": ["office"],
        "taken_out": ["crew"],
    }
    text = json.dumps(found)
    assert "words" not in text
    assert token["token"] not in text
    assert "secret typed" not in json.dumps(entries(http))
    # Others see of accounts only their own.
    mine = entries(http, "carl", collection="fenland_accounts")
    assert {one["key"] for one in mine} == {"carl"}
    assert not [one for one in entries(http, "carl") if one["collection"] == "fenland_definitions"]


def test_a_collection_may_demand_a_reason(house: tuple[Service, httpx.Client]) -> None:
    http = house[1]
    found = sent(http, "POST", "/v1/records/papers", 422, json={"code": "P1"})
    assert [(one["pointer"], one["code"]) for one in found["errors"]] == [("", "reason")]
    sent(http, "POST", "/v1/records/papers?reason=new", 201, json={"code": "P1"})
    sent(http, "PATCH", "/v1/records/papers/P1", 422, json={"text": "x"})
    sent(http, "PATCH", "/v1/records/papers/P1?reason=more", json={"text": "x"})
    sent(http, "PATCH", "/v1/records/papers?where=true", 422, json={"text": "y"})
    sent(http, "DELETE", "/v1/records/papers/P1", 422)
    item = {"action": "delete", "collection": "papers", "key": "P1"}
    sent(http, "POST", "/v1/batch", 422, json={"items": [item]})
    last = sent(http, "GET", "/v1/history?limit=1")["items"][0]["sequence"]
    sent(http, "POST", f"/v1/history/{last}/undo", 409)
    sent(http, "POST", f"/v1/history/{last}/undo?reason=mistaken")
    sent(http, "DELETE", "/v1/records/papers/P1?reason=twice")
    sent(http, "POST", "/v1/records/papers/P1/restore", 422)
    sent(http, "POST", "/v1/records/papers/P1/restore?reason=no", 200)


def test_nobody_sees_entries_of_records_that_they_may_not_read_nor_hidden_values(
    house: tuple[Service, httpx.Client],
) -> None:
    http = house[1]
    for code, who, shared in (("N1", "carl", True), ("N2", "carl", False), ("N3", "cora", False)):
        note = {"code": code, "shared": shared, "pay": 70, "pin": "4711", "text": who}
        sent(http, "POST", "/v1/records/notes", 201, json=note, headers=bearer(who))
    sent(http, "PATCH", "/v1/records/notes/N1", json={"pay": 80})
    sent(http, "DELETE", "/v1/records/notes/N3", headers=bearer("cora"))
    seen = {one["key"] for one in entries(http, "carl", collection="notes")}
    assert seen == {"N1", "N2"}
    assert {one["key"] for one in entries(http, "cora", collection="notes")} == {"N1", "N3"}
    found = entries(http, "carl", key="N1")
    assert found[0]["changes"] == {"pay": {"hidden": True}}
    for where in ("after.pay == 80", "before.pay == 70", "after.pin == '4711'", "!(after.pay < 79)"):
        assert entries(http, "carl", where=where) == [], where
    # That it changed may be told; what it was may not.
    assert len(entries(http, "carl", field="pay", key="N1")) == 2
    assert len(entries(http, where="after.pay == 80")) == 1
    assert entries(http, where="after.pin == '4711'") == []
    number = next(one["sequence"] for one in entries(http, key="N3"))
    for path in (f"/v1/history/{number}", f"/v1/history/{number}/proof"):
        sent(http, "GET", path, 404, headers=bearer("carl"))
    sent(http, "POST", f"/v1/history/{number}/undo", 404, headers=bearer("carl"))
    counted = sent(http, "GET", "/v1/history/activity", headers=bearer("carl"))
    assert sum(sum(one["counts"]) for one in counted["series"] if one["name"] == "notes") == 3


def test_labels_tell_nothing_of_values_that_are_hidden(house: tuple[Service, httpx.Client]) -> None:
    http = house[1]
    sent(http, "POST", "/v1/records/papers?reason=x", 201, json={"code": "P77", "text": "plan"})
    sent(http, "POST", "/v1/records/notes", 201, json={"code": "N1", "shared": True, "paper": "P77"})
    assert "P77" in sent(http, "GET", "/v1/records/notes/N1/history")["labels"]["paper"]
    assert "P77" in sent(http, "GET", "/v1/history?collection=notes")["labels"]["notes"]["paper"]
    # Nor does anything else, to who may read the note, and all papers, and not this field of it.
    with_all = {"roles": ["office"]}
    sent(http, "PATCH", "/v1/accounts/carl", json=with_all)
    number = entries(http, key="N1")[0]["sequence"]
    for path in (
        "/v1/records/notes/N1/history", "/v1/history?collection=notes", f"/v1/history/{number}",
        "/v1/records/notes/N1?version=1", "/v1/records/notes/N1/form?version=1", "/v1/records/notes?at=2099-01-01&labels=true",
        "/v1/records/notes/N1/history/proof", "/v1/records/notes/N1/history/evidence", f"/v1/history/{number}/proof",
        "/v1/records/notes/N1/difference?from=1",
    ):  # fmt: skip
        assert "P77" not in http.get(path, headers=bearer("carl")).text, path
    for accept in ("text/csv", "application/jsonl"):
        text = http.get("/v1/history?collection=notes", headers={"Accept": accept, **bearer("carl")}).text
        assert "P77" not in text


# --- searching ----------------------------------------------------------------------------------------


def filled(http: httpx.Client, dice: random.Random, number: int) -> None:
    items: list[dict[str, Any]] = []
    known: list[str] = []
    for step in range(number):
        fields = {
            "text": dice.choice(["pump", "weed", "gate ü", "=1"]),
            "level": dice.choice([None, 1, 1.5, 2.25, 1e21]),
            "count": dice.choice([None, 0, 3, 2**60]),
            "due": dice.choice([None, "2031-01-01", "2031-02-02"]),
            "shared": dice.random() < 0.5,
            "labels": dice.choice([[], ["a"], ["a", "b"]]),
            "phone": dice.choice(["01", "02"]),
        }
        chosen = dict(dice.sample(sorted(fields.items()), dice.randint(1, 4)))
        if not known or dice.random() < 0.3:
            known.append(f"K{step}")
            items.append(
                {"action": "create", "collection": "notes", "fields": {**chosen, "code": f"K{step}"}}
            )
        elif dice.random() < 0.1:
            items.append(
                {"action": "delete", "collection": "notes", "key": known.pop(dice.randrange(len(known)))}
            )
        else:
            item = {"action": "update", "collection": "notes", "key": dice.choice(known), "fields": chosen}
            items.append(
                item
                if dice.random() < 0.5
                else {**item, "reason": dice.choice(["Flood watch", "flooding", "x"])}
            )
        if len(items) == 20 or step == number - 1:
            who = dice.choice(["olga", "carl", "cora"])
            sent(http, "POST", "/v1/batch", json={"items": items, "atomic": False}, headers=bearer(who))
            items = []


Judge = Callable[[Mapping[str, Any]], bool]


def sides(entry: Mapping[str, Any], name: str, side: str = "after") -> Any:
    change = entry["changes"].get(name, {})
    return change.get(side, "nothing of the kind")


SEARCHES: dict[str, tuple[dict[str, str], Judge]] = {
    "everything": ({}, lambda one: True),
    "a collection": ({"collection": "notes"}, lambda one: one["collection"] == "notes"),
    "an actor": ({"actor": "carl"}, lambda one: one["actor"] == "carl"),
    "an action": ({"action": "delete"}, lambda one: one["action"] == "delete"),
    "a field": ({"field": "due"}, lambda one: "due" in one["changes"]),
    "a reason": ({"reason": "FLOOD"}, lambda one: "flood" in (one["reason"] or "").lower()),
    "a short reason": ({"reason": "x"}, lambda one: one["reason"] == "x"),
    "two at once": ({"actor": "cora", "field": "text"}, lambda one: one["actor"] == "cora" and "text" in one["changes"]),
    "a text after": ({"where": 'after.text == "weed"'}, lambda one: sides(one, "text") == "weed"),
    "a text that looks like a number": ({"where": 'after.text == "=1"'}, lambda one: sides(one, "text") == "=1"),
    "a number before": ({"collection": "notes", "where": "before.level == 1.5"}, lambda one: sides(one, "level", "before") == 1.5),
    "a whole number": ({"where": "after.level == 1"}, lambda one: sides(one, "level") == 1),
    "a large number": ({"where": f"after.count == {2**60}"}, lambda one: sides(one, "count") == 2**60),
    "a sensitive value": ({"where": 'after.phone == "02"'}, lambda one: sides(one, "phone") == "02"),
    "a day": ({"collection": "notes", "where": 'after.due == date("2031-01-01")'}, lambda one: sides(one, "due") == "2031-01-01"),
    "a flag": ({"where": "after.shared == true"}, lambda one: sides(one, "shared") is True),
    "either": ({"where": 'after.text == "weed" || after.count == 3'}, lambda one: sides(one, "text") == "weed" or sides(one, "count") == 3),
    "reason within": ({"where": 'reason.contains("lood")'}, lambda one: "lood" in (one["reason"] or "")),
    "a field among them": ({"where": '"labels" in fields && action == "update"'}, lambda one: "labels" in one["changes"] and one["action"] == "update"),
    "an inequality": ({"where": "sequence > 90 && version >= 2"}, lambda one: one["sequence"] > 90 and one["version"] >= 2),
    "one of several": ({"where": 'actor in ["carl", "cora"]'}, lambda one: one["actor"] in ("carl", "cora")),
    "nothing": ({"where": 'actor == "nobody"'}, lambda one: False),
}  # fmt: skip


def test_every_search_finds_just_what_it_asks_over_all_pages(house: tuple[Service, httpx.Client]) -> None:
    http = house[1]
    filled(http, random.Random(3), 230)
    whole = entries(http)
    assert len(whole) > 150
    for name, (query, judge) in SEARCHES.items():
        expected = [one["sequence"] for one in whole if judge(one)]
        assert [one["sequence"] for one in entries(http, **query)] == expected, name
    middle = whole[len(whole) // 2]
    for name in ("request_id", "batch", "key", "id"):
        expected = [one["sequence"] for one in whole if one[name] == middle[name]]
        assert [one["sequence"] for one in entries(http, **{name: middle[name]})] == expected, name
    after = [one["sequence"] for one in whole if one["time"] >= middle["time"]]
    assert [one["sequence"] for one in entries(http, **{"from": middle["time"]})] == after
    day = middle["time"][:10]
    same_day = [one["sequence"] for one in whole if one["time"][:10] == day]
    assert [one["sequence"] for one in entries(http, **{"from": day, "to": day})] == same_day
    before = [one["sequence"] for one in whole if one["time"] <= middle["time"]]
    assert [one["sequence"] for one in entries(http, to=middle["time"])] == before


def test_blocks_without_what_is_asked_are_not_read(house: tuple[Service, httpx.Client]) -> None:
    service, http = house
    sent(http, "POST", "/v1/records/notes", 201, json={"code": "RARE", "text": "heron"})
    filled(http, random.Random(4), 200)
    with service.database.reading() as reading:
        found = service.database.history.candidates(
            reading, Candidates.having("action", "migrate"), below=10**9
        )
        read = sum(len(page) for _, page in found)
        # The newest block is not full, so that its terms are not known.
        assert read <= 1
        spans = list(
            service.database.history.candidates(reading, Candidates.having("batch", "none"), below=10**9)
        )
    assert len(spans) == 1


def test_the_history_is_exported_whole_and_goes_on_where_it_was_broken_off(
    house: tuple[Service, httpx.Client],
) -> None:
    http = house[1]
    filled(http, random.Random(6), 60)
    whole = entries(http)[::-1]
    text = http.get("/v1/history", headers={"Accept": "application/jsonl"}).text
    lines = [json.loads(line) for line in text.splitlines()]
    assert [one["sequence"] for one in lines] == [one["sequence"] for one in whole]
    assert all(one["leaf"]["sequence"] == one["sequence"] for one in lines)
    after = {"after": 20, "collection": "notes"}
    text = http.get("/v1/history", params=after, headers={"Accept": "application/jsonl"}).text
    expected = [one["sequence"] for one in whole if one["sequence"] > 20 and one["collection"] == "notes"]
    assert [json.loads(line)["sequence"] for line in text.splitlines()] == expected
    rows = list(csv.DictReader(io.StringIO(http.get("/v1/history", headers={"Accept": "text/csv"}).text)))
    assert len(rows) == sum(max(len(one["changes"]), 1) for one in whole)
    # Who may not read all of an entry is told its hash alone.
    text = http.get("/v1/history", headers={"Accept": "application/jsonl", **bearer("carl")}).text
    mine = [json.loads(line) for line in text.splitlines()]
    assert [one["leaf"] is None for one in mine] == [
        any("hidden" in c for c in one["changes"].values()) and "pay" in one["changes"] for one in mine
    ]
    assert http.get("/v1/history?where=oops", headers={"Accept": "text/csv"}).status_code == 400


def test_a_timeline_is_narrowed_down_by_field_and_by_actor(house: tuple[Service, httpx.Client]) -> None:
    http = house[1]
    sent(http, "POST", "/v1/records/notes", 201, json={"code": "N1", "shared": True})
    for number, who in enumerate(["olga", "carl", "olga", "cora"]):
        change = {"text": str(number)} if number % 2 else {"count": number, "labels": [str(number)]}
        sent(http, "PATCH", "/v1/records/notes/N1", json=change, headers=bearer(who))
    path = "/v1/records/notes/N1/history"
    found = sent(http, "GET", path, params={"field": "text"})
    assert [one["version"] for one in found["items"]] == [5, 3]
    assert found["people"] == {"cora": "Cora", "carl": "Carl"}
    page = sent(http, "GET", path, params={"actor": "olga", "limit": 2})
    assert [one["version"] for one in page["items"]] == [4, 2]
    rest = sent(http, "GET", path, params={"actor": "olga", "limit": 2, "below": page["next"]})
    assert [one["version"] for one in rest["items"]] == [1]
    sent(http, "GET", path, 400, params={"field": "nothing"})
    labels = sent(http, "GET", path)["items"][1]["sentence"]
    assert "labels: put in 2 and took out 0" in labels


def test_a_record_of_many_versions_is_read_from_anywhere_in_it(house: tuple[Service, httpx.Client]) -> None:
    http = house[1]
    sent(http, "POST", "/v1/records/notes", 201, json={"code": "N1", "shared": True})
    for start in range(0, 1500, 300):
        items = [
            {"action": "update", "collection": "notes", "key": "N1", "fields": {"count": start + n}}
            for n in range(300)
        ]
        sent(http, "POST", "/v1/batch", json={"items": items})
    assert sent(http, "GET", "/v1/records/notes/N1?version=2")["count"] == 0
    page = sent(http, "GET", "/v1/records/notes/N1/history?below=700&limit=20")
    assert [one["version"] for one in page["items"]] == list(range(699, 679, -1))
