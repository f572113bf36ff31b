"""Telling: how a history entry is shown, and how it reads in plain sentences."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from fenland.core.definitions.model import Field
from fenland.core.history.entries import Entry
from fenland.core.history.parts import SHOWN
from fenland.core.values.differences import change_json, inside, put_in_and_out

#: How long a value may be inside a sentence.
_SHOWN = 60


@dataclass(frozen=True, slots=True)
class Telling:
    """How an entry is told: the fields of its time, those whose values are kept from the reader, and by the
    names of those that are called otherwise by now, what they are called."""

    fields: Mapping[str, Field]
    hidden: frozenset[str]
    now: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Known:
    """What the reader calls things: accounts by their names, and records by what refers to them."""

    people: Mapping[str, str] = field(default_factory=dict)
    #: By field and by the text of what it holds.
    labels: Mapping[str, Mapping[str, str]] = field(default_factory=dict)

    def who(self, entry: Entry) -> str:
        """Who made a change, as a sentence says it."""
        actor = self.people.get(entry.actor, entry.actor)
        if entry.behalf is None:
            return actor
        return f"{self.people.get(entry.behalf, entry.behalf)} (through {actor})"


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


_VERB_PHRASES: Mapping[str, str] = {
    "create": "created {key}",
    "delete": "deleted {key}",
    "restore": "brought {key} back",
    "migrate": "changed the definitions (number {key})",
    "sign_in": "signed in",
    "sign_in_refused": "was refused when signing in",
    "issue_token": "was given a token",
    "revoke_token": "had a token ended",
}


def sentence(entry: Entry, telling: Telling, known: Known) -> str:
    """The entry as one sentence."""
    words = _VERB_PHRASES.get(entry.action)
    if words is not None:
        return f"{known.who(entry)} {words.format(key=entry.key)}{_origin(entry)}."
    names = _ordered(entry, telling)
    labels = [_label(telling, name) for name in names]
    if entry.action == "erase":
        return f"{known.who(entry)} erased {_listed(labels)} of {entry.key} for good."
    parts = [_part(entry, telling, known, name, label) for name, label in zip(names, labels, strict=True)]
    did = "brought about" if entry.action == "derive" else "changed"
    return f"{known.who(entry)} {did} {'; '.join(parts)}{_origin(entry)}."


def _ordered(entry: Entry, telling: Telling) -> list[str]:
    """The changed fields in the order of the record."""
    places = {name: place for place, name in enumerate(telling.fields)}
    return sorted(entry.changes, key=lambda name: places.get(name, len(places)))


def _origin(entry: Entry) -> str:
    if entry.undoes is not None:
        return f", which undoes entry {entry.undoes}"
    if entry.rule is not None and entry.cause is not None:
        return f", which follows from entry {entry.cause}"
    return "" if entry.restores is None else f", back to version {entry.restores}"


def _label(telling: Telling, name: str) -> str:
    item = telling.fields.get(name)
    return (item.label if item else name).lower()


def _listed(words: Iterable[str]) -> str:
    *others, last = words
    return f"{', '.join(others)} and {last}" if others else last


def _part(entry: Entry, telling: Telling, known: Known, name: str, label: str) -> str:
    if name in telling.hidden:
        return label
    before, after = entry.changes[name]
    if isinstance(before, dict) or isinstance(after, dict):
        found = inside(before or {}, after or {})
        inner = (f"{pointer[1:].replace('_', ' ')} {_from(old, new)}" for pointer, old, new in found)
        return f"{label}, in {', '.join(inner)}"
    if isinstance(before, list) and isinstance(after, list):
        put, taken = put_in_and_out(before, after)
        words = [f"put in {_shown(put)}"] * bool(put) + [f"took out {_shown(taken)}"] * bool(taken)
        return f"{label}: {' and '.join(words)}" if words else f"the order of {label}"
    old_gone, new_gone = entry.gone.get(name, (False, False))
    labels = known.labels.get(name, {})
    old = "what was erased" if old_gone else labels.get(str(before), before)
    new = "what was erased" if new_gone else labels.get(str(after), after)
    return f"{label} {_from(old, new)}"


def _from(before: Any, after: Any) -> str:
    return f"from {_shown(before)} to {_shown(after)}"


#: What `entry_json` gives, part by part, as the OpenAPI document says it.
ENTRY_SCHEMAS: Mapping[str, Mapping[str, Any]] = {
    **{part.name: part.schema for part in SHOWN},
    "changes": {"type": "object", "additionalProperties": {"$ref": "#/components/schemas/Change"}},
    "sentence": {"type": "string"},
}


def entry_json(entry: Entry, telling: Telling, known: Known) -> dict[str, Any]:
    """The entry as answers show it. Values of hidden fields are left out, the change is not."""
    changes: dict[str, Any] = {}
    for name in _ordered(entry, telling):
        before, after = entry.changes[name]
        if name in telling.hidden:
            changes[name] = {"hidden": True}
        elif entry.action == "erase":
            changes[name] = {"erased": True, "after": after}
        else:
            changes[name] = change_json(before, after)
            if name in entry.gone:
                changes[name]["erased"] = True
        if name in telling.now:
            changes[name]["now"] = telling.now[name]
    parts = {part.name: part.of(entry) for part in SHOWN}
    return {**parts, "changes": changes, "sentence": sentence(entry, telling, known)}
