"""Derived fields: what they come to, what refuses a change, what is a mistake; by every way of writing in
tests/test_ways_to_write.py, and over changes of definitions in tests/test_migrating.py."""

from __future__ import annotations

import csv
import io
import random
import re
from collections.abc import Iterator, Mapping
from decimal import Decimal
from pathlib import Path
from types import SimpleNamespace
from typing import Any

import httpx
import pytest
import yaml
from hypothesis import given, settings
from hypothesis import strategies as st

from fenland.core.access.policy import Actor, Caller
from fenland.core.changes.change import alteration
from fenland.core.consequences.deriving import Derivations
from fenland.core.definitions.advice import advise
from fenland.core.definitions.model import DefinitionMistakes
from fenland.core.definitions.reading import definitions_from
from fenland.core.problems import Problem
from fenland.core.values.plain import same
from fenland.service.changes.applying import apply
from fenland.service.proof.verifying import verify_database
from fenland.service.work import written
from support import NIGHTLY, bearer, workshop_of

ACCESS = {right: ["everyone"] for right in ("read", "create", "update", "delete")}
CSV = {"Content-Type": "text/csv"}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
TEXT, WHOLE = {"type": "string"}, {"type": "integer"}
CENTS, DOUBLE = {"type": "number", "multipleOf": Decimal("0.01")}, {"type": "number"}


def of(fields: Mapping[str, Any], **others: Any) -> dict[str, Any]:
    return {"jobs": {"key": "code", "access": ACCESS, "fields": {"code": CODE, **fields}, **others}}


def worked_out(
    fields: Mapping[str, Any], record: Mapping[str, Any]
) -> tuple[dict[str, Any], list[Problem], list[str]]:
    """What the derived fields come to, what is wrong with them, and which failed where they may be empty."""
    jobs, problems, failed = definitions_from(of(fields)).collections["jobs"], list[Problem](), list[str]()
    whole = {**dict.fromkeys(jobs.fields), "code": "J1", "id": "0", **record}
    found = Derivations(jobs).values(whole, problems, lambda rule, why: failed.append(f"{rule}: {why}"))
    return found, problems, failed


# --- what they come to -------------------------------------------------------------------------------

#: The field, what its record holds, and what it comes to.
VALUES: dict[str, tuple[Any, Mapping[str, Any], Any]] = {
    "whole numbers": (WHOLE | {"derived": "record.a + record.b"}, {"a": 2, "b": 3}, 5),
    "nothing where something is missing": (WHOLE | {"derived": "record.a + record.b"}, {"a": 2}, None),
    "what null is taken for": (WHOLE | {"derived": "record.a + (record.b == null ? 0 : record.b)"}, {"a": 2}, 2),
    "decimals are exact": (CENTS | {"derived": "record.p * 3"}, {"p": Decimal("0.10")}, Decimal("0.30")),
    "a tie goes to the even one": (CENTS | {"derived": "record.d"}, {"d": 0.125}, Decimal("0.12")),
    "and up to it": (CENTS | {"derived": "record.d"}, {"d": 0.135}, Decimal("0.14")),
    "a double is what its text says": (CENTS | {"derived": "record.d"}, {"d": 2.675}, Decimal("2.68")),
    "a quotient": (CENTS | {"derived": "double(record.a) / 3.0"}, {"a": 2}, Decimal("0.67")),
    "below zero": (CENTS | {"derived": "-record.d"}, {"d": 0.125}, Decimal("-0.12")),
    "steps of five hundredths": (CENTS | {"multipleOf": Decimal("0.05"), "derived": "record.d"}, {"d": 1.12}, Decimal("1.10")),
    "a double for whole numbers": (WHOLE | {"derived": "record.d"}, {"d": 2.5}, 2),
    "whole steps": (WHOLE | {"multipleOf": 5, "derived": "record.a"}, {"a": 13}, 15),
    "more digits than a double has": (CENTS | {"derived": "record.p + record.q"}, {"p": Decimal("90071992547409.93"), "q": Decimal("0.01")}, Decimal("90071992547409.94")),
    "no minus zero": (DOUBLE | {"derived": "record.d * -1.0"}, {"d": 0.0}, 0.0),
    "a double as it is": (DOUBLE | {"derived": "record.d / 3.0"}, {"d": 1.0}, 1 / 3),
    "no number": (DOUBLE | {"derived": "record.d / 0.0"}, {"d": 1.0}, None),
    "no decimal": (CENTS | {"derived": "record.d / 0.0"}, {"d": 0.0}, None),
    "text": (TEXT | {"derived": "record.s + '!'"}, {"s": "x"}, "x!"),
    "a flag": ({"type": "boolean", "derived": "record.a > 2"}, {"a": 3}, True),
    "a day": (TEXT | {"format": "date", "derived": "record.on"}, {"on": "2031-04-09"}, "2031-04-09"),
    "a day from text": (TEXT | {"format": "date", "derived": "record.s"}, {"s": "2031-04-09"}, "2031-04-09"),
    "a list": ({"type": "array", "derived": "[record.a, record.b]"}, {"a": 1, "b": 2}, [1, 2]),
    "the key": (TEXT | {"derived": "record.code"}, {}, "J1"),
}  # fmt: skip
OTHERS = {
    "a": WHOLE, "b": WHOLE, "d": DOUBLE, "p": CENTS, "q": CENTS, "s": TEXT, "on": TEXT | {"format": "date"},
}  # fmt: skip


@pytest.mark.parametrize("name", VALUES)
def test_a_value_comes_out(name: str) -> None:
    item, record, expected = VALUES[name]
    found, problems, failed = worked_out({**OTHERS, "out": item}, record)
    assert problems == []
    assert same(found["out"], expected) and type(found["out"]) is type(expected)
    assert str(found["out"]) == str(expected)
    assert bool(failed) == (expected is None)


#: The field, what its record holds, the code of the problem and a part of what is said.
REFUSALS: dict[str, tuple[Any, Mapping[str, Any], str, str]] = {
    "its own limits": (WHOLE | {"maximum": 9, "derived": "record.a * 5"}, {"a": 2}, "maximum", "9"),
    "its type's bounds": (WHOLE | {"derived": "double(record.a) * 2.0"}, {"a": 2**62}, "range", "64 bits"),
    "what is required": (WHOLE | {"required": True, "derived": "record.a + 1"}, {}, "underivable", "from a"),
    "what fails": (WHOLE | {"required": True, "derived": "10 / record.a"}, {"a": 0}, "underivable", "zero"),
    "a day that there is not": (TEXT | {"format": "date", "derived": "record.s"}, {"s": "x"}, "format", "date"),
    "its pattern": (TEXT | {"pattern": "^[a-z]+$", "derived": "record.s"}, {"s": "A"}, "pattern", ""),
}  # fmt: skip


@pytest.mark.parametrize("name", REFUSALS)
def test_a_value_that_may_not_be_is_a_problem_of_its_field(name: str) -> None:
    item, record, code, said = REFUSALS[name]
    _, problems, _ = worked_out({**OTHERS, "out": item}, record)
    assert [(one.pointer, one.code) for one in problems] == [("/out", code)]
    assert said in problems[0].detail


def test_of_what_is_wrong_already_nothing_more_is_said() -> None:
    fields = {
        "a": WHOLE,
        "b": WHOLE | {"required": True, "derived": "10 / record.a"},
        "c": WHOLE | {"required": True, "derived": "record.b + 1"},
    }
    _, problems, _ = worked_out(fields, {"a": 0})
    assert [one.pointer for one in problems] == ["/b"]


PIECES = [
    "record.{0} + record.{1}",
    "record.{0} * record.{1}",
    "record.{0} - 7",
    "record.{1} > 3 ? record.{0} : record.{1}",
]


def naive(text: str, values: Mapping[str, Any]) -> Any:
    """The same expression as Python reads it."""
    if "?" in text:
        condition, _, rest = text.partition("?")
        then, _, otherwise = rest.partition(":")
        text = f"({then}) if ({condition}) else ({otherwise})"
    try:
        found = eval(text, {"record": SimpleNamespace(**values)})
    except TypeError:
        return None
    return found if found is None or -(2**63) <= found < 2**63 else None


@settings(max_examples=400 if NIGHTLY else 60, deadline=None)
@given(
    seed=st.integers(0, 2**32),
    given=st.lists(st.one_of(st.none(), st.integers(-9, 9)), min_size=3, max_size=3),
)
def test_chains_come_to_what_a_naive_reading_says(seed: int, given: list[int | None]) -> None:
    dice = random.Random(seed)
    names, fields, expected = ["a", "b", "c"], dict[str, Any](), dict(zip("abc", given, strict=True))
    for number in range(5):
        text = dice.choice(PIECES).format(dice.choice(names), dice.choice(names))
        names.append(f"d{number}")
        fields[f"d{number}"] = WHOLE | {"derived": text}
        expected[f"d{number}"] = naive(text, expected)
    shuffled = list(fields.items())
    dice.shuffle(shuffled)
    found, problems, _ = worked_out(
        {"a": WHOLE, "b": WHOLE, "c": WHOLE, **dict(shuffled)}, dict(zip("abc", given, strict=True))
    )
    assert problems == []
    assert found == {name: expected[name] for name in fields}


# --- over HTTP ---------------------------------------------------------------------------------------

WORK = of(
    {
        "title": TEXT | {"required": True},
        "hours": CENTS | {"minimum": 0},
        "rate": CENTS,
        "pay": CENTS | {"maximum": 1000, "derived": "record.hours * record.rate", "indexed": True},
        "line": TEXT | {"derived": "record.title + ': ' + string(record.pay)", "search": True},
        "secret": WHOLE | {"access": {"read": ["office"]}},
        "hint": WHOLE | {"required": True, "maximum": 50, "derived": "record.secret == null ? 0 : record.secret * 2", "access": {"read": ["office"]}},
        "divided": WHOLE | {"default": 1},
        "share": WHOLE | {"required": True, "derived": "(record.secret == null ? 0 : record.secret) / record.divided"},
        "boss": {"references": "jobs", "on_delete": "clear"},
        "led": TEXT | {"maxLength": 2, "derived": "record.boss == null ? (record.title == 'Alone' ? 'n/a' : 'no') : record.boss"},
    },
    checks=[{"rule": "next.pay == null || next.pay != 13", "message": "Not thirteen.", "code": "unlucky", "fields": ["pay"]}],
)  # fmt: skip


@pytest.fixture(scope="module")
def jobs(tmp_path_factory: pytest.TempPathFactory) -> Iterator[httpx.Client]:
    with workshop_of(WORK, tmp_path_factory.mktemp("derived") / "jobs.db") as (_, http):
        yield http


def made(jobs: httpx.Client, code: str, **fields: Any) -> dict[str, Any]:
    answer = jobs.post("/v1/records/jobs", json={"code": code, "title": "Weir", **fields})
    assert answer.status_code == 201, answer.text
    found: dict[str, Any] = answer.json()
    return found


def problems_of(answer: httpx.Response) -> list[tuple[str, str]]:
    assert answer.status_code == 422, answer.text
    return [(one["pointer"], one["code"]) for one in answer.json()["errors"]]


def test_what_is_sent_decides_and_what_is_derived_follows(jobs: httpx.Client) -> None:
    assert made(jobs, "A1", hours=2.5, rate=40)["line"] == "Weir: 100.00"
    found = jobs.patch("/v1/records/jobs/A1", json={"rate": 30}).json()
    assert (found["pay"], found["line"], found["version"]) == (75, "Weir: 75.00", 2)
    # One change, and one entry that holds all of it.
    newest = jobs.get("/v1/records/jobs/A1/history").json()["items"][0]
    assert set(newest["changes"]) == {"rate", "pay", "line"}
    found = jobs.patch("/v1/records/jobs/A1", json={"rate": None}).json()
    assert (found["pay"], found["line"]) == (None, None)


def test_nobody_sets_it_and_sent_as_it_is_it_is_no_error(jobs: httpx.Client) -> None:
    record = made(jobs, "B1", hours=1, rate=10)
    assert problems_of(jobs.patch("/v1/records/jobs/B1", json={"pay": 11})) == [("/pay", "derived")]
    assert jobs.patch("/v1/records/jobs/B1", json={"pay": 10, "hours": 2}).json()["pay"] == 20
    whole = jobs.get("/v1/records/jobs/B1").json()
    assert jobs.put("/v1/records/jobs/B1", json=whole | {"rate": 5}).json()["pay"] == 10
    lenient = {"Prefer": "handling=lenient"}
    assert jobs.patch("/v1/records/jobs/B1", json={"pay": 9}, headers=lenient).json()["pay"] == 10
    # A new record may come with what it comes to, and with nothing else.
    copied = {name: record[name] for name in ("title", "hours", "rate", "pay", "line", "hint", "led")}
    assert jobs.post("/v1/records/jobs", json={"code": "B2", **copied}).status_code == 201
    answer = jobs.post("/v1/records/jobs", json={"code": "B3", **copied, "pay": 11})
    assert problems_of(answer) == [("/pay", "derived")]


def test_its_limits_and_checks_refuse_the_change_by_its_name(jobs: httpx.Client) -> None:
    made(jobs, "C1", hours=10, rate=10)
    assert problems_of(jobs.patch("/v1/records/jobs/C1", json={"rate": 1000})) == [("/pay", "maximum")]
    assert problems_of(jobs.patch("/v1/records/jobs/C1", json={"rate": 1.3})) == [("/pay", "unlucky")]
    assert problems_of(jobs.patch("/v1/records/jobs/C1", json={"rate": "x"})) == [("/rate", "type")]
    assert jobs.get("/v1/records/jobs/C1").json()["version"] == 1


def test_a_preview_shows_it_and_filters_and_sorts_know_it(jobs: httpx.Client) -> None:
    made(jobs, "D1", hours=3, rate=7)
    preview = jobs.post("/v1/records/jobs/D1/preview", json={"rate": 8}).json()
    assert preview["changes"]["pay"] == {"before": 21, "after": 24}
    assert jobs.get("/v1/records/jobs/D1").json()["pay"] == 21
    for query in ({"pay": "21"}, {"where": "pay > 20.5 && pay < 21.5"}, {"q": "Weir: 21"}):
        found = jobs.get("/v1/records/jobs", params=query).json()["items"]
        assert [one["code"] for one in found] == ["D1"], query
    listed = jobs.get("/v1/records/jobs", params={"sort": "-pay", "where": "pay != null"}).json()["items"]
    assert [one["pay"] for one in listed] == sorted((one["pay"] for one in listed), reverse=True)


def test_schemas_say_that_nobody_sets_it(jobs: httpx.Client) -> None:
    form = jobs.get("/v1/schemas/jobs?for=create").json()
    for fields in (jobs.get("/v1/schemas/jobs").json()["properties"], form["schema"]["properties"]):
        assert fields["pay"]["readOnly"] is True and fields["pay"]["x-derived"] is True
        assert "readOnly" not in fields["rate"] and "x-derived" not in fields["rate"]
    assert "hint" not in form["schema"]["required"] and "pay" not in form["writable"]
    schemas = jobs.get("/v1/openapi.json").json()["components"]["schemas"]
    assert schemas["Jobs"]["properties"]["pay"]["readOnly"] is True
    assert not any("pay" in schemas[name]["properties"] for name in ("JobsNew", "JobsPatch"))


def test_of_a_field_that_they_may_not_read_no_value_is_told(jobs: httpx.Client) -> None:
    made(jobs, "E1", secret=20)
    carl = bearer("carl")
    assert not {"secret", "hint"} & jobs.get("/v1/records/jobs/E1", headers=carl).json().keys()
    answer = jobs.patch("/v1/records/jobs/E1", json={"secret": 30}, headers=carl)
    [problem] = answer.json()["errors"]
    assert (answer.status_code, problem["pointer"], problem["code"]) == (422, "", "maximum")
    assert problem.keys() == {"pointer", "code", "detail"} and "50" not in problem["detail"]
    # Nor of what one that they may read is made from, and why it cannot be.
    answer = jobs.patch("/v1/records/jobs/E1", json={"divided": 0}, headers=carl)
    [problem] = answer.json()["errors"]
    assert (problem["pointer"], problem["code"]) == ("/share", "underivable")
    assert problem.keys() == {"pointer", "code", "detail"} and "secret" not in problem["detail"]
    [problem] = jobs.patch("/v1/records/jobs/E1", json={"divided": 0}).json()["errors"]
    assert "secret" in problem["detail"] and problem["empty"] == []
    [problem] = jobs.patch("/v1/records/jobs/E1", json={"secret": 30}).json()["errors"]
    assert (problem["pointer"], problem["maximum"]) == ("/hint", 50)


def test_what_is_derived_from_a_reference_follows_when_that_is_emptied(jobs: httpx.Client) -> None:
    made(jobs, "F0")
    assert made(jobs, "F1", boss="F0")["led"] == "F0"
    jobs.delete("/v1/records/jobs/F0").raise_for_status()
    found = jobs.get("/v1/records/jobs/F1").json()
    assert (found["boss"], found["led"]) == (None, "no")
    newest = jobs.get("/v1/records/jobs/F1/history").json()["items"][0]
    assert set(newest["changes"]) == {"boss", "led"}
    # Where it cannot be kept without it, the deletion is refused.
    made(jobs, "F2")
    made(jobs, "F3", boss="F2", title="Alone")
    answer = jobs.delete("/v1/records/jobs/F2")
    assert answer.status_code == 409 and "could not be kept" in answer.json()["detail"]
    assert jobs.get("/v1/records/jobs/F2").status_code == 200


def test_a_file_that_was_exported_comes_in_again(jobs: httpx.Client) -> None:
    made(jobs, "G1", hours=2, rate=9)
    text = jobs.get("/v1/records/jobs", params={"code": "G1"}, headers={"Accept": "text/csv"}).text
    [row] = csv.DictReader(io.StringIO(text))
    assert row["pay"] == "18.00"
    jobs.delete("/v1/records/jobs/G1").raise_for_status()
    headers = {"Content-Type": "text/csv"}
    kept = {name: value for name, value in row.items() if name in WORK["jobs"]["fields"]}
    told = io.StringIO()
    writer = csv.DictWriter(told, list(kept))
    writer.writeheader()
    writer.writerow(kept)
    answer = jobs.post("/v1/records/jobs/import?mode=create", content=told.getvalue(), headers=headers).json()
    assert (answer["created"], answer["refused"]) == (1, 0), answer
    assert jobs.get("/v1/records/jobs/G1").json()["pay"] == 18


def test_the_guide_says_what_happens() -> None:
    text, *_ = re.findall(
        r"```yaml\n(.*?)```", (Path(__file__).parents[1] / "docs" / "consequences.md").read_text(), re.S
    )
    fields = yaml.safe_load(text)["fields"]
    for item in fields.values():
        if "multipleOf" in item:
            item["multipleOf"] = Decimal(str(item["multipleOf"]))
    found, problems, failed = worked_out(fields, {"hours": Decimal("2.50"), "rate": Decimal("40.00")})
    assert (found, problems, failed) == ({"pay": Decimal("100.00"), "line": "Pay: 100.00"}, [], [])
    found, _, failed = worked_out(fields, {"hours": Decimal("2.50")})
    assert (found, len(failed)) == ({"pay": None, "line": "unpaid"}, 1)


def test_many_rows_of_a_file_are_counted_together(tmp_path: Path) -> None:
    sites = {"key": "code", "access": ACCESS, "fields": {
        "code": {"type": "string", "required": True, "unique": True, "fixed": True},
        "total": {"type": "integer", "derived": {"sum": "each.n", "of": "works.site"}, "maximum": 60},
        "works": {"type": "integer", "derived": {"count": "works.site"}},
    }}  # fmt: skip
    works = {"key": "code", "access": ACCESS, "fields": {
        "code": sites["fields"]["code"], "n": {"type": "integer"}, "site": {"references": "sites"},
    }}  # fmt: skip
    path = tmp_path / "works.db"
    with workshop_of({"sites": sites, "works": works}, path) as (_, http):
        for code in ("S0", "S1"):
            http.post("/v1/records/sites", json={"code": code}).raise_for_status()

        def brought(rows: list[tuple[str, int, str]], mode: str = "both", **query: str) -> dict[str, Any]:
            text = "code,n,site\n" + "".join(f"{code},{n},{site}\n" for code, n, site in rows)
            answer = http.post(
                "/v1/records/works/import", params={"mode": mode, **query}, content=text, headers=CSV
            )
            found: dict[str, Any] = answer.json()
            return found

        def totals() -> list[tuple[int, int]]:
            found = (http.get(f"/v1/records/sites/{code}").json() for code in ("S0", "S1"))
            return [(one["total"], one["works"]) for one in found]

        rows = [(f"W{number}", 2, f"S{number % 2}") for number in range(40)]
        assert brought(rows, preview="true")["created"] == 40 and totals() == [(0, 0), (0, 0)]
        found = brought(rows)
        assert (found["created"], totals()) == (40, [(40, 20), (40, 20)])
        # What is derived of all of them is a change of each site, and no more.
        entries = http.get("/v1/history?limit=200").json()["items"]
        assert [one["action"] for one in entries].count("derive") == 2
        # One that is too much is refused by itself, whatever stands around it.
        more = [
            ("W0", 9, "S0"),
            ("X1", 30, "S0"),
            ("W1", 3, "S0"),
            ("X2", 5, "S1"),
            ("X3", 10, "S0"),
            ("X4", 1, "nowhere"),
        ]
        told = brought(more)
        assert (told["created"], told["updated"], told["refused"]) == (2, 2, 2), told
        assert totals() == [(60, 22), (43, 20)]
        whole = brought([("Y1", 1, "S0"), ("Y2", 1, "S1")], atomic="true")
        assert (whole["refused"], totals()) == (1, [(60, 22), (43, 20)]), whole
        one = next(one for one in entries if one["collection"] == "works" and one["key"] == "W3")
        http.post(f"/v1/history/{one['sequence']}/undo").raise_for_status()
        assert totals()[1] == (41, 19)
        undone = http.post("/v1/history/undo", json={"batch": found["batch"], "atomic": False}).json()
        # Two were changed since, and one is gone already.
        assert (undone["refused"], undone["undone"]) == (3, 37)
        kept = http.get("/v1/records/works?limit=200").json()["items"]
        assert totals() == [
            (sum(one["n"] for one in kept if one["site"] == code), sum(one["site"] == code for one in kept))
            for code in ("S0", "S1")
        ]
    assert verify_database(path).faults == []


def test_a_preview_of_bringing_back_tells_what_would_be_refused_elsewhere(tmp_path: Path) -> None:
    code = {"type": "string", "required": True, "unique": True, "fixed": True}
    total = {"type": "integer", "derived": {"sum": "each.n", "of": "works.site"}, "maximum": 60}
    described = {
        "sites": {"key": "code", "access": ACCESS, "fields": {"code": code, "total": total}},
        "works": {"key": "code", "access": ACCESS, "fields": {"code": code, "n": {"type": "integer"}, "site": {"references": "sites"}}},
    }  # fmt: skip
    with workshop_of(described, tmp_path / "works.db") as (_, http):
        http.post("/v1/records/sites", json={"code": "S"}).raise_for_status()
        for key, number in (("W1", 40), ("W2", 30)):
            http.post("/v1/records/works", json={"code": key, "n": number, "site": "S"}).raise_for_status()
            http.delete(f"/v1/records/works/{key}").raise_for_status()
        restore = "/v1/records/works/{}/restore?preview={}"
        assert http.post(restore.format("W1", "true")).json()["errors"] == []
        http.post(restore.format("W1", "false")).raise_for_status()
        answer = http.post(restore.format("W2", "true"))
        assert (answer.status_code, [one["code"] for one in answer.json()["errors"]]) == (
            200,
            ["consequence"],
        )
        assert http.post(restore.format("W2", "false")).status_code == 422
        assert http.get("/v1/records/sites/S").json()["total"] == 40


# --- verifying ---------------------------------------------------------------------------------------


def test_verify_finds_a_derived_value_that_was_written_past_it(tmp_path: Path) -> None:
    path = tmp_path / "jobs.db"
    with workshop_of(WORK, path) as (service, http):
        made(http, "A1", hours=2, rate=9)
        assert verify_database(path).faults == []

        def forge(unit: Any) -> None:
            resource = unit.resource("jobs")
            caller, stored = Caller(Actor("olga")), unit.find(resource, "code", "A1")
            values = {"pay": Decimal("99.00")}
            apply(unit, caller, [alteration(resource.collection, stored, values, unit.stamp(caller))])

        written(service, forge)
        [fault] = verify_database(path).faults
    assert fault.kind == "derived"
    assert "'A1' of jobs holds in pay what" in fault.sentence


# --- mistakes and advice -----------------------------------------------------------------------------

#: Fields, and what is said of a mistake.
MISTAKES: dict[str, tuple[Mapping[str, Any], str]] = {
    "no expression": ({"x": WHOLE | {"derived": 5}}, "derived is"),
    "no field": ({"x": WHOLE | {"derived": "record.nope"}}, "nope"),
    "no syntax": ({"x": WHOLE | {"derived": "record.a +"}}, "fields.x.derived"),
    "another type": ({"x": WHOLE | {"derived": "record.s"}}, "derived gives string, and field 'x' holds int."),
    "text for a flag": ({"x": {"type": "boolean", "derived": "record.s"}}, "holds bool."),
    "a number for text": ({"x": TEXT | {"derived": "record.a"}}, "holds string."),
    "a list for a number": ({"x": WHOLE | {"derived": "[record.a]"}}, "holds int."),
    "a whole record": ({"x": TEXT | {"derived": "record"}}, "whole record"),
    "now": ({"x": TEXT | {"derived": "string(now)"}}, "would go stale"),
    "today": ({"x": TEXT | {"format": "date", "derived": "today"}}, "would go stale"),
    "who asks": ({"x": TEXT | {"derived": "actor.name"}}, "would go stale"),
    "next": ({"x": WHOLE | {"derived": "next.a"}}, "Speak of record"),
    "the version": ({"x": WHOLE | {"derived": "record.version"}}, "changes with every save"),
    "who changed it": ({"x": TEXT | {"derived": "record.updated_by"}}, "changes with every save"),
    "itself": ({"x": WHOLE | {"derived": "record.x + 1"}}, "x → x"),
    "a circle": ({"x": WHOLE | {"derived": "record.y"}, "y": WHOLE | {"derived": "record.z"}, "z": WHOLE | {"derived": "record.x"}}, "x → y → z → x"),
    "a default": ({"x": WHOLE | {"derived": "record.a", "default": 3}}, "default has no say"),
    "fixed": ({"x": WHOLE | {"derived": "record.a", "fixed": True}}, "fixed has no say"),
    "read only": ({"x": WHOLE | {"derived": "record.a", "readOnly": True}}, "readOnly has no say"),
    "a reference": ({"x": {"references": "jobs", "derived": "record.code"}}, "references has no say"),
    "a blank": ({"x": TEXT | {"derived": "record.s", "blank": "keep"}}, "blank has no say"),
    "erased": ({"x": WHOLE | {"derived": "record.a", "sensitive": True}}, "sensitive has no say"),
    "never shown": ({"x": WHOLE | {"derived": "record.a", "writeOnly": True}}, "writeOnly has no say"),
    "a filling": ({"x": WHOLE | {"derived": "record.a", "fill": "record.a"}}, "fill has no say"),
    "from what is erased": ({"x": TEXT | {"derived": "record.n"}, "n": TEXT | {"sensitive": True}}, "which is sensitive"),
    "from what is never shown": ({"x": TEXT | {"derived": "record.n"}, "n": TEXT | {"writeOnly": True}}, "which is writeOnly"),
    "a filling from it": ({"x": WHOLE | {"derived": "record.a"}, "y": WHOLE | {"fill": "record.x"}}, "asks for 'x', which is derived"),
    "inside a field": ({"x": {"type": "object", "properties": {"y": WHOLE | {"derived": "record.a"}}}}, "belongs to a field, not inside one"),
    "the owner": ({"by": TEXT | {"derived": "record.s"}}, "is the owner"),
    "an unreadable text": ({"x": TEXT | {"derived": 3}}, "It must be an expression over record"),
}  # fmt: skip


@pytest.mark.parametrize("name", MISTAKES)
def test_a_mistake_is_told_at_its_place(name: str) -> None:
    fields, said = MISTAKES[name]
    described = of(
        {"a": WHOLE, "s": TEXT, "boss": {"references": "jobs"}, **fields},
        **({"owner": "by"} if "by" in fields else {}),
    )
    with pytest.raises(DefinitionMistakes) as caught:
        definitions_from(described)
    assert any(said in f"{one.what} {one.hint}" for one in caught.value.mistakes), caught.value.mistakes
    assert all(one.file == "jobs" and one.pointer.startswith("/fields/") for one in caught.value.mistakes)


def test_check_advises_where_more_people_read_it_than_what_it_is_made_from() -> None:
    office = {"access": {"read": ["office"]}}
    described = of(
        {
            "a": WHOLE | office,
            "x": WHOLE | {"derived": "record.a"},
            "y": WHOLE | office | {"derived": "record.a"},
            "z": WHOLE | {"derived": "record.y"},
            "o": WHOLE | {"default": {"expression": "next.a"}},
            "e": WHOLE,
        },
        effects=[{"on": "update", "set": {"e": "before.a"}}],
    )
    advice = {one.place: f"{one.what} {one.hint}" for one in advise(definitions_from(described, ["office"]))}
    assert advice.keys() == {"jobs.x", "jobs.z", "jobs.o", "jobs.effects/0"}
    assert "who may not read a" in advice["jobs.x"]
