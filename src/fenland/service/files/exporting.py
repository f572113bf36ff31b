"""Exporting: a whole list as a file, a page of records at a time, so that no list is too long for it.

Each page is read by itself: what changes meanwhile is in it or not, as with any list, and none comes twice.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace

from fenland.core.access.field_access import Record
from fenland.core.access.policy import Caller
from fenland.core.changes.tabular import Form, cell_text, csv_cell, csv_lines, exported_fields, json_line
from fenland.core.expressions.budget import renew
from fenland.core.problems import Malformed
from fenland.service.files.spreadsheets import write_sheet
from fenland.service.records.listing import LARGEST_PAGE, ListRequest, list_records
from fenland.service.service import Service
from fenland.service.work import snapshot

#: Rows that a spreadsheet can have, its header among them.
_MOST_ROWS = 1_048_576
_PIECE = 1 << 16


def export_records(service: Service, caller: Caller, request: ListRequest, form: Form) -> Iterator[bytes]:
    """The records that the caller may read, and as much of each, as the bytes of a file.

    What is wrong with the request is raised at once, and not only when the first piece is asked for.
    """
    request = replace(request, limit=LARGEST_PAGE)
    resource = service.resource(request.collection)
    with snapshot(service, caller) as view:
        access = resource.policy.fields(view.sight(caller))
    columns = exported_fields(resource.collection, access.hidden, request.wanted.fields)
    first = list_records(service, caller, request)
    pages = _pages(service, caller, request, first.items, first.next)
    if form == "xlsx":
        _check_rows(service, caller, request)
        return _sheet(pages, columns, service.database.turn.breathe)
    return _csv(pages, columns) if form == "csv" else _json_lines(pages)


def _pages(
    service: Service, caller: Caller, request: ListRequest, items: list[Record], cursor: str | None
) -> Iterator[list[Record]]:
    yield items
    while cursor is not None:
        renew()
        page = list_records(service, caller, replace(request, cursor=cursor))
        yield page.items
        cursor = page.next


def _json_lines(pages: Iterator[list[Record]]) -> Iterator[bytes]:
    for page in pages:
        yield b"".join(map(json_line, page))


def _csv(pages: Iterator[list[Record]], columns: list[str]) -> Iterator[bytes]:
    head = csv_lines([columns])
    for page in pages:
        # Of a record of which less may be seen than of others, what is not there is nothing.
        rows = [[csv_cell(record.get(name)) for name in columns] for record in page]
        yield (head + csv_lines(rows)).encode()
        head = ""


def _texts(record: Record, columns: list[str]) -> list[str]:
    # Of a record of which less may be seen than of others, what is not there is nothing.
    return [cell_text(record.get(name)) for name in columns]


def _check_rows(service: Service, caller: Caller, request: ListRequest) -> None:
    counted = list_records(service, caller, replace(request, limit=1, count=True)).count or 0
    if counted >= _MOST_ROWS:
        raise Malformed(f"The list has {counted} records, more than a spreadsheet can. Export it as CSV.")


def _sheet(pages: Iterator[list[Record]], columns: list[str], breathe: Callable[[], None]) -> Iterator[bytes]:
    def rows() -> Iterator[list[str]]:
        yield columns
        for page in pages:
            # It is made whole before any of it can be sent.
            breathe()
            yield from (_texts(record, columns) for record in page)

    with write_sheet(rows()) as file:
        while piece := file.read(_PIECE):
            yield piece
