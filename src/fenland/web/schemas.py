"""Routes of definitions: the collections, their JSON Schema, the form to create a record."""

from __future__ import annotations

from flask import Flask, Response, request

from fenland.core.access import Sight
from fenland.core.edits import edits_schema
from fenland.core.problems import Malformed
from fenland.core.schemas import collection_schema
from fenland.core.values import write_json
from fenland.service.form import create_form
from fenland.service.service import Service
from fenland.web.answering import Answer, json_answer
from fenland.web.caller import caller_of
from fenland.web.edit_forms import form_json
from fenland.web.headers import prefix_of
from fenland.web.query import query_of


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

    @app.get("/v1/schemas/<collection>")
    def schema(collection: str) -> Answer:
        caller = caller_of(request, service)
        resource = service.resource(collection)
        query = query_of(request, "for")
        purpose = query.get("for")
        if purpose == "create":
            return json_answer(form_json(create_form(service, caller, collection)))
        if purpose is not None:
            raise Malformed(f"for is {purpose!r}. It can only be create.")
        found = collection_schema(resource.policy.fields(Sight(caller, service.clock())))
        return json_answer(found, headers={"Content-Type": "application/schema+json"})
