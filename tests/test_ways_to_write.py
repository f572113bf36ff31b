"""Every way to write: the same wished-for state is sent by each, and who may is what a naive reading says.

`WAYS` is the table of ways to change a record, `MAKING` of those to create one, and `ROUTES` says of each route
that takes something which ways go through it. A route, a patch format or an action of batches that is not in the
tables fails a test: enter it, and it is tried with every rule.
"""

from __future__ import annotations

import json
import random
from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import httpx
import pytest

from fenland.core.access.policy import Actor, Caller
from fenland.core.changes.change import Act, Change, Stamp, alteration, creation, deletion
from fenland.service.changes.applying import apply
from fenland.service.changes.proposals import add_proposal, begin_proposal
from fenland.service.records.batch import ACTIONS
from fenland.service.service import Service
from fenland.service.work import View, written
from fenland.storage.door import Proposal, ProposedField
from fenland.web import routes
from fenland.web.http.patch_formats import PATCH_TYPES
from support import NIGHTLY, TOKENS, bearer, workshop_of
from test_access import Fields, Rule, World

THINGS = "/v1/records/things"


#: Fields whose values follow from others, and one from such a one: after every way of writing they are right.
DERIVED: dict[str, Any] = {
    "label": {"type": "string", "derived": 'record.name + " of " + record.owner'},
    "summed": {"type": "integer", "derived": "record.doubled + (record.open == true ? 1 : 0)"},
    "doubled": {"type": "integer", "derived": "record.count * 2"},
    # An effect sets this one, whoever writes and whatever they send for it.
    "noted": {"type": "integer", "readOnly": True},
}
EFFECTS = [{"on": ["create", "update"], "set": {"noted": "after.count"}}]
#: The same by functions of the project's own, and a check that refuses three of a thing.
RULES = """
from fenland.rules import check, derivation, problem, setting

@check
def no_three(next):
    return problem("count", "Three are too many.") if next["count"] == 3 else None

@derivation
def label_of(name, owner):
    return None if name is None else f"{name} of {owner}"

@setting
def note(after):
    return {"noted": after["count"]}
"""
OWN_LABEL = {"type": "string", "derived": {"call": "label_of", "of": ["record.name", "record.owner"]}}
OWN_EFFECTS = [{"on": ["create", "update"], "call": "note"}]
#: What a pass can let somebody change: whose a record is, is not of it.
OPEN = ("name", "count", "open", "site", "tags", "secret")
#: Where passes are for, by which things are proposed.
DESKS: dict[str, Any] = {
    "access": {right: ["everyone"] for right in ("read", "create", "pass", "review")},
    "fields": {"title": {"type": "string"}},
    "passes": {
        "report": {
            "shows": ["title"],
            "creates": {"collection": "things", "fields": ["code", "name", "count", "secret"]},
        }
    },
}
#: What a new record gets from who makes it, and keeps.
MAKER: dict[str, Any] = {"type": "string", "default": {"expression": "actor.name"}}


def derived(fields: Fields) -> Fields:
    """The same, naively."""
    name, count = fields["name"], fields["count"]
    doubled = None if count is None else count * 2
    return {
        "label": None if name is None else f"{name} of {fields['owner']}",
        "doubled": doubled,
        "summed": None if doubled is None else doubled + (fields["open"] is True),
        "noted": count,
    }


class Rules(World):
    """Random rules over what a record is and would be, and what they let an actor do, naively."""

    def __init__(self, seed: int) -> None:
        self.dice = dice = random.Random(seed)
        #: Whether functions of a `rules.py` say a part of it.
        self.own = seed % 2 == 1
        self.read, self.delete = Rule(dice, "record"), Rule(dice, "record")
        self.update, self.update_next = Rule(dice, "record"), dice.random() < 0.5
        if self.update_next:
            self.update = Rule(dice, "next")
        self.create = Rule(dice, "next", create=True)
        self.transfer_list = dice.choice([[], ["office"], ["crew"], ["owner"]])
        self.erase_list = dice.choice([["crew"], ["everyone"], ["owner"]])
        self.secret_read, self.secret_next = Rule(dice, "record"), dice.random() < 0.5
        self.secret_update = Rule(dice, "next" if self.secret_next else "record")
        # Most of what is tried is otherwise refused for want of seeing it.
        if dice.random() < 0.6:
            self.read.form, self.read.grants = "list", ["everyone"]
        if dice.random() < 0.4:
            self.create.form, self.create.grants = "list", ["everyone"]

    @property
    def open(self) -> list[str]:
        """What passes may change: what nobody reads none may show."""
        nobody = self.secret_read.form == "list" and not self.secret_read.grants
        return [name for name in OPEN if name != "secret" or not nobody]

    def described(self) -> dict[str, Any]:
        described = super().described()
        things = described["things"]
        described["desks"] = DESKS
        # Whoever may review or hand out passes may not for that change what they could not themselves.
        things["access"] |= {"pass": ["everyone"], "review": ["everyone"]}
        changes = dict.fromkeys(self.open, "at once")
        things["passes"] = {"own": {"shows": self.open, "changes": changes, "choices": {"site": "true"}}}
        secret = things["fields"]["secret"]
        secret |= {"sensitive": True, "required": True}
        things["fields"] |= {**DERIVED, "maker": MAKER}
        things["effects"] = EFFECTS
        if self.own:
            things["fields"]["label"], things["effects"] = OWN_LABEL, OWN_EFFECTS
            things["checks"] = [{"call": "no_three"}]
        secret["access"] = {"read": self.secret_read.described(), "update": self.secret_update.described()}
        things["access"] |= {
            "create": self.create.described(),
            "transfer": self.transfer_list,
            "erase": self.erase_list,
        }
        return described

    def listed(self, words: list[str], record: Fields, actor: Fields) -> bool:
        return (
            bool(set(words) & set(actor["roles"]))
            or "everyone" in words
            or ("owner" in words and record["owner"] == actor["name"])
        )

    def may_be(self, wished: Fields) -> bool:
        """Whether there may be such a record, whoever makes it."""
        return not (self.own and wished["count"] == 3)

    def may_change(self, name: str, stored: Fields, wished: Fields) -> bool:
        """Whether an actor may make of a record what is wished: the heart of it all."""
        actor = self.actor(name)
        if not self.may_be(wished):
            return False
        rule = self.update
        # The list of a rule is about the record as stored, its condition about what it asks.
        asked = wished if self.update_next else stored
        if not self._holds(rule, stored, asked, actor):
            return False
        if stored["owner"] != wished["owner"] and not self.listed(self.transfer_list, stored, actor):
            return False
        if stored["secret"] != wished["secret"]:
            asked = wished if self.secret_next else stored
            if not self._holds(self.secret_update, stored, asked, actor):
                return False
        return True

    def may_create(self, name: str, wished: Fields, *, anew: bool) -> bool:
        actor = self.actor(name)
        if not self.may_be(wished) or not self._holds(self.create, wished, wished, actor):
            return False
        if not anew:
            return True
        # Before it is made, it is its maker's.
        if wished["owner"] != name and not self.listed(self.transfer_list, {"owner": name}, actor):
            return False
        return self._holds(self.secret_update, wished, wished, actor)

    @staticmethod
    def _holds(rule: Rule, stored: Fields, asked: Fields, actor: Fields) -> bool:
        listed = replace_form(rule, "list").allows(stored, actor)
        condition = replace_form(rule, "if").allows(asked, actor)
        return listed if rule.form == "list" else condition if rule.form == "if" else listed and condition


def replace_form(rule: Rule, form: str) -> Rule:
    other = object.__new__(Rule)
    other.form, other.grants, other.text, other.naive = form, rule.grants, rule.text, rule.naive
    return other


@dataclass
class Attempt:
    """One record, as it is and as it is wished, and who tries."""

    service: Service
    http: httpx.Client
    rules: Rules
    name: str
    key: str
    stored: Fields
    wished: Fields
    record_id: str = ""
    maker: str | None = None

    @property
    def differing(self) -> Fields:
        return {field: value for field, value in self.wished.items() if value != self.stored[field]}

    @property
    def seen_differing(self) -> Fields:
        """The same, as far as the actor can read the record."""
        seen = self.rules.secret_read.allows(self.stored, self.rules.actor(self.name))
        return {field: value for field, value in self.differing.items() if field != "secret" or seen}

    @property
    def whole(self) -> Fields:
        """The record as wished, as who was given it sends it back: without what they were not shown."""
        seen = self.rules.secret_read.allows(self.stored, self.rules.actor(self.name))
        return {
            field: value
            for field, value in self.wished.items()
            if field != "secret" or seen or field in self.differing
        }

    def send(
        self, method: str, path: str, body: Any = None, kind: str = "application/json", **headers: str
    ) -> httpx.Response:
        content = body if isinstance(body, (str, bytes)) or body is None else json.dumps(body)
        answer = self.http.request(
            method, path, content=content, headers={**bearer(self.name), "Content-Type": kind, **headers}
        )
        assert answer.status_code < 500, answer.text
        return answer

    # --- what was there before, written past all rules --------------------------------------------

    def make(self, *steps: str) -> None:
        """Writes `wished`, `stored` and `gone` in the order of the steps, each in a change by another account."""
        for number, step in enumerate(steps):
            caller, act = Caller(Actor(f"past-{self.key}-{number}")), Act(batch=f"{self.key}-{number}")
            written(self.service, lambda unit, step=step, caller=caller: self._step(unit, step, caller), act)

    def _step(self, unit: Any, step: str, caller: Caller) -> None:
        collection = self.service.definitions.collections["things"]
        stamp = unit.stamp(caller)
        now = unit.find(unit.resource("things"), "code", self.key)
        change: Change
        state = {} if step == "gone" else getattr(self, step) | derived(getattr(self, step))
        if step == "gone":
            change = deletion(collection, now, stamp)
        elif now is None:
            change = creation(collection, self.service.new_id(), state | {"maker": "past"}, stamp)
            self.record_id = change.record_id
        else:
            values = {field: value for field, value in state.items() if value != now[field]}
            if not values:
                return
            change = alteration(collection, now, values, stamp)
        apply(unit, caller, [change])

    def now(self) -> Fields | None:
        with self.service.database.reading() as reading:
            view = View(self.service, reading)
            found = view.find(view.resource("things"), "code", self.key)
        if found is None:
            return None
        assert {field: found[field] for field in DERIVED} == derived(found), found
        self.maker = found["maker"]
        return {field: found[field] for field in self.stored}


Do = Callable[[Attempt], Any]


@dataclass(frozen=True)
class Way:
    """How a change is asked for. `before` is what stood in the record in turn; `reads` says that only what the
    actor can read is put back, `right` asks for more than the right to update, `only` that just this field differs."""

    do: Do
    before: tuple[str, ...] = ("stored",)
    reads: bool = False
    gone: bool = False
    only: str | None = None


def one(tried: Attempt) -> str:
    return f"{THINGS}/{tried.key}"


def entry(tried: Attempt, action: str) -> int:
    with tried.service.database.reading() as reading:
        found, _ = tried.service.database.history.of_record(reading, tried.record_id, below=2**62, limit=50)
    return next(one.sequence for one in found if one.action == action)


def item(tried: Attempt, **more: Any) -> dict[str, Any]:
    return {"items": [{"collection": "things", **more}]}


def form(tried: Attempt) -> str:
    pairs = []
    for name, value in tried.differing.items():
        pairs += (
            [(name, one) for one in value]
            if isinstance(value, list)
            else [(name, json.dumps(value) if not isinstance(value, str) else value)]
        )
    return urlencode(pairs)


def csv(tried: Attempt, fields: Fields) -> str:
    def cell(value: Any) -> str:
        text = "" if value is None else value if isinstance(value, str) else json.dumps(value)
        return '"' + text.replace('"', '""') + '"'

    return ",".join(fields) + "\n" + ",".join(cell(value) for value in fields.values()) + "\n"


def patched(kind: str, body: Callable[[Fields], Any]) -> Do:
    return lambda tried: tried.send("PATCH", one(tried), body(tried.differing), kind)


def known(tried: Attempt) -> Fields:
    return {"code": tried.key, **tried.differing}


#: Who did what was there before.
PAST = Caller(Actor("past"))


def proposed(tried: Attempt, values: Fields, kind: Any = "change") -> int:
    """A proposal of these values for the record, or of a record of them, as if somebody had sent it."""

    def work(unit: Any) -> int:
        now = unit.service.now()
        fields = {name: ProposedField(tried.stored.get(name), value) for name, value in values.items()}
        place = ("things", "own", tried.record_id, tried.key)
        if kind == "create":
            desk = creation(
                unit.service.definitions.collections["desks"],
                unit.service.new_id(),
                {"title": "x"},
                unit.stamp(PAST),
            )
            apply(unit, PAST, [desk])
            place = ("desks", "report", desk.record_id, desk.record_id)
        one = Proposal(
            1, *place, unit.service.database.number, kind, 1, fields, "", "", now, unit.service.new_id()
        )
        return add_proposal(unit, PAST, replace(one, number=begin_proposal(unit, one))).number

    return written(tried.service, work)


def applied(tried: Attempt, sent: Fields, kind: str = "change", **more: Any) -> httpx.Response:
    return tried.send("POST", f"/v1/proposals/{proposed(tried, sent, kind)}/apply", more)


def other(fields: Fields) -> Fields:
    """Values that nobody wishes for."""
    return {name: None if name == "site" else value for name, value in fields.items()}


def by_pass(tried: Attempt) -> httpx.Response:
    """By a pass that the actor made, whose changes are applied at once; what passes cannot change, by a patch."""
    if not tried.differing.keys() <= {*tried.rules.open}:
        return tried.send("PATCH", one(tried), tried.differing)
    made = tried.send("POST", "/v1/passes", {"collection": "things", "template": "own", "key": tried.key})
    if made.status_code != 201:
        return made
    sent: dict[str, Any] = {"kind": "change", "base": "1", "once": "x", "tick": [*tried.differing]}
    for name, value in tried.differing.items():
        sent[f"f/{name}"] = (
            "\n".join(value)
            if isinstance(value, list)
            else value
            if isinstance(value, str)
            else json.dumps(value)
        )
    answer = tried.http.post(made.json()["link"], data=sent)
    assert answer.status_code < 500, answer.text
    return httpx.Response(answer.status_code)


PATCHES: dict[str, Do] = {
    "application/merge-patch+json": patched("application/merge-patch+json", dict),
    "application/json": patched("application/json", dict),
    "application/json-patch+json": patched(
        "application/json-patch+json",
        lambda fields: [{"op": "add", "path": f"/{name}", "value": value} for name, value in fields.items()],
    ),
    "application/vnd.fenland.edits+json": patched(
        "application/vnd.fenland.edits+json",
        lambda fields: {"edits": [{"at": f"/{name}", "set": value} for name, value in fields.items()]},
    ),
    "application/x-www-form-urlencoded": lambda tried: tried.send(
        "PATCH", one(tried), form(tried), "application/x-www-form-urlencoded"
    ),
    "multipart/form-data": lambda tried: tried.http.patch(
        one(tried),
        files=[
            (name, (None, value if isinstance(value, str) else json.dumps(value)))
            for name, whole in tried.differing.items()
            for value in (whole if isinstance(whole, list) else [whole])
        ],
        headers=bearer(tried.name),
    ),
}

WAYS: dict[str, Way] = {
    **{f"PATCH {kind}": Way(do) for kind, do in PATCHES.items()},
    "PATCH by": Way(lambda t: t.send("PATCH", f"{THINGS}/by/code/{t.key}", t.differing)),
    "POST overridden": Way(lambda t: t.send("POST", one(t), t.differing, **{"X-HTTP-Method-Override": "PATCH"})),
    "POST that says so": Way(lambda t: t.send("POST", f"{one(t)}?method=PATCH", t.differing)),
    "PATCH with base": Way(lambda t: t.send("PATCH", f"{one(t)}?base=1", t.differing)),
    "PUT": Way(lambda t: t.send("PUT", one(t), t.whole)),
    "saved": Way(lambda t: t.send("POST", f"{THINGS}/save", {**t.differing, "id": t.record_id})),
    "PUT by": Way(lambda t: t.send("PUT", f"{THINGS}/by/code/{t.key}", t.whole)),
    "batch update": Way(lambda t: t.send("POST", "/v1/batch", item(t, action="update", key=t.key, fields=t.differing))),
    "batch update each": Way(lambda t: t.send("POST", "/v1/batch", {**item(t, action="update", key=t.key, fields=t.differing), "atomic": False})),
    "batch patch": Way(lambda t: t.send("POST", "/v1/batch", item(t, action="update", key=t.key, patch=[{"op": "add", "path": f"/{name}", "value": value} for name, value in t.differing.items()]))),
    "batch edits": Way(lambda t: t.send("POST", "/v1/batch", item(t, action="update", key=t.key, edits=[{"at": f"/{name}", "set": value} for name, value in t.differing.items()]))),
    "batch put": Way(lambda t: t.send("POST", "/v1/batch", item(t, action="put", by="code", value=t.key, fields=t.whole))),
    "many": Way(lambda t: t.send("PATCH", f"{THINGS}?code={t.key}", t.differing)),
    "import csv": Way(lambda t: t.send("POST", f"{THINGS}/import?mode=update", csv(t, known(t)), "text/csv")),
    "import lines": Way(lambda t: t.send("POST", f"{THINGS}/import?mode=both&atomic=true", json.dumps(known(t)), "application/jsonl")),
    "restore": Way(lambda t: t.send("POST", f"{one(t)}/restore?version=1"), ("wished", "stored"), reads=True),
    "restore deleted": Way(lambda t: t.send("POST", f"{one(t)}/restore?version=1"), ("wished", "stored", "gone"), reads=True, gone=True),
    "undo": Way(lambda t: t.send("POST", f"/v1/history/{entry(t, 'update')}/undo"), ("wished", "stored")),
    "undo batch": Way(lambda t: t.send("POST", "/v1/history/undo", {"batch": f"{t.key}-1"}), ("wished", "stored")),
    "undo window": Way(lambda t: t.send("POST", "/v1/history/undo", {"actor": f"past-{t.key}-1", "from": "2020-01-01"}), ("wished", "stored")),
    "apply": Way(lambda t: applied(t, t.differing), reads=True),
    "apply other values": Way(lambda t: applied(t, other(t.differing), values=t.seen_differing), reads=True),
    "apply several": Way(lambda t: t.send("POST", "/v1/proposals/apply", {"proposals": [proposed(t, t.differing)]}), reads=True),
    "by a pass": Way(by_pass),
    "erase": Way(lambda t: t.send("POST", f"{one(t)}/erase", {"fields": ["secret"], "reason": "asked", "values": {"secret": t.wished["secret"]}}), only="secret"),
}  # fmt: skip

MAKING: dict[str, Way] = {
    "POST": Way(lambda t: t.send("POST", THINGS, t.wished)),
    "saved, new": Way(lambda t: t.send("POST", f"{THINGS}/save", {**t.wished, "id": ""})),
    "PUT by, new": Way(lambda t: t.send("PUT", f"{THINGS}/by/code/{t.key}", t.wished)),
    "batch create": Way(lambda t: t.send("POST", "/v1/batch", item(t, action="create", fields=t.wished))),
    "batch put, new": Way(lambda t: t.send("POST", "/v1/batch", item(t, action="put", by="code", value=t.key, fields=t.wished))),
    "apply, new": Way(lambda t: applied(t, t.wished, "create")),
    "import, new": Way(lambda t: t.send("POST", f"{THINGS}/import?mode=create", csv(t, t.wished), "text/csv")),
    "restore, gone": Way(lambda t: t.send("POST", f"{one(t)}/restore"), ("wished", "gone"), gone=True),
    "undo, gone": Way(lambda t: t.send("POST", f"/v1/history/{entry(t, 'delete')}/undo"), ("wished", "gone"), gone=True),
}  # fmt: skip

_HANDED = "Passes, which write no record: test_passes."
_SETTLED = "Settles what is proposed, and writes no record: test_passes."
_SENT = "Subscriptions, which write no record: test_subscriptions."
#: By route: the ways that go through it; a sentence where it writes no record.
ROUTES: dict[tuple[str, str], list[str] | str] = {
    ("POST", "/v1/records/{collection}"): ["POST"],
    ("PATCH", "/v1/records/{collection}"): ["many"],
    ("DELETE", "/v1/records/{collection}"): "Deletes: test_access and test_filters.",
    ("POST", "/v1/records/{collection}/save"): ["saved", "saved, new"],
    ("POST", "/v1/records/{collection}/import"): ["import csv", "import lines", "import, new"],
    ("PATCH", "/v1/records/{collection}/{key}"): [f"PATCH {kind}" for kind in PATCHES] + ["PATCH with base", "POST overridden", "POST that says so"],
    ("PUT", "/v1/records/{collection}/{key}"): ["PUT"],
    ("DELETE", "/v1/records/{collection}/{key}"): "Deletes: test_access.",
    ("POST", "/v1/records/{collection}/{key}/preview"): "Saves nothing; the same pipeline as PATCH: test_update.",
    ("POST", "/v1/records/{collection}/{key}/restore"): ["restore", "restore deleted", "restore, gone"],
    ("POST", "/v1/records/{collection}/{key}/erase"): ["erase"],
    ("PATCH", "/v1/records/{collection}/by/{field}/{value}"): ["PATCH by"],
    ("PUT", "/v1/records/{collection}/by/{field}/{value}"): ["PUT by", "PUT by, new"],
    ("DELETE", "/v1/records/{collection}/by/{field}/{value}"): "Deletes: test_access.",
    ("POST", "/v1/batch"): ["batch update", "batch update each", "batch patch", "batch edits", "batch put", "batch create", "batch put, new"],
    ("POST", "/v1/history/{sequence}/undo"): ["undo", "undo, gone"],
    ("POST", "/v1/history/undo"): ["undo batch", "undo window"],
    ("POST", "/v1/session"): "Signs in: test_takeover.",
    ("DELETE", "/v1/session"): "Signs out: test_takeover.",
    ("POST", "/v1/session/password"): "One's own password: test_takeover.",
    ("POST", "/v1/tokens"): "One's own tokens: test_takeover.",
    ("DELETE", "/v1/tokens/{id}"): "One's own tokens: test_takeover.",
    ("PUT", "/v1/requests"): "What is noted of one's own requests: test_inspecting.",
    ("DELETE", "/v1/requests"): "What is noted of one's own requests: test_inspecting.",
    ("POST", "/v1/accounts"): "Accounts, by who manages them: test_takeover.",
    ("POST", "/v1/records/{collection}/{key}/presence"): "Who has a record open, which is kept nowhere: test_presence.",
    ("POST", "/v1/subscriptions"): _SENT,
    ("PATCH", "/v1/subscriptions/{subscription}"): _SENT,
    ("DELETE", "/v1/subscriptions/{subscription}"): _SENT,
    ("POST", "/v1/subscriptions/{subscription}/secret"): _SENT,
    ("POST", "/v1/subscriptions/{subscription}/test"): _SENT,
    ("POST", "/v1/subscriptions/{subscription}/resend"): _SENT,
    ("POST", "/v1/subscriptions/{subscription}/deliveries/{number}/resend"): _SENT,
    ("PATCH", "/v1/accounts/{name}"): "Accounts: test_takeover.",
    ("POST", "/v1/passes"): ["by a pass"],
    ("DELETE", "/v1/passes"): _HANDED,
    ("POST", "/v1/passes/letters"): _HANDED,
    ("DELETE", "/v1/passes/{number}"): _HANDED,
    ("POST", "/v1/passes/{number}/renew"): _HANDED,
    ("POST", "/v1/passes/{number}/unlock"): _HANDED,
    ("POST", "/v1/proposals/{number}/apply"): ["apply", "apply other values", "apply, new"],
    ("POST", "/v1/proposals/apply"): ["apply several"],
    ("POST", "/v1/proposals/{number}/refuse"): _SETTLED,
    ("POST", "/v1/proposals/refuse"): _SETTLED,
    ("POST", "/v1/proposals/{number}/withdraw"): _SETTLED,
    ("POST", "/v1/proposals/withdraw"): _SETTLED,
}  # fmt: skip


def test_every_route_format_and_action_is_in_the_tables() -> None:
    writing = {(route.method, route.path) for route in routes.ROUTES if route.method != "GET"}
    assert writing == ROUTES.keys()
    named = {way for ways in ROUTES.values() if isinstance(ways, list) for way in ways}
    assert named == WAYS.keys() | MAKING.keys()
    assert set(PATCHES) == set(PATCH_TYPES)
    assert set(ACTIONS) == {"create", "update", "put", "delete"}


def _wishes(rules: Rules, dice: random.Random, name: str, key: str) -> tuple[Fields, Fields]:
    stored = {**rules._record(key), "secret": f"s{key}"}
    wished = dict(stored)
    for field in dice.sample(
        ["owner", "name", "count", "open", "site", "tags", "secret"], dice.choice([1, 1, 2, 3])
    ):
        others = {
            "owner": [name, *TOKENS],
            "name": ["abc", "xyz"],
            "count": [1, 2, 3],
            "open": [True, False],
            "site": ["S1", "S2"],
            "tags": [["carl"], ["vic", "olga"]],
            "secret": ["x", "y"],
        }
        wished[field] = dice.choice(others[field])
    if wished == stored:
        wished["secret"] = "x"
    return stored, wished


def _fill_sites(service: Service) -> None:
    from test_access import SITES

    def work(unit: Any) -> None:
        collection, stamp = service.definitions.collections["sites"], Stamp(service.now(), "olga")
        apply(
            unit,
            Caller(Actor("olga")),
            [creation(collection, service.new_id(), one, stamp) for one in SITES.values()],
        )

    written(service, work)


@pytest.fixture(scope="module")
def counted() -> Iterator[dict[str, list[int]]]:
    """By way: how often it was refused, and how often it went through."""
    counts: dict[str, list[int]] = {way: [0, 0] for way in (*WAYS, *MAKING)}
    yield counts
    assert all(min(pair) >= 3 for way, pair in counts.items() if way != "erase"), counts


@pytest.mark.parametrize("seed", range(60 if NIGHTLY else 10))
def test_who_may_is_the_same_by_every_way(tmp_path: Path, counted: dict[str, list[int]], seed: int) -> None:
    rules, dice = Rules(seed), random.Random(seed + 1_000)
    own = RULES if rules.own else ""
    with workshop_of(rules.described(), tmp_path / "x.db", rules=own) as (service, http):
        _fill_sites(service)
        for name in TOKENS:
            wishes = [_wishes(rules, dice, name, "") for _ in range(2)]
            for number, (way_name, way) in enumerate([*WAYS.items(), *MAKING.items()]):
                for turn, (stored, wished) in enumerate(wishes):
                    key = f"T-{name}-{number}-{turn}"
                    if way.only:
                        wished = {**stored, way.only: "z"}
                    tried = Attempt(
                        service, http, rules, name, key, {**stored, "code": key}, {**wished, "code": key}
                    )
                    if way_name in MAKING:
                        _tried_to_make(tried, way_name, way, counted)
                    else:
                        _tried_to_change(tried, way_name, way, counted)


def _tried_to_change(tried: Attempt, way_name: str, way: Way, counted: dict[str, list[int]]) -> None:
    rules, name = tried.rules, tried.name
    actor, stored, wished = rules.actor(name), tried.stored, dict(tried.wished)
    tried.make(*way.before)
    if way.reads and not rules.secret_read.allows(stored, actor):
        # What they may not see, they cannot put back either.
        wished["secret"] = stored["secret"]
    allowed = rules.read.allows(stored, actor)
    if wished != stored:
        allowed = allowed and rules.may_change(name, stored, wished)
    if way.gone:
        allowed = allowed and rules.may_create(name, wished, anew=False)
    if way_name == "erase":
        allowed = allowed and rules.listed(rules.erase_list, stored, actor)
    _compare(tried, way_name, way, (allowed, wished), counted, stored if not way.gone else None)


def _tried_to_make(tried: Attempt, way_name: str, way: Way, counted: dict[str, list[int]]) -> None:
    rules, name = tried.rules, tried.name
    if way.gone:
        tried.make(*way.before)
    allowed = rules.may_create(name, tried.wished, anew=not way.gone)
    if way.gone:
        allowed = allowed and rules.read.allows(tried.wished, rules.actor(name))
    _compare(tried, way_name, way, (allowed, tried.wished), counted, None)


def _compare(
    tried: Attempt,
    way_name: str,
    way: Way,
    expected: tuple[bool, Fields],
    counted: dict[str, list[int]],
    otherwise: Fields | None,
) -> None:
    allowed, wished = expected
    answer = way.do(tried)
    counted[way_name][allowed] += 1
    told = (
        way_name,
        tried.name,
        tried.stored,
        tried.wished,
        tried.rules.described()["things"],
        answer.status_code,
        answer.text,
    )
    assert tried.now() == (wished if allowed else otherwise), told
    if tried.maker is not None:
        assert tried.maker == ("past" if tried.record_id else tried.name), told
    if wished != otherwise and (way_name.startswith("PATCH") or way_name in ("PUT", "restore", "undo")):
        assert (answer.status_code < 300) == allowed, told
    _sees_no_more(tried, answer, told)


def _sees_no_more(tried: Attempt, answer: httpx.Response, told: Any) -> None:
    """The answer shows nothing that its reader may not see in the record as it is now."""
    now = tried.now()
    if now is None or answer.status_code not in (200, 201) or not answer.content:
        return
    body = answer.json()
    shown = body.get("record") or (body.get("results") or [{}])[0].get("record") or body
    actor = tried.rules.actor(tried.name)
    if not tried.rules.read.allows(now, actor):
        assert not set(shown) & {"owner", "name", "count", "secret"}, told
    elif not tried.rules.secret_read.allows(now, actor):
        assert "secret" not in shown, told
