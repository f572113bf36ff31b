"""Own code: what functions of `rules.py` are given and may give, what becomes of failures, and mistakes at check.

By every way of writing they are tried in tests/test_ways_to_write.py."""

from __future__ import annotations

import json
import re
import threading
import time
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from decimal import Decimal
from pathlib import Path
from typing import Any

import httpx
import pytest

from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.problems import RuleFailed
from fenland.service.project import load_project
from fenland.service.proof.verifying import Around, verify_database
from fenland.service.service import Service
from fenland.testing import Trial
from support import bearer, fenland, new_project, start, workshop_of

PAGE = (Path(__file__).parents[1] / "docs" / "own-code.md").read_text()
EVERYONE = {right: ["everyone"] for right in ("read", "create", "update", "delete")}
OFFICE = {right: ["office"] for right in ("read", "create", "update", "delete")}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
TEXT, WHOLE = {"type": "string"}, {"type": "integer"}
HOURS = {"type": "number", "multipleOf": Decimal("0.25")}

#: What the functions do is chosen by the note of a job.
RULES = """
import itertools
import time
from datetime import date, datetime
from decimal import Decimal
from types import MappingProxyType

from fenland.rules import change, check, create, delete, derivation, effect, problem, setting

SAID = {
    "none": None, "true": True, "text": "It may not be.", "problem": problem("hours", "Too many.", "many"),
    "both": [problem("hours", "One."), "Two."], "of all": problem(None, "All of it."), "empty": (),
    "mute": problem("hours", 3), "forever": itertools.repeat("Again."), "number": 3, "false": False, "no text": "", "unknown": problem("horus", "x"), "odd code": problem(None, "x", "Not so"),
}

@check
def says(next, before, look, actor, now, today):
    note = next["note"]
    if note in SAID:
        return SAID[note]
    if note == "yields":
        return (one for one in ["First.", "Second."])
    if note == "boom":
        raise ValueError("what nobody may know")
    if note == "sleep":
        time.sleep(1.5)
    if note == "spin":
        while True:
            pass
    if note == "types":
        found = [type(next[name]) for name in ("hours", "day", "created_at", "tags", "part", "count")]
        assert found == [Decimal, date, datetime, tuple, MappingProxyType, int], found
        assert next["created_at"].tzinfo is not None and type(now) is datetime and type(today) is date
        assert actor["roles"] == ("crew",) and actor["name"] == "carl" and look.one("jobs", "nowhere") is None
        assert next.collection == "jobs" and set(next) > {"id", "code"} and before is None
    if note == "change":
        next["tags"].append("x")
    if note == "assign":
        next["hours"] = 3
    if note == "inside":
        next["part"]["a"] = 3
    if note == "nowhere":
        look.one("jbos", "x")
    if note == "no field":
        look.find("jobs", huors=3)
    if note == "no such value":
        look.find("jobs", day="soon")
    if note == "odd value":
        look.find("jobs", note=object())
    if note == "odd key":
        look.one("jobs", ["x"])
    if note == "lists":
        look.find("jobs", tags=["x"])
    if note == "all":
        look.find("jobs")
    if note == "looks":
        return f"{len(look.find('jobs', day=next['day'], count=None))} {len(look.find('jobs', hours=next['hours']))}"

@derivation
def line_of(code, hours, name="nowhere"):
    if code == "broken":
        raise KeyError(code)
    return {"A list": [1], "Much": "x" * 99}.get(code, f"{code}: {hours} at {name}")

SET = {
    "sets": {"done_on": date(2031, 4, 9), "tags": ("a", "b"), "part": {"a": 1}, "count": 2},
    "sets wrong": {"count": -1}, "sets nothing": {"count": None}, "sets key": {"code": "x"}, "sets derived": {"line": "x"},
    "sets odd": {"huors": 1}, "sets set": {"tags": {1, 2}}, "sets no mapping": 7, "sets null": {"hours": None},
}

@setting
def sets(after):
    return SET.get(after["note"])

@effect
def others(before, after, look, actor):
    note = after["note"] if after else "gone"
    if note == "logs":
        yield create("logs", text=f"{actor['name']} {after['code']}")
        yield change(look.one("sites", "S1"), worked=look.one("sites", "S1")["worked"] + after["hours"])
    if note == "refused":
        yield change(look.one("sites", "S1"), worked=-1)
    if note == "clears":
        for one in look.find("logs"):
            yield delete(one)
            yield delete(one)
    if note == "twice":
        log = look.find("logs")[0]
        yield [delete(log), change(log, text="x")]
    if note == "late":
        log = look.find("logs")[0]
        yield delete(log)
        yield change(log, text="x")
    if note == "fixed":
        yield change(look.one("sites", "S1"), code="x")
    if note == "no collection":
        yield create("lgos", text="x")
    if note == "a number":
        yield 3
    if note == "no record":
        yield change({"id": "x"}, text="x")
    if note == "gone":
        yield create("logs", text=f"gone {before['code']}")
"""
JOBS: dict[str, Any] = {
    "sites": {
        "key": "code",
        "access": OFFICE,
        "fields": {"code": CODE, "name": TEXT, "worked": HOURS | {"minimum": 0, "default": 0}},
    },
    "logs": {"access": OFFICE, "fields": {"text": TEXT | {"required": True}}},
    "jobs": {
        "key": "code",
        "access": EVERYONE,
        "fields": {
            "code": CODE,
            "note": TEXT,
            "site": {"references": "sites"},
            "hours": HOURS | {"required": True, "default": 1},
            "count": WHOLE | {"minimum": 0},
            "day": TEXT | {"format": "date"},
            "done_on": TEXT | {"format": "date", "readOnly": True},
            "tags": {"type": "array", "items": TEXT},
            "part": {"type": "object", "properties": {"a": WHOLE}},
            "secret": TEXT | {"access": {"read": ["office"], "update": ["office"]}},
            "line": TEXT
            | {
                "derived": {"call": "line_of", "of": ["record.code // the key", "record.hours"]},
                "maxLength": 40,
            },
            "place": TEXT
            | {"derived": {"call": "line_of", "of": ["record.code", "record.hours", "record.site.name"]}},
        },
        "checks": [{"call": "says", "fields": ["note"], "code": "said"}],
        "effects": [
            {"on": ["create", "update"], "if": 'after.note != "idle"', "call": "sets"},
            {"on": ["create", "update", "delete"], "call": "others"},
        ],
    },
}
Jobs = tuple[Service, httpx.Client]


@pytest.fixture(scope="module")
def path(tmp_path_factory: pytest.TempPathFactory) -> Path:
    return tmp_path_factory.mktemp("own") / "jobs.db"


@pytest.fixture(scope="module")
def jobs(path: Path) -> Iterator[Jobs]:
    with workshop_of(JOBS, path, rules=RULES, rule_seconds=0.5) as (service, http):
        http.post("/v1/records/sites", json={"code": "S1", "name": "North"}).raise_for_status()
        yield service, http


NUMBERS = iter(range(10**6))


def make(jobs: Jobs, who: str = "olga", **fields: Any) -> httpx.Response:
    code = fields.pop("code", f"J{next(NUMBERS)}")
    return jobs[1].post("/v1/records/jobs", json={"code": code, **fields}, headers=bearer(who))


def texts(jobs: Jobs) -> list[str]:
    return [one["text"] for one in jobs[1].get("/v1/records/logs?limit=200").json()["items"]]


def size(jobs: Jobs) -> Any:
    """How many entries the history has, and how many records there are."""
    _, http = jobs
    counts = [http.get(f"/v1/records/{name}?count=true&limit=1").json() for name in JOBS]
    newest = http.get("/v1/history?limit=1").json()["items"][0]["sequence"]
    return newest, [one.get("count", one) for one in counts]


# --- what they give --------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("note", "errors"),
    [
        ("none", []), ("true", []), ("empty", []),
        ("text", [("/note", "said", "It may not be.")]),
        ("problem", [("/hours", "many", "Too many.")]),
        ("both", [("/hours", "said", "One."), ("/note", "said", "Two.")]),
        ("of all", [("/note", "said", "All of it.")]),
        ("yields", [("/note", "said", "First."), ("/note", "said", "Second.")]),
    ],
)  # fmt: skip
def test_a_check_says_what_is_wrong(jobs: Jobs, note: str, errors: list[tuple[str, str, str]]) -> None:
    answer = make(jobs, note=note)
    told = [(one["pointer"], one["code"], one["detail"]) for one in answer.json().get("errors", [])]
    assert (answer.status_code, told) == (422 if errors else 201, errors)


def test_functions_get_typed_values_and_a_look_at_others(jobs: Jobs) -> None:
    fields: dict[str, Any] = {"day": "2031-04-09", "tags": ["x"], "part": {"a": 1}, "count": 3}
    assert make(jobs, "carl", note="types", **fields).status_code == 201
    make(jobs, day="2032-01-01", hours=77).raise_for_status()
    answer = make(jobs, note="looks", day="2032-01-01", hours=77)
    assert answer.json()["errors"][0]["detail"] == "1 1"


def test_a_check_is_asked_once_all_else_is_right(jobs: Jobs) -> None:
    for wrong in ({"count": -1}, {"hours": None}, {"site": "nowhere"}, {"unknown": 3}):
        for note in ("boom", "sets odd"):
            answer = make(jobs, **{"note": note} | wrong)
            assert answer.status_code == 422, answer.text


def test_what_is_set_is_part_of_the_change(jobs: Jobs) -> None:
    record = make(jobs, "carl", note="sets").json()
    assert [record[name] for name in ("done_on", "tags", "part", "count", "version")] == [
        "2031-04-09", ["a", "b"], {"a": 1}, 2, 1,
    ]  # fmt: skip
    answer = make(jobs, note="sets wrong")
    assert (answer.status_code, answer.json()["errors"][0]["pointer"]) == (422, "/count")
    assert "jobs:1" in answer.json()["errors"][0]["effect"]
    assert make(jobs, note="sets null").json()["errors"][0]["code"] == "null"
    assert make(jobs, note="sets nothing", count=3).json()["count"] is None


def test_a_derived_value_follows_its_record_and_what_it_refers_to(jobs: Jobs) -> None:
    http = jobs[1]
    record = make(jobs, code="D1", site="S1", hours=2).json()
    assert (record["line"], record["place"]) == ("D1: 2.00 at nowhere", "D1: 2.00 at North")
    http.patch("/v1/records/sites/S1", json={"name": "South"}).raise_for_status()
    record = http.get("/v1/records/jobs/D1").json()
    assert (record["place"], record["version"]) == ("D1: 2.00 at South", 2)
    assert http.patch("/v1/records/jobs/D1", json={"site": None}).json()["place"] is None
    assert make(jobs, code="Much").json()["errors"][0]["code"] == "max_length"
    assert make(jobs, code="A list").json()["errors"][0]["code"] == "type"


def test_others_are_changed_with_entries_of_their_own(jobs: Jobs) -> None:
    http = jobs[1]
    assert make(jobs, "carl", code="L1", note="logs", hours=3).status_code == 201
    assert texts(jobs)[-1] == "carl L1"
    newest = http.get("/v1/history?limit=3").json()["items"]
    assert [(one["collection"], one["action"]) for one in newest] == [
        ("sites", "update"), ("logs", "create"), ("jobs", "create"),
    ]  # fmt: skip
    assert {one["cause"] for one in newest[:2]} == {newest[2]["sequence"]}
    assert {one["rule"] for one in newest[:2]} == {"jobs:1"}
    worked = http.get("/v1/records/sites/S1").json()["worked"]
    http.post(f"/v1/history/{newest[2]['sequence']}/undo").raise_for_status()
    assert (texts(jobs)[-1:], http.get("/v1/records/sites/S1").json()["worked"]) == ([], worked - 3)
    make(jobs, code="L2", note="logs")
    make(jobs, note="clears").raise_for_status()
    assert texts(jobs) == []
    http.delete("/v1/records/jobs/L2").raise_for_status()
    assert texts(jobs) == ["gone L2"]


def test_what_is_refused_there_refuses_all(jobs: Jobs) -> None:
    before = size(jobs)
    answer = make(jobs, note="refused")
    assert (answer.status_code, answer.json()["errors"][0]["code"]) == (422, "consequence")
    assert "worked" in answer.text
    told = make(jobs, "carl", note="refused").json()["errors"]
    assert "S1" not in json.dumps(told) and "worked" not in json.dumps(told)
    assert size(jobs) == before


# --- failures ----------------------------------------------------------------------------------------------

FAILS = [
    {"note": one}
    for one in (
        "boom", "change", "assign", "inside", "nowhere", "no field", "no such value", "odd value", "odd key", "mute", "forever", "no record", "lists", "number", "false",
        "no text", "unknown", "odd code", "sets key", "sets derived", "sets odd", "sets set", "sets no mapping",
        "twice", "late", "fixed", "no collection", "a number",
    )
] + [{"code": "broken"}]  # fmt: skip
#: To make a record, and to change one that is there.
MAKING: dict[str, Any] = {
    "create": lambda http, fields: http.post("/v1/records/jobs", json=fields),
    "put": lambda http, fields: http.put(f"/v1/records/jobs/by/code/{fields['code']}", json=fields),
    "batch": lambda http, fields: http.post(
        "/v1/batch", json={"items": [{"collection": "jobs", "action": "create", "fields": fields}]}
    ),
}
CHANGING: dict[str, Any] = {
    "update": lambda http, fields: http.patch("/v1/records/jobs/F0", json=fields),
    "preview": lambda http, fields: http.post("/v1/records/jobs/F0/preview", json=fields),
    "many": lambda http, fields: http.patch("/v1/records/jobs?code=F0", json=fields),
}


@pytest.mark.parametrize("fields", FAILS, ids=lambda one: next(iter(one.values())))
def test_a_failure_names_the_function_and_saves_nothing(jobs: Jobs, fields: dict[str, Any]) -> None:
    if not texts(jobs):
        make(jobs, note="logs").raise_for_status()
    make(jobs, code="F0", hours=2)
    before, function = size(jobs), "line_of" if "code" in fields else "(says|sets|others)"
    sent = [
        (way, send, fields if way in CHANGING else {"code": f"F{next(NUMBERS)}", **fields})
        for way, send in [*MAKING.items(), *CHANGING.items()]
        # A new record may be given its key, and the key of one that is there does not change.
        if (way in MAKING or "code" not in fields) and (way in CHANGING or fields.get("note") != "sets key")
    ]
    for way, send, whole in sent:
        answer = send(jobs[1], whole)
        body = answer.json()
        body = body.get("results", [body])[0]
        body = body["records"][0]["problem"] if "records" in body else body
        assert body["status"] == 500, (way, answer.text)
        assert body["type"].endswith("rule-failed"), answer.text
        assert re.search(f"The function {function} of rules.py", body["detail"]), body["detail"]
        assert "nobody may know" not in answer.text and "Error" not in body["detail"]
    assert size(jobs) == before


def test_of_several_the_others_are_made(jobs: Jobs) -> None:
    codes = [f"B{number}" for number in range(3)]
    items = [
        {"collection": "jobs", "action": "create", "fields": {"code": one, "note": "boom" if one == "B1" else "none"}}
        for one in codes
    ]  # fmt: skip
    answer = jobs[1].post("/v1/batch", json={"atomic": False, "items": items})
    assert [one["status"] for one in answer.json()["results"]] == [201, 500, 201], answer.text
    rows = "code,note\nR1,none\nR2,boom\nR3,none\n"
    answer = jobs[1].post("/v1/records/jobs/import", content=rows, headers={"Content-Type": "text/csv"})
    assert answer.status_code == 500 or answer.json()["refused"] == 1, answer.text


def test_the_log_tells_why(jobs: Jobs, capsys: pytest.CaptureFixture[str]) -> None:
    make(jobs, note="boom")
    make(jobs, note="sets odd")
    told = "".join(capsys.readouterr())
    assert "what nobody may know" in told and "huors" in told


@pytest.mark.parametrize("note", ["sleep", "spin"])
def test_what_takes_too_long_ends_by_its_name(jobs: Jobs, note: str) -> None:
    make(jobs, code="T0").raise_for_status() if note == "sleep" else None
    before, begun = size(jobs), time.monotonic()
    answer = make(jobs, note=note)
    assert (answer.status_code, "says" in answer.json()["detail"]) == (503, True), answer.text
    assert "rule_seconds" in answer.json()["detail"] and time.monotonic() - begun < 10
    assert size(jobs) == before
    assert make(jobs, note="none").status_code == 201


def test_one_that_hangs_is_not_run_for_ever(jobs: Jobs, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("fenland.service.own.running._MOST_STUCK", 2)
    told = [make(jobs, note="sleep").json()["detail"] for _ in range(3)]
    assert "longer" in told[1] and "hangs" in told[2]
    # Others are, and the same again once it comes back.
    deadline = time.monotonic() + 30
    while make(jobs, note="none").status_code != 201:
        assert time.monotonic() < deadline
        time.sleep(0.1)


def test_threads_share_what_runs_functions(jobs: Jobs) -> None:
    with ThreadPoolExecutor(8) as pool:
        found = list(pool.map(lambda _: make(jobs, note="none").status_code, range(80)))
    assert set(found) == {201}
    helpers = [one for one in threading.enumerate() if one.name == "fenland-own"]
    assert len(helpers) <= 8 + 2


def test_too_much_looked_at_is_refused(jobs: Jobs, monkeypatch: pytest.MonkeyPatch) -> None:
    limits = jobs[0].limits
    monkeypatch.setattr(jobs[0], "limits", type(limits)(consequences=3))
    answer = make(jobs, note="all")
    assert (answer.status_code, answer.json()["limit"]) == (413, "consequence_limit")


# --- elsewhere ---------------------------------------------------------------------------------------------


def test_the_history_alone_gives_the_records(jobs: Jobs, path: Path) -> None:
    functions = dict(_functions(jobs[0]))
    for around in (Around(), Around(functions=functions)):
        assert verify_database(path, around=around).faults == []


def _functions(service: Service) -> Iterator[tuple[str, Any]]:
    from fenland.core.definitions.calls import called_by

    for one in called_by(service.definitions.collections):
        yield one.name, one.function


def test_a_project_on_loopback_with_its_commands(tmp_path: Path) -> None:
    project = new_project(tmp_path / "notes")
    notes = project / "collections" / "notes.yaml"
    notes.write_text(
        notes.read_text().replace(
            "fields:\n", "fields:\n  shout: {type: string, derived: {call: shout, of: [record.title]}}\n", 1
        )
    )
    code = (
        "from fenland.rules import derivation\n\n@derivation\ndef shout(title):\n    return title.upper()\n"
    )
    (project / "rules.py").write_text(code)
    fenland("migrate", str(project))
    running = start("start", project, project / "log")
    try:
        with running.client((project / "token").read_text()) as http:
            for number in range(3):
                http.post("/v1/records/notes", json={"slug": f"n{number}", "title": "a b"}).raise_for_status()
            answer = http.patch("/v1/records/notes/n1", json={"title": "quite"}).json()
            assert answer["shout"] == "QUITE"
            schema = http.get("/v1/schemas/notes").json()["properties"]["shout"]
            assert (schema["readOnly"], schema["x-derived"]) == (True, True)
    finally:
        running.stop()
    assert not (project / "__pycache__").exists()
    place = ("--project", str(project))
    assert fenland("verify", *place).returncode == 0
    told = fenland("consequences", str(project), "--json").stdout
    assert "shout(record.title)" in told
    (project / "rules.py").write_text(code.replace("upper()", "title()"))
    found = json.loads(fenland("verify", *place, "--json", code=1).stdout)["faults"]
    assert {one["kind"] for one in found} == {"derived"} and len(found) == 1
    # Without the files of the project nobody can say, and what lies in a folder that is none is not run.
    (tmp_path / "rules.py").write_text("from pathlib import Path\nPath(__file__).with_name('run').touch()\n")
    database = ("--database", str(next(project.glob("*.db"))))
    assert fenland("verify", *database, "--project", str(tmp_path)).returncode == 0
    assert not (tmp_path / "run").exists()
    assert len(json.loads(fenland("recompute", *place, "--json").stdout)["differing"]) == 1
    assert fenland("verify", *place).returncode == 0
    # A migration has it work out what is new; the replay takes that for unknown, and the check does not.
    notes.write_text(
        notes.read_text().replace(
            "fields:\n", "fields:\n  loud: {type: string, derived: {call: shout, of: [record.body]}}\n", 1
        )
    )
    (project / "rules.py").write_text(code.replace("title.upper()", "f'{title}!'"))
    assert "differ from those" in fenland("recompute", *place, code=1).stderr
    fenland("migrate", str(project))
    assert fenland("verify", *place).returncode == 0
    # One that gives something else each time can never be put right, and is told so.
    (project / "rules.py").write_text(
        "from time import time_ns\n" + code.replace("title.upper()", "str(time_ns())")
    )
    told = fenland("recompute", *place, code=7).stdout
    assert told.count("Comes out otherwise each time") == 3, told
    # Where a function fails, every command that runs it says which.
    (project / "rules.py").write_text(code.replace("title.upper()", "1 / 0"))
    fenland_yaml = notes.read_text()
    notes.write_text(fenland_yaml.replace("of: [record.body]", "of: [record.slug]"))
    for words in (("migrate", "--preview"), ("migrate",)):
        told = fenland(*words, str(project), "--json", code=1)
        assert told.stderr.strip().splitlines()[-1].startswith("✗ The function shout"), told.stderr
        assert "shout" in json.loads(told.stdout)["error"]["detail"]
    notes.write_text(fenland_yaml)
    assert "shout" in fenland("verify", *place, code=1).stderr
    assert "shout" in fenland("recompute", *place, code=1).stderr


# --- mistakes ----------------------------------------------------------------------------------------------

NOTES = "key: code\nfields:\n  code: {type: string, required: true, unique: true, fixed: true}\n"
GOOD = "from fenland.rules import *\n\n"
MISTAKES = {
    "no Python": ("def (", "", "rules.py:1: This is not Python"),
    "not to be imported": ("\nimport nowhere_at_all", "", "rules.py:2: It cannot be imported: ModuleNotFoundError"),
    "an error on the way": ("x = 1\n\n1 / 0", "", "rules.py:3: It cannot be imported: ZeroDivisionError"),
    "it exits": ("raise SystemExit(3)", "", "rules.py:1: It cannot be imported: SystemExit"),
    "an unknown parameter": ("@check\ndef a(nxt): pass", "checks: [{call: a}]", "rules.py:3: a takes 'nxt'"),
    "async": ("@check\nasync def a(next): pass", "checks: [{call: a}]", "rules.py:3: a is async"),
    "any parameters": ("@check\ndef a(**all): pass", "checks: [{call: a}]", "rules.py:3: a takes **all"),
    "by place alone": ("@check\ndef a(next, /): pass", "checks: [{call: a}]", "rules.py:3: a takes next"),
    "called by nobody": ("@check\ndef a(next): pass", "", "rules.py:3: No definition calls 'a'"),
    "no such function": ("@check\ndef fits(next): pass", "checks: [{call: fist}]", "notes.yaml:4: rules.py has no function 'fist'. Did you mean 'fits'?"),
    "no rules at all": ("", "checks: [{call: fits}]", "Write @check over def fits(next, before)"),
    "another kind": ("@effect\ndef a(after): pass", "checks: [{call: a}]", "'a' in line 3 of rules.py is marked @effect. Mark it @check"),
    "a derivation as an effect": ("@derivation\ndef a(x): pass", "effects: [{on: create, call: a}]", "marked @derivation"),
    "no name": ("", "checks: [{call: 3}]", "call is 3"),
    "a check with a rule": ("@check\ndef a(next): pass", "checks: [{call: a, rule: next.code == '', message: x}]", "so rule has no say"),
    "an effect that sets": ("@setting\ndef a(after): pass", "effects: [{on: create, call: a, set: {code: '1'}}]", "so set has no say"),
    "setting what goes": ("@setting\ndef a(before): pass", "effects: [{on: delete, call: a}]", "nothing is left to set"),
    "an effect without on": ("@setting\ndef a(after): pass", "effects: [{call: a}]", "does not say on what"),
    "derived of nothing": ("@derivation\ndef a(x): pass", "  n: {type: string, derived: {call: a}}", "does not say of what"),
    "too few arguments": ("@derivation\ndef a(x, y): pass", "  n: {type: string, derived: {call: a, of: [record.code]}}", "a(x, y) in line 3 of rules.py takes other arguments"),
    "too many arguments": ("@derivation\ndef a(x): pass", "  n: {type: string, derived: {call: a, of: [record.code, record.id]}}", "of has 2"),
    "what goes stale": ("@derivation\ndef a(x): pass", "  n: {type: string, derived: {call: a, of: [record.version]}}", "changes with every save"),
    "the time": ("@derivation\ndef a(x): pass", "  n: {type: string, derived: {call: a, of: [today]}}", "would go stale"),
    "an unknown field": ("@derivation\ndef a(x): pass", "  n: {type: string, derived: {call: a, of: [record.cod]}}", "notes.yaml:4:52: fields.n.derived.of.0: There is no field 'cod'"),
    "another comma": ("@derivation\ndef a(x): pass", "  n: {type: string, derived: {call: a, of: ['record.code, record.id']}}", "fields.n.derived.of.0"),
    "itself": ("@derivation\ndef a(x): pass", "  n: {type: string, derived: {call: a, of: [record.n]}}", "in a circle: n → n"),
    "another word": ("@derivation\ndef a(x): pass", "  n: {type: string, derived: {call: a, of: [record.code], if: 'true'}}", "no keyword 'if'"),
    "secrets": ("@derivation\ndef a(x): pass", "  s: {type: string, sensitive: true}\n  n: {type: string, derived: {call: a, of: [record.s]}}", "which is sensitive"),
}  # fmt: skip


@pytest.mark.parametrize("name", MISTAKES)
def test_check_tells_every_mistake(tmp_path: Path, name: str) -> None:
    rules, more, expected = MISTAKES[name]
    (tmp_path / "collections").mkdir()
    (tmp_path / "fenland.toml").write_text("")
    (tmp_path / "collections" / "notes.yaml").write_text(NOTES + more)
    if rules:
        whole = GOOD + rules if rules.startswith("@") else rules
        (tmp_path / "rules.py").write_text(whole)
    with pytest.raises(DefinitionMistakes) as caught:
        load_project(tmp_path)
    assert expected in str(caught.value)


def test_definitions_that_are_kept_work_nothing_out() -> None:
    from fenland.core.definitions.own import Call

    with pytest.raises(RuleFailed, match="not at hand"):
        Call("line_of").run(1)


# --- the page ----------------------------------------------------------------------------------------------


def test_what_the_page_shows_passes(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    folder = tmp_path / "workshop"
    (folder / "collections").mkdir(parents=True)
    (folder / "fenland.toml").write_text('roles = ["desk"]\n')
    yamls = re.findall(r"```yaml\n(.*?)```", PAGE, re.DOTALL)
    for name, text in zip(("bookings", "machines", "cares"), yamls, strict=True):
        (folder / "collections" / f"{name}.yaml").write_text(text)
    rules, tests = re.findall(r"```python\n(.*?)```", PAGE, re.DOTALL)
    (folder / "rules.py").write_text(rules)
    monkeypatch.chdir(tmp_path)
    shown: dict[str, Any] = {}
    exec(compile(tests, "docs/own-code.md", "exec"), shown)
    names = re.findall(r"^def (test_\w+)", tests, re.MULTILINE)
    assert names
    for name in names:
        with Trial(folder, now="2031-04-09T09:00:00Z") as trial:
            ada = trial.account("ada", "desk")
            ada.create("machines", {"code": "lathe", "name": "Lathe"})
            shown[name](ada)
