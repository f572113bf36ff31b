"""What is derived between records: references and aggregates, after every way of writing, in random projects."""

from __future__ import annotations

import json
import random
from collections.abc import Callable, Iterator, Mapping
from decimal import ROUND_HALF_EVEN, Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.core.limits import Limits
from fenland.service.proof.verifying import verify_database
from support import NIGHTLY, workshop_of

ACCESS = {right: ["everyone"] for right in ("read", "create", "update", "delete", "transfer")}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
TEXT, WHOLE, DAY = {"type": "string"}, {"type": "integer"}, {"type": "string", "format": "date"}
CENTS, DOUBLE = {"type": "number", "multipleOf": Decimal("0.01")}, {"type": "number"}

Record = dict[str, Any]
#: The records of each collection, by key.
Rows = dict[str, dict[str, Record]]
Naive = Callable[[Record, Rows], Any]

# --- a naive reading ----------------------------------------------------------------------------------


def cents(value: Any) -> Any:
    if value is None:
        return None
    exact = value if isinstance(value, Fraction) else Fraction(str(value))
    return Decimal(round(exact * 100)) / 100


def led(record: Record, rows: Rows, *path: str) -> Any:
    """What a path leads to; nothing where it leads nowhere."""
    collections = {"area": "areas", "site": "sites", "worker": "workers", "twin": "jobs"}
    for name in path[:-1]:
        if record[name] is None:
            return None
        record = rows[collections[name]][record[name]]
    return record[path[-1]]


def those(rows: Rows, collection: str, name: str, record: Record) -> list[Record]:
    return [one for one in rows[collection].values() if one[name] == record["code"]]


def given(values: list[Any]) -> list[Any]:
    return [one for one in values if one is not None]


def total(values: list[Any]) -> Any:
    return sum(map(cents, given(values)), Decimal(0))


def mean(values: list[Any]) -> Any:
    found = given(values)
    return cents(sum(map(Fraction, found)) / len(found)) if found else None


def jobs(record: Record, rows: Rows) -> list[Record]:
    return those(rows, "jobs", "site", record)


def paid(job: Record, rows: Rows) -> Any:
    rate = led(job, rows, "worker", "rate")
    return None if job["hours"] is None or rate is None else job["hours"] * rate


def loose(record: Record, rows: Rows) -> Any:
    """Where one of them cannot be worked out, there is no sum."""
    found = [paid(one, rows) for one in jobs(record, rows)]
    return None if None in found else total(found)


OPEN = 'each.state == "open"'
PAID = "each.hours != null && each.worker != null && each.worker.rate != null"

#: By field: how it is defined, and what it comes to.
POOL: dict[str, tuple[Any, Naive]] = {
    "areas.sites": (WHOLE | {"derived": {"count": "sites.area"}}, lambda r, d: len(those(d, "sites", "area", r))),
    "areas.hours": (
        CENTS | {"derived": {"sum": "each.hours", "of": "sites.area", "if": "each.hours != null"}},
        lambda r, d: total([one["hours"] for one in those(d, "sites", "area", r)]),
    ),
    "areas.last": (
        DAY | {"derived": {"max": "each.last", "of": "sites.area"}},
        lambda r, d: max(given([one["last"] for one in those(d, "sites", "area", r)]), default=None),
    ),
    "sites.jobs": (WHOLE | {"required": True, "derived": {"count": "jobs.site"}}, lambda r, d: len(jobs(r, d))),
    "sites.open": (
        WHOLE | {"derived": {"count": "jobs.site", "if": OPEN}},
        lambda r, d: sum(one["state"] == "open" for one in jobs(r, d)),
    ),
    "sites.hours": (
        CENTS | {"derived": {"sum": "each.hours", "of": "jobs.site"}},
        lambda r, d: total([one["hours"] for one in jobs(r, d)]),
    ),
    "sites.rough": (
        DOUBLE | {"derived": {"sum": "each.rough", "of": "jobs.site"}},
        lambda r, d: float(sum((Fraction(repr(one)) for one in given([one["rough"] for one in jobs(r, d)])), Fraction())),
    ),
    "sites.paid": (
        CENTS | {"derived": {"sum": "each.hours * each.worker.rate", "of": "jobs.site", "if": PAID}},
        lambda r, d: total([paid(one, d) for one in jobs(r, d)]),
    ),
    "sites.loose": (
        CENTS | {"derived": {"sum": "each.hours * each.worker.rate", "of": "jobs.site"}},
        loose,
    ),
    "sites.mean": (
        CENTS | {"derived": {"mean": "each.hours", "of": "jobs.site", "if": OPEN}},
        lambda r, d: mean([one["hours"] for one in jobs(r, d) if one["state"] == "open"]),
    ),
    "sites.last": (
        DAY | {"derived": {"max": "each.day", "of": "jobs.site"}},
        lambda r, d: max(given([one["day"] for one in jobs(r, d)]), default=None),
    ),
    "sites.first_title": (
        TEXT | {"derived": {"min": "each.title", "of": "jobs.site"}},
        lambda r, d: min(given([one["title"] for one in jobs(r, d)]), default=None),
    ),
    "sites.ratio": (
        CENTS | {"derived": "record.hours / record.jobs"},
        lambda r, d: cents(Fraction(r["hours"]) / r["jobs"]) if r["jobs"] and r["hours"] is not None else None,
    ),
    "sites.area_name": (TEXT | {"derived": "record.area.name"}, lambda r, d: led(r, d, "area", "name")),
    "jobs.site_name": (TEXT | {"derived": "record.site.name"}, lambda r, d: led(r, d, "site", "name")),
    "jobs.far": (
        TEXT | {"derived": 'record.site.area.name + "!"'},
        lambda r, d: None if (found := led(r, d, "site", "area", "name")) is None else f"{found}!",
    ),
    "jobs.nearby": (WHOLE | {"derived": "record.site.open"}, lambda r, d: led(r, d, "site", "open")),
    "jobs.twin_title": (TEXT | {"derived": "record.twin.title"}, lambda r, d: led(r, d, "twin", "title")),
    "jobs.twins": (WHOLE | {"derived": {"count": "jobs.twin"}}, lambda r, d: len(those(d, "jobs", "twin", r))),
    "workers.busy": (
        WHOLE | {"derived": {"count": "jobs.worker", "if": OPEN}},
        lambda r, d: sum(one["state"] == "open" for one in those(d, "jobs", "worker", r)),
    ),
    "workers.far": (
        CENTS | {"derived": {"max": "each.site.hours", "of": "jobs.worker", "if": "each.site != null"}},
        lambda r, d: max(given([led(one, d, "site", "hours") for one in those(d, "jobs", "worker", r)]), default=None),
    ),
}  # fmt: skip
#: What one is made of besides fields that are always there.
NEEDS = {
    "areas.hours": ["sites.hours"],
    "areas.last": ["sites.last"],
    "sites.ratio": ["sites.hours", "sites.jobs"],
    "jobs.nearby": ["sites.open"],
    "workers.far": ["sites.hours"],
}


def project(chosen: list[str], dice: random.Random) -> dict[str, Any]:
    """The collections, with these derived fields."""
    going = dice.choice(["clear", "cascade"])
    fields: dict[str, Record] = {
        "areas": {"name": TEXT},
        "sites": {"name": TEXT, "area": {"references": "areas", "on_delete": dice.choice(["clear", "cascade"])}},
        "workers": {"rate": CENTS},
        "jobs": {
            "title": TEXT,
            "hours": CENTS,
            "rough": DOUBLE,
            "state": TEXT,
            "day": DAY,
            "site": {"references": "sites", "on_delete": going},
            "worker": {"references": "workers", "on_delete": "clear"},
            "twin": {"references": "jobs", "on_delete": "clear"},
        },
    }
    for place in chosen:
        collection, name = place.split(".")
        fields[collection][name] = POOL[place][0]
    return {
        name: {"key": "code", "access": ACCESS, "fields": {"code": CODE, **of}} for name, of in fields.items()
    }


def some_fields(dice: random.Random) -> list[str]:
    chosen = dice.sample(sorted(POOL), dice.randint(3, len(POOL)))
    more = [needed for place in chosen for needed in NEEDS.get(place, ())]
    # As they are written they may stand in any order.
    found = sorted({*chosen, *more})
    dice.shuffle(found)
    return found


# --- random requests ----------------------------------------------------------------------------------


class Doing:
    """Random requests by every way of writing; what is refused for a good reason is let be."""

    def __init__(self, http: httpx.Client, dice: random.Random, mark: str = "") -> None:
        self.http, self.dice, self.mark, self.made = http, dice, mark, 0

    def fields(self, collection: str) -> Record:
        dice = self.dice
        pool: Mapping[str, Callable[[], Any]] = {
            "name": lambda: dice.choice(["Ash", "Birch", "Cedar", None]),
            "title": lambda: dice.choice(["Dig", "Mow", "Oil", None]),
            "hours": lambda: dice.choice([None, 0, 0.5, 1.25, 2.01, 7.77, -3]),
            "rough": lambda: dice.choice([None, 0.1, 0.2, 0.3, 1e17, -1e17]),
            "rate": lambda: dice.choice([None, 0.05, 10, 12.33]),
            "state": lambda: dice.choice(["open", "done", None]),
            "day": lambda: dice.choice([None, "2031-04-09", "2031-01-02", "2031-12-24"]),
            "area": lambda: self.some("areas"),
            "site": lambda: self.some("sites"),
            "worker": lambda: self.some("workers"),
            "twin": lambda: self.some("jobs"),
        }
        of = {
            "areas": ["name"],
            "sites": ["name", "area"],
            "workers": ["rate"],
            "jobs": ["title", "hours", "rough", "state", "day", "site", "worker", "twin"],
        }
        return {name: pool[name]() for name in of[collection] if dice.random() < 0.6}

    def some(self, collection: str) -> str | None:
        found = self.http.get(f"/v1/records/{collection}", params={"fields": "code", "limit": 50}).json()["items"]
        return self.dice.choice([*(one["code"] for one in found), None])

    def new(self, collection: str) -> Record:
        self.made += 1
        # Some are made again under the key of one that may be gone.
        code = f"{collection[0]}{self.mark}{1 if self.made > 10 and self.dice.random() < 0.2 else self.made}"
        return {"code": code, **self.fields(collection)}

    def once(self) -> httpx.Response | None:
        dice, http = self.dice, self.http
        collection = dice.choice(["jobs", "jobs", "jobs", "sites", "workers", "areas"])
        records, key = f"/v1/records/{collection}", self.some(collection)
        ways: list[Callable[[], httpx.Response]] = [lambda: http.post(records, json=self.new(collection))] * 2
        ways += [
            lambda: http.patch(records, params={"where": "true"}, json=self.fields(collection)),
            lambda: http.post("/v1/batch", json={"items": [self.item() for _ in range(3)], "atomic": dice.random() < 0.5}),
            lambda: http.post(
                f"{records}/import", content="\n".join(json.dumps(self.new(collection)) for _ in range(3)),
                headers={"Content-Type": "application/x-ndjson"},
            ),
            self.undo,
            self.undo_batch,
            lambda: self.bring_back(collection),
        ]  # fmt: skip
        if key is not None:
            one = f"{records}/{key}"
            ways += [lambda: http.patch(one, json=self.fields(collection))] * 4
            ways += [
                lambda: http.put(one, json={"code": key, **self.fields(collection)}),
                lambda: http.delete(one),
                lambda: http.patch(
                    one, content=json.dumps([{"op": "add", "path": f"/{name}", "value": value} for name, value in self.fields(collection).items()]),
                    headers={"Content-Type": "application/json-patch+json"},
                ),
                lambda: http.post(f"{one}/restore", params={"version": dice.randint(1, 4)}),
            ]  # fmt: skip
        return dice.choice(ways)()

    def item(self) -> Record:
        collection = self.dice.choice(["jobs", "sites"])
        key = self.some(collection)
        if key is None or self.dice.random() < 0.3:
            return {"action": "create", "collection": collection, "fields": self.new(collection)}
        if self.dice.random() < 0.2:
            return {"action": "delete", "collection": collection, "key": key}
        return {"action": "update", "collection": collection, "key": key, "fields": self.fields(collection)}

    def entries(self) -> list[Record]:
        found: list[Record] = self.http.get("/v1/history", params={"limit": 40}).json()["items"]
        return [one for one in found if not one["collection"].startswith("fenland")]

    def undo(self) -> httpx.Response:
        entries = self.entries()
        entry = self.dice.choice(entries) if entries else {"sequence": 1}
        return self.http.post(f"/v1/history/{entry['sequence']}/undo")

    def undo_batch(self) -> httpx.Response:
        found = [one["batch"] for one in self.entries() if one["batch"] is not None]
        if not found:
            return self.undo()
        wanted = {"batch": self.dice.choice(found), "atomic": self.dice.random() < 0.5}
        return self.http.post("/v1/history/undo", json=wanted)

    def bring_back(self, collection: str) -> httpx.Response:
        gone = [one for one in self.entries() if one["action"] == "delete"]
        entry = self.dice.choice(gone) if gone else {"collection": collection, "key": "none"}
        return self.http.post(f"/v1/records/{entry['collection']}/{entry['key']}/restore")


def rows_of(http: httpx.Client) -> Rows:
    """All records, as they are answered."""
    found: Rows = {}
    for name in ("areas", "sites", "workers", "jobs"):
        answer = http.get(f"/v1/records/{name}", params={"limit": 100})
        items = json.loads(answer.text, parse_float=Decimal)["items"]
        assert len(items) < 100
        found[name] = {one["code"]: one for one in items}
        for one in items:
            if one.get("rough") is not None:
                one["rough"] = float(one["rough"])
    return found


def wrong_in(rows: Rows, chosen: list[str]) -> list[str]:
    """The derived values that are not what the naive reading says."""
    wrong = []
    for place in chosen:
        collection, name = place.split(".")
        for record in rows[collection].values():
            expected = POOL[place][1](record, rows)
            if record[name] != expected:
                wrong.append(f"{place} of {record['code']} is {record[name]}, not {expected}")
    return wrong


@pytest.mark.parametrize("seed", range(int(__import__("os").environ.get("SEEDS", "12"))))
def test_after_every_way_of_writing_it_is_what_a_naive_reading_says(tmp_path: Path, seed: int) -> None:
    dice = random.Random(seed)
    chosen = some_fields(dice)
    with workshop_of(project(chosen, dice), tmp_path / "works.db") as (_, http):
        doing, done = Doing(http, dice), 0
        for collection in ("areas", "sites", "workers", "jobs", "jobs"):
            http.post(f"/v1/records/{collection}", json=doing.new(collection)).raise_for_status()
        for number in range(60):
            answer = doing.once()
            assert answer is not None and answer.status_code < 500, answer.text
            done += answer.status_code < 300
            if not number % 10:
                assert wrong_in(rows_of(http), chosen) == [], (seed, number, answer.request.method, answer.text)
        assert wrong_in(rows_of(http), chosen) == [], seed
        assert done > 25
        entries = http.get("/v1/history", params={"action": "derive", "limit": 100}).json()["items"]
        assert all(one["cause"] is not None and one["rule"] and one["changes"] for one in entries)
    assert verify_database(tmp_path / "works.db").faults == []
