"""Routes of records: list, create, read, update, delete, history, form."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from urllib.parse import quote

from flask import Flask, Request
from flask.globals import request_ctx

from fenland.core.problems import Malformed
from fenland.core.reserved import RESERVED
from fenland.service.create import CreateRequest, create
from fenland.service.delete import DeleteRequest, delete
from fenland.service.explain import explain
from fenland.service.filtering import Filter
from fenland.service.finding import UNCONDITIONAL, Address
from fenland.service.form import edit_form
from fenland.service.including import Wanted
from fenland.service.listing import USUAL_PAGE, ListRequest, list_records
from fenland.service.listing_past import list_past
from fenland.service.past import NOW
from fenland.service.putting import PutRequest, put
from fenland.service.read import read, read_past
from fenland.service.saved import Saved
from fenland.service.service import Service
from fenland.service.update import UpdateRequest, preview, update
from fenland.web.answering import Answer, fresh_answer, json_answer, record_answer
from fenland.web.caller import caller_of
from fenland.web.edit_forms import form_json
from fenland.web.files import Exports, form_accepted
from fenland.web.headers import once_of, preconditions_of, prefers, prefix_of, refuse_preconditions
from fenland.web.order import InOrder
from fenland.web.patch_formats import (
    ACCEPT_PATCH,
    PatchReader,
    coercing,
    coercing_fields,
    fields_reader,
    patch_reader,
    replacement_reader,
)
from fenland.web.previews import preview_json
from fenland.web.query import (
    LIST_PARAMETERS,
    PREFERENCES,
    base_of,
    blank_of,
    check_preferences,
    flag,
    names_of,
    query_and_fields,
    query_with,
    reason_of,
    when_of,
    whole_number,
    without_blanks,
)
from fenland.web.routing import ONE_RECORD, RECORDS, onward

_NOTHING: dict[str, Any] = {}


def _asked_by(query: dict[str, str]) -> dict[str, Any]:
    """What the query of a change asks."""
    return {
        "base": base_of(query),
        "blank": blank_of(query),
        "clear": names_of(query, "clear"),
        "reason": reason_of(query),
    }


def _changing(order: InOrder, request: Request, *known: str) -> dict[str, str]:
    """The query of a change."""
    query = order.query(request, *known, *PREFERENCES)
    if query:
        order.read(lambda: check_preferences(query), None)
    return query


def _wanted_by(query: dict[str, str]) -> Wanted:
    return Wanted(names_of(query, "fields"), names_of(query, "include"))


class _Views:
    """The views, each named for its use case."""

    def __init__(self, service: Service) -> None:
        self.service = service
        self.exports = Exports(service)

    def list(self, request: Request, collection: str) -> Answer:
        caller = caller_of(request, self.service)
        fields = self.service.resource(collection).collection.fields
        query, equal = query_and_fields(request, LIST_PARAMETERS, (*RESERVED, *fields))
        asked = ListRequest(
            collection=collection,
            filter=Filter(query.get("where", ""), without_blanks(query, equal)),
            wanted=_wanted_by(query),
            q=query.get("q", ""),
            sort=query.get("sort", ""),
            limit=whole_number(query, "limit", USUAL_PAGE) or 0,
            cursor=query.get("cursor"),
            count=flag(query, "count"),
            labels=flag(query, "labels"),
        )
        when = when_of(query)
        if (form := form_accepted(request)) is not None:
            if when:
                raise Malformed("A file holds records as they are. Leave at out, or ask for JSON.")
            return self.exports.answer(caller, asked, form)
        if when.at is not None:
            listed = list_past(self.service, caller, asked, when.at)
        else:
            listed = list_records(self.service, caller, asked)
        body: dict[str, object] = {"items": listed.items, "next": listed.next}
        if listed.count is not None:
            body["count"] = listed.count
        if listed.labels is not None:
            body["labels"] = listed.labels
        if listed.included is not None:
            body["included"] = listed.included
        following = None if listed.next is None else query_with(query, equal, cursor=listed.next)
        return json_answer(body, headers=onward(request, following))

    def create(self, request: Request, collection: str) -> Answer:
        caller, order = caller_of(request, self.service), InOrder()
        query = _changing(order, request, "blank", "reason")
        order.read(lambda: refuse_preconditions(request), None)
        asked = CreateRequest(
            collection=collection,
            blank=order.read(lambda: blank_of(query), None),
            lenient=prefers(request, "handling=lenient"),
            reason=order.read(lambda: reason_of(query), None),
            once=order.read(lambda: once_of(request, self.service.limits), None),
            read_fields=coercing_fields(fields_reader(request, self.service.limits, order), query),
        )
        saved = create(self.service, caller, asked)
        return record_answer(request, saved, self._location(request, saved))

    def read(self, request: Request, collection: str, value: str, field: str | None = None) -> Answer:
        caller, order = caller_of(request, self.service), InOrder()
        address = Address(collection, value, field)
        if not request.environ.get("QUERY_STRING"):
            return fresh_answer(request, read(self.service, caller, address))
        query = order.query(request, "fields", "include", "version", "at")
        wanted = order.read(lambda: _wanted_by(query), Wanted())
        when = order.read(lambda: when_of(query), NOW)
        if when:
            found = read_past(self.service, caller, address, wanted, when)
        else:
            found = read(self.service, caller, address, wanted)
        order.check()
        return fresh_answer(request, found)

    def update(self, request: Request, collection: str, value: str, field: str | None = None) -> Answer:
        return self._update(request, Address(collection, value, field), patch_reader)

    def replace(self, request: Request, collection: str, value: str) -> Answer:
        return self._update(request, Address(collection, value), replacement_reader)

    def put(self, request: Request, collection: str, value: str, field: str) -> Answer:
        caller, order = caller_of(request, self.service), InOrder()
        query = _changing(order, request, "blank", "reason", "base")
        asked = PutRequest(
            address=Address(collection, value, field),
            read_fields=coercing_fields(fields_reader(request, self.service.limits, order), query),
            preconditions=order.read(lambda: preconditions_of(request), UNCONDITIONAL),
            base=order.read(lambda: base_of(query), None),
            blank=order.read(lambda: blank_of(query), None),
            lenient=prefers(request, "handling=lenient"),
            reason=order.read(lambda: reason_of(query), None),
            once=order.read(lambda: once_of(request, self.service.limits), None),
        )
        found = put(self.service, caller, asked)
        location = self._location(request, found.saved) if found.created else None
        return record_answer(request, found.saved, location)

    def _location(self, request: Request, saved: Saved) -> str:
        """Where a record is that was created."""
        resource = self.service.resources[saved.collection]
        key = quote(str(saved.record[resource.collection.key]), safe="")
        return f"{prefix_of(request)}/v1/records/{saved.collection}/{key}"

    def _update(
        self, request: Request, address: Address, reader: PatchReader, *, looking: bool = False
    ) -> Answer:
        caller, order = caller_of(request, self.service), InOrder()
        query = _changing(order, request, "blank", "reason", "base", "preview", "clear")
        looking = looking or (bool(query) and order.read(lambda: flag(query, "preview"), False))
        asked = UpdateRequest(
            address=address,
            preconditions=order.read(lambda: preconditions_of(request), UNCONDITIONAL),
            lenient=prefers(request, "handling=lenient"),
            once=order.read(lambda: once_of(request, self.service.limits), None),
            # Most changes say no more than that.
            **(order.read(lambda: _asked_by(query), _NOTHING) if query else _NOTHING),
            read_patch=coercing(reader(request, self.service.limits, order), query),
        )
        if looking:
            return json_answer(preview_json(preview(self.service, caller, asked)))
        saved = update(self.service, caller, asked)
        return record_answer(request, saved)

    def preview(self, request: Request, collection: str, value: str) -> Answer:
        return self._update(request, Address(collection, value), patch_reader, looking=True)

    def delete(self, request: Request, collection: str, value: str, field: str | None = None) -> Answer:
        caller, order = caller_of(request, self.service), InOrder()
        query = _changing(order, request, "reason", "base")
        asked = DeleteRequest(
            base=order.read(lambda: base_of(query), None),
            address=Address(collection, value, field),
            preconditions=order.read(lambda: preconditions_of(request), UNCONDITIONAL),
            reason=order.read(lambda: reason_of(query), None),
            once=order.read(lambda: once_of(request, self.service.limits), None),
            check=order.check,
        )
        saved = delete(self.service, caller, asked)
        return record_answer(request, saved)

    def access(self, request: Request, collection: str, value: str) -> Answer:
        caller, order = caller_of(request, self.service), InOrder()
        query = order.query(request, "account")
        found = explain(self.service, caller, Address(collection, value), query.get("account"))
        order.check()
        return json_answer(found)

    def form(self, request: Request, collection: str, value: str) -> Answer:
        caller, order = caller_of(request, self.service), InOrder()
        query = order.query(request, "version", "at")
        form = edit_form(
            self.service, caller, Address(collection, value), order.read(lambda: when_of(query), NOW)
        )
        order.check()
        headers = {"ETag": form.saved.etag, "Accept-Patch": ACCEPT_PATCH} if form.saved else {}
        return json_answer(form_json(form, prefix_of(request)), headers=headers)


_METHODS = "GET, HEAD, PATCH, PUT, DELETE, OPTIONS"


def _options(request: Request, **_: str) -> Answer:
    """What can be done with a record, and by which patch formats (RFC 5789 section 3.1)."""
    return Answer(None, 204, {"Allow": _METHODS, "Accept-Patch": ACCEPT_PATCH})


def _handed(view: Callable[..., Answer]) -> Callable[..., Answer]:
    """The view, handed the request itself: each look through Flask's stand-in for it costs."""
    return lambda **place: view(request_ctx.request, **place)


def register(app: Flask, service: Service) -> None:
    """Adds the routes of records."""
    views = _Views(service)
    # A path, since the value of a unique field may hold a slash.
    by = "/v1/records/<collection>/by/<field>/<path:value>"
    app.add_url_rule(RECORDS, "list", _handed(views.list), methods=["GET"])
    app.add_url_rule(RECORDS, "create", _handed(views.create), methods=["POST"])
    handlers: dict[str, tuple[Callable[..., Answer], str]] = {
        "read": (views.read, "GET"),
        "update": (views.update, "PATCH"),
        "delete": (views.delete, "DELETE"),
        "options": (_options, "OPTIONS"),
    }
    for suffix, rule in (("", ONE_RECORD), (" by", by)):
        for name, (handler, method) in handlers.items():
            app.add_url_rule(
                rule, name + suffix, _handed(handler), methods=[method], provide_automatic_options=False
            )
    for rule, name, replacing in ((ONE_RECORD, "replace", views.replace), (by, "put", views.put)):
        app.add_url_rule(rule, name, _handed(replacing), methods=["PUT"], provide_automatic_options=False)
    app.add_url_rule(f"{ONE_RECORD}/preview", "preview", _handed(views.preview), methods=["POST"])
    app.add_url_rule(f"{ONE_RECORD}/access", "access", _handed(views.access), methods=["GET"])
    app.add_url_rule(f"{ONE_RECORD}/form", "form", _handed(views.form), methods=["GET"])
