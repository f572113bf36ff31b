"""Logging: one structured line a request, and the request id that ties lines and answers together."""

from __future__ import annotations

import ipaddress
import itertools
import logging
import os
import re
import sys
import time
from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

import orjson
import structlog

from fenland.core.expressions.budget import begin
from fenland.service.settings import Settings
from fenland.web.http.environ import ADDRESS, GONE, LATER, STARTED, about

_REQUEST_ID = re.compile(r"[A-Za-z0-9._-]{1,64}")

Start = Callable[..., Any]
Network = ipaddress.IPv4Network | ipaddress.IPv6Network


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


def client_address(peer: str, forwarded: str, trusted: Sequence[Network]) -> str:
    """The address of the client: the peer itself, or whom trusted proxies say they forward for.

    `forwarded` is X-Forwarded-For: each proxy adds whom it was asked by at the end, so it is read from there,
    as far as proxies are trusted.
    """
    address = peer
    for hop in reversed([*(part.strip() for part in forwarded.split(",")), peer]):
        try:
            found = ipaddress.ip_address(hop)
        except ValueError:
            break
        address = hop
        if not any(found in network for network in trusted):
            break
    return address


class RequestLog:
    """WSGI middleware: gives each request its id and its budget, and writes its line once it is answered."""

    def __init__(
        self, app: Callable[..., Iterable[bytes]], evaluation: int, trusted_proxies: Sequence[str] = ()
    ) -> None:
        """`evaluation` bounds the steps of one request's expressions."""
        self._app = app
        self._evaluation = evaluation
        self._trusted = [ipaddress.ip_network(one) for one in trusted_proxies]
        # Bound once: what structlog hands out looks for its settings at each line.
        self._log = structlog.get_logger().bind()
        self._each = self._log.is_enabled_for(logging.INFO)
        self._process = os.urandom(5).hex()
        self._numbers = itertools.count(1)

    def _new_id(self) -> str:
        """One that no other process has, and none of this one."""
        return f"{self._process}{next(self._numbers):06x}"

    def _address(self, environ: Mapping[str, Any]) -> str:
        peer: str = environ.get("REMOTE_ADDR", "")
        # The server tells the port, too; an address of IPv6 has colons of its own.
        host, _, port = peer.rpartition(":")
        peer = host.strip("[]") if host and port.isdigit() and ("]" in host or ":" not in host) else peer
        forwarded = environ.get("HTTP_X_FORWARDED_FOR") if self._trusted else None
        return client_address(peer, forwarded, self._trusted) if forwarded else peer

    def __call__(self, environ: dict[str, Any], start_response: Start) -> Iterable[bytes]:
        """Answers one request (PEP 3333)."""
        environ[STARTED] = started = time.perf_counter()
        begin(self._evaluation, environ.get(GONE))
        sent = environ.get("HTTP_X_REQUEST_ID", "")
        request_id = sent if sent and _REQUEST_ID.fullmatch(sent) else self._new_id()
        environ["fenland.request_id"] = request_id
        environ[ADDRESS] = self._address(environ)

        def start(status: str, headers: list[tuple[str, str]], *rest: Any) -> Any:
            headers.append(("X-Request-ID", request_id))
            headers.append(("X-Content-Type-Options", "nosniff"))
            if self._each and LATER not in environ:
                took = round((time.perf_counter() - started) * 1000, 2)
                self._log.info("request", status=int(status[:3]), ms=took, **about(environ))
            return start_response(status, headers, *rest)

        return self._app(environ, start)
