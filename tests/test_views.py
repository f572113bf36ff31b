"""Views: what a collection of them needs, what no list could be asked by, and who sees, shares and uses them."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.client import Client, View
from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.reading import definitions_from
from fenland.storage.door import Made, migrate
from support import Running, fenland, workshop_of

MADE = Made("2031-04-09T12:00:00.000000Z", "ada", "command-line")
TEXT: dict[str, Any] = {"type": "string"}
FIELDS: dict[str, Any] = {
    "title": {**TEXT, "required": True},
    "collection": {**TEXT, "required": True},
    "where": TEXT,
    "q": TEXT,
    "sort": TEXT,
    "columns": {"type": "array", "items": TEXT},
    "first": {"type": "boolean"},
}
ALL = {right: ["everyone"] for right in ("read", "create", "update", "delete")}
THINGS = {
    "access": ALL,
    "key": "code",
    "fields": {
        "code": {**TEXT, "required": True, "unique": True, "fixed": True},
        "count": {"type": "integer"},
        "tags": {"type": "array", "items": TEXT},
    },
}
GOOD = {
    "title": "Few",
    "collection": "things",
    "where": "count < 3",
    "sort": "-count,code",
    "columns": ["code:120"],
}


def described(fields: dict[str, Any] = FIELDS) -> dict[str, Any]:
    return {"things": THINGS, "shelves": {"views": True, "access": ALL, "fields": fields}}


@pytest.mark.parametrize(
    ("change", "place"),
    [
        ({"collection": None}, "shelves.yaml"),
        ({"title": {"type": "integer"}}, "/fields/title"),
        ({"columns": {"type": "array", "items": {"type": "integer"}}}, "/fields/columns"),
        ({"columns": TEXT}, "/fields/columns"),
        ({"first": TEXT}, "/fields/first"),
    ],
)
def test_a_collection_of_views_has_what_views_are_made_of(change: dict[str, Any], place: str) -> None:
    fields = {name: item for name, item in {**FIELDS, **change}.items() if item is not None}
    with pytest.raises(DefinitionMistakes) as caught:
        definitions_from(described(fields), ["office"])
    assert len(caught.value.mistakes) == 1
    assert place.removeprefix("shelves.yaml") in caught.value.mistakes[0].pointer


@pytest.fixture
def http(tmp_path: Path) -> Iterator[httpx.Client]:
    with workshop_of(described(), tmp_path / "views.db") as (_, http):
        yield http


#: What no list could be asked by, and where that is said.
WRONG: list[tuple[dict[str, Any], str]] = [
    ({"collection": "thing"}, "/collection"),
    ({"where": "count <"}, "/where"),
    ({"where": "nothing == 1"}, "/where"),
    ({"where": "count + 1"}, "/where"),
    ({"sort": "tags"}, "/sort"),
    ({"sort": "code,-nothing"}, "/sort"),
    ({"sort": "id,id,id,id,id"}, "/sort"),
    ({"q": "words"}, "/q"),
    ({"columns": ["code", "nothing"]}, "/columns/1"),
    ({"columns": ["code:0"]}, "/columns/0"),
    ({"columns": ["code:10000"]}, "/columns/0"),
    ({"columns": ["code:²"]}, "/columns/0"),
]


def by_patch(http: httpx.Client, at: str, fields: dict[str, Any]) -> httpx.Response:
    return http.patch(at, json=fields)


def by_put(http: httpx.Client, at: str, fields: dict[str, Any]) -> httpx.Response:
    return http.put(at, json={**GOOD, **fields})


def by_many(http: httpx.Client, _at: str, fields: dict[str, Any]) -> httpx.Response:
    return http.patch("/v1/records/shelves", params={"where": "true", "atomic": "true"}, json=fields)


def by_save(http: httpx.Client, at: str, fields: dict[str, Any]) -> httpx.Response:
    return http.post("/v1/records/shelves/save", json={**fields, "id": at.rpartition("/")[2]})


def anew(http: httpx.Client, _at: str, fields: dict[str, Any]) -> httpx.Response:
    return http.post("/v1/records/shelves", json={**GOOD, **fields})


def by_edits(http: httpx.Client, at: str, fields: dict[str, Any]) -> httpx.Response:
    edits = [{"at": f"/{name}", "set": value} for name, value in fields.items()]
    headers = {"Content-Type": "application/vnd.fenland.edits+json"}
    return http.patch(at, content=json.dumps({"edits": edits}), headers=headers)


def by_json_patch(http: httpx.Client, at: str, fields: dict[str, Any]) -> httpx.Response:
    operations = [{"op": "add", "path": f"/{name}", "value": value} for name, value in fields.items()]
    return http.patch(
        at, content=json.dumps(operations), headers={"Content-Type": "application/json-patch+json"}
    )


def _entry(http: httpx.Client, at: str) -> int:
    """The entry of the change that was made last."""
    return int(http.get(f"{at}/history").json()["items"][0]["sequence"])


def in_a_batch(http: httpx.Client, at: str, fields: dict[str, Any]) -> httpx.Response:
    one = {"action": "update", "collection": "shelves", "key": at.rpartition("/")[2], "fields": fields}
    return http.post("/v1/batch", json={"items": [one]})


def by_import(http: httpx.Client, _at: str, fields: dict[str, Any]) -> httpx.Response:
    content, headers = json.dumps({**GOOD, **fields}), {"Content-Type": "application/jsonl"}
    return http.post("/v1/records/shelves/import?mode=create", content=content, headers=headers)


@pytest.mark.parametrize(
    "way", [by_import, by_edits, by_json_patch, by_patch, by_put, by_many, by_save, anew, in_a_batch]
)
def test_what_no_list_could_be_asked_by_is_refused(
    http: httpx.Client, way: Callable[[httpx.Client, str, dict[str, Any]], httpx.Response]
) -> None:
    kept = http.post("/v1/records/shelves", json=GOOD).raise_for_status().json()
    at = f"/v1/records/shelves/{kept['id']}"
    for fields, pointer in WRONG:
        answer = way(http, at, fields)
        assert f'"{pointer}"' in answer.text, (fields, answer.text)
        assert '"view"' in answer.text
        assert http.get(at).json() == kept
    assert http.get("/v1/records/shelves?count=true").json()["count"] == 1


def test_a_view_that_its_collection_has_outgrown_can_be_renamed_and_is_put_right(tmp_path: Path) -> None:
    path = tmp_path / "views.db"
    with workshop_of(described(), path) as (_, http):
        kept = http.post("/v1/records/shelves", json={**GOOD, "columns": []}).raise_for_status().json()
    at = f"/v1/records/shelves/{kept['id']}"
    newer = described()
    newer["things"] = {**THINGS, "fields": {**THINGS["fields"], "size": {"type": "integer", "was": "count"}}}  # type: ignore[dict-item]
    del newer["things"]["fields"]["count"]
    migrate(path, definitions_from(newer, ["office", "crew"]), MADE, lambda plan: None)
    with workshop_of(newer, path) as (_, http):
        assert http.patch(at, json={"title": "Fewer"}).status_code == 200
        assert http.patch(at, json={"sort": "-count"}).status_code == 422
        later = {"where": "size < 3", "sort": "-size", "columns": ["size"]}
        http.patch(at, json=later).raise_for_status()
        # Nor does it come back by another way than it was written.
        for path in (f"{at}/restore?version=1", f"/v1/history/{_entry(http, at)}/undo"):
            back = http.post(path)
            assert back.status_code in (409, 422), back.text
            assert '"/sort"' in back.text
        assert http.get(at).json()["sort"] == "-size"
        put = http.patch(at, json={"where": "size < 3", "sort": "-size"})
        assert put.status_code == 200, put.text


def test_the_sample_shares_views_by_role_and_client_and_command_list_by_them(sample: Running) -> None:
    with sample.client() as http:
        asked = {"title": "Late", "collection": "tickets", "where": 'state == "open"', "sort": "-due_on",
                 "columns": ["number:90", "due_on"], "roles": ["crew"]}  # fmt: skip
        kept = http.post("/v1/records/views", json=asked).raise_for_status().json()
    try:
        crew, visitor = ({"Authorization": f"Bearer sample-{one}"} for one in ("crew", "visitor"))
        with sample.client() as http:
            at = f"/v1/records/views/{kept['id']}"
            assert http.get(at, headers=crew).status_code == 200
            assert http.get(at, headers=visitor).status_code == 404
            assert http.patch(at, headers=crew, json={"title": "Mine"}).status_code == 403
            own = {"title": "Late", "collection": "tickets", "roles": ["office"]}
            assert http.post("/v1/records/views", headers=crew, json=own).status_code == 422
        env = {"FENLAND_ADDRESS": sample.address, "FENLAND_TOKEN": "sample-crew"}
        with Client(sample.address, "sample-crew") as client:
            views = [one for one in client.views("tickets") if one.title == "Late"]
            assert views == [
                View(kept["id"], "tickets", "Late", ("number", "due_on"),
                     {"where": 'state == "open"', "q": None, "sort": "-due_on"}),
            ]  # fmt: skip
            numbers = [one["number"] for one in client.list("tickets", **views[0].asked, limit=5)]
            assert client.views("stations") == []
            assert {one["action"] for one in client.calls("duties")} >= {"list", "read"}
        told = fenland("list", "tickets", "--view", "Late", "--limit", "5", env=env)
        assert told.stdout.split()[:3] == ["Number", "Due", "on"]
        assert [line.split()[0] for line in told.stdout.splitlines()[1:6]] == numbers
        for name, code in (("Latest", 4), (kept["id"], 0)):
            told = fenland("list", "tickets", "--view", name, env=env, code=code)
        with sample.client() as http:
            second = http.post("/v1/records/views", json=asked).raise_for_status().json()["id"]
        told = fenland("list", "tickets", "--view", "Late", env=env, code=2)
        assert second in told.stderr
        fenland("list", "tickets", "--view", "Late", "--at", "2031-01-01", env=env, code=2)
        told = fenland("calls", "duties", "--way", "form", env=env)
        assert "Change a duty" in told.stdout and "(json)" not in told.stdout
        fenland("calls", "duties", "--way", "fax", env=env, code=2)
    finally:
        with sample.client() as http:
            http.delete("/v1/records/views", params={"where": "title == 'Late'"}).raise_for_status()


@pytest.mark.parametrize(
    "value", [None, 5, True, "", [], [1], {"a": 1}, "\u0000", "x" * 3000, ["x:1:2"], [None]]
)
@pytest.mark.parametrize("name", list(FIELDS))
def test_whatever_is_sent_of_a_view_is_saved_or_refused(http: httpx.Client, name: str, value: Any) -> None:
    answer = http.post("/v1/records/shelves", json={**GOOD, name: value})
    assert answer.status_code in (201, 400, 422), answer.text
