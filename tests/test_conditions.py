"""Conditions mean one thing: what Python says of a row is what SQL selects, for any tree and any row."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from sqlalchemy import Column, Integer, MetaData, Table, bindparam, select

from fenland.core.access import Actor, Policy
from fenland.core.conditions import (
    ALWAYS,
    NEVER,
    ActorOf,
    And,
    Compare,
    Condition,
    FieldOf,
    Not,
    Or,
    Value,
    holds,
)
from fenland.core.reading import definitions_from
from fenland.storage.condition_sql import actor_parameters, sql_of
from fenland.storage.postgres import engine as postgres_engine
from fenland.storage.postgres.engine import PostgresEngine, connect
from fenland.storage.sqlite import engine as sqlite
from fenland.storage.statements import Engine, Prepared
from fenland.storage.tables import collection_table

DEFINITIONS = definitions_from(
    {
        "things": {
            "owner": "keeper",
            "access": {"read": ["owner", "crew"], "update": ["owner"], "delete": ["crew"]},
            "fields": {
                "keeper": {"type": "string"}, "name": {"type": "string"}, "count": {"type": "integer"}, "other": {"type": "integer"},
                "level": {"type": "number"}, "price": {"type": "number", "multipleOf": Decimal("0.01")}, "open": {"type": "boolean"},
                "day": {"type": "string", "format": "date"},
            },
        }
    },
    ["crew"],
)  # fmt: skip
THINGS = DEFINITIONS.collections["things"]
TEXTS = st.sampled_from(["", "a", "A", "b", "ada", "é", "z", "\U0001f40c", "\uffff"])
VALUES: dict[str, Any] = {
    "keeper": TEXTS, "name": TEXTS, "count": st.sampled_from([0, 1, -1, 2**53, 2**53 + 1, 2**63 - 1, -(2**63)]), "other": st.sampled_from([0, 1, 2**53]),
    "level": st.sampled_from([0.0, 0.1, -1.5, 1e300, 5e-324, 2.0**53]), "price": st.sampled_from([Decimal("0.00"), Decimal("0.10"), Decimal("-9.99"), Decimal("92233720368547758.07")]),
    "open": st.booleans(), "day": st.sampled_from(["0001-01-01", "2031-04-09", "9999-12-31"]),
}  # fmt: skip
#: Fields of one type, which may be compared with one another.
ALIKE = {
    "keeper": ["keeper", "name"],
    "name": ["keeper", "name"],
    "count": ["count", "other"],
    "other": ["count", "other"],
}
RECORDS = st.fixed_dictionaries({name: st.none() | values for name, values in VALUES.items()})


@st.composite
def comparisons(draw: Any) -> Condition:
    name = draw(st.sampled_from(list(VALUES)))
    others = [
        st.builds(Value, st.none() | VALUES[name]),
        st.builds(FieldOf, st.sampled_from(ALIKE.get(name, [name]))),
    ]
    if name in ("keeper", "name"):
        others.append(st.just(ActorOf("name")))
    sides = [FieldOf(name), draw(st.one_of(others))]
    if draw(st.booleans()):
        sides.reverse()
    return Compare(sides[0], draw(st.sampled_from(["==", "!=", "<", "<=", ">", ">="])), sides[1])


CONDITIONS = st.recursive(
    comparisons() | st.sampled_from([ALWAYS, NEVER]),
    lambda inner: (
        st.builds(Not, inner)
        | st.builds(And, st.lists(inner, max_size=3).map(tuple))
        | st.builds(Or, st.lists(inner, max_size=3).map(tuple))
    ),
    max_leaves=8,
)


@dataclass
class Rows:
    """A table of things in one engine, and what it was made with."""

    engine: Engine
    reading: Any
    table: Table
    insert: Prepared


@pytest.fixture(scope="module", params=["sqlite", "postgres"])
def rows(request: pytest.FixtureRequest, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Rows]:
    things = collection_table(THINGS, DEFINITIONS, MetaData())
    columns = [Column(name, things.c[name].type) for name in VALUES]
    table = Table("plain", MetaData(), Column("row", Integer), *columns)
    if request.param == "sqlite":
        maker = sqlite.make_engine(tmp_path_factory.mktemp("conditions") / "x.db")
        engine, reading = sqlite.SqliteEngine(maker.dialect), sqlite.driver_connection(maker)
    else:
        address = request.getfixturevalue("postgres").new_database()
        maker, engine, reading = postgres_engine.make_engine(address), PostgresEngine(), connect(address)
    with maker.begin() as connection:
        table.create(connection)
    given = {column.name: bindparam(column.name, type_=column.type) for column in table.columns}
    yield Rows(engine, reading, table, Prepared(table.insert().values(given), engine))
    reading.close()
    maker.dispose()


@settings(max_examples=250, deadline=None, suppress_health_check=[HealthCheck.too_slow])
@given(condition=CONDITIONS, records=st.lists(RECORDS, min_size=4, max_size=4), actor=TEXTS)
def test_both_readings_of_a_condition_agree_on_every_row(
    rows: Rows, condition: Condition, records: list[dict[str, Any]], actor: str
) -> None:
    rows.reading.execute("DELETE FROM plain")
    for number, record in enumerate(records):
        rows.insert.run(rows.reading, {"row": number, **record})
    statement = select(rows.table.c.row).where(sql_of(condition, rows.table))
    found = Prepared(statement, rows.engine).all(rows.reading, actor_parameters(Actor(actor)))
    expected = {number for number, record in enumerate(records) if holds(condition, record, Actor(actor))}
    assert {row[0] for row in found} == expected


def test_access_lists_become_conditions() -> None:
    policy = Policy(THINGS)
    crew, ada = Actor("carl", roles=frozenset({"crew"})), Actor("ada")
    owned = Compare(FieldOf("keeper"), "==", ActorOf("name"))
    assert [policy.condition(action, crew) for action in ("read", "update", "delete")] == [
        ALWAYS,
        owned,
        ALWAYS,
    ]
    assert [policy.condition(action, ada) for action in ("read", "update", "delete", "create")] == [
        owned,
        owned,
        NEVER,
        NEVER,
    ]
    assert policy.may("update", ada, {"keeper": "ada"})
    assert not policy.may("update", ada, {"keeper": None})
    assert not policy.may("delete", ada, {"keeper": "ada"})
