"""Routes of the service itself: the health check, and the OpenAPI document."""

from __future__ import annotations

import fenland
from fenland.core.problems import Malformed
from fenland.web.http import parameters as p
from fenland.web.http.answers import JSON_TYPE, Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route
from fenland.web.http.schemas import OPEN


def _health(call: Call) -> Answer:
    call.service.database.check()
    body = {"status": "ok", "title": call.common.settings.title, "version": fenland.__version__}
    return json_answer(body, headers={"Cache-Control": "no-store"})


def _openapi(call: Call) -> Answer:
    collection = call.get(p.OF_COLLECTION)
    if collection is not None:
        call.service.resource(collection)
    elif call.get(p.FLAT):
        raise Malformed("flat is for the document of one collection. Name it: collection=…")
    text = call.common.described(collection, call.get(p.OPENAPI), call.get(p.FLAT))
    return Answer(text, 200, {"Content-Type": JSON_TYPE, "Cache-Control": "no-cache"})


ROUTES: tuple[Route, ...] = (
    Route(
        "GET", "/healthz", "readHealth", "Whether the service is well", _health,
        answers={200: Reply("It is.", "Health")}, signed_in="no",
    ),
    Route(
        "GET", "/v1/openapi.json", "readOpenapi", "This document", _openapi,
        (p.OF_COLLECTION, p.OPENAPI, p.FLAT), {200: Reply("It.", OPEN)}, signed_in="no",
        description="Of one collection, in an older version, without references: for importers that need it.",
    ),
)  # fmt: skip
