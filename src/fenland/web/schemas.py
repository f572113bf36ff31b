"""Routes of definitions: the collections, their JSON Schema, the form to create a record."""

from __future__ import annotations

from typing import Any

from flask import Flask, Response, request

from fenland.core.access import Sight
from fenland.core.definitions import Right
from fenland.core.edits import edits_schema
from fenland.core.problems import Malformed, NotPermitted
from fenland.core.schemas import collection_schema
from fenland.core.values import write_json
from fenland.service.accounts import manages
from fenland.service.choices import ChoicesRequest, list_choices
from fenland.service.explain import rules_of
from fenland.service.form import create_form
from fenland.service.listing import USUAL_PAGE
from fenland.service.service import Resource, Service
from fenland.web.answering import Answer, json_answer
from fenland.web.caller import caller_of
from fenland.web.edit_forms import form_json
from fenland.web.headers import prefix_of
from fenland.web.order import InOrder
from fenland.web.query import page_size, query_of, query_with
from fenland.web.routing import onward


class _Views:
    """The views, each named for what it answers with."""

    def __init__(self, service: Service) -> None:
        self.service = service

    def collections(self) -> Answer:
        caller = caller_of(request, self.service)
        sight = self.service.sight(caller)
        query_of(request)
        items = [
            _collection_json(resource, sight, prefix_of(request))
            for resource in self.service.resources.values()
        ]
        return json_answer({"items": items})

    def edits(self) -> Response:
        return Response(write_json(edits_schema(self.service.limits)), content_type="application/schema+json")

    def rules(self, collection: str) -> Answer:
        service, caller = self.service, caller_of(request, self.service)
        sight = service.sight(caller)
        policy = service.resource(collection).policy
        query_of(request)
        if not manages(service, caller) and not policy.ever("read", sight):
            raise NotPermitted("Only who may read records here can see who may do what with them.")
        return json_answer(rules_of(service, collection))

    def choices(self, collection: str, field: str) -> Answer:
        caller, order = caller_of(request, self.service), InOrder()
        query = order.query(request, "q", "limit", "cursor")
        limit = order.read(lambda: page_size(query), USUAL_PAGE)
        asked = ChoicesRequest(collection, field, query.get("q", ""), limit, query.get("cursor"))
        found = list_choices(self.service, caller, asked)
        order.check()
        following = None if found.next is None else query_with(query, cursor=found.next)
        return json_answer({"items": found.items, "next": found.next}, headers=onward(request, following))

    def schema(self, collection: str) -> Answer:
        service, caller = self.service, caller_of(request, self.service)
        resource = service.resource(collection)
        query = query_of(request, "for")
        purpose = query.get("for")
        if purpose == "create":
            return json_answer(form_json(create_form(service, caller, collection), prefix_of(request)))
        if purpose is not None:
            raise Malformed(f"for is {purpose!r}. It can only be create.")
        found = collection_schema(resource.policy.fields(service.sight(caller)))
        return json_answer(found, headers={"Content-Type": "application/schema+json"})


def _collection_json(resource: Resource, sight: Sight, prefix: str) -> dict[str, Any]:
    collection = resource.collection
    return {
        "name": collection.name,
        "title": collection.title,
        "singular": collection.singular,
        "description": collection.description,
        "key": collection.key,
        "naming": collection.naming,
        "owner": collection.owner,
        "searched": list(collection.searched),
        "indexed": list(collection.indexed),
        "if_match": collection.if_match,
        "may": {right: resource.policy.ever(right, sight) for right in _TOLD},
        "schema": f"{prefix}/v1/schemas/{collection.name}",
        "records": f"{prefix}/v1/records/{collection.name}",
    }


_TOLD: tuple[Right, ...] = ("read", "create", "update")


def register(app: Flask, service: Service) -> None:
    """Adds the routes of definitions."""
    views, one = _Views(service), "/v1/schemas/<collection>"
    app.add_url_rule("/v1/schemas", "schemas", views.collections, methods=["GET"])
    app.add_url_rule("/v1/edits.schema.json", "edits", views.edits, methods=["GET"])
    app.add_url_rule(one, "schema", views.schema, methods=["GET"])
    app.add_url_rule(f"{one}/access", "rules", views.rules, methods=["GET"])
    app.add_url_rule(f"{one}/choices/<field>", "choices", views.choices, methods=["GET"])
