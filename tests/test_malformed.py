"""Generated requests, malformed in every way that comes to mind: never a 5xx, never a traceback."""

from __future__ import annotations

import json
from typing import Any

import httpx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from support import bearer

NAMES = st.sampled_from(
    ["code", "name", "serial", "weight", "spin", "sharp", "labels", "maker", "bench", "holder", "seen_at", "id", "version",
     "edits", "items", "atomic", "op", "path", "from", "value", "at", "set", "increase_by", "append", "include", "only_if",
     "action", "collection", "key", "fields", "patch", "created", "as", "base", "if_match", "", "x/y"]
)  # fmt: skip
TEXTS = st.sampled_from(
    [
        "add",
        "copy",
        "/name",
        "/labels/-",
        "/maker/town",
        "/",
        "update",
        "create",
        "tools",
        "A1",
        "",
        "\0",
        "é",
        "2031-04-09",
    ]
)
LEAVES = st.none() | st.booleans() | st.integers() | st.floats() | TEXTS | st.text(max_size=5)
JSON = st.recursive(
    LEAVES,
    lambda inner: st.lists(inner, max_size=4) | st.dictionaries(NAMES, inner, max_size=4),
    max_leaves=12,
)
OPERATIONS = st.lists(
    st.fixed_dictionaries({"op": TEXTS, "path": TEXTS}, optional={"from": TEXTS, "value": JSON}), max_size=4
)
EDITS = st.fixed_dictionaries({"edits": st.lists(st.dictionaries(NAMES, JSON, max_size=3), max_size=3)})
BATCHES = st.fixed_dictionaries(
    {"items": st.lists(st.dictionaries(NAMES, JSON, max_size=5), max_size=4)}, optional={"atomic": JSON}
)
BODIES = (JSON | OPERATIONS | EDITS | BATCHES).map(lambda value: json.dumps(value).encode()) | st.binary(
    max_size=40
)
TYPES = st.sampled_from(
    ["application/json", "application/merge-patch+json", "application/json-patch+json", "application/vnd.fenland.edits+json",
     "application/x-www-form-urlencoded", "multipart/form-data; boundary=x", "multipart/form-data", "text/plain", "", "a/b; c"]
)  # fmt: skip
QUERIES = st.sampled_from(
    [
        "",
        "preview=true",
        "base=1",
        "base=0",
        "base=x",
        "blank=keep",
        "blank=",
        "reason=%00",
        "limit=2",
        "cursor=W10",
        "sort=-",
        "q=a&q=b",
        "%ff=1",
    ]
)
PATHS = st.sampled_from(
    ["/v1/records/tools", "/v1/records/tools/A1", "/v1/records/tools/by/serial/1", "/v1/records/jobs/1", "/v1/records/%00",
     "/v1/batch", "/v1/schemas/tools", "/v1/records/tools/A1/history", "/v1/records/tools/A1/form"]
)  # fmt: skip
HEADERS = st.dictionaries(
    st.sampled_from(["If-Match", "If-None-Match", "Prefer", "Idempotency-Key", "X-HTTP-Method-Override", "Fenland-Via", "Content-Length"]),
    st.sampled_from(["*", '"x"', "W/", "", "handling=lenient", "return=minimal", "PATCH", "DELETE", "0", "-1", ";;,,", "x" * 300]),
    max_size=3,
)  # fmt: skip


@settings(max_examples=300, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    method=st.sampled_from(["GET", "POST", "PATCH", "PUT", "DELETE"]),
    path=PATHS, query=QUERIES, kind=TYPES, body=BODIES, headers=HEADERS,
)  # fmt: skip
def test_no_request_makes_the_service_fail(
    http: httpx.Client, method: str, path: str, query: str, kind: str, body: bytes, headers: dict[str, Any]
) -> None:
    http.post("/v1/records/tools", json={"code": "A1", "name": "Saw", "serial": 1, "labels": ["x"]})
    sent = {**headers, **({"Content-Type": kind} if kind else {})}
    answer = http.request(method, f"{path}?{query}", content=body, headers=sent)
    assert answer.status_code < 500, answer.text
    if answer.status_code >= 400 and "results" not in answer.json():
        problem = answer.json()
        assert problem["detail"].strip()
        assert all({"pointer", "code", "detail"} <= one.keys() for one in problem.get("errors", ()))


# --- what is not understood is not passed over -------------------------------------------------------

RECORD = "/v1/records/tools/A1"
BODY = {"code": "A1", "name": "Other"}
#: Each request would change something, were it not for the one part that cannot be read.
CHANGING: dict[str, tuple[str, str, Any]] = {
    "PATCH": ("PATCH", RECORD, {"name": "Other"}),
    "PATCH by": ("PATCH", "/v1/records/tools/by/code/A1", {"name": "Other"}),
    "PUT": ("PUT", RECORD, BODY),
    "PUT by": ("PUT", "/v1/records/tools/by/code/A1", BODY),
    "PUT by, new": ("PUT", "/v1/records/tools/by/code/N1", {"name": "New"}),
    "DELETE": ("DELETE", RECORD, None),
    "DELETE by": ("DELETE", "/v1/records/tools/by/code/A1", None),
    "POST": ("POST", "/v1/records/tools", {"code": "N2", "name": "New"}),
    "many": ("PATCH", "/v1/records/tools?code=A1", {"name": "Other"}),
    "delete many": ("DELETE", "/v1/records/tools?code=A1", None),
    "batch": ("POST", "/v1/batch", {"items": [{"action": "update", "collection": "tools", "key": "A1", "fields": {"name": "Other"}}]}),
    "import": ("POST", "/v1/records/tools/import", "code,name\nA1,Other\n"),
    "restore": ("POST", f"{RECORD}/restore?version=1", None),
    "undo": ("POST", "/v1/history/undo", {"actor": "carl", "from": "2020-01-01"}),
}  # fmt: skip
HEADERS = [
    ("If-Match", "garbage"), ("If-Match", ""), ("If-Match", '"a" "b"'), ("If-None-Match", "garbage"), ("Idempotency-Key", ""), ("Idempotency-Key", "k" * 256),
    ("Fenland-Client", "ab"), ("Fenland-Client", "with space in it"), ("Fenland-On-Behalf-Of", "nobody"),
]  # fmt: skip
PARAMETERS = [("base", "x"), ("base", "-1"), ("blank", "maybe"), ("preview", "yes"), ("reason", "x" * 501), ("atomic", "perhaps"), ("unknown", "1"), ("version", "x"), ("expect", "many"), ("clear", ","), ("reason", "a\0b")]  # fmt: skip


@pytest.mark.parametrize("changing", CHANGING)
def test_what_cannot_be_read_is_refused_and_nothing_is_saved(http: httpx.Client, changing: str) -> None:
    http.post(
        "/v1/records/tools", json={"code": "A1", "name": "Saw"}, headers=bearer("carl")
    ).raise_for_status()
    http.patch(RECORD, json={"name": "Big saw"}, headers=bearer("carl")).raise_for_status()
    method, path, body = CHANGING[changing]
    whole = http.get("/v1/history?limit=1").json()["items"][0]["sequence"]

    def send(headers: dict[str, str], query: dict[str, str]) -> httpx.Response:
        kind = {"Content-Type": "text/csv"} if isinstance(body, str) else {}
        content = body if isinstance(body, str) or body is None else json.dumps(body)
        if body is not None and not kind:
            kind = {"Content-Type": "application/json"}
        url = httpx.URL(path).copy_merge_params(query)
        return http.request(method, url, content=content, headers={**kind, **headers})

    for name, value in HEADERS:
        answer = send({name: value}, {})
        assert answer.status_code in (400, 403), (name, value, answer.text)
    for name, value in PARAMETERS:
        answer = send({}, {name: value})
        assert answer.status_code == 400, (name, value, answer.text)
    if method == "POST":
        assert send({"X-HTTP-Method-Override": "PATCHY"}, {}).status_code == 400
    assert http.get("/v1/history?limit=1").json()["items"][0]["sequence"] == whole
    assert send({}, {}).status_code < 300
    assert http.get("/v1/history?limit=1").json()["items"][0]["sequence"] > whole
