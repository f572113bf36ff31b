"""Requests take turns: `storage/turn.py` says why."""

from __future__ import annotations

import io
from collections.abc import Callable, Iterable
from typing import Any

from fenland.storage.turn import Turn
from fenland.web.reading import BODY


def _read(stream: Any, most: int) -> bytes:
    """Up to `most` bytes; a stream gives what has arrived, so it is asked until it has no more."""
    pieces, left = [], most
    while left > 0 and (piece := stream.read(left)):
        pieces.append(piece)
        left -= len(piece)
    return b"".join(pieces)


class TakeTurns:
    """WSGI middleware: reads the body first, so that a slow sender holds nobody up, then takes a turn."""

    def __init__(self, app: Callable[..., Iterable[bytes]], turn: Turn, body_limit: int) -> None:
        self._app = app
        self._turn = turn
        self._limit = body_limit

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answers one request (PEP 3333)."""
        length = environ.get("CONTENT_LENGTH", "")
        chunked = not length and "HTTP_TRANSFER_ENCODING" in environ
        if chunked or (length.isdigit() and 0 < int(length) <= self._limit):
            # One byte over the limit is enough to refuse it.
            body = _read(environ["wsgi.input"], int(length) if length else self._limit + 1)
            environ["wsgi.input"], environ[BODY] = io.BytesIO(body), body
            environ["CONTENT_LENGTH"] = str(len(body))
            # It is no longer in chunks, and Flask would not look at its length if it said so.
            environ.pop("HTTP_TRANSFER_ENCODING", None)
        self._turn.take()
        try:
            return self._app(environ, start_response)
        finally:
            self._turn.give()
