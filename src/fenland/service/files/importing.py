"""Importing: many rows of a file, each created or brought up to date by the pipeline of a single record.

Rows are decided one by one and written together, a few hundred at a time: deciding sees what is stored, and
what waits to be written is stored first wherever a row could ask for it. All or nothing is one transaction;
each on its own, a row that is refused is told with its reasons, and the others are kept. A preview does all
that in a draft, from the first row to the last, and keeps nothing.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from itertools import islice
from typing import Any, Literal

from fenland.core.access.policy import Caller
from fenland.core.changes.change import Act, Change, joined
from fenland.core.changes.patches import MergePatch
from fenland.core.changes.tabular import CellReader, Match, Row, match_columns
from fenland.core.definitions.catalog import followed_fields
from fenland.core.definitions.model import Blank, Right
from fenland.core.definitions.validation import REFUSED
from fenland.core.expressions.budget import renew
from fenland.core.limits import beyond
from fenland.core.names import did_you_mean
from fenland.core.problems import Invalid, Malformed, NotPermitted, Problem, Refusal, Unavailable, pointer_to
from fenland.service.records.applying import apply
from fenland.service.records.create import CreateRequest, NewRecord, creating_access, decide_new
from fenland.service.records.drafting import Draft
from fenland.service.records.finding import Address
from fenland.service.records.once import Keeping, Once, once
from fenland.service.records.update import UpdateRequest, decide
from fenland.service.service import Resource, Service
from fenland.service.work import Work, written
from fenland.storage.door import Candidates

Mode = Literal["create", "update", "both"]
MODES: tuple[Mode, ...] = ("create", "update", "both")

#: Rows that share a transaction where each is on its own, and so hold up others no longer than it takes.
TOGETHER = 1_000
#: Changes that are written at a time.
_WRITTEN = 250
#: Rows that a preview shows changes of, and refused rows that one answer tells.
_SHOWN, _TOLD = 20, 5_000
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
        if len(self.refused) < _TOLD:
            self.refused.append(refused)

    def repeat(self, repeated: Repeated) -> None:
        """Takes note of a row of a record that an earlier row is of."""
        self.repeats_count += 1
        if len(self.repeats) < _TOLD:
            self.repeats.append(repeated)


class _Undone(Exception):
    """Ends a transaction of which nothing is to be kept."""


def import_rows(service: Service, caller: Caller, request: ImportRequest) -> Imported:
    """Brings the rows in. Raises what is wrong with the request, or the file, as a whole."""
    resource = service.resource(request.collection)
    _permit(service, caller, resource, request)
    if request.batch is not None:
        _check_batch(service, caller, request.batch)
    act = Act(batch=request.batch or service.new_batch())
    rows = iter(request.rows)
    first = next(rows, None)
    found = Imported(batch=None if request.preview else act.batch)
    columns = _columns_of(first, request)
    found.columns, found.unmatched = match_columns(columns, resource.collection, request.match)
    by = _identifying(resource, request)
    if first is not None and (first.cells or not first.fault):
        # Of JSON Lines whose first cannot be read, the next one tells the columns.
        _check_columns(found, request, by)
    all_rows = _watched(_chained(first, rows), found, by)
    if request.preview or request.atomic or request.once is not None:
        return _in_one(service, caller, request, (all_rows, found, act))
    while True:
        portion = list(islice(all_rows, TOGETHER))
        if not portion:
            return found
        _check_count(service, found, len(portion))
        renew()

        def work(unit: Work, portion: list[Row] = portion) -> Imported:
            # It may run again: what is told is made anew each time, and added once it is kept.
            return Importer(unit, caller, request, found.columns).run(portion)

        _add(found, written(service, work, act))


def _permit(service: Service, caller: Caller, resource: Resource, request: ImportRequest) -> None:
    """Raises `NotPermitted` to who could bring nothing in, before the file is looked at."""
    sight = service.sight(caller)
    rights: dict[Mode, tuple[Right, ...]] = {"create": ("create",), "update": ("update",)}
    if not any(resource.policy.ever(one, sight) for one in rights.get(request.mode, ("create", "update"))):
        raise NotPermitted(f"{caller.actor.title or caller.actor.name} may bring nothing in here.")


_BATCH = re.compile(r"[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}")


def _check_batch(service: Service, caller: Caller, batch: str) -> None:
    """Raises `Malformed` for what is no batch, and `NotPermitted` for one that is somebody else's."""
    if not _BATCH.fullmatch(batch):
        raise Malformed(f"batch is {batch[:80]!r}. It must be one that an earlier portion was answered with.")
    acting = caller.actor if caller.acting is None else caller.acting
    with service.database.reading() as reading:
        history = service.database.history
        for _, entries in history.candidates(reading, Candidates.having("batch", batch), below=2**62):
            if entries and entries[0].actor != acting.name:
                raise NotPermitted("The batch is somebody else's. Leave it out to begin one of your own.")
            if entries:
                return


def _chained(first: Row | None, rows: Iterator[Row]) -> Iterator[Row]:
    if first is not None:
        yield first
        yield from rows


def _watched(rows: Iterator[Row], found: Imported, by: str) -> Iterator[Row]:
    """The same rows; of those that have the same value where `by` stands it is told."""
    columns = {column for column, name in found.columns.items() if name == by} | {by}
    first_with: dict[str, int] = {}
    for row in rows:
        for value in (row.cells[column] for column in columns & row.cells.keys()):
            written = str(value).strip()
            if written and value is not None and first_with.setdefault(written, row.number) != row.number:
                found.repeat(Repeated(row.number, first_with[written]))
        yield row


def _columns_of(first: Row | None, request: ImportRequest) -> list[str]:
    if first is None:
        return list(request.match)
    return list(first.cells)


def _check_count(service: Service, found: Imported, more: int) -> None:
    most = service.limits.rows
    if found.rows + more > most:
        raise beyond("import_limit", most, "The file has too many rows. Send it in several portions.")


def _in_one(
    service: Service, caller: Caller, request: ImportRequest, given: tuple[Iterator[Row], Imported, Act]
) -> Imported:
    """All of it in one transaction."""
    all_rows, found, act = given
    whole = request.atomic or request.preview
    most = service.limits.rows if whole else TOGETHER
    rows = list(islice(all_rows, most + 1))
    if len(rows) > most:
        if request.preview:
            raise beyond("import_limit", most, "The file has too many rows. Look at it in several portions.")
        if request.atomic:
            raise beyond("import_limit", most, "The file has too many rows to be all or nothing.")
        raise Malformed(f"With an Idempotency-Key, send at most {most} rows at a time, or all or nothing.")
    if request.preview:
        with service.database.snapshot(caller.actor.name) as reading:
            draft = Draft(service, reading)
            for begin in range(0, len(rows), TOGETHER):
                renew()
                portion = rows[begin : begin + TOGETHER]
                _add(found, Importer(draft, caller, request, found.columns).run(portion))
        found.done = False
        return found
    kept: list[Imported] = []

    def work(unit: Work) -> Imported:
        done = Importer(unit, caller, request, found.columns).run(rows)
        if request.atomic and done.refused_count:
            kept[:] = [done]
            raise _Undone
        return done

    try:
        _add(found, written(service, once(caller, request.once, work, _KEEPING), act))
    except _Undone:
        _add(found, kept[0])
        found.done = False
        found.created = found.updated = 0
    return found


def _add(found: Imported, more: Imported) -> None:
    found.rows += more.rows
    found.created += more.created
    found.updated += more.updated
    found.unchanged += more.unchanged
    found.refused_count += more.refused_count
    found.refused += more.refused[: _TOLD - len(found.refused)]
    found.shown += more.shown[: _SHOWN - len(found.shown)]
    found.repeated = more.repeated
    if more.repeated:
        found.batch = more.batch


def _identifying(resource: Resource, request: ImportRequest) -> str:
    """The field that says which record a row is of. Raises `Malformed`."""
    name = request.by or resource.collection.key
    unique = [one for one, item in resource.collection.fields.items() if item.unique]
    if request.mode == "create" and request.by is None:
        return name
    if name not in unique:
        raise Malformed(f"by is {name!r}, which is no unique field. {did_you_mean(name, unique)}")
    return name


def _check_columns(found: Imported, request: ImportRequest, by: str) -> None:
    if request.preview:
        return
    if found.unmatched:
        named = ", ".join(map(repr, found.unmatched))
        raise Malformed(
            f"No field is called like the columns {named}. Say with map which fields they are, or that they "
            "are none."
        )
    if request.mode != "create" and by not in found.columns.values():
        raise Malformed(
            f"No column stands for {by}, by which records are found. Map one, or name another by."
        )


#: Rows whose changes are decided and not made yet.
_Waiting = list[tuple[Row, list[Change]]]


class Importer:
    """Brings rows in within one unit of work."""

    def __init__(self, work: Work, caller: Caller, request: ImportRequest, columns: Match) -> None:
        self.work, self.caller, self.request = work, caller, request
        self.resource = work.resource(request.collection)
        collection = self.resource.collection
        self.by = _identifying(self.resource, request)
        self.reader = CellReader(collection, dict(columns), request.blank or "keep")
        self.columns: dict[str, str | None] = dict(columns)
        self.unique = [name for name, item in collection.fields.items() if item.unique]
        self.own = [name for name, item in collection.fields.items() if item.references == collection.name]
        #: Whether rules look at other records of the collection, which must then be stored.
        self.looks = collection.name in followed_fields([collection])
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
        self.found.refuse(Refused(row.number, " ".join(told) or refusal.detail, problems, cells))

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
                apply(self.work, self.caller, joined(changes for _, changes in waiting))
        except Unavailable:
            raise
        except Refusal:
            waiting = list(self._one_by_one(waiting))
        for row, changes in waiting:
            self._tell(row.number, changes[0])

    def _one_by_one(self, waiting: _Waiting) -> Iterator[tuple[Row, list[Change]]]:
        for row, changes in waiting:
            try:
                with self.work.nested():
                    apply(self.work, self.caller, changes)
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
        if self.request.preview and len(self.found.shown) < _SHOWN:
            policy, sight = self.resource.policy, self.work.sight(self.caller)
            # What they may see of it as it is, and as it would be.
            states = [one for one in (change.before, change.after) if one is not None]
            hidden = frozenset[str]().union(*(policy.fields(sight, one).hidden for one in states))
            fields = {name: pair for name, pair in change.fields.items() if name not in hidden}
            changes = {name: {"before": was, "after": now} for name, (was, now) in fields.items()}
            shown = {"row": number, "action": change.action, "key": change.key, "changes": changes}
            self.found.shown.append(shown)


def _keep(found: Imported) -> dict[str, Any]:
    # No values: whoever asks again may not be allowed to see them any more.
    return {
        "rows": found.rows,
        "created": found.created,
        "updated": found.updated,
        "unchanged": found.unchanged,
        "refused": [
            [one.row, one.detail, [problem.as_data() for problem in one.problems]] for one in found.refused
        ],
        "refused_count": found.refused_count,
        "batch": found.batch,
    }


def _give(_work: Work, _caller: Caller, kept: dict[str, Any]) -> Imported:
    refused = [
        Refused(row, detail, tuple(Problem(*one) for one in problems))
        for row, detail, problems in kept["refused"]
    ]
    counts = {name: kept[name] for name in ("rows", "created", "updated", "unchanged", "refused_count")}
    return Imported(refused=refused, repeated=True, batch=kept.get("batch"), **counts)


_KEEPING = Keeping(_keep, _give)
