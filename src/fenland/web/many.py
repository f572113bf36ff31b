"""Routes of many records by filter: PATCH and DELETE of a collection."""

from __future__ import annotations

from typing import Any

from flask import Flask, request

from fenland.core.reserved import RESERVED
from fenland.service.filtering import Filter
from fenland.service.many import Many, ManyRequest, change_many, preview_many
from fenland.service.service import Service
from fenland.web.answering import Answer, json_answer
from fenland.web.caller import caller_of
from fenland.web.errors import problem_json
from fenland.web.headers import once_of, prefers, prefix_of, refuse_preconditions
from fenland.web.order import InOrder
from fenland.web.patch_formats import coercing, patch_reader
from fenland.web.query import (
    PREFERENCES,
    blank_of,
    check_preferences,
    flag,
    names_of,
    query_and_fields,
    reason_of,
    whole_number,
)

#: What the query may hold, besides the names of fields.
PARAMETERS = ("where", "preview", "expect", "atomic", "blank", "clear", "reason", *PREFERENCES)


_NOTHING: tuple[dict[str, str], dict[str, tuple[str, ...]]] = ({}, {})


def _many_json(found: Many, prefix: str) -> dict[str, Any]:
    shown = [
        {"key": one["key"], "problem": problem_json(one["refusal"], prefix)} if "refusal" in one else one
        for one in found.shown
    ]
    counts = {"matched": found.matched, "changed": found.changed, "refused": found.refused}
    return {"done": found.done, "batch": found.batch, **counts, "records": shown}


def register(app: Flask, service: Service) -> None:
    """Adds the routes of many records."""

    def many(collection: str) -> Answer:
        caller, order = caller_of(request, service), InOrder()
        fields = service.resource(collection).collection.fields
        names = (*RESERVED, *fields)
        asked_by = order.read(lambda: query_and_fields(request, PARAMETERS, names), _NOTHING)
        query, equal = asked_by
        order.read(lambda: refuse_preconditions(request), None)
        order.read(lambda: check_preferences(query), None)
        deleting = request.method == "DELETE"
        once = order.read(lambda: once_of(request, service.limits), None)
        read_patch = None if deleting else patch_reader(request, service.limits, order)
        asked = ManyRequest(
            collection,
            Filter(query.get("where", ""), equal),
            None if read_patch is None else coercing(read_patch, query),
            blank=order.read(lambda: blank_of(query), None),
            clear=order.read(lambda: names_of(query, "clear"), ()),
            lenient=prefers(request, "handling=lenient"),
            reason=order.read(lambda: reason_of(query), None),
            expect=order.read(lambda: whole_number(query, "expect", None), None),
            atomic=order.read(lambda: query.get("atomic") is None or flag(query, "atomic"), True),
            once=once,
        )
        looking = order.read(lambda: flag(query, "preview"), False)
        order.check()
        found = (preview_many if looking else change_many)(service, caller, asked)
        headers = {"Fenland-Repeated": "true"} if found.repeated else {}
        status = 200 if found.done or looking else 422
        return json_answer(_many_json(found, prefix_of(request)), status, headers)

    rule = "/v1/records/<collection>"
    app.add_url_rule(rule, "change many", many, methods=["PATCH", "DELETE"])
