"""Requests in: what came on a connection, as the environment that the app reads (PEP 3333)."""

from __future__ import annotations

import re
import sys
from typing import Any
from urllib.parse import unquote_to_bytes

from fenland.web.http.environ import CAN_WAIT
from fenland.web.serving.http1 import Exchange

Environ = dict[str, Any]

#: Where the name stands of a header that was sent and cannot be read.
UNREAD = "fenland.unread"


class Incoming:
    """Makes the environment of each request; its body comes to it later."""

    def __init__(self, prefix: str) -> None:
        """`prefix` is stripped from paths that begin with it, where a proxy leaves it in."""
        self._prefix = prefix
        #: Names of headers that came lately, as environments have them.
        self._names: dict[bytes, str] = {}
        self._template: Environ = {
            "SCRIPT_NAME": prefix,
            "SERVER_NAME": "127.0.0.1",
            "SERVER_PORT": "80",
            "SERVER_PROTOCOL": "HTTP/1.1",
            "wsgi.url_scheme": "http",
            "wsgi.version": (1, 0),
            "wsgi.errors": sys.stderr,
            "wsgi.multithread": True,
            "wsgi.multiprocess": False,
            "wsgi.run_once": False,
            CAN_WAIT: True,
        }

    def environ(self, exchange: Exchange) -> Environ:
        """The request as PEP 3333 has it, but for its body."""
        environ = self._template.copy()
        path, _, query = exchange.url.partition(b"?")
        if not path.startswith(b"/"):
            # Proxies may send the whole address (RFC 9112 section 3.2.2).
            _, slash, rest = path.partition(b"://")[2].partition(b"/")
            path = slash + rest or b"/"
        if b"%" in path:
            path = unquote_to_bytes(path)
        text = path.decode("latin-1")
        # Some proxies take the prefix away, others leave it in.
        if (prefix := self._prefix) and (text == prefix or text.startswith(f"{prefix}/")):
            text = text[len(prefix) :] or "/"
        environ["REQUEST_METHOD"] = exchange.method
        environ["PATH_INFO"] = text
        environ["QUERY_STRING"] = query.decode("latin-1")
        environ["REMOTE_ADDR"] = exchange.peer
        names = self._names
        for name, value in exchange.headers:
            key = names.get(name)
            if key is None and (key := self._header_key(name)) is None:
                continue
            try:
                sent = value.decode("ascii")
            except UnicodeDecodeError:
                # That it was sent must not be forgotten, where it says what is to be done.
                if _HEEDED.fullmatch(name.decode().lower()):
                    environ[UNREAD] = name.decode()
                continue
            # Repeated headers are one list (RFC 9110 section 5.3).
            environ[key] = f"{environ[key]},{sent}" if key in environ else sent
        return environ

    def _header_key(self, name: bytes) -> str | None:
        """What environments call a header; None for one that could pass for another there."""
        if b"_" in name:
            return None
        key = name.decode("ascii").upper().replace("-", "_")
        if key not in ("CONTENT_TYPE", "CONTENT_LENGTH"):
            key = "HTTP_" + key
        if len(self._names) < 200:
            self._names[name] = key
        return key


#: Headers that say what is to be done, or only if what holds, or by whom.
_HEEDED = re.compile(
    r"if-.*|idempotency-key|prefer|fenland-.*|x-http-method-override|content-.*|authorization|accept|last-event-id"
)
