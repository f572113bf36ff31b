"""Field access: which fields of a record one actor can read, and to which they can give a value.

One object answers both, and everything that shows or takes fields asks it: patches, schemas, forms, lists,
sorts, searches, histories, conflicts, previews and answers. `Policy.fields` gives it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.definitions.model import Collection
from fenland.core.values.identity import part_tag

Record = dict[str, Any]

#: Why a field cannot be given a value: the code of the problem, and what is said of it.
PROTECTIONS: Mapping[str, str] = {
    "derived": "Is computed from other fields and cannot be set. Leave it out.",
    "read_only": "Can be read, and not set. Leave it out.",
    "fixed": "Was set when the record was created and stays. Leave it out.",
    "not_permitted": "Is not yours to set here. Leave it out.",
    "owner": "Only someone who may transfer the record can change its owner. Leave it out.",
}


@dataclass(frozen=True, slots=True)
class FieldAccess:
    """What one actor may do with the fields of one record, or of one they create."""

    collection: Collection
    creating: bool
    #: Fields that no answer to this actor shows.
    hidden: frozenset[str]
    #: Fields that they can give no value, and why: a code of `PROTECTIONS`.
    protected: Mapping[str, str]
    #: Stands for what rules keep from them: two who are shown the same fields have the same one.
    part: str = ""

    def shown(self, record: Record) -> Record:
        """The record as answers show it: without hidden fields."""
        hidden = self.hidden
        return {name: value for name, value in record.items() if name not in hidden} if hidden else record

    def shown_of(self, records: list[Record]) -> list[Record]:
        """The same for several."""
        return [self.shown(record) for record in records] if self.hidden else records

    def sets(self, name: str) -> bool:
        """Whether they can give the field a value."""
        return name not in self.protected

    def of_past(self) -> FieldAccess:
        """The same for going back to how a record was: what rules alone could set goes back with the rest."""
        protected = {name: code for name, code in self.protected.items() if code != "read_only"}
        return self if len(protected) == len(self.protected) else replace(self, protected=protected)

    @property
    def settable(self) -> list[str]:
        """The fields that they can give a value."""
        return [name for name in self.collection.fields if name not in self.protected]


def field_access(
    collection: Collection,
    *,
    creating: bool,
    transfer: bool,
    hidden: frozenset[str] = frozenset(),
    denied: frozenset[str] = frozenset(),
) -> FieldAccess:
    """The access of who may change a collection's records; with `transfer`, also whose they are.

    `hidden` and `denied` are what rules of fields keep from them.
    """
    return FieldAccess(
        collection,
        creating,
        hidden | {name for name, item in collection.fields.items() if item.write_only},
        dict(_protected(collection, denied, creating=creating, transfer=transfer)),
        part_tag(hidden) if hidden else "",
    )


def _protected(
    collection: Collection, denied: frozenset[str], *, creating: bool, transfer: bool
) -> Iterable[tuple[str, str]]:
    for name, item in collection.fields.items():
        if item.derived is not None:
            yield name, "derived"
        elif item.fixed and not creating:
            yield name, "fixed"
        elif name == collection.owner and not transfer:
            yield name, "owner"
        elif name in denied:
            yield name, "not_permitted"
        elif item.read_only:
            # Behind all others: of a record's own past it is none (`of_past`), and they are.
            yield name, "read_only"
