"""Looking: what functions of `rules.py` may find out about other records, within a unit of work."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fenland.core.access.conditions import Among, Column, both
from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.consequences.calling import LOOK, Row
from fenland.core.definitions.validation import REFUSED
from fenland.core.expressions import EvaluationError, as_json
from fenland.core.limits import beyond
from fenland.core.names import did_you_mean
from fenland.core.values.plain import as_written, same
from fenland.service.service import Resource
from fenland.service.work import View


class Looking:
    """See `Look` of `core/consequences/calling.py`. Nobody's rights are asked: a rule may see all."""

    def __init__(self, view: View) -> None:
        self._view = view

    def one(self, collection: str, key: Any) -> Row | None:
        """See `Look`. Raises `LookupError` and `ValueError` for what is not there to be asked for."""
        resource = self._resource(collection)
        name = resource.collection.key
        kept = self._kept(resource, name, key) if name != "id" else key if isinstance(key, str) else None
        found = None if kept is None else self._view.find(resource, name, kept)
        return resource.rows.row(found)

    def find(self, collection: str, **fields: Any) -> tuple[Row, ...]:
        """See `Look`. Raises besides `TooLarge`."""
        resource, most = self._resource(collection), self._view.limits.consequences
        wanted = {name: self._kept(resource, name, value) for name, value in fields.items()}

        def holds(record: Record) -> bool:
            return all(same(record[name], value) for name, value in wanted.items())

        condition = both(*(Among(Column((name,)), (value,)) for name, value in wanted.items()))
        found = list[Row]()
        for record in self._view.matching(resource, condition, holds):
            if len(found) == most:
                what = f"A function of rules.py looks for more than {most} records of {collection}."
                raise beyond("consequence_limit", most, what)
            found.append(Row(resource.rows, record))
        return tuple(found)

    def _resource(self, name: str) -> Resource:
        found = self._view.service.resources.get(name)
        if found is None:
            hint = did_you_mean(str(name), self._view.service.resources)
            raise LookupError(f"There is no collection {name!r}. {hint}")
        return found

    def _kept(self, resource: Resource, name: str, value: Any) -> Any:
        """A value as a field keeps it."""
        fields, place = resource.collection.fields, f"{resource.collection.name}.{name}"
        if name not in fields:
            raise LookupError(f"There is no field {place}. {did_you_mean(name, fields)}")
        if fields[name].type in ("array", "object"):
            raise ValueError(f"{place} holds lists, or objects: look by another field.")
        try:
            kept = resource.rules.typed(name, as_json(value))
        except EvaluationError as error:
            raise ValueError(f"{place} cannot hold it: {error}") from None
        if kept is REFUSED:
            raise ValueError(f"{place} cannot hold {as_written(value)}.")
        return kept


def names_around(view: View, caller: Caller) -> Mapping[str, Any]:
    """What stands around a record for rules: who asks, when, and for functions a look at others."""
    names = view.sight(caller).names
    return {**names, LOOK: Looking(view)} if view.service.calls else names
