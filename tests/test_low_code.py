"""Tools that know little more than an address: two small ones are built of the copied calls alone, and work."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from decimal import Decimal
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl, quote, urlencode

import httpx
import pytest

from support import Running, bearer, workshop_of

KEY = {"type": "string", "required": True, "unique": True, "fixed": True, "search": True}
EVERYBODY = {
    "read": ["everyone"],
    "create": ["office", "crew"],
    "update": ["office", "owner"],
    "delete": ["office"],
}
DESCRIBED: dict[str, Any] = {
    "sheds": {"key": "code", "label": "name", "fields": {"code": KEY, "name": {"type": "string"}}, "access": {"read": ["everyone"], "create": ["office"]}},
    "boats": {
        "key": "code", "owner": "keeper", "singular": "Boat", "access": EVERYBODY,
        "fields": {
            "code": KEY, "name": {"type": "string", "required": True, "search": True}, "berths": {"type": "integer", "maximum": 9},
            "length": {"type": "number", "multipleOf": Decimal("0.01")}, "afloat": {"type": "boolean"}, "built_on": {"type": "string", "format": "date"},
            "seen_at": {"type": "string", "format": "date-time"}, "kind": {"type": "string", "enum": ["punt", "barge"]}, "shed": {"references": "sheds"},
            "tags": {"type": "array", "items": {"type": "string"}}, "price": {"type": "integer", "access": {"read": ["office"], "update": ["office"]}},
            "keeper": {"type": "string"},
        },
    },
}  # fmt: skip
BOAT = {
    "code": "B1", "name": "Heron", "berths": 4, "length": 7.25, "afloat": True, "built_on": "1987-05-01",
    "seen_at": "2031-04-09T14:30:00Z", "kind": "punt", "shed": "S1", "tags": ["a"], "price": 900,
}  # fmt: skip


@pytest.fixture
def http(tmp_path: Path) -> Iterator[httpx.Client]:
    with workshop_of(DESCRIBED, tmp_path / "x.db") as (_, found):
        for code in ("S1", "S2"):
            found.post("/v1/records/sheds", json={"code": code, "name": f"Shed {code}"}).raise_for_status()
        found.post("/v1/records/boats", json=BOAT).raise_for_status()
        yield found


class Tool:
    """A tool that fills in what stands in braces, as texts, and sends just what was copied."""

    def __init__(self, http: httpx.Client, way: str, who: str = "olga") -> None:
        self._http, self._way, self._token = http, way, bearer(who)["Authorization"].partition(" ")[2]
        found = http.get("/v1/schemas/boats/calls", headers=bearer(who)).raise_for_status().json()["items"]
        self.calls = {one["action"]: one for one in found if one["way"] in ("any", way)}

    def do(self, action: str, inputs: dict[str, Any] | None = None, **places: str) -> httpx.Response:
        call, inputs = self.calls[action], inputs or {}
        url = re.sub(r"\{(\w+)\}", lambda one: quote(places.get(one[1], ""), safe=""), call["url"])
        headers = {name: text.replace("{token}", self._token) for name, text in call["headers"].items()}
        body = None if call["body"] is None else self._filled(call["body"], {**inputs, **places})
        # No header of the tool's own, and no cookies.
        return httpx.Client(transport=self._http._transport).request(
            call["method"], url, headers=headers, content=body
        )

    def _filled(self, body: str, inputs: dict[str, Any]) -> str:
        if self._way == "form":
            pairs = parse_qsl(body, keep_blank_values=True)
            values = [
                (name, re.sub(r"^\{(\w+)\}$", lambda one: text_of(inputs.get(one[1])), value))
                for name, value in pairs
            ]
            return urlencode(values)
        return json.dumps(
            {
                name: inputs.get(name) if value.startswith("{") else value
                for name, value in json.loads(body).items()
            }
        )


def text_of(value: Any) -> str:
    return "" if value is None else str(value).lower() if isinstance(value, bool) else str(value)


@pytest.mark.parametrize("way", ["form", "texts"])
def test_a_list_and_a_popup_are_built_of_the_copied_calls_alone(http: httpx.Client, way: str) -> None:
    tool = Tool(http, way)

    def rows() -> list[dict[str, Any]]:
        found = tool.do("list", page="1").raise_for_status().json()
        assert found["items"][0]["shed.label"] == "S1 · Shed S1"
        return list(found["items"])

    [row] = rows()
    # The popup is filled with the row, one input is typed in, and all are sent: as texts, or with null for nothing.
    texts = {
        name: text_of(value) if way == "form" else value and text_of(value) for name, value in row.items()
    }
    saved = tool.do("save", {**texts, "name": "Grey heron"}, id=row["id"])
    assert saved.status_code == 200, saved.text
    [after] = rows()
    changed = {name for name in row if row[name] != after[name]}
    assert changed == {"name", "version", "updated_at"}
    # Inputs that were never filled: empty, or null. Nothing is emptied by them.
    bare = tool.do("edit", {"berths": "5"}, id=row["id"])
    assert bare.status_code == 200 and rows()[0]["length"] == 7.25 and rows()[0]["berths"] == 5
    # The same popup, with an empty id: another row. Choices come as values and labels.
    [_, shed] = tool.do("choices of shed", words="").json()["items"]
    added = tool.do("save", {"code": "B2", "name": "Tern", "shed": shed["value"], "afloat": "false"}, id="")
    assert (added.status_code, added.json()["shed"], added.json()["afloat"]) == (201, "S2", False)
    assert added.json()["keeper"] == "olga"
    assert tool.do("add", {"code": "B3", "name": "Coot"}).status_code == 201
    assert [one["code"] for one in rows()] == ["B1", "B2", "B3"]
    # What is wrong is told by field.
    wrong = tool.do("edit", {"berths": "many"}, id=row["id"])
    assert (wrong.status_code, wrong.json()["errors"][0]["pointer"]) == (422, "/berths")
    gone = tool.do("delete", key="B3")
    assert gone.status_code == 200 and [one["code"] for one in rows()] == ["B1", "B2"]


def test_each_call_does_what_it_says(http: httpx.Client) -> None:
    done = set()
    for way in ("form", "texts", "json"):
        tool = Tool(http, way)
        values = {"code": f"N{way}", "name": "New", "berths": 3, "kind": "barge", "shed": "S1", "keeper": "olga", "built_on": "2001-01-01", "seen_at": BOAT["seen_at"], "length": 1.5, "afloat": True, "tags": ["a"], "price": 1}  # fmt: skip
        if way != "json":
            values = {name: text_of(value) for name, value in values.items()}
        places = {"page": "1", "words": "her", "key": "B1", "from": "", "to": ""}
        for action, call in tool.calls.items():
            assert call["title"] and call["url"].startswith("http://workshop/v1/")
            if action in ("save", "edit", "add", "delete"):
                continue
            found = tool.do(action, **places, **{name: str(value) for name, value in values.items()})
            assert found.status_code == 200, (action, found.text)
            done.add(action)
        assert tool.do("filter by kind", kind="barge").json()["items"] == []
        assert [
            one["code"] for one in tool.do("filter by built_on", **{"from": "1987-01-01"}).json()["items"]
        ] == ["B1"]
        made = tool.do("add", values)
        assert made.status_code == 201, made.text
        changed = tool.do(
            "edit",
            {**values, "name": "Newer"} if way == "json" else {"name": "Newer"},
            id=made.json()["id"],
            key=values["code"],
        )
        assert (changed.status_code, changed.json()["name"], changed.json()["berths"]) == (200, "Newer", 3), (
            changed.text
        )
        assert tool.do("delete", key=values["code"]).status_code == 200
        done |= {"add", "edit", "delete"}
        if way != "json":
            assert (
                tool.do(
                    "save", {"name": "Heron"}, id=http.get("/v1/records/boats/B1").json()["id"]
                ).status_code
                == 200
            )
            done.add("save")
    assert done == set(Tool(http, "form").calls)


def test_calls_are_those_that_one_may_make(http: httpx.Client) -> None:
    def told(who: str) -> dict[str, Any]:
        return {
            f"{one['action']} {one['way']}": one
            for one in http.get("/v1/schemas/boats/calls", headers=bearer(who)).json()["items"]
        }

    olga, carl, vic = told("olga"), told("carl"), told("vic")
    assert {"add form", "edit json", "delete texts", "save form", "filter by price any"} <= olga.keys()
    assert not {one for one in carl if one.startswith("delete")} and "edit form" in carl
    # What is hidden is named in none of them.
    assert "price" in json.dumps(olga) and "price" not in json.dumps(carl)
    assert not {one for one in vic if one.startswith(("add", "delete"))}
    assert http.get("/v1/schemas/nothing/calls").status_code == 404


def test_rows_tell_what_their_references_stand_for_as_far_as_one_may_know(sample: Running) -> None:
    with sample.client() as http:
        asked = {"limit": 3, "sort": "number", "fields": "number,station,assignee"}
        plain = http.get("/v1/records/tickets", params={**asked, "labels": "true"}).json()
        rows = http.get("/v1/records/tickets", params={**asked, "row_labels": "true"}).json()
        assert "labels" not in rows
        for one, row in zip(plain["items"], rows["items"], strict=True):
            told = {f"{name}.label": plain["labels"][name][one[name]] for name in ("station", "assignee")}
            assert row == {**one, **told}
        # Pages by number are the same list, and one that is asked for again is answered the same.
        again = http.get("/v1/records/tickets", params={**asked, "row_labels": "true", "page": 1})
        assert again.json()["items"] == rows["items"]
        past = http.get("/v1/records/stations?row_labels=true&limit=2&at=2100-01-01T00:00:00Z").json()
        assert all("watercourse.label" in row for row in past["items"])
