"""Passes and proposals over HTTP: what holders see and send, what becomes of it, and what they try in vain."""

from __future__ import annotations

import itertools
import json
import random
import re
import threading
from collections.abc import Callable, Iterator
from copy import deepcopy
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.core.access.policy import Actor, Caller, Scope
from fenland.core.changes.patches import MergePatch
from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.reading import definitions_from
from fenland.core.problems import Refusal
from fenland.core.wording import WORDS, Wording, wrong_in
from fenland.service.accounts.accounts import AccountChange, change_account
from fenland.service.accounts.tokens import NewToken, issue_token
from fenland.service.changes.finding import Address
from fenland.service.passes.holding import Asking
from fenland.service.passes.passes import PassRequest, make_pass
from fenland.service.passes.proposing import Sending, propose
from fenland.service.passes.reviewing import Settling, apply_proposal, refuse_proposal
from fenland.service.passes.showing import open_pass
from fenland.service.proof.verifying import verify_database
from fenland.service.records.update import UpdateRequest, update
from fenland.service.service import Service
from fenland.storage.door import Made, PassesWanted, ProposalsWanted, migrate
from support import NIGHTLY, bearer, new_project, start, workshop_of

KEY = {"type": "string", "required": True, "unique": True, "fixed": True}
TEXT: dict[str, Any] = {"type": "string"}
EVERYONE = ["everyone"]
#: Words that no holder may ever see: in fields that a pass does not show, in records that it is not for.
HIDDEN = ("SECRET-NOTE", "OTHER-NAME", "HIDDEN-TEAM", "UNSHOWN")
DESCRIBED: dict[str, Any] = {
    "teams": {
        "key": "code", "access": {"read": "record.open == true || 'office' in actor.roles", "create": ["office"], "update": ["office"]},
        "fields": {"code": KEY, "name": {**TEXT, "search": True}, "open": {"type": "boolean"}},
    },
    "reports": {
        "key": "number", "owner": "keeper",
        "access": {"read": ["office"], "create": ["office"], "transfer": ["office"], "update": ["office"]},
        "fields": {
            "number": {**KEY, "default": {"series": "R-001"}}, "title": {**TEXT, "required": True, "minLength": 3},
            "holder": {"references": "holders"}, "keeper": TEXT, "urgent": {"type": "boolean"},
        },
    },
    "holders": {
        "key": "number", "owner": "clerk",
        "access": {
            "read": "'office' in actor.roles || record.area == actor.attributes.area", "create": ["office"], "delete": ["office"], "erase": ["office"],
            "update": "'office' in actor.roles || record.area == actor.attributes.area", "transfer": ["office"],
            "pass": ["office", "crew"], "review": ["office"],
        },
        "checks": [{"rule": "next.name != next.phone", "message": "The name is no number.", "fields": ["name"]}],
        "fields": {
            "number": KEY, "name": {**TEXT, "title": "Name", "required": True, "maxLength": 40, "blank": "reject"}, "clerk": TEXT, "area": TEXT,
            "phone": {**TEXT, "title": "Phone", "sensitive": True, "pattern": "^[0-9 ]*$"}, "email": {**TEXT, "format": "email", "unique": True},
            "address": {"type": "object", "properties": {"line": {**TEXT, "maxLength": 30}, "village": TEXT, "postcode": TEXT}},
            "parcels": {"type": "array", "items": TEXT, "maxItems": 3}, "born": {**TEXT, "format": "date"}, "acres": {"type": "number", "multipleOf": Decimal("0.01")},
            "by_post": {"type": "boolean"}, "kind": {**TEXT, "enum": ["farm", "house"]}, "team": {"references": "teams"},
            "notes": {**TEXT, "access": {"read": ["office"], "update": ["office"]}}, "pin": {**TEXT, "writeOnly": True}, "stamped": {**TEXT, "readOnly": True},
            "count": {"type": "integer", "derived": "record.parcels == null ? 0 : size(record.parcels)"},
        },
        "effects": [{"on": "update", "if": "before.phone != after.phone", "set": {"stamped": '"rung"'}}, {"on": "create", "if": "after.kind == 'house'", "pass": "own"}],
        "passes": {
            "own": {
                "title": "Your details", "introduction": "Look it through.", "thanks": "Good.", "tells_reasons": True, "confirms": True,
                "shows": ["number", "name", "phone", "email", "address", "parcels", "born", "acres", "by_post", "kind", "team"],
                "changes": {
                    "name": "review", "phone": "at once", "email": "review", "address": "review", "born": "review", "acres": "at once", "by_post": "at once",
                    "kind": "at once", "team": "review", "parcels": {"if": "size(next.parcels) >= size(record.parcels) && pass.template == 'own'"},
                },
                "choices": {"team": "each.open == true && each.code != 'T3'"},
            },
            "once": {"shows": ["name"], "changes": ["name"], "uses": 1, "days": 3},
            "asked": {"shows": ["name", "phone"], "changes": {"phone": "at once"}, "answer": "address.postcode"},
            "farms": {"shows": ["name"], "changes": {"name": "at once"}, "where": "record.kind == 'farm'"},
            "list": {
                "lists": True, "shows": ["name", "area"], "sort": "name", "where": "record.area == 'north'", "changes": {"name": "review"},
                "creates": {"collection": "reports", "title": "a report", "fields": ["title", "urgent"], "with": {"holder": "record.number", "keeper": '"carl"'}, "applied": {"if": "next.urgent == true"}},
            },
            "gone": {"shows": ["name"], "deletes": True},
        },
    },
}  # fmt: skip
_ADDRESSES = itertools.count(1)


def away() -> dict[str, str]:
    """From an address of its own: too many wrong links from one would be told otherwise."""
    number = next(_ADDRESSES)
    return {"X-Forwarded-For": f"192.0.{number // 250}.{number % 250 + 1}"}


@dataclass
class House:
    """The service, with holders L1 to L4, and a clock to set."""

    service: Service
    http: httpx.Client
    path: Path
    clock: list[datetime] = field(default_factory=list)

    def make(self, template: str, key: str | None = "L1", who: str = "olga", **more: Any) -> str:
        asked = {"collection": "holders", "template": template, **({"key": key} if key else {}), **more}
        made = self.http.post("/v1/passes", json=asked, headers=bearer(who))
        assert made.status_code == 201, made.text
        return str(made.json()["link"])

    def number(self, link: str) -> int:
        """That of the pass with this link: it was made last."""
        with self.service.database.reading() as reading:
            return self.service.database.passes.page(reading, PassesWanted("holders", limit=1))[0].number

    def get(self, address: str, **headers: str) -> httpx.Response:
        answer = self.http.get(address, headers={**away(), "Authorization": "", **headers})
        assert answer.status_code < 500, answer.text
        return answer

    def post(self, address: str, _kind: str = "change", **inputs: Any) -> httpx.Response:
        sent = {
            "kind": _kind,
            "base": str(self.holder().get("version", 1)),
            "once": str(next(_ADDRESSES)),
            **inputs,
        }
        answer = self.http.post(address, data=sent, headers={**away(), "Authorization": ""})
        assert answer.status_code < 500, answer.text
        return answer

    def change(self, link: str, **fields: Any) -> httpx.Response:
        """Sends these fields, ticked; `address__line` stands for a part of one."""
        names = {name.replace("__", "/"): value for name, value in fields.items()}
        ticked = list(dict.fromkeys(name.split("/")[0] for name in names))
        return self.post(link, tick=ticked, **{f"f/{name}": value for name, value in names.items()})

    def holder(self, key: str = "L1") -> dict[str, Any]:
        found: dict[str, Any] = self.http.get(f"/v1/records/holders/{key}").json()
        return found

    def patch(self, key: str = "L1", **fields: Any) -> None:
        self.http.patch(f"/v1/records/holders/{key}", json=fields).raise_for_status()

    def proposals(self, **query: Any) -> list[dict[str, Any]]:
        found: list[dict[str, Any]] = self.http.get("/v1/proposals", params={"limit": 200, **query}).json()[
            "items"
        ]
        return found

    def last(self) -> dict[str, Any]:
        return self.proposals(newest=True)[0]

    def settle(self, how: str, number: int | None = None, who: str = "olga", **body: Any) -> httpx.Response:
        number = self.last()["number"] if number is None else number
        answer = self.http.post(f"/v1/proposals/{number}/{how}", json=body, headers=bearer(who))
        assert answer.status_code < 500, answer.text
        return answer

    def everything(self) -> Any:
        """All records and proposals."""
        records = {name: self.http.get(f"/v1/records/{name}").json()["items"] for name in DESCRIBED}
        with self.service.database.reading() as reading:
            return records, self.service.database.proposals.page(reading, ProposalsWanted(limit=10_000))


def filled(service: Service, http: httpx.Client, path: Path) -> House:
    clock = [datetime.now(UTC)]
    service.clock = lambda: clock[0]
    house = House(service, http, path, clock)

    def add(collection: str, **fields: Any) -> None:
        http.post(f"/v1/records/{collection}", json=fields).raise_for_status()

    add("teams", code="T1", name="Reed", open=True)
    add("teams", code="T2", name="HIDDEN-TEAM", open=False)
    add("teams", code="T3", name="UNSHOWN", open=True)
    home = {"line": "1 Mill Row", "village": "Dunsey", "postcode": "SL1 2FE"}
    known = {"notes": "SECRET-NOTE", "address": home, "parcels": ["P1"], "pin": "UNSHOWN", "clerk": "cora"}
    add(
        "holders",
        number="L1",
        name="Zed Sparrow",
        phone="0555 1",
        area="north",
        kind="farm",
        team="T1",
        acres=1.5,
        **known,
    )
    add(
        "holders",
        number="L2",
        name="OTHER-NAME",
        phone="0555 2",
        area="south",
        kind="house",
        email="b@farm.example",
        **known,
    )
    add("holders", number="L3", name="Ada Reed", area="north")
    return house


@pytest.fixture
def house(tmp_path: Path) -> Iterator[House]:
    settings = {"trusted_proxies": ["127.0.0.0/8"], "account_managers": ["office"]}
    with workshop_of(DESCRIBED, tmp_path / "x.db", **settings) as (service, http):
        yield filled(service, http, tmp_path / "x.db")


@pytest.fixture(scope="module")
def shared(tmp_path_factory: pytest.TempPathFactory) -> Iterator[House]:
    """One for attempts that change nothing."""
    path = tmp_path_factory.mktemp("passes") / "x.db"
    with workshop_of(DESCRIBED, path, trusted_proxies=["127.0.0.0/8"]) as (service, http):
        yield filled(service, http, path)


def texts(answer: httpx.Response) -> str:
    return re.sub(r"<[^>]+>|\s+", " ", answer.text)


# --- what is sent ----------------------------------------------------------------------------------------


def test_each_field_is_applied_or_waits_as_the_template_says(house: House) -> None:
    link = house.make("own")
    page = house.get(link)
    assert page.status_code == 200
    assert "Zed Sparrow" in page.text and "SECRET-NOTE" not in page.text and "stamped" not in page.text
    sent = house.change(
        link, phone="0555 9", name="Zed Reed", address__line="2 Mill Row", acres="2.25", parcels="P1\r\nP2"
    )
    assert "Phone" in texts(sent).split("Somebody will look")[0]
    assert sent.status_code == 200
    now, one = house.holder(), house.last()
    assert (now["phone"], now["acres"], now["parcels"], now["name"]) == (
        "0555 9",
        2.25,
        ["P1", "P2"],
        "Zed Sparrow",
    )
    assert {name: each["state"] for name, each in one["fields"].items()} == {
        "phone": "applied", "acres": "applied", "parcels": "applied", "name": "waiting", "address": "waiting",
    }  # fmt: skip
    # What nobody sent of an object stays, and an effect came of it.
    assert one["fields"]["address"]["proposed"] == {
        "line": "2 Mill Row",
        "village": "Dunsey",
        "postcode": "SL1 2FE",
    }
    assert (now["stamped"], now["count"], now["updated_by"]) == ("rung", 2, f"pass:own/{one['pass']}")
    assert house.settle("apply").json()["state"] == "applied"
    now = house.holder()
    assert (now["name"], now["address"]["line"], now["updated_by"]) == (
        "Zed Reed",
        "2 Mill Row",
        f"pass:own/{one['pass']}",
    )
    newest = house.http.get("/v1/records/holders/L1/history").json()["items"][0]
    assert (newest["actor"], newest["behalf"], newest["proposal"]) == (
        "olga",
        f"pass:own/{one['pass']}",
        one["number"],
    )
    undone = house.http.post(f"/v1/history/{newest['sequence']}/undo")
    assert undone.status_code == 200 and house.holder()["name"] == "Zed Sparrow"


def test_fewer_parcels_wait_and_what_is_the_same_is_nothing(house: House) -> None:
    link = house.make("own")
    house.change(link, parcels="")
    assert house.last()["fields"]["parcels"]["state"] == "waiting"
    before = len(house.proposals())
    assert "Nothing that you sent differs" in house.change(link, phone="0555 1", name="Zed Sparrow").text
    # Blank inputs that were blank before say nothing, and line breaks of forms are those of texts.
    assert "Nothing that you sent differs" in house.change(link, email="", born="", acres="1.5").text
    assert len(house.proposals()) == before


@pytest.mark.parametrize(
    ("fields", "said"),
    [
        ({"phone": "abc"}, "form that it must have"),
        ({"name": ""}, "must be filled"),
        ({"name": "x" * 41}, "at most 40 characters"),
        ({"name": "0555 77"}, "The name is no number."),
        ({"address__line": "x" * 31}, "at most 30 characters"),
        ({"born": "yesterday"}, "cannot be read as"),
        ({"acres": "many"}, "cannot be read"),
        ({"parcels": "a\nb\nc\nd"}, "at most 3"),
        ({"email": "b@farm.example"}, "Another already has this"),
        ({"email": "nowhere"}, "cannot be read as"),
        ({"kind": "boat"}, "Choose one"),
        ({"team": "T2"}, "Choose one"),
        ({"team": "T3"}, "Choose one"),
        ({"team": "T9"}, "Choose one"),
        ({"by_post": "perhaps"}, "cannot be read"),
    ],
)
def test_what_is_wrong_stands_at_its_field_and_nothing_is_lost(
    shared: House, fields: dict[str, str], said: str
) -> None:
    link, before = shared.make("own"), shared.everything()
    answer = shared.change(link, **{"phone": "0555 77", **fields})
    assert answer.status_code == 422, answer.text
    assert said in answer.text
    if "phone" not in fields:
        assert 'value="0555 77"' in answer.text
    assert [one for one in HIDDEN if one in answer.text] == []
    assert shared.everything() == before


def test_what_others_changed_meanwhile_waits_and_is_a_conflict(house: House) -> None:
    link, base = house.make("own"), str(house.holder()["version"])
    house.patch(phone="0555 3", name="Zed Kestrel", address={"line": "9 Far End"})
    sent = house.post(
        link,
        base=base,
        tick=["phone", "name", "by_post"],
        **{"f/phone": "0555 4", "f/name": "Zed Kestrel", "f/by_post": "true"},
    )
    assert "Others have changed this in the meantime" in sent.text
    one = house.last()
    # Both came to the same name; the phone would have been applied, and both changed it.
    assert {name: (each["state"], each["conflict"]) for name, each in one["fields"].items()} == {
        "phone": ("waiting", True), "by_post": ("applied", False),
    }  # fmt: skip
    assert one["fields"]["phone"]["base"] == "0555 1"
    refused = house.settle("apply")
    assert refused.status_code == 409
    [conflict] = refused.json()["conflicts"]
    assert conflict == {"pointer": "/phone", "base": "0555 1", "current": "0555 3", "yours": "0555 4"}
    assert house.settle("apply", base=refused.json()["version"]).status_code == 200
    assert house.holder()["phone"] == "0555 4"
    # Decided again, there is nothing to decide.
    assert house.settle("apply").status_code == 409


def test_a_later_proposal_overtakes_what_waits_for_the_same_field(house: House) -> None:
    link = house.make("own")
    house.change(link, name="First", email="z@farm.example")
    house.change(link, name="Second")
    later, earlier = house.proposals(newest=True)[:2]
    assert (earlier["fields"]["name"]["state"], earlier["fields"]["email"]["state"]) == (
        "overtaken",
        "waiting",
    )
    # That of another pass overtakes nothing.
    house.change(house.make("own"), name="Third")
    assert {one["state"] for one in house.proposals()} == {"waiting"}
    assert house.settle("apply", later["number"]).status_code == 200
    # The third was proposed over the first name: who looks at it is told.
    assert house.last()["fields"]["name"]["conflict"]


def test_reviewing_is_by_field_and_other_values_and_a_reason_is_kept(house: House) -> None:
    link = house.make("own")
    house.change(link, name="Zed Wren", email="zed@farm.example", born="1961-02-03")
    number = house.last()["number"]
    assert house.settle("refuse", fields=["born"]).json()["errors"][0]["pointer"] == "/reason"
    assert house.settle("refuse", fields=["born"], reason="No papers").status_code == 200
    assert house.settle("apply", fields=["number"]).json()["errors"][0]["code"] == "unknown_field"
    assert house.settle("apply", fields=["email"], values={"name": "x"}).status_code == 422
    done = house.settle("apply", values={"name": "Zedekiah Wren"})
    assert done.json()["state"] == "partly"
    assert (house.holder()["name"], house.holder()["email"]) == ("Zedekiah Wren", "zed@farm.example")
    page = house.get(link)
    assert "No papers" in page.text and "was taken over" in page.text
    entries = house.http.get("/v1/history", params={"collection": "fenland_proposals"}).json()["items"]
    assert [one["reason"] for one in entries if one["key"] == number][1] == "No papers"
    etag = house.http.get(f"/v1/proposals/{number}").headers["ETag"]
    stale = house.http.post(f"/v1/proposals/{number}/apply", json={}, headers={"If-Match": '"p1.1"'})
    assert etag != '"p1.1"' and stale.status_code == 412


def test_what_its_sender_said_is_why_unless_who_applies_says_more(house: House) -> None:
    link = house.make("own")
    for number, reason in enumerate((None, "They rang")):
        house.post(link, note="I moved", tick="name", **{"f/name": f"Zed {number}"})
        assert house.settle("apply", **({"reason": reason} if reason else {})).status_code == 200
    entries = house.http.get("/v1/records/holders/L1/history").json()["items"]
    assert {"I moved", "They rang"} <= {one.get("reason") for one in entries}


def test_what_has_become_invalid_is_named_before_it_is_applied(house: House) -> None:
    link = house.make("own")
    house.change(link, email="zed@farm.example", name="Zed Wren")
    house.patch("L3", email="zed@farm.example")
    number = house.last()["number"]
    told = house.http.get(f"/v1/proposals/{number}").json()["problems"]
    assert [(one["pointer"], one["code"]) for one in told] == [("/email", "unique")]
    assert house.settle("apply").status_code == 422
    assert house.settle("apply", fields=["name"]).status_code == 200
    house.http.delete("/v1/records/holders/L1").raise_for_status()
    gone = house.http.get(f"/v1/proposals/{number}").json()
    assert gone["version"] is None and gone["problems"][0]["code"] == "not_found"
    assert house.settle("apply").status_code == 404
    assert house.settle("refuse", reason="gone").status_code == 200


def test_a_report_by_a_row_of_a_list_creates_a_record_once_it_is_applied(house: House) -> None:
    link = house.make("list", None)
    page = house.get(link)
    assert re.findall(r">(Ada Reed|Zed Sparrow|OTHER-NAME)<", page.text) == ["Ada Reed", "Zed Sparrow"]
    row = f"{link}/at/L1"
    assert "a report" in house.get(row).text
    assert house.post(row, "create", **{"n/title": "x"}).status_code == 422
    assert house.post(row, "create", **{"n/title": "Gate is broken", "n/urgent": "false"}).status_code == 200
    one = house.last()
    assert (one["kind"], one["collection"], one["of"], one["key"], one["state"]) == (
        "create",
        "reports",
        "holders",
        "L1",
        "waiting",
    )
    assert {name: each["proposed"] for name, each in one["fields"].items()} == {"title": "Gate is broken", "urgent": False, "holder": "L1", "keeper": "carl"}  # fmt: skip
    done = house.settle("apply", values={"title": "The gate is broken"}).json()
    made = house.http.get(f"/v1/records/reports/{done['created']}").json()
    assert (made["title"], made["keeper"], made["created_by"]) == (
        "The gate is broken",
        "carl",
        f"pass:list/{one['pass']}",
    )
    # What its condition says is applied at once.
    house.post(row, "create", **{"n/title": "Bank has slipped", "n/urgent": "true"})
    one = house.last()
    assert one["state"] == "applied"
    assert house.http.get(f"/v1/records/reports/{one['created']}").json()["title"] == "Bank has slipped"
    assert house.post(f"{link}/at/L3", tick="name", base="1", **{"f/name": "Ada Lark"}).status_code == 200
    assert house.last()["key"] == "L3"


def test_what_one_sent_by_a_link_that_many_have_is_not_for_the_others(house: House) -> None:
    link = house.make("list", None)
    row = f"{link}/at/L1"
    house.post(row, "create", **{"n/title": "Gate is broken", "once": "mine"})
    house.post(row, tick="name", once="mine-too", **{"f/name": "Zed Gull"})
    page = house.get(row)
    assert "Gate is broken" not in page.text and "Zed Gull" not in page.text
    for number in (1, 2):
        for others in (
            {},
            {"once": "yours"},
            {"once": "\udcff".encode("utf-8", "surrogatepass").decode("latin-1")},
        ):
            assert house.post(f"{row}/withdraw", proposal=str(number), **others).status_code == 404
    again = house.post(row, "create", **{"n/title": "Gate is broken", "once": "mine"})
    hidden = dict(re.findall(r'<input type="hidden" name="(\w+)" value="(\w+)">', again.text))
    assert house.post(f"{row}/withdraw", **hidden).status_code == 200
    assert [one["state"] for one in house.proposals()] == ["withdrawn", "waiting"]


def test_who_sends_very_much_waits_and_leaves_room_to_others(house: House) -> None:
    link = house.make("own")
    for number in range(20):
        assert house.change(link, phone=f"0555 {number}").status_code == 200
    slowed = house.change(link, phone="0555 99")
    assert slowed.status_code == 429 and 0 < int(slowed.headers["Retry-After"]) <= 60
    house.clock[0] += timedelta(minutes=1)
    assert house.change(link, phone="0555 99").status_code == 200
    row = f"{house.make('list', None)}/at/L1"

    def report(number: int, address: str) -> int:
        sent = {"kind": "create", "once": f"{address}/{number}", "n/title": f"Gate {number}"}
        return house.http.post(
            row, data=sent, headers={"X-Forwarded-For": address, "Authorization": ""}
        ).status_code

    assert [report(number, "198.51.100.1") for number in range(21)] == [200] * 20 + [429]
    assert report(0, "198.51.100.2") == 200
    house.clock[0] += timedelta(hours=1)
    assert report(21, "198.51.100.1") == 200


def test_that_all_is_right_and_that_it_is_to_go(house: House) -> None:
    link = house.make("own")
    assert "all of it is right" in house.post(link, "confirm").text
    assert (house.last()["kind"], house.last()["state"]) == ("confirm", "applied")
    gone = house.make("gone")
    assert house.post(gone, "delete").status_code == 422
    assert house.post(gone, "delete", meant="yes", note="Sold").status_code == 200
    one = house.last()
    assert (one["kind"], one["state"], one["note"]) == ("delete", "waiting", "Sold")
    assert house.settle("apply").json()["state"] == "applied"
    assert house.http.get("/v1/records/holders/L1").status_code == 404


def test_sent_twice_it_is_taken_once_and_a_used_up_pass_says_so(house: House) -> None:
    link = house.make("once")
    for _ in range(2):
        answer = house.post(link, once="same", tick="name", **{"f/name": "Zed Wren"})
        assert answer.status_code == 200
        # It could not be taken back by a link that is used up.
        assert "Take it back" not in answer.text
    assert "came in before" in answer.text
    assert len(house.proposals()) == 1
    assert house.get(link).status_code == 404
    assert house.post(link, once="another", tick="name", **{"f/name": "Zed"}).status_code == 404
    assert house.http.get("/v1/passes/1").json()["state"] in ("used up", "no link")


def test_what_waits_can_be_taken_back_by_who_sent_it(house: House) -> None:
    link, other = house.make("own"), house.make("own")
    house.change(link, name="Zed Wren", phone="0555 8")
    number = str(house.last()["number"])
    assert house.post(f"{other}/withdraw", proposal=number).status_code == 404
    assert house.post(f"{link}/withdraw", proposal=number).status_code == 200
    assert (house.last()["state"], house.last()["fields"]["name"]["state"]) == ("partly", "withdrawn")
    house.change(link, name="Zed Wren")
    assert house.settle("withdraw", reason="They rang").status_code == 200


# --- passes ----------------------------------------------------------------------------------------------


def test_a_pass_is_listed_renewed_and_revoked(house: House) -> None:
    link = house.make("own")
    number = house.number(link)
    told = house.http.get(f"/v1/passes/{number}").json()
    assert (told["state"], told["opened_at"], told["sent"], told["maker"]) == ("good", None, 0, "olga")
    house.get(link)
    house.change(link, phone="0555 9")
    told = house.http.get(f"/v1/passes/{number}").json()
    assert told["opened_at"] and told["sent"] == 1 and told["sent_at"]
    assert "link" not in told
    renewed = house.http.post(f"/v1/passes/{number}/renew", json={"days": 2}).json()
    assert house.get(link).status_code == 404 and house.get(renewed["link"]).status_code == 200
    assert house.http.delete(f"/v1/passes/{number}").status_code == 204
    assert house.get(renewed["link"]).status_code == 404
    assert house.http.post(f"/v1/passes/{number}/renew", json={}).status_code == 409
    links = [house.make("own"), house.make("once"), house.make("own", "L3")]
    revoked = house.http.delete("/v1/passes", params={"collection": "holders", "template": "own"}).json()
    # The one that an effect made for the house is of it, too.
    assert revoked == {"revoked": 3}
    assert [house.get(one).status_code for one in links] == [404, 200, 404]
    kept = house.http.get("/v1/passes", params={"collection": "holders", "key": "L3"}).json()["items"]
    assert [one["state"] for one in kept] == ["revoked"]


def test_a_rule_hands_out_passes_that_get_a_link_when_somebody_asks(house: House) -> None:
    [made] = house.http.get("/v1/passes", params={"collection": "holders", "key": "L2"}).json()["items"]
    assert (made["state"], made["maker"], made["rule"]) == ("no link", None, "holders:1")
    link = house.http.post(f"/v1/passes/{made['number']}/renew", json={}).json()["link"]
    assert "OTHER-NAME" in house.get(link).text
    told = house.http.get("/v1/records/holders/L2/history").json()["items"][0]
    with house.service.database.reading() as reading:
        entries = house.service.database.history.following(reading, told["sequence"], 1)
    assert (entries[0].collection, entries[0].cause, entries[0].via) == (
        "fenland_passes",
        told["sequence"],
        "effect",
    )
    preview = house.http.post("/v1/records/holders/L2/preview", json={"name": "x"})
    assert preview.status_code == 200


@pytest.mark.parametrize("linked", [False, True])
@pytest.mark.parametrize("whole", [True, False])
def test_what_a_rule_handed_out_goes_back_with_its_change(house: House, linked: bool, whole: bool) -> None:
    house.http.post("/v1/records/holders", json={"number": "L7", "name": "Una Reed", "kind": "house"})
    asked = {"params": {"collection": "holders", "key": "L7"}}
    made = house.http.get("/v1/passes", **asked).json()["items"][0]["number"]
    if linked:
        house.http.post(f"/v1/passes/{made}/renew", json={}).raise_for_status()
    told = house.http.get("/v1/records/holders/L7/history").json()["items"][0]["sequence"]
    undo = f"/v1/history/{told}/undo"
    preview = house.http.post(f"{undo}?preview=true", json={"consequences": whole})
    assert preview.status_code == 200, preview.text
    assert house.http.get(f"/v1/passes/{made}").json()["state"] == ("good" if linked else "no link")
    found = house.http.post(undo, json={"consequences": whole})
    assert found.status_code == 200, found.text
    did = ["revoke" if not linked else "nothing"] if whole else []
    for answer in (preview.json(), found.json()):
        assert [one["did"] for one in answer["items"]] == [*did, "delete"]
    with house.service.database.reading() as reading:
        one = house.service.database.passes.by_number(reading, made)
    assert one is not None and (one.revoked_at is not None) == (whole and not linked)
    assert verify_database(house.path).faults == []


def test_a_letter_run_gives_each_record_a_link(house: House) -> None:
    asked = {"collection": "holders", "template": "own", "where": "area == 'north'"}
    answer = house.http.post("/v1/passes/letters", json=asked)
    assert answer.headers["content-type"].startswith("text/csv")
    head, *rows = [line.split(",") for line in answer.text.strip().split("\r\n")]
    assert head == ["pass", "key", "name", "link", "good_until"]
    assert [row[1] for row in rows] == ["L1", "L3"]
    assert all(house.get(row[3]).status_code == 200 for row in rows)
    run = answer.headers["Fenland-Run"]
    # Carl hands out passes for what he may read, and for nothing else.
    theirs = house.http.post("/v1/passes/letters", json={**asked, "where": ""}, headers=bearer("cora"))
    assert [line.split(",")[1] for line in theirs.text.strip().split("\r\n")[1:]] == ["L2"]
    assert house.http.post("/v1/passes/letters", json=asked, headers=bearer("vic")).status_code == 403
    assert house.http.post("/v1/passes/letters", json={**asked, "template": "list"}).status_code == 422
    assert house.http.post("/v1/passes/letters", json={**asked, "where": "nope > 1"}).status_code == 400
    gone = house.http.delete("/v1/passes", params={"collection": "holders", "run": run}).json()
    assert gone == {"revoked": 2} and house.get(rows[0][3]).status_code == 404


def test_the_second_answer_is_asked_for_and_five_wrong_ones_lock(house: House) -> None:
    link = house.make("asked")
    number = house.number(link)
    page = house.get(link)
    assert "Zed Sparrow" not in page.text and "postcode" in page.text.lower()
    right = house.http.post(f"{link}/answer", data={"answer": "sl 12 fe".upper()}, headers=away())
    assert right.status_code == 303
    cookie = right.headers["Set-Cookie"]
    assert "HttpOnly" in cookie and "SameSite=Strict" in cookie and f"Path={httpx.URL(link).path}" in cookie
    proof = cookie.split(";")[0]
    house.http.cookies.clear()
    assert "Zed Sparrow" in house.get(link, Cookie=proof).text
    for turn in range(5):
        wrong = house.http.post(f"{link}/answer", data={"answer": "SL1"}, headers=away())
        assert wrong.status_code == 403
        assert ("locked" in wrong.text) == (turn == 4)
    assert house.get(link, Cookie=proof).status_code == 403
    assert house.http.get(f"/v1/passes/{number}").json()["state"] == "locked"
    assert house.http.post(f"/v1/passes/{number}/unlock").json()["state"] == "good"
    assert house.get(link, Cookie=proof).status_code == 200
    house.clock[0] += timedelta(hours=2)
    assert "Zed Sparrow" not in house.get(link, Cookie=proof).text


# --- what is not theirs ------------------------------------------------------------------------------------


def _over(house: House) -> str:
    link = house.make("own", days=1)
    house.clock[0] += timedelta(days=2)
    return link


def _revoked(house: House) -> str:
    link = house.make("own")
    house.http.delete(f"/v1/passes/{house.number(link)}").raise_for_status()
    return link


def _renewed(house: House) -> str:
    link = house.make("own")
    house.http.post(f"/v1/passes/{house.number(link)}/renew", json={}).raise_for_status()
    return link


def _made_by_carl(house: House, **account: Any) -> str:
    link = house.make("own", "L1", "carl")
    change_account(house.service, "carl", AccountChange(**account))
    return link


def _used(house: House) -> str:
    link = house.make("once")
    house.change(link, name="Zed Wren")
    return link


def _no_farm(house: House) -> str:
    link = house.make("farms")
    house.patch(kind="house")
    return link


def _deleted(house: House) -> str:
    link = house.make("own")
    house.http.delete("/v1/records/holders/L1").raise_for_status()
    return link


OVER: dict[str, Callable[[House], str]] = {
    "over": _over,
    "revoked": _revoked,
    "renewed": _renewed,
    "used up": _used,
    "of a record that is gone": _deleted,
    "of a record that it is not for any more": _no_farm,
    "of a maker who is disabled": lambda house: _made_by_carl(house, disabled=True),
    "of a maker who may hand out none": lambda house: _made_by_carl(house, roles=[]),
    "of a maker who may not read it": lambda house: _made_by_carl(house, attributes={"area": "south"}),
    "another text": lambda house: house.make("own")[:-1] + "~",
    "a beginning": lambda house: house.make("own")[:-4],
    "in capitals": lambda house: house.make("own").rpartition("/")[0] + "/" + house.make("own").rpartition("/")[2].upper(),
    "longer": lambda house: house.make("own") + "x",
    "with a zero byte": lambda house: house.make("own") + "%00",
    "very long": lambda house: "http://workshop/p/" + "x" * 5_000,
    "a hash": lambda house: "http://workshop/p/" + "0" * 64,
    "a number": lambda house: "http://workshop/p/1",
}  # fmt: skip


@pytest.mark.parametrize("name", OVER)
def test_a_link_that_is_not_good_is_answered_with_the_same_bytes_whyever(house: House, name: str) -> None:
    link = OVER[name](house)
    before = house.everything()
    known = house.get("http://workshop/p/wrong")
    assert known.status_code == 404
    for answer in (
        house.get(link),
        house.change(link, phone="0555 66"),
        house.post(f"{link}/withdraw", proposal="1"),
    ):
        assert (answer.status_code, answer.content) == (404, known.content)
        ours = {name: value for name, value in answer.headers.items() if name != "x-request-id"}
        assert ours == {name: value for name, value in known.headers.items() if name != "x-request-id"}
    assert house.everything() == before


@pytest.mark.parametrize(
    ("place", "other"), [("198.51.100.7", "198.51.100.8"), ("2001:db8::{}", "2001:db8:0:1::")]
)
def test_too_many_wrong_links_have_a_place_wait_and_no_other(house: House, place: str, other: str) -> None:
    def get(path: str, address: str) -> httpx.Response:
        return house.http.get(path, headers={"X-Forwarded-For": address, "Authorization": ""})

    link = house.make("own")
    for number in range(20):
        assert get(f"http://workshop/p/guess-{number}", place.format(number)).status_code == 404
    slowed = get(link, place.format(99))
    assert slowed.status_code == 429 and int(slowed.headers["Retry-After"]) > 0
    assert get(link, other).status_code == house.get(link).status_code == 200


def test_pages_count_against_the_rate_limit_by_address(tmp_path: Path) -> None:
    with workshop_of(DESCRIBED, tmp_path / "x.db", rate_limit=12, trusted_proxies=["127.0.0.0/8"]) as (
        service,
        http,
    ):
        house = filled(service, http, tmp_path / "x.db")
        link, here = house.make("own"), {"X-Forwarded-For": "198.51.100.9", "Authorization": ""}
        assert {house.http.get(link, headers=here).status_code for _ in range(12)} == {200}
        slowed = house.http.get(link, headers=here)
        assert slowed.status_code == 429 and int(slowed.headers["Retry-After"]) <= 60
        assert house.get(link).status_code == 200


@pytest.mark.parametrize("path", ["", "/answer", "/at/L1", "/sent/1", "/choices/team", "/wrong/way"])
def test_no_line_of_the_log_holds_a_secret(
    house: House, path: str, monkeypatch: pytest.MonkeyPatch, capsys: pytest.CaptureFixture[str]
) -> None:
    link = house.make("own")
    secret = link.rsplit("/", 1)[1]
    for address in (
        link,
        link.replace("/p/", "//p//"),
        link.replace("/p/", "/P/"),
        link.replace("/p/", "/at/p/"),
    ):
        house.get(address + path)
        house.post(address + path)

    def broken(*_: Any) -> None:
        raise RuntimeError("Nobody expected this.")

    monkeypatch.setattr("fenland.web.outside.pages.count_request", broken)
    assert house.http.post(link + "/answer", headers=away()).status_code == 500
    written = "".join(capsys.readouterr())
    assert "Nobody expected this." in written and "/p/…" in written
    assert secret not in written


Try = Callable[[House, str], httpx.Response]


def sends(_kind: str = "change", **inputs: Any) -> Try:
    return lambda house, link: house.post(link, _kind, **inputs)


def ticks(name: str, value: str = "x", **more: str) -> Try:
    return lambda house, link: house.post(link, tick=name, **{f"f/{name}": value, **more})


def at(path: str, template: str = "own", key: str | None = "L1") -> Try:
    return lambda house, link: house.get((link if template == "own" else house.make(template, key)) + path)


def cookie(make: Callable[[House], str]) -> Try:
    return lambda house, link: house.get(house.make("asked"), Cookie=f"fenland_pass={make(house)}")


def api(method: str, path: str, body: Any = None, **headers: str) -> Try:
    """The API, asked with the secret of a pass in one place or another."""

    def ask(house: House, link: str) -> httpx.Response:
        secret = link.rpartition("/")[2]
        filled = {name: value.replace("SECRET", secret) for name, value in headers.items()}
        return house.http.request(method, path, json=body, headers={"Authorization": "", **filled})

    return ask


def raw(content: bytes, kind: str = "application/x-www-form-urlencoded") -> Try:
    return lambda house, link: house.http.post(
        link, content=content, headers={"Content-Type": kind, **away()}
    )


def by(who: str, method: str, path: str, body: Any = None, **headers: str) -> Try:
    return lambda house, link: house.http.request(method, path, json=body, headers={**bearer(who), **headers})


def scoped(house: House, _link: str) -> httpx.Response:
    secret, _ = issue_token(house.service, "olga", NewToken(scope=Scope(frozenset({"read", "pass"}), None)))
    asked = {"collection": "holders", "template": "own", "key": "L1"}
    return house.http.post("/v1/passes", json=asked, headers={"Authorization": f"Bearer {secret}"})


def other_sends(house: House, link: str) -> httpx.Response:
    """What is another pass's, by one that shares nothing but its template."""
    house.change(house.make("own"), name="Mine")
    return house.post(f"{link}/withdraw", proposal=str(house.last()["number"]))


OWN_L1 = {"collection": "holders", "template": "own", "key": "L1"}
LONG = "1" * 30
#: What a holder tries beyond their pass, or somebody else beyond theirs: refused, and nothing is told or changed.
ATTEMPTS: dict[str, Try] = {
    # other records
    "another record by its key": at("/at/L2"), "its own record by its key": at("/at/L1"), "a record that is not listed": at("/at/L2", "list", None),
    "one that is not there": at("/at/L99", "list", None), "a listed one by its id": lambda house, link: house.get(house.make("list", None) + f"/at/{house.holder()['id']}"),
    "a step up": at("/../own"), "a step inside": at("/at/L1/withdraw"), "a list beyond its end": at("/at/%00", "list", None),
    # other fields
    **{f"changes {name}": ticks(name) for name in ("notes", "number", "clerk", "pin", "stamped", "count", "id", "version", "created_by", "area", "nope", "__class__", "")},
    "changes a hidden field beside": sends(tick=["phone", "notes"], **{"f/phone": "1", "f/notes": "x"}),
    "a property that is not there": ticks("address/secret"), "a reference that is not to be chosen": ticks("team", "T3"), "one that its maker may not see": ticks("team", "T2"),
    "a field of another template": lambda house, link: house.post(house.make("farms"), tick="phone", **{"f/phone": "1"}),
    "creates where nothing is created": sends("create", **{"n/title": "abc"}), "deletes where nothing is deleted": sends("delete", meant="yes"),
    "confirms where nothing is confirmed": lambda house, link: house.post(house.make("farms"), "confirm"), "another kind": sends("erase"), "no kind": sends(""),
    "another owner of what it creates": lambda house, link: house.post(house.make("list", None) + "/at/L1", "create", **{"n/title": "abc", "n/keeper": "x", "n/number": "R-9", "n/holder": "L2"}, tick="keeper"),
    # what was seen, and which sending it is
    "a base of the future": lambda house, link: house.post(link, base="999", tick="phone", **{"f/phone": "1"}), "a base of nobody": lambda house, link: house.post(link, base="0", tick="phone", **{"f/phone": "1"}),
    "a base that is no number": lambda house, link: house.post(link, base="x", tick="phone", **{"f/phone": "1"}), "a base beyond all": lambda house, link: house.post(link, base=LONG, tick="phone", **{"f/phone": "1"}),
    "no sending": sends(once="", tick="phone", **{"f/phone": "1"}), "a long sending": sends(once="x" * 65, tick="phone", **{"f/phone": "1"}), "a long note": sends(note="x" * 1_001, tick="phone", **{"f/phone": "1"}),
    "a note with a zero byte": sends(note="\0", tick="phone", **{"f/phone": "1"}), "a value with a zero byte": ticks("name", "a\0b"), "takes back what is another's": other_sends,
    "takes back what is not there": lambda house, link: house.post(f"{link}/withdraw", proposal="99999"), "takes back no number": lambda house, link: house.post(f"{link}/withdraw", proposal="-1"),
    # the second answer
    "without an answer": at("", "asked"), "sends without one": lambda house, link: house.change(house.make("asked"), phone="1"), "an invented proof": cookie(lambda house: "9999999999.abc"),
    "a proof without an end": cookie(lambda house: ".abc"), "a long proof": cookie(lambda house: "9" * 5_000),
    "another's proof": cookie(lambda house: _proof(house)), "its end made later": cookie(lambda house: "9999999999" + _proof(house)[10:]),
    "an answer where none is asked": lambda house, link: house.http.post(f"{link}/answer", data={"answer": ""}, headers=away()),
    # forms that are none
    "a body of JSON": raw(b'{"kind": "change"}', "application/json"), "a file": raw(b'--x\r\nContent-Disposition: form-data; name="a"; filename="b"\r\n\r\nc\r\n--x--', "multipart/form-data; boundary=x"),
    "half a form": raw(b'--x\r\nContent-Disposition: form-data; name="kind"\r\n\r\nchange', "multipart/form-data; boundary=x"), "not UTF-8": raw(b"kind=change&f/name=%ff"),
    "too many inputs": raw(b"&".join(b"a=1" for _ in range(2_000))), "too much": raw(b"note=" + b"x" * 1_100_000), "nothing": raw(b""),
    "another method": lambda house, link: house.http.put(link, headers=away()), "another method, said": lambda house, link: house.http.post(link, headers={"X-HTTP-Method-Override": "DELETE", **away()}),
    # the secret elsewhere
    "as a token": api("GET", "/v1/records/holders", Authorization="Bearer SECRET"), "as a password": api("GET", "/v1/records/holders", Authorization="Basic b2xnYTp4"),
    "as a session": api("GET", "/v1/records/holders", Cookie="fenland_session=SECRET"), "to change": api("PATCH", "/v1/records/holders/L1", {"name": "x"}, Authorization="Bearer SECRET"),
    "to review": api("POST", "/v1/proposals/1/apply", {}, Authorization="Bearer SECRET"), "to see passes": api("GET", "/v1/passes?collection=holders", Authorization="Bearer SECRET"),
    # who has an account, and no such right
    "makes one without the right": by("vic", "POST", "/v1/passes", OWN_L1), "for a record that is not theirs": by("cora", "POST", "/v1/passes", OWN_L1), "of no template": by("olga", "POST", "/v1/passes", {**OWN_L1, "template": "none"}),
    "of a list for a record": by("olga", "POST", "/v1/passes", {**OWN_L1, "template": "list"}), "for nothing": by("olga", "POST", "/v1/passes", {"collection": "holders", "template": "own"}),
    "for a record that it is not for": by("olga", "POST", "/v1/passes", {**OWN_L1, "template": "farms", "key": "L3"}), "good for ever": by("olga", "POST", "/v1/passes", {**OWN_L1, "days": 100_000}),
    "with a token that reaches less far": scoped, "sees another's": by("cora", "GET", "/v1/passes/2"), "lists what is not theirs": by("vic", "GET", "/v1/passes?collection=holders"),
    "reviews without the right": by("carl", "POST", "/v1/proposals/1/apply", {}), "reads it without": by("carl", "GET", "/v1/proposals/1"), "refuses it without": by("carl", "POST", "/v1/proposals/1/refuse", {"reason": "x"}),
}  # fmt: skip


def _proof(house: House) -> str:
    link = house.make("asked", "L2")
    answer = house.http.post(f"{link}/answer", data={"answer": "SL1 2FE"}, headers=away())
    house.http.cookies.clear()
    return answer.headers["Set-Cookie"].partition("=")[2].partition(";")[0]


def test_there_are_attempts_enough() -> None:
    assert len(ATTEMPTS) + len(OVER) >= 80


#: Those that the page answers as an ordinary question: nothing is told that it does not ask.
ASKED = {
    "without an answer",
    *(name for name in ATTEMPTS if "proof" in name),
    "its end made later",
    "sends without one",
}


@pytest.mark.parametrize("name", ATTEMPTS)
def test_what_a_pass_does_not_lend_is_refused_and_changes_nothing(shared: House, name: str) -> None:
    link = shared.make("own")
    if not shared.proposals():
        shared.change(link, name="Waits")
    before = shared.everything()
    answer = ATTEMPTS[name](shared, link)
    shared.http.cookies.clear()
    assert answer.status_code < 500, answer.text
    assert answer.status_code >= 400 or name in ASKED, answer.text
    assert [one for one in HIDDEN if one in answer.text] == [], answer.text
    if name in ASKED:
        assert "Zed Sparrow" not in answer.text
    after = shared.everything()
    if name == "takes back what is another's":
        # What the other sent is there, and waits still.
        assert after[1][-1].state == "waiting"
        return
    assert after == before


def test_pages_stand_in_no_frame_and_no_cache_and_say_their_address_to_nobody(shared: House) -> None:
    for address in (shared.make("own"), "http://workshop/p/none", shared.make("list", None)):
        headers = shared.get(address, Host="evil.example").headers
        assert "frame-ancestors 'none'" in headers["content-security-policy"]
        assert headers["content-security-policy"].startswith("default-src 'none'")
        assert (headers["x-frame-options"], headers["referrer-policy"], headers["cache-control"]) == (
            "DENY",
            "no-referrer",
            "no-store",
        )
        assert "evil.example" not in shared.get(address, Host="evil.example").text
        assert "set-cookie" not in headers


@pytest.mark.parametrize(
    "text", ["<script>alert(1)</script>", '"><img src=x>', "{{ 7 * 7 }}", "a & b 'c'", "&lt;b&gt;"]
)
def test_whatever_stands_in_values_is_text_on_the_page(shared: House, text: str) -> None:
    link = shared.make("own")
    shared.patch("L3", name=text)
    assert text not in shared.get(shared.make("own", "L3")).text.replace("a &amp; b", "") or "<" not in text
    wrong = shared.post(link, tick=["phone", "name"], note=text, **{"f/phone": "abc", "f/name": text})
    assert wrong.status_code == 422
    if "<" in text:
        assert text not in wrong.text
    assert "49" not in texts(wrong) or "{{" not in text


def test_rules_can_tell_passes_apart(tmp_path: Path) -> None:
    described = deepcopy(DESCRIBED)
    holders = described["holders"]
    holders["access"]["update"] = "actor.via != 'pass' || pass.template == 'farms'"
    holders["fields"]["born"]["access"] = {"read": "pass.number == 0"}
    with workshop_of(described, tmp_path / "x.db", trusted_proxies=["127.0.0.0/8"]) as (service, http):
        house = filled(service, http, tmp_path / "x.db")
        house.patch(born="1961-02-03")
        link = house.make("own")
        page = house.get(link)
        assert page.status_code == 200 and "1961" not in page.text
        assert house.change(link, phone="0555 9").status_code == 403
        assert house.change(house.make("farms"), name="Zed Wren").status_code == 200
        assert house.holder()["name"] == "Zed Wren"


def test_passes_that_outlive_their_makers_go_by_their_template_alone(tmp_path: Path) -> None:
    settings = {"trusted_proxies": ["127.0.0.0/8"], "passes_outlive_makers": True, "proposal_origins": "none"}
    with workshop_of(DESCRIBED, tmp_path / "x.db", **settings) as (service, http):
        house = filled(service, http, tmp_path / "x.db")
        link = _made_by_carl(house, disabled=True)
        page = house.get(link)
        assert page.status_code == 200 and "SECRET-NOTE" not in page.text
        assert house.change(link, phone="0555 9", name="Zed Wren").status_code == 200
        assert house.holder()["phone"] == "0555 9" and house.last()["from"] == ""
        assert house.post(link, tick="notes", **{"f/notes": "x"}).status_code == 403


# --- what else reaches into them -----------------------------------------------------------------------------


def test_erasing_takes_values_out_of_what_was_proposed(house: House) -> None:
    link = house.make("own")
    house.change(link, phone="0555 66", name="Zed Wren")
    house.change(link, phone="0555 67")
    base = str(house.holder()["version"])
    house.patch(phone="0555 68")
    house.post(link, base=base, note="It is 0555 69", tick="phone", **{"f/phone": "0555 69"})
    assert house.last()["state"] == "waiting"
    house.http.post(
        "/v1/records/holders/L1/erase", json={"fields": ["phone"], "reason": "asked"}
    ).raise_for_status()
    told = json.dumps(house.proposals()) + house.get(link).text
    assert "0555 6" not in told
    assert house.last()["fields"]["phone"]["state"] == "refused" and "Zed Wren" in told
    assert b"0555 6" not in b"".join(one.read_bytes() for one in house.path.parent.glob("x.db*"))
    assert verify_database(house.path).faults == []


def test_what_was_settled_long_ago_is_forgotten(house: House) -> None:
    link = house.make("own", days=3_000)
    house.change(link, phone="0555 7")
    house.change(link, name="Waits")
    house.clock[0] += timedelta(days=366)
    house.change(link, phone="0555 8")
    assert [one["fields"].keys() for one in house.proposals()] == [{"name"}, {"phone"}]
    assert verify_database(house.path).faults == []


def test_verifying_holds_passes_and_proposals_against_their_entries(house: House) -> None:
    link = house.make("own")
    house.change(link, phone="0555 7", name="Waits")
    house.settle("apply")
    assert verify_database(house.path).faults == []
    import sqlite3

    raw = sqlite3.connect(house.path)
    raw.execute("UPDATE fenland_passes SET expires_at = '2099-01-01T00:00:00Z'")
    raw.execute("UPDATE fenland_proposals SET fields = replace(fields, '\"applied\"', '\"refused\"')")
    raw.commit()
    raw.close()
    kinds = {one.kind for one in verify_database(house.path).faults}
    assert kinds == {"pass", "proposal"}


def test_a_migration_carries_passes_and_what_waits_along(tmp_path: Path) -> None:
    path = tmp_path / "x.db"
    with workshop_of(DESCRIBED, path, trusted_proxies=["127.0.0.0/8"]) as (service, http):
        house = filled(service, http, path)
        link, other, once = house.make("own"), house.make("own", "L3"), house.make("once")
        house.change(link, name="Zed Wren", email="z@farm.example", acres="7.5", parcels="")
    described = deepcopy(DESCRIBED)
    people = described["people"] = described.pop("holders")
    people["was"] = "holders"
    described["reports"]["fields"]["holder"]["references"] = "people"
    people["fields"]["full_name"] = {**people["fields"].pop("name"), "was": "name"}
    del people["fields"]["email"]
    del people["checks"]
    people["passes"] = {
        "own": {"shows": ["full_name", "phone", "parcels"], "changes": {"full_name": "review", "parcels": "review"}},
    }  # fmt: skip
    del people["effects"]
    made = Made("olga", "test", datetime.now(UTC).isoformat())
    migrate(path, definitions_from(described, ["office", "crew"]), made, lambda _: None)
    with workshop_of(described, path, trusted_proxies=["127.0.0.0/8"]) as (service, http):
        house = House(service, http, path)
        page = house.http.get(link, headers=away())
        assert page.status_code == 200 and "Zed Wren" in page.text and "Zed Sparrow" in page.text
        assert house.http.get(once, headers=away()).status_code == 404
        [one] = house.proposals()
        assert (one["of"], {*one["fields"]}) == ("people", {"full_name", "parcels", "acres"})
        assert house.settle("apply").status_code == 200
        assert house.last()["state"] == "applied"
        assert http.get("/v1/records/people/L1").json()["full_name"] == "Zed Wren"
        assert house.http.get(other, headers=away()).status_code == 200


def test_the_feed_tells_who_may_review(house: House) -> None:
    end = house.http.get("/v1/changes").headers["Link"]
    after = re.search(r"after=([0-9.]+)", end)
    assert after is not None
    link = house.make("own")
    house.change(link, name="Zed Wren")
    house.settle("apply")

    def told(who: str, **query: str) -> list[Any]:
        found = house.http.get("/v1/changes", params={"after": after[1], **query}, headers=bearer(who)).json()
        return [(one["type"], one.get("subject")) for one in found if "proposal" in one["type"]]

    number = str(house.last()["number"])
    assert told("olga") == [("fenland.proposal.proposed", number), ("fenland.proposal.reviewed", number)]
    assert told("olga", collection="holders") == told("olga") and told("olga", collection="teams") == []
    assert told("carl") == told("vic") == []


# --- languages and words -------------------------------------------------------------------------------------


def test_pages_speak_the_readers_language_as_far_as_it_is_there(house: House) -> None:
    german = Wording(
        "de", {"send": "Absenden"}, {"Your details": "Ihre Angaben", "Phone": "Telefon", "farm": "Hof"}
    )
    house.service.outsiders.wordings["de"] = german  # type: ignore[index]
    house.patch(born="1961-02-03", acres=1234.5)
    link = house.make("own")
    page = house.get(link, **{"Accept-Language": "fr;q=0.5, de-AT, en;q=0.1"})
    assert '<html lang="de"' in page.text
    for text in ("Ihre Angaben", "Telefon", "Absenden", "Hof", "3. Februar 1961", "1.234,5"):
        assert text in page.text, text
    assert '<html lang="en"' in house.get(link, **{"Accept-Language": "fr"}).text
    assert '<html lang="en"' in house.get(link, **{"Accept-Language": "*;;q=x,,-"}).text


def test_a_project_that_is_started_says_it_in_its_own_words(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "notes")
    (folder / "messages").mkdir()
    (folder / "messages" / "de.yaml").write_text("words: {ended_title: Dieser Link gilt nicht mehr}\n")
    running = start("start", folder, tmp_path / "log", "--workers", "1")
    page = httpx.get(f"{running.address}/p/{'x' * 43}", headers={"Accept-Language": "de"})
    assert "Dieser Link gilt nicht mehr" in page.text
    running.stop()


@pytest.mark.parametrize(
    ("data", "where"),
    [
        ([], ()), ({"wrods": {}}, ("wrods",)), ({"words": []}, ("words",)), ({"words": {"sned": "x"}}, ("words", "sned")), ({"words": {"send": ""}}, ("words", "send")),
        ({"texts": {"a": 1}}, ("texts", "a")), ({"words": {"is_wrong": "{feld}"}}, ("words", "is_wrong")),
    ],
)  # fmt: skip
def test_messages_that_mean_nothing_are_told_with_their_place(data: Any, where: tuple[str, ...]) -> None:
    [(place, what, hint)] = wrong_in(data)
    assert place == where and what and hint


def test_every_word_is_used() -> None:
    sources = Path(__file__).parents[1] / "src" / "fenland" / "web" / "outside"
    text = "".join(one.read_text() for one in sources.rglob("*") if one.suffix in (".py", ".html"))
    made = {f"state_{one}" for one in ("waiting", "applied", "partly", "refused", "withdrawn", "overtaken")}
    made |= {"kind_confirm", "kind_delete", *(name for name in WORDS if name.startswith("problem_"))}
    assert {name for name in WORDS if f'"{name}"' not in text} - made == set()


WRONG: list[tuple[dict[str, Any], str]] = [
    ({"shows": ["name", "nmae"]}, "which is no field. Did you mean 'name'"),
    ({"shows": ["name", "pin"]}, "would show 'pin', which is writeOnly"),
    ({"shows": []}, "shows is []"),
    ({"shows": ["name", "count"], "changes": ["count"]}, "which is derived"),
    ({"shows": ["stamped"], "changes": ["stamped"]}, "rules alone set"),
    ({"shows": ["number"], "changes": ["number"]}, "which is the key"),
    ({"shows": ["clerk"], "changes": ["clerk"]}, "whose the record is"),
    ({"shows": ["name"], "changes": ["phone"]}, "which its page does not show"),
    ({"shows": ["name"], "changes": {"name": "maybe"}}, "name is 'maybe'. Write review"),
    ({"shows": ["name"], "changes": {"name": {"if": "next.nope == 1"}}}, "nope"),
    ({"shows": ["name"], "changes": {"name": {"if": "pass.tmplate == 'x'"}}}, "tmplate"),
    ({"shows": ["team"], "changes": ["team"]}, "Add choices"),
    ({"shows": ["name"], "choices": {"name": "true"}}, "no reference among the changes"),
    ({"shows": ["name"], "sort": "name"}, "no list to sort"),
    ({"shows": ["name"], "lists": True, "sort": "phone"}, "which the list does not show"),
    ({"shows": ["name"], "lists": True, "answer": "name"}, "so answer has no say"),
    ({"shows": ["name"], "answer": "address"}, "nobody can write down"),
    ({"shows": ["name"], "answer": "address.zip"}, "which is no field"),
    ({"shows": ["name"], "days": 0}, "days is 0"),
    ({"shows": ["name"], "creates": {"collection": "reprots", "fields": ["title"]}}, "Did you mean 'reports'"),
    ({"shows": ["name"], "creates": {"collection": "reports", "fields": ["urgent"]}}, "without title, which is required"),
    ({"shows": ["name"], "creates": {"collection": "reports", "fields": ["title", "keeper"]}}, "whose the record is"),
    ({"shows": ["name"], "creates": {"collection": "reports", "fields": ["title"], "with": {"urgent": "record.name"}}}, "urgent"),
    ({"shows": ["name"], "tells": True}, "no keyword 'tells'"),
]  # fmt: skip


@pytest.mark.parametrize(("template", "said"), WRONG)
def test_a_template_that_cannot_be_meant_is_refused_when_it_is_read(
    template: dict[str, Any], said: str
) -> None:
    described = {
        **DESCRIBED,
        "holders": {**DESCRIBED["holders"], "effects": [], "passes": {"wrong": template}},
    }
    with pytest.raises(DefinitionMistakes) as found:
        definitions_from(described, ["office", "crew"])
    assert said in str(found.value)


def test_effects_name_templates_that_are_there() -> None:
    for name, said in (("owm", "Did you mean 'own'"), ("list", "lists"), (3, "pass is 3")):
        described = {
            **DESCRIBED,
            "holders": {**DESCRIBED["holders"], "effects": [{"on": "create", "pass": name}]},
        }
        with pytest.raises(DefinitionMistakes, match=said):
            definitions_from(described, ["office", "crew"])


# --- all at once -----------------------------------------------------------------------------------------------

FIELDS = ("name", "phone", "email", "acres")


@pytest.mark.parametrize("seed", range(20 if NIGHTLY else 2))
def test_every_field_of_every_proposal_ends_in_one_state_whoever_is_quicker(house: House, seed: int) -> None:
    """Eight threads propose, change, apply, refuse, withdraw, delete nothing: what is applied is what stands."""
    service = house.service
    olga = Caller(Actor("olga", roles=frozenset({"office"})))
    secrets = [
        make_pass(service, olga, PassRequest("holders", "own", Address("holders", "L1"))).secret
        for _ in range(4)
    ]
    failures: list[BaseException] = []

    def value(dice: random.Random, name: str) -> Any:
        number = dice.randrange(10_000)
        return {
            "name": f"N{number}",
            "phone": f"0555 {number}",
            "email": f"a{number}@farm.example",
            "acres": number,
        }[name]

    def work(number: int) -> None:
        dice = random.Random(seed * 100 + number)
        asking = Asking(secrets[number % 4], address=f"10.0.0.{number}")
        for turn in range(12):
            chosen = dice.sample(FIELDS, dice.choice([1, 2]))
            fields = {name: value(dice, name) for name in chosen}
            try:
                if number < 4:
                    version = open_pass(service, asking).version
                    base = max(1, version - dice.choice([0, 0, 1, 3]))
                    propose(service, asking, Sending("change", MergePatch(fields), f"{number}.{turn}", base))
                elif number < 6:
                    address = Address("holders", "L1")
                    update(service, olga, UpdateRequest(address, MergePatch(fields)))
                else:
                    settle = dice.choice([apply_proposal, apply_proposal, refuse_proposal])
                    settle(service, olga, Settling(dice.randrange(1, 40), reason="so"))
            except Refusal:
                continue
            except BaseException as error:
                failures.append(error)
                raise

    service.clock = lambda: datetime.now(UTC)
    threads = [threading.Thread(target=work, args=(number,)) for number in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert failures == []
    with service.database.reading() as reading:
        found = service.database.proposals.page(reading, ProposalsWanted(limit=1_000))
        record_id = house.holder()["id"]
        entries, _ = service.database.history.of_record(reading, record_id, below=2**62, limit=1_000)
    assert len(found) > 10
    applied = {
        (one.proposal, name): after
        for one in entries
        if one.proposal
        for name, (_, after) in one.changes.items()
    }
    fields = {(one.number, name): each for one in found for name, each in one.fields.items()}
    for place, each in fields.items():
        assert each.state in ("waiting", "applied", "refused", "overtaken")
        # What is said to be applied was changed by it, or stood there already; and nothing else was.
        if each.state != "applied":
            assert place not in applied, (place, each)
        elif place in applied:
            assert applied[place] == each.proposed or float(applied[place]) == float(each.proposed), place
    newest = {name: after for one in reversed(entries) for name, (_, after) in one.changes.items()}
    now = house.holder()
    assert {name: now[name] for name in FIELDS if name in newest} == {
        name: _plain(newest[name]) for name in FIELDS if name in newest
    }
    for one in {each.pass_number for each in found}:
        for name in FIELDS:
            waiting = [each.number for each in found if each.pass_number == one and name in each.waiting]
            assert len(waiting) <= 1, (one, name, waiting)
    assert verify_database(house.path).faults == []


def _plain(value: Any) -> Any:
    return float(value) if not isinstance(value, str) and value is not None else value
