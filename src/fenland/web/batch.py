"""The route of batches: reading their items, and answering with one result for each."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from fenland.core.changes.patches import NOTHING, MergePatch, Patch, read_object
from fenland.core.definitions.model import Collection
from fenland.core.definitions.validation import kind_of
from fenland.core.limits import Limits, beyond
from fenland.core.names import did_you_mean
from fenland.core.problems import Malformed, UnsupportedMedia
from fenland.service.changes.finding import UNCONDITIONAL, Address, Base, Preconditions, checked_reason
from fenland.service.records.batch import Item, Resolve, Result, batch, preview_batch, read_action
from fenland.service.records.create import CreateRequest
from fenland.service.records.delete import DeleteRequest
from fenland.service.records.putting import PutRequest
from fenland.service.records.update import UpdateRequest
from fenland.service.service import Service
from fenland.web.describing.contents import one_body
from fenland.web.http import parameters as p
from fenland.web.http.answers import REPEATED, Answer, json_answer
from fenland.web.http.body import JSON, body_of, check_coding
from fenland.web.http.calls import Call, ahead, later
from fenland.web.http.errors import PROBLEM, problem_json
from fenland.web.http.patch_formats import ACCEPT_PATCH, MEMBERS, fields_of
from fenland.web.http.replies import Reply
from fenland.web.http.route import Route

_NAMED = ("action", "collection", "key")
_ALLOWED = {
    "create": ("action", "collection", "fields", "as", "reason"),
    "update": (*_NAMED, *MEMBERS, "clear", "if_match", "base", "reason"),
    "delete": (*_NAMED, "if_match", "base", "reason"),
    "put": ("action", "collection", "by", "value", "fields", "if_match", "if_none_match", "as", "reason"),
}


def _checked(sent: Any) -> Mapping[str, Any]:
    """An item's members, each of a type that can be worked with."""
    if not isinstance(sent, dict):
        raise Malformed(f"An item must be an object, not {kind_of(sent)}.")
    members = _ALLOWED[read_action(sent)]
    for name in sent:
        if name not in members:
            raise Malformed(f"An item to {sent['action']} has no {name!r}. {did_you_mean(name, members)}")
    for name in ("collection", "as", "reason", "by"):
        if name in sent and not isinstance(sent[name], str):
            raise Malformed(f"{name} must be a text, not {kind_of(sent[name])}.")
    for name in ("if_match", "if_none_match", "clear"):
        texts = sent.get(name, ["x"])
        texts = [texts] if name != "clear" and isinstance(texts, str) else texts
        if not isinstance(texts, list) or not texts or not all(isinstance(one, str) for one in texts):
            raise Malformed(f"{name} must be a list of texts.")
    if "collection" not in sent or (sent["action"] in ("update", "delete") and "key" not in sent):
        raise Malformed("An item needs a collection, and a key where it updates or deletes.")
    if sent["action"] == "put":
        if "by" not in sent or "value" not in sent:
            raise Malformed("An item to put needs by, the name of a unique field, and its value.")
        _check_key(sent["value"])
    if "key" in sent:
        _check_key(sent["key"])
    checked_reason(sent.get("reason"))
    return sent


def _check_key(key: Any) -> None:
    named = isinstance(key, dict) and key.keys() == {"created"}
    if isinstance(key, bool) or not (named or isinstance(key, (str, int))):
        raise Malformed(f'key must be a text, a whole number or {{"created": NAME}}, not {kind_of(key)}.')


def _patch(sent: Mapping[str, Any], limits: Limits) -> Patch:
    found = [name for name in MEMBERS if name in sent]
    if len(found) > 1 or not (found or "clear" in sent):
        *others, last = MEMBERS
        raise Malformed(f"An update needs one of {', '.join(others)} and {last}.")
    return MEMBERS[found[0]].read(sent[found[0]], limits) if found else MergePatch({})


def _base(sent: Any) -> Base | None:
    if sent is None:
        return None
    if isinstance(sent, bool) or not isinstance(sent, (int, str)):
        raise Malformed("base must be a version, or an ETag.")
    return p.base("base", str(sent))


def _match(sent: Mapping[str, Any]) -> Preconditions:
    if "if_match" not in sent and "if_none_match" not in sent:
        return UNCONDITIONAL
    return Preconditions(_tags(sent.get("if_match")), _tags(sent.get("if_none_match")))


def _tags(sent: Any) -> tuple[str, ...] | None:
    return None if sent is None else tuple(sent) if isinstance(sent, list) else (sent,)


def _item(service: Service, sent: Any) -> Item:
    """An item, read now as far as it can be; its mistakes are its own result, when it is carried out."""
    limits = service.limits
    checked = later(lambda: _checked(sent))
    patch = later(lambda: _patch(checked(), limits))
    base = later(lambda: _base(checked().get("base")))

    def make(resolve: Resolve) -> CreateRequest | UpdateRequest | DeleteRequest | PutRequest:
        item = checked()
        collection = service.resource(item["collection"]).collection
        reason = checked_reason(item.get("reason"))

        def fields() -> Mapping[str, Any]:
            return fields_of(resolve(collection, item.get("fields")))

        nothing: Mapping[str, Any] = {}
        if item["action"] == "create":
            given, check = ahead(fields, nothing)
            return CreateRequest(collection.name, given, reason=reason, check=check)
        if item["action"] == "put":
            given, check = ahead(fields, nothing)
            put_at = Address(collection.name, str(resolve(collection, item["value"])), item["by"])
            return PutRequest(put_at, given, _match(item), reason=reason, check=check)
        address = Address(collection.name, str(resolve(collection, item["key"])))
        if item["action"] == "delete":
            return DeleteRequest(address, _match(item), reason=reason, base=base())
        changed, check = ahead(lambda: _resolved(patch(), collection, resolve), NOTHING)
        return UpdateRequest(
            address,
            changed,
            _match(item),
            base=base(),
            clear=tuple(item.get("clear", ())),
            reason=reason,
            check=check,
        )

    name = sent.get("as") if isinstance(sent, dict) else None
    return Item(make, name if isinstance(name, str) else None)


def _resolved(patch: Patch, collection: Collection, resolve: Resolve) -> Patch:
    return MergePatch(resolve(collection, patch.fields)) if isinstance(patch, MergePatch) else patch


def _result(result: Result, prefix: str, *, minimal: bool) -> dict[str, Any]:
    if result.refusal is not None:
        return problem_json(result.refusal, prefix)
    if result.saved is None:
        return {"status": 424, "detail": "Not done, because another item was refused."}
    status = 201 if result.created else 200
    if result.saved.unseen:
        # Done, and not theirs to see any more.
        return {"status": status if result.created else 204, "record": result.saved.record}
    if minimal:
        return {"status": status, "etag": result.saved.etag}
    return {"status": status, "etag": result.saved.etag, "record": result.saved.record}


def _batch(call: Call) -> Answer:
    request, service = call.request, call.service
    if request.mimetype != JSON:
        raise UnsupportedMedia(f"A batch must be of type {JSON}.")
    check_coding(request, ACCEPT_PATCH)
    call.check()
    sent = read_object(body_of(request, call.limits), call.limits)
    items, atomic = sent.get("items"), sent.get("atomic", True)
    if not isinstance(items, list) or not isinstance(atomic, bool) or sent.keys() - {"items", "atomic"}:
        raise Malformed('The body must be {"items": [...], "atomic": true or false}.')
    if len(items) > service.limits.batch:
        raise beyond("batch_limit", service.limits.batch, f"The batch has {len(items)} items.")
    todo, once = [_item(service, one) for one in items], call.once()
    call.check()
    minimal = call.minimal
    if call.get(p.PREVIEW):
        looked = preview_batch(service, call.caller, todo)
        call.items = [*zip(items, looked, strict=True)]
        results = [_result(one, call.prefix, minimal=minimal) for one in looked]
        return json_answer({"done": False, "batch": None, "results": results})
    found = batch(service, call.caller, todo, atomic=atomic, asked=once)
    call.items = [*zip(items, found.results, strict=True)]
    results = [_result(one, call.prefix, minimal=minimal) for one in found.results]
    done = not atomic or all(one["status"] < 300 for one in results)
    headers = dict(REPEATED) if found.repeated else {}
    if minimal:
        headers["Preference-Applied"] = "return=minimal"
    return json_answer(
        {"done": done, "batch": found.batch if done else None, "results": results},
        200 if done else 422,
        headers,
    )


_EXAMPLE = {"items": [{"action": "delete", "collection": "tickets", "key": "T-0001", "reason": "twice"}]}

ROUTES: tuple[Route, ...] = (
    Route(
        "POST", "/v1/batch", "batch", "Several creates, updates and deletes at once", _batch,
        (p.PREVIEW, p.ONCE, p.CLIENT, p.PREFER, p.RETURN),
        {200: Reply("A result for each item.", "BatchResults"),
         422: Reply("A broken all-or-nothing batch, with a result for each item; or a key used before.",
                    "BatchResults", also={PROBLEM: "Problem"})},
        ("unsupported-media",), one_body("Batch", example=_EXAMPLE), late=True,
    ),
)  # fmt: skip
