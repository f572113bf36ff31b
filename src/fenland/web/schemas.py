"""Routes of definitions: the collections, their JSON Schema, the form to create, who may do what."""

from __future__ import annotations

from typing import Any

from fenland.core.access.policy import Sight
from fenland.core.access.schemas import collection_schema
from fenland.core.changes.edits import edits_schema
from fenland.core.definitions.model import RIGHTS, Right
from fenland.core.definitions.schema import definition_schema
from fenland.core.problems import NotPermitted
from fenland.service.accounts.accounts import manages
from fenland.service.forms.choices import ChoicesRequest, chosen_fields, list_choices
from fenland.service.forms.explain import consequences_in, rules_of
from fenland.service.forms.form import create_form
from fenland.service.records.filtering import has_ends
from fenland.service.service import Resource
from fenland.service.work import snapshot
from fenland.web.describing.calls import Told, calls_of
from fenland.web.edit_forms import form_json
from fenland.web.http import parameters as p
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route
from fenland.web.http.schemas import FLAG, LINK, OPEN, TEXT, closed

_TOLD: tuple[Right, ...] = ("read", "create", "update", "delete", "pass", "review")
_SCHEMA = "application/schema+json"


def _collections(call: Call) -> Answer:
    sight = call.service.sight(call.caller)
    found = [_collection_json(one, sight, call.prefix) for one in call.service.resources.values()]
    return json_answer({"items": found})


def _collection_json(resource: Resource, sight: Sight, prefix: str) -> dict[str, Any]:
    collection, hidden = resource.collection, resource.policy.fields(sight).hidden
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
        "views": collection.views,
        "references": {
            name: item.references
            for name, item in collection.fields.items()
            if item.references is not None and name not in hidden
        },
        "may": {right: resource.policy.ever(right, sight) for right in _TOLD},
        "passes": _templates_json(resource, sight),
        "schema": f"{prefix}/v1/schemas/{collection.name}",
        "records": f"{prefix}/v1/records/{collection.name}",
    }


def _templates_json(resource: Resource, sight: Sight) -> list[dict[str, Any]]:
    """What passes can be made of, for who may hand any out."""
    if not resource.policy.ever("pass", sight):
        return []
    templates = resource.collection.passes.values()
    return [{"name": one.name, "title": one.title, "lists": one.lists, "days": one.days} for one in templates]


def _edits(call: Call) -> Answer:
    return json_answer(edits_schema(call.limits), headers={"Content-Type": _SCHEMA})


def _definitions(_call: Call) -> Answer:
    return json_answer(definition_schema(), headers={"Content-Type": _SCHEMA})


def _rules(call: Call) -> Answer:
    service, policy = call.service, call.service.resource(call.collection).policy
    call.check()
    if not manages(service, call.caller) and not policy.ever("read", service.sight(call.caller)):
        raise NotPermitted("Only who may read records here can see who may do what with them.")
    return json_answer(rules_of(service, call.collection))


def _consequences(call: Call) -> Answer:
    service, policy = call.service, call.service.resource(call.collection).policy
    call.check()
    if not policy.ever("read", service.sight(call.caller)):
        raise NotPermitted("Only who may read records here can see what follows from changes.")
    with snapshot(service) as view:
        told, unseen = consequences_in(view, call.caller, call.collection)
    return json_answer({"items": [one.as_json() for one in told], "unseen": unseen})


def _calls(call: Call) -> Answer:
    service, resource = call.service, call.service.resource(call.collection)
    call.check()
    sight, policy = service.sight(call.caller), resource.policy
    may = frozenset(right for right in RIGHTS if policy.ever(right, sight))
    collection, access = resource.collection, policy.fields(sight)
    shown = [item for name, item in collection.fields.items() if name not in access.hidden]
    told = Told(
        collection=collection,
        address=call.outside,
        may=may,
        new=tuple(policy.fields(sight, creating=True).settable),
        changed=tuple(access.settable),
        chosen=tuple(chosen_fields(resource, access)),
        filtered=tuple(item.name for item in shown if item.enum or item.references or has_ends(item)),
    )
    return json_answer({"items": calls_of(told)})


def _choices(call: Call) -> Answer:
    asked = ChoicesRequest(
        call.collection, call.place["field"], call.get(p.Q), call.get(p.LIMIT), call.get(p.CURSOR)
    )
    found = list_choices(call.service, call.caller, asked)
    call.check()
    onward = None if found.next is None else call.onward(cursor=found.next)
    return json_answer({"items": found.items, "next": found.next}, headers=onward)


def _schema(call: Call) -> Answer:
    service, resource = call.service, call.service.resource(call.collection)
    call.check()
    if call.get(p.PURPOSE) == "create":
        return json_answer(form_json(create_form(service, call.caller, call.collection), call.prefix))
    found = collection_schema(resource.policy.fields(service.sight(call.caller)))
    return json_answer(found, headers={"Content-Type": _SCHEMA})


def _mistakes(call: Call) -> Answer:
    mistakes = call.service.mistakes
    told = "" if mistakes is None else mistakes.told
    return json_answer({"watched": mistakes is not None, "told": told}, headers={"Cache-Control": "no-store"})


_ONE = "/v1/schemas/{collection}"
_MISTAKES = closed(
    {
        "watched": {**FLAG, "description": "Whether the service is begun anew when a file is saved."},
        "told": {**TEXT, "description": "What is wrong, for people; empty while nothing is."},
    }
)

ROUTES: tuple[Route, ...] = (
    Route(
        "GET", "/v1/schemas", "listCollections", "The collections there are", _collections,
        answers={200: Reply("The collections.", "Collections")},
    ),
    Route(
        "GET", _ONE, "readSchema", "The JSON Schema of a collection for this caller", _schema, (p.PURPOSE,),
        {200: Reply("Its JSON Schema, or the form to create.", OPEN, also={_SCHEMA: OPEN})},
        ("not-permitted",), late=True,
    ),
    Route(
        "GET", f"{_ONE}/access", "readRules", "Who may do what with records, by role", _rules,
        answers={200: Reply("Rights and fields, by role.", "AccessMatrix")}, problems=("not-permitted",),
        late=True,
    ),
    Route(
        "GET", f"{_ONE}/consequences", "listConsequences", "What follows from changes, and in its fields",
        _consequences, answers={200: Reply("What follows, one by one.", "Consequences")},
        problems=("not-permitted",), late=True,
    ),
    Route(
        "GET", f"{_ONE}/calls", "listCalls", "Calls to copy into tools that know little more than an address",
        _calls, answers={200: Reply("The calls.", "Calls")}, late=True,
        description="For what this caller may: an address, headers and a body for each thing to do.",
    ),
    Route(
        "GET", f"{_ONE}/choices/{{field}}", "listChoices", "What a field may hold, searched", _choices,
        (p.Q, p.LIMIT, p.CURSOR), {200: Reply("A page of choices.", "ChoicePage", LINK)}, ("not-permitted",),
        late=True,
    ),
    Route(
        "GET", "/v1/definitions/mistakes", "readMistakes", "What is wrong with the definitions as saved",
        _mistakes, answers={200: Reply("What is.", _MISTAKES)}, noted=False,
        description="Where fenland start --reload watches them: the service goes on with what it had.",
    ),
    Route(
        "GET", "/v1/edits.schema.json", "readEditsSchema", "The JSON Schema of edits", _edits,
        answers={200: Reply("The schema.", OPEN, types=(_SCHEMA,))}, signed_in="no",
    ),
    Route(
        "GET", "/v1/definitions.schema.json", "readDefinitionsSchema",
        "The JSON Schema of the files that describe record types, for editors", _definitions,
        answers={200: Reply("The schema.", OPEN, types=(_SCHEMA,))}, signed_in="no",
    ),
)  # fmt: skip
