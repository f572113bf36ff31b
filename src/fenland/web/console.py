"""Serves the built console: its page at every address that no route has, its files under /assets."""

from __future__ import annotations

from functools import lru_cache
from html import escape
from pathlib import Path

from flask import Flask, Request, Response, request, send_from_directory

BUILT = Path(__file__).with_name("console")

#: The console's components write their styles into the page, so inline styles must pass.
_POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
)


def register(app: Flask) -> None:
    """Adds the console's addresses."""

    @app.get("/assets/<path:name>")
    def asset(name: str) -> Response:
        # Their names carry a hash of their content, so they may be kept for good.
        return send_from_directory(BUILT / "assets", name, max_age=31_536_000)

    app.add_url_rule("/", "page", page, methods=["GET"])


def page() -> Response:
    """The one page of the console, which reads its address itself."""
    index = BUILT / "index.html"
    if not index.is_file():
        return Response("The console is not built. Build it with: make console\n", status=503)
    shown = _under(request.environ.get("SCRIPT_NAME", ""), index.stat().st_mtime_ns)
    answer = Response(shown, content_type="text/html; charset=utf-8")
    answer.headers["Cache-Control"] = "no-cache"
    answer.headers["Content-Security-Policy"] = _POLICY
    answer.headers["Referrer-Policy"] = "same-origin"
    answer.headers["X-Frame-Options"] = "DENY"
    answer.headers["Cross-Origin-Opener-Policy"] = "same-origin"
    answer.headers["Permissions-Policy"] = "camera=(), geolocation=(), microphone=()"
    answer.add_etag()
    answer.make_conditional(request)
    return answer


@lru_cache(4)
def _under(prefix: str, _built: int) -> str:
    """The page, told under which path it is reached: its addresses are relative to that."""
    base = f'<base href="{escape(prefix)}/" />'
    return (BUILT / "index.html").read_text(encoding="utf-8").replace("<head>", f"<head>{base}", 1)


def wants_page(request: Request) -> bool:
    """Whether an address that no route has is one of the console's own: asked for by a browser."""
    path = request.path
    return (
        request.method in ("GET", "HEAD")
        and "text/html" in request.headers.get("Accept", "")
        and not path.startswith(("/v1/", "/assets/", "/problems/", "/p/"))
        and "//" not in path
    )
