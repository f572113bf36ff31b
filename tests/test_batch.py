"""Batches: all or nothing, each on its own, and items that build on earlier ones."""

from __future__ import annotations

import random
from typing import Any

import httpx
import pytest

from support import bearer

#: Each engine behind the door of storage must answer the same.
ENGINES = ["sqlite", "postgres"]

CARL = bearer("carl")


def send(http: httpx.Client, *items: Any, atomic: bool = True) -> tuple[int, list[dict[str, Any]]]:
    answer = http.post("/v1/batch", json={"items": items, "atomic": atomic}, headers=CARL)
    return answer.status_code, answer.json()["results"]


def create(code: str, **more: Any) -> dict[str, Any]:
    return {"action": "create", "collection": "tools", "fields": {"code": code, "name": "Saw", **more}}


def test_later_items_build_on_earlier_ones(http: httpx.Client) -> None:
    status, results = send(
        http,
        create("A1", serial=1) | {"as": "saw"},
        {
            "action": "create",
            "collection": "jobs",
            "fields": {"number": 1, "tool": {"created": "saw"}},
            "as": "job",
        },
        {
            "action": "update",
            "collection": "tools",
            "key": {"created": "saw"},
            "edits": [{"at": "/serial", "increase_by": 4}],
        },
        {
            "action": "update",
            "collection": "tools",
            "key": "A1",
            "patch": [{"op": "add", "path": "/note", "value": "x"}],
        },
        {"action": "update", "collection": "tools", "key": "A1", "fields": {"spin": 2}, "base": 1},
        {
            "action": "delete",
            "collection": "jobs",
            "key": {"created": "job"},
            "if_match": "*",
            "reason": "tried",
        },
    )
    assert status == 200
    assert [one["status"] for one in results] == [201, 201, 200, 200, 200, 200]
    assert results[1]["record"]["tool"] == "A1"
    tool = http.get("/v1/records/tools/A1")
    assert (tool.json()["serial"], tool.json()["note"], tool.json()["version"]) == (5, "x", 4)
    assert results[4]["etag"] == tool.headers["ETag"]
    assert http.get("/v1/records/jobs/1/history").json()["items"][0]["reason"] == "tried"


WRONG = [create("B1"), create("a2", serial="x"), create("B3")]


def test_all_or_nothing(http: httpx.Client) -> None:
    status, results = send(http, *WRONG)
    assert (status, [one["status"] for one in results]) == (422, [424, 422, 424])
    assert [one["code"] for one in results[1]["errors"]] == ["pattern", "type"]
    assert http.get("/v1/records/tools").json()["items"] == []


def test_each_on_its_own(http: httpx.Client) -> None:
    update = {"action": "update", "collection": "tools", "key": "B1", "fields": {"note": "x"}}
    status, results = send(
        http, *WRONG, update | {"if_match": '"old"'}, update, update | {"key": "C9"}, atomic=False
    )
    assert (status, [one["status"] for one in results]) == (200, [201, 422, 201, 412, 200, 404])
    assert [one["code"] for one in http.get("/v1/records/tools").json()["items"]] == ["B1", "B3"]
    assert http.get("/v1/records/tools/B1").json()["version"] == 2


@pytest.mark.parametrize(
    "item",
    [
        1, {}, {"action": "grow"}, {"action": "create"}, {"action": "create", "collection": 1}, create("A") | {"kee": 1},
        {"action": "update", "collection": "tools"}, {"action": "update", "collection": "tools", "key": "A", "fields": 1},
        {"action": "update", "collection": "none", "key": "A", "fields": {}}, create("A", bench={"created": "x"}),
        {"action": "update", "collection": "tools", "key": [1], "fields": {}, "base": "x"}, create("A") | {"as": []},
        {"action": "delete", "collection": "tools", "key": {"created": {}}}, {"action": [], "collection": {}},
    ],
)  # fmt: skip
def test_a_wrong_item_is_its_own_result(http: httpx.Client, item: Any) -> None:
    _, results = send(http, create("Z1"), item, atomic=False)
    assert results[0]["status"] == 201
    assert 400 <= results[1]["status"] < 500
    assert results[1]["detail"].endswith(".")


@pytest.mark.parametrize(
    "body", ["[]", "{}", '{"items": 1}', '{"items": [], "x": 1}', '{"items": [], "atomic": 1}']
)
def test_a_body_that_is_no_batch_is_told_so(http: httpx.Client, body: str) -> None:
    headers = CARL | {"Content-Type": "application/json"}
    assert http.post("/v1/batch", content=body, headers=headers).status_code == 400
    assert http.post("/v1/batch", json={"items": [1] * 501}, headers=CARL).status_code == 413
    assert http.post("/v1/batch", content=body, headers={"Authorization": ""}).status_code == 401


@pytest.mark.parametrize("atomic", [True, False])
def test_a_batch_with_a_key_is_carried_out_once(http: httpx.Client, atomic: bool) -> None:
    items = [
        {"action": "create", "collection": "tools", "as": "saw", "fields": {"code": "A1", "name": "Saw", "weight": 1.5}},
        {"action": "update", "collection": "tools", "key": {"created": "saw"}, "edits": [{"at": "/weight", "increase_by": 1}]},
    ]  # fmt: skip
    if not atomic:
        items.append(
            {"action": "update", "collection": "tools", "key": "A1", "fields": {"name": "", "nmae": 1}}
        )
        items.append({"action": "delete", "collection": "tools", "key": "A9"})
    body, key = {"items": items, "atomic": atomic}, {"Idempotency-Key": "phone-7"}
    first = http.post("/v1/batch", json=body, headers=key)
    again = http.post("/v1/batch", json=body, headers=key)
    assert (again.status_code, again.content) == (200, first.content)
    assert (first.headers.get("Fenland-Repeated"), again.headers["Fenland-Repeated"]) == (None, "true")
    assert [one["status"] for one in again.json()["results"]][2:] == ([] if atomic else [422, 404])
    assert http.get("/v1/records/tools/A1").json()["version"] == 2
    other = http.post("/v1/batch", json=body | {"items": items[:1]}, headers=key)
    assert (other.status_code, other.json()["type"]) == (422, "/problems/key-reused")


@pytest.mark.parametrize("seed", range(40))
def test_a_preview_tells_what_would_become_of_each_and_saves_nothing(http: httpx.Client, seed: int) -> None:
    dice = random.Random(seed)
    items: list[Any] = []
    for number in range(dice.randint(1, 8)):
        code = dice.choice(["A1", "A2", "A3", "-"])
        items.append(
            dice.choice(
                [
                    create(code, serial=dice.randint(1, 3)) | {"as": f"n{number}"},
                    {
                        "action": "update",
                        "collection": "tools",
                        "key": code,
                        "fields": {"name": dice.choice(["Axe", ""])},
                    },
                    {
                        "action": "put",
                        "collection": "tools",
                        "by": "code",
                        "value": code,
                        "fields": {"name": "Awl"},
                    },
                    {"action": "delete", "collection": "tools", "key": code},
                    {
                        "action": "create",
                        "collection": "jobs",
                        "fields": {"number": number, "tool": {"created": "n0"}},
                    },
                ]
            )
        )

    def told(result: dict[str, Any]) -> Any:
        record = result.get("record") or {}
        own = ("id", "created_at", "updated_at")
        # Words may name an id that only one of them has.
        return (
            result["status"],
            result.get("errors"),
            {name: one for name, one in record.items() if name not in own},
        )

    preview = http.post("/v1/batch?preview=true", json={"items": items}, headers=CARL)
    assert preview.status_code == 200 and preview.json()["done"] is False
    assert http.get("/v1/records/tools?count=true").json()["count"] == 0
    _, results = send(http, *items, atomic=False)
    assert [told(one) for one in preview.json()["results"]] == [told(one) for one in results]
