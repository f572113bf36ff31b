"""Routes of definitions: the collections, their JSON Schema, the form to create a record."""

from __future__ import annotations

from flask import Flask, Response, request

from fenland.core.access import Sight
from fenland.core.edits import edits_schema
from fenland.core.problems import Malformed, NotPermitted
from fenland.core.schemas import collection_schema
from fenland.core.values import write_json
from fenland.service.accounts import manages
from fenland.service.choices import ChoicesRequest, list_choices
from fenland.service.explain import rules_of
from fenland.service.form import create_form
from fenland.service.listing import USUAL_PAGE
from fenland.service.service import Service
from fenland.web.answering import Answer, json_answer
from fenland.web.caller import caller_of
from fenland.web.edit_forms import form_json
from fenland.web.headers import prefix_of
from fenland.web.order import InOrder
from fenland.web.query import page_size, query_of, query_with


def register(app: Flask, service: Service) -> None:
    """Adds the routes of definitions."""

    @app.get("/v1/schemas")
    def schemas() -> Answer:
        caller = caller_of(request, service)
        sight = Sight(caller, service.clock())
        query_of(request)
        items = [
            {
                "name": name,
                "title": resource.collection.title,
                "singular": resource.collection.singular,
                "description": resource.collection.description,
                "key": resource.collection.key,
                "naming": resource.collection.naming,
                "owner": resource.collection.owner,
                "searched": list(resource.collection.searched),
                "indexed": list(resource.collection.indexed),
                "if_match": resource.collection.if_match,
                "may": {
                    "read": resource.policy.ever("read", sight),
                    "create": resource.policy.ever("create", sight),
                },
                "schema": f"{prefix_of(request)}/v1/schemas/{name}",
                "records": f"{prefix_of(request)}/v1/records/{name}",
            }
            for name, resource in service.resources.items()
        ]
        return json_answer({"items": items})

    @app.get("/v1/edits.schema.json")
    def edits() -> Response:
        return Response(write_json(edits_schema(service.limits)), content_type="application/schema+json")

    @app.get("/v1/schemas/<collection>/access")
    def rules(collection: str) -> Answer:
        caller = caller_of(request, service)
        sight = Sight(caller, service.clock())
        policy = service.resource(collection).policy
        query_of(request)
        if not manages(service, caller) and not policy.ever("read", sight):
            raise NotPermitted("Only who may read records here can see who may do what with them.")
        return json_answer(rules_of(service, collection))

    @app.get("/v1/schemas/<collection>/choices/<field>")
    def choices(collection: str, field: str) -> Answer:
        caller, order = caller_of(request, service), InOrder()
        query = order.query(request, "q", "limit", "cursor")
        limit = order.read(lambda: page_size(query), USUAL_PAGE)
        asked = ChoicesRequest(collection, field, query.get("q", ""), limit, query.get("cursor"))
        found = list_choices(service, caller, asked)
        order.check()
        headers = {}
        if found.next is not None:
            here = f"{prefix_of(request)}/v1/schemas/{collection}/choices/{field}"
            headers["Link"] = f'<{here}?{query_with(query, cursor=found.next)}>; rel="next"'
        return json_answer({"items": found.items, "next": found.next}, headers=headers)

    @app.get("/v1/schemas/<collection>")
    def schema(collection: str) -> Answer:
        caller = caller_of(request, service)
        resource = service.resource(collection)
        query = query_of(request, "for")
        purpose = query.get("for")
        if purpose == "create":
            return json_answer(form_json(create_form(service, caller, collection), prefix_of(request)))
        if purpose is not None:
            raise Malformed(f"for is {purpose!r}. It can only be create.")
        found = collection_schema(resource.policy.fields(Sight(caller, service.clock())))
        return json_answer(found, headers={"Content-Type": "application/schema+json"})
