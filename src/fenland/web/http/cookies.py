"""The cookie of a browser's session, and the proof that a change comes from a page that may use it.

A browser sends the cookie with requests of any page. So a change that it carries must come from our own
origin, or one that is named in the settings, by what the browser itself says of it (`Origin`,
`Sec-Fetch-Site`); and bring a text that only who can read our answers knows (`Fenland-CSRF`).
"""

from __future__ import annotations

import hashlib
import hmac
from collections.abc import Mapping
from http.cookies import CookieError, SimpleCookie
from typing import Any
from urllib.parse import urlsplit

from fenland.core.problems import NotPermitted
from fenland.service.ways_in import WaysIn

COOKIE = "fenland_session"
_SAFE = ("GET", "HEAD", "OPTIONS")


def session_of(environ: Mapping[str, Any]) -> str | None:
    """The secret of the session whose cookie came with a request, or None."""
    try:
        found = SimpleCookie(environ.get("HTTP_COOKIE", "")).get(COOKIE)
    except CookieError:
        return None
    return found.value if found is not None and found.value else None


def csrf_of(secret: str) -> str:
    """What a page must bring to change anything in this session."""
    return hashlib.sha256(f"csrf {secret}".encode()).hexdigest()[:32]


def set_cookie(ways_in: WaysIn, secret: str) -> str:
    """The header that gives a browser its session; an empty secret takes it away."""
    seconds = int(ways_in.session.total_seconds()) if secret else 0
    same_site = "None" if ways_in.across_sites else "Lax"
    parts = [f"{COOKIE}={secret}", f"Path={ways_in.path}", f"Max-Age={seconds}", "HttpOnly"]
    parts.append(f"SameSite={same_site}")
    return "; ".join([*parts, "Secure"] if ways_in.origin.startswith("https:") else parts)


def check_origin(environ: Mapping[str, Any], ways_in: WaysIn) -> None:
    """Raises `NotPermitted` for a request from a page of another origin, as far as the browser tells."""
    origin, site = environ.get("HTTP_ORIGIN"), environ.get("HTTP_SEC_FETCH_SITE")
    if origin is not None:
        own = (
            origin == ways_in.origin
            if ways_in.origin
            else urlsplit(origin).netloc == environ.get("HTTP_HOST")
        )
        allowed = own or origin.lower() in ways_in.others
    else:
        allowed = site in (None, "same-origin", "none")
    if not allowed:
        raise NotPermitted("Changes in a session can only be made by pages of this service.")


def check_proof(environ: Mapping[str, Any], ways_in: WaysIn, secret: str) -> None:
    """Raises `NotPermitted` for a change that a page of another origin may have sent."""
    if environ["REQUEST_METHOD"] in _SAFE:
        return
    check_origin(environ, ways_in)
    sent = environ.get("HTTP_FENLAND_CSRF", "")
    if not hmac.compare_digest(sent.encode("latin-1", "replace"), csrf_of(secret).encode()):
        raise NotPermitted("Changes in a session need the header Fenland-CSRF with csrf of GET /v1/session.")
