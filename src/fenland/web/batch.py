"""The route of batches: reading their items, and answering with one result for each."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Flask, request

from fenland.core.definitions import Collection
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
from fenland.service.finding import UNCONDITIONAL, Address, Base, Preconditions, checked_reason, visible
from fenland.service.service import Service
from fenland.service.update import UpdateRequest
from fenland.web.answering import Answer, json_answer
from fenland.web.errors import KINDS, type_of
from fenland.web.reading import (
    JSON,
    base_of,
    body_of,
    call_of,
    check_coding,
    later,
    once_of,
    prefix_of,
    query_of,
)

_MEMBERS = {
    "create": ("action", "collection", "fields", "as", "reason"),
    "update": (
        "action", "collection", "key", "fields", "edits", "patch", "clear", "if_match", "base", "reason",
    ),
    "delete": ("action", "collection", "key", "if_match", "reason"),
}  # fmt: skip
_FORMS = ("fields", "edits", "patch")


def _checked(sent: Any) -> Mapping[str, Any]:
    """An item's members, each of a type that can be worked with."""
    if not isinstance(sent, dict):
        raise Malformed(f"An item must be an object, not {kind_of(sent)}.")
    members = _MEMBERS[read_action(sent)]
    for name in sent:
        if name not in members:
            raise Malformed(f"An item to {sent['action']} has no {name!r}. {did_you_mean(name, members)}")
    for name in ("collection", "as", "reason"):
        if name in sent and not isinstance(sent[name], str):
            raise Malformed(f"{name} must be a text, not {kind_of(sent[name])}.")
    for name in ("if_match", "clear"):
        texts = sent.get(name, ["x"])
        texts = [texts] if name == "if_match" and isinstance(texts, str) else texts
        if not isinstance(texts, list) or not texts or not all(isinstance(one, str) for one in texts):
            raise Malformed(f"{name} must be a list of texts.")
    if "collection" not in sent or (sent["action"] != "create" and "key" not in sent):
        raise Malformed("An item needs a collection, and a key unless it creates.")
    if "key" in sent:
        _check_key(sent["key"])
    checked_reason(sent.get("reason"))
    return sent


def _check_key(key: Any) -> None:
    named = isinstance(key, dict) and key.keys() == {"created"}
    if isinstance(key, bool) or not (named or isinstance(key, (str, int))):
        raise Malformed(f'key must be a text, a whole number or {{"created": NAME}}, not {kind_of(key)}.')


def _patch(sent: Mapping[str, Any], limits: Limits) -> Patch:
    forms = [name for name in _FORMS if name in sent]
    if len(forms) > 1 or not (forms or "clear" in sent):
        raise Malformed("An update needs one of fields, edits and patch.")
    if forms == ["edits"]:
        return edits_from({"edits": sent["edits"]}, limits)
    if forms == ["patch"]:
        return json_patch_from(sent["patch"], limits)
    return MergePatch(_object(sent.get("fields", {})))


def _object(sent: Any) -> Mapping[str, Any]:
    if not isinstance(sent, dict):
        raise Malformed(f"fields must be an object, not {kind_of(sent)}.")
    return sent


def _base(sent: Any) -> Base | None:
    if sent is None:
        return None
    if isinstance(sent, bool) or not isinstance(sent, (int, str)):
        raise Malformed("base must be a version, or an ETag.")
    return base_of({"base": str(sent)})


def _match(sent: Mapping[str, Any]) -> Preconditions:
    if "if_match" not in sent:
        return UNCONDITIONAL
    tags = sent["if_match"]
    return Preconditions(tuple(tags) if isinstance(tags, list) else (tags,))


def _item(service: Service, sent: Any) -> Item:
    """An item, read now as far as it can be; its mistakes are its own result, when its turn comes."""
    limits = service.limits
    checked = later(lambda: _checked(sent))
    patch = later(lambda: _patch(checked(), limits))
    base = later(lambda: _base(checked().get("base")))

    def make(resolve: Resolve) -> CreateRequest | UpdateRequest | DeleteRequest:
        item = checked()
        collection = service.resource(item["collection"]).collection
        reason = checked_reason(item.get("reason"))
        if item["action"] == "create":
            fields = resolve(collection, item.get("fields"))
            return CreateRequest(collection.name, lambda rules: _object(fields), reason=reason)
        address = Address(collection.name, str(resolve(collection, item["key"])))
        if item["action"] == "delete":
            return DeleteRequest(address, _match(item), reason=reason)
        return UpdateRequest(
            address,
            lambda rules: _resolved(patch(), collection, resolve),
            _match(item),
            base=base(),
            clear=tuple(item.get("clear", ())),
            reason=reason,
        )

    name = sent.get("as") if isinstance(sent, dict) else None
    return Item(make, name if isinstance(name, str) else None)


def _resolved(patch: Patch, collection: Collection, resolve: Resolve) -> Patch:
    return MergePatch(resolve(collection, patch.fields)) if isinstance(patch, MergePatch) else patch


def _result(service: Service, outcome: Outcome, prefix: str) -> dict[str, Any]:
    if outcome.refusal is not None:
        kind = KINDS[outcome.refusal.code]
        found: dict[str, Any] = {
            "status": kind.status,
            "type": type_of(outcome.refusal.code, prefix),
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
        call = call_of(request, service)
        if request.mimetype != JSON:
            raise UnsupportedMedia(f"A batch must be of type {JSON}.")
        check_coding(request)
        query_of(request)
        sent = read_object(body_of(request, service.limits), service.limits)
        items, atomic = sent.get("items"), sent.get("atomic", True)
        if not isinstance(items, list) or not isinstance(atomic, bool) or sent.keys() - {"items", "atomic"}:
            raise Malformed('The body must be {"items": [...], "atomic": true or false}.')
        if len(items) > service.limits.batch:
            raise beyond("batch_limit", service.limits.batch, f"The batch has {len(items)} items.")
        todo = [_item(service, one) for one in items]
        found = batch(service, call, todo, atomic=atomic, asked=once_of(request, service.limits))
        results = [_result(service, one, prefix_of(request)) for one in found.outcomes]
        done = not atomic or all(one["status"] < 300 for one in results)
        headers = {"Fenland-Repeated": "true"} if found.repeated else {}
        return json_answer({"done": done, "results": results}, 200 if done else 422, headers)
