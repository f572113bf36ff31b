"""The route of batches: reading their items, and answering with one result for each."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Flask, request

from fenland.core.edits import edits_from
from fenland.core.json_patch import json_patch_from
from fenland.core.limits import Limits, beyond
from fenland.core.names import did_you_mean
from fenland.core.patches import MergePatch, Patch, read_object
from fenland.core.problems import Invalid, Malformed, UnsupportedMedia
from fenland.core.validation import kind_of
from fenland.service.batch import Item, Outcome, Resolve, batch, read_action
from fenland.service.create import CreateRequest
from fenland.service.delete import DeleteRequest
from fenland.service.finding import Address, Preconditions, visible
from fenland.service.service import Service
from fenland.service.update import UpdateRequest
from fenland.web.answering import Answer, json_answer
from fenland.web.errors import KINDS
from fenland.web.reading import JSON, body_of, call_of, once_of, query_of

_MEMBERS = {
    "create": ("action", "collection", "fields", "as", "reason"),
    "update": ("action", "collection", "key", "fields", "edits", "patch", "if_match", "base", "reason"),
    "delete": ("action", "collection", "key", "if_match", "reason"),
}


def _checked(sent: Any) -> Mapping[str, Any]:
    """An item's members, each of a type that can be worked with."""
    if not isinstance(sent, dict):
        raise Malformed(f"An item must be an object, not {kind_of(sent)}.")
    members = _MEMBERS[read_action(sent)]
    for name in sent:
        if name not in members:
            raise Malformed(f"An item to {sent['action']} has no {name!r}. {did_you_mean(name, members)}")
    for name in ("collection", "as", "if_match", "reason"):
        if name in sent and not isinstance(sent[name], str):
            raise Malformed(f"{name} must be a text, not {kind_of(sent[name])}.")
    base = sent.get("base", 1)
    if isinstance(base, bool) or not isinstance(base, int):
        raise Malformed("base must be a version.")
    if "collection" not in sent or (sent["action"] != "create" and "key" not in sent):
        raise Malformed("An item needs a collection, and a key unless it creates.")
    return sent


def _patch(sent: Mapping[str, Any], fields: Any, limits: Limits) -> Patch:
    forms = [name for name in ("fields", "edits", "patch") if name in sent]
    if len(forms) != 1:
        raise Malformed("An update needs one of fields, edits and patch.")
    if forms[0] == "edits":
        return edits_from({"edits": sent["edits"]}, limits)
    if forms[0] == "patch":
        return json_patch_from(sent["patch"], limits)
    return MergePatch(_object(fields))


def _object(sent: Any) -> Mapping[str, Any]:
    if not isinstance(sent, dict):
        raise Malformed(f"fields must be an object, not {kind_of(sent)}.")
    return sent


def _item(service: Service, sent: Any) -> Item:
    """An item, read only when its turn comes, so that its mistakes are its own result."""

    def make(resolve: Resolve) -> CreateRequest | UpdateRequest | DeleteRequest:
        item = _checked(sent)
        collection = service.resource(item["collection"]).collection
        reason = item.get("reason")
        fields = resolve(collection, item.get("fields"))
        if item["action"] == "create":
            return CreateRequest(collection.name, lambda rules: _object(fields), reason=reason)
        address = Address(collection.name, str(resolve(collection, item["key"])))
        conditions = Preconditions((item["if_match"],) if "if_match" in item else None)
        if item["action"] == "delete":
            return DeleteRequest(address, conditions, reason=reason)
        return UpdateRequest(
            address,
            lambda rules: _patch(item, fields, service.limits),
            conditions,
            base=item.get("base"),
            reason=reason,
        )

    name = sent.get("as") if isinstance(sent, dict) else None
    return Item(make, name if isinstance(name, str) else None)


def _result(service: Service, outcome: Outcome) -> dict[str, Any]:
    if outcome.refusal is not None:
        kind = KINDS[outcome.refusal.code]
        found: dict[str, Any] = {
            "status": kind.status,
            "type": f"/problems/{outcome.refusal.code}",
            "title": kind.title,
            "detail": outcome.refusal.detail,
            **{name: value for name, value in outcome.refusal.extra.items() if name != "headers"},
        }
        if isinstance(outcome.refusal, Invalid):
            found["errors"] = [one.as_json() for one in outcome.refusal.problems]
        return found
    if outcome.saved is None:
        return {"status": 424, "detail": "Not done, because another item was refused."}
    record = visible(outcome.saved.record, service.resources[outcome.collection])
    status = 201 if outcome.created else 200
    return {"status": status, "etag": outcome.saved.etag, "record": record}


def register(app: Flask, service: Service) -> None:
    """Adds the route of batches."""

    @app.post("/v1/batch")
    def batches() -> Answer:
        query_of(request)
        call = call_of(request)
        service.authenticate(call)
        if request.mimetype != JSON:
            raise UnsupportedMedia(f"A batch must be of type {JSON}.")
        sent = read_object(body_of(request, service.limits), service.limits)
        items, atomic = sent.get("items"), sent.get("atomic", True)
        if not isinstance(items, list) or not isinstance(atomic, bool) or sent.keys() - {"items", "atomic"}:
            raise Malformed('The body must be {"items": [...], "atomic": true or false}.')
        if len(items) > service.limits.batch:
            raise beyond("batch_limit", service.limits.batch, f"The batch has {len(items)} items.")
        todo = [_item(service, one) for one in items]
        outcomes = batch(service, call, todo, atomic=atomic, asked=once_of(request, service.limits))
        results = [_result(service, one) for one in outcomes]
        done = not atomic or all(one["status"] < 300 for one in results)
        repeated = any(one.saved is not None and one.saved.repeated for one in outcomes)
        headers = {"Fenland-Repeated": "true"} if repeated else {}
        return json_answer({"done": done, "results": results}, 200 if done else 422, headers)
