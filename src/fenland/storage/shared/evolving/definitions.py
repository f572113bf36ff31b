"""The definitions that a database was made for, one after the other; each with an entry in the history."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import AbstractContextManager
from typing import Any

from sqlalchemy import Connection, select

from fenland.core.evolving.comparing import Comparison
from fenland.core.history.entries import DEFINITIONS, DEFINITIONS_ID, ROLES, Entry
from fenland.core.values.plain import MISSING, same
from fenland.storage.shared.history.history import TableHistory
from fenland.storage.shared.statements import Engine
from fenland.storage.shared.tables import Tables
from fenland.storage.shared.values import Defined, Made

#: What stands for nothing before the first ones.
_NOTHING: dict[str, Any] = {"collections": {}, "roles": []}


def all_defined(connection: Connection, tables: Tables) -> list[Defined]:
    """All that were, oldest first."""
    table = tables.definitions
    rows = connection.execute(
        select(table.c.number, table.c.content, table.c.moved, table.c.sequence).order_by(table.c.number)
    )
    return [Defined(number, content, tuple(moved), sequence) for number, content, moved, sequence in rows]


class Through:
    """A connection of SQLAlchemy's as storage takes one: it runs statements of the driver."""

    def __init__(self, connection: Connection, engine: Engine) -> None:
        self.connection, self.engine = connection, engine

    def execute(self, text: str, values: Any = (), /) -> Any:
        """See `Reading`."""
        return self.connection.exec_driver_sql(text, tuple(values))

    def nested(self) -> AbstractContextManager[Any]:
        """See `Writing`."""
        return self.connection.begin_nested()


def define(
    through: Through,
    tables: Tables,
    before: Sequence[Defined],
    comparison: Comparison | None,
    made: Made,
) -> Defined:
    """Keeps the definitions of the tables as those of the database from now on, with their entry."""
    history, connection = TableHistory(tables.own, through.engine), through.connection
    new = dict(tables.project.data)
    old = before[-1].data if before else _NOTHING
    number = before[-1].number + 1 if before else 1
    moved = () if comparison is None else tuple(comparison.moved)
    steps = [] if comparison is None else [step.sentence for step in comparison.steps]
    last = history.last(through).sequence
    entry = Entry(
        time=made.time,
        collection=DEFINITIONS,
        record_id=DEFINITIONS_ID,
        key=number,
        version=number,
        action="migrate",
        actor=made.by,
        via=made.via,
        request_id="",
        changes=_changes(old, new),
        reason=" ".join(steps) or None,
    )
    history.add(through, entry)
    connection.execute(
        tables.definitions.insert().values(
            number=number,
            time=made.time,
            actor=made.by,
            via=made.via,
            content=new,
            steps=steps,
            moved=list(moved),
            sequence=last,
        )
    )
    return Defined(number, new, moved, last)


def _changes(old: dict[str, Any], new: dict[str, Any]) -> dict[str, tuple[Any, Any]]:
    """What differs, by collection; the roles beside them."""
    before = {**old["collections"], ROLES: old["roles"]}
    after = {**new["collections"], ROLES: new["roles"]}
    return {
        name: (before.get(name), after.get(name))
        for name in {**before, **after}
        if not same(before.get(name, MISSING), after.get(name, MISSING))
    }
