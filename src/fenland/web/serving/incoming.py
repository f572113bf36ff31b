"""Requests in: what the server hands over, as the environment that the app reads (PEP 3333)."""

from __future__ import annotations

import re
import sys
from collections import Counter
from typing import Any

from fenland.web.http.environ import CAN_WAIT

Environ = dict[str, Any]

#: Where the name stands of a header that was sent and cannot be read.
UNREAD = "fenland.unread"


class Incoming:
    """Makes the environment of each request; its body comes to it later."""

    def __init__(self, prefix: str) -> None:
        """`prefix` is stripped from paths that begin with it, where a proxy leaves it in."""
        self._prefix = prefix
        #: Names of headers that came lately, as environments have them.
        self._names: dict[str, str] = {}
        self._template: Environ = {
            "SCRIPT_NAME": prefix,
            "SERVER_NAME": "127.0.0.1",
            "SERVER_PORT": "80",
            "SERVER_PROTOCOL": "HTTP/1.1",
            "wsgi.version": (1, 0),
            "wsgi.errors": sys.stderr,
            "wsgi.multithread": True,
            "wsgi.multiprocess": False,
            "wsgi.run_once": False,
            CAN_WAIT: True,
        }

    def environ(self, scope: Any) -> Environ:
        """The request as PEP 3333 has it."""
        environ = self._template.copy()
        path = scope.path
        # Some proxies take the prefix away, others leave it in.
        if (prefix := self._prefix) and (path == prefix or path.startswith(f"{prefix}/")):
            path = path[len(prefix) :] or "/"
        environ["REQUEST_METHOD"] = scope.method
        environ["PATH_INFO"] = path if path.isascii() else path.encode().decode("latin-1")
        environ["QUERY_STRING"] = scope.query_string
        environ["REMOTE_ADDR"] = scope.client
        environ["wsgi.url_scheme"] = scope.scheme
        names = self._names
        headers = scope.headers.items()
        for name, value in headers:
            key = names.get(name)
            if key is None:
                key = self._header_key(name)
            if key in environ:
                # Repeated headers are one list (RFC 9110 section 5.3).
                value = f"{environ[key]},{value}"
            environ[key] = value
        if len(all_names := scope.headers.keys()) != len(headers):
            # Of a value that is not ASCII nothing comes: that it was sent must not be forgotten.
            environ[UNREAD] = _left_over(all_names, headers)
        return environ

    def _header_key(self, name: str) -> str:
        key = name.upper().replace("-", "_")
        if key not in ("CONTENT_TYPE", "CONTENT_LENGTH"):
            key = "HTTP_" + key
        if len(self._names) < 200:
            self._names[name] = key
        return key


#: Headers that say what is to be done, or only if what holds, or by whom.
_HEEDED = re.compile(
    r"if-.*|idempotency-key|prefer|fenland-.*|x-http-method-override|content-.*|authorization|accept"
)


def _left_over(names: list[str], headers: list[tuple[str, str]]) -> str | None:
    """The first name, of those that matter, that stands more often among the names than the headers."""
    left = Counter(names) - Counter(name for name, _ in headers)
    return next((name for name in left if _HEEDED.fullmatch(name)), None)
