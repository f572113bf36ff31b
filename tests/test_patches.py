"""Patch formats: JSON Patch, our edits, HTML forms, PUT; and what keeps changes of many from being lost."""

from __future__ import annotations

import itertools
import json
import threading
from decimal import Decimal
from typing import Any

import httpx
import jsonschema
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from fenland.core.changes.edits import edits_schema, read_edits
from fenland.core.changes.json_patch import apply, read_json_patch
from fenland.core.problems import Conflict, Malformed, TooLarge
from fenland.core.values.plain import write_json
from support import NIGHTLY, Running, bearer

#: Each engine behind the door of storage must answer the same.
ENGINES = ["sqlite", "postgres"]

EDITS = {"Content-Type": "application/vnd.fenland.edits+json"}
JSON_PATCH = {"Content-Type": "application/json-patch+json"}

#: document, operations, result; None: cannot be done. Most are the examples of RFC 6902, appendix A.
RFC_6902: list[tuple[Any, list[dict[str, Any]], Any]] = [
    ({"foo": "bar"}, [{"op": "add", "path": "/baz", "value": "qux"}], {"baz": "qux", "foo": "bar"}),
    ({"foo": ["bar", "baz"]}, [{"op": "add", "path": "/foo/1", "value": "qux"}], {"foo": ["bar", "qux", "baz"]}),
    ({"baz": "qux", "foo": "bar"}, [{"op": "remove", "path": "/baz"}], {"foo": "bar"}),
    ({"foo": ["bar", "qux", "baz"]}, [{"op": "remove", "path": "/foo/1"}], {"foo": ["bar", "baz"]}),
    ({"baz": "qux"}, [{"op": "replace", "path": "/baz", "value": "boo"}], {"baz": "boo"}),
    ({"foo": {"bar": "baz", "w": "f"}, "q": {"c": "g"}}, [{"op": "move", "from": "/foo/w", "path": "/q/t"}],
     {"foo": {"bar": "baz"}, "q": {"c": "g", "t": "f"}}),
    ({"foo": ["all", "grass", "cows", "eat"]}, [{"op": "move", "from": "/foo/1", "path": "/foo/3"}],
     {"foo": ["all", "cows", "eat", "grass"]}),
    ({"baz": "qux", "foo": ["a", 2, "c"]}, [{"op": "test", "path": "/baz", "value": "qux"}, {"op": "test", "path": "/foo/1", "value": 2}],
     {"baz": "qux", "foo": ["a", 2, "c"]}),
    ({"baz": "qux"}, [{"op": "test", "path": "/baz", "value": "bar"}], None),
    ({"foo": "bar"}, [{"op": "add", "path": "/child", "value": {"g": {}}}], {"foo": "bar", "child": {"g": {}}}),
    ({"foo": "bar"}, [{"op": "add", "path": "/baz", "value": "qux", "xyz": 123}], {"foo": "bar", "baz": "qux"}),
    ({"foo": "bar"}, [{"op": "add", "path": "/baz/bat", "value": "qux"}], None),
    ({"/": 9, "~1": 10}, [{"op": "test", "path": "/~01", "value": 10}], {"/": 9, "~1": 10}),
    ({"/": 9, "~1": 10}, [{"op": "test", "path": "/~01", "value": "10"}], None),
    ({"foo": ["bar"]}, [{"op": "add", "path": "/foo/-", "value": ["abc"]}], {"foo": ["bar", ["abc"]]}),
    ({"a": 1}, [{"op": "copy", "from": "/a", "path": "/b"}], {"a": 1, "b": 1}),
    ({"a": {"b": 1}}, [{"op": "move", "from": "/a", "path": "/a/b"}], None),
    ({"a": {"b": 1}}, [{"op": "move", "from": "/a", "path": "/a"}], {"a": {"b": 1}}),
    ({"a": 1}, [{"op": "replace", "path": "/b", "value": 1}], None),
    ({"a": 1}, [{"op": "replace", "path": "", "value": {"b": 2}}], {"b": 2}),
    ({"a": [1]}, [{"op": "remove", "path": "/a/01"}], None),
    ({"a": [1]}, [{"op": "remove", "path": "/a/-"}], None),
    ({"a": [1]}, [{"op": "add", "path": "/a/2", "value": 1}], None),
    ({"a": [1]}, [{"op": "replace", "path": "/a/0", "value": None}], {"a": [None]}),
    ({"a": 1}, [{"op": "remove", "path": "/a"}, {"op": "remove", "path": "/a"}], None),
    ({"a": 1}, [{"op": "test", "path": "/a", "value": True}], None),
    ({"": 1}, [{"op": "test", "path": "/", "value": 1}], {"": 1}),
]  # fmt: skip


@pytest.mark.parametrize(("document", "operations", "result"), RFC_6902)
def test_json_patch(document: Any, operations: list, result: Any) -> None:
    before = write_json(document)
    patch = read_json_patch(write_json(operations))
    if result is None:
        with pytest.raises(Conflict):
            apply(document, patch.operations)
    else:
        assert apply(document, patch.operations) == result
    assert write_json(document) == before


@pytest.mark.parametrize(
    "body",
    ["{}", "[1]", '[{"op":"grow","path":"/a"}]', '[{"op":"add","path":"/a"}]', '[{"op":"add","path":"a","value":1}]',
     '[{"op":"add","path":"/~2","value":1}]', '[{"op":"copy","path":"/a"}]', '[{"op":"remove"}]'],
)  # fmt: skip
def test_what_is_no_json_patch_is_told_so(body: str) -> None:
    with pytest.raises(Malformed):
        read_json_patch(body.encode())


def test_a_small_patch_cannot_make_a_large_record() -> None:
    doubling = [{"op": "copy", "from": "", "path": f"/{number}"} for number in range(40)]
    with pytest.raises(TooLarge):
        apply({"a": [1] * 10}, read_json_patch(write_json(doubling)).operations)
    with pytest.raises(TooLarge):
        read_json_patch(write_json([{"op": "remove", "path": "/a"}] * 1001))


STORED = {"n": 5, "d": Decimal("1.10"), "t": "ab", "l": ["x", "y"], "o": {"p": 1}, "z": None, "f": 0.3}

#: edits, what is touched, or the problem codes; a string: the condition that fails.
EDIT_CASES: list[tuple[list[dict[str, Any]], Any]] = [
    ([{"at": "/n", "increase_by": -7}], {"n": -2}),
    ([{"at": "/d", "increase_by": Decimal("0.05")}], {"d": Decimal("1.15")}),
    ([{"at": "/n", "increase_by": 1}, {"at": "/n", "increase_by": 1}], {"n": 7}),
    ([{"at": "/t", "append": "c"}], {"t": "abc"}),
    ([{"at": "/z", "append": "c"}], {"z": "c"}),
    ([{"at": "/l", "include": ["y", "z", "z"]}], {"l": ["x", "y", "z"]}),
    ([{"at": "/z", "include": [1]}], {"z": [1]}),
    ([{"at": "/l", "exclude": ["x", "q"]}], {"l": ["y"]}),
    ([{"at": "/z", "exclude": ["x"]}], {"z": None}),
    ([{"at": "/n", "set": 0}], {"n": 0}),
    ([{"at": "/n", "clear": True}], {"n": None}),
    ([{"at": "/o/p", "increase_by": 1}], {"o": {"p": 2}}),
    ([{"at": "/o/q", "set": 3}], {"o": {"p": 1, "q": 3}}),
    ([{"at": "/o/p", "clear": True}], {"o": {}}),
    ([{"at": "/n", "set": 6, "only_if": {"one_of": [4, 5]}}], {"n": 6}),
    ([{"at": "/n", "increase_by": 1, "only_if": {"at_least": 5, "at_most": 5}}], {"n": 6}),
    ([{"at": "/z", "set": 1, "only_if": {"is_null": True}}], {"z": 1}),
    ([{"at": "/n", "set": 6, "only_if": {"one_of": [4]}}], Conflict),
    ([{"at": "/f", "set": 1, "only_if": {"one_of": [0.3], "at_least": 0.3, "at_most": 0.3}}], {"f": 1}),
    ([{"at": "/f", "increase_by": 0.1}], {"f": Decimal("0.4")}),
    ([{"at": "/t", "set": "x", "only_if": {"at_least": 1}}], Conflict),
    ([{"at": "/z", "increase_by": 1}], ["edit"]),
    (
        [{"at": "/t", "increase_by": 1}, {"at": "/n", "append": "x"}, {"at": "/t", "include": []}],
        ["edit"] * 3,
    ),
    ([{"at": "/n/x", "set": 1}], ["edit"]),
    ([{"at": "/n"}], Malformed),
    ([{"at": "/n", "set": 1, "clear": True}], Malformed),
    ([{"at": "/n", "increase": 1}], Malformed),
    ([{"at": "n", "set": 1}], Malformed),
    ([{"at": "/n", "increase_by": "1"}], Malformed),
    ([{"at": "/n", "clear": False}], Malformed),
    ([{"at": "/n", "set": 1, "only_if": {}}], Malformed),
    ([{"at": "/n", "set": 1, "only_if": {"equals": 1}}], Malformed),
]


@pytest.mark.parametrize(("edits", "expected"), EDIT_CASES)
def test_edits(edits: list, expected: Any) -> None:
    body, problems = write_json({"edits": edits}), []
    assert jsonschema.Draft202012Validator(edits_schema()).is_valid(json.loads(body)) == (
        expected is not Malformed
    )
    if isinstance(expected, type):
        with pytest.raises(expected):
            read_edits(body).against(STORED, problems)
        return
    touched = read_edits(body).against(STORED, problems)
    if isinstance(expected, list):
        assert [one.code for one in problems] == expected
    else:
        assert (touched, problems) == (expected, [])


@pytest.fixture
def tool(http: httpx.Client) -> dict[str, Any]:
    fields = {
        "code": "T1",
        "name": "Chisel",
        "serial": 7,
        "weight": 1.25,
        "labels": ["x"],
        "maker": {"name": "Ada"},
        "holder": "carl",
    }
    return http.post("/v1/records/tools", json=fields).json()


URL = "/v1/records/tools/T1"


def test_each_form_reaches_the_record(http: httpx.Client, tool: dict) -> None:
    operations = [
        {"op": "test", "path": "/serial", "value": 7},
        {"op": "add", "path": "/labels/-", "value": "y"},
        {"op": "remove", "path": "/weight"},
    ]
    patched = http.patch(URL, json=operations, headers=JSON_PATCH).json()
    assert (patched["labels"], patched["weight"]) == (["x", "y"], None)
    failed = http.patch(
        URL,
        json=[
            {"op": "replace", "path": "/serial", "value": 1},
            {"op": "test", "path": "/name", "value": "Saw"},
        ],
        headers=JSON_PATCH,
    )
    assert (failed.status_code, failed.json()["operation"]) == (409, 1)
    assert http.get(URL).json() == patched
    fixed = http.patch(
        URL,
        json=[
            {"op": "replace", "path": "/code", "value": "T2"},
            {"op": "add", "path": "/maker/twon", "value": 1},
        ],
        headers=JSON_PATCH,
    )
    assert sorted(one["code"] for one in fixed.json()["errors"]) == ["fixed", "unknown_property"]
    edited = http.patch(
        URL,
        json={"edits": [{"at": "/serial", "increase_by": 3}, {"at": "/labels", "exclude": ["x"]}]},
        headers=EDITS,
    )
    assert (edited.json()["serial"], edited.json()["labels"]) == (10, ["y"])
    unmet = http.patch(
        URL, json={"edits": [{"at": "/serial", "set": 1, "only_if": {"at_most": 9}}]}, headers=EDITS
    )
    assert (unmet.status_code, unmet.json()["conflicts"][0]["current"]) == (409, 10)
    too_much = http.patch(URL, json={"edits": [{"at": "/labels", "include": ["a", "b", "c"]}]}, headers=EDITS)
    assert [one["code"] for one in too_much.json()["errors"]] == ["max_items"]
    assert http.get("/v1/edits.schema.json").json()["title"] == "Edits of one record"


def test_html_forms(http: httpx.Client, tool: dict) -> None:
    kind = {"Content-Type": "application/x-www-form-urlencoded"}
    body = (
        "name=Saw+blade&serial=8&weight=&sharp=false&sharp=on&labels=a&labels=b&maker/town=Dunsey&kept=&note="
    )
    saved = http.patch(URL, content=body, headers=kind).json()
    assert (saved["name"], saved["serial"], saved["weight"], saved["sharp"]) == ("Saw blade", 8, None, True)
    assert (saved["labels"], saved["maker"], saved["note"]) == (
        ["a", "b"],
        {"name": "Ada", "town": "Dunsey"},
        "",
    )
    unticked = http.patch(URL, content="sharp=false&labels=", headers=kind).json()
    assert (unticked["sharp"], unticked["labels"]) == (False, [])
    parts = http.patch(URL, files={"name": (None, "Multi"), "labels": (None, "q")}).json()
    assert (parts["name"], parts["labels"]) == ("Multi", ["q"])
    wrong = http.patch(URL, content="serial=x&nmae=1&maker/twon=1&name=", headers=kind)
    assert wrong.status_code == 422
    assert [(one["pointer"], one["code"]) for one in wrong.json()["errors"]] == [
        ("/nmae", "unknown_field"),
        ("/serial", "type"),
        ("/maker/twon", "unknown_property"),
        ("/name", "min_length"),
    ]
    for both in ("maker=x&maker/town=y", "maker/town=y&maker=x"):
        assert http.patch(URL, content=both, headers=kind).status_code == 400
    assert http.patch(URL, files={"name": ("x.txt", b"file")}).status_code == 415
    made = http.post("/v1/records/tools", content="code=T9&name=Form&serial=9", headers=kind)
    assert (made.status_code, made.json()["serial"]) == (201, 9)


def test_put_replaces_all_that_can_be_set(http: httpx.Client, tool: dict) -> None:
    http.patch(URL, json={"secret": "pin", "note": "n"})
    replaced = http.put(URL, json={"name": "Saw", "code": "T1"}).json()
    assert (replaced["name"], replaced["serial"], replaced["sharp"], replaced["note"]) == (
        "Saw",
        None,
        False,
        None,
    )
    assert (replaced["holder"], replaced["code"], replaced["created_at"]) == (
        "carl",
        "T1",
        tool["created_at"],
    )
    entry = http.get(f"{URL}/history").json()["items"][0]
    assert "secret" not in entry["changes"]
    refused = http.put(URL, json={"serial": 1})
    assert [(one["pointer"], one["code"]) for one in refused.json()["errors"]] == [("/name", "null")]
    again = http.put(URL, json=replaced | {"note": "x"})
    assert again.json()["note"] == "x"


def test_methods_through_post(http: httpx.Client, tool: dict) -> None:
    override = {"X-HTTP-Method-Override": "PATCH"}
    assert http.post(URL, json={"note": "x"}, headers=override).json()["note"] == "x"
    assert http.get(URL, headers={"X-HTTP-Method-Override": "DELETE"}).status_code == 200
    # Those who can set no headers say it in the query.
    for query in (
        "method=PATCH",
        "return=minimal&method=patch",
        "method=patch&blank=keep",
        "method=PATCH&lenient=true",
    ):
        assert http.post(f"{URL}?{query}", json={"note": query}).status_code in (200, 204), query
        assert http.get(URL).json()["note"] == query
    assert http.post(f"{URL}?method=PATCH", json={"note": "x"}, headers=override).status_code == 200
    for query, words in (
        ("method=PATCHY", "method is 'PATCHY'"), ("method=", "method is ''"), ("method=DELETE&x=1", "no query parameter 'x'"),
        ("method=PATCH&method=PATCH", "no query parameter 'method'"),
    ):  # fmt: skip
        told = http.post(f"{URL}?{query}", json={"note": "y"})
        assert (told.status_code, words in told.json()["detail"]) == (400, True), told.text
    two = http.post(f"{URL}?method=DELETE", headers=override)
    assert (two.status_code, "two methods" in two.json()["detail"]) == (400, True)
    assert http.get(f"{URL}?method=DELETE").status_code == 400
    assert http.get(URL).json()["note"] == "x"
    assert http.post(URL, headers={"X-HTTP-Method-Override": "delete"}).status_code == 200
    assert http.get(URL).status_code == 404


def test_a_preview_says_all_and_saves_nothing(http: httpx.Client, tool: dict) -> None:
    found = http.patch(
        f"{URL}?preview=true", json={"name": "x", "note": "n", "serial": 7, "secret": "s"}
    ).json()
    assert found["changes"] == {
        "name": {"before": "Chisel", "after": "x"},
        "note": {"before": None, "after": "n"},
    }
    assert [one["code"] for one in found["errors"]] == ["min_length"]
    assert (found["record"]["note"], found["version"]) == ("n", 1)
    assert http.get(URL).json() == tool
    assert http.patch(f"{URL}?preview=true", json={}, headers=bearer("cora")).status_code == 403


def test_others_changes_are_kept_and_conflicts_are_shown(http: httpx.Client, tool: dict) -> None:
    http.patch(URL, json={"note": "theirs", "serial": 8})
    merged = http.patch(f"{URL}?base=1", json={"name": "Mine"}).json()
    assert (merged["name"], merged["note"], merged["version"]) == ("Mine", "theirs", 3)
    clash = http.patch(f"{URL}?base=1", json={"note": "mine", "weight": 2, "serial": "x"})
    assert clash.status_code == 409
    assert clash.json()["conflicts"] == [
        {"pointer": "/note", "base": None, "current": "theirs", "yours": "mine"}
    ]
    same = http.patch(f"{URL}?base=1", json={"note": "theirs", "weight": 2})
    assert same.json()["version"] == 4
    atomic = http.patch(f"{URL}?base=1", json={"edits": [{"at": "/serial", "increase_by": 1}]}, headers=EDITS)
    assert atomic.json()["serial"] == 9
    http.patch(URL, json={"serial": 7})
    back = http.patch(f"{URL}?base=1", json={"serial": 70})
    assert back.json()["serial"] == 70
    for base in ("0", "99"):
        assert http.patch(f"{URL}?base={base}", json={"note": "z"}).status_code == 400


@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.permutations(range(4)),
    st.lists(st.tuples(st.integers(0, 9), st.text("ab", max_size=3)), min_size=4, max_size=4),
)
def test_disjoint_edits_from_one_version_end_alike_in_any_order(
    http: httpx.Client, order: list[int], values: list
) -> None:
    http.delete(URL)
    made = http.post("/v1/records/tools", json={"code": "T1", "name": "Chisel"}).json()
    (serial, note), (spin, kept), (weight, _), (_, cleared) = values
    patches = [
        {"serial": serial, "note": note},
        {"spin": spin, "kept": kept or "k"},
        {"weight": weight},
        {"cleared": cleared},
    ]
    for place in order:
        http.patch(f"{URL}?base=1", json=patches[place]).raise_for_status()
    expected = made | {
        "serial": serial,
        "note": note,
        "spin": spin,
        "kept": kept or "k",
        "weight": weight,
        "cleared": cleared or None,
    }
    found = http.get(URL).json()
    ours = {name: value for name, value in found.items() if name not in ("version", "updated_at")}
    assert ours == {name: value for name, value in expected.items() if name in ours}


def test_a_request_with_a_key_is_carried_out_once(http: httpx.Client, tool: dict) -> None:
    key = {"Idempotency-Key": '"phone-1"', **EDITS}
    body = {"edits": [{"at": "/serial", "increase_by": 1}]}
    first = http.patch(URL, json=body, headers=key)
    second = http.patch(URL, json=body, headers=key)
    assert second.json() == first.json()
    assert second.headers["ETag"] == first.headers["ETag"]
    assert second.headers["Fenland-Repeated"] == "true"
    assert http.get(URL).json()["serial"] == 8
    other = http.patch(URL, json={"edits": [{"at": "/serial", "increase_by": 2}]}, headers=key)
    assert (other.status_code, other.json()["type"]) == (422, "/problems/key-reused")
    assert http.patch(URL, json=body, headers=key | bearer("carl")).json()["serial"] == 9
    new = {"Idempotency-Key": "make"}
    made = [http.post("/v1/records/tools", json={"code": "N1", "name": "New"}, headers=new) for _ in range(2)]
    assert [one.status_code for one in made] == [201, 201]
    assert made[0].json() == made[1].json()
    assert made[1].headers["Location"] == "/v1/records/tools/N1"
    gone = [http.delete("/v1/records/tools/N1", headers={"Idempotency-Key": "drop"}) for _ in range(2)]
    assert [one.status_code for one in gone] == [200, 200]
    refused = http.patch(URL, json={"name": ""}, headers={"Idempotency-Key": "bad"})
    assert refused.status_code == 422
    assert (
        http.patch(URL, json={"name": ""}, headers={"Idempotency-Key": "bad"}).json()["errors"]
        == refused.json()["errors"]
    )
    assert http.patch(URL, json={}, headers={"Idempotency-Key": "x" * 300}).status_code == 400


def test_no_increase_of_many_clients_is_lost(sample: Running) -> None:
    clients, each, url = 32, 200 if NIGHTLY else 50, "/v1/records/landholders/L0042"
    with sample.client() as client:
        client.patch(url, json={"holding": 0}).raise_for_status()
    failed: list[str] = []

    def work() -> None:
        body = {"edits": [{"at": "/holding", "increase_by": 0.01}]}
        with sample.client() as client:
            for _ in itertools.repeat(None, each):
                answer = client.patch(url, json=body, headers=EDITS)
                if answer.status_code != 200:
                    failed.append(answer.text)

    threads = [threading.Thread(target=work) for _ in range(clients)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert not failed
    with sample.client() as client:
        assert client.get(url).text.count(f'"holding":{clients * each / 100:.2f},') == 1
        entries = client.get(f"{url}/history", params={"limit": 1}).json()["items"]
        assert entries[0]["version"] >= clients * each


SAVE = "/v1/records/tools/save"


@pytest.mark.parametrize("blank", [{"id": ""}, {"id": None}, {}])
def test_saving_without_an_id_creates(http: httpx.Client, tool: dict, blank: dict) -> None:
    made = http.post(SAVE, json={**blank, "code": "T9", "name": "Plane", "serial": 9})
    assert (made.status_code, made.headers["Location"]) == (201, "/v1/records/tools/T9")
    assert made.json()["holder"] == "olga" and made.headers["ETag"]
    # Its key is no sign of which record is meant: nothing that is there is written over by a new one.
    again = http.post(SAVE, json={**blank, "code": "T9", "name": "Another"})
    assert again.status_code == 422 and [one["code"] for one in again.json()["errors"]] == ["unique"]
    by_form = http.post(SAVE, data={"id": "", "code": "T10", "name": "File", "serial": "10"})
    assert (by_form.status_code, by_form.json()["serial"]) == (201, 10)


def test_saving_with_an_id_changes_that_record_alone(http: httpx.Client, tool: dict) -> None:
    saved = http.post(SAVE, json={"id": tool["id"], "note": "x"})
    assert (saved.status_code, saved.json()["note"], saved.json()["version"]) == (200, "x", 2)
    assert saved.json()["name"] == tool["name"]
    # A whole record that was read goes back as it is, changed or not.
    whole = saved.json()
    assert http.post(SAVE, json=whole).json() == whole
    assert http.post(SAVE, json={**whole, "name": "New name"}).json()["name"] == "New name"
    assert (
        http.post(f"{SAVE}?blank=keep", data={"id": tool["id"], "note": "", "name": "Old name"}).json()[
            "note"
        ]
        == "x"
    )
    stale = http.post(f"{SAVE}?base=2", json={"id": tool["id"], "name": "Theirs was another"})
    assert stale.status_code == 409 and stale.json()["conflicts"][0]["pointer"] == "/name"
    for other in ("nobody", tool["code"], 7, ["x"]):
        assert http.post(SAVE, json={"id": other, "note": "y"}).status_code == 404, other
    assert http.get(URL).json()["note"] == "x"
    once = {"Idempotency-Key": "popup-1"}
    first, second = (http.post(SAVE, json={"code": "T8", "name": "Saw"}, headers=once) for _ in range(2))
    assert (first.status_code, second.headers["Fenland-Repeated"], second.json()) == (
        201,
        "true",
        first.json(),
    )
    assert http.post(SAVE, json=[1]).status_code == 400
    assert http.post(SAVE, content=b"x", headers={"Content-Type": "text/plain"}).status_code == 415
    assert http.post(SAVE, json={"id": tool["id"], "note": "z"}, headers=bearer("vic")).status_code == 403
