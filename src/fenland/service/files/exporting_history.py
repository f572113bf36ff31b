"""Exporting the history: entries as a file, oldest first, in little memory, resumable by sequence."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from fenland.core.access.policy import Caller
from fenland.core.changes.tabular import Form, csv_cell, csv_lines, json_line
from fenland.core.expressions.budget import renew
from fenland.core.history.entries import Entry
from fenland.core.history.parts import SHOWN
from fenland.core.history.telling import Known, entry_json
from fenland.core.problems import Malformed
from fenland.service.history.searching import HistoryRequest, Question, Reader
from fenland.service.history.timeline import people_of
from fenland.service.proof.proving import shown_hash, shown_leaf
from fenland.service.service import Service
from fenland.service.work import View, snapshot

#: Entries that are read at a time.
_AT_A_TIME = 500

#: The columns of a CSV file: one row for each field that an entry changed, or one for an entry without any.
COLUMNS = (*(part.name for part in SHOWN), "field", "before", "after")


def export_history(
    service: Service, caller: Caller, request: HistoryRequest, form: Form, after: int
) -> Iterator[bytes]:
    """The entries after this sequence that are wanted and that the caller may see, as the bytes of a file.

    What is wrong with the request is raised at once. Raises `Malformed`.
    """
    if form == "xlsx":
        raise Malformed("The history comes as JSON Lines or CSV. Ask for one of those.")
    with snapshot(service, caller) as view:
        Question(view, request)
    pages = _pages(service, caller, request, after)
    return _csv(pages, after) if form == "csv" else _json_lines(pages)


def _pages(
    service: Service, caller: Caller, request: HistoryRequest, after: int
) -> Iterator[list[dict[str, Any]]]:
    more = True
    while more:
        renew()
        with snapshot(service, caller) as view:
            reader, asked = Reader(view, caller), Question(view, request)
            entries = service.database.history.following(
                view.reading, max(after, asked.candidates.above), _AT_A_TIME, asked.below
            )
            found = [one for one in entries if reader.sees(one) and asked.chooses(one, reader)]
            known = Known(people_of(view, found))
            page = [_shown(view, reader, one, known) for one in found]
        more = len(entries) == _AT_A_TIME
        after = entries[-1].sequence or 0 if entries else after
        service.database.turn.breathe()
        yield page


def _shown(view: View, reader: Reader, entry: Entry, known: Known) -> dict[str, Any]:
    telling = reader.telling(entry)
    leaf = shown_leaf(entry, telling.hidden)
    hashed = shown_hash(entry, leaf, view.reading, view.service)
    return entry_json(entry, telling, known) | leaf | {"leaf_hash": hashed}


def _json_lines(pages: Iterator[list[dict[str, Any]]]) -> Iterator[bytes]:
    for page in pages:
        yield b"".join(map(json_line, page))


def _csv(pages: Iterator[list[dict[str, Any]]], after: int) -> Iterator[bytes]:
    # Who goes on where another file ended has its header.
    head = "" if after else csv_lines([list(COLUMNS)])
    for page in pages:
        yield (head + csv_lines([row for one in page for row in _rows(one)])).encode()
        head = ""


def _rows(entry: dict[str, Any]) -> Iterator[list[str]]:
    parts = [csv_cell(entry[name]) for name in COLUMNS[:-3]]
    if not entry["changes"]:
        yield [*parts, "", "", ""]
    for name, change in entry["changes"].items():
        yield [*parts, name, csv_cell(change.get("before")), csv_cell(change.get("after"))]
