"""Routes of records: list, create, read, update, replace, put, delete; and what may be done with one."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import quote

from fenland.core.access.field_access import Record
from fenland.core.changes.patches import MergePatch, Patch, Replacement
from fenland.core.problems import Malformed
from fenland.core.values.identity import with_part
from fenland.service.changes.finding import Address
from fenland.service.changes.saved import Saved
from fenland.service.forms.explain import explain
from fenland.service.forms.form import edit_form
from fenland.service.history.listing import list_past
from fenland.service.history.reading import read_past
from fenland.service.records.create import CreateRequest, create
from fenland.service.records.delete import DeleteRequest, delete
from fenland.service.records.freshness import form_tag, list_tag
from fenland.service.records.including import Wanted
from fenland.service.records.labels import Labels
from fenland.service.records.listing import ListRequest, list_records
from fenland.service.records.putting import PutRequest, put
from fenland.service.records.read import read
from fenland.service.records.update import UpdateRequest, preview, update
from fenland.web.describing.contents import new_body, patch_body, record_body, save_body
from fenland.web.edit_forms import form_json
from fenland.web.exporting import form_accepted, list_file
from fenland.web.http import parameters as p
from fenland.web.http.answering import (
    fresh_answer,
    known_answer,
    not_modified,
    record_answer,
    sent_as,
    weak_tag,
)
from fenland.web.http.answers import Answer, json_answer
from fenland.web.http.calls import Call
from fenland.web.http.patch_formats import (
    ACCEPT_PATCH,
    Check,
    sent_fields,
    sent_patch,
    sent_whole,
)
from fenland.web.http.replies import Body, Reply
from fenland.web.http.route import BY_FIELD, ONE, RECORDS, Route
from fenland.web.http.schemas import CREATED, ETAG, LINK, SAVED, TAGGED
from fenland.web.previews import preview_json


def wanted(call: Call) -> Wanted:
    """The parts of records that a request asks for."""
    return Wanted(call.get(p.FIELDS), call.get(p.INCLUDE))


def asked_list(call: Call) -> ListRequest:
    """The list that a request asks for."""
    return ListRequest(
        collection=call.collection,
        filter=call.filter(),
        wanted=wanted(call),
        q=call.get(p.Q),
        sort=call.get(p.SORT),
        limit=call.get(p.LIMIT),
        cursor=call.get(p.CURSOR),
        number=call.get(p.PAGE),
        count=call.get(p.COUNT),
        labels=call.get(p.LABELS) or call.get(p.ROW_LABELS),
        writable=call.get(p.WRITABLE),
    )


def _labelled(row: Record, labels: Labels) -> Record:
    """The row, and beside each value what it stands for: no field has a dot in its name."""
    told = {name: found.get(str(row[name])) for name, found in labels.items() if name in row}
    return {**row, **{f"{name}.label": label for name, label in told.items() if label is not None}}


def _list(call: Call) -> Answer:
    asked, when = asked_list(call), call.when()
    if (form := form_accepted(call.request)) is not None:
        if when:
            raise Malformed("A file holds records as they are. Leave at out, or ask for JSON.")
        return list_file(call, asked, form)
    if when.at is not None:
        tag, listed = None, list_past(call.service, call.caller, asked, when.at)
    else:
        # Before anything is read: what is shown may be newer than its tag says, and never older.
        tag = weak_tag(list_tag(call.service, call.caller, asked, sent_as(call)))
        if tag is not None and (known := known_answer(call, tag)) is not None:
            return known
        if tag is not None and (kept := call.common.remembered.find(tag)) is not None:
            call.check()
            return kept
        listed = list_records(call.service, call.caller, asked)
    call.check()
    items = listed.items
    if call.get(p.ROW_LABELS):
        items = [_labelled(row, listed.labels or {}) for row in items]
    body: dict[str, object] = {"items": items, "next": listed.next}
    for name in ("count", "labels", "included", "writable"):
        if (part := getattr(listed, name)) is not None:
            body[name] = part
    if not call.get(p.LABELS):
        body.pop("labels", None)
    headers = {} if listed.next is None else call.onward(cursor=listed.next, page=None)
    if tag is None:
        return json_answer(body, headers=headers)
    answer = json_answer(body, headers={**headers, "ETag": tag})
    call.common.remembered.keep(tag, answer)
    return answer


def _create(call: Call) -> Answer:
    return _created(call, *sent_fields(call))


def _created(call: Call, fields: Mapping[str, Any], check: Check) -> Answer:
    asked = CreateRequest(
        collection=call.collection,
        fields=fields,
        blank=call.get(p.BLANK),
        lenient=call.lenient,
        reason=call.get(p.REASON_WHY),
        once=call.once(),
        check=check,
    )
    saved = create(call.service, call.caller, asked)
    return record_answer(call, saved, _location(call, saved))


def _save(call: Call) -> Answer:
    """Creates a record, or changes the one whose id is sent along: for forms that do both."""
    fields, check = sent_fields(call)
    record_id, rest = fields.get("id"), {name: value for name, value in fields.items() if name != "id"}
    if record_id in (None, ""):
        return _created(call, rest, check)
    asked = UpdateRequest(
        address=Address(call.collection, str(record_id), "id"),
        patch=MergePatch(rest),
        base=call.get(p.SEEN),
        blank=call.get(p.BLANK),
        clear=call.get(p.CLEAR),
        lenient=call.lenient,
        reason=call.get(p.REASON_WHY),
        once=call.once(),
        check=check,
    )
    return record_answer(call, update(call.service, call.caller, asked))


def _location(call: Call, saved: Saved) -> str:
    """Where a record is that was created."""
    resource = call.service.resources[saved.collection]
    key = quote(str(saved.record[resource.collection.key]), safe="")
    return f"{call.prefix}/v1/records/{saved.collection}/{key}"


def _read(call: Call) -> Answer:
    when = call.when()
    if when:
        found = read_past(call.service, call.caller, call.address, wanted(call), when)
    else:
        found = read(call.service, call.caller, call.address, wanted(call) if call.query else Wanted())
    call.check()
    return fresh_answer(call, found)


def _asked_update(call: Call, patch: Patch | Replacement, check: Check) -> UpdateRequest:
    return UpdateRequest(
        address=call.address,
        patch=patch,
        preconditions=call.preconditions(),
        base=call.get(p.SEEN),
        blank=call.get(p.BLANK),
        clear=call.get(p.CLEAR),
        lenient=call.lenient,
        reason=call.get(p.REASON_WHY),
        once=call.once(),
        check=check,
    )


def _preview(call: Call) -> Answer:
    return _previewed(call, _asked_update(call, *sent_patch(call)))


def _previewed(call: Call, asked: UpdateRequest) -> Answer:
    found = call.found = preview(call.service, call.caller, asked)
    return json_answer(preview_json(found))


def _updated(call: Call, patch: Patch | Replacement, check: Check) -> Answer:
    asked = _asked_update(call, patch, check)
    if call.get(p.PREVIEW):
        return _previewed(call, asked)
    return record_answer(call, update(call.service, call.caller, asked))


def _update(call: Call) -> Answer:
    return _updated(call, *sent_patch(call))


def _replace(call: Call) -> Answer:
    return _updated(call, *sent_whole(call))


def _put(call: Call) -> Answer:
    fields, check = sent_fields(call)
    asked = PutRequest(
        address=call.address,
        fields=fields,
        preconditions=call.preconditions(),
        base=call.get(p.SEEN),
        blank=call.get(p.BLANK),
        lenient=call.lenient,
        reason=call.get(p.REASON_WHY),
        once=call.once(),
        check=check,
    )
    found = put(call.service, call.caller, asked)
    return record_answer(call, found.saved, _location(call, found.saved) if found.created else None)


def _delete(call: Call) -> Answer:
    asked = DeleteRequest(
        base=call.get(p.SEEN),
        address=call.address,
        preconditions=call.preconditions(),
        reason=call.get(p.REASON_WHY),
        once=call.once(),
        check=call.check,
    )
    return record_answer(call, delete(call.service, call.caller, asked))


def _access(call: Call) -> Answer:
    found = explain(call.service, call.caller, call.address, call.get(p.ACCOUNT))
    call.check()
    return json_answer(found)


def _form(call: Call) -> Answer:
    when = call.when()
    part = None if when else form_tag(call.service, call.caller, call.address.collection, sent_as(call))
    held = call.header(p.IF_NONE_MATCH) or ()
    known = next((tag for tag in held if tag.endswith(f'.{part}"')), None)
    if known is not None and call.refusal is None:
        # Nothing has moved, and so the record is at the version that the tag names.
        return not_modified(known)
    form = edit_form(call.service, call.caller, call.address, when)
    call.check()
    tag = "" if form.saved is None else form.saved.etag
    headers = {"ETag": tag if part is None else with_part(tag, part), "Accept-Patch": ACCEPT_PATCH}
    return json_answer(form_json(form, call.prefix), headers=headers)


_PAGED = (
    p.WHERE,
    p.Q,
    p.SORT,
    p.FIELDS,
    p.INCLUDE,
    p.LIMIT,
    p.CURSOR,
    p.PAGE,
    p.COUNT,
    p.LABELS,
    p.ROW_LABELS,
    p.WRITABLE,
    p.BLANK_FILTERS,
    p.AT,
    p.IF_NONE_MATCH,
)
_SENT = (p.BLANK, p.COERCE, *p.CHANGING)
#: What a change of one record may meet.
_CHANGED = ("not-permitted", "conflict", "unsupported-media", "invalid", "version-required")
_AS_SAVED = Reply("The record as saved.", "{name}", SAVED)
_MINIMAL = Reply("Saved; return=minimal was preferred, or its caller may not read it any more.")
_PREVIEWED = Reply("What would change, and what is wrong.", "{name}Preview")


def _at(path: str) -> tuple[Route, ...]:
    """What can be done with a record, by its key or by another unique field."""
    return (
        Route(
            "GET", path, "read", "Read a {one}", _read,
            (p.FIELDS, p.INCLUDE_BESIDE, p.VERSION, p.AT, p.IF_NONE_MATCH),
            {200: Reply("The record; beside it what it refers to, if asked for.", "{name}", TAGGED),
             304: Reply("The client has this version.")},
            description="The record as it is now, or was; 304 when If-None-Match has its ETag.", late=True,
        ),
        Route(
            "PATCH", path, "update", "Change fields of a {one}", _update,
            (*p.GUARDS, p.CLEAR, p.PREVIEW_ONLY, *_SENT), {200: _AS_SAVED, 204: _MINIMAL}, _CHANGED,
            Body(patch_body),
            "Only the fields that are sent; see docs/updates.md.", late=True,
        ),
        Route(
            "DELETE", path, "delete", "Delete a {one}", _delete, (*p.GUARDS, *p.CHANGING),
            {200: Reply("The last copy.", "{name}", ETAG),
             204: Reply("Deleted; return=minimal was preferred.")},
            ("not-permitted", "conflict", "invalid", "version-required"),
            description="Answers with the last copy; the history stays.", late=True,
        ),
    )  # fmt: skip


ROUTES: tuple[Route, ...] = (
    Route(
        "GET", RECORDS, "list", "List and search {many}", _list, _PAGED,
        {200: Reply("A page.", "{name}Page", {**LINK, **ETAG}),
         304: Reply("Nothing in it has moved since the client was given this ETag.")},
        ("not-permitted",), filtered=True,
        description="Pages by cursor; no record is met twice. 304 when If-None-Match has its ETag.",
    ),
    Route(
        "POST", RECORDS, "create", "Create a {one}", _create, _SENT,
        {201: Reply("The record as created.", "{name}", CREATED)},
        ("not-permitted", "conflict", "unsupported-media", "invalid"), Body(new_body),
        "Answers with the record as created, defaults included.", late=True,
    ),
    Route(
        "POST", f"{RECORDS}/save", "save", "Create a {one}, or change the one whose id is sent", _save,
        (p.SEEN, p.CLEAR, *_SENT),
        {200: _AS_SAVED, 201: Reply("The record as created.", "{name}", CREATED), 204: _MINIMAL},
        _CHANGED, Body(save_body),
        "For a form that adds and edits: an id that is empty or left out creates.", late=True,
    ),
    *_at(ONE),
    Route(
        "PUT", ONE, "replace", "Replace a {one}", _replace, (*p.GUARDS, p.CLEAR, p.PREVIEW_ONLY, *_SENT),
        {200: _AS_SAVED, 204: _MINIMAL}, _CHANGED, Body(record_body),
        "What is left out gets its default, or null.", late=True,
    ),
    Route(
        "POST", f"{ONE}/preview", "preview", "See what a change of a {one} would do", _preview,
        (*p.GUARDS, p.CLEAR, p.PREVIEW, p.BLANK, p.COERCE, p.REASON_WHY, *p.PREFERENCES),
        {200: _PREVIEWED}, _CHANGED, Body(patch_body),
        "Takes what PATCH takes, and saves nothing.", late=True,
    ),
    Route(
        "GET", f"{ONE}/access", "access", "What may be done with a {one}, and why", _access, (p.ACCOUNT,),
        {200: Reply("Rights and fields.", "Access")}, ("not-permitted",),
        description="Each right and field, with its rule.", late=True,
    ),
    Route(
        "GET", f"{ONE}/form", "form", "All a form to edit a {one} needs", _form,
        (p.VERSION, p.AT, p.IF_NONE_MATCH),
        {200: Reply("The form.", "{name}Form", TAGGED),
         304: Reply("Nothing in it has moved since the client was given this ETag.")},
        description="Values, schema, choices and who may set what.", late=True,
    ),
    *_at(BY_FIELD),
    Route(
        "PUT", BY_FIELD, "put", "Create or replace a {one}", _put, (*p.GUARDS, *_SENT),
        {200: _AS_SAVED, 201: Reply("The record as created.", "{name}", CREATED), 204: _MINIMAL}, _CHANGED,
        Body(new_body),
        "Created where it is not there. If-None-Match: * refuses where it is, If-Match where it is not.",
        late=True,
    ),
)  # fmt: skip
