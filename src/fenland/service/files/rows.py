"""Rows of a file brought in within one unit of work, and what became of them.

Rows are decided one by one and written together, a few hundred at a time: deciding sees what is stored, and
what waits to be written is stored first wherever a row could ask for it.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any, Literal

from fenland.core.access.policy import Caller
from fenland.core.changes.change import Change, joined
from fenland.core.changes.patches import MergePatch
from fenland.core.changes.tabular import CellReader, Match, Row, match_columns
from fenland.core.definitions.catalog import followed_fields
from fenland.core.definitions.model import Blank
from fenland.core.definitions.validation import REFUSED
from fenland.core.names import did_you_mean
from fenland.core.problems import Invalid, Malformed, NotPermitted, Problem, Refusal, Unavailable, pointer_to
from fenland.service.changes.applying import apply
from fenland.service.changes.finding import Address
from fenland.service.changes.following import derives_alone, follow_all
from fenland.service.records.create import CreateRequest, NewRecord, creating_access, decide_new
from fenland.service.records.once import Once
from fenland.service.records.update import UpdateRequest, decide
from fenland.service.service import Resource
from fenland.service.work import Work

Mode = Literal["create", "update", "both"]
MODES: tuple[Mode, ...] = ("create", "update", "both")

#: Changes that are written at a time.
_WRITTEN = 250
#: Rows that a preview shows changes of, and refused rows that one answer tells.
MOST_SHOWN, MOST_TOLD = 20, 5_000
#: What is wrong with a row, of which its sentence names so much.
_NAMED = 5


@dataclass(frozen=True, slots=True)
class ImportRequest:
    """Rows to bring in. `by` is the unique field that says which record a row is of; the key if left out."""

    collection: str
    rows: Iterable[Row]
    mode: Mode = "both"
    by: str | None = None
    #: By column, the field that it stands for where its name does not say, or None for none.
    match: Mapping[str, str | None] = field(default_factory=dict)
    blank: Blank | None = None
    atomic: bool = False
    preview: bool = False
    reason: str | None = None
    once: Once | None = None
    #: What the entries of portions before this one share, so that all are one import.
    batch: str | None = None


@dataclass(slots=True)
class Refused:
    """A row that was not taken, and why: as a whole, or field by field."""

    row: int
    detail: str
    problems: tuple[Problem, ...] = ()
    #: The row as it was sent; None where that is not known any more.
    cells: Mapping[str, Any] | None = None


@dataclass(frozen=True, slots=True)
class Repeated:
    """A row that is of the same record as an earlier one of the file."""

    row: int
    earlier: int


@dataclass(slots=True)
class Imported:
    """What became of the rows, or would become of them."""

    columns: Match = field(default_factory=dict)
    unmatched: list[str] = field(default_factory=list)
    rows: int = 0
    created: int = 0
    updated: int = 0
    unchanged: int = 0
    refused: list[Refused] = field(default_factory=list)
    #: How many were refused, of which only so many are told.
    refused_count: int = 0
    #: The rows of records that an earlier row is of already, of which only so many are told.
    repeats: list[Repeated] = field(default_factory=list)
    repeats_count: int = 0
    #: Of the first rows, what would change.
    shown: list[dict[str, Any]] = field(default_factory=list)
    done: bool = True
    repeated: bool = False
    #: What the entries share.
    batch: str | None = None

    def refuse(self, refused: Refused) -> None:
        """Takes note of a row that was refused."""
        self.refused_count += 1
        if len(self.refused) < MOST_TOLD:
            self.refused.append(refused)

    def repeat(self, repeated: Repeated) -> None:
        """Takes note of a row of a record that an earlier row is of."""
        self.repeats_count += 1
        if len(self.repeats) < MOST_TOLD:
            self.repeats.append(repeated)


def identifying(resource: Resource, request: ImportRequest) -> str:
    """The field that says which record a row is of. Raises `Malformed`."""
    name = request.by or resource.collection.key
    unique = [one for one, item in resource.collection.fields.items() if item.unique]
    if request.mode == "create" and request.by is None:
        return name
    if name not in unique:
        raise Malformed(f"by is {name!r}, which is no unique field. {did_you_mean(name, unique)}")
    return name


#: Rows whose changes are decided and not made yet.
_Waiting = list[tuple[Row, list[Change]]]


class Importer:
    """Brings rows in within one unit of work."""

    def __init__(self, work: Work, caller: Caller, request: ImportRequest, columns: Match) -> None:
        self.work, self.caller, self.request = work, caller, request
        self.resource = work.resource(request.collection)
        collection = self.resource.collection
        self.by = identifying(self.resource, request)
        self.reader = CellReader(collection, dict(columns), request.blank or "keep")
        self.columns: dict[str, str | None] = dict(columns)
        self.unique = [name for name, item in collection.fields.items() if item.unique]
        self.own = [name for name, item in collection.fields.items() if item.references == collection.name]
        #: Whether what is derived elsewhere is brought up to date for many rows at once.
        self.later = work.follows_later = derives_alone(work.service, collection.name)
        #: Whether rules look at other records of the collection, which must then be stored.
        self.looks = (
            collection.name in followed_fields([collection])
            or bool(self.resource.rules.series)
            # What follows elsewhere is brought up to date row by row.
            or (work.service.network.concerns(collection.name) and not self.later)
            or work.service.reaches.concerns(collection.name)
        )
        self.found = Imported(columns)
        self.waiting: _Waiting = []
        #: What the waiting ones will hold, by unique field.
        self.held: set[tuple[str, Any]] = set()
        self.new: NewRecord | None = None
        self.creating: Refusal | None = None

    def run(self, rows: Iterable[Row]) -> Imported:
        """What became of the rows."""
        if self.request.mode != "update":
            try:
                access = creating_access(self.work.sight(self.caller), self.resource)
                request = CreateRequest(
                    self.resource.collection.name,
                    {},
                    blank=self.request.blank,
                    reason=self.request.reason,
                )
                self.new = NewRecord(self.resource, access, {}, request)
            except NotPermitted as refusal:
                if self.request.mode == "create":
                    raise
                self.creating = refusal
        for row in rows:
            self.found.rows += 1
            try:
                self._take(row)
            except Unavailable:
                raise
            except Refusal as refusal:
                self._refuse(row, refusal)
            if self.request.preview:
                self.work.breathe()
            if len(self.waiting) >= _WRITTEN or self.looks:
                self._write()
        self._write()
        self.found.refused.sort(key=lambda one: one.row)
        return self.found

    def _refuse(self, row: Row, refusal: Refusal) -> None:
        problems = tuple(refusal.problems) if isinstance(refusal, Invalid) else ()
        told = [
            f"{one.pointer[1:]}: {one.detail}" if one.pointer else one.detail for one in problems[:_NAMED]
        ]
        cells = None if row.fault else row.cells
        # Of the row, that is: the others are saved.
        detail = " ".join(told) or refusal.detail.removesuffix(" Nothing was saved.")
        self.found.refuse(Refused(row.number, detail, problems, cells))

    def _take(self, row: Row) -> None:
        if row.fault:
            raise Malformed(row.fault)
        self._know(row)
        problems: list[Problem] = []
        changes: list[Change] = []
        values = self.reader.values(row, problems)
        key = self.resource.collection.key
        asked = [(name, values.get(name)) for name in self.unique]
        asked += [(key, values.get(name)) for name in self.own]
        if any((name, value) in self.held for name, value in asked if isinstance(value, (str, int))):
            # What waits could be what it is about.
            self._write()
        try:
            changes = self.decided(values)
        except Invalid as more:
            # What could not be read is not said to be missing as well.
            told = {problem.pointer for problem in problems}
            problems += [problem for problem in more.problems if problem.pointer not in told]
        if problems:
            raise Invalid(problems)
        if changes:
            self._wait(row, changes)
        else:
            self.found.unchanged += 1

    def decided(self, values: Mapping[str, Any]) -> list[Change]:
        """What a row comes to; nothing where it changes nothing."""
        stored = None if self.request.mode == "create" else self.stored(values)
        if stored is not None:
            return self.update(stored["id"], values)
        if self.request.mode == "update":
            raise Malformed(f"There is no record whose {self.by} is {values[self.by]!r}.")
        return self.create(values)

    def _know(self, row: Row) -> None:
        """Columns of a later row of JSON Lines, which has no header, may be others."""
        unknown = [column for column in row.cells if column not in self.columns]
        if unknown:
            match, unmatched = match_columns(
                row.cells,
                self.resource.collection,
                {name: one for name, one in self.request.match.items() if name in row.cells},
            )
            if unmatched:
                raise Malformed(f"No field is called like {', '.join(map(repr, unmatched))}.")
            self.columns.update(match)
            self.reader = CellReader(self.resource.collection, self.columns, self.reader.blank)

    def stored(self, values: Mapping[str, Any]) -> Any:
        """The record that a row is of; None for one that is not there, or not for the caller to see."""
        sent = values.get(self.by)
        if sent is None or sent == "":
            detail = "Must be given: by it the record is found."
            raise Invalid([Problem(pointer_to(self.by), "required", detail)])
        problems: list[Problem] = []
        value = self.resource.rules.validate({self.by: sent}, problems).get(self.by, REFUSED)
        if value is REFUSED:
            raise Invalid(problems)
        if (self.by, value) in self.held:
            self._write()
        found, sight = self.work.find(self.resource, self.by, value), self.work.sight(self.caller)
        policy = self.resource.policy
        if found is None or not policy.may("read", sight, found):
            # What they may not read is as if it were not there, and so is what they would find by that.
            return None
        return None if self.by in policy.fields(sight, found).hidden else found

    def create(self, values: Mapping[str, Any]) -> list[Change]:
        """The changes that create a row's record. Raises `Invalid`, `NotPermitted`."""
        if self.new is None:
            raise self.creating or NotPermitted("No records may be created here.")
        new = NewRecord(self.resource, self.new.access, values, self.new.request)
        return decide_new(self.work, self.caller, new)[0]

    def update(self, record_id: str, values: Mapping[str, Any]) -> list[Change]:
        """The changes that bring a record up to date; none where it is. Raises `Invalid`, `NotPermitted`."""
        asked = UpdateRequest(
            Address(self.resource.collection.name, record_id, "id"),
            MergePatch(dict(values)),
            blank=self.request.blank,
            reason=self.request.reason,
        )
        decision = decide(self.work, self.caller, asked)
        decision.refuse_problems()
        return decision.changes

    def _wait(self, row: Row, changes: list[Change]) -> None:
        self.waiting.append((row, changes))
        result = changes[0].result
        for name in self.unique:
            if result[name] is not None:
                self.held.add((name, result[name]))

    def _write(self) -> None:
        """Writes what waits: together, or where something of it is refused, one by one."""
        waiting, self.waiting = self.waiting, []
        self.held.clear()
        if not waiting:
            return
        try:
            with self.work.nested():
                apply(self.work, self.caller, self._followed(joined(changes for _, changes in waiting)))
        except Unavailable:
            raise
        except Refusal:
            waiting = list(self._one_by_one(waiting))
        for row, changes in waiting:
            self._tell(row.number, changes[0])

    def _followed(self, changes: list[Change]) -> list[Change]:
        """The changes of rows, with what follows from all of them where that was left for later."""
        return follow_all(self.work, self.caller, changes) if self.later else changes

    def _one_by_one(self, waiting: _Waiting) -> Iterator[tuple[Row, list[Change]]]:
        for row, changes in waiting:
            try:
                with self.work.nested():
                    apply(self.work, self.caller, self._followed(changes))
            except Unavailable:
                raise
            except Refusal as refusal:
                self._refuse(row, refusal)
            else:
                yield row, changes

    def _tell(self, number: int, change: Change) -> None:
        if change.action == "create":
            self.found.created += 1
        else:
            self.found.updated += 1
        if self.request.preview and len(self.found.shown) < MOST_SHOWN:
            policy, sight = self.resource.policy, self.work.sight(self.caller)
            # What they may see of it as it is, and as it would be.
            states = [one for one in (change.before, change.after) if one is not None]
            hidden = frozenset[str]().union(*(policy.fields(sight, one).hidden for one in states))
            fields = {name: pair for name, pair in change.fields.items() if name not in hidden}
            changes = {name: {"before": was, "after": now} for name, (was, now) in fields.items()}
            shown = {"row": number, "action": change.action, "key": change.key, "changes": changes}
            self.found.shown.append(shown)
