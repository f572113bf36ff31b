"""The Flask app: every route added, and what stands around all of them."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from functools import cache, lru_cache, partial
from itertools import zip_longest
from typing import Any

from flask import Flask, Request

from fenland.core.values.plain import write_json
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.web import console
from fenland.web.describing.simpler import Version, simpler
from fenland.web.document import document
from fenland.web.http import errors
from fenland.web.http.answers import Answer
from fenland.web.http.calls import Common
from fenland.web.http.patch_formats import ACCEPT_PATCH
from fenland.web.http.remembered import Remembered
from fenland.web.http.route import NUMBERS, RECORDS, Route
from fenland.web.outside import pages
from fenland.web.routes import ROUTES
from fenland.web.serving.compression import Compression
from fenland.web.serving.lean import LeanFlask
from fenland.web.serving.logs import RequestLog
from fenland.web.serving.origins import Origins
from fenland.web.serving.override import MethodOverride

#: Forms of the OpenAPI document that are kept, once they are made.
_DOCUMENTS = 64

#: What stands at each path, by method.
_PATHS: dict[str, list[Route]] = {}
for _route in ROUTES:
    _PATHS.setdefault(_route.path, []).append(_route)


def _add_routes(app: LeanFlask, service: Service, settings: Settings, *, ready: bool) -> None:
    """Adds every path, with what can be done there."""
    address = settings.public_address or "/"

    @lru_cache(_DOCUMENTS)
    def described(collection: str | None, version: Version, flat: bool) -> bytes:
        whole = document(service.definitions, settings.title, service.limits, address)
        return write_json(simpler(whole, collection, version, flat=flat))

    if ready:
        described(None, "3.1", False)
    common = Common(service, settings, described, Remembered(settings.list_memory))
    for path, routes in _PATHS.items():
        answering = {route.method: partial(route.answer, common) for route in routes}
        app.add_path(routes[0].rule, {**answering, "OPTIONS": partial(_tell_possible, path)})


def _tell_possible(path: str, _request: Request, _place: Mapping[str, Any]) -> Answer:
    return _possible(path)


@cache
def _possible(path: str) -> Answer:
    """What can be done at a path, and by which patch formats (RFC 5789 section 3.1)."""
    here = [route for route in ROUTES if _covers(route.path, path)]
    methods = {"OPTIONS", *(route.method for route in here)}
    allow = ", ".join(sorted(methods | ({"HEAD"} if "GET" in methods else set())))
    patched = any(route.method == "PATCH" and route.path.startswith(RECORDS) for route in here)
    return Answer(None, 204, {"Allow": allow, **({"Accept-Patch": ACCEPT_PATCH} if patched else {})})


def _covers(wider: str, path: str) -> bool:
    """Whether what is at a path can be at a wider one, too: a record may be called as a part of a path is."""
    return all(_takes(a, b) for a, b in zip_longest(wider.split("/"), path.split("/")))


def _takes(wider: str | None, segment: str | None) -> bool:
    """Whether a segment of a path can stand where one of a wider path does: no word is a number."""
    if wider is None or segment is None or not wider.startswith("{"):
        return wider == segment
    return segment.startswith("{") or wider[1:-1] not in NUMBERS


def create_app(service: Service, settings: Settings, *, ready: bool = False) -> Flask:
    """The app over an open service.

    `ready` is whether the document is made now, so that nobody has to wait while it is.
    """
    app = LeanFlask("fenland")
    app.config["MAX_FORM_MEMORY_SIZE"] = service.limits.body
    # Which of the two it may be, the routes see to.
    app.config["MAX_CONTENT_LENGTH"] = max(service.limits.body, service.limits.file)
    app.config["MAX_FORM_PARTS"] = service.limits.operations
    app.url_map.strict_slashes = False
    # An empty step names nothing: no redirect, which behind a proxy could lead anywhere.
    app.url_map.merge_slashes = False
    errors.register(app)
    console.register(app)
    pages.register(app, service, settings)
    _add_routes(app, service, settings, ready=ready)
    app.take_short_cuts()
    served: Callable[..., Iterable[bytes]] = MethodOverride(Compression(app.wsgi_app))
    if settings.allowed_origins:
        served = Origins(served, settings.allowed_origins)
    app.wsgi_app = RequestLog(served, service.limits.evaluation, settings.trusted_proxies)  # type: ignore[method-assign]
    return app
