"""Short cuts to routes find what Flask's own search finds, for any path and method."""

from __future__ import annotations

from typing import Any

import pytest
from flask import Flask
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from werkzeug.exceptions import HTTPException
from werkzeug.routing import Map, Rule
from werkzeug.routing.exceptions import RoutingException

from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.web.serving.app import create_app
from fenland.web.serving.lean import LeanFlask
from fenland.web.serving.routing import ShortCuts

WORDS = st.sampled_from(
    [
        "v1",
        "records",
        "schemas",
        "by",
        "preview",
        "history",
        "form",
        "batch",
        "session",
        "problems",
        "healthz",
    ]
) | st.sampled_from(
    ["", ".", "..", "tools", "a b", "é", "x;y", "<value>", "openapi.json", "edits.schema.json"]
)
PATHS = st.one_of(
    st.lists(WORDS, max_size=8),
    st.lists(WORDS, min_size=1, max_size=5).map(lambda rest: ["v1", "records", *rest]),
    st.lists(WORDS, max_size=2).map(lambda rest: ["v1", *rest]),
).map(lambda parts: "/" + "/".join(parts))
METHODS = st.sampled_from(["GET", "HEAD", "POST", "PUT", "PATCH", "DELETE", "OPTIONS", "TRACE", "get"])


@pytest.fixture
def app(service: Service) -> LeanFlask:
    found = create_app(service, Settings())
    assert isinstance(found, LeanFlask) and found.short_cuts is not None
    return found


def _found(app: Flask, path: str, method: str) -> Any:
    adapter = app.create_url_adapter(app.request_class({"PATH_INFO": path, "REQUEST_METHOD": method, "wsgi.url_scheme": "http", "SERVER_NAME": "x", "SERVER_PORT": "80"}))  # fmt: skip
    assert adapter is not None
    try:
        rule, values = adapter.match(return_rule=True)
    except (HTTPException, RoutingException) as error:
        return type(error), getattr(error, "valid_methods", None), getattr(error, "new_url", None)
    return rule.endpoint, values


@settings(max_examples=1500, deadline=None, suppress_health_check=list(HealthCheck))
@given(path=PATHS, method=METHODS)
def test_short_cuts_find_what_the_search_finds(app: LeanFlask, path: str, method: str) -> None:
    short, cuts = _found(app, path, method), app.short_cuts
    app.short_cuts = None
    searched = _found(app, path, method)
    app.short_cuts = cuts
    assert short == searched


@pytest.mark.parametrize(
    "path",
    ["/v1/records/tools", "/v1/records/tools/T1", "/v1/records/tools/T1/history", "/v1/session", "/healthz", "/v1/schemas/tools"],
)  # fmt: skip
def test_what_is_asked_for_most_needs_no_search(app: LeanFlask, path: str) -> None:
    assert app.short_cuts is not None
    assert app.short_cuts.find(path, "GET") is not None


def test_rules_that_are_not_plain_are_left_to_the_search() -> None:
    rules = [Rule("/a/<int:n>"), Rule("/b/<x>-<y>"), Rule("/c/<path:rest>"), Rule("/d", redirect_to="/e"), Rule("/f", defaults={"n": 1})]  # fmt: skip
    cuts = ShortCuts(Map(rules))
    for path in ("/a/1", "/b/1-2", "/c/1", "/d", "/f"):
        assert cuts.find(path, "GET") is None
