"""Migrating: every kind of change to a definition, older layouts, what stands in the way, and walks over all."""

from __future__ import annotations

import json
import os
import random
import shutil
import signal
import sqlite3
import time
from collections.abc import Mapping
from decimal import Decimal
from pathlib import Path
from typing import Any

import httpx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from commands import Beside, fenland
from fenland.core.definitions.model import Definitions
from fenland.core.definitions.reading import definitions_from
from fenland.core.evolving.replaying import Replay
from fenland.core.values.plain import same
from fenland.service.proof.verifying import verify_database
from fenland.storage.door import (
    DatabaseRefused,
    Made,
    Migration,
    Order,
    Page,
    kept_definitions,
    migrate,
    plan_migration,
)
from fenland.storage.door import open_database as opened
from support import NIGHTLY, free_port, new_project, start, workshop_of

MADE = Made("2031-04-09T12:00:00.000000Z", "ada", "command-line")
LAYOUTS = Path(__file__).with_name("layouts")
ACCESS = {right: ["everyone"] for right in ("read", "create", "update", "delete")}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}


def of(fields: Mapping[str, Any], **others: Any) -> dict[str, Any]:
    """The definitions of one collection, `papers`, beside one that it may refer to."""
    name = others.pop("name", "papers")
    papers = {"key": "code", "access": ACCESS, "fields": {"code": CODE, **fields}, **others}
    return {name: papers, "shelves": {"key": "code", "access": ACCESS, "fields": {"code": CODE}}}


def filled(path: Path, described: Mapping[str, Any], *records: Mapping[str, Any]) -> None:
    with workshop_of(described, path) as (_, http):
        http.post("/v1/records/shelves", json={"code": "S1"}).raise_for_status()
        for number, record in enumerate(records, 1):
            http.post("/v1/records/papers", json={"code": f"P{number}", **record}).raise_for_status()


def done(path: Path, described: Mapping[str, Any]) -> Migration:
    return migrate(path, definitions_from(described, ["office", "crew"]), MADE, lambda plan: None)[0]


def planned(path: Path, described: Mapping[str, Any]) -> Migration:
    return plan_migration(path, definitions_from(described, ["office", "crew"]))


def rows_of(path: Path, definitions: Definitions) -> dict[str, dict[str, Any]]:
    """All records of a database, by collection and id."""
    database = opened(path, definitions)
    try:
        with database.reading() as reading:
            return {
                name: {
                    one["id"]: one for one in records.page(reading, Page(order=(Order("id"),), limit=9999))[0]
                }
                for name, records in database.records.items()
            }
    finally:
        database.close()


def replayed(path: Path) -> dict[str, dict[str, Any]]:
    """The same, from the history alone."""
    definitions, replay = kept_definitions(path), Replay()
    assert definitions is not None
    database = opened(path, definitions)
    with database.reading() as reading:
        for entry in database.history.following(reading, 0, 100_000):
            replay.take(entry)
    database.close()
    return replay.records


def assert_as_new(path: Path, described: Mapping[str, Any]) -> None:
    """The tables are as those of a database that was made for these definitions."""
    fresh = path.with_name("fresh.db")
    for one in path.parent.glob("fresh.db*"):
        one.unlink()
    opened(fresh, definitions_from(described, ["office", "crew"])).close()
    assert shape_of(path) == shape_of(fresh)


def shape_of(path: Path) -> dict[str, Any]:
    raw, found = sqlite3.connect(path), {}
    for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'table'").fetchall():
        columns = sorted(row[1:4] for row in raw.execute(f"PRAGMA table_info({name})"))
        # What a text may hold is said by rules, and its declared length by those of its time.
        columns = [(one, kind.split("(")[0].replace("VARCHAR", "TEXT"), must) for one, kind, must in columns]
        keys = sorted(row[2:5] for row in raw.execute(f"PRAGMA foreign_key_list({name})"))
        indexes = sorted(
            (row[2], [one[2] for one in raw.execute(f"PRAGMA index_info({row[1]})")])
            for row in raw.execute(f"PRAGMA index_list({name})")
        )
        found[name] = (columns, keys, indexes)
    raw.close()
    return found


# --- every kind of change ----------------------------------------------------------------------------

TEXT, WHOLE = {"type": "string"}, {"type": "integer"}
CENTS = {"type": "number", "multipleOf": Decimal("0.01")}

#: Fields before and after, what records held, a part of what is said, and what they hold then.
CHANGES: dict[str, tuple[Any, Any, Any, str, Any]] = {
    "a new field": ({}, {"a": TEXT}, [{}], "papers.a is new.", [{"a": None}]),
    "one with a reference": ({}, {"a": {"references": "shelves"}}, [{}], "papers.a is new.", [{"a": None}]),
    "one that must be given": ({}, {"a": TEXT | {"required": True, "default": "x"}}, [{}], "filled with 'x'", [{"a": "x"}]),
    "one filled by others": ({"n": WHOLE}, {"n": WHOLE, "a": WHOLE | {"fill": "record.n * 2"}}, [{"n": 4}], "the value of record.n * 2", [{"n": 4, "a": 8}]),
    "one filled with a date": ({"d": TEXT | {"format": "date-time"}}, {"d": TEXT | {"format": "date-time"}, "a": TEXT | {"format": "date", "fill": "date(string(record.d).substring(0, 10))"}}, [{"d": "2031-04-09T14:30:00Z"}], "filled", [{"d": "2031-04-09T14:30:00.000000Z", "a": "2031-04-09"}]),
    "one that is unique": ({}, {"a": TEXT | {"unique": True}}, [{}, {}], "papers.a is new.", [{"a": None}, {"a": None}]),
    "another name": ({"a": TEXT}, {"b": TEXT | {"was": "a"}}, [{"a": "x"}], "The field a of papers is called b now.", [{"b": "x"}]),
    "another name that was before": ({"b": TEXT}, {"b": TEXT | {"was": "a"}}, [{"b": "x"}], "", [{"b": "x"}]),
    "text to whole number": ({"a": TEXT}, {"a": WHOLE}, [{"a": "-12"}, {}], "holds texts, and will hold whole numbers", [{"a": -12}, {"a": None}]),
    "whole number to text": ({"a": WHOLE}, {"a": TEXT}, [{"a": 2**62}], "will hold texts", [{"a": str(2**62)}]),
    "decimal to text": ({"a": CENTS}, {"a": TEXT}, [{"a": 1.5}], "will hold texts", [{"a": "1.50"}]),
    "text to decimal": ({"a": TEXT}, {"a": CENTS}, [{"a": "1.5"}], "decimals with 2", [{"a": Decimal("1.50")}]),
    "more digits": ({"a": CENTS}, {"a": CENTS | {"multipleOf": Decimal("0.001")}}, [{"a": 1.25}], "with 3 digits", [{"a": Decimal("1.250")}]),
    "decimal to double": ({"a": CENTS}, {"a": {"type": "number"}}, [{"a": 1.25}], "will hold doubles", [{"a": 1.25}]),
    "double to decimal": ({"a": {"type": "number"}}, {"a": CENTS}, [{"a": 0.1}], "decimals with 2", [{"a": Decimal("0.10")}]),
    "flag to number": ({"a": {"type": "boolean"}}, {"a": WHOLE}, [{"a": True}], "whole numbers", [{"a": 1}]),
    "number to flag": ({"a": WHOLE}, {"a": {"type": "boolean"}}, [{"a": 0}], "true or false", [{"a": False}]),
    "text to date": ({"a": TEXT}, {"a": TEXT | {"format": "date"}}, [{"a": "2031-04-09"}], "will hold dates", [{"a": "2031-04-09"}]),
    "moment to text": ({"a": TEXT | {"format": "date-time"}}, {"a": TEXT}, [{"a": "2031-04-09T14:30:00+02:00"}], "texts", [{"a": "2031-04-09T12:30:00.000000Z"}]),
    "list to text": ({"a": {"type": "array"}}, {"a": TEXT}, [{"a": [1, "b"]}], "texts", [{"a": '[1,"b"]'}]),
    "text to object": ({"a": TEXT}, {"a": {"type": "object"}}, [{"a": '{"b": 0.10}'}], "objects", [{"a": {"b": Decimal("0.10")}}]),
    "no longer required": ({"a": TEXT | {"required": True}}, {"a": TEXT}, [{"a": "x"}], "need not be given any more", [{"a": "x"}]),
    "required from now on": ({"a": TEXT}, {"a": TEXT | {"required": True, "default": "y"}}, [{"a": "x"}, {}], "where it is not, it gets 'y'", [{"a": "x"}, {"a": "y"}]),
    "required, filled by others": ({"a": TEXT}, {"a": TEXT | {"required": True, "fill": "record.code + '!'"}}, [{}], "it gets the value of", [{"a": "P1!"}]),
    "no longer unique": ({"a": TEXT | {"unique": True}}, {"a": TEXT}, [{"a": "x"}], "may share values from now on", [{"a": "x"}]),
    "unique": ({"a": TEXT}, {"a": TEXT | {"unique": True}}, [{"a": "x"}, {"a": "y"}], "may not share values any more", [{"a": "x"}, {"a": "y"}]),
    "a reference": ({"a": TEXT}, {"a": {"references": "shelves"}}, [{"a": "S1"}], "papers.a refers to shelves.", [{"a": "S1"}]),
    "a reference no more": ({"a": {"references": "shelves"}}, {"a": TEXT}, [{"a": "S1"}], "refers to nothing any more", [{"a": "S1"}]),
    "a field gone": ({"a": TEXT, "b": TEXT}, {"b": TEXT}, [{"a": "x", "b": "y"}], "Remove field papers.a and its values", [{"b": "y"}]),
    "other words for values": ({"a": TEXT | {"enum": ["x", "y"]}}, {"a": TEXT | {"enum": ["x", "z"], "values": {"y": "z"}}}, [{"a": "x"}, {"a": "y"}, {}], "'y' becomes 'z'", [{"a": "x"}, {"a": "z"}, {"a": None}]),
    "values that trade places": ({"a": TEXT}, {"a": TEXT | {"values": {"x": "y", "y": "x", "z": None}}}, [{"a": "x"}, {"a": "y"}, {"a": "z"}], "'x' becomes 'y'", [{"a": "y"}, {"a": "x"}, {"a": None}]),
    "words to flags": ({"a": TEXT}, {"a": {"type": "boolean", "values": {"yes": True, "no": False}}}, [{"a": "yes"}, {"a": "no"}, {"a": "true"}], "'yes' becomes true", [{"a": True}, {"a": False}, {"a": True}]),
    "flags to words": ({"a": {"type": "boolean"}}, {"a": TEXT | {"values": {"true": "yes", "false": "no"}}}, [{"a": True}, {"a": False}], "'true' becomes 'yes'", [{"a": "yes"}, {"a": "no"}]),
    "a value split by another": ({"a": TEXT, "n": WHOLE}, {"a": TEXT | {"values": "record.n == null ? record.a : record.a + string(record.n)"}, "n": WHOLE}, [{"a": "x", "n": 1}, {"a": "x"}], "every value becomes that of", [{"a": "x1", "n": 1}, {"a": "x", "n": None}]),
    "filled where it was before": ({"a": TEXT}, {"a": TEXT | {"fill": "record.code"}}, [{"a": "x"}, {}], "where it holds nothing, it gets", [{"a": "x"}, {"a": "P2"}]),
    "two names swapped": ({"a": TEXT, "b": WHOLE}, {"a": WHOLE | {"was": "b"}, "b": TEXT | {"was": "a"}}, [{"a": "x", "b": 1}], "The field b of papers is called a now. The field a of papers is called b now.", [{"a": 1, "b": "x"}]),
    "three in a circle": ({"a": TEXT, "b": TEXT, "c": TEXT}, {"a": TEXT | {"was": "c"}, "b": TEXT | {"was": "a"}, "c": TEXT | {"was": "b"}}, [{"a": "1", "b": "2", "c": "3"}], "called", [{"a": "3", "b": "1", "c": "2"}]),
    "narrower": ({"a": TEXT}, {"a": TEXT | {"maxLength": 2}}, [{"a": "long"}], "lets in less: maxLength", [{"a": "long"}]),
    "a derived field": ({"n": WHOLE}, {"n": WHOLE, "a": CENTS | {"derived": "double(record.n) / 3.0"}}, [{"n": 1}, {}], "papers.a is new, and derived from double(record.n) / 3.0.", [{"n": 1, "a": Decimal("0.33")}, {"n": None, "a": None}]),
    "derived from derived": ({"n": WHOLE}, {"b": TEXT | {"derived": "record.code + string(record.a)"}, "a": WHOLE | {"derived": "record.n + 1"}, "n": WHOLE}, [{"n": 1}], "derived", [{"b": "P12", "a": 2, "n": 1}]),
    "derived otherwise": ({"n": WHOLE, "a": WHOLE | {"derived": "record.n + 1"}}, {"n": WHOLE, "a": WHOLE | {"derived": "record.n + 2"}}, [{"n": 1}], "papers.a is derived from record.n + 2 now.", [{"n": 1, "a": 3}]),
    "derived from now on": ({"n": WHOLE, "a": WHOLE}, {"n": WHOLE, "a": WHOLE | {"derived": "record.n"}}, [{"n": 1, "a": 9}], "now: the values that it has go.", [{"n": 1, "a": 1}]),
    "derived no more": ({"n": WHOLE, "a": WHOLE | {"derived": "record.n"}}, {"n": WHOLE, "a": WHOLE}, [{"n": 1}], "is not derived any more", [{"n": 1, "a": 1}]),
    "derived from what moves": ({"n": TEXT, "a": TEXT | {"derived": "string(record.n) + '!'"}}, {"m": WHOLE | {"was": "n"}, "a": TEXT | {"derived": "string(record.m) + '!'"}}, [{"n": "007"}], "called m now", [{"m": 7, "a": "7!"}]),
    "derived from what is filled": ({}, {"n": WHOLE | {"required": True, "default": 4}, "a": WHOLE | {"derived": "record.n * 2"}}, [{}], "derived", [{"n": 4, "a": 8}]),
    "derived from what turns": ({"s": TEXT, "a": TEXT | {"derived": "record.s + '.'"}}, {"s": TEXT | {"values": {"x": "y"}}, "a": TEXT | {"derived": "record.s + '.'"}}, [{"s": "x"}], "'x' becomes 'y'", [{"s": "y", "a": "y."}]),
}  # fmt: skip

#: What a start does by itself: nothing stored depends on it.
FREE: dict[str, tuple[Any, Any, str]] = {
    "wider": ({"a": TEXT | {"maxLength": 2}}, {"a": TEXT | {"maxLength": 9}}, "lets in more: maxLength"),
    "more to choose from": ({"a": TEXT | {"enum": ["x"]}}, {"a": TEXT | {"enum": ["y", "x"]}}, "lets in more: enum"),
    "a title": ({"a": TEXT}, {"a": TEXT | {"title": "A", "search": True}}, "title, search change"),
    "an order": ({"a": TEXT, "b": TEXT}, {"b": TEXT, "a": TEXT}, "stand in another order"),
    "an index": ({"a": TEXT}, {"a": TEXT | {"indexed": True}}, "gets an index"),
    "an index less": ({"a": TEXT | {"indexed": True}}, {"a": TEXT}, "loses an index"),
    "a new field": ({}, {"a": TEXT | {"format": "date"}}, "papers.a is new"),
    "a new reference": ({}, {"a": {"references": "shelves"}}, "papers.a is new"),
    "who may": ({"a": TEXT}, {"a": TEXT | {"access": {"read": ["office"]}}}, "access changes"),
}  # fmt: skip

#: What stands in the way: fields before and after, records, what is said, and of how many.
OBSTACLES: dict[str, tuple[Any, Any, Any, str, int]] = {
    "a text that is no number": ({"a": TEXT}, {"a": WHOLE}, [{"a": "x"}, {"a": "1"}], "cannot be kept as it would have to be", 1),
    "digits that would be lost": ({"a": CENTS}, {"a": WHOLE}, [{"a": 1.25}, {"a": 2}], "cannot be kept", 1),
    "nothing to fill with": ({}, {"a": TEXT | {"required": True}}, [{}, {}], "must be given, and is not", 2),
    "nothing where there must be": ({"a": TEXT}, {"a": TEXT | {"required": True}}, [{}, {"a": "x"}], "must be given", 1),
    "a filling that fails": ({"n": WHOLE}, {"n": WHOLE, "a": WHOLE | {"required": True, "fill": "10 / record.n"}}, [{"n": 0}, {"n": 5}], "cannot be kept", 1),
    "a derived value that there is not": ({"n": WHOLE}, {"n": WHOLE, "a": WHOLE | {"required": True, "derived": "10 / record.n"}}, [{"n": 0}, {"n": 5}], "must be given, and is not", 1),
    "a derived value that may not be": ({"n": WHOLE}, {"n": WHOLE, "a": WHOLE | {"maximum": 3, "derived": "record.n"}}, [{"n": 4}, {"n": 3}], "cannot be kept", 1),
    "derived values that are the same": ({"n": WHOLE}, {"n": WHOLE, "a": WHOLE | {"unique": True, "derived": "record.n % 2"}}, [{"n": 4}, {"n": 3}, {"n": 5}], "holds what another", 1),
    "a value twice": ({"a": TEXT}, {"a": TEXT | {"unique": True}}, [{"a": "x"}, {"a": "x"}, {}], "holds what another record holds", 1),
    "a default twice": ({}, {"a": TEXT | {"required": True, "unique": True, "default": "x"}}, [{}, {}], "holds what another", 1),
    "a key that leads nowhere": ({"a": TEXT}, {"a": {"references": "shelves"}}, [{"a": "S9"}], "refers to a record that is not there", 1),
}  # fmt: skip


@pytest.mark.parametrize("name", CHANGES)
def test_a_change_is_carried_out(tmp_path: Path, name: str) -> None:
    before, after, records, told, expected = CHANGES[name]
    path, newer = tmp_path / "papers.db", of(after)
    filled(path, of(before), *records)
    plan = done(path, newer)
    assert told in " ".join(plan.steps)
    with workshop_of(newer, path) as (_, http):
        items = http.get("/v1/records/papers").json(parse_float=Decimal)["items"]
    assert [{field: one[field] for field in after} for one in items] == expected
    assert {one["version"] for one in items} == {1}
    assert_as_new(path, newer)
    definitions = definitions_from(newer, ["office", "crew"])
    assert same(rows_of(path, definitions), replayed(path))


def test_collections_swap_their_names_and_do_so_once(tmp_path: Path) -> None:
    path, place = tmp_path / "papers.db", {"references": "shelves"}
    filled(path, of({"a": place}), {"a": "S1"}, {})
    plain = {"key": "code", "access": ACCESS, "fields": {"code": CODE}}
    newer = {
        "shelves": {**plain, "was": "papers", "fields": {"code": CODE, "a": {"references": "papers"}}},
        "papers": {**plain, "was": "shelves"},
    }
    assert "The collection papers is called shelves now." in done(path, newer).steps
    assert planned(path, newer).steps == ()
    with workshop_of(newer, path) as (_, http):
        found = {name: http.get(f"/v1/records/{name}").json()["items"] for name in newer}
        assert [(one["code"], one["a"]) for one in found["shelves"]] == [("P1", "S1"), ("P2", None)]
        assert [one["code"] for one in found["papers"]] == ["S1"]
        entry = http.get("/v1/records/shelves/P1/history").json()["items"][-1]
        assert entry["action"] == "create"
    assert_as_new(path, newer)
    assert same(rows_of(path, definitions_from(newer, ["office", "crew"])), replayed(path))
    # What stands there still says nothing new: another change moves nothing back.
    later = {**newer, "papers": {**newer["papers"], "title": "Sheets"}}
    done(path, later)
    assert rows_of(path, definitions_from(later, ["office", "crew"])).keys() == {"papers", "shelves"}
    with workshop_of(later, path) as (_, http):
        assert http.get("/v1/records/shelves/P1").status_code == 200


def test_older_values_are_understood_once_they_have_become_others(tmp_path: Path) -> None:
    path = tmp_path / "papers.db"
    before = {"a": TEXT | {"enum": ["x", "y"]}, "b": TEXT}
    after = {"a": TEXT | {"enum": ["z", "x"], "values": {"y": "z"}}, "b": TEXT}
    filled(path, of(before), {"a": "y"})
    with workshop_of(of(before), path) as (_, http):
        http.patch("/v1/records/papers/P1", json={"a": "x"}).raise_for_status()
    done(path, of(after))
    with workshop_of(of(after), path) as (_, http):
        at = "/v1/records/papers/P1"
        # Whoever goes back to what it was gets the value of today, and an older base is one.
        assert http.post(f"{at}/restore", params={"version": 1}).json()["a"] == "z"
        http.patch(at, json={"a": "x"}).raise_for_status()
        assert http.patch(at, json={"b": "n"}, params={"base": "1"}).json()["b"] == "n"
        assert http.get(at, params={"version": 1}).json()["a"] == "z"


def test_a_record_was_at_each_version_what_it_is_called_today_though_names_were_swapped(
    tmp_path: Path,
) -> None:
    path, at = tmp_path / "papers.db", "/v1/records/papers/P1"
    before, after = {"a": TEXT, "b": TEXT}, {"a": TEXT | {"was": "b"}, "b": TEXT | {"was": "a"}}
    filled(path, of(before), {"a": "1", "b": "1"})
    with workshop_of(of(before), path) as (_, http):
        known = [http.get(at).json()]
        # Once swapped, what changes here is the other field.
        for fields in ({"a": "2"}, {"a": "3"}):
            known.append(http.patch(at, json=fields).raise_for_status().json())
    done(path, of(after))
    for one in known:
        one["a"], one["b"] = one["b"], one["a"]
    with workshop_of(of(after), path) as (_, http):
        assert http.get(at).json()["version"] == len(known)
        for fields in ({"a": "4"}, {"a": "5", "b": "5"}, {"b": "6"}, {"a": "6"}):
            known.append(http.patch(at, json=fields).raise_for_status().json())
        for number, one in enumerate(known, 1):
            found = http.get(at, params={"version": number}).json()
            assert (found["version"], found["a"], found["b"]) == (number, one["a"], one["b"])


@pytest.mark.parametrize("name", FREE)
def test_a_start_takes_in_what_no_stored_data_depends_on(tmp_path: Path, name: str) -> None:
    before, after, told = FREE[name]
    path, newer = tmp_path / "papers.db", definitions_from(of(after), ["office", "crew"])
    filled(path, of(before), {})
    with pytest.raises(DatabaseRefused, match="not to be taken in here"):
        opened(path, newer, made=Made(MADE.time, at_start=False))
    opened(path, newer, made=Made(MADE.time, "ada")).close()
    raw = sqlite3.connect(path)
    sql = "SELECT actor, via, version, reason FROM fenland_history WHERE action = 'migrate' ORDER BY version"
    actor, via, version, reason = raw.execute(sql).fetchall()[-1]
    raw.close()
    assert (actor, via, version) == ("ada", "start", 2)
    assert told in reason
    assert_as_new(path, of(after))
    with pytest.raises(DatabaseRefused, match="number 1 of the database, which is under number 2 by now"):
        opened(path, definitions_from(of(before), ["office", "crew"]))


@pytest.mark.parametrize("name", OBSTACLES)
def test_what_stands_in_the_way_is_counted_and_nothing_is_done(tmp_path: Path, name: str) -> None:
    before, after, records, told, count = OBSTACLES[name]
    path = tmp_path / "papers.db"
    filled(path, of(before), *records)
    plan = planned(path, of(after))
    assert [(told in one.words, one.count, one.blocks) for one in plan.obstacles] == [(True, count, True)]
    content = path.read_bytes()
    with pytest.raises(DatabaseRefused):
        # Even where nobody asked what stands in the way.
        done(path, of(after))
    assert path.read_bytes() == content
    with workshop_of(of(before), path) as (_, http):
        assert http.patch("/v1/records/papers/P1", json={}).status_code == 200


def test_collections_come_go_and_are_renamed(tmp_path: Path) -> None:
    path = tmp_path / "papers.db"
    filled(
        path,
        of({"shelf": {"references": "shelves"}, "next": {"references": "papers"}}),
        {"shelf": "S1"},
        {"next": "P1"},
    )
    newer = of(
        {"shelf": {"references": "racks"}, "next": {"references": "letters"}}, name="letters", was="papers"
    )
    shelves = newer.pop("shelves")
    newer["racks"] = shelves | {"was": "shelves", "key": "label", "fields": {"label": CODE | {"was": "code"}}}
    newer["boxes"] = {"access": ACCESS, "fields": {"text": TEXT}}
    with pytest.raises(DatabaseRefused, match="The collection papers is called letters now"):
        opened(path, definitions_from(newer, ["office", "crew"]))
    plan = done(path, newer)
    assert not plan.losses
    with workshop_of(newer, path) as (_, http):
        assert http.get("/v1/records/letters/P1").json()["shelf"] == "S1"
        assert http.get("/v1/records/racks/S1").json()["label"] == "S1"
        assert http.delete("/v1/records/letters/P1").status_code == 409
        assert http.delete("/v1/records/letters/P2").status_code == 200
        assert (
            http.get("/v1/records/letters/P2/history").json()["items"][1]["changes"]["next"]["after"] == "P1"
        )
    assert_as_new(path, newer)
    del newer["boxes"]
    assert planned(path, newer).losses == {"boxes": 0}
    done(path, newer)
    assert same(rows_of(path, definitions_from(newer, ["office", "crew"])), replayed(path))


def test_a_key_that_others_hold_stays_the_key(tmp_path: Path) -> None:
    path = tmp_path / "papers.db"
    filled(path, of({"shelf": {"references": "shelves"}}), {"shelf": "S1"})
    newer = of({"shelf": {"references": "shelves"}})
    newer["shelves"]["fields"]["label"] = CODE | {"default": "x"}
    newer["shelves"]["key"] = "label"
    plan = planned(path, newer)
    assert plan.blocked
    assert "papers.shelf holds keys" in plan.impossible[0]


# --- history, tags and outcomes over a migration ------------------------------------------------------


def test_what_was_said_before_is_read_by_the_definitions_of_its_time(tmp_path: Path) -> None:
    path, key = tmp_path / "papers.db", {"Idempotency-Key": "k1"}
    before = {
        "size": TEXT | {"title": "Extent"},
        "fax": TEXT,
        "note": TEXT,
        "inner": TEXT | {"access": {"read": ["crew"]}},
    }
    after = {
        "pages": WHOLE | {"was": "size", "title": "Pages"},
        "note": TEXT | {"access": {"read": ["crew"]}},
    }
    with workshop_of(of(before), path) as (_, http):
        sent = {"code": "P1", "size": "12", "fax": "0123", "note": "quiet"}
        first = http.post("/v1/records/papers", json=sent, headers=key)
        http.patch(
            "/v1/records/papers/P1", json={"size": "14", "inner": "x", "fax": "4567"}
        ).raise_for_status()
        second = http.post("/v1/records/papers", json={"code": "P2", "size": "7"})
        http.delete("/v1/records/papers/P2").raise_for_status()
    done(path, of(after, name="letters", was="papers"))
    with workshop_of(of(after, name="letters", was="papers"), path) as (_, http):
        at = "/v1/records/letters/P1"
        now = http.get(at)
        assert now.json()["pages"] == 14
        # The record was moved: what was held of it is another representation, of the same version.
        assert now.json()["version"] == 2
        assert (
            http.get(at, headers={"If-None-Match": first.headers["ETag"].replace(".1", ".2")}).status_code
            == 200
        )
        assert http.get(at, headers={"If-None-Match": now.headers["ETag"]}).status_code == 304
        # But nobody has changed it: who saw it before may still save.
        mine = {"If-Match": first.headers["ETag"].replace(".1", ".2"), "Prefer": "return=minimal"}
        assert http.patch(at, json={"pages": 14}, headers=mine).status_code == 204
        entries = http.get(f"{at}/history").json()["items"]
        assert entries[0]["changes"]["size"] == {"before": "12", "after": "14", "now": "pages"}
        assert entries[0]["changes"]["fax"] == {"before": "0123", "after": "4567"}
        assert entries[0]["changes"]["inner"] == {"hidden": True}
        assert entries[1]["changes"]["note"] == {"hidden": True}
        assert "extent from 12 to 14" in entries[0]["sentence"]
        # Version 1 is the base: what others changed since is told by today's names.
        mine = http.patch(
            at,
            params={"base": first.headers["ETag"]},
            json={"pages": 20},
            headers={"Fenland-Client": "phone-0002"},
        )
        assert mine.status_code == 409
        told = mine.json()["conflicts"][0]
        assert (told["pointer"], told["base"], told["current"]) == ("/pages", 12, 14)
        again = http.post("/v1/records/papers", json=sent, headers=key)
        assert again.status_code == 404
        gone = http.get(f"/v1/records/letters/{'P2'}/history").json()["items"]
        assert [one["action"] for one in gone] == ["delete", "create"]
        assert gone[0]["id"] == second.json()["id"]


def test_a_field_that_was_kept_from_readers_before_it_went_stays_so(tmp_path: Path) -> None:
    path, closed = tmp_path / "papers.db", TEXT | {"access": {"read": ["crew"]}}
    with workshop_of(of({"a": TEXT, "b": TEXT}), path) as (_, http):
        http.post("/v1/records/papers", json={"code": "P1", "a": "quiet", "b": "1"}).raise_for_status()
    done(path, of({"a": TEXT, "b": WHOLE}))
    opened(path, definitions_from(of({"a": closed, "b": WHOLE}), ["office", "crew"])).close()
    done(path, of({"b": WHOLE}))
    with workshop_of(of({"b": WHOLE}), path) as (_, http):
        entry = http.get("/v1/records/papers/P1/history").json()["items"][0]
    assert (entry["changes"]["a"], entry["changes"]["b"]["after"]) == ({"hidden": True}, "1")


def test_where_there_is_no_database_nothing_is_migrated(tmp_path: Path) -> None:
    for path in (tmp_path / "records.db", tmp_path / "nowhere" / "records.db"):
        with pytest.raises(DatabaseRefused, match="no database yet"):
            done(path, of({}))
    assert not list(tmp_path.iterdir())


def test_an_outcome_kept_before_is_given_by_the_fields_of_today(tmp_path: Path) -> None:
    path, key = tmp_path / "papers.db", {"Idempotency-Key": "k1"}
    after = {"b": TEXT | {"was": "a"}, "hidden": TEXT | {"was": "seen", "access": {"read": ["crew"]}}}
    sent = {"code": "P1", "a": "x", "seen": "y"}
    with workshop_of(of({"a": TEXT, "seen": TEXT}), path) as (_, http):
        first = http.post("/v1/records/papers", json=sent, headers=key)
    done(path, of(after))
    with workshop_of(of(after), path) as (_, http):
        again = http.post("/v1/records/papers", json=sent, headers=key)
        assert again.headers["Fenland-Repeated"] == "true"
        assert again.headers["ETag"] == first.headers["ETag"]
        assert (again.json()["b"], "hidden" in again.json(), "seen" in again.json()) == ("x", False, False)


def test_the_changes_of_a_renamed_field_are_found_by_its_name_of_today(tmp_path: Path) -> None:
    path = tmp_path / "papers.db"
    with workshop_of(of({"a": TEXT, "b": TEXT}), path) as (_, http):
        http.post("/v1/records/papers", json={"code": "P1", "a": "x"}).raise_for_status()
        http.patch("/v1/records/papers/P1", json={"b": "y"}).raise_for_status()
    # b is another field by now: what was called so before was a change of c.
    done(path, of({"q": TEXT | {"was": "a"}, "c": TEXT | {"was": "b"}}))
    done(path, of({"b": TEXT | {"was": "q"}, "c": TEXT}))
    with workshop_of(of({"b": TEXT, "c": TEXT}), path) as (_, http):
        http.patch("/v1/records/papers/P1", json={"b": "z"}).raise_for_status()
        for where in ("records/papers/P1/history?", "history?collection=papers&", "history?"):
            told = {
                name: [one["version"] for one in http.get(f"/v1/{where}field={name}").json()["items"]]
                for name in "bc"
            }
            assert told == {"b": [3, 1], "c": [2]}, where


def test_a_process_under_older_definitions_serves_nobody_wrong(tmp_path: Path) -> None:
    path, before = tmp_path / "papers.db", of({"a": CENTS})
    moved = of({"a": CENTS | {"multipleOf": Decimal("0.001")}})
    with workshop_of(before, path) as (_, http):
        http.post("/v1/records/papers", json={"code": "P1", "a": 1.25}).raise_for_status()
        titled = of({"a": CENTS | {"title": "A"}})
        opened(path, definitions_from(titled, ["office", "crew"])).close()
        # Only a title: what is read is right still, what is written would be checked by older rules.
        assert http.get("/v1/records/papers/P1").json()["a"] == 1.25
        refused = http.patch("/v1/records/papers/P1", json={"a": 2})
        assert (refused.status_code, "restart the service" in refused.json()["detail"]) == (503, True)
        assert http.get("/healthz").status_code == 503
        done(path, moved)
        assert http.get("/v1/records/papers/P1").status_code == 503
        assert http.get("/v1/records/papers").status_code == 503
    with workshop_of(moved, path) as (_, http):
        assert http.get("/v1/records/papers/P1").json()["a"] == 1.25


# --- older layouts -----------------------------------------------------------------------------------


@pytest.mark.parametrize("layout", [1, 2, 3, 4, 5, 6, 7, 8, 9, 10])
def test_a_database_of_every_layout_is_brought_over(tmp_path: Path, layout: int) -> None:
    folder = new_project(tmp_path / "notes")
    (folder / "collections" / "notes.yaml").write_bytes((LAYOUTS / "notes.yaml").read_bytes())
    if layout >= 5:
        (folder / "collections" / "people.yaml").write_bytes((LAYOUTS / "people.yaml").read_bytes())
    for one in folder.glob("records.db*"):
        one.unlink()
    raw = sqlite3.connect(folder / "records.db")
    raw.executescript((LAYOUTS / f"layout-{layout}.sql").read_text())
    raw.close()
    refused = fenland("start", str(folder), "--port", str(free_port()), code=1)
    assert f"(layout {layout}; this one uses 11)" in refused.stderr
    assert "fenland migrate" in refused.stderr
    told = fenland("migrate", str(folder), "--json")
    found = json.loads(told.stdout)
    assert found["done"]
    assert f"from layout {layout} to 11" in found["steps"][0]
    assert Path(found["copy"]).is_file()
    report = verify_database(folder / "records.db")
    assert (report.faults, report.records) == ([], 2 if layout < 5 else 3)
    if layout >= 5:
        raw = sqlite3.connect(folder / "records.db")
        for text in ("4417", "9081", "01632"):
            # What is never shown is gone from the history, and what is sensitive stands apart.
            assert f'"{text}"' not in repr(
                raw.execute("SELECT changes, sealed FROM fenland_history").fetchall()
            )
        kept = raw.execute(
            "SELECT field, value FROM fenland_sealed ORDER BY sequence, field, side"
        ).fetchall()
        assert kept == [
            ("phone", '"01632 960111"'), ("pin", None), ("phone", '"01632 960111"'), ("phone", '"01632 960222"'),
            ("pin", None), ("pin", None),
        ]  # fmt: skip
        raw.close()
    issued = fenland("account", "token", "ada", "--project", str(folder), "--json")
    token = json.loads(issued.stdout)["token"]
    running = start("start", folder, folder / "log")
    try:
        with running.client(token) as http:
            note = http.get("/v1/records/notes/first-note").json(parse_float=str)
            assert (note["version"], note["price"], note["pinned"]) == (2, "2.25", True)
            assert http.get("/v1/records/notes/second").json()["parent"] == "first-note"
            entries = http.get("/v1/records/notes/third/history").json()["items"]
            assert [one["action"] for one in entries] == ["delete", "create"]
            assert http.patch("/v1/records/notes/second", json={"title": "2"}).json()["version"] == 2
    finally:
        running.stop()


def test_an_older_database_of_other_definitions_is_refused(tmp_path: Path) -> None:
    path = tmp_path / "notes.db"
    raw = sqlite3.connect(path)
    raw.executescript((LAYOUTS / "layout-4.sql").read_text())
    raw.close()
    with pytest.raises(DatabaseRefused, match=r"notes no longer fits its table.*Restore the definition"):
        done(path, {"notes": {"fields": {"slug": TEXT}}})
    raw = sqlite3.connect(path)
    assert raw.execute("SELECT value FROM fenland_meta WHERE name = 'layout'").fetchone() == (4,)
    raw.close()


# --- by command --------------------------------------------------------------------------------------


def test_the_command_says_what_it_would_do_and_does_what_was_agreed(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "notes")
    file, script = folder / "collections" / "notes.yaml", folder / "plan.sql"

    def run(*words: str, code: int = 0) -> str:
        made = fenland("migrate", *words, cwd=folder, code=code)
        return made.stdout + made.stderr

    assert "Nothing to do" in run("--preview")
    text = file.read_text()
    file.write_text(
        text.replace("  body:", "  text: {type: string, was: body}\n  body_gone:").replace(
            "  due_on:", "  due:"
        )
    )
    told = run("--preview", "--write", "plan.sql")
    assert "Remove field notes.due_on and its values" in told
    assert "--lose notes.due_on" in told
    assert "INSERT INTO fenland_next_notes" in script.read_text()
    assert "--lose notes.due_on" in run(code=2)
    assert "did you mean" in run("--lose", "notes.due", code=2).lower()
    file.write_text(file.read_text().replace("title: Due on", "title: Due"))
    assert "does not fit" in run("--lose", "notes.due_on", "--reviewed", "plan.sql", code=6)
    run("--preview", "--write", "plan.sql")
    assert "✓" in run("--lose", "notes.due_on", "--reviewed", "plan.sql")
    assert (folder / "records.before-2.db").is_file()
    assert kept_definitions(folder / "records.before-2.db") != kept_definitions(folder / "records.db")


def test_the_newest_copies_are_kept_and_no_others(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "notes")
    file, settings = folder / "collections" / "notes.yaml", folder / "fenland.toml"
    settings.write_text("migrate_keep = 2\n" + settings.read_text())
    text = file.read_text()
    for name in ("records.before-x", "records.before-the-fair.db"):
        (folder / name).write_text("somebody's own")
    # A clock that was ahead when the first copy was made does not have the newest taken for the oldest.
    later = time.time() + 90_000
    for number in (2, 3, 4):
        file.write_text(f"{text}  more{number}: {{type: string, required: true, default: x}}\n")
        lose = ["--lose", f"notes.more{number - 1}"] if number > 2 else []
        fenland("migrate", *lose, cwd=folder)
        if number < 4:
            os.utime(folder / f"records.before-{number}.db", (later + number, later + number))
    found = sorted(one.name for one in folder.glob("records.before-*"))
    assert found == [
        "records.before-3.db",
        "records.before-4.db",
        "records.before-the-fair.db",
        "records.before-x",
    ]


def test_a_migration_that_is_killed_leaves_the_old_or_the_new(tmp_path: Path) -> None:
    folder = new_project(tmp_path / "notes")
    raw = sqlite3.connect(folder / "records.db")
    stamp = "'2031-04-09T12:00:00.000000Z', 'ada'"
    raw.execute(
        "WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 15000) INSERT INTO notes "
        "(id, version, created_at, created_by, updated_at, updated_by, slug, title, pinned, author) "
        f"SELECT printf('01a213ed-0000-7000-8000-%012d', i), 1, {stamp}, {stamp}, 'n' || i, i, 0, 'ada' FROM n"
    )
    raw.commit()
    raw.close()
    file = folder / "collections" / "notes.yaml"
    file.write_text(
        file.read_text().replace(
            "title: {type: string, title: Title, required: true, maxLength: 120, search: true}",
            "title: {type: integer, required: true}",
        )
    )
    found, whole = set(), 0.0
    # The first runs to its end, and tells how long that takes here.
    for part in (None, 0.95, 0.9, 0.85, 0.8, 0.7, 0.6, 0.4):
        trial = tmp_path / "trial"
        shutil.rmtree(trial, ignore_errors=True)
        shutil.copytree(folder, trial)
        begun = time.monotonic()
        process = Beside(["migrate", str(trial)], tmp_path / "log")
        if part is not None:
            time.sleep(whole * part)
            process.send_signal(signal.SIGKILL)
        process.wait()
        whole = whole or time.monotonic() - begun
        raw = sqlite3.connect(trial / "records.db")
        kinds = raw.execute("SELECT typeof(title), count(*) FROM notes GROUP BY 1").fetchall()
        number = raw.execute("SELECT max(number) FROM fenland_definitions").fetchone()[0]
        assert raw.execute("PRAGMA integrity_check").fetchone() == ("ok",)
        assert raw.execute("PRAGMA user_version").fetchone() == (number,)
        raw.close()
        assert (kinds, number) in [([("text", 15000)], 1), ([("integer", 15000)], 2)]
        found.add(number)
    assert found == {1, 2}


# --- walks -------------------------------------------------------------------------------------------

WALKS = 300 if NIGHTLY else 4

#: What a field can become, and what can be put into it.
KINDS: dict[str, tuple[dict[str, Any], st.SearchStrategy[Any]]] = {
    "text": (TEXT, st.text(st.characters(codec="utf-8", exclude_characters="\0", exclude_categories=["Cs"]), max_size=6)),
    "digits": (TEXT, st.integers(-99, 99).map(str)),
    "whole": (WHOLE, st.integers(-(10**9), 10**9)),
    "cents": (CENTS, st.integers(-9999, 9999).map(lambda one: Decimal(one).scaleb(-2))),
    "double": ({"type": "number"}, st.floats(-1e6, 1e6).map(lambda one: one or 0.0)),
    "flag": ({"type": "boolean"}, st.booleans()),
    "day": (TEXT | {"format": "date"}, st.dates().map(str)),
    "list": ({"type": "array"}, st.lists(st.integers(0, 9), max_size=3)),
    "shelf": ({"references": "shelves"}, st.sampled_from(["S1", "S2"])),
}  # fmt: skip


def changed(fields: dict[str, dict[str, Any]], dice: random.Random) -> dict[str, dict[str, Any]]:
    """The fields after one random change of their definitions."""
    fields = {name: dict(item) for name, item in fields.items()}
    for item in fields.values():
        item.pop("was", None)
        item.pop("fill", None)
    name = dice.choice(sorted(fields)) if fields else ""
    fresh = next(f"f{number}" for number in range(99) if f"f{number}" not in fields)
    match dice.choice(
        [
            "add",
            "add required",
            "fill",
            "derive",
            "rename",
            "drop",
            "type",
            "unique",
            "narrow",
            "shuffle",
            "require",
        ]
    ):
        case "rename" if fields:
            fields = {(fresh if one == name else one): item for one, item in fields.items()}
            fields[fresh] = fields[fresh] | {"was": name}
        case "drop" if fields:
            del fields[name]
        case "type" if fields:
            fields[name] = dict(dice.choice(list(KINDS.values()))[0])
        case "unique" if fields and fields[name].get("type") in ("string", "integer"):
            fields[name]["unique"] = not fields[name].get("unique", False)
        case "narrow" if fields and fields[name].get("type") == "string" and "format" not in fields[name]:
            fields[name]["maxLength"] = dice.randint(1, 4)
        case "require" if fields:
            fields[name]["required"] = not fields[name].get("required", False)
        case "shuffle":
            order = sorted(fields)
            dice.shuffle(order)
            fields = {one: fields[one] for one in order}
        case "add required":
            fields[fresh] = WHOLE | {"required": True, "default": 7}
        case "derive":
            fields[fresh] = TEXT | {"derived": "record.code + '-' + record.created_by"}
        case "fill":
            fields[fresh] = TEXT | {"fill": "record.code + '-' + string(record.version)"}
        case _:
            fields[fresh] = dict(dice.choice(list(KINDS.values()))[0])
    return fields


def values_for(fields: Mapping[str, Any], data: st.DataObject) -> dict[str, Any]:
    """What may be put into the fields, some of them left out."""
    found = {}
    for name, item in fields.items():
        kinds = [
            one for kind, one in KINDS.values() if kind.items() <= item.items() and "derived" not in item
        ]
        if kinds and (item.get("required") or data.draw(st.booleans())):
            found[name] = data.draw(st.one_of(kinds))
    return found


@settings(max_examples=WALKS, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(data=st.data(), seed=st.integers(0, 2**32))
def test_walks_over_definitions_keep_every_record(tmp_path: Path, data: st.DataObject, seed: int) -> None:
    dice, path = random.Random(seed), tmp_path / "walk.db"
    for one in tmp_path.glob("walk*"):
        one.unlink()
    fields: dict[str, dict[str, Any]] = {"f0": dict(TEXT), "f1": dict(WHOLE)}
    number, name = 0, "papers"
    with workshop_of(of(fields), path) as (_, http):
        for shelf in ("S1", "S2"):
            http.post("/v1/records/shelves", json={"code": shelf}).raise_for_status()
    for _ in range(5):
        with workshop_of(of(fields, name=name), path) as (_, http):
            for _ in range(3):
                number += 1
                _send(http, "POST", name, {"code": f"P{number}", **values_for(fields, data)})
            target = f"{name}/P{dice.randint(1, number)}"
            _send(http, "PATCH", target, values_for(fields, data))
            if dice.random() < 0.3:
                http.delete(f"/v1/records/{name}/P{dice.randint(1, number)}")
        older = rows_of(path, kept_definitions(path) or definitions_from(of(fields)))[name]
        newer = changed(fields, dice)
        was, name = name, dice.choice(["papers", "letters"])
        described = of(newer, name=name, **({"was": was} if was != name else {}))
        plan = planned(path, described)
        if plan.blocked:
            described, newer, name = of(fields, name=was), fields, was
            continue
        done(path, described)
        definitions = definitions_from(described, ["office", "crew"])
        found = rows_of(path, definitions)
        assert same(found, replayed(path))
        assert_as_new(path, described)
        assert found[name].keys() == older.keys()
        for record_id, record in found[name].items():
            _compare(older[record_id], record, fields, newer)
        fields = newer


def _send(http: httpx.Client, method: str, path: str, record: Mapping[str, Any]) -> None:
    text = json.dumps(record, default=str)
    for name, value in record.items():
        if isinstance(value, Decimal):
            text = text.replace(f'"{name}": "{value}"', f'"{name}": {value}')
    answer = http.request(
        method, f"/v1/records/{path}", content=text, headers={"Content-Type": "application/json"}
    )
    # A value that another record has, or that newer limits refuse, is for others to test.
    assert answer.status_code in (200, 201, 404, 422), answer.text


def _compare(
    older: Mapping[str, Any], newer: Mapping[str, Any], before: Mapping[str, Any], after: Mapping[str, Any]
) -> None:
    """Every field that stayed says what it said, whatever it is kept as by now."""
    assert (older["version"], older["updated_at"], older["code"]) == (
        newer["version"],
        newer["updated_at"],
        newer["code"],
    )
    for name, item in after.items():
        source = item.get("was", name)
        if source not in before:
            continue
        was, now = older[source], newer[name]
        if was is None:
            assert now == (
                item.get("default") if item.get("required") and not before[source].get("required") else None
            )
        elif before[source].get("type") == item.get("type"):
            assert same(was, now) or Decimal(str(was)) == Decimal(str(now))
        else:
            assert _plain(was) == _plain(now)


def _plain(value: Any) -> str:
    """A value, whatever its type, as one text."""
    if isinstance(value, bool):
        return str(int(value))
    if isinstance(value, (int, float, Decimal)):
        return format(Decimal(str(value)).normalize(), "f")
    text = json.dumps(value) if isinstance(value, list) else str(value)
    text = {"true": "1", "false": "0"}.get(text, text).replace(" ", "")
    try:
        return format(Decimal(text).normalize(), "f")
    except ArithmeticError:
        return text
