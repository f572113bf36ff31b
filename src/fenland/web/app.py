"""The Flask app: every route file registered, in the order a reader would look for them."""

from __future__ import annotations

from collections.abc import Callable, Iterable

from flask import Flask

from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.web import accounts, batch, console, errors, files, history, many, records, schemas, status
from fenland.web.lean import LeanFlask
from fenland.web.logs import RequestLog
from fenland.web.origins import Origins
from fenland.web.override import MethodOverride


def create_app(service: Service, settings: Settings) -> Flask:
    """The app over an open service."""
    app = LeanFlask("fenland", static_folder=None)
    app.config["MAX_FORM_MEMORY_SIZE"] = service.limits.body
    # Which of the two it may be, the routes see to.
    app.config["MAX_CONTENT_LENGTH"] = max(service.limits.body, service.limits.file)
    app.config["MAX_FORM_PARTS"] = service.limits.operations
    app.url_map.strict_slashes = False
    # An empty step names nothing: no redirect, which behind a proxy could lead anywhere.
    app.url_map.merge_slashes = False
    errors.register(app)
    records.register(app, service)
    many.register(app, service)
    batch.register(app, service)
    files.register(app, service)
    history.register(app, service, settings)
    schemas.register(app, service)
    accounts.register(app, service)
    status.register(app, service, settings)
    console.register(app)
    app.take_short_cuts()
    served: Callable[..., Iterable[bytes]] = MethodOverride(app.wsgi_app)
    if settings.allowed_origins:
        served = Origins(served, settings.allowed_origins)
    app.wsgi_app = RequestLog(served, service.limits.evaluation, settings.trusted_proxies)  # type: ignore[method-assign]
    return app
