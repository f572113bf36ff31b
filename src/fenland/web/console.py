"""Serves the built console: its page at every address that is not the API's, its files under /assets."""

from __future__ import annotations

from pathlib import Path

from flask import Flask, Response, request, send_from_directory

from fenland.web.errors import problem

BUILT = Path(__file__).with_name("console")

#: The console's components write their styles into the page, so inline styles must pass.
_POLICY = (
    "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:; "
    "frame-ancestors 'none'; base-uri 'none'; form-action 'self'"
)


def register(app: Flask) -> None:
    """Adds the console's addresses."""

    @app.get("/assets/<path:name>")
    def asset(name: str) -> Response:
        # Their names carry a hash of their content, so they may be kept for good.
        return send_from_directory(BUILT / "assets", name, max_age=31_536_000)

    @app.get("/")
    @app.get("/<path:anything>")
    def page(anything: str = "") -> Response:
        for_people = "text/html" in request.headers.get("Accept", "")
        if anything and (anything.startswith("v1/") or not for_people):
            return problem("not-found", f"There is nothing at /{anything}. See /v1/openapi.json.")
        if not (BUILT / "index.html").is_file():
            return Response("The console is not built. Build it with: make console\n", status=503)
        answer = send_from_directory(BUILT, "index.html", max_age=0)
        answer.headers["Content-Security-Policy"] = _POLICY
        answer.headers["X-Content-Type-Options"] = "nosniff"
        answer.headers["Referrer-Policy"] = "same-origin"
        return answer
