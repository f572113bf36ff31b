"""What is too much is refused with the setting that says so, and costs little."""

from __future__ import annotations

import json
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import httpx
import pytest

from fenland.core.limits import Limits
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.web.serving.app import create_app
from support import bearer

TIGHT = Limits(body=2_000, nesting=6, operations=5, record=1_500, batch=3)
URL = "/v1/records/tools/T1"
MERGE = "application/merge-patch+json"
PATCH = "application/json-patch+json"
EDITS = "application/vnd.fenland.edits+json"
FORM = "application/x-www-form-urlencoded"


@pytest.fixture
def tight(service: Service) -> Iterator[httpx.Client]:
    service.limits = TIGHT
    transport = httpx.WSGITransport(create_app(service, Settings()))
    with httpx.Client(transport=transport, base_url="http://t", headers=bearer("olga")) as client:
        client.post(
            "/v1/records/tools", json={"code": "T1", "name": "Chisel", "kept": "x" * 400, "maker": {}}
        )
        yield client


def _deep(levels: int) -> str:
    return '{"maker": ' + '{"a": ' * levels + "1" + "}" * levels + "}"


#: type, body, the setting that refuses it.
TOO_MUCH: list[tuple[str, str, str]] = [
    (MERGE, json.dumps({"kept": "x" * 2_000}), "body_limit"),
    (MERGE, _deep(6), "nesting_limit"),
    (MERGE, "[" * 900 + "]" * 900, "nesting_limit"),
    (PATCH, json.dumps([{"op": "test", "path": "/code", "value": "T1"}] * 6), "operation_limit"),
    (EDITS, json.dumps({"edits": [{"at": "/serial", "set": 1}] * 6}), "operation_limit"),
    (PATCH, json.dumps([{"op": "copy", "from": "/kept", "path": f"/maker/{n}"} for n in range(4)]), "record_limit"),
    (PATCH, json.dumps([{"op": "copy", "from": "", "path": f"/{n}"} for n in range(5)]), "record_limit"),
    (EDITS, json.dumps({"edits": [{"at": "/kept", "append": "x" * 1_200}]}), "record_limit"),
    (MERGE, json.dumps({"kept": "x" * 1_600}), "record_limit"),
    (FORM, "&".join(f"a{n}={'x' * 100}" for n in range(30)), "body_limit"),
]  # fmt: skip
WITHIN: list[tuple[str, str]] = [
    (PATCH, json.dumps([{"op": "test", "path": "/code", "value": "T1"}] * 5)),
    (EDITS, json.dumps({"edits": [{"at": "/serial", "set": 1}] * 5})),
    (EDITS, json.dumps({"edits": [{"at": "/kept", "append": "x" * 300}]})),
    (MERGE, json.dumps({"kept": "x" * 900})),
]


@pytest.mark.parametrize(("kind", "body", "limit"), TOO_MUCH)
def test_too_much_is_refused_by_name(tight: httpx.Client, kind: str, body: str, limit: str) -> None:
    before = tight.get(URL).content
    answer = tight.patch(URL, content=body, headers={"Content-Type": kind})
    assert answer.status_code == 413
    problem: dict[str, Any] = answer.json()
    assert (problem["type"], problem["limit"]) == ("/problems/too-large", limit)
    assert problem["most"] == getattr(TIGHT, limit.removesuffix("_limit").replace("operation", "operations"))
    assert limit in problem["detail"]
    assert tight.get(URL).content == before


@pytest.mark.parametrize(("kind", "body"), WITHIN)
def test_what_is_within_the_limits_is_done(tight: httpx.Client, kind: str, body: str) -> None:
    assert tight.patch(URL, content=body, headers={"Content-Type": kind}).status_code == 200


def test_nesting_within_the_limit_is_judged_by_the_rules(tight: httpx.Client) -> None:
    answer = tight.patch(URL, content=_deep(5), headers={"Content-Type": MERGE})
    assert [one["code"] for one in answer.json()["errors"]] == ["unknown_property"]


def test_creating_and_batches_have_the_same_limits(tight: httpx.Client) -> None:
    made = tight.post("/v1/records/tools", json={"code": "T2", "name": "Saw", "kept": "x" * 1_500})
    assert (made.status_code, made.json()["limit"]) == (413, "record_limit")
    many = tight.post("/v1/batch", json={"items": [{}] * 4})
    assert (many.status_code, many.json()["limit"]) == (413, "batch_limit")
    item = {"action": "update", "collection": "tools", "key": "T1"}
    patch = [{"op": "test", "path": "/code", "value": "T1"}] * 6
    found = tight.post("/v1/batch", json={"items": [item | {"patch": patch}]}).json()["results"][0]
    assert (found["status"], found["limit"]) == (413, "operation_limit")


def test_the_published_forms_name_the_limits(tight: httpx.Client) -> None:
    edits = tight.get("/v1/edits.schema.json").json()
    assert edits["properties"]["edits"]["maxItems"] == 5
    batch = tight.get("/v1/openapi.json").json()["components"]["schemas"]["Batch"]
    assert batch["properties"]["items"]["maxItems"] == 3


def test_edits_that_work_through_too_much_are_refused(service: Service, http: httpx.Client) -> None:
    service.limits = replace(service.limits, record=1_000)
    http.post("/v1/records/tools", json={"code": "T1", "name": "Saw", "kept": "x" * 400})
    edits = [{"at": "/kept", "append": "y"}] * 2
    assert http.patch(URL, json={"edits": edits}, headers={"Content-Type": EDITS}).status_code == 200
    refused = http.patch(URL, json={"edits": edits * 2}, headers={"Content-Type": EDITS})
    assert (refused.status_code, refused.json()["limit"]) == (413, "record_limit")
    assert http.get(URL).json()["kept"] == "x" * 400 + "yy"


def test_a_hundred_problems_are_told_at_most(http: httpx.Client) -> None:
    http.post("/v1/records/tools", json={"code": "T1", "name": "Saw"})
    many = {f"x{number}": 1 for number in range(250)}
    refused = http.patch(URL, json=many).json()
    assert len(refused["errors"]) == 100
    assert "250 things are to be corrected. The first 100 are listed." in refused["detail"]
    preview = http.patch(URL + "?preview=true", json=many).json()
    assert len(preview["errors"]) == 100
    lenient = http.patch(URL, json=many | {"name": "Axe"}, headers={"Prefer": "handling=lenient"})
    assert lenient.json()["name"] == "Axe"
    assert len(lenient.headers["Fenland-Ignored"].split(", ")) == 100


def test_limits_are_settings(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("FENLAND_NESTING_LIMIT", "7")
    assert Settings(operation_limit=9).limits() == Limits(nesting=7, operations=9)
