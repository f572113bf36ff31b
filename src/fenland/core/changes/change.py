"""Changes as values: what a use case has decided, before anything is written.

Creating, updating and deleting decide a list of changes and nothing else. One function applies such a
list (`service/changes/applying.py`); a preview is the same list, not applied.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.definitions.model import Collection
from fenland.core.history.entries import Action, Entry
from fenland.core.reserved import made, renewed
from fenland.core.values.plain import same


@dataclass(frozen=True, slots=True)
class Act:
    """What changes are part of: a batch; which entry they take back, or which version they go back to.

    With a `proposal`, they apply it: `behalf` is the pass through which it came.
    """

    batch: str | None = None
    undoes: int | None = None
    restores: int | None = None
    proposal: int | None = None
    behalf: str | None = None


#: A change for itself.
ALONE = Act()


@dataclass(frozen=True, slots=True)
class Stamp:
    """When changes are made, in whose name, why, and as part of what."""

    time: str
    by: str
    reason: str | None = None
    act: Act = ALONE


@dataclass(frozen=True, slots=True)
class Follows:
    """By what a change follows: where its cause stands in the list, and where the rule stands."""

    stamp: Stamp
    cause: int | None
    rule: str | None


@dataclass(frozen=True, slots=True)
class Notice:
    """A message for other systems that a change leaves by a rule: what it is called, and what it says."""

    name: str
    data: Mapping[str, Any]
    rule: str


@dataclass(frozen=True, slots=True)
class Handing:
    """A pass for the record that a change makes by a rule: of which template."""

    template: str
    rule: str


@dataclass(frozen=True, slots=True)
class Change:
    """One change of one record.

    `before` is None for a record that is created, `after` for one that is deleted; both are whole, with what
    the service keeps itself. `fields` holds what differs, before and after, of defined fields alone. `cause`
    is the place, in the list, of the change that this one follows from.
    """

    action: Action
    collection: str
    record_id: str
    key: Any
    version: int
    before: Record | None
    after: Record | None
    fields: Mapping[str, tuple[Any, Any]]
    stamp: Stamp
    cause: int | None = None
    #: Where the rule stands by which it follows.
    rule: str | None = None
    secret: frozenset[str] = frozenset()
    unkept: frozenset[str] = frozenset()
    notices: tuple[Notice, ...] = ()
    passes: tuple[Handing, ...] = ()

    @property
    def result(self) -> Record:
        """The record as the change leaves it, or its last copy."""
        return self.after or self.before or {}

    @property
    def columns(self) -> dict[str, Any]:
        """Of an update, all that is to be written: the fields that differ, and what the service keeps."""
        after = self.result
        kept = renewed(self.version, self.stamp.time, self.stamp.by)
        # Values of fields that are no more are erased from the history alone.
        return {**{name: after[name] for name in self.fields if name in after}, **kept}

    def preview(self) -> Record:
        """The record with what differs, and otherwise as it is: nothing is stamped before it is saved."""
        return {**(self.before or {}), **{name: after for name, (_, after) in self.fields.items()}}

    @property
    def removes(self) -> bool:
        """Whether a record that was there is not there any more."""
        return self.before is not None and self.after is None

    def entry(self, caller: Caller, cause: int | None) -> Entry:
        """Its history entry; `cause` is the sequence of the entry of the change that it follows from."""
        act, acting = self.stamp.act, caller.acting
        actor, behalf = (self.stamp.by, None) if acting is None else (acting.name, self.stamp.by)
        if act.behalf is not None:
            # Whoever applies a proposal does so for who sent it.
            actor, behalf = actor if acting else caller.name, act.behalf
        if actor == behalf:
            behalf = None
        return Entry(
            time=self.stamp.time,
            collection=self.collection,
            record_id=self.record_id,
            key=self.key,
            version=self.version,
            action=self.action,
            actor=actor,
            behalf=behalf,
            via=caller.via if cause is None else "effect",
            request_id=caller.request_id,
            client=caller.client,
            changes=self.fields,
            reason=self.stamp.reason,
            cause=cause,
            batch=act.batch,
            undoes=act.undoes,
            restores=act.restores,
            rule=self.rule,
            proposal=act.proposal,
            secret=self.secret,
            unkept=self.unkept,
        )


def last_of(changes: Sequence[Change]) -> Change:
    """The last change of the record that the first is of: what follows from a change may come back to it."""
    return next(one for one in reversed(changes) if one.record_id == changes[0].record_id)


def previewed(changes: Sequence[Change]) -> Record:
    """The record that the first change is of as all of them would leave it, with nothing stamped yet."""
    fields = [one.fields for one in changes[1:] if one.record_id == changes[0].record_id and not one.removes]
    return changes[0].preview() | {name: pair[1] for each in fields for name, pair in each.items()}


def creation(collection: Collection, record_id: str, fields: Mapping[str, Any], stamp: Stamp) -> Change:
    """The change that creates a record with these fields."""
    record = {**made(record_id, stamp.time, stamp.by), **fields}
    differing = {name: (None, value) for name, value in fields.items() if value is not None}
    return _change(collection, "create", (None, record), differing, stamp)


def alteration(
    collection: Collection,
    stored: Record,
    values: Mapping[str, Any],
    stamp: Stamp,
    cause: int | None = None,
) -> Change:
    """The change that gives a stored record these values."""
    version = stored["version"] + 1
    record = {**stored, **values, **renewed(version, stamp.time, stamp.by)}
    differing = {name: (stored[name], value) for name, value in values.items()}
    change = _change(collection, "update", (stored, record), differing, stamp)
    return change if cause is None else replace(change, cause=cause)


def restoration(collection: Collection, last: Record, stamp: Stamp) -> Change:
    """The change that brings a deleted record back as this last copy has it."""
    record = {**last, **renewed(last["version"] + 1, stamp.time, stamp.by)}
    differing = {name: (None, last[name]) for name in collection.fields if last[name] is not None}
    return _change(collection, "restore", (None, record), differing, stamp)


def erasure(
    collection: Collection, stored: Record, values: Mapping[str, Any], stamp: Stamp, gone: Iterable[str] = ()
) -> Change:
    """The change that leaves these values where others are erased for good, which it does not hold.

    `gone` names fields that are no more: only the history holds anything in them.
    """
    version = stored["version"] + 1
    record = {**stored, **values, **renewed(version, stamp.time, stamp.by)}
    differing = {name: (None, value) for name, value in values.items()} | dict.fromkeys(gone, (None, None))
    return _change(collection, "erase", (stored, record), differing, stamp)


def derivation(collection: Collection, stored: Record, record: Record, follows: Follows) -> Change:
    """The change that gives a stored record what is derived from others, as `record` has it."""
    version, stamp = stored["version"] + 1, follows.stamp
    after = {**record, **renewed(version, stamp.time, stamp.by)}
    pairs = {name: (stored[name], after[name]) for name in collection.fields}
    differing = {name: pair for name, pair in pairs.items() if not same(*pair)}
    change = _change(collection, "derive", (stored, after), differing, stamp)
    return replace(change, cause=follows.cause, rule=follows.rule)


def deletion(collection: Collection, stored: Record, stamp: Stamp, cause: int | None = None) -> Change:
    """The change that deletes a stored record."""
    differing = {name: (stored[name], None) for name in collection.fields if stored[name] is not None}
    change = _change(collection, "delete", (stored, None), differing, stamp)
    return change if cause is None else replace(change, cause=cause)


def _change(
    collection: Collection,
    action: Action,
    records: tuple[Record | None, Record | None],
    differing: Mapping[str, tuple[Any, Any]],
    stamp: Stamp,
) -> Change:
    before, after = records
    result = after or before or {}
    return Change(
        action=action,
        collection=collection.name,
        record_id=result["id"],
        key=result[collection.key],
        version=result["version"] + (after is None),
        before=before,
        after=after,
        fields=differing,
        stamp=stamp,
        secret=collection.secret,
        unkept=collection.unkept,
    )


def joined(parts: Iterable[Sequence[Change]]) -> list[Change]:
    """Several lists of changes as one: each cause stands where its change is now."""
    found: list[Change] = []
    for part in parts:
        before = len(found)
        found += [
            one if one.cause is None or not before else replace(one, cause=one.cause + before) for one in part
        ]
    return found
