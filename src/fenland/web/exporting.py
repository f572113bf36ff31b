"""Lists and histories as files: CSV, JSON Lines or a spreadsheet, sent piece by piece as they are made."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import TYPE_CHECKING

from flask import Request

from fenland.core.access import Caller
from fenland.core.problems import Malformed, Unavailable
from fenland.core.tabular import Form
from fenland.service.exporting import export_records
from fenland.service.exporting_history import export_history
from fenland.service.listing import ListRequest
from fenland.service.searching import HistoryRequest
from fenland.service.service import Service
from fenland.web.answering import Answer
from fenland.web.body import MEDIA, STREAMED

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


class Exports:
    """Makes files of lists, so many at a time."""

    def __init__(self, service: Service) -> None:
        self._service = service
        self._running: set[object] = set()

    def records(self, caller: Caller, asked: ListRequest, form: Form) -> Answer:
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
