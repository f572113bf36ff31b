"""Importing: many rows of a file, each created or brought up to date by the pipeline of a single record.

All or nothing is one transaction; each on its own, a row that is refused is told with its reasons, and the
others are kept. A preview does all that in a draft, from the first row to the last, and keeps nothing. What
becomes of the rows of one transaction, `rows.py` says.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import islice
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.changes.change import Act
from fenland.core.changes.tabular import Row, match_columns
from fenland.core.definitions.model import Right
from fenland.core.expressions.budget import renew
from fenland.core.limits import beyond
from fenland.core.problems import Malformed, NotPermitted, Problem, Refusal
from fenland.service.changes.drafting import Draft
from fenland.service.files.rows import (
    MOST_SHOWN,
    MOST_TOLD,
    Imported,
    Importer,
    ImportRequest,
    Mode,
    Refused,
    Repeated,
    identifying,
)
from fenland.service.records.once import Keeping, once
from fenland.service.service import Resource, Service
from fenland.service.work import Work, written
from fenland.storage.door import Candidates

#: Rows that share a transaction where each is on its own, and so hold up others no longer than it takes.
TOGETHER = 1_000


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
    by = identifying(resource, request)
    if first is not None and (first.cells or not first.fault):
        # Of JSON Lines whose first cannot be read, the next one tells the columns.
        _check_columns(found, request, by)
    all_rows = _watched(_chained(first, rows), found, by)
    if request.preview or request.atomic or request.once is not None:
        return _in_one(service, caller, request, (all_rows, found, act))
    try:
        while portion := list(islice(all_rows, TOGETHER)):
            _check_count(service, found, len(portion))
            renew()

            def work(unit: Work, portion: list[Row] = portion) -> Imported:
                # It may run again: what is told is made anew each time, and added once it is kept.
                return Importer(unit, caller, request, found.columns).run(portion)

            _add(found, written(service, work, act))
    except Refusal as refusal:
        if found.created or found.updated:
            saved = f"Of the first {found.rows} rows what could be was saved, as the batch {act.batch}."
            refusal.detail = f"{saved} Then, of those after them: {refusal.detail}"
        raise
    return found


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
    found.refused += more.refused[: MOST_TOLD - len(found.refused)]
    found.shown += more.shown[: MOST_SHOWN - len(found.shown)]
    found.repeated = more.repeated
    if more.repeated:
        found.batch = more.batch


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
            f"No column stands for {by}, by which records are found. Map one, name another by, or make a new "
            "record of every row with mode=create."
        )


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
