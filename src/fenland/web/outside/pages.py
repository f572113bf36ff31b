"""Pages: the addresses below `/p/`, each answered with a page, whatever was wrong with the request.

A secret stands in the address, so that a page works wherever it is opened: no page tells another site its
address, none is kept by caches or shown in frames, and no log says where it is.
"""

from __future__ import annotations

import secrets
from collections.abc import Callable, Container, Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol
from urllib.parse import quote

from flask import Request
from jinja2 import Environment, PackageLoader, StrictUndefined
from werkzeug.exceptions import HTTPException

from fenland.core.changes.patches import MergePatch
from fenland.core.definitions.model import Field
from fenland.core.expressions.budget import begin
from fenland.core.problems import (
    Conflict,
    Invalid,
    Malformed,
    NotPermitted,
    Problem,
    Refusal,
    TooLarge,
    TooMany,
)
from fenland.service.accounts.callers import Origin, count_request
from fenland.service.passes.holding import AnswerWanted, Asking, Ended, Held, Locked, give_answer
from fenland.service.passes.proposing import Sending, Sent, propose, withdraw_sent
from fenland.service.passes.showing import Listing, Opened, choices_of, held_still, open_list, open_pass
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.storage.door import ProposalKind
from fenland.web.http.answers import Answer
from fenland.web.http.body import body_of
from fenland.web.http.environ import ADDRESS, PAGES
from fenland.web.http.html_forms import read_inputs
from fenland.web.outside.colours import style_of
from fenland.web.outside.inputs import FIELD, NEW, Filled, Input, inputs_of, read_inputs_of
from fenland.web.outside.speaking import Speaking, spoken

#: What pages load.
_ASSETS = f"{PAGES}/page"
_STATIC = Path(__file__).with_name("static")
_COOKIE = "fenland_pass"
_HTML = "text/html; charset=utf-8"
_POLICY = (
    "default-src 'none'; style-src 'self'; script-src 'self'; connect-src 'self'; form-action 'self'; "
    "frame-ancestors 'none'; base-uri 'none'"
)
_HEADERS: Mapping[str, str] = {
    "Content-Type": _HTML,
    "Cache-Control": "no-store",
    "Content-Security-Policy": _POLICY,
    "Referrer-Policy": "no-referrer",
    "X-Frame-Options": "DENY",
    "X-Robots-Tag": "noindex, nofollow",
    "Cross-Origin-Opener-Policy": "same-origin",
    "Permissions-Policy": "camera=(), geolocation=(), microphone=()",
    "Vary": "Accept-Language, Cookie",
}
_FORM = "application/x-www-form-urlencoded"
_KINDS: Mapping[str, ProposalKind] = {
    "change": "change", "create": "create", "confirm": "confirm", "delete": "delete",
}  # fmt: skip
_SECONDS_A_MINUTE = 60


@dataclass(frozen=True, slots=True)
class _Kept:
    """What all pages have in common."""

    service: Service
    settings: Settings
    jinja: Environment


def register(app: _Routed, service: Service, settings: Settings) -> None:
    """Adds the addresses of pages."""
    jinja = Environment(
        loader=PackageLoader("fenland.web.outside"),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    kept = _Kept(service, settings, jinja)
    style = (style_of(settings.page_colour) + (_STATIC / "page.css").read_text(encoding="utf-8")).encode()
    script = (_STATIC / "page.js").read_bytes()
    app.add_path(f"{_ASSETS}/style.css", {"GET": _asset(style, "text/css; charset=utf-8")})
    app.add_path(f"{_ASSETS}/page.js", {"GET": _asset(script, "text/javascript; charset=utf-8")})
    for path in (f"{PAGES}/<secret>", f"{PAGES}/<secret>/at/<key>"):
        app.add_path(path, {"GET": _answering(kept, _show), "POST": _answering(kept, _take)})
        app.add_path(f"{path}/withdraw", {"POST": _answering(kept, _withdraw)})
    app.add_path(f"{PAGES}/<secret>/answer", {"POST": _answering(kept, _answer)})


def _asset(body: bytes, kind: str) -> Callable[[Request, Mapping[str, Any]], Answer]:
    headers = {"Content-Type": kind, "Cache-Control": "max-age=3600"}
    return lambda _request, _place: Answer(body, 200, headers)


class _Routed(Protocol):
    """What takes the addresses."""

    def add_path(
        self, rule: str, answering: Mapping[str, Callable[[Request, Mapping[str, Any]], Answer]]
    ) -> None:
        """Adds a path, with what answers there by each method."""


class _Page:
    """One request for a page, and the words that it is answered in."""

    def __init__(self, kept: _Kept, request: Request, place: Mapping[str, Any]) -> None:
        self.kept, self.request, self.service = kept, request, kept.service
        self.key: str | None = place.get("key")
        self.secret = str(place["secret"])
        environ = request.environ
        request_id = environ.get("fenland.request_id", "")
        proof = request.cookies.get(_COOKIE, "")
        self.asking = Asking(self.secret, environ.get(ADDRESS, ""), request_id, proof)
        self.prefix: str = environ.get("SCRIPT_NAME", "")
        self.words: Speaking = spoken(
            request.accept_languages, kept.service.outsiders.wordings, kept.service.zone
        )
        #: What was sent, once it was read.
        self.sent: Mapping[str, list[str]] = {}

    @property
    def root(self) -> str:
        """Where the first page of the pass is."""
        return f"{self.prefix}{PAGES}/{self.secret}"

    @property
    def here(self) -> str:
        """Where this page is."""
        return self.root if self.key is None else f"{self.root}/at/{_segment(self.key)}"

    def read(self) -> Mapping[str, list[str]]:
        """The inputs that were sent. Raises `Malformed`, `TooLarge`."""
        kind = self.request.headers.get("Content-Type", _FORM)
        limits = self.service.limits
        self.sent = read_inputs(kind, body_of(self.request, limits), limits)
        return self.sent

    def one(self, name: str) -> str:
        """The last text of an input."""
        texts = self.sent.get(name)
        return texts[-1] if texts else ""

    def drawn(self, file: str, status: int = 200, /, **values: Any) -> Answer:
        """A page made of a template."""
        body = self.kept.jinja.get_template(file).render(
            t=self.words,
            site=self.kept.settings.title,
            assets=f"{self.prefix}{_ASSETS}",
            root=self.root,
            here=self.here,
            **values,
        )
        return Answer(body.encode("utf-8", "replace"), status, _HEADERS)


def _segment(text: str) -> str:
    return quote(text, safe="")


# --- answering -----------------------------------------------------------------------------------------


def _answering(
    kept: _Kept, view: Callable[[_Page], Answer]
) -> Callable[[Request, Mapping[str, Any]], Answer]:
    """Answers with a page whatever comes of a view."""

    def answer(request: Request, place: Mapping[str, Any]) -> Answer:
        page = _Page(kept, request, place)
        try:
            came = Origin(request_id=page.asking.request_id, address=page.asking.address)
            count_request(kept.service, came)
            return view(page)
        except Refusal as refusal:
            return _refused(page, refusal)
        except HTTPException:
            return _told(page, 413, "wrong_title", page.words.say("too_large"))

    return answer


def _refused(page: _Page, refusal: Refusal) -> Answer:
    say = page.words.say
    if isinstance(refusal, Ended):
        # Nothing of what was asked for stands in it: for all of them it is the same to the last byte.
        return page.drawn("told.html", 404, title=say("ended_title"), said=say("ended"), back="")
    if isinstance(refusal, AnswerWanted):
        return _ask(page, held_still(page.service, page.asking))
    if isinstance(refusal, Locked):
        return _told(page, 403, "locked_title", say("locked"))
    if isinstance(refusal, TooMany):
        seconds = int(refusal.extra.get("headers", {}).get("Retry-After", _SECONDS_A_MINUTE))
        minutes = seconds // _SECONDS_A_MINUTE + 1
        found = _told(page, 429, "too_many_title", say("too_many", minutes=minutes))
        return Answer(found.body, 429, {**found.headers, "Retry-After": str(seconds)})
    if isinstance(refusal, TooLarge):
        return _told(page, 413, "wrong_title", say("too_large"))
    if isinstance(refusal, (Malformed, NotPermitted)):
        return _told(page, refusal.status, "wrong_title", say("not_possible"))
    return _told(page, refusal.status, "wrong_title", say("unavailable"))


def _told(page: _Page, status: int, title: str, said: str) -> Answer:
    return page.drawn("told.html", status, title=page.words.say(title), said=said, back=page.here)


# --- what is there -------------------------------------------------------------------------------------


def _show(page: _Page) -> Answer:
    if page.key is None:
        held = held_still(page.service, page.asking)
        if held.template.lists:
            return _list(page)
    return _form(page, open_pass(page.service, page.asking, page.key))


def _list(page: _Page) -> Answer:
    found = open_list(page.service, page.asking, page.request.args.get("after", "")[:200])
    return page.drawn("list.html", **_listed(page, found))


def _listed(page: _Page, found: Listing) -> dict[str, Any]:
    template, collection = found.held.template, found.held.resource.collection
    fields = [collection.fields[name] for name in template.shows]
    fields = [item for item in fields if all(item.name in one for one in found.items)]
    rows = [
        {
            "key": str(one[collection.key]),
            "address": f"{page.root}/at/{_segment(str(one[collection.key]))}",
            "cells": [_cell(page, item, one, found.labels) for item in fields],
        }
        for one in found.items
    ]
    onward = f"{page.root}?after={_segment(found.after)}" if found.after else ""
    return {
        "template": template,
        "columns": [page.words.label(item) for item in fields],
        "rows": rows,
        "acts": template.acts,
        "onward": onward,
    }


def _cell(page: _Page, item: Field, record: Mapping[str, Any], labels: Mapping[str, Any]) -> str:
    return page.words.value(item, record.get(item.name), labels.get(item.name))


def _form(
    page: _Page, opened: Opened, problems: tuple[Problem, ...] = (), said: str = "", status: int = 200
) -> Answer:
    """The page of a record: what is known, what may be sent, and what was; with what is wrong with that."""
    held, kind = opened.held, page.one("kind")
    template, record = held.template, opened.record
    changing = [item for item in opened.shown if item.name in opened.changeable]
    searched = {name: _choices(page, name) for name in template.choices if name in opened.changeable}
    sent = page.sent if kind == "change" else {}
    inputs = inputs_of(FIELD, changing, Filled(record, sent, searched))
    filled = Filled({}, page.sent if kind == "create" else {})
    fresh = inputs_of(NEW, _new_fields(page, held), filled)
    told = _by_place(page, problems, FIELD if kind != "create" else NEW)
    waiting = _waiting(page, opened)
    shown = [
        {
            "item": item,
            "value": _cell(page, item, record, opened.labels),
            "input": next((one for one in inputs if one.item is item), None),
            "ticked": item.name in page.sent.get("tick", ()),
            "waits": waiting.get(item.name, ""),
        }
        for item in opened.shown
    ]
    return page.drawn(
        "record.html",
        status,
        template=template,
        fields=shown,
        new=fresh,
        creation=template.creation,
        problems=told,
        first=_named(page, told, [*inputs, *fresh]),
        general=told.get("", ""),
        said=said,
        base=opened.version,
        token=secrets.token_hex(16),
        note=page.one("note"),
        kind=kind,
        searched={name: page.one(f"search/{name}") for name in searched},
        told=_proposals(page, opened),
        back=page.root if page.key is not None else "",
    )


def _choices(page: _Page, name: str) -> list[tuple[str, str]]:
    q = page.one(f"search/{name}")[:100]
    found = choices_of(page.service, page.asking, name, q, page.key)
    return [(str(one.value), one.label) for one in found]


def _new_fields(page: _Page, held: Held) -> list[Field]:
    creation = held.template.creation
    if creation is None:
        return []
    fields = page.service.resources[creation.collection].collection.fields
    return [fields[name] for name in creation.fields]


def _by_place(page: _Page, problems: tuple[Problem, ...], prefix: str) -> dict[str, str]:
    """What is wrong, by the id of the input that it stands at; under nothing, what stands at none."""
    found: dict[str, str] = {}
    for one in problems:
        if not one.pointer:
            words = page.words.say("wrong_elsewhere", detail=page.words.text(one.detail))
            found[""] = f"{found['']} {words}" if "" in found else words
            continue
        steps = one.pointer.lstrip("/").split("/")
        place = "-".join([prefix, *(step for step in steps if not step.isdigit())])
        found.setdefault(place, page.words.problem(one))
    return found


def _named(page: _Page, told: Mapping[str, str], inputs: Iterable[Input]) -> list[tuple[str, str]]:
    """What is wrong, with the place of each input and what it is called."""
    called = {one.id: page.words.label(one.item) for each in inputs for one in (each, *each.inner)}
    return [
        (where, f"{called[where]}: {words}" if where in called else words)
        for where, words in told.items()
        if where
    ]


def _waiting(page: _Page, opened: Opened) -> dict[str, str]:
    """By field, what the holder sent that waits to be looked at."""
    fields, found = opened.held.resource.collection.fields, dict[str, str]()
    for told in opened.told:
        if told.proposal.kind == "change":
            for name, each in told.fields.items():
                if each.state == "waiting" and name in fields:
                    found.setdefault(name, page.words.value(fields[name], each.proposed))
    return found


def _proposals(page: _Page, opened: Opened) -> list[dict[str, Any]]:
    words, template = page.words, opened.held.template
    found = []
    for told in opened.told:
        one = told.proposal
        target = opened.held.resource.collection.fields
        if one.kind == "create":
            target = {item.name: item for item in _new_fields(page, opened.held)}
        rows = [
            {
                "label": words.label(target[name]),
                "value": words.value(target[name], each.proposed, None),
                "state": words.say(f"state_{each.state}"),
                "reason": each.why if each.state == "refused" and template.tells_reasons else "",
            }
            for name, each in told.fields.items()
            if name in target
        ]
        found.append(
            {
                "number": one.number,
                "time": words.time(one.time),
                "what": words.say(f"kind_{one.kind}") if one.kind in ("confirm", "delete") else "",
                "state": words.say(f"state_{one.state}"),
                "rows": rows,
                "reason": one.whole.why if one.whole.why and template.tells_reasons else "",
                "waits": one.state == "waiting",
            }
        )
    return found


# --- what is sent --------------------------------------------------------------------------------------


def _take(page: _Page) -> Answer:
    page.read()
    if any(name.startswith("find/") for name in page.sent):
        # A search of choices: nothing is sent yet, and nothing is lost.
        return _form(page, open_pass(page.service, page.asking, page.key))
    kind = _KINDS.get(page.one("kind"))
    if kind is None:
        raise Malformed("What is sent says not what it is.")
    try:
        patch, held = _patch(page, kind)
        sending = Sending(kind, patch, page.one("once"), _base(page), page.one("note"), page.key)
        return _thanks(page, held, propose(page.service, page.asking, sending))
    except Invalid as invalid:
        _again(page)
        opened = open_pass(page.service, page.asking, page.key)
        return _form(page, opened, tuple(invalid.problems), page.words.say("wrong"), 422)
    except Conflict:
        _again(page)
        opened = open_pass(page.service, page.asking, page.key)
        return _form(page, opened, (), page.words.say("changed_much"), 409)


def _again(page: _Page) -> None:
    """Begins another budget: the page is drawn by what is left of none."""
    begin(page.service.limits.evaluation)


def _base(page: _Page) -> int:
    text = page.one("base")
    return int(text) if text.isascii() and text.isdigit() and len(text) < 19 else 0


def _patch(page: _Page, kind: ProposalKind) -> tuple[MergePatch, Held]:
    """What the inputs say is to change. Raises `Malformed`, `Invalid`, and what opening the pass raises."""
    held = held_still(page.service, page.asking)
    limits = page.service.limits
    if kind == "create":
        fresh = _new_fields(page, held)
        patch = read_inputs_of(NEW, fresh, page.sent, {}, limits)
        return _with_foreign(patch, page, NEW, {item.name for item in fresh}), held
    if kind == "delete" and page.one("meant") != "yes":
        raise Invalid([Problem("", "required", page.words.say("problem_required"))])
    if kind != "change":
        return MergePatch({}), held
    fields, ticked = held.resource.collection.fields, dict.fromkeys(page.sent.get("tick", []))
    chosen = [fields[name] for name in ticked if name in held.template.changes]
    record = open_record(page) if chosen else {}
    patch = read_inputs_of(FIELD, chosen, page.sent, record, limits)
    return _with_foreign(patch, page, FIELD, held.template.changes), held


def _with_foreign(patch: MergePatch, page: _Page, prefix: str, known: Container[str]) -> MergePatch:
    """With what is sent that this link lets nobody send: it is refused in its place, behind all else."""
    begins = f"{prefix}/"
    named = [name.split("/")[1] for name in page.sent if name.startswith(begins)]
    ticked = page.sent.get("tick", []) if prefix == FIELD else []
    foreign = dict.fromkeys(name for name in (*named, *ticked) if name not in known)
    return MergePatch({**patch.fields, **foreign})


def open_record(page: _Page) -> Mapping[str, Any]:
    """The record as the page shows it now; of a pass that is used up, nothing."""
    try:
        return open_pass(page.service, page.asking, page.key).record
    except Ended:
        return {}


def _thanks(page: _Page, held: Held, sent: Sent) -> Answer:
    """What has become of it, said plainly."""
    words, one = page.words, sent.proposal
    if one is None:
        return page.drawn(
            "thanks.html", 200, template=held.template, lines=[words.say("nothing_differs")], parts=[],
            back=page.here, thanks=False, waits={},
        )  # fmt: skip
    lines = [words.say("sent_before", time=words.time(one.time))] if sent.repeated else []
    parts = []
    if one.kind == "confirm":
        lines.append(words.say("confirmed"))
    elif one.kind == "delete":
        lines.append(words.say("deletion_asked"))
    elif one.kind == "create":
        lines.append(words.say("created_now" if one.state == "applied" else "created_waits"))
    else:
        parts = _parts(page, held, sent)
    # What waits can be taken back from here, too: of a list, from nowhere else.
    good = held.template.uses == 0 or held.handed.sent + (not sent.repeated) < held.template.uses
    waits = {"proposal": one.number, "once": one.token} if good and one.state == "waiting" else {}
    return page.drawn(
        "thanks.html", 200, template=held.template, lines=lines, parts=parts, back=page.here, thanks=True,
        waits=waits,
    )  # fmt: skip


def _parts(page: _Page, held: Held, sent: Sent) -> list[tuple[str, list[str]]]:
    """Which fields are changed, and which wait, each with the words for it."""
    fields, words, one = held.resource.collection.fields, page.words, sent.proposal
    if one is None:
        return []
    named = {name: words.label(fields[name]) for name in one.fields if name in fields}
    waiting = [name for name in one.waiting if name in named]
    by_words = {
        "applied_now": [name for name in named if one.fields[name].state == "applied"],
        "waits_now": [name for name in waiting if name not in sent.conflicts],
        "changed_meanwhile": [name for name in waiting if name in sent.conflicts],
    }
    return [(words.say(said), [named[name] for name in which]) for said, which in by_words.items() if which]


def _withdraw(page: _Page) -> Answer:
    page.read()
    number = page.one("proposal")
    if not (number.isascii() and number.isdigit() and len(number) < 19):
        raise Malformed("What is to be taken back has no number.")
    held = held_still(page.service, page.asking)
    withdraw_sent(page.service, page.asking, int(number), page.one("once"))
    return page.drawn(
        "thanks.html", 200, template=held.template, lines=[page.words.say("withdrawn_now")], parts=[],
        back=page.here, thanks=False, waits={},
    )  # fmt: skip


# --- the second answer ---------------------------------------------------------------------------------


def _ask(page: _Page, held: Held, *, wrong: bool = False) -> Answer:
    words, fields = page.words, held.resource.collection.fields
    item = fields[held.template.answer[0]]
    for step in held.template.answer[1:]:
        item = (item.properties or {})[step]
    said = words.say("answer_ask", field=words.label(item))
    return page.drawn("answer.html", 403 if wrong else 200, said=said, label=words.label(item), wrong=wrong)


def _answer(page: _Page) -> Answer:
    page.read()
    proof = give_answer(page.service, page.asking, page.one("answer"))
    if proof is None:
        held = held_still(page.service, page.asking)
        if held.locked:
            raise Locked
        return _ask(page, held, wrong=True)
    secure = "; Secure" if page.request.is_secure else ""
    cookie = f"{_COOKIE}={proof}; Path={page.root}; HttpOnly; SameSite=Strict; Max-Age=3600{secure}"
    return Answer(b"", 303, {**_HEADERS, "Location": page.root, "Set-Cookie": cookie})
