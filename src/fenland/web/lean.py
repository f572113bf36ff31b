"""Flask without what no route here uses: sessions, hosts, and a search for the route asked for most.

At many requests a second these are a third of what Flask itself costs (docs/performance.md).
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, cast

from flask import Flask, Request, Response
from flask.sessions import NullSession, SessionInterface, SessionMixin
from werkzeug.routing import MapAdapter, Rule

from fenland.web.answering import Answer

#: Where most requests go, so that their rules are found without a search: a collection and one record.
RECORDS = "/v1/records/<collection>"
ONE_RECORD = "/v1/records/<collection>/<value>"


class _NoSessions(SessionInterface):
    """Nobody's session: callers are known by the token that each request carries."""

    _none = NullSession()

    def open_session(self, app: Flask, request: Request) -> SessionMixin:
        return self._none

    def is_null_session(self, obj: object) -> bool:
        return True


class _Adapter(MapAdapter):
    """Routes bound to a request, whose host is not looked at: no route and no link names one."""

    def __init__(self, app: LeanFlask, request: Request) -> None:
        query = request.environ.get("QUERY_STRING")
        super().__init__(app.url_map, "", "/", "", request.scheme, request.path, request.method, query)
        self._rules = app.record_rules

    def match(self, *args: Any, **options: Any) -> Any:
        """See `MapAdapter.match`; the addresses of records are read by hand."""
        parts = self.path_info.split("/")
        if 4 <= len(parts) <= 5 and parts[1] == "v1" and parts[2] == "records" and all(parts[3:]):
            template = RECORDS if len(parts) == 4 else ONE_RECORD
            rule = self._rules.get((template, self.default_method))
            if rule is not None and not args:
                return rule, dict(zip(("collection", "value"), parts[3:], strict=False))
        return super().match(*args, **options)


class LeanFlask(Flask):
    """Flask, as this service needs it."""

    session_interface = _NoSessions()

    #: The rules of `RECORDS` and `ONE_RECORD`, by template and method.
    record_rules: Mapping[tuple[str, str], Rule] = {}

    def know_record_rules(self) -> None:
        """Notes the rules of records, once all routes are registered."""
        rules = [rule for rule in self.url_map.iter_rules() if rule.rule in (RECORDS, ONE_RECORD)]
        self.record_rules = {
            (rule.rule, method): rule for rule in rules for method in rule.methods or () if method != "HEAD"
        }

    def create_url_adapter(self, request: Request | None) -> MapAdapter | None:
        """The routes for a request; see Flask."""
        return super().create_url_adapter(None) if request is None else _Adapter(self, request)

    def make_response(self, rv: Any) -> Response:
        """An `Answer` is passed on as it is; anything else is Flask's to make one of."""
        return cast(Response, rv) if type(rv) is Answer else super().make_response(rv)
