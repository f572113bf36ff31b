"""Flask without what no route here uses: hosts, signals, hooks, contexts, most searches.

At many requests a second these are most of what Flask itself costs (docs/performance.md). Routes are handed
the request, and ask for nothing that Flask keeps for the current one; where something does, such as the
answer for an error, the context is made then.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import TYPE_CHECKING, Any

from flask import Flask, Request
from flask.globals import request_ctx
from werkzeug.routing import MapAdapter, Rule

from fenland.web.http.answers import Answer
from fenland.web.serving.routing import ShortCuts

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


class _Rule(Rule):
    """A rule that addresses are matched with; none are built from it, since preparing that takes long."""

    def _compile_builder(self, append_unknown: bool = True) -> Callable[..., tuple[str, str]]:  # noqa: ARG002
        return _build_nothing


def _build_nothing(**_place: str) -> tuple[str, str]:
    raise LookupError("No address is built from a rule.")


#: Answers a request, by what stands in the open places of its path.
Answering = Callable[[Request, Mapping[str, Any]], Answer]


class LeanFlask(Flask):
    """Flask, as this service needs it."""

    url_rule_class = _Rule
    short_cuts: ShortCuts | None = None

    def __init__(self, name: str) -> None:
        super().__init__(name, static_folder=None)
        #: By the endpoint of a rule, what answers there by each method.
        self._answering: dict[str, Mapping[str, Answering]] = {}

    def add_path(self, rule: str, answering: Mapping[str, Answering]) -> None:
        """Adds a path, with what answers there by each method; that is handed the request itself."""
        if "GET" in answering:
            answering = {"HEAD": answering["GET"], **answering}
        self._answering[rule] = answering

        def view(**place: Any) -> Answer:
            request = request_ctx.request
            return answering[request.method](request, place)

        self.add_url_rule(rule, rule, view, methods=[*answering], provide_automatic_options=False)

    def take_short_cuts(self) -> None:
        """Has routes found without a search where they can be, once all are registered."""
        self.short_cuts = ShortCuts(self.url_map)

    def create_url_adapter(self, request: Request | None) -> MapAdapter | None:
        """The routes for a request; see Flask."""
        return super().create_url_adapter(None) if request is None else _Adapter(self, request)

    def wsgi_app(self, environ: WSGIEnvironment, start_response: StartResponse) -> Iterable[bytes]:
        """Answers one request (PEP 3333)."""
        return (self._straight(environ) or self._within_context(environ))(environ, start_response)

    def _straight(self, environ: WSGIEnvironment) -> WSGIApplication | None:
        """What answers a request whose route is found without a search; None for any other."""
        request = self.request_class(environ)
        # Outside a context nobody else tells the request what the app bounds.
        request.max_content_length = self.config["MAX_CONTENT_LENGTH"]
        found = None if self.short_cuts is None else self.short_cuts.find(request.path, request.method)
        answering = None if found is None else self._answering.get(found[0].endpoint)
        if found is None or answering is None:
            return None
        try:
            return answering[request.method](request, found[1])
        except Exception as error:
            with self.request_context(environ):
                return self.make_response(self.handle_user_exception(error))

    def _within_context(self, environ: WSGIEnvironment) -> WSGIApplication:
        with self.request_context(environ):
            return self._answer()

    def _answer(self) -> WSGIApplication:
        """What answers the request: what its route gave, where that is an application already."""
        try:
            given = self.dispatch_request()
        except Exception as error:
            given = self.handle_user_exception(error)
        return given if isinstance(given, Answer) else self.make_response(given)
