"""What is derived between records: references and aggregates, after every way of writing, in random projects."""

from __future__ import annotations

import json
import os
import random
import signal
import subprocess
import threading
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.reading import definitions_from
from fenland.core.limits import Limits
from fenland.service.proof.verifying import verify_database
from fenland.service.records import seen
from support import NIGHTLY, bearer, fenland, new_project, start, workshop_of
from test_migrating import done as migrated

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
        # A quotient is a double, and means what its shortest text says.
        lambda r, d: cents(repr(float(r["hours"]) / r["jobs"])) if r["jobs"] and r["hours"] is not None else None,
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
        "sites": {
            "name": TEXT,
            "area": {"references": "areas", "on_delete": dice.choice(["clear", "cascade"])},
        },
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
    found: dict[str, Any] = {
        name: {"key": "code", "access": ACCESS, "fields": {"code": CODE, **of}} for name, of in fields.items()
    }
    # Where nothing but derived values follows from a job, rows of a file have theirs follow together.
    calm = not any(place.startswith("jobs.") for place in chosen) or dice.random() < 0.2
    for name, effects in EFFECTS.items():
        some = [one for one in effects if dice.random() < 0.5 and not calm]
        if some:
            found[name]["effects"] = some
    return found


#: Effects, of which some happen: whatever they do, what is derived is right.
EFFECTS: dict[str, list[dict[str, Any]]] = {
    "jobs": [
        {"on": ["create", "update", "restore"], "if": "after.site != null", "change": "after.site", "set": {"name": "after.title"}},
        {"on": "update", "if": "before.state != after.state", "change": "workers", "where": "each.code == after.worker", "set": {"rate": 5}},
        {"on": "delete", "delete": "jobs", "where": "each.title == before.title && each.state == 'done'"},
    ],
    "sites": [
        {"on": "create", "create": "jobs", "set": {"code": 'after.code + "j"', "site": "after.code", "hours": 1, "state": "'open'"}},
        {"on": "update", "if": "after.name == 'Ash'", "pick": "areas", "set": {"area": "each.code"}},
        {"on": "update", "if": "before.area != after.area", "change": "jobs", "where": "each.site == after.code", "set": {"title": "'Move'"}},
    ],
    "areas": [{"on": ["create"], "create": "jobs", "each": "workers", "set": {"code": 'after.code + each.code', "worker": "each.code"}}],
}  # fmt: skip


def some_fields(dice: random.Random) -> list[str]:
    chosen = dice.sample(sorted(POOL), dice.randint(3, len(POOL)))
    more = [needed for place in chosen for needed in NEEDS.get(place, ())]
    # As they are written they may stand in any order.
    found = sorted({*chosen, *more})
    if dice.random() < 0.4:
        found = [place for place in found if not place.startswith("jobs.")] or ["sites.jobs"]
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
        found = self.http.get(f"/v1/records/{collection}", params={"fields": "code", "limit": 50}).json()[
            "items"
        ]
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
                f"{records}/import", content="\n".join(json.dumps(self.new(collection)) for _ in range(dice.choice([3, 7]))),
                headers={"Content-Type": "application/jsonl"},
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
        answer = http.get(f"/v1/records/{name}", params={"limit": 200})
        items = json.loads(answer.text, parse_float=Decimal)["items"]
        assert len(items) < 200
        found[name] = {one["code"]: one for one in items}
        for one in items:
            if one.get("rough") is not None:
                one["rough"] = float(one["rough"])
    return found


def assert_answered_as_read(http: httpx.Client, answer: httpx.Response) -> None:
    """The record that a change is answered with is what reading it gives, with all that followed."""
    path = answer.request.url.path.split("/")
    gone = answer.request.method == "DELETE" or answer.status_code not in (200, 201)
    if not gone and path[2] == "records" and "code" in (saved := answer.json()):
        read = http.get(f"/v1/records/{path[3]}/{saved['code']}")
        # One that is created, and goes by what follows, is told of by id and key.
        seen = read.json() if read.status_code == 200 else {"id": saved["id"], "code": saved["code"]}
        assert (saved, answer.headers.get("ETag")) == (seen, read.headers.get("ETag"))


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


@pytest.mark.parametrize("seed", range(400 if NIGHTLY else 8))
def test_after_every_way_of_writing_it_is_what_a_naive_reading_says(tmp_path: Path, seed: int) -> None:
    dice, path, done = random.Random(seed), tmp_path / "works.db", 0
    chosen = some_fields(dice)
    described = project(chosen, dice)
    for turn in range(2):
        with workshop_of(described, path) as (_, http):
            doing = Doing(http, dice, mark=str(turn))
            for collection in ("areas", "sites", "workers", "jobs", "jobs"):
                http.post(f"/v1/records/{collection}", json=doing.new(collection))
            assert wrong_in(rows_of(http), chosen) == [], (seed, turn)
            for number in range(30):
                answer = doing.once()
                assert answer is not None and answer.status_code < 500, answer.text
                done += answer.status_code < 300
                assert_answered_as_read(http, answer)
                if not number % 10:
                    assert wrong_in(rows_of(http), chosen) == [], (
                        seed,
                        number,
                        answer.request.method,
                        answer.text,
                    )
            assert wrong_in(rows_of(http), chosen) == [], seed
            entries = http.get("/v1/history", params={"action": "derive", "limit": 100}).json()["items"]
            assert all(one["cause"] is not None and one["rule"] and one["changes"] for one in entries)
        assert verify_database(path).faults == []
        if not turn:
            chosen = some_fields(dice)
            described = project(chosen, dice)
            migrated(path, described)
            assert verify_database(path).faults == []
    assert done > 20


@pytest.mark.parametrize("seed", range(20 if NIGHTLY else 2))
def test_it_is_right_after_eight_threads_and_killed_processes(tmp_path: Path, seed: int) -> None:
    dice, folder = random.Random(seed), new_project(tmp_path / "works")
    chosen = some_fields(dice)
    (folder / "collections" / "notes.yaml").unlink()
    for name, one in project(chosen, dice).items():
        (folder / "collections" / f"{name}.yaml").write_text(json.dumps(one, default=float))
    for one in folder.glob("records.db*"):
        one.unlink()
    fenland("account", "add", "ada", "--role", "editor", "--project", str(folder))
    issued = fenland("account", "token", "ada", "--project", str(folder), "--json")
    token, done = json.loads(issued.stdout)["token"], threading.Semaphore(0)
    running = start("start", folder, folder / "log", "--workers", "2")

    def write(number: int) -> None:
        with running.client(token) as http:
            doing = Doing(http, random.Random(seed * 100 + number), mark=f"{number}x")
            for _ in range(12):
                with suppress(httpx.TransportError):
                    answer = doing.once()
                    assert answer is not None and (answer.status_code < 500 or answer.status_code == 503)
                done.release()

    with ThreadPoolExecutor(8) as pool:
        writing = [pool.submit(write, number) for number in range(8)]
        for _ in range(2):
            for _ in range(30):
                done.acquire(timeout=60)
            workers = subprocess.run(
                ["pgrep", "-P", str(running.process.pid)], capture_output=True, text=True
            )
            os.kill(int(workers.stdout.split()[0]), signal.SIGKILL)
        for one in writing:
            one.result()
    with running.client(token) as http:
        assert wrong_in(rows_of(http), chosen) == [], seed
        entries = http.get("/v1/history", params={"where": 'via == "effect"', "limit": 100}).json()["items"]
        assert all(one["cause"] is not None for one in entries)
    running.stop()
    assert verify_database(next(folder.glob("*.db"))).faults == []


# --- versions, refusals, undoing ----------------------------------------------------------------------

#: A site with what its jobs come to, which only some may see; its checks and limits hold for that as well.
SITES: dict[str, Any] = {
    "sites": {
        "key": "code",
        "access": ACCESS | {"read": ["office", "crew"]},
        "fields": {
            "code": CODE,
            "name": TEXT,
            "cap": WHOLE,
            "jobs": WHOLE | {"derived": {"count": "jobs.site"}, "maximum": 3},
            "hours": WHOLE | {"derived": {"sum": "each.hours", "of": "jobs.site"}, "access": {"read": ["office"]}},
        },
        "checks": [
            {"rule": "next.cap == null || next.hours <= next.cap", "message": "More hours than there are."}
        ],
    },
    "jobs": {
        "key": "code",
        "access": ACCESS,
        "fields": {
            "code": CODE,
            "hours": WHOLE,
            "site": {"references": "sites", "on_delete": "cascade"},
            "at": TEXT | {"derived": "record.site.name"},
        },
    },
}  # fmt: skip


@pytest.fixture
def sites(tmp_path: Path) -> Iterator[httpx.Client]:
    with workshop_of(SITES, tmp_path / "sites.db", Limits(consequences=4)) as (_, http):
        http.post("/v1/records/sites", json={"code": "S1", "name": "Mill"}).raise_for_status()
        yield http


def job(http: httpx.Client, code: str, **fields: Any) -> httpx.Response:
    return http.post("/v1/records/jobs", json={"code": code, "site": "S1", **fields})


def test_what_is_merely_derived_has_an_entry_of_its_own_and_is_no_obstacle(sites: httpx.Client) -> None:
    seen = sites.get("/v1/records/sites/S1")
    for number in range(3):
        job(sites, f"J{number}", hours=2).raise_for_status()
    now = sites.get("/v1/records/sites/S1")
    assert (now.json()["version"], now.json()["hours"], now.headers["ETag"] != seen.headers["ETag"]) == (
        4,
        6,
        True,
    )
    newest = sites.get("/v1/records/sites/S1/history").json()["items"][0]
    made = sites.get("/v1/records/jobs/J2/history").json()["items"][0]
    assert (newest["action"], newest["cause"], newest["settled"]) == ("derive", made["sequence"], 1)
    assert newest["rule"] == "sites:1" and newest["changes"]["hours"] == {"before": 4, "after": 6}
    # Who saw the first version has seen all that anybody changed.
    match = {"If-Match": seen.headers["ETag"]}
    assert sites.patch("/v1/records/sites/S1", json={"name": "Weir"}, headers=match).json()["version"] == 5
    job(sites, "J0", hours=2)
    sites.patch("/v1/records/jobs/J1", json={"hours": 5}).raise_for_status()
    for tag, status in ((seen.headers["ETag"], 412), (now.headers["ETag"], 412), ('"other"', 412)):
        answer = sites.patch("/v1/records/sites/S1", json={"name": "Dam"}, headers={"If-Match": tag})
        assert answer.status_code == status, tag
    assert sites.delete("/v1/records/sites/S1", headers=match).status_code == 412
    later = {"If-Match": sites.get("/v1/records/sites/S1?version=5").headers["ETag"]}
    assert sites.patch("/v1/records/sites/S1", json={"name": "Dam"}, headers=later).status_code == 200


def test_a_base_from_before_is_no_conflict_and_derived_fields_may_be_sent_as_seen(
    sites: httpx.Client,
) -> None:
    seen = sites.get("/v1/records/sites/S1").json()
    for number in range(3):
        job(sites, f"J{number}", hours=2).raise_for_status()
    sent = {**seen, "name": "Weir"}
    answer = sites.put("/v1/records/sites/S1", params={"base": "1"}, json=sent)
    assert (answer.status_code, answer.json()["name"], answer.json()["hours"]) == (200, "Weir", 6)
    answer = sites.patch("/v1/records/sites/S1", params={"base": "2"}, json={"name": "Dam"})
    assert (answer.status_code, answer.json()["conflicts"][0]["pointer"]) == (409, "/name")
    for field, value in (("hours", 7), ("jobs", 0)):
        answer = sites.patch("/v1/records/sites/S1", json={field: value})
        assert (answer.status_code, answer.json()["errors"][0]["code"]) == (422, "derived")
    assert sites.patch("/v1/records/sites/S1", json={"hours": 6, "jobs": 3}).json()["version"] == 5


def test_a_base_is_followed_over_ever_so_many_derived_changes(
    sites: httpx.Client, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(seen, "_MOST_CHANGES", 3)
    job(sites, "J0", hours=1).raise_for_status()
    for number in range(5):
        sites.patch("/v1/records/jobs/J0", json={"hours": number + 2}).raise_for_status()
        if number == 2:
            sites.patch("/v1/records/sites/S1", json={"cap": 90}).raise_for_status()
    whole = sites.get("/v1/records/sites/S1").json()
    assert whole["version"] == 8
    for base, field, status in ((1, "name", 200), (2, "cap", 409), (3, "cap", 409)):
        answer = sites.patch(
            "/v1/records/sites/S1", params={"base": base}, json={field: "Weir" if field == "name" else 7}
        )
        assert answer.status_code == status, (base, answer.text)
    sites.patch("/v1/records/sites/S1", json={"cap": 91}).raise_for_status()
    for cap in (92, 93, 94):
        sites.patch("/v1/records/sites/S1", json={"cap": cap}).raise_for_status()
    assert "too often" in sites.patch("/v1/records/sites/S1?base=2", json={"name": "x"}).text


#: What would follow and may not be, how it is asked for, and what of it is told.
REFUSED: dict[str, tuple[Any, str, str]] = {
    "a limit": ({}, "jobs", "jobs: Must be at most 3"),
    "a check": ({"hours": 99}, "hours", "More hours than there are."),
    "a sum beyond its type": ({"hours": 9_223_372_036_854_775_807}, "hours", "hours: Must fit in 64 bits"),
}


@pytest.mark.parametrize("name", REFUSED)
def test_what_would_follow_and_may_not_be_refuses_the_change(sites: httpx.Client, name: str) -> None:
    fields, field, said = REFUSED[name]
    for number in range(3 if field == "jobs" else 2):
        job(sites, f"J{number}", hours=1).raise_for_status()
    if name == "a check":
        sites.patch("/v1/records/sites/S1", json={"cap": 50}).raise_for_status()
    head = sites.get("/v1/history/head").json()["size"]
    answer = job(sites, "J9", **fields)
    [problem] = answer.json()["errors"]
    assert (answer.status_code, problem["code"], problem["key"], problem["rule"]) == (
        422,
        "consequence",
        "S1",
        "sites:1",
    )
    assert said in problem["detail"]
    # Of the field that carl may not read no more is told than that something is wrong with it.
    answer = sites.post(
        "/v1/records/jobs", json={"code": "J9", "site": "S1", **fields}, headers=bearer("carl")
    )
    assert "64 bits" not in answer.text and answer.status_code == 422
    for action in ("create", "put"):
        item = {"action": action, "collection": "jobs", "fields": {"code": "J9", "site": "S1", **fields}}
        if action == "put":
            item |= {"by": "code", "value": "J9"}
        answer = sites.post("/v1/batch", json={"items": [item]})
        assert said in answer.text, answer.text
    imported = sites.post(
        "/v1/records/jobs/import", content=json.dumps({"code": "J9", "site": "S1", **fields}),
        headers={"Content-Type": "application/jsonl"},
    ).json()  # fmt: skip
    assert (imported["created"], imported["refused"]) == (0, 1)
    assert sites.get("/v1/history/head").json()["size"] == head


def test_of_a_record_that_somebody_may_not_see_no_more_is_told(tmp_path: Path) -> None:
    few = [{"rule": "next.cap == null || next.jobs >= next.cap", "message": "Too few are left at the mill."}]
    hidden = {**SITES["sites"], "access": ACCESS | {"read": ["office"]}, "checks": few}
    with workshop_of({**SITES, "sites": hidden}, tmp_path / "hidden.db") as (_, http):
        http.post("/v1/records/sites", json={"code": "S1"}).raise_for_status()
        for number in range(2):
            job(http, f"J{number}").raise_for_status()
        http.patch("/v1/records/sites/S1", json={"cap": 2}).raise_for_status()
        assert "Too few are left" in http.delete("/v1/records/jobs/J0").text
        for answer in (
            http.delete("/v1/records/jobs/J0", headers=bearer("carl")),
            http.patch("/v1/records/jobs/J0", json={"site": None}, headers=bearer("carl")),
        ):
            assert answer.status_code == 422
            said = answer.json()["errors"][0]["detail"]
            assert said == "What follows from it would not be allowed, in a record that is not yours to see."
            assert answer.json()["errors"] == [{"pointer": "", "code": "consequence", "detail": said}]


def test_more_than_the_limit_is_refused_before_anything_is_written(sites: httpx.Client) -> None:
    sites.post("/v1/records/sites", json={"code": "S2", "name": "Far"}).raise_for_status()
    for number in range(6):
        sites.post("/v1/records/jobs", json={"code": f"K{number}", "site": "S2" if number < 3 else None})
    answer = sites.patch("/v1/records/sites/S2", json={"name": "Near"})
    assert answer.status_code == 200
    for number in range(3):
        job(sites, f"J{number}").raise_for_status()
    answer = sites.patch("/v1/records/sites", params={"where": "true"}, json={"name": "Both"})
    # Each is a change for itself.
    assert answer.status_code == 200
    sites.patch("/v1/records/sites/S1", json={"name": "Mill"}).raise_for_status()
    assert sites.get("/v1/records/jobs/J1").json()["at"] == "Mill"


def test_a_fan_out_beyond_the_limit_names_the_number(tmp_path: Path) -> None:
    with workshop_of(
        SITES
        | {
            "sites": {
                **SITES["sites"],
                "fields": {"code": CODE, "name": TEXT},
                "checks": [{"rule": "true", "message": "."}],
            }
        },
        tmp_path / "far.db",
        Limits(consequences=4),
    ) as (_, http):
        http.post("/v1/records/sites", json={"code": "S1", "name": "Mill"}).raise_for_status()
        for number in range(5):
            job(http, f"J{number}").raise_for_status()
        for answer in (
            http.patch("/v1/records/sites/S1", json={"name": "Weir"}),
            http.post("/v1/records/sites/S1/preview", json={"name": "Weir"}),
        ):
            told = answer.json()
            assert (answer.status_code, told["limit"], told["most"]) == (413, "consequence_limit", 4)
            assert "5 records" in told["detail"]
        assert http.get("/v1/records/sites/S1").json()["name"] == "Mill"


def test_a_derived_entry_is_not_undone_by_itself_and_follows_its_cause(sites: httpx.Client) -> None:
    job(sites, "J1", hours=3).raise_for_status()
    entry = sites.get("/v1/records/sites/S1/history").json()["items"][0]
    answer = sites.post(f"/v1/history/{entry['sequence']}/undo")
    assert answer.status_code == 409 and f"follows from: {entry['cause']}" in answer.text
    preview = sites.post(f"/v1/history/{entry['cause']}/undo", params={"preview": "true"}).json()
    assert [one["key"] for one in preview["items"]] == ["J1"]
    sites.post(f"/v1/history/{entry['cause']}/undo").raise_for_status()
    found = sites.get("/v1/records/sites/S1").json()
    assert (found["jobs"], found["hours"]) == (0, 0)
    # Nothing in the way of undoing the creation of a record that was merely derived since.
    first = sites.get("/v1/records/sites/S1/history").json()["items"][-1]["sequence"]
    assert sites.post(f"/v1/history/{first}/undo").status_code == 200


#: What is wrong with a derived field of sites, and what is said.
MISTAKES: dict[str, tuple[Any, str]] = {
    "nothing gathered": ({"of": "jobs.site"}, "does not say what is gathered"),
    "two things": ({"sum": "each.hours", "mean": "each.hours", "of": "jobs.site"}, "says sum and mean"),
    "a word that there is not": ({"total": "each.hours", "of": "jobs.site"}, "no keyword 'total'"),
    "no of": ({"sum": "each.hours"}, "does not say of which records"),
    "of with a count": ({"count": "jobs.site", "of": "jobs.site"}, "Remove of"),
    "no collection": ({"count": "job.site"}, "'job', which is no collection"),
    "a collection alone": ({"count": "jobs"}, "jobs alone, which does not refer to sites"),
    "no field": ({"count": "jobs.sit"}, "jobs.sit, which does not refer to sites"),
    "no reference": ({"count": "jobs.hours"}, "jobs.hours, which does not refer to sites"),
    "another's reference": ({"count": "jobs.by"}, "jobs.by, which does not refer to sites"),
    "no text": ({"sum": 5, "of": "jobs.site"}, "sum is 5"),
    "no expression": ({"sum": "each.", "of": "jobs.site"}, "fields.x.derived.sum"),
    "no such field": ({"sum": "each.cost", "of": "jobs.site"}, "cost"),
    "no condition": ({"count": "jobs.site", "if": "each.hours"}, "must be true or false"),
    "its own record": ({"sum": "record.cap", "of": "jobs.site"}, "Speak of each"),
    "now": ({"count": "jobs.site", "if": "each.day < today"}, "would go stale"),
    "the version": ({"sum": "each.version", "of": "jobs.site"}, "changes with every save"),
    "a sum of texts": ({"sum": "each.code", "of": "jobs.site"}, "Both must be numbers"),
    "a mean of days": ({"mean": "each.day", "of": "jobs.site"}, "Both must be numbers"),
    "the highest list": ({"max": "[each.hours]", "of": "jobs.site"}, "has no max"),
    "the lowest text": ({"min": "each.code", "of": "jobs.site"}, "min gives string, and field 'x' holds int"),
    "too far": ({"sum": "each.by.site.cap", "of": "jobs.site"}, "more than one reference"),
    "what is secret": ({"sum": "each.pin", "of": "jobs.site"}, "'pin', which is writeOnly"),
    "what is secret, asked": ({"count": "jobs.site", "if": "each.note == 'x'"}, "'note', which is sensitive"),
    "what is secret, further": ({"sum": "each.by.pay", "of": "jobs.site"}, "'pay', which is sensitive"),
    "itself": ({"sum": "each.share", "of": "jobs.site"}, "sites.x → jobs.share → sites.x"),
    "itself over a reference": ("record.twin.x", "sites.x → sites.x"),
    "a secret over a reference": ("record.lead.pay", "'pay', which is sensitive"),
    "a version over a reference": ("record.lead.version", "changes with every save"),
}


@pytest.mark.parametrize("name", MISTAKES)
def test_a_mistake_is_told_at_its_place(name: str) -> None:
    derived, said = MISTAKES[name]
    described = {
        "sites": {"fields": {"code": CODE, "cap": WHOLE, "lead": {"references": "people"}, "twin": {"references": "sites"}, "x": WHOLE | {"derived": derived}}, "key": "code"},
        "people": {"fields": {"code": CODE, "site": {"references": "sites"}, "pay": WHOLE | {"sensitive": True}}, "key": "code"},
        "jobs": {
            "key": "code",
            "fields": {
                "code": CODE, "hours": WHOLE, "day": DAY, "pin": WHOLE | {"writeOnly": True}, "note": TEXT | {"sensitive": True},
                "site": {"references": "sites"}, "by": {"references": "people"}, "share": WHOLE | {"derived": "record.hours + record.site.x"},
            },
        },
    }  # fmt: skip
    with pytest.raises(DefinitionMistakes) as caught:
        definitions_from(described)
    assert any(said in f"{one.what} {one.hint}" for one in caught.value.mistakes), caught.value.mistakes
    assert all(
        one.pointer.startswith("/fields/x/derived") for one in caught.value.mistakes if one.file == "sites"
    )
