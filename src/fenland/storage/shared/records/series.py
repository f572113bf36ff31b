"""How far series of numbers have come, which new records get: kept in the table of what the service knows."""

from __future__ import annotations

from sqlalchemy import Connection, bindparam, select

from fenland.core.definitions.model import place_of
from fenland.core.evolving.comparing import Comparison
from fenland.storage.shared.protocols import Reading, Writing
from fenland.storage.shared.statements import Engine, Prepared, parameters_of
from fenland.storage.shared.tables import OwnTables, Tables

#: How the names of their rows begin.
_BEGUN = "series "


def rename_series(connection: Connection, tables: Tables, comparison: Comparison) -> None:
    """Has series go on under the names that their fields have from now on."""
    meta = tables.meta
    places = {
        _BEGUN + place_of(one.old, move.source): _BEGUN + place_of(one.new, move.field)
        for one in comparison.kept
        for move in one.moves
        if move.source is not None
    }
    found = connection.execute(select(meta).where(meta.c.name.startswith(_BEGUN))).all()
    # All at once, since two may swap their names.
    connection.execute(meta.delete().where(meta.c.name.startswith(_BEGUN)))
    for row in found:
        if row.name in places:
            connection.execute(meta.insert().values(name=places[row.name], value=row.value))


class TableSeries:
    """`SeriesKept` of the door."""

    def __init__(self, tables: OwnTables, engine: Engine) -> None:
        meta = tables.meta
        mine = meta.c.name == bindparam("x_name", type_=meta.c.name.type)
        self._last = Prepared(select(meta.c.value).where(mine), engine)
        value = parameters_of(meta, ["value"])
        self._keep = Prepared(meta.update().where(mine).values(value), engine)
        self._add = Prepared(meta.insert().values(parameters_of(meta, ["name", "value"])), engine)

    def last(self, reading: Reading, place: str) -> int | None:
        """See `SeriesKept`."""
        row = self._last.one(reading, {"x_name": _BEGUN + place})
        return None if row is None else int(self._last.converted(row)[0])

    def keep(self, writing: Writing, place: str, number: int) -> None:
        """See `SeriesKept`."""
        given = {"x_name": _BEGUN + place, "v_name": _BEGUN + place, "v_value": number}
        if not self._keep.run(writing, given):
            self._add.run(writing, given)
