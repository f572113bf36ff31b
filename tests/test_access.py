"""Who may: what the service lets through, by every way in, is what a naive reading of the rules says.

Rules are drawn from pairs of an expression and a few lines of Python that say the same; the Python decides, and
shares no code with the service. Each world has its own rules, records and actors.
"""

from __future__ import annotations

import json
import random
from collections.abc import Callable, Iterator, Mapping
from pathlib import Path
from typing import Any

import httpx
import pytest

from support import ATTRIBUTES, TOKENS, bearer, workshop_of

Fields = dict[str, Any]
Naive = Callable[[Fields, Fields, Any], Any]

SITES = {
    "S1": {"code": "S1", "area": "north", "boss": "carl"},
    "S2": {"code": "S2", "area": None, "boss": "cora"},
}

#: An expression over {r}, which stands for record or next, and what it means: of the record, the actor, and a function
#: that gives the site. An exception is an error.
PAIRS: list[tuple[str, Naive]] = [
    ("{r}.owner == actor.name", lambda r, a, site: r["owner"] == a["name"]),
    ("{r}.count > 2", lambda r, a, site: r["count"] > 2),
    ("{r}.secret != 'x'", lambda r, a, site: r["secret"] != "x"),
    ("{r}.open", lambda r, a, site: boolean(r["open"])),
    ("!{r}.open", lambda r, a, site: not boolean(r["open"])),
    ("{r}.site.area == actor.attributes.area", lambda r, a, site: site(r)["area"] == a["attributes"]["area"]),
    ("{r}.site.boss == actor.name || 'office' in actor.roles", lambda r, a, site: either(lambda: site(r)["boss"] == a["name"], lambda: "office" in a["roles"])),
    ("'crew' in actor.roles && {r}.name.startsWith('a')", lambda r, a, site: "crew" in a["roles"] and r["name"].startswith("a")),
    ("actor.attributes.level >= {r}.count", lambda r, a, site: a["attributes"]["level"] >= r["count"]),
    ("{r}.tags.exists(t, t == actor.name)", lambda r, a, site: any(t == a["name"] for t in r["tags"])),
    ("{r}.site == null || {r}.count == 1", lambda r, a, site: r["site"] is None or r["count"] == 1),
    ("true", lambda r, a, site: True),
    ("{r}.price <= 2.5 ? 'crew' in actor.roles : 'office' in actor.roles", lambda r, a, site: ("crew" if r["price"] <= 2.5 else "office") in a["roles"]),
]  # fmt: skip


def boolean(value: Any) -> bool:
    if not isinstance(value, bool):
        raise TypeError
    return value


def either(one: Callable[[], bool], other: Callable[[], bool]) -> bool:
    try:
        if one():
            return True
    except Exception:
        if not other():
            raise
        return True
    return other()


def holds(naive: Naive, record: Fields, actor: Fields) -> bool:
    def site(of: Fields) -> Fields:
        return SITES[of["site"]]

    try:
        return naive(record, actor, site) is True
    except Exception:
        return False


class Rule:
    """A rule in one of its three forms, and its naive reading."""

    def __init__(self, dice: random.Random, r: str, *, create: bool = False) -> None:
        self.form = dice.choice(["list", "if", "both"])
        words = ["office", "crew", "everyone"] if create else ["office", "crew", "everyone", "owner"]
        self.grants = dice.sample(words, dice.randrange(0, 3))
        text, self.naive = dice.choice(PAIRS)
        self.text = text.replace("{r}", r)

    def described(self) -> Any:
        if self.form == "list":
            return self.grants
        return self.text if self.form == "if" else {"roles": self.grants, "if": self.text}

    def allows(self, record: Fields, actor: Fields) -> bool:
        listed = "everyone" in self.grants or bool(set(self.grants) & set(actor["roles"]))
        listed = listed or ("owner" in self.grants and record["owner"] == actor["name"])
        if self.form == "list":
            return listed
        return holds(self.naive, record, actor) and (self.form == "if" or listed)


class World:
    """Rules, records and actors, and what may be, naively."""

    def __init__(self, seed: int) -> None:
        self.dice = dice = random.Random(seed)
        self.read, self.update, self.delete = (Rule(dice, "record") for _ in range(3))
        self.secret_read, self.secret_update = Rule(dice, "record"), Rule(dice, "record")
        self.records = {f"T{number}": self._record(f"T{number}") for number in range(8)}

    def _record(self, key: str) -> Fields:
        pick = self.dice.choice
        return {
            "code": key, "owner": pick(list(TOKENS)), "name": pick(["abc", "xyz", None]), "count": pick([1, 2, 3, None]), "price": pick([2.5, 2.51, None]),
            "open": pick([True, False, None]), "site": pick(["S1", "S2", None]), "tags": pick([["carl"], ["vic", "olga"], None]), "secret": f"s{key}" if pick([True, False]) else "x",
        }  # fmt: skip

    def described(self) -> dict[str, Any]:
        key = {"type": "string", "required": True, "unique": True, "fixed": True}
        things = {
            "code": key, "owner": {"type": "string"}, "name": {"type": "string", "search": True}, "count": {"type": "integer"}, "price": {"type": "number"},
            "open": {"type": "boolean"}, "site": {"references": "sites"}, "tags": {"type": "array", "items": {"type": "string"}},
            "secret": {"type": "string", "search": True, "access": {"read": self.secret_read.described(), "update": self.secret_update.described()}},
        }  # fmt: skip
        access = {
            "read": self.read.described(),
            "update": self.update.described(),
            "delete": self.delete.described(),
        }
        sites = {"code": key, "area": {"type": "string"}, "boss": {"type": "string"}}
        return {
            "sites": {"key": "code", "fields": sites, "access": {"read": ["everyone"], "create": ["office"]}},
            "things": {"key": "code", "owner": "owner", "fields": things, "access": {**access, "create": ["office"], "transfer": ["office"]}},
            "notes": {"key": "code", "fields": {"code": key, "thing": {"references": "things", "on_delete": "clear"}}, "access": {"read": ["everyone"], "create": ["office"]}},
        }  # fmt: skip

    @staticmethod
    def actor(name: str) -> Fields:
        role = TOKENS[name][0]
        return {"name": name, "roles": [role] if role else [], "attributes": ATTRIBUTES[name]}

    def sees(self, name: str, key: str) -> bool:
        return self.read.allows(self.records[key], self.actor(name))

    def sees_secret(self, name: str, key: str) -> bool:
        return self.sees(name, key) and self.secret_read.allows(self.records[key], self.actor(name))

    def changes(self, name: str, key: str) -> bool:
        return self.sees(name, key) and self.update.allows(self.records[key], self.actor(name))

    def changes_secret(self, name: str, key: str) -> bool:
        return self.changes(name, key) and self.secret_update.allows(self.records[key], self.actor(name))

    def deletes(self, name: str, key: str) -> bool:
        return self.sees(name, key) and self.delete.allows(self.records[key], self.actor(name))


@pytest.fixture(scope="module")
def decisions() -> Iterator[list[int]]:
    counted = [0]
    yield counted
    assert counted[0] >= 5_000, counted


def status(answer: httpx.Response) -> int:
    assert answer.status_code < 500, answer.text
    return answer.status_code


KINDS = {
    "application/merge-patch+json": lambda name, value: json.dumps({name: value}),
    "application/json-patch+json": lambda name, value: json.dumps(
        [{"op": "add", "path": f"/{name}", "value": value}]
    ),
    "application/vnd.fenland.edits+json": lambda name, value: json.dumps(
        {"edits": [{"at": f"/{name}", "set": value}]}
    ),
    "application/x-www-form-urlencoded": lambda name, value: f"{name}={value}",
}


class Asked:
    """One actor before the service, asked by every way in."""

    def __init__(self, http: httpx.Client, world: World, name: str, count: list[int]) -> None:
        self.http, self.world, self.name, self.count = http, world, name, count
        self.headers = bearer(name)

    def same(self, found: Any, expected: Any, way: str) -> None:
        self.count[0] += 1
        assert found == expected, (way, self.name, self.world.described()["things"])

    def get(self, path: str, **query: Any) -> httpx.Response:
        return self.http.get(path, params=query, headers=self.headers)

    def send(self, method: str, path: str, kind: str, body: str, **query: Any) -> httpx.Response:
        headers = {**self.headers, "Content-Type": kind}
        return self.http.request(method, path, params=query, content=body, headers=headers)

    def lists(self) -> None:
        world, name, path = self.world, self.name, "/v1/records/things"
        seen = {key for key in world.records if world.sees(name, key)}
        secrets = {key: world.records[key]["secret"] for key in seen if world.sees_secret(name, key)}
        listed = self.get(path, count="true", sort="-count,name", writable="true").json()
        for one, writable in zip(listed["items"], listed["writable"], strict=True):
            self.same(bool(writable), world.changes(name, one["code"]), "list: writable")
            self.same("secret" in writable, world.changes_secret(name, one["code"]), "list: field writable")
        for key in world.records:
            self.same(key in {one["code"] for one in listed["items"]}, key in seen, "list")
        self.same(listed["count"], len(seen), "count")
        self.same(
            {one["code"]: one["secret"] for one in listed["items"] if "secret" in one}, secrets, "list: field"
        )
        included = self.get("/v1/records/notes", include="thing").json()["included"].get("things", {})
        self.same(set(included), seen, "include")
        self.same(
            {key: one["secret"] for key, one in included.items() if "secret" in one},
            secrets,
            "include: field",
        )
        told = {}
        for data in ("changes", "record"):
            query: dict[str, Any] = {"collection": "things", "data": data, "limit": 200}
            # An account that was changed is told to read its lists again, once.
            reset = self.get("/v1/changes", **query, after=0).json()[0]["id"]
            for event in self.get("/v1/changes", **query, after=reset).json():
                told.setdefault(event["subject"], []).append(event)
        shown = {
            key
            for key, events in told.items()
            if events[-1]["type"].rpartition(".")[2] not in ("left", "deleted")
        }
        self.same(shown & world.records.keys(), seen, "feed")
        with_secret = {key for key, events in told.items() if '"secret"' in json.dumps(events)}
        self.same(with_secret - secrets.keys(), set(), "feed: field")
        for wanted in ("x", "sT1", "sT4"):
            having = {key for key, value in secrets.items() if value == wanted}
            for way, query in (
                ("where", {"where": f"secret == '{wanted}'"}),
                ("equal", {"secret": wanted}),
                ("where through", {"where": f"!(secret != '{wanted}')"}),
            ):
                answer = self.get(path, **query)
                found = {one["code"] for one in answer.json().get("items", ())}
                self.same(found, having, f"{way} {answer.text}")
        for wanted in ("sT1", "sT4"):
            found = {one["code"] for one in self.get(path, q=wanted).json().get("items", ())}
            self.same(found, {key for key, value in secrets.items() if value == wanted}, "q")
        through = self.get("/v1/records/notes", where="thing.secret == 'x'")
        found = {one["thing"] for one in through.json().get("items", ())}
        self.same(found, {key for key, value in secrets.items() if value == "x"}, "where through a reference")
        ordered = [one["code"] for one in self.get(path, sort="secret").json().get("items", ())]
        if ordered:
            known = [secrets.get(key, "") for key in ordered]
            self.same(known, sorted(known), "sort")

    def reads(self, key: str) -> None:
        world, name, path = self.world, self.name, f"/v1/records/things/{key}"
        expected = 200 if world.sees(name, key) else 404
        answers = {"read": path, "by": f"/v1/records/things/by/code/{key}", "form": f"{path}/form", "history": f"{path}/history", "access": f"{path}/access"}  # fmt: skip
        found = {way: self.get(address) for way, address in answers.items()}
        for way, answer in found.items():
            self.same(status(answer), expected, way)
        if expected == 200:
            secret = world.sees_secret(name, key)
            self.same("secret" in found["read"].json(), secret, "read: field")
            self.same("secret" in found["form"].json()["values"], secret, "form: field")
            changes = [one["changes"].get("secret") for one in found["history"].json()["items"]]
            self.same(all(one is None or "hidden" in one for one in changes), not secret, "history: field")
            form, told = found["form"].json(), found["access"].json()
            self.same(bool(form["writable"]), world.changes(name, key), "form: writable")
            self.same("secret" in form["writable"], world.changes_secret(name, key), "form: field writable")
            self.same(form["deletable"], world.deletes(name, key), "form: deletable")
            self.same(told["rights"]["update"]["allowed"], world.changes(name, key), "access")
            self.same(
                told["fields"]["secret"]["update"]["allowed"],
                world.changes_secret(name, key),
                "access: field",
            )
            self.same(told["fields"]["secret"]["read"]["allowed"], secret, "access: field read")

    def changes(self, key: str) -> None:
        world, name, path = self.world, self.name, f"/v1/records/things/{key}"
        expected = 200 if world.changes(name, key) else 403 if world.sees(name, key) else 404
        for kind, body in KINDS.items():
            value = world.records[key]["name"] or ""
            answer = self.send("PATCH", path, kind, body("name", f"{value}~"), preview="true")
            self.same(status(answer), expected, f"PATCH {kind}")
            answer = self.send("PATCH", path, kind, body("secret", "new"), preview="true")
            self.same(status(answer), expected, f"PATCH {kind}: field")
            if expected == 200:
                refused = [one["code"] for one in answer.json()["errors"] if one["pointer"] == "/secret"]
                self.same(bool(refused), not world.changes_secret(name, key), f"PATCH {kind}: field")
        # A condition of an edit knows of the record what its sender may.
        edit = {
            "edits": [{"at": "/count", "set": 9, "only_if": f"secret == '{world.records[key]['secret']}'"}]
        }
        answer = self.send(
            "PATCH", path, "application/vnd.fenland.edits+json", json.dumps(edit), preview="true"
        )
        known = 200 if world.sees_secret(name, key) else 409
        self.same(status(answer), known if expected == 200 else expected, "only_if")
        # Sent back as it is, by who may not read it, it cannot be told from another value.
        if expected == 200 and not world.sees_secret(name, key):
            same = self.send(
                "PATCH",
                path,
                "application/json",
                json.dumps({"secret": world.records[key]["secret"]}),
                preview="true",
            )
            other = self.send(
                "PATCH", path, "application/json", json.dumps({"secret": "other"}), preview="true"
            )
            self.same(same.json()["errors"], other.json()["errors"], "the same value")
            self.same(same.json()["changes"], other.json()["changes"], "the same value")

    def many(self) -> None:
        world, name = self.world, self.name
        for method, may in (("PATCH", world.changes), ("DELETE", world.deletes)):
            body = json.dumps({"count": 8}) if method == "PATCH" else ""
            answer = self.send(
                method, "/v1/records/things", "application/json", body, where="true", preview="true"
            )
            if status(answer) == 200:
                seen = [key for key in world.records if world.sees(name, key)]
                allowed = [key for key in seen if may(name, key)]
                self.same(answer.json()["matched"], len(seen), f"{method} many")
                self.same(answer.json()["changed"], len(allowed), f"{method} many")
            else:
                # Nobody like them may do so with any record.
                self.same(
                    (answer.status_code, [key for key in world.records if may(name, key)]), (403, []), method
                )

    def batches(self) -> None:
        world, name = self.world, self.name
        items = [
            {
                "action": "update",
                "collection": "things",
                "key": key,
                "fields": {"count": 1},
                "if_match": '"none"',
            }
            for key in world.records
        ]
        items += [
            {"action": "delete", "collection": "things", "key": key, "if_match": '"none"'}
            for key in world.records
        ]
        body = json.dumps({"items": items, "atomic": False})
        results = self.send("POST", "/v1/batch", "application/json", body).json()["results"]
        for item, result in zip(items, results, strict=True):
            may = world.changes if item["action"] == "update" else world.deletes
            expected = 412 if may(name, item["key"]) else 403 if world.sees(name, item["key"]) else 404
            self.same(result["status"], expected, f"batch {item['action']}")

    def whole(self, key: str) -> None:
        world, name = self.world, self.name
        expected = 412 if world.changes(name, key) else 403 if world.sees(name, key) else 404
        headers = {**self.headers, "If-Match": '"none"'}
        path = f"/v1/records/things/{key}"
        self.same(status(self.http.put(path, json={"code": key}, headers=headers)), expected, "PUT")
        deleting = 412 if world.deletes(name, key) else 403 if world.sees(name, key) else 404
        self.same(status(self.http.delete(path, headers=headers)), deleting, "DELETE")


@pytest.mark.parametrize("seed", range(7))
def test_every_way_in_decides_as_the_rules_say(tmp_path: Path, decisions: list[int], seed: int) -> None:
    world = World(seed)
    with workshop_of(world.described(), tmp_path / "x.db") as (service, http):
        _fill(service, world)
        for name in TOKENS:
            asked = Asked(http, world, name, decisions)
            asked.lists()
            asked.many()
            asked.batches()
            for key in world.records:
                asked.reads(key)
                asked.changes(key)
                asked.whole(key)


def _fill(service: Any, world: World) -> None:
    """Writes the records past all rules."""
    from fenland.core.access.policy import Actor, Caller
    from fenland.core.changes.change import Stamp, creation
    from fenland.service.changes.applying import apply
    from fenland.service.work import written

    definitions = service.definitions.collections
    rows: list[tuple[str, Mapping[str, Any]]] = [("sites", one) for one in SITES.values()]
    rows += [("things", one) for one in world.records.values()]
    rows += [("notes", {"code": f"N{key}", "thing": key}) for key in world.records]

    def work(unit: Any) -> None:
        stamp = Stamp(service.now(), "olga")
        changes = [creation(definitions[name], service.new_id(), fields, stamp) for name, fields in rows]
        apply(unit, Caller(Actor("olga")), changes)

    written(service, work)
