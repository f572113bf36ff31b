"""What a reader wants of records: some of their fields, and what they refer to beside them."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.names import did_you_mean
from fenland.core.problems import Malformed
from fenland.core.reserved import RESERVED
from fenland.service.service import Resource
from fenland.service.work import View

#: How many references `include` follows, one after the other.
MOST_LEVELS = 2

#: By collection and by the text of the key: each record once, however many refer to it.
Included = dict[str, dict[str, Record]]


@dataclass(frozen=True, slots=True)
class Wanted:
    """The fields wanted, all where none is named; and references to include: `station.watercourse`."""

    fields: tuple[str, ...] = ()
    include: tuple[str, ...] = ()


def narrowed(resource: Resource, shown: list[Record], wanted: Wanted) -> list[Record]:
    """The records with the wanted fields alone. Raises `Malformed` for a field that is none."""
    if not wanted.fields:
        return shown
    known = [*RESERVED, *resource.collection.fields]
    for name in wanted.fields:
        if name not in known:
            raise Malformed(f"fields names {name!r}. {did_you_mean(name, known)}")
    # In the order of the record, whichever they were named in.
    kept = [name for name in known if name in wanted.fields]
    return [{name: record[name] for name in kept if name in record} for record in shown]


def included(
    view: View, caller: Caller, resource: Resource, shown: Iterable[Record], wanted: Wanted
) -> Included:
    """What the records refer to, each as the caller may see it; what they may not see is left out."""
    found, records = Included(), list(shown)
    for path in wanted.include:
        names = path.split(".")
        if len(names) > MOST_LEVELS:
            raise Malformed(f"include follows {path!r}. It follows at most {MOST_LEVELS} references.")
        _follow(view, caller, (resource, records), names, found)
    return found


def _follow(
    view: View, caller: Caller, start: tuple[Resource, list[Record]], names: list[str], found: Included
) -> None:
    resource, records = start
    for name in names:
        references = {
            one.name: one.references for one in resource.collection.fields.values() if one.references
        }
        if name not in references:
            what = f"include names {name!r}, which is no reference of {resource.collection.name}."
            raise Malformed(f"{what} {did_you_mean(name, references)}")
        target = view.target(references[name])
        keys = {record[name] for record in records if record.get(name) is not None}
        here = found.setdefault(target.collection.name, {})
        for key in sorted(keys - set(here), key=str):
            record = _seen(view, caller, target, key)
            if record is not None:
                here[str(key)] = record
        resource, records = target, [here[str(key)] for key in keys if str(key) in here]


def _seen(view: View, caller: Caller, target: Resource, key: object) -> Record | None:
    sight = view.sight(caller)
    record = view.find(target, target.collection.key, key)
    if record is None or not target.policy.may("read", sight, record):
        return None
    return target.policy.fields(sight, record).shown(record)
