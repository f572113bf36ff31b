"""Compressed answers (RFC 9110 section 8.4), to clients that take them: zstd, or else gzip.

Only what is read, is of a kilobyte or more, and is text of ours: records, their past, definitions, the
console. Nothing about accounts, sessions and tokens: and nothing that a page elsewhere asked for, since what
it asks for may show in the answer, and how well that compresses would tell it of what stands beside.
"""

from __future__ import annotations

import zlib
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import lru_cache
from typing import Any, Protocol

import zstandard
from werkzeug.datastructures import Accept
from werkzeug.http import parse_accept_header

from fenland.core.values.identity import CODINGS, coded_tag, uncoded_tag
from fenland.web.http.body import STREAMED

Start = Callable[..., Any]

#: Bytes from which on it pays.
_LEAST = 1_000
#: What is compressed, by how its media type begins.
_TYPES = (
    "application/json", "application/jsonl", "application/schema+json", "application/cloudevents",
    "application/openapi", "application/javascript", "image/svg+xml", "text/html", "text/css", "text/csv",
    "text/javascript", "text/markdown", "text/plain",
)  # fmt: skip
#: Addresses under which nothing is.
_NEVER = ("/v1/session", "/v1/tokens", "/v1/accounts")
#: What browsers say of requests that another origin's page sent.
_ELSEWHERE = ("cross-site", "same-site")
#: How hard gzip tries: more takes much longer, and gains little.
_GZIP_LEVEL, _GZIP_WINDOW = 3, 31


class Coder(Protocol):
    """Compresses what comes piece by piece."""

    def compress(self, data: bytes, /) -> bytes:
        """What is ready of it."""

    def flush(self) -> bytes:
        """The rest."""


def _gzip() -> Coder:
    return zlib.compressobj(_GZIP_LEVEL, zlib.DEFLATED, _GZIP_WINDOW)


def _zstd() -> Coder:
    return zstandard.ZstdCompressor().compressobj()


CODERS: Mapping[str, Callable[[], Coder]] = dict(zip(CODINGS, (_zstd, _gzip), strict=True))


@lru_cache(maxsize=200)
def chosen(accepted: str) -> str | None:
    """The coding that Accept-Encoding takes, if it is one of ours."""
    found = parse_accept_header(accepted, Accept)
    qualities = {name: found.quality(name) for name in CODERS}
    best = max(CODERS, key=qualities.__getitem__)
    return best if qualities[best] > 0 else None


class Compression:
    """WSGI middleware (PEP 3333)."""

    def __init__(self, app: Callable[..., Iterable[bytes]]) -> None:
        self._app = app

    def __call__(self, environ: dict[str, Any], start_response: Start) -> Iterable[bytes]:
        """Answers one request."""
        path: str = environ["PATH_INFO"]
        # What cannot tell where it was asked from is no browser, or asks from our own page.
        elsewhere = "HTTP_ORIGIN" in environ or environ.get("HTTP_SEC_FETCH_SITE") in (
            "cross-site",
            "same-site",
        )
        if environ["REQUEST_METHOD"] != "GET" or elsewhere or path.startswith(_NEVER):
            return self._app(environ, start_response)
        # Whoever compares them, such as Flask for files, knows those that it gave.
        if "HTTP_IF_NONE_MATCH" in environ:
            environ["HTTP_IF_NONE_MATCH"] = uncoded_tag(environ["HTTP_IF_NONE_MATCH"])
        name = chosen(environ.get("HTTP_ACCEPT_ENCODING", ""))
        begun: list[Coder] = []

        def start(status: str, headers: list[tuple[str, str]], *rest: Any) -> Any:
            if status.startswith("200") and _pays(headers):
                _set(headers, "Vary", lambda old: f"{old}, Accept-Encoding" if old else "Accept-Encoding")
                if name is not None:
                    begun.append(CODERS[name]())
                    headers[:] = [one for one in headers if one[0] != "Content-Length"]
                    headers.append(("Content-Encoding", name))
                    _set(headers, "ETag", lambda old: coded_tag(old, name))
            return start_response(status, headers, *rest)

        pieces = self._app(environ, start)
        if not begun:
            return pieces
        if STREAMED in environ:
            return _Compressed(pieces, begun[0])
        return [b"".join(_coded(pieces, begun[0]))]


def _pays(headers: list[tuple[str, str]]) -> bool:
    found = {name.lower(): value for name, value in headers}
    if "content-encoding" in found or not found.get("content-type", "").startswith(_TYPES):
        return False
    length = found.get("content-length")
    return length is None or int(length) >= _LEAST


def _set(headers: list[tuple[str, str]], name: str, change: Callable[[str], str]) -> None:
    """Changes a header; one that is not there is added, where it is to be."""
    for place, (one, value) in enumerate(headers):
        if one == name:
            headers[place] = (one, change(value))
            return
    if value := change(""):
        headers.append((name, value))


def _coded(pieces: Iterable[bytes], coder: Coder) -> Iterator[bytes]:
    try:
        for piece in pieces:
            yield coder.compress(piece)
        yield coder.flush()
    finally:
        if (close := getattr(pieces, "close", None)) is not None:
            close()


class _Compressed:
    """Pieces as they come, compressed; to be closed by whoever does not take all of them."""

    def __init__(self, pieces: Iterable[bytes], coder: Coder) -> None:
        self._pieces, self._coded = pieces, _coded(pieces, coder)

    def __iter__(self) -> Iterator[bytes]:
        return self

    def __next__(self) -> bytes:
        return next(self._coded)

    def close(self) -> None:
        """Ends what makes them, begun or not."""
        self._coded.close()  # type: ignore[attr-defined]
        if (close := getattr(self._pieces, "close", None)) is not None:
            close()
