"""Filters over HTTP: which records a list, a count and a change by filter are of, and what comes back of them."""

from __future__ import annotations

from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.client import Client, InvalidError, NotPermittedError, NotSignedInError
from fenland.core.limits import Limits
from fenland.service.service import Service
from support import TOKENS, bearer, workshop_of

KEY = {"type": "string", "required": True, "unique": True, "fixed": True}
DESCRIBED: dict[str, Any] = {
    "towns": {"key": "code", "fields": {"code": KEY, "name": {"type": "string", "search": True}}, "access": {"read": ["everyone"], "create": ["office"]}},
    "sites": {
        "key": "code",
        "fields": {"code": KEY, "name": {"type": "string", "search": True}, "town": {"references": "towns"}, "boss": {"type": "string", "access": {"read": ["office"]}}},
        "access": {"read": "record.code != 'S9' || 'office' in actor.roles", "create": ["office"]},
    },
    "jobs": {
        "key": "code", "owner": "owner",
        "fields": {
            "code": KEY, "owner": {"type": "string"}, "state": {"type": "string", "enum": ["open", "done"], "indexed": True}, "count": {"type": "integer", "maximum": 9}, "limit": {"type": "integer"},
            "price": {"type": "number", "multipleOf": Decimal("0.01")}, "day": {"type": "string", "format": "date"}, "seen": {"type": "string", "format": "date-time"},
            "tags": {"type": "array", "items": {"type": "string"}}, "site": {"references": "sites"}, "urgent": {"type": "boolean"},
        },
        "access": {"read": ["everyone"], "create": ["office"], "update": ["owner", "office"], "delete": ["office"], "transfer": ["office"]},
        "checks": [{"rule": "next.state != 'done' || next.count > 0", "message": "Count first.", "fields": ["count"]}],
    },
}  # fmt: skip
JOBS: list[dict[str, Any]] = [
    {"code": "J1", "owner": "carl", "state": "open", "count": 1, "price": 0.1, "day": "2031-04-09", "seen": "2031-04-09T14:30:00Z", "tags": ["a"], "site": "S1", "urgent": True},
    {"code": "J2", "owner": "cora", "state": "open", "count": 2, "price": 1.5, "day": "2031-04-10", "tags": ["a", "b"], "site": "S9", "urgent": False},
    {"code": "J3", "owner": "carl", "state": "done", "count": 3, "limit": 7},
    {"code": "J4", "owner": "cora", "count": None},
]  # fmt: skip


@pytest.fixture
def jobs(tmp_path: Path) -> Iterator[tuple[Service, httpx.Client]]:
    with workshop_of(
        DESCRIBED,
        tmp_path / "x.db",
        Limits(many=3),
        account_managers=["office"],
        account_delegates=["office"],
    ) as (service, http):
        assert http.post("/v1/records/towns", json={"code": "T1", "name": "Ely"}).status_code == 201
        for code, boss in (("S1", "carl"), ("S9", "olga")):
            site = {"code": code, "name": f"Site {code}", "town": "T1", "boss": boss}
            assert http.post("/v1/records/sites", json=site).status_code == 201
        for one in JOBS:
            assert http.post("/v1/records/jobs", json=one).status_code == 201
        yield service, http


PATH = "/v1/records/jobs"

#: A query, and the keys of what it finds.
FOUND: list[tuple[Any, str]] = [
    ({"where": "count > 1"}, "J2 J3"), ({"where": "count == null"}, "J4"), ({"where": "state == 'open' && owner == actor.name"}, ""),
    ({"where": "record.owner == 'carl'"}, "J1 J3"), ({"where": "price == 0.1 || price in [1.50]"}, "J1 J2"), ({"where": "'b' in tags"}, "J2"), ({"where": "tags.size() == 1"}, "J1"),
    ({"where": "day < date('2031-04-10')"}, "J1"), ({"where": "seen <= timestamp('2031-04-09T16:30:00+02:00')"}, "J1"), ({"where": "site.town.name == 'Ely'"}, "J1 J2"),
    ({"where": "urgent"}, "J1"), ({"where": "!urgent"}, "J2"), ({"where": "true"}, "J1 J2 J3 J4"), ({"where": "1 / 0 == 1"}, ""), ({"where": "version == 1 && created_by == 'olga'"}, "J1 J2 J3 J4"),
    ({"state": "open"}, "J1 J2"), ({"state": ["open", "done"]}, "J1 J2 J3"), ({"site": "S7"}, ""), ({"price": "0.10"}, "J1"), ({"urgent": "false"}, "J2"),
    ({"day": "2031-04-09"}, "J1"), ({"seen": "2031-04-09T16:30:00+02:00"}, "J1"), ({"site": "S1", "state": "open"}, "J1"), ({"created_by": "olga", "state": "done"}, "J3"), ({"version": "1", "state": "done"}, "J3"),
    ({"count.from": "2"}, "J2 J3"), ({"count.from": "1", "count.to": "2"}, "J1 J2"), ({"price.to": "0.1"}, "J1"), ({"day.from": "2031-04-10"}, "J2"), ({"day.to": "2031-04-09"}, "J1"),
    ({"seen.from": "2031-04-09", "seen.to": "2031-04-09"}, "J1"), ({"seen.to": "2031-04-08"}, ""), ({"seen.from": "2031-04-09T16:30:01+02:00"}, ""), ({"version.to": "1", "state": "done"}, "J3"),
    ({"limit.from": "7"}, "J3"), ({"created_at.from": "2999-01-01"}, ""), ({"count.from": "", "blank_filters": "ignore", "state": "done"}, "J3"), ({"count.to": "1", "where": "urgent"}, "J1"),
    ({"where": "state == 'open'", "owner": "carl"}, "J1"), ({"where": "state == 'open'", "sort": "-count", "limit": "1"}, "J2"),
]  # fmt: skip


@pytest.mark.parametrize(("query", "keys"), FOUND)
def test_a_filter_finds(jobs: tuple[Service, httpx.Client], query: Any, keys: str) -> None:
    answer = jobs[1].get(PATH, params={**query, "count": "true"})
    assert answer.status_code == 200, answer.text
    assert [one["code"] for one in answer.json()["items"]] == keys.split()
    if "limit" not in query:
        assert answer.json()["count"] == len(keys.split())


#: A query that is refused, with its status, and words of why.
REFUSED: list[tuple[Any, int, str]] = [
    ({"where": "coutn > 1"}, 400, "Did you mean 'count'?"), ({"where": "count > 'x'"}, 400, "no order between int and string"), ({"where": "count"}, 400, "must be true or false"),
    ({"where": "count >"}, 400, "Expected a value"), ({"where": "site.town.name.x == 1"}, 400, "has no field"), ({"where": "x" * 20_000}, 400, "characters long"),
    ({"where": "(" * 100 + "1" + ")" * 100}, 400, "nests more than"), ({"where": "state.matches('(')"}, 200, ""), ({"where": "state == 'a\\u0000'"}, 200, ""),
    ({"version": "x"}, 400, "not a whole number"), ({"day": "9 April"}, 400, "day is"), ({"tags": "a"}, 400, "Use where"), ({"urgent": "maybe"}, 400, "neither true nor false"), ({"nothing": "1"}, 400, "no query parameter"),
    ({"state.from": "a"}, 400, "state holds none"), ({"urgent.to": "true"}, 400, "urgent holds none"), ({"count.from": ["1", "2"]}, 400, "stands 2 times"), ({"count.from": "x"}, 400, "count.from is 'x'"),
    ({"seen.to": "9999-12-31"}, 400, "no such day"), ({"day.to": "2031-02-30"}, 400, "day.to is"), ({"count.over": "1"}, 400, "no query parameter 'count.over'"), ({"count.": "1"}, 400, "no query parameter"),
    ({"nothing.from": "1"}, 400, "no query parameter"), ({"tags.from": "1"}, 400, "tags holds none"), ({"seen.from": "2031-02-30"}, 400, "no such day"),
    ({"fields": "code,nothing"}, 400, "fields names"), ({"include": "state"}, 400, "no reference"), ({"include": "site.town.code"}, 400, "at most 2"), ({"where": ["true", "false"]}, 400, "stands twice"),
]  # fmt: skip


@pytest.mark.parametrize(("query", "status", "words"), REFUSED)
def test_a_filter_is_refused_with_its_reason(
    jobs: tuple[Service, httpx.Client], query: Any, status: int, words: str
) -> None:
    answer = jobs[1].get(PATH, params=query)
    assert answer.status_code == status, answer.text
    assert status == 200 or words in answer.json()["detail"]
    if "coutn" in str(query):
        assert (answer.json()["line"], answer.json()["column"], answer.json()["shown"]) == (
            1,
            1,
            "coutn > 1\n^",
        )


def test_pages_by_number_are_those_that_cursors_lead_to(jobs: tuple[Service, httpx.Client]) -> None:
    http = jobs[1]
    for sort in ("", "-count", "state,-code"):
        path, number = f"{PATH}?limit=1&sort={sort}", 0
        while path:
            number += 1
            answer = http.get(path)
            by_number = http.get(f"{PATH}?limit=1&sort={sort}&page={number}")
            assert by_number.json() == answer.json(), (sort, number)
            # What follows a page by number is reached without a number.
            assert by_number.links.get("next") == answer.links.get("next")
            path = answer.links.get("next", {}).get("url", "")
        assert number == len(JOBS)
        assert http.get(f"{PATH}?limit=1&sort={sort}&page={number + 1}").json()["items"] == []
    assert http.get(f"{PATH}?limit=200&page=50").status_code == 200


@pytest.mark.parametrize(
    ("query", "words"),
    [
        ("page=0", "page is 0"), ("page=x", "page"), ("limit=200&page=51", "from 1 to 50"), ("page=2&cursor=x", "name two pages"),
        ("page=1&at=2031-01-01", "goes by creation"), ("page=1&page=2", "stands twice"),
    ],
)  # fmt: skip
def test_a_page_that_there_is_not_is_refused(
    jobs: tuple[Service, httpx.Client], query: str, words: str
) -> None:
    answer = jobs[1].get(f"{PATH}?{query}")
    assert answer.status_code == 400 and words in answer.json()["detail"], answer.text


def test_no_page_by_number_leaves_out_what_is_too_large_for_it(tmp_path: Path) -> None:
    fields = {"code": KEY, "text": {"type": "string"}}
    described = {
        "notes": {"key": "code", "fields": fields, "access": {"read": ["everyone"], "create": ["office"]}}
    }
    with workshop_of(described, tmp_path / "x.db", Limits(answer=100_000)) as (_, http):
        for number in range(4):
            one = {"code": f"N{number}", "text": "x" * 40_000}
            assert http.post("/v1/records/notes", json=one).status_code == 201
        cut = http.get("/v1/records/notes?limit=4").json()
        assert 0 < len(cut["items"]) < 4 and cut["next"]
        refused = http.get("/v1/records/notes?limit=4&page=1")
        assert (refused.status_code, refused.json()["limit"]) == (413, "answer_limit")
        assert len(http.get("/v1/records/notes?limit=1&page=4").json()["items"]) == 1


def test_pages_of_a_filter_lead_on(jobs: tuple[Service, httpx.Client]) -> None:
    http, path, seen = jobs[1], f"{PATH}?where=count+>+0&state=open&state=done&limit=1&sort=-count", []
    while path:
        answer = http.get(path)
        seen += [one["code"] for one in answer.json()["items"]]
        path = answer.links.get("next", {}).get("url", "")
    assert seen == ["J3", "J2", "J1"]


def test_fields_and_expansions_are_chosen(jobs: tuple[Service, httpx.Client]) -> None:
    http = jobs[1]
    some = http.get(
        PATH, params={"fields": "count,code", "where": "count == 1", "include": "site.town"}
    ).json()
    assert some["items"] == [{"code": "J1", "count": 1}]
    assert some["included"]["sites"]["S1"]["name"] == "Site S1"
    assert some["included"]["towns"].keys() == {"T1"}
    # A crew sees neither the office's site nor who is boss.
    crew = http.get(PATH, params={"include": "site"}, headers=bearer("carl")).json()["included"]["sites"]
    assert crew.keys() == {"S1"}
    assert "boss" not in crew["S1"]
    one = http.get(f"{PATH}/J1", params={"fields": "code", "include": "site"}).json()
    assert (one["record"], one["included"]["sites"].keys()) == ({"code": "J1"}, {"S1"})


def test_choices_are_searched_by_the_rules_of_their_target(jobs: tuple[Service, httpx.Client]) -> None:
    http, path = jobs[1], "/v1/schemas/jobs/choices"
    assert http.get(f"{path}/site", params={"q": "site"}).json()["items"] == [
        {"value": "S1", "label": "S1 · Site S1"},
        {"value": "S9", "label": "S9 · Site S9"},
    ]
    first = http.get(f"{path}/site", params={"limit": "1"})
    assert http.get(first.links["next"]["url"]).json()["items"][0]["value"] == "S9"
    assert [one["value"] for one in http.get(f"{path}/site", headers=bearer("carl")).json()["items"]] == [
        "S1"
    ]
    assert [one["value"] for one in http.get(f"{path}/state", params={"q": "OP"}).json()["items"]] == ["open"]
    assert len(http.get(f"{path}/owner").json()["items"]) == 4
    assert http.get(f"{path}/owner", headers=bearer("carl")).status_code == 404
    assert http.get(f"{path}/count").status_code == 404
    form = http.get(f"{PATH}/J1/form").json()["choices"]
    assert http.get(form["site"]["search"]).status_code == 200


def test_a_filter_by_an_indexed_field_uses_its_index(jobs: tuple[Service, httpx.Client]) -> None:
    records = jobs[0].resources["jobs"].records
    statements: list[str] = []

    class Reading:
        def execute(self, text: str, values: Any = (), /) -> Any:
            with jobs[0].database.reading() as reading:
                plan = [row[3] for row in reading.execute(f"EXPLAIN QUERY PLAN {text}", values)]
                statements.append(" ".join(plan))
                return reading.execute(text, values)

    from fenland.core.access.conditions import Among, Column, Compare, Value
    from fenland.storage.door import Order, Page

    for condition in (
        Compare(Column(("state",)), "==", Value("open")),
        Among(Column(("state",)), ("open", "done")),
    ):
        records.page(Reading(), Page(condition, order=(Order("id"),)))
    assert all("jobs_by_state" in one for one in statements), statements


# --- many ----------------------------------------------------------------------------------------------


def many(http: httpx.Client, method: str, query: Any, body: Any = None, name: str = "olga") -> httpx.Response:
    return http.request(method, PATH, params=query, json=body, headers=bearer(name))


def test_many_are_changed_by_filter_each_with_its_entry(jobs: tuple[Service, httpx.Client]) -> None:
    http = jobs[1]
    seen = many(http, "PATCH", {"where": "count > 0", "preview": "true"}, {"limit": 5}).json()
    assert (seen["done"], seen["matched"], seen["changed"], seen["refused"]) == (False, 3, 3, 0)
    assert seen["records"][0] == {"key": "J1", "changes": {"limit": {"before": None, "after": 5}}}
    assert http.get(f"{PATH}/J1").json()["limit"] is None
    assert many(http, "PATCH", {"where": "count > 0", "expect": "2"}, {"limit": 5}).status_code == 409
    done = many(http, "PATCH", {"where": "count > 0", "expect": "3", "reason": "tidy"}, {"limit": 5})
    assert (done.status_code, done.json()["changed"]) == (200, 3)
    entries = [http.get(f"{PATH}/{key}/history").json()["items"][0] for key in ("J1", "J2", "J3")]
    assert {(one["reason"], one["request_id"], one["version"]) for one in entries} == {
        ("tidy", done.headers["X-Request-ID"], 2)
    }
    edits = {"edits": [{"at": "/limit", "increase_by": 1, "only_if": "state == 'open'"}]}
    kind = {**bearer("olga"), "Content-Type": "application/vnd.fenland.edits+json"}
    import json

    answer = http.patch(
        PATH, params={"state": ["open", "done"], "atomic": "false"}, content=json.dumps(edits), headers=kind
    ).json()
    assert (answer["changed"], answer["refused"]) == (2, 1)
    assert [http.get(f"{PATH}/{key}").json()["limit"] for key in ("J1", "J2", "J3")] == [6, 6, 5]


def test_many_are_all_or_nothing_unless_each_is_on_its_own(jobs: tuple[Service, httpx.Client]) -> None:
    http = jobs[1]
    whole = many(http, "PATCH", {"where": "state != 'done'"}, {"state": "done"})
    assert (whole.status_code, whole.json()["done"], whole.json()["changed"], whole.json()["refused"]) == (
        422,
        False,
        0,
        1,
    )
    assert whole.json()["records"][0]["problem"]["errors"][0]["pointer"] == "/count"
    assert http.get(f"{PATH}/J1").json()["state"] == "open"
    each = many(http, "PATCH", {"where": "state != 'done'", "atomic": "false"}, {"state": "done"}).json()
    assert (each["done"], each["changed"], each["refused"]) == (True, 2, 1)
    theirs = many(http, "PATCH", {"where": "true", "owner": "cora"}, {"limit": 1}, "carl")
    assert (theirs.status_code, theirs.json()["refused"]) == (422, 2)
    once = {**bearer("olga"), "Idempotency-Key": "k"}
    first, again = (
        http.patch(PATH, params={"code": "J1"}, json={"limit": 9}, headers=once) for _ in range(2)
    )
    assert (first.json()["changed"], again.json()["changed"], again.headers["Fenland-Repeated"]) == (
        1,
        1,
        "true",
    )
    assert http.get(f"{PATH}/J1").json()["version"] == 3


@pytest.mark.parametrize(
    ("method", "query", "body", "status"),
    [
        ("PATCH", {}, {"limit": 1}, 400), ("PATCH", {"where": "true"}, {"limit": 1}, 413), ("PATCH", {"where": "count > 0"}, {"nothing": 1}, 422), ("PATCH", {"where": "count > 0"}, [1], 400),
        ("PATCH", {"where": "count > 0", "expect": "x"}, {"limit": 1}, 400), ("PATCH", {"where": "x > 0"}, {"limit": 1}, 400), ("DELETE", {}, None, 400), ("DELETE", {"where": "count > 5"}, None, 200),
    ],
)  # fmt: skip
def test_many_is_refused_as_a_whole_for_what_is_wrong_with_it(
    jobs: tuple[Service, httpx.Client], method: str, query: Any, body: Any, status: int
) -> None:
    assert many(jobs[1], method, query, body).status_code == status


def test_many_are_deleted(jobs: tuple[Service, httpx.Client]) -> None:
    http = jobs[1]
    assert many(http, "DELETE", {"where": "state == 'open'"}, None, "carl").status_code == 403
    assert many(http, "DELETE", {"where": "state == 'open'", "preview": "true"}).json()["changed"] == 2
    assert many(http, "DELETE", {"where": "state == 'open'", "expect": "2"}).json()["changed"] == 2
    assert [one["code"] for one in http.get(PATH).json()["items"]] == ["J3", "J4"]


# --- the same through the client --------------------------------------------------------------------------


def test_the_client_filters_expands_counts_changes_and_explains(jobs: tuple[Service, httpx.Client]) -> None:
    def client(name: str, **others: Any) -> Client:
        return Client("http://workshop", TOKENS[name][1], transport=jobs[1]._transport, **others)

    fenland = client("olga")
    assert [one["code"] for one in fenland.list("jobs", where="count > 1", sort="-count")] == ["J3", "J2"]
    assert [
        one["code"] for one in fenland.list("jobs", equal={"state": ["open", "done"], "urgent": True})
    ] == ["J1"]
    with pytest.raises(ValueError, match="Use where"):
        fenland.list("jobs", equal={"count": 1})
    assert list(fenland.values("jobs", ["count", "code"], limit=1)) == [{"code": "J1", "count": 1}]
    assert fenland.count("jobs", where="urgent != null") == 2
    record, related = next(fenland.included("jobs", ["site.town"], where="code == 'J1'"))
    assert (related["sites"][record["site"]]["name"], related["towns"]["T1"].version) == ("Site S1", 1)
    seen = fenland.update_many("jobs", {"limit": 2}, equal={"code": "J1"}, preview=True)
    assert (seen["changed"], fenland.get("jobs", "J1")["limit"]) == (1, None)
    assert fenland.update_many("jobs", [{"at": "/limit", "set": 2}], where="code == 'J1'", expect=1)["done"]
    refused = fenland.update_many("jobs", {"state": "done"}, where="code == 'J4'")
    assert (refused["done"], refused["records"][0]["key"]) == (False, "J4")
    assert fenland.delete_many("jobs", where="code == 'J4'")["changed"] == 1
    assert fenland.access("jobs", "J1", account="carl")["rights"]["update"]["allowed"]
    assert fenland.rules("jobs")["roles"][0]["role"] == "office"
    assert [one["value"] for one in fenland.choices("jobs", "site", q="S9")] == ["S9"]
    with pytest.raises(NotPermittedError):
        client("olga", on_behalf_of="carl").update("jobs", "J2", {"limit": 1})
    secret = client("carl").issue_token("try", days=1, scope={"rights": ["read"]})
    reading = Client("http://workshop", secret, transport=jobs[1]._transport)
    with pytest.raises(NotPermittedError):
        reading.update("jobs", "J1", {"limit": 1})
    (token,) = [one for one in client("carl").tokens() if one["label"] == "try"]
    client("carl").revoke_token(token["id"])
    with pytest.raises(NotSignedInError):
        reading.get("jobs", "J1")


def test_the_client_manages_accounts(tmp_path: Path) -> None:
    with workshop_of(DESCRIBED, tmp_path / "x.db", account_managers=["office"]) as (_, http):
        fenland = Client("http://workshop", TOKENS["olga"][1], transport=http._transport)
        fenland.add_account("wren", title="Wren", roles=["crew"], attributes={"area": "south", "level": 1})
        changed = fenland.change_account("wren", attributes={"level": None, "boat": True}, disabled=True)
        assert (changed["attributes"], changed["disabled"], changed["roles"]) == (
            {"area": "south", "boat": True},
            True,
            ["crew"],
        )
        assert "wren" in [one["name"] for one in fenland.accounts()]
        with pytest.raises(InvalidError) as wrong:
            fenland.add_account("Wren", roles=["pilot"], password="short")
        assert {one.field for one in wrong.value.errors} == {"name", "roles", "password"}
        with pytest.raises(NotPermittedError):
            Client("http://workshop", TOKENS["carl"][1], transport=http._transport).accounts()
