"""Routes of files: a list as CSV, JSON Lines or a spreadsheet, and rows of such a file brought in."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import TYPE_CHECKING, Any

from flask import Flask, Request
from flask.globals import request_ctx

from fenland.core.access import Caller
from fenland.core.limits import Limits
from fenland.core.problems import Malformed, Unavailable, UnsupportedMedia
from fenland.core.reserved import RESERVED
from fenland.core.tabular import Form, Row, read_csv, read_jsonl, text_rows
from fenland.core.values import read_json
from fenland.service.exporting import export_records
from fenland.service.exporting_history import export_history
from fenland.service.filtering import Filter
from fenland.service.importing import MODES, Imported, ImportRequest, import_rows
from fenland.service.including import Wanted
from fenland.service.listing import ListRequest
from fenland.service.searching import HistoryRequest
from fenland.service.service import Service
from fenland.service.spreadsheets import read_sheet
from fenland.web.answering import Answer, json_answer
from fenland.web.body import STREAMED, file_of
from fenland.web.caller import caller_of
from fenland.web.headers import once_of, refuse_preconditions
from fenland.web.query import blank_of, flag, names_of, query_and_fields, query_of, reason_of, without_blanks

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIEnvironment

#: The media types of files, by what they are (RFC 4180 for CSV; JSON Lines has none that is registered).
MEDIA: Mapping[str, Form] = {
    "text/csv": "csv",
    "application/jsonl": "jsonl",
    "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet": "xlsx",
}
#: Of a file of this type, `as` says what it is: for tools that know no other.
ANY_FILE = "application/octet-stream"
_TYPES: Mapping[Form, str] = {form: media for media, form in MEDIA.items()}
#: What the query of an import may hold.
IMPORT_PARAMETERS = ("mode", "by", "map", "blank", "atomic", "preview", "reason", "batch", "as")
IMPORT = "/v1/records/<collection>/import"
#: A list as a file has an address of its own, too, for tools that send no headers.
EXPORT = "/v1/exports/<collection>"
EXPORT_PARAMETERS = ("as", "where", "q", "sort", "fields", "blank_filters")

#: Exports that one process makes at a time: each has a thread for as long as its client takes.
_MOST_EXPORTS = 8


class Streamed(Answer):
    """An answer that is sent in pieces as they are made; the front lets others work in between."""

    __slots__ = ("pieces",)

    def __init__(self, pieces: Iterator[bytes], headers: Mapping[str, str]) -> None:
        super().__init__(None, 200, headers)
        self.pieces = pieces

    def __call__(self, environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        """See `Answer`."""
        start_response("200 OK", list(self.headers.items()))
        if environ["REQUEST_METHOD"] == "HEAD":
            return []
        environ[STREAMED] = True
        return self.pieces


def _form_asked(query: Mapping[str, str], otherwise: Form | None) -> Form:
    """The kind of file, by `as`, or what else says; CSV where nothing does. Raises `Malformed`."""
    for form in _TYPES:
        if query.get("as") == form:
            return form
    if "as" in query:
        raise Malformed(f"as is {query['as'][:80]!r}. It must be one of {', '.join(_TYPES)}.")
    return otherwise or "csv"


def form_accepted(request: Request) -> Form | None:
    """The kind of file that the request asks for in place of JSON, if it names one."""
    accept: str = request.environ.get("HTTP_ACCEPT", "")
    named = (part.partition(";")[0].strip().lower() for part in accept.split(","))
    return next((MEDIA[one] for one in named if one in MEDIA), None)


class Exports:
    """Makes files of lists, so many at a time."""

    def __init__(self, service: Service) -> None:
        self._service = service
        self._running: set[object] = set()

    def answer(self, caller: Caller, asked: ListRequest, form: Form) -> Answer:
        """The list as a file. Raises what is wrong with the request."""
        if asked.cursor is not None or asked.count or asked.labels or asked.wanted.include:
            raise Malformed("A file holds the whole list: cursor, count, labels and include are for pages.")
        return self._sent(asked.collection, form, lambda: export_records(self._service, caller, asked, form))

    def history(self, caller: Caller, asked: HistoryRequest, form: Form, after: int) -> Answer:
        """The history as a file. Raises what is wrong with the request."""
        if asked.below is not None:
            raise Malformed("A file goes on after a sequence, not below one. Send after.")
        return self._sent("history", form, lambda: export_history(self._service, caller, asked, form, after))

    def _sent(self, name: str, form: Form, pieces: Callable[[], Iterator[bytes]]) -> Answer:
        if len(self._running) >= _MOST_EXPORTS:
            raise Unavailable("Too many files are being sent now. Send it again in a moment.")
        headers = {
            "Content-Type": _TYPES[form] + ("; charset=utf-8; header=present" if form == "csv" else ""),
            "Content-Disposition": f'attachment; filename="{name}.{form}"',
            "Cache-Control": "private, no-store",
            "Vary": "Authorization, Cookie, Accept",
        }
        found = self._counted(pieces())
        # What goes wrong with the first piece can still be told.
        return Streamed(_going_on(next(found, b""), found), headers)

    def _counted(self, pieces: Iterator[bytes]) -> Iterator[bytes]:
        mine = object()
        self._running.add(mine)
        try:
            yield from pieces
        finally:
            self._running.discard(mine)


def _going_on(first: bytes, others: Iterator[bytes]) -> Iterator[bytes]:
    yield first
    yield from others


# --- bringing in -------------------------------------------------------------------------------------


def _rows_of(request: Request, limits: Limits, query: Mapping[str, str]) -> Iterator[Row]:
    form = MEDIA.get(request.mimetype)
    if request.mimetype == ANY_FILE:
        form = _form_asked(query, None)
    if form is None:
        raise UnsupportedMedia(f"The file is of type {request.mimetype!r}. Send one of {', '.join(MEDIA)}.")
    body = file_of(request, limits)
    if form == "jsonl":
        return read_jsonl(body, limits)
    return read_csv(body) if form == "csv" else text_rows(read_sheet(body, limits.unpacked))


def _match_of(query: Mapping[str, str]) -> dict[str, str | None]:
    if "map" not in query:
        return {}
    try:
        found = read_json(query["map"].encode())
    except Malformed:
        found = None
    if not isinstance(found, dict) or not all(one is None or isinstance(one, str) for one in found.values()):
        raise Malformed('map must be a JSON object of columns and fields, such as {"Phone no.": "phone"}.')
    return found


def imported_json(found: Imported) -> dict[str, Any]:
    """What became of the rows, as answers show it."""
    names = {name: column for column, name in found.columns.items() if name is not None}
    problems = [
        {
            "row": one.row,
            "detail": one.detail,
            "cells": one.cells,
            "errors": [
                {**problem.as_json(), "column": names.get(problem.pointer[1:].partition("/")[0])}
                for problem in one.problems
            ],
        }
        for one in found.refused
    ]
    return {
        "done": found.done and not found.refused_count,
        "batch": found.batch if found.done else None,
        "rows": found.rows,
        "created": found.created,
        "updated": found.updated,
        "unchanged": found.unchanged,
        "refused": found.refused_count,
        "columns": [{"column": column, "field": name} for column, name in found.columns.items()],
        "unmatched": found.unmatched,
        "changes": found.shown,
        "problems": problems,
        "repeats": [{"row": one.row, "earlier": one.earlier} for one in found.repeats],
        "repeated": found.repeats_count,
    }


def body_limits(limits: Limits) -> Callable[[Mapping[str, Any]], int]:
    """How many bytes of a request's body are read, by its environ: more of a file than of all else."""

    def limit(environ: Mapping[str, Any]) -> int:
        within = environ["REQUEST_METHOD"] == "POST" and environ["PATH_INFO"].endswith("/import")
        return limits.file if within else limits.body

    return limit


def register(app: Flask, service: Service) -> None:
    """Adds the route by which rows are brought in."""

    def bring_in(collection: str) -> Answer:
        request = request_ctx.request
        caller = caller_of(request, service)
        service.resource(collection)
        query = query_of(request, *IMPORT_PARAMETERS)
        refuse_preconditions(request)
        mode = query.get("mode", "both")
        if mode not in MODES:
            raise Malformed(f"mode is {mode!r}. It must be one of {', '.join(MODES)}.")
        asked = ImportRequest(
            collection,
            _rows_of(request, service.limits, query),
            mode=mode,
            by=query.get("by"),
            match=_match_of(query),
            blank=blank_of(query),
            atomic=flag(query, "atomic"),
            preview=flag(query, "preview"),
            reason=reason_of(query),
            once=once_of(request, service.limits, file_of),
            batch=query.get("batch"),
        )
        found = import_rows(service, caller, asked)
        headers = {"Fenland-Repeated": "true"} if found.repeated else {}
        # Kept or not as a whole: where each is on its own, what was refused is part of the answer.
        status = 422 if asked.atomic and not asked.preview and found.refused_count else 200
        return json_answer(imported_json(found), status, headers)

    exports = Exports(service)

    def export(collection: str) -> Answer:
        request = request_ctx.request
        caller = caller_of(request, service)
        fields = service.resource(collection).collection.fields
        query, equal = query_and_fields(request, EXPORT_PARAMETERS, (*RESERVED, *fields))
        asked = ListRequest(
            collection=collection,
            filter=Filter(query.get("where", ""), without_blanks(query, equal)),
            wanted=Wanted(names_of(query, "fields")),
            q=query.get("q", ""),
            sort=query.get("sort", ""),
        )
        return exports.answer(caller, asked, _form_asked(query, form_accepted(request)))

    views: dict[str, tuple[str, str, Callable[..., Answer]]] = {
        "import": ("POST", IMPORT, bring_in),
        "export": ("GET", EXPORT, export),
    }
    for name, (method, rule, view) in views.items():
        app.add_url_rule(rule, name, view, methods=[method])
