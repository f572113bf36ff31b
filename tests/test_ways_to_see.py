"""Every way to see: what somebody may not read stands in nothing that any of them answers.

`SEEN` is the table of ways: for each route that answers with something, what is asked of it; beside them changes and
their previews, which answer with records, the stream, files, and notices to another system. A route that is not in the
table fails a test: enter it, and it is asked by who may see all of it and by who may not.
"""

from __future__ import annotations

import asyncio
import io
import json
import zipfile
from collections.abc import Callable, Iterator
from typing import Any, NamedTuple

import httpx
import pytest

from fenland.service.notices.sending import Sender
from fenland.service.service import Service
from fenland.web.routes import ROUTES
from support import bearer, workshop_of

OFFICE, EVERYONE = ["office"], ["everyone"]
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
TEXT = {"type": "string"}
ALL = dict.fromkeys(("create", "update", "delete", "transfer", "erase", "pass", "review"), EVERYONE)
#: What carl of the crew may read of none of it: a field, a record, a collection, what is said of them elsewhere.
HIDDEN = ("PAY-4711", "SHUT-4711", "VAULT-4711")
WORKS: dict[str, Any] = {
    "sites": {
        "key": "code",
        "access": ALL | {"read": "'office' in actor.roles || record.open == true"},
        "fields": {"code": CODE, "open": {"type": "boolean"}, "name": TEXT | {"search": True}},
    },
    "jobs": {
        "key": "code",
        "access": ALL | {"read": "'office' in actor.roles || record.title != 'shut'"},
        "fields": {
            "code": CODE, "title": TEXT | {"search": True}, "site": {"references": "sites", "on_delete": "clear"},
            "pay": TEXT | {"search": True, "access": {"read": OFFICE, "update": OFFICE}}, "count": {"type": "integer"},
        },
        "effects": [{"on": "update", "if": "after.count == 3", "notice": "counted", "with": {"pay": "after.pay"}}],
        "checks": [{"rule": "next.title != next.pay", "message": "Not as the pay.", "fields": ["title", "pay"]}],
        "passes": {
            "own": {
                "title": "Yours", "shows": ["code", "title", "site", "pay"], "changes": ["title", "site", "pay"],
                "choices": {"site": "true"}, "confirms": True, "deletes": True, "tells_reasons": True,
            },
            "all": {"lists": True, "shows": ["code", "title", "pay"], "sort": "-pay", "changes": ["title"]},
        },
    },
    "vault": {"key": "code", "access": dict.fromkeys(("read", *ALL), OFFICE), "fields": {"code": CODE, "job": {"references": "jobs", "on_delete": "clear"}}},
}  # fmt: skip
SETTINGS: dict[str, Any] = {
    "account_managers": ["office"], "account_subscribers": ["crew"], "notice_plain_http": True, "notice_networks": ["127.0.0.0/8"],
}  # fmt: skip


class House(NamedTuple):
    service: Service
    http: httpx.Client


@pytest.fixture(scope="module")
def house(tmp_path_factory: pytest.TempPathFactory) -> Iterator[House]:
    with workshop_of(WORKS, tmp_path_factory.mktemp("house") / "x.db", **SETTINGS) as (service, http):

        def done(method: str, path: str, **fields: Any) -> None:
            http.request(method, f"/v1/records/{path}", json=fields).raise_for_status()

        done("POST", "sites", code="S1", open=True, name="north")
        done("POST", "sites", code="S2", open=False, name="SHUT-4711")
        done("POST", "jobs", code="J1", title="nights", site="S1", pay="PAY-4711", count=1)
        done("PATCH", "jobs/J1", title="shut")
        done("PATCH", "jobs/J1", title="days", count=3)
        done("POST", "jobs", code="J2", title="shut", site="S2", pay="PAY-4711")
        done("PATCH", "jobs/J2", pay="PAY-4711!")
        done("POST", "vault", code="VAULT-4711", job="J1")
        done("POST", "jobs", code="J3", title="gone", pay="PAY-4711")
        done("DELETE", "jobs/J3")
        for who in ("olga", "carl"):
            for data in ("changes", "record"):
                named = {"name": f"{who}-{data}", "url": "http://127.0.0.1:1/in", "data": data}
                http.post("/v1/subscriptions", json=named, headers=bearer(who)).raise_for_status()
        for key in ("J1", "J2"):
            link = http.post("/v1/passes", json={"collection": "jobs", "template": "own", "key": key}).json()[
                "link"
            ]
            values = {"f/pay": "PAY-4711?", "f/title": f"of {key}"}
            sent = http.post(
                link, data={"kind": "change", "base": "1", "once": key, "tick": ["pay", "title"], **values}
            )
            assert sent.status_code == 200, sent.text
        yield House(service, http)


Way = Callable[[House, str], str]


def got(*paths: str, **headers: str) -> Way:
    def way(house: House, who: str) -> str:
        told = ""
        for path in paths:
            answer = house.http.get(path, headers={**bearer(who), **headers})
            assert answer.status_code < 500, answer.text
            told += f"{dict(answer.headers)}\n{_text(answer)}\n"
        return told

    return way


def sent(method: str, path: str, body: Any = None, kind: str = "application/json") -> Way:
    """A change, which is not kept: it is a preview, or refused by its version."""

    def way(house: House, who: str) -> str:
        content = body if isinstance(body, str) or body is None else json.dumps(body)
        answer = house.http.request(
            method, path, content=content, headers={**bearer(who), "Content-Type": kind}
        )
        assert answer.status_code < 500, answer.text
        return f"{dict(answer.headers)}\n{answer.text}"

    return way


def opened(template: str, key: str, **inputs: Any) -> Way:
    """What somebody sees by a pass that they made: the page, and what comes of sending something by it."""

    def way(house: House, who: str) -> str:
        asked = {"collection": "jobs", "template": template, **({"key": key} if template == "own" else {})}
        made = house.http.post("/v1/passes", json=asked, headers=bearer(who))
        if made.status_code != 201:
            return made.text
        link = made.json()["link"] + ("" if template == "own" or not inputs else f"/at/{key}")
        told = [made, house.http.get(link)]
        if inputs:
            told.append(house.http.post(link, data={"base": "2", "once": who, **inputs}))
        assert all(one.status_code < 500 for one in told), told[-1].text
        return "\n".join(f"{dict(one.headers)}\n{one.text}" for one in told)

    return way


def _text(answer: httpx.Response) -> str:
    if answer.headers.get("Content-Type", "").startswith("application/vnd.openxml"):
        with zipfile.ZipFile(io.BytesIO(answer.content)) as book:
            return "\n".join(book.read(name).decode() for name in book.namelist())
    return answer.text


def told_elsewhere(house: House, who: str) -> str:
    """All that another system is sent for somebody, taken as it would be posted."""
    service, posted = house.service, list[bytes]()
    for data in ("changes", "record"):
        again = house.http.post(
            f"/v1/subscriptions/{who}-{data}/resend", json={"since": "2020-01-01"}, headers=bearer(who)
        )
        again.raise_for_status()

    class Kept(Sender):
        def _send(self, one: Any, delivery: Any, body: bytes) -> None:
            if one.account == who:
                posted.append(body)
            self._results.append(_taken(one, delivery))

    async def all_of_it() -> None:
        sender = Kept(service)
        sender._woken = asyncio.Event()
        for _ in range(20):
            sender._round()

    asyncio.run(all_of_it())
    return b"\n".join(posted).decode()


def _taken(one: Any, delivery: Any) -> Any:
    from fenland.service.notices.posting import Answer
    from fenland.service.notices.sending import _Result

    return _Result(one, delivery, Answer(0, 200), delivery.time)


def inspected(*ways: Way) -> Way:
    """What the request inspector tells somebody of what they asked before."""

    def way(house: House, who: str) -> str:
        house.http.put("/v1/requests", json={"minutes": 5}, headers=bearer(who)).raise_for_status()
        for one in ways:
            one(house, who)
        told = got("/v1/requests?limit=200", "/v1/requests/1")(house, who)
        house.http.delete("/v1/requests", headers=bearer(who)).raise_for_status()
        return told

    return way


J1, JOBS = "/v1/records/jobs/J1", "/v1/records/jobs"
CSV, LINES = "text/csv", "application/jsonl"
XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"
#: By route: the ways that go through it; a sentence where it shows nothing of any record.
SEEN: dict[tuple[str, str], dict[str, Way] | str] = {
    ("GET", "/v1/records/{collection}"): {
        "list": got(JOBS, "/v1/records/sites", "/v1/records/vault"), "included": got(f"{JOBS}?include=site&labels=true&count=true"), "row labels": got(f"{JOBS}?row_labels=true"),
        "sorted": got(f"{JOBS}?sort=title,-count&fields=code,title,pay"), "searched": got(f"{JOBS}?q=PAY-4711", f"{JOBS}?q=shut"),
        "filtered": got(f"{JOBS}?where=site.name+!=+null", f"{JOBS}?pay=PAY-4711"), "as CSV": got(JOBS, Accept=CSV),
    },
    ("GET", "/v1/exports/{collection}"): {
        "CSV": got("/v1/exports/jobs", Accept=CSV), "lines": got("/v1/exports/jobs", Accept=LINES), "spreadsheet": got("/v1/exports/jobs", Accept=XLSX),
    },
    ("GET", "/v1/records/{collection}/{key}"): {
        "read": got(J1, f"{JOBS}/J2", "/v1/records/vault/VAULT-1"), "included": got(f"{J1}?include=site"),
        "versions": got(*(f"{J1}?version={one}" for one in (1, 2, 3))), "deleted": got(f"{JOBS}/J3?version=1", f"{JOBS}/J3"),
    },
    ("GET", "/v1/records/{collection}/by/{field}/{value}"): {"by": got(f"{JOBS}/by/code/J1", f"{JOBS}/by/code/J2")},
    ("GET", "/v1/records/{collection}/{key}/access"): {"access": got(f"{J1}/access", f"{JOBS}/J2/access")},
    ("GET", "/v1/records/{collection}/{key}/form"): {"form": got(f"{J1}/form", f"{JOBS}/J2/form")},
    ("GET", "/v1/records/{collection}/{key}/history"): {"timeline": got(*(f"{JOBS}/{one}/history" for one in ("J1", "J2", "J3"))), "of a field": got(f"{J1}/history?field=pay")},
    ("GET", "/v1/records/{collection}/{key}/difference"): {"difference": got(f"{J1}/difference?from=1&to=3", f"{J1}/difference?from=2")},
    ("GET", "/v1/records/{collection}/{key}/history/proof"): {"proof of a record": got(f"{J1}/history/proof", f"{JOBS}/J2/history/proof")},
    ("GET", "/v1/records/{collection}/{key}/history/evidence"): {"evidence": got(f"{J1}/history/evidence", f"{JOBS}/J3/history/evidence")},
    ("GET", "/v1/history"): {
        "history": got("/v1/history?limit=200"), "searched": got("/v1/history?where=after.pay+==+'PAY-4711'", "/v1/history?field=pay"),
        "as lines": got("/v1/history", Accept=LINES), "as CSV": got("/v1/history", Accept=CSV),
    },
    ("GET", "/v1/history/activity"): {"activity": got("/v1/history/activity", "/v1/history/activity?by=actor")},
    ("GET", "/v1/history/{sequence}"): {"entries": got(*(f"/v1/history/{one}" for one in range(1, 25)))},
    ("GET", "/v1/history/{sequence}/proof"): {"proofs": got(*(f"/v1/history/{one}/proof" for one in range(1, 25)))},
    ("GET", "/v1/changes"): {
        **{f"feed of {data}": got(f"/v1/changes?after=8&limit=200&data={data}") for data in ("none", "changes", "record")},
        "feed of a list": got("/v1/changes?after=8&collection=jobs&where=title+!=+'x'&data=record"),
        **{f"stream of {data}": got(f"/v1/changes?after=8&data={data}", Accept="text/event-stream") for data in ("changes", "record")},
    },
    ("GET", "/v1/schemas"): {"schemas": got("/v1/schemas")},
    ("GET", "/v1/schemas/{collection}"): {"schema": got("/v1/schemas/jobs", "/v1/schemas/jobs?for=create")},
    ("GET", "/v1/schemas/{collection}/access"): {"rules": got("/v1/schemas/jobs/access")},
    ("GET", "/v1/schemas/{collection}/calls"): {"calls": got("/v1/schemas/jobs/calls")},
    ("GET", "/v1/schemas/{collection}/consequences"): {"consequences": got("/v1/schemas/jobs/consequences")},
    ("GET", "/v1/schemas/{collection}/choices/{field}"): {"choices": got("/v1/schemas/jobs/choices/site", "/v1/schemas/vault/choices/job")},
    ("GET", "/v1/passes"): {"passes": got("/v1/passes?collection=jobs", "/v1/passes?collection=jobs&key=J2", "/v1/passes?collection=vault")},
    ("GET", "/v1/passes/{number}"): {"pass": got(*(f"/v1/passes/{one}" for one in range(1, 6)))},
    ("GET", "/v1/proposals"): {"proposals": got("/v1/proposals", "/v1/proposals?state=waiting&newest=true", "/v1/proposals?collection=jobs&key=J2")},
    ("GET", "/v1/proposals/counts"): {"counts of proposals": got("/v1/proposals/counts")},
    ("GET", "/v1/proposals/{number}"): {"proposal": got(*(f"/v1/proposals/{one}" for one in range(1, 6)))},
    ("GET", "/v1/notices"): {"notices": got("/v1/notices?after=0")},
    ("GET", "/v1/subscriptions"): {"subscriptions": got("/v1/subscriptions")},
    ("GET", "/v1/subscriptions/{subscription}"): {"subscription": got("/v1/subscriptions/olga-record", "/v1/subscriptions/carl-record")},
    ("GET", "/v1/subscriptions/{subscription}/deliveries"): {"deliveries": got("/v1/subscriptions/olga-record/deliveries", "/v1/subscriptions/carl-record/deliveries?limit=200")},
    ("GET", "/v1/subscriptions/{subscription}/deliveries/{number}"): {"delivery": got(*(f"/v1/subscriptions/carl-record/deliveries/{one}" for one in range(1, 60)))},
    ("GET", "/v1/history/head"): "Hashes alone: test_hashes.", ("GET", "/v1/history/heads"): "Hashes alone: test_hashes.",
    ("GET", "/v1/history/keys"): "Public keys.", ("GET", "/v1/history/consistency"): "Hashes alone: test_hashes.",
    ("GET", "/v1/edits.schema.json"): "What edits look like.", ("GET", "/v1/definitions.schema.json"): "What definitions look like.", ("GET", "/v1/session"): "Who asks.", ("GET", "/v1/tokens"): "One's own tokens: test_takeover.",
    ("GET", "/v1/accounts"): "Accounts: test_takeover.", ("GET", "/v1/accounts/{name}"): "Accounts: test_takeover.",
    ("GET", "/healthz"): "Nothing of records.", ("GET", "/v1/definitions/mistakes"): "The definitions, which all may read.", ("GET", "/v1/openapi.json"): "The definitions, which all may read.",
    ("GET", "/v1/requests"): {"own requests": inspected(
        got(JOBS, f"{JOBS}/J2", f"{J1}/form", f"{J1}/history", "/v1/history", "/v1/changes?after=8&data=record"), sent("POST", f"{J1}/preview", {"count": 5, "pay": "x"}),
        sent("PUT", f"{J1}?preview=true", {"code": "J1", "title": "x"}), sent("PATCH", f"{J1}?base=1&preview=true", {"title": "mine"}), sent("PATCH", f"{J1}?preview=true", {"title": "shut", "site": "S2"}),
        sent("POST", f"{JOBS}/J2/preview", {"count": 5}), sent("PATCH", f"{JOBS}?where=true&preview=true", {"count": 6}),
        sent("POST", "/v1/batch?preview=true", {"items": [{"action": "update", "collection": "jobs", "key": "J1", "fields": {"count": 5}}, {"action": "delete", "collection": "jobs", "key": "J2"}]}),
    )},
    ("GET", "/v1/requests/{number}"): "The same as of the list.",
    # What changes something answers with records as well.
    ("POST", "/v1/records/{collection}/{key}/preview"): {"preview": sent("POST", f"{J1}/preview", {"count": 5}), "of another": sent("POST", f"{JOBS}/J2/preview", {"count": 5})},
    ("PATCH", "/v1/records/{collection}/{key}"): {"conflict": sent("PATCH", f"{J1}?base=1&preview=true", {"title": "mine"}), "to nothing": sent("PATCH", f"{J1}?preview=true", {"title": "shut"})},
    ("PATCH", "/v1/records/{collection}/by/{field}/{value}"): {"by, preview": sent("PATCH", f"{JOBS}/by/code/J1?preview=true", {"count": 5})},
    ("PUT", "/v1/records/{collection}/{key}"): {"PUT, preview": sent("PUT", f"{J1}?preview=true", {"code": "J1", "title": "x"})},
    ("PATCH", "/v1/records/{collection}"): {"many, preview": sent("PATCH", f"{JOBS}?where=true&preview=true", {"count": 6})},
    ("DELETE", "/v1/records/{collection}"): {"many deleted, preview": sent("DELETE", f"{JOBS}?where=true&preview=true")},
    ("POST", "/v1/batch"): {"batch, preview": sent("POST", "/v1/batch?preview=true", {"items": [{"action": "update", "collection": "jobs", "key": "J1", "fields": {"count": 5}}, {"action": "delete", "collection": "jobs", "key": "J2"}]})},
    ("POST", "/v1/records/{collection}/import"): {"import, preview": sent("POST", f"{JOBS}/import?preview=true", "code,count\nJ1,7\nJ2,7\n", CSV)},
    ("POST", "/v1/records/{collection}/{key}/restore"): {"restore, preview": sent("POST", f"{J1}/restore?version=1&preview=true"), "deleted": sent("POST", f"{JOBS}/J3/restore?preview=true")},
    ("POST", "/v1/history/{sequence}/undo"): {"undo, preview": sent("POST", "/v1/history/12/undo?preview=true"), "another's": sent("POST", "/v1/history/16/undo?preview=true")},
    ("POST", "/v1/history/undo"): {"undo a while, preview": sent("POST", "/v1/history/undo?preview=true", {"actor": "olga", "from": "2020-01-01"})},
}  # fmt: skip
WAYS: dict[str, Way] = {
    f"{route[1]}: {name}": way
    for route, ways in SEEN.items()
    if isinstance(ways, dict)
    for name, way in ways.items()
}
WAYS["notices to another system"] = told_elsewhere
#: Pages of passes: whoever made one lends what they see themselves.
WAYS |= {
    "page of a pass": opened("own", "J1"),
    "page of another": opened("own", "J2"),
    "page of a list": opened("all", ""),
    "page of a row": opened("all", "J1", kind="change"),
    "page of another row": opened("all", "J2", kind="change"),
    "page, wrong": opened(
        "own", "J1", kind="change", tick=["title", "pay"], **{"f/title": "x" * 200, "f/pay": "y"}
    ),
    "page, a hidden site": opened("own", "J1", kind="change", tick="site", **{"f/site": "S2"}),
    "page, sites searched": opened("own", "J1", **{"find/site": "yes", "search/site": ""}),
    "page, base": opened("own", "J1", kind="change", tick="pay", base="1", **{"f/pay": "z"}),
}
#: What is settled, by who may review it, shows what it settled.
WAYS |= {
    f"{how} of {number}": sent("POST", f"/v1/proposals/{number}/{how}", body)
    for number in (1, 2)
    for how, body in (
        ("apply", {"fields": ["pay"]}), ("apply", {"values": {"pay": 1}}), ("refuse", {"reason": "r", "fields": ["pay"]}),
        ("withdraw", {"fields": ["none"]}),
    )
}  # fmt: skip


def test_every_route_that_answers_with_something_is_in_the_table() -> None:
    answering = {
        (route.method, route.path)
        for route in ROUTES
        if route.method == "GET"
        or any(one.name == "preview" for one in route.takes)
        or route.path.endswith("/preview")
    }
    assert answering == SEEN.keys()


@pytest.mark.parametrize("name", WAYS)
def test_what_may_not_be_read_is_seen_in_no_way(house: House, name: str) -> None:
    told = WAYS[name](house, "carl")
    # What is asked for stands in addresses that lead on.
    assert [
        one for one in HIDDEN if one in told.replace("pay=PAY-4711", "").replace("q=PAY-4711", "")
    ] == [], told


def test_the_ways_show_it_to_who_may(house: House) -> None:
    told = {name: way(house, "olga") for name, way in WAYS.items()}
    shown = {name for name, one in told.items() if any(hidden in one for hidden in HIDDEN)}
    assert len(shown) > 25, sorted(told.keys() - shown)
    assert {"notices to another system", "/v1/changes: stream of record", "/v1/history: as CSV"} <= shown


def test_a_list_that_is_the_same_to_somebody_says_nothing_of_what_changed(house: House) -> None:
    """Who is told 304 has what the list shows; and the tag itself holds nothing of what is hidden."""
    for path in (JOBS, f"{JOBS}?where=count+>+0", f"{J1}/form", J1):
        answer = house.http.get(path, headers=bearer("carl"))
        tag = answer.headers["ETag"]
        assert house.http.get(path, headers={**bearer("carl"), "If-None-Match": tag}).status_code == 304
        assert house.http.get(path, headers={**bearer("olga"), "If-None-Match": tag}).status_code == 200
