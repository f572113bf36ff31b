"""History: what an entry says, and how it reads in plain sentences."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, Literal, get_args

from fenland.core.definitions import Field
from fenland.core.reserved import renewed

#: What a change does to its record; `migrate` is what becomes of the definitions.
Action = Literal["create", "update", "delete", "migrate"]
#: In entries that say how definitions changed: the collection that they are of, and its one record.
DEFINITIONS = "fenland_definitions"
DEFINITIONS_ID = "00000000-0000-0000-0000-000000000000"
#: As what the roles stand beside the collections there; no collection can be called so.
ROLES = "fenland_roles"

#: How long a value may be inside a sentence.
_SHOWN = 60


@dataclass(frozen=True, slots=True)
class Entry:
    """One change of one record, as it is kept for good.

    `changes` maps each changed field to its value before and after. `sequence` is None until the
    storage has given the entry its place.
    """

    time: str
    collection: str
    record_id: str
    key: Any
    version: int
    action: Action
    actor: str
    via: str
    request_id: str
    changes: Mapping[str, tuple[Any, Any]]
    behalf: str | None = None
    reason: str | None = None
    cause: int | None = None
    sequence: int | None = None
    client: str | None = None

    @property
    def on_behalf(self) -> str:
        """Whose change it is: who acted, or on whose behalf they did."""
        return self.behalf or self.actor

    def kept(self) -> dict[str, Any]:
        """The fields that the service keeps itself, as this change left them."""
        return renewed(self.version, self.time, self.on_behalf)

    def last_copy(self) -> dict[str, Any]:
        """Of a deletion, the fields of the record that held anything."""
        return {name: before for name, (before, _) in self.changes.items()}


@dataclass(frozen=True, slots=True)
class Telling:
    """How an entry is told: the fields of its time, those whose values are kept from the reader, and by the
    names of those that are called otherwise by now, what they are called."""

    fields: Mapping[str, Field]
    hidden: frozenset[str]
    now: Mapping[str, str] = field(default_factory=dict)


def _shown(value: Any) -> str:
    if value is None or value == "":
        return "nothing"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Decimal):
        return format(value, "f")
    if isinstance(value, list):
        return ", ".join(map(_shown, value)) or "nothing"
    text = str(value)
    return text if len(text) <= _SHOWN else text[: _SHOWN - 1] + "…"


def sentence(entry: Entry, telling: Telling, who: str) -> str:
    """The entry as one sentence, `who` being what people call its actor."""
    if entry.action == "create":
        return f"{who} created {entry.key}."
    if entry.action == "delete":
        return f"{who} deleted {entry.key}."
    parts = []
    for name, (before, after) in entry.changes.items():
        item = telling.fields.get(name)
        label = (item.label if item else name).lower()
        if name in telling.hidden:
            parts.append(f"{label}")
        elif isinstance(before, dict) or isinstance(after, dict):
            parts.append(f"{label}, in {_inside(before, after)}")
        else:
            parts.append(f"{label} from {_shown(before)} to {_shown(after)}")
    return f"{who} changed {'; '.join(parts)}."


def _inside(before: Any, after: Any) -> str:
    """The members of an object that changed, in words."""
    before, after = before or {}, after or {}
    names = [name for name in {**before, **after} if before.get(name) != after.get(name)]
    return ", ".join(
        f"{name.replace('_', ' ')} from {_shown(before.get(name))} to {_shown(after.get(name))}"
        for name in names
    )


#: What `entry_json` gives, part by part, as the OpenAPI document says it.
ENTRY_SCHEMAS: Mapping[str, Mapping[str, Any]] = {
    "sequence": {"type": "integer"},
    "time": {"type": "string", "format": "date-time"},
    "collection": {"type": "string"},
    "id": {"type": "string", "format": "uuid"},
    "key": {"type": ["string", "integer"]},
    "version": {"type": "integer"},
    "action": {"type": "string", "enum": list(get_args(Action))},
    "actor": {"type": "string"},
    "behalf": {"type": ["string", "null"]},
    "via": {"type": "string", "examples": ["api", "client", "command-line", "console", "effect"]},
    "client": {"type": ["string", "null"]},
    "request_id": {"type": "string"},
    "reason": {"type": ["string", "null"]},
    "cause": {"type": ["integer", "null"]},
    "changes": {"type": "object", "additionalProperties": {"$ref": "#/components/schemas/Change"}},
    "sentence": {"type": "string"},
}


def entry_json(entry: Entry, telling: Telling, who: str) -> dict[str, Any]:
    """The entry as answers show it. Values of hidden fields are left out, the change is not."""
    changes: dict[str, Any] = {}
    for name, (before, after) in entry.changes.items():
        hidden = name in telling.hidden
        changes[name] = {"hidden": True} if hidden else {"before": before, "after": after}
        if name in telling.now:
            changes[name]["now"] = telling.now[name]
    return {
        "sequence": entry.sequence,
        "time": entry.time,
        "collection": entry.collection,
        "id": entry.record_id,
        "key": entry.key,
        "version": entry.version,
        "action": entry.action,
        "actor": entry.actor,
        "behalf": entry.behalf,
        "via": entry.via,
        "client": entry.client,
        "request_id": entry.request_id,
        "reason": entry.reason,
        "cause": entry.cause,
        "changes": changes,
        "sentence": sentence(entry, telling, who),
    }
