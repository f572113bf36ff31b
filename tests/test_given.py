"""Given: functions of a project's own may give anything that Python has; it is a value, a refusal or a named failure."""

from __future__ import annotations

import enum
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from decimal import Decimal
from fractions import Fraction
from itertools import cycle
from pathlib import Path
from typing import Any

import httpx
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as some

from fenland.core.limits import Limits
from fenland.service.proof.verifying import verify_database
from support import NIGHTLY, bearer, workshop_of

#: What the functions are to do next; a call of it gives what they give.
GIVE: dict[str, Callable[[], Any]] = {}

RULES = """
from fenland.rules import change, check, create, delete, derivation, effect, notice, problem, setting
from test_given import GIVE

def give(what):
    return GIVE[what]() if what in GIVE else None

@check
def says(next): return give("check")

@derivation
def line(code): return give("derivation")

@setting
def sets(after): return give("setting")

@effect
def does(after, look):
    yield from (give("effect") or ())
"""
FIELDS: dict[str, Any] = {
    "text": {"type": "string"},
    "day": {"type": "string", "format": "date"},
    "moment": {"type": "string", "format": "date-time"},
    "number": {"type": "number"},
    "cents": {"type": "number", "multipleOf": Decimal("0.01")},
    "whole": {"type": "integer"},
    "flag": {"type": "boolean"},
    "part": {"type": "object"},
    "tags": {"type": "array", "items": {"type": "string"}},
}
EVERYONE = {right: ["everyone"] for right in ("read", "create", "update", "delete")}
CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
DERIVED = {
    f"d_{name}": item | {"derived": {"call": "line", "of": ["record.code"]}} for name, item in FIELDS.items()
}
THINGS: dict[str, Any] = {
    "others": {"key": "code", "access": EVERYONE, "fields": {"code": CODE} | FIELDS},
    "things": {
        "key": "code",
        "access": EVERYONE,
        "fields": {"code": CODE} | FIELDS | DERIVED,
        "checks": [{"call": "says"}],
        "effects": [{"on": "create", "call": "sets"}, {"on": "create", "call": "does"}],
    },
}


class Colour(enum.StrEnum):
    RED = "red"


class Size(enum.IntEnum):
    SMALL = 1


class Sullen:
    def __repr__(self) -> str:
        raise ValueError("not shown")

    __str__ = __repr__

    def __hash__(self) -> int:
        raise TypeError("not hashed")


def endless() -> list[Any]:
    found: list[Any] = []
    found.append(found)
    return found


def doubling() -> list[Any]:
    found: list[Any] = [1]
    for _ in range(40):
        found = [found, found]
    return found


ODD: list[Any] = [
    "\ud800", "a\udfffb", "a\x00b", "x" * 50_000, Colour.RED, Size.SMALL, Sullen(), object(), b"bytes", {1, 2}, int, len, ...,
    10**5000, -(2**63) - 1, float("nan"), float("inf"), -0.0, 1e308, Decimal("NaN"), Decimal("sNaN"), Decimal("Infinity"), Decimal("1e999999"),
    Decimal("1e-999999"), Decimal("0.005"), Decimal("1" * 450), Fraction(1, 3), Fraction(10**500, 7), 1j, True, date(1, 1, 1), datetime(9999, 12, 31, 23, 59),
    datetime(9999, 12, 31, 23, 59, 59, 999999, UTC), time(1), timedelta.max, timedelta(seconds=-1), endless(), doubling(), {"a": endless()},
    {1: 2}, {"\udc00": 1}, {Sullen: 1}, {None: None}, {"a": "\udc00"}, ["\udc00"], [b"x"], [[[]]], {"a": {1}}, iter([1]), (one for one in [1]), NotImplemented,
]  # fmt: skip


@dataclass(frozen=True)
class Odd:
    """Stands for a value of the list until it is given: some of them fail to show themselves."""

    place: int


def real(value: Any) -> Any:
    if isinstance(value, Odd):
        return ODD[value.place]
    if isinstance(value, dict):
        return {name: real(one) for name, one in value.items()}
    return [real(one) for one in value] if isinstance(value, list) else value


PLAIN = some.one_of(some.none(), some.booleans(), some.integers(), some.floats(), some.text(max_size=5))
PLACES = ("check", "problem", "derivation", "setting", "change", "create", "notice", "look")
VALUES = some.one_of(
    some.integers(0, len(ODD) - 1).map(Odd),
    some.recursive(
        PLAIN | some.integers(0, len(ODD) - 1).map(Odd),
        lambda inner: some.lists(inner, max_size=3) | some.dictionaries(some.text(max_size=3), inner, max_size=3),
        max_leaves=5,
    ),
)  # fmt: skip


@pytest.fixture(scope="module")
def things(tmp_path_factory: pytest.TempPathFactory) -> Iterator[httpx.Client]:
    path: Path = tmp_path_factory.mktemp("given") / "things.db"
    with workshop_of(THINGS, path, Limits(record=20_000, evaluation=20_000), rules=RULES) as (_, http):
        GIVE.clear()
        http.post("/v1/records/others", json={"code": "O"}).raise_for_status()
        yield http
    GIVE.clear()
    assert verify_database(path).faults == []


def giving(place: str, name: str, value: Any) -> Mapping[str, Callable[[], Any]]:
    """What the functions are to give, for a value to reach a place."""
    from fenland import rules

    words: Mapping[str, Any] = {name: value} if isinstance(name, str) else {}
    at: Mapping[str, Mapping[str, Callable[[], Any]]] = {
        "check": {"check": lambda: value},
        "problem": {"check": lambda: rules.problem(value, "No.", "no")},
        "derivation": {"derivation": lambda: value},
        "setting": {"setting": lambda: {name: value}},
        "change": {"effect": lambda: [rules.change(value, **words)]},
        "create": {"effect": lambda: [rules.create("others", code=str(next(NUMBERS)), **words)]},
        "notice": {"effect": lambda: [rules.notice("told", **words)]},
        "look": {"effect": lambda: [rules.create(value, **words)]},
    }
    return at[place]


NUMBERS = iter(range(10**9))


def assert_kept_or_refused(things: httpx.Client, place: str, name: str, value: Any) -> None:
    GIVE.clear()
    GIVE.update(giving(place, name, real(value)))
    head = things.get("/v1/history/head").json()["size"]
    code = f"T{next(NUMBERS)}"
    answer = things.post("/v1/records/things", json={"code": code}, headers=bearer("olga"))
    kind = answer.json().get("type", "").rpartition("/")[2]
    assert answer.status_code in (201, 422, 413) or kind == "rule-failed", answer.text[:300]
    assert len(answer.content) < 100_000
    if answer.status_code == 201:
        assert things.get(f"/v1/records/things/{code}").json() == answer.json()
    else:
        assert things.get("/v1/history/head").json()["size"] == head


@pytest.mark.parametrize("place", PLACES)
def test_whatever_a_function_gives_is_kept_refused_or_a_failure_by_its_name(
    things: httpx.Client, place: str
) -> None:
    names = cycle(FIELDS)
    for number in range(len(ODD)):
        assert_kept_or_refused(things, place, next(names), Odd(number))


@settings(max_examples=3000 if NIGHTLY else 60, deadline=None, suppress_health_check=list(HealthCheck))
@given(some.sampled_from(PLACES), some.sampled_from(sorted(FIELDS)), VALUES)
def test_so_it_is_of_values_within_each_other(
    things: httpx.Client, place: str, name: str, value: Any
) -> None:
    assert_kept_or_refused(things, place, name, value)
