"""A WSGI app for comparing servers: a small PATCH that parses its body, and an event stream that stays open."""

from __future__ import annotations

import time
from collections.abc import Iterator

from flask import Flask, Response, jsonify, request

app = Flask(__name__)


@app.patch("/empty")
def empty() -> Response:
    request.get_json(force=True)
    return jsonify(ok=True)


@app.get("/stream")
def stream() -> Response:
    def events() -> Iterator[bytes]:
        while True:
            yield b": still here\n\n"
            time.sleep(5)

    return Response(events(), content_type="text/event-stream")
