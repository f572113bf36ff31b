"""Flask without what no route here uses: hosts, signals, hooks around requests, most searches for a route.

At many requests a second these are a third of what Flask itself costs (docs/performance.md).
"""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from flask import Flask, Request
from werkzeug.routing import MapAdapter

from fenland.web.answering import Answer
from fenland.web.routing import ShortCuts

if TYPE_CHECKING:
    from _typeshed.wsgi import StartResponse, WSGIApplication, WSGIEnvironment


class _Adapter(MapAdapter):
    """Routes bound to a request, whose host is not looked at: no route and no link names one."""

    def __init__(self, app: LeanFlask, request: Request) -> None:
        query = request.environ.get("QUERY_STRING")
        super().__init__(app.url_map, "", "/", "", request.scheme, request.path, request.method, query)
        self._short_cuts = app.short_cuts

    def match(self, *args: Any, **options: Any) -> Any:
        """See `MapAdapter.match`."""
        if self._short_cuts is not None and not args and options == {"return_rule": True}:
            found = self._short_cuts.find(self.path_info, self.default_method)
            if found is not None:
                return found
        return super().match(*args, **options)


class LeanFlask(Flask):
    """Flask, as this service needs it."""

    short_cuts: ShortCuts | None = None

    def take_short_cuts(self) -> None:
        """Has routes found without a search where they can be, once all are registered."""
        self.short_cuts = ShortCuts(self.url_map)

    def create_url_adapter(self, request: Request | None) -> MapAdapter | None:
        """The routes for a request; see Flask."""
        return super().create_url_adapter(None) if request is None else _Adapter(self, request)

    def wsgi_app(self, environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        """Answers one request (PEP 3333)."""
        with self.request_context(environ):
            return self._answer()(environ, start_response)

    def _answer(self) -> WSGIApplication:
        """What answers the request: what its route gave, where that is an application already."""
        try:
            given = self.dispatch_request()
        except Exception as error:
            given = self.handle_user_exception(error)
        return given if isinstance(given, Answer) else self.make_response(given)
