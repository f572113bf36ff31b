"""Routes of the service itself: who am I, the health check, and the OpenAPI document."""

from __future__ import annotations

from flask import Flask, Response

import fenland
from fenland.core.values import write_json
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.web.answering import JSON_TYPE
from fenland.web.openapi import document


def register(app: Flask, service: Service, settings: Settings) -> None:
    """Adds the routes of the service itself."""
    described = write_json(
        document(service.definitions, settings.title, service.limits, settings.public_address or "/")
    )

    @app.get("/healthz")
    def healthz() -> Response:
        service.database.check()
        body = {"status": "ok", "title": settings.title, "version": fenland.__version__}
        answer = Response(write_json(body), content_type=JSON_TYPE)
        answer.headers["Cache-Control"] = "no-store"
        return answer

    @app.get("/v1/openapi.json")
    def openapi() -> Response:
        return Response(described, content_type=JSON_TYPE, headers={"Cache-Control": "no-cache"})
