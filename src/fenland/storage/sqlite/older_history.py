"""Histories of layouts before 6, whose entries are not leaves yet: written anew, in their order.

Those entries held every value in clear. Values of fields that are secret by the definitions of their time go
under seals on the way, and those of fields that are never shown go for good.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import replace

from sqlalchemy import Connection, inspect

from fenland.core.definitions.model import Definitions
from fenland.core.history.entries import Entry
from fenland.storage.shared.column_types import read_json_text
from fenland.storage.shared.evolving.definitions import Through
from fenland.storage.shared.history.history import TableHistory
from fenland.storage.shared.tables import Tables
from fenland.storage.shared.values import Defined

_ASIDE = "fenland_history_before"
_AT_A_TIME = 1_000
_NONE: tuple[frozenset[str], frozenset[str]] = (frozenset(), frozenset())

Told = Callable[[int, int], None]


def set_aside(connection: Connection) -> None:
    """Gives the history table another name, and takes its triggers and indexes away."""
    found = connection.exec_driver_sql(
        "SELECT type, name FROM sqlite_master WHERE tbl_name = 'fenland_history' AND sql IS NOT NULL "
        "AND type IN ('trigger', 'index')"
    ).fetchall()
    for kind, name in found:
        connection.exec_driver_sql(f"DROP {kind.upper()} {name}")
    connection.exec_driver_sql(f"ALTER TABLE fenland_history RENAME TO {_ASIDE}")


def refill(through: Through, tables: Tables, defined: Sequence[Defined], told: Told) -> None:
    """Fills the new history table with the entries of the old one, and drops that.

    `defined` are the definitions that the database has had. `told` hears how many entries are done, of all.
    """
    secrets = _secrets_of([tables.project, *(one.read() for one in defined)])
    history, connection = TableHistory(tables.own, through.engine), through.connection
    whole = connection.exec_driver_sql(f"SELECT count(*) FROM {_ASIDE}").scalar_one()  # noqa: S608 - our own name
    there = {column["name"] for column in inspect(connection).get_columns(_ASIDE)}
    for done, entry in enumerate(_entries(connection, there), 1):
        # Sequences stay: nothing was ever taken out, and causes are told by them.
        secret, unkept = secrets.get(entry.collection, _NONE)
        last = history.add(through, replace(entry, secret=secret, unkept=unkept))
        if last.sequence != entry.sequence:
            raise LookupError(
                f"Entry {last.sequence} is missing, so that no tree can be made of the history."
            )
        if done % _AT_A_TIME == 0 or done == whole:
            told(done, whole)
    connection.exec_driver_sql(f"DROP TABLE {_ASIDE}")


def _entries(connection: Connection, there: set[str]) -> Iterator[Entry]:
    names = [name for name in _COLUMNS if name in there]
    above = 0
    while True:
        rows = connection.exec_driver_sql(
            f"SELECT {', '.join(names)} FROM {_ASIDE} WHERE sequence > {above} "  # noqa: S608 - our own names
            f"ORDER BY sequence LIMIT {_AT_A_TIME}"
        ).fetchall()
        if not rows:
            return
        for row in rows:
            values = dict(zip(names, row, strict=True))
            changes = {name: (old, new) for name, (old, new) in read_json_text(values.pop("changes")).items()}
            key = read_json_text(values.pop("key"))
            yield Entry(**values, key=key, changes=changes)
        above = rows[-1][0]


#: The columns of a history before layout 6, first the sequence; the oldest ones lack some.
_COLUMNS = (
    "sequence", "time", "collection", "record_id", "key", "version", "action", "actor", "behalf", "via",
    "request_id", "reason", "cause", "changes", "client",
)  # fmt: skip


def _secrets_of(definitions: Sequence[Definitions]) -> dict[str, tuple[frozenset[str], frozenset[str]]]:
    """By collection, the fields that are or were secret, and those that are or were never shown."""
    found: dict[str, tuple[frozenset[str], frozenset[str]]] = {}
    for one in definitions:
        for name, collection in one.collections.items():
            secret, unkept = found.get(name, (frozenset(), frozenset()))
            found[name] = (secret | collection.secret, unkept | collection.unkept)
    return found
