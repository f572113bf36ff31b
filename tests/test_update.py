"""What a partial update means: each row of the meaning, through HTTP, and the core's own laws."""

from __future__ import annotations

from typing import Any

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fenland.core.changes.patches import merge
from fenland.service.service import Service
from support import bearer

#: Each engine behind the door of storage must answer the same.
ENGINES = ["sqlite", "postgres"]

#: The examples of RFC 7396, appendix A: original, patch, result.
RFC_7396 = [
    ({"a": "b"}, {"a": "c"}, {"a": "c"}),
    ({"a": "b"}, {"b": "c"}, {"a": "b", "b": "c"}),
    ({"a": "b"}, {"a": None}, {}),
    ({"a": "b", "b": "c"}, {"a": None}, {"b": "c"}),
    ({"a": ["b"]}, {"a": "c"}, {"a": "c"}),
    ({"a": "c"}, {"a": ["b"]}, {"a": ["b"]}),
    ({"a": {"b": "c"}}, {"a": {"b": "d", "c": None}}, {"a": {"b": "d"}}),
    ({"a": [{"b": "c"}]}, {"a": [1]}, {"a": [1]}),
    (["a", "b"], ["c", "d"], ["c", "d"]),
    ({"a": "b"}, ["c"], ["c"]),
    ({"a": "foo"}, None, None),
    ({"a": "foo"}, "bar", "bar"),
    ({"e": None}, {"a": 1}, {"e": None, "a": 1}),
    ([1, 2], {"a": "b", "c": None}, {"a": "b"}),
    ({}, {"a": {"bb": {"ccc": None}}}, {"a": {"bb": {}}}),
]


@pytest.mark.parametrize(("original", "patch", "result"), RFC_7396)
def test_the_examples_of_the_rfc(original: Any, patch: Any, result: Any) -> None:
    assert merge(original, patch) == result


JSON = st.recursive(
    st.none() | st.booleans() | st.integers() | st.text(max_size=3),
    lambda inner: st.lists(inner, max_size=2) | st.dictionaries(st.sampled_from("abc"), inner, max_size=3),
    max_leaves=6,
)


@given(JSON, JSON)
def test_merging_twice_is_merging_once(original: Any, patch: Any) -> None:
    once = merge(original, patch)
    assert merge(once, patch) == once


@pytest.fixture
def tool(http: httpx.Client) -> dict[str, Any]:
    http.post("/v1/records/benches", json={"code": "B1", "name": "North"}).raise_for_status()
    fields = {
        "code": "T1", "name": "Chisel", "serial": 7, "weight": 1.25, "spin": 0.5, "sharp": True, "note": "n",
        "kept": "k", "cleared": "c", "strict": "s", "bought_on": "2031-04-09", "labels": ["x"], "secret": "pin",
        "maker": {"name": "Ada", "town": "Wadlow"}, "bench": "B1", "holder": "carl",
    }  # fmt: skip
    answer = http.post("/v1/records/tools", json=fields)
    assert answer.status_code == 201, answer.text
    return answer.json()


#: patch, then what changes, or the codes that are refused by pointer.
MEANINGS: list[tuple[dict[str, Any], dict[str, Any] | list[tuple[str, str]]]] = [
    ({}, {}),
    ({"note": None}, {"note": None}),
    ({"name": None}, [("/name", "null")]),
    ({"note": ""}, {"note": ""}),
    ({"sharp": False}, {"sharp": False}),
    ({"serial": 0}, {"serial": 0}),
    ({"labels": []}, {"labels": []}),
    ({"labels": None}, {"labels": None}),
    ({"kept": ""}, {}),
    ({"kept": None}, {}),
    ({"kept": "x"}, {"kept": "x"}),
    ({"cleared": ""}, {"cleared": None}),
    ({"strict": ""}, [("/strict", "blank")]),
    ({"strict": None}, {"strict": None}),
    ({"maker": {"town": "Dunsey"}}, {"maker": {"name": "Ada", "town": "Dunsey"}}),
    ({"maker": {"town": None}}, {"maker": {"name": "Ada"}}),
    ({"maker": None}, {"maker": None}),
    ({"maker": {"twon": "x"}}, [("/maker/twon", "unknown_property")]),
    ({"maker": {"town": "far too long"}}, [("/maker/town", "max_length")]),
    ({"labels": ["y", "z"]}, {"labels": ["y", "z"]}),
    ({"weight": 1.250}, {}),
    ({"weight": 0.1}, {"weight": 0.1}),
    ({"weight": 0.123}, [("/weight", "multiple_of")]),
    ({"seen_at": "2031-04-09T14:00:00+02:00"}, {"seen_at": "2031-04-09T12:00:00.000000Z"}),
    ({"code": "T1"}, {}),
    ({"code": "T2"}, [("/code", "fixed")]),
    ({"stamped": None}, {}),
    ({"stamped": "x"}, [("/stamped", "read_only")]),
    ({"version": 1}, {}),
    ({"version": 9}, [("/version", "server_kept")]),
    ({"created_by": "carl"}, [("/created_by", "server_kept")]),
    ({"nmae": "x"}, [("/nmae", "unknown_field")]),
    ({"bench": "B9"}, [("/bench", "reference")]),
    ({"bench": None}, {"bench": None}),
    ({"holder": "nobody"}, [("/holder", "reference")]),
    ({"holder": "cora"}, {"holder": "cora"}),
    ({"name": "x", "serial": "7", "weight": -1}, [("/name", "min_length"), ("/serial", "type"), ("/weight", "minimum")]),
]  # fmt: skip


@pytest.mark.parametrize(("patch", "expected"), MEANINGS)
def test_a_meaning(http: httpx.Client, tool: dict[str, Any], patch: dict[str, Any], expected: Any) -> None:
    answer = http.patch("/v1/records/tools/T1", json=patch)
    entries = http.get("/v1/records/tools/T1/history").json()["items"]
    if isinstance(expected, list):
        assert answer.status_code == 422
        assert [(one["pointer"], one["code"]) for one in answer.json()["errors"]] == expected
        assert http.get("/v1/records/tools/T1").json() == tool
        assert len(entries) == 1
        return
    assert answer.status_code == 200, answer.text
    saved = answer.json()
    changed = {name: saved[name] for name in saved if saved[name] != tool[name]}
    changed = {k: v for k, v in changed.items() if k not in ("version", "updated_at", "updated_by")}
    assert changed == expected
    assert saved["version"] == (2 if expected else 1)
    assert answer.headers["ETag"] == f'"{tool["id"]}.{saved["version"]}"'
    assert len(entries) == saved["version"]
    if expected:
        before_after = {k: (v["before"], v["after"]) for k, v in entries[0]["changes"].items()}
        assert before_after == {name: (tool[name], saved[name]) for name in expected}
        assert entries[0]["actor"] == "olga"


@pytest.mark.parametrize(
    ("blank", "expected"),
    [("keep", "n"), ("clear", None), ("store", ""), ("reject", "blank"), ("other", 400)],
)
def test_a_request_says_what_blanks_mean(http: httpx.Client, tool: dict, blank: str, expected: Any) -> None:
    answer = http.patch("/v1/records/tools/T1", params={"blank": blank}, json={"note": "", "sharp": False})
    if expected == 400:
        assert answer.status_code == 400
    elif expected == "blank":
        assert [one["code"] for one in answer.json()["errors"]] == ["blank"]
    else:
        assert (answer.json()["note"], answer.json()["sharp"]) == (expected, False)


def test_a_whole_record_can_be_sent_back(http: httpx.Client, tool: dict) -> None:
    answer = http.patch("/v1/records/tools/T1", json=tool | {"note": "new"})
    assert answer.status_code == 200
    assert answer.json()["version"] == 2
    stale = http.patch("/v1/records/tools/T1", json=tool | {"note": "newer"})
    assert [one["pointer"] for one in stale.json()["errors"]] == ["/version", "/updated_at"]


def test_lenient_handling_drops_and_says_so(http: httpx.Client, tool: dict) -> None:
    patch = {"note": "new", "nmae": 1, "code": "T9", "version": 4}
    answer = http.patch(
        "/v1/records/tools/T1", json=patch, headers={"Prefer": "handling=lenient, return=minimal"}
    )
    assert answer.status_code == 204
    assert answer.headers["Preference-Applied"] == "handling=lenient, return=minimal"
    assert answer.headers["Fenland-Ignored"] == "nmae, version, code"
    found = http.get("/v1/records/tools/T1").json()
    assert (found["note"], found["code"]) == ("new", "T1")
    lenient = {"Prefer": "handling=lenient"}
    strange = http.patch("/v1/records/tools/T1", json={"a\r\nSet-Cookie: b": 1}, headers=lenient)
    assert strange.headers["Fenland-Ignored"] == "a%0D%0ASet-Cookie%3A%20b"
    wrong = http.patch(
        "/v1/records/tools/T1", json={"name": 1, "x": 1}, headers={"Prefer": "handling=lenient"}
    )
    assert [one["code"] for one in wrong.json()["errors"]] == ["type"]


def test_nobody_takes_a_record_over_by_its_owner_field(http: httpx.Client, tool: dict) -> None:
    taken = http.patch("/v1/records/tools/T1", json={"holder": "cora"}, headers=bearer("cora"))
    assert taken.status_code == 403
    given_away = http.patch(
        "/v1/records/tools/T1", json={"holder": "cora", "note": "x"}, headers=bearer("carl")
    )
    assert [one["code"] for one in given_away.json()["errors"]] == ["owner"]
    same = http.patch("/v1/records/tools/T1", json={"holder": "carl", "note": "x"}, headers=bearer("carl"))
    assert same.json()["holder"] == "carl"
    made = http.post(
        "/v1/records/tools", json={"code": "T2", "name": "Saw", "holder": "carl"}, headers=bearer("cora")
    )
    assert [one["code"] for one in made.json()["errors"]] == ["owner"]
    mine = http.post("/v1/records/tools", json={"code": "T2", "name": "Saw"}, headers=bearer("cora"))
    assert mine.json()["holder"] == "cora"


def test_unique_values_and_write_only_ones(http: httpx.Client, tool: dict) -> None:
    assert "secret" not in tool
    http.post("/v1/records/tools", json={"code": "T2", "name": "Saw", "serial": 8}).raise_for_status()
    answer = http.patch("/v1/records/tools/T2", json={"serial": 7, "name": ""})
    assert [(one["pointer"], one["code"]) for one in answer.json()["errors"]] == [
        ("/name", "min_length"),
        ("/serial", "unique"),
    ]
    again = http.post("/v1/records/tools", json={"code": "T1", "name": "Other"})
    assert [(one["pointer"], one["code"]) for one in again.json()["errors"]] == [("/code", "unique")]
    changed = http.patch("/v1/records/tools/T1", json={"secret": "other"})
    assert "secret" not in changed.json()
    entry = http.get("/v1/records/tools/T1/history").json()["items"][0]
    assert entry["changes"] == {"secret": {"hidden": True}}
    assert entry["sentence"] == "Olga changed secret."


def test_a_rule_that_came_later_does_not_block_other_fields(
    http: httpx.Client, tool: dict, service: Service
) -> None:
    records = service.resources["tools"].records
    service.database.write(
        lambda connection: records.change(connection, tool["id"], 1, {"note": "n" * 99, "version": 2})
    )
    assert http.patch("/v1/records/tools/T1", json={"name": "Gouge"}).status_code == 200
    refused = http.patch("/v1/records/tools/T1", json={"note": "m" * 99})
    assert [one["code"] for one in refused.json()["errors"]] == ["max_length"]
