"""Logging: one structured line a request, and the request id that ties lines and answers together."""

from __future__ import annotations

import itertools
import logging
import os
import re
import sys
import time
from collections.abc import Callable, Iterable
from typing import Any

import orjson
import structlog

from fenland.service.settings import Settings

_REQUEST_ID = re.compile(r"[A-Za-z0-9._-]{1,64}")

Start = Callable[..., Any]


def configure(settings: Settings) -> None:
    """Sets structlog up for this process: JSON lines, or coloured text on a terminal."""
    shared: list[Any] = [
        structlog.contextvars.merge_contextvars,
        structlog.processors.add_log_level,
        structlog.processors.TimeStamper(fmt="iso", utc=True),
    ]
    factory: Any
    if settings.log_format == "json":
        shared += [
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(serializer=orjson.dumps),
        ]
        factory = structlog.BytesLoggerFactory(sys.stderr.buffer)
    else:
        plain = structlog.dev.plain_traceback
        shared.append(structlog.dev.ConsoleRenderer(colors=sys.stderr.isatty(), exception_formatter=plain))
        factory = structlog.PrintLoggerFactory(sys.stderr)
    level = getattr(logging, settings.log_level.upper())
    structlog.configure(
        processors=shared,
        wrapper_class=structlog.make_filtering_bound_logger(level),
        logger_factory=factory,
        cache_logger_on_first_use=True,
    )


class RequestLog:
    """WSGI middleware: gives each request its id and writes its line when the answer is made."""

    def __init__(self, app: Callable[..., Iterable[bytes]]) -> None:
        self._app = app
        # Bound once: what structlog hands out looks for its settings at each line.
        self._log = structlog.get_logger().bind()
        self._each = self._log.is_enabled_for(logging.INFO)
        self._process = os.urandom(5).hex()
        self._numbers = itertools.count(1)

    def _new_id(self) -> str:
        """One that no other process has, and none of this one."""
        return f"{self._process}{next(self._numbers):06x}"

    def __call__(self, environ: dict[str, Any], start_response: Start) -> Iterable[bytes]:
        """Answers one request (PEP 3333)."""
        started = time.perf_counter()
        sent = environ.get("HTTP_X_REQUEST_ID", "")
        request_id = sent if sent and _REQUEST_ID.fullmatch(sent) else self._new_id()
        environ["fenland.request_id"] = request_id

        def start(status: str, headers: list[tuple[str, str]], *rest: Any) -> Any:
            headers.append(("X-Request-ID", request_id))
            headers.append(("X-Content-Type-Options", "nosniff"))
            if self._each:
                self._log.info(
                    "request",
                    method=environ["REQUEST_METHOD"],
                    path=environ["PATH_INFO"],
                    status=int(status[:3]),
                    ms=round((time.perf_counter() - started) * 1000, 2),
                    request_id=request_id,
                )
            return start_response(status, headers, *rest)

        return self._app(environ, start)
