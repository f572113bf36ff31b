"""Lists and histories as files: CSV, JSON Lines or a spreadsheet, sent piece by piece as they are made."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import TYPE_CHECKING

from flask import Request

from fenland.core.changes.tabular import Form
from fenland.core.problems import Malformed, Unavailable
from fenland.service.files.exporting import export_records
from fenland.service.files.exporting_history import export_history
from fenland.service.history.searching import HistoryRequest
from fenland.service.records.listing import ListRequest
from fenland.web.http.answers import Answer
from fenland.web.http.body import MEDIA, STREAMED
from fenland.web.http.calls import Call

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIEnvironment

_TYPES: Mapping[Form, str] = {form: media for media, form in MEDIA.items()}

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


def form_accepted(request: Request) -> Form | None:
    """The kind of file that the request asks for in place of JSON, if it names one."""
    accept: str = request.environ.get("HTTP_ACCEPT", "")
    named = (part.partition(";")[0].strip().lower() for part in accept.split(","))
    return next((MEDIA[one] for one in named if one in MEDIA), None)


def list_file(call: Call, asked: ListRequest, form: Form) -> Answer:
    """The list as a file. Raises what is wrong with the request."""
    parts = (asked.cursor, asked.number, asked.count, asked.labels, asked.writable, asked.wanted.include)
    if any(part not in (None, False, ()) for part in parts):
        raise Malformed(
            "A file holds the whole list. What is for pages has no place: cursor, page, count, labels, …"
        )
    return streamed_file(
        call, asked.collection, form, lambda: export_records(call.service, call.caller, asked, form)
    )


def history_file(call: Call, asked: HistoryRequest, form: Form, after: int) -> Answer:
    """The history as a file. Raises what is wrong with the request."""
    if asked.below is not None:
        raise Malformed("A file goes on after a sequence, not below one. Send after.")
    return streamed_file(
        call, "history", form, lambda: export_history(call.service, call.caller, asked, form, after)
    )


def streamed_file(
    call: Call, name: str, form: Form, pieces: Callable[[], Iterator[bytes]], more: Mapping[str, str] = {}
) -> Answer:
    """A file, sent piece by piece. Raises `Unavailable` while too many are."""
    if len(call.common.sending) >= _MOST_EXPORTS:
        raise Unavailable("Too many files are being sent now. Send it again in a moment.")
    headers = {
        "Content-Type": _TYPES[form] + ("; charset=utf-8; header=present" if form == "csv" else ""),
        "Content-Disposition": f'attachment; filename="{name}.{form}"',
        "Cache-Control": "private, no-store",
        "Vary": "Authorization, Cookie, Accept",
        **more,
    }
    found = _counted(call.common.sending, pieces())
    # What goes wrong with the first piece can still be told.
    return Streamed(_going_on(next(found, b""), found), headers)


def _counted(sending: set[object], pieces: Iterator[bytes]) -> Iterator[bytes]:
    mine = object()
    sending.add(mine)
    try:
        yield from pieces
    finally:
        sending.discard(mine)


def _going_on(first: bytes, others: Iterator[bytes]) -> Iterator[bytes]:
    yield first
    yield from others
