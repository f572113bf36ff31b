"""Routes of the history: search, undo, proofs; and of one record its past, its proof, its erasure."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any
from urllib.parse import quote

from flask import Flask, Request
from flask.globals import request_ctx

from fenland.core.problems import Malformed, NotFound
from fenland.core.values import read_json
from fenland.service.copies import names_of
from fenland.service.erasing import EraseRequest, erase
from fenland.service.finding import UNCONDITIONAL, Address
from fenland.service.past import NOW
from fenland.service.proving import (
    consistency,
    entry_proof,
    evidence,
    head_json,
    kept_heads,
    key_set,
    newest_head,
    record_proof,
)
from fenland.service.restoring import RestoreRequest, restore
from fenland.service.restoring import preview as preview_restoring
from fenland.service.searching import EQUAL, Entries, HistoryRequest, entry_of, search
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.service.timeline import Asked, Timeline, timeline
from fenland.service.tracing import activity, difference
from fenland.service.undoing import Undoing, UndoRequest, undo
from fenland.web.answering import Answer, json_answer, record_answer
from fenland.web.body import body_of
from fenland.web.caller import caller_of
from fenland.web.errors import problem_json
from fenland.web.files import Exports, form_accepted
from fenland.web.headers import once_of, preconditions_of, prefix_of, refuse_preconditions
from fenland.web.order import InOrder
from fenland.web.previews import preview_json
from fenland.web.query import (
    PREFERENCES,
    base_of,
    check_preferences,
    flag,
    moment_of,
    page_size,
    query_of,
    query_with,
    reason_of,
    when_of,
    whole_number,
)
from fenland.web.routing import ONE_RECORD, onward

HISTORY = "/v1/history"
#: The header that names files which hold still what was erased.
COPIES = "Fenland-Copies"
#: What the query of a search may hold.
SEARCH_PARAMETERS = (*EQUAL, "field", "reason", "from", "to", "where", "below", "limit")


def undone_json(found: Undoing, prefix: str, *, preview: bool) -> dict[str, Any]:
    """What became of what was to be undone."""
    items = [
        {
            "sequence": one.sequence,
            "collection": one.collection,
            "key": one.key,
            "did": one.did,
            "version": one.version,
            "changes": one.changes,
            **({} if one.refusal is None else {"problem": problem_json(one.refusal, prefix)}),
        }
        for one in found.items
    ]
    return {
        "done": found.done,
        "preview": preview,
        "undone": found.undone,
        "refused": found.refused,
        "left": found.left,
        "unseen": found.unseen,
        "batch": found.batch,
        "items": items,
    }


def object_of(request: Request, service: Service, known: tuple[str, ...]) -> dict[str, Any]:
    """The JSON object that a request holds; an empty body is one without members. Raises `Malformed`."""
    body = body_of(request, service.limits)
    if not body:
        return {}
    sent = read_json(body, service.limits)
    if not isinstance(sent, dict):
        raise Malformed("The body must be a JSON object.")
    for name in sent:
        if name not in known:
            raise Malformed(f"The body holds {name[:80]!r}. It may hold {', '.join(known)}.")
    return sent


def _check_sequence(sequence: int) -> None:
    """Raises `NotFound` for a number that no entry can have."""
    if not 0 < sequence < 2**62:
        raise NotFound(f"There is no entry {str(sequence)[:40]}.")


def _text(sent: Mapping[str, Any], name: str) -> str | None:
    value = sent.get(name)
    if name in sent and not isinstance(value, str):
        raise Malformed(f"{name} must be a text.")
    return value


def _flag(sent: Mapping[str, Any], name: str, default: bool) -> bool:
    value = sent.get(name, default)
    if not isinstance(value, bool):
        raise Malformed(f"{name} must be true or false.")
    return value


def _page_answer(request: Request, query: Mapping[str, str], found: Entries | Timeline) -> Answer:
    body = {
        "items": found.items,
        "next": found.next,
        "labels": found.labels,
        "people": found.people,
        "archived": found.archived,
    }
    below = None if found.next is None else query_with(query, below=found.next)
    return json_answer(body, headers=onward(request, below))


class _Views:
    """The views, each named for its use case."""

    def __init__(self, service: Service, settings: Settings) -> None:
        self.service, self.settings = service, settings
        self.exports = Exports(service)

    # --- of everything ------------------------------------------------------------------------------

    def search(self, request: Request) -> Answer:
        caller = caller_of(request, self.service)
        form = form_accepted(request)
        query = query_of(request, *SEARCH_PARAMETERS, "after")
        asked = HistoryRequest(
            where=query.get("where", ""),
            equal={name: query[name] for name in EQUAL if name in query},
            field=query.get("field"),
            reason=query.get("reason"),
            since=moment_of(query, "from"),
            until=moment_of(query, "to"),
            below=whole_number(query, "below", None),
            limit=page_size(query),
        )
        after = whole_number(query, "after", None)
        if form is not None:
            return self.exports.history(caller, asked, form, after or 0)
        if after is not None:
            raise Malformed("after is for exports, which are oldest first. Pages go on with below.")
        found = search(self.service, caller, asked)
        return _page_answer(request, query, found)

    def activity(self, request: Request) -> Answer:
        caller = caller_of(request, self.service)
        query = query_of(request, "from", "to", "by", "collection", "actor")
        by = query.get("by", "collection")
        if by not in ("collection", "actor"):
            raise Malformed("by must be collection or actor.")
        since, until = moment_of(query, "from"), moment_of(query, "to")
        equal: dict[str, str] = {name: query[name] for name in ("collection", "actor") if name in query}
        return json_answer(
            activity(self.service, caller, HistoryRequest(equal=equal, since=since, until=until), by)
        )

    def entry(self, request: Request, sequence: int) -> Answer:
        caller = caller_of(request, self.service)
        _check_sequence(sequence)
        query_of(request)
        return json_answer(entry_of(self.service, caller, sequence))

    def undo_one(self, request: Request, sequence: int) -> Answer:
        caller_of(request, self.service)
        _check_sequence(sequence)
        return self._undo(request, sequence)

    def undo_many(self, request: Request) -> Answer:
        return self._undo(request, None)

    def _undo(self, request: Request, sequence: int | None) -> Answer:
        caller = caller_of(request, self.service)
        query = query_of(request, "preview", "reason")
        refuse_preconditions(request)
        known = ("atomic",) if sequence is not None else ("batch", "actor", "from", "to", "atomic")
        sent = object_of(request, self.service, known)
        preview = flag(query, "preview")
        times = {name: _text(sent, name) for name in ("from", "to")}
        given = {name: value for name, value in times.items() if value is not None}
        asked = UndoRequest(
            sequence=sequence,
            batch=_text(sent, "batch"),
            actor=_text(sent, "actor"),
            since=moment_of(given, "from"),
            until=moment_of(given, "to"),
            atomic=_flag(sent, "atomic", True),
            preview=preview,
            reason=reason_of(query),
            once=once_of(request, self.service.limits),
        )
        found = undo(self.service, caller, asked)
        body = undone_json(found, prefix_of(request), preview=preview)
        status = 409 if not found.done and not preview else 200
        return json_answer(body, status, {"Fenland-Repeated": "true"} if found.repeated else {})

    # --- proofs --------------------------------------------------------------------------------------

    def head(self, request: Request) -> Answer:
        caller_of(request, self.service)
        query_of(request)
        return json_answer(head_json(newest_head(self.service)))

    def heads(self, request: Request) -> Answer:
        caller = caller_of(request, self.service)
        query = query_of(request, "below", "limit")
        limit = page_size(query)
        found = kept_heads(self.service, caller, below=whole_number(query, "below", None), limit=limit)
        onward = found[-1].size if len(found) == limit else None
        return json_answer({"items": [head_json(one) for one in found], "next": onward})

    def keys(self, request: Request) -> Answer:
        query_of(request)
        return json_answer(key_set(self.service))

    def consistency(self, request: Request) -> Answer:
        caller = caller_of(request, self.service)
        query = query_of(request, "from", "to")
        older = whole_number(query, "from", None)
        if older is None:
            raise Malformed("from is missing. Send the size of an older head.")
        return json_answer(consistency(self.service, caller, older, whole_number(query, "to", None)))

    def entry_proof(self, request: Request, sequence: int) -> Answer:
        caller = caller_of(request, self.service)
        _check_sequence(sequence)
        query = query_of(request, "size")
        return json_answer(entry_proof(self.service, caller, sequence, whole_number(query, "size", None)))

    # --- of one record ---------------------------------------------------------------------------------

    def timeline(self, request: Request, address: Address) -> Answer:
        caller, order = caller_of(request, self.service), InOrder()
        query = order.query(request, "below", "limit", "field", "actor")
        asked = Asked(
            below=order.read(lambda: whole_number(query, "below", None), None),
            limit=order.read(lambda: page_size(query), 50),
            field=query.get("field"),
            actor=query.get("actor"),
        )
        found = timeline(self.service, caller, address, asked)
        order.check()
        return _page_answer(request, query, found)

    def difference(self, request: Request, address: Address) -> Answer:
        caller = caller_of(request, self.service)
        query = query_of(request, "from", "to")
        sides = [whole_number(query, name, None) for name in ("from", "to")]
        if sides[0] is None:
            raise Malformed("from is missing. Send a version.")
        return json_answer(difference(self.service, caller, address, sides[0], sides[1]))

    def proof(self, request: Request, address: Address) -> Answer:
        caller = caller_of(request, self.service)
        query = query_of(request, "below", "limit")
        below = whole_number(query, "below", None)
        return json_answer(record_proof(self.service, caller, address, below=below, limit=page_size(query)))

    def evidence(self, request: Request, address: Address) -> Answer:
        caller = caller_of(request, self.service)
        query = query_of(request, "size")
        found = evidence(self.service, caller, address, whole_number(query, "size", None))
        name = f"{address.collection}-{found['id']}.evidence.json"
        return json_answer(found, headers={"Content-Disposition": f'attachment; filename="{name}"'})

    def restore(self, request: Request, address: Address) -> Answer:
        caller, order = caller_of(request, self.service), InOrder()
        query = order.query(request, "version", "at", "base", "reason", "preview", *PREFERENCES[:2])
        order.read(lambda: check_preferences(query), None)
        asked = RestoreRequest(
            address,
            when=order.read(lambda: when_of(query), NOW),
            preconditions=order.read(lambda: preconditions_of(request), UNCONDITIONAL),
            base=order.read(lambda: base_of(query), None),
            reason=order.read(lambda: reason_of(query), None),
            once=order.read(lambda: once_of(request, self.service.limits), None),
        )
        looking = order.read(lambda: flag(query, "preview"), False)
        order.check()
        if looking:
            return json_answer(preview_json(preview_restoring(self.service, caller, asked)))
        return record_answer(request, restore(self.service, caller, asked))

    def erase(self, request: Request, address: Address) -> Answer:
        caller = caller_of(request, self.service)
        query = query_of(request, "reason", *PREFERENCES[:2])
        check_preferences(query)
        sent = object_of(request, self.service, ("fields", "reason", "values"))
        fields, values = sent.get("fields", []), sent.get("values", {})
        if not isinstance(fields, list) or not all(isinstance(one, str) for one in fields):
            raise Malformed('fields must be a list of names, such as ["phone"].')
        if not isinstance(values, dict):
            raise Malformed("values must be a JSON object of fields.")
        reason = reason_of({"reason": _text(sent, "reason") or query.get("reason", "")})
        asked = EraseRequest(
            address,
            tuple(dict.fromkeys(fields)),
            reason,
            values,
            preconditions=preconditions_of(request),
            once=once_of(request, self.service.limits),
        )
        answer = record_answer(request, erase(self.service, caller, asked))
        # A list of strings (RFC 9651, 3.1), so that whoever erased it knows what else there is to see to.
        copies = ", ".join(f'"{quote(name)}"' for name in names_of(self.settings))
        return Answer(answer.body, answer.status, {**answer.headers, COPIES: copies}) if copies else answer


def _handed(view: Callable[..., Answer]) -> Callable[..., Answer]:
    return lambda **place: view(request_ctx.request, **place)


def _addressed(view: Callable[..., Answer]) -> Callable[..., Answer]:
    return lambda collection, value: view(request_ctx.request, Address(collection, value))


def register(app: Flask, service: Service, settings: Settings) -> None:
    """Adds the routes of the history."""
    views = _Views(service, settings)
    whole: tuple[tuple[str, str, str, Callable[..., Answer]], ...] = (
        ("", "search history", "GET", views.search),
        ("/activity", "activity", "GET", views.activity),
        ("/undo", "undo many", "POST", views.undo_many),
        ("/head", "head", "GET", views.head),
        ("/heads", "heads", "GET", views.heads),
        ("/keys", "keys", "GET", views.keys),
        ("/consistency", "consistency", "GET", views.consistency),
        ("/<int:sequence>", "entry", "GET", views.entry),
        ("/<int:sequence>/undo", "undo", "POST", views.undo_one),
        ("/<int:sequence>/proof", "entry proof", "GET", views.entry_proof),
    )
    for path, name, method, view in whole:
        app.add_url_rule(HISTORY + path, name, _handed(view), methods=[method])
    of_record: tuple[tuple[str, str, str, Callable[..., Answer]], ...] = (
        ("history", "history", "GET", views.timeline),
        ("history/proof", "record proof", "GET", views.proof),
        ("history/evidence", "evidence", "GET", views.evidence),
        ("difference", "difference", "GET", views.difference),
        ("restore", "restore", "POST", views.restore),
        ("erase", "erase", "POST", views.erase),
    )
    for path, name, method, view in of_record:
        app.add_url_rule(f"{ONE_RECORD}/{path}", name, _addressed(view), methods=[method])
