"""What can be wrong with a request, as values and as one small tree of errors.

One kind of problem is one class: its code, the status it is answered with (RFC 9110 section 15), what it is
called, what can be done about it, and the parameters it may carry, as JSON Schema. `web/http/errors.py` makes
RFC 9457 problem details of them, the OpenAPI document describes them, and tests hold docs/errors.md and the
client against them. A new problem is a new class here.

    Refusal
    ├─ NotSignedIn          nobody, or a token that is unknown, expired or revoked
    ├─ NotFound             not there, or not for this caller to see
    ├─ NotPermitted         seen, but not this caller's to change
    ├─ VersionMismatch      a stated precondition does not hold
    ├─ VersionRequired      the collection demands a precondition and none was given
    ├─ UnsupportedMedia     a body of a type that is not read here
    ├─ TooLarge             a body over the limit
    ├─ Malformed            a request that cannot be read at all
    ├─ Conflict             cannot be done as the other records stand
    ├─ Invalid              read, but breaks rules: carries every problem at once
    ├─ TooCostly            an expression that takes too much work
    ├─ KeyReused            an idempotency key that came with another request before
    ├─ MethodNotAllowed     an address that does not take this method
    ├─ BodyTimeout          a body that came too slowly
    ├─ RuleFailed           a function of the project's own raised an error
    ├─ Internal             a defect of the service
    └─ Unavailable          the storage cannot take it now
       └─ StorageFull       the disk has no room
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, ClassVar

Schema = dict[str, Any]

#: Problems that are told at once, and looked into: more than a form can show, and no more work than that.
MOST_PROBLEMS = 100


@dataclass(frozen=True, slots=True)
class Problem:
    """One thing that is wrong with one place of what was sent.

    `pointer` is an RFC 6901 JSON Pointer into the record, `code` a stable word that programs may
    branch on, `detail` a sentence for people, `params` the numbers and names the sentence uses.
    """

    pointer: str
    code: str
    detail: str
    params: Mapping[str, Any] = field(default_factory=dict)

    def as_data(self) -> list[Any]:
        """Its parts in order, for keeping."""
        return [self.pointer, self.code, self.detail, dict(self.params)]

    def as_json(self) -> dict[str, Any]:
        """The shape clients see: the parameters stand beside pointer, code and detail."""
        return {"pointer": self.pointer, "code": self.code, "detail": self.detail, **self.params}


class Refusal(Exception):
    """A request that is not carried out. `detail` is a sentence with a remedy."""

    #: Stable: programs may branch on it.
    code: ClassVar[str]
    status: ClassVar[int]
    title: ClassVar[str]
    #: What a client can do about it, whatever the detail.
    remedy: ClassVar[str]
    #: What it may carry besides, by name: the JSON Schema of each.
    parameters: ClassVar[Mapping[str, Schema]] = {}

    def __init__(self, detail: str, **extra: Any) -> None:
        """`extra` holds parameters, and under `headers` those that the answer is to have."""
        super().__init__(detail)
        self.detail = detail
        self.extra = extra


class NotSignedIn(Refusal):
    code, status, title = "not-signed-in", 401, "Not signed in"
    remedy = "Send a valid token as Authorization: Bearer TOKEN."


class NotFound(Refusal):
    code, status, title = "not-found", 404, "Not found"
    remedy = "Check the address; what you may not see is also not found."


class NotPermitted(Refusal):
    code, status, title = "not-permitted", 403, "Not permitted"
    remedy = "Ask the record's owner, or somebody whose role allows it."


class Archived(Refusal):
    code, status, title = "archived", 410, "Moved to an archive"
    remedy = "Read the list again, and follow from where after says."
    parameters: ClassVar = {"after": {"type": "string", "description": "Where the feed begins, with 410."}}


class VersionMismatch(Refusal):
    code, status, title = "version-mismatch", 412, "The record has changed"
    remedy = "Read the record again and decide anew."
    parameters: ClassVar = {"version": {"type": "integer", "description": "The record's version, with 412."}}


class VersionRequired(Refusal):
    code, status, title = "version-required", 428, "Say which version you saw"
    remedy = "Send If-Match with the ETag you were given."


class UnsupportedMedia(Refusal):
    code, status, title = "unsupported-media", 415, "Body of another type"
    remedy = "Send one of the types named in Accept-Patch."


class TooLarge(Refusal):
    code, status, title = "too-large", 413, "Too large"
    remedy = "Send less; limit names the setting that was passed."
    parameters: ClassVar = {
        "limit": {"type": "string", "description": "The setting that was passed, with 413."},
        "most": {"type": "integer", "description": "Its value."},
    }


class Malformed(Refusal):
    code, status, title = "malformed", 400, "The request cannot be read"
    remedy = "Correct the request as the detail says."
    parameters: ClassVar = {
        "line": {"type": "integer", "description": "Of an expression, the line where it goes wrong."},
        "column": {"type": "integer", "description": "The place in that line, from 1."},
        "shown": {"type": "string", "description": "That line, with a caret under the place."},
    }


class Conflict(Refusal):
    code, status, title = "conflict", 409, "In conflict with other records"
    remedy = "Resolve what the detail names, then send again."
    parameters: ClassVar = {
        "version": {"type": "integer", "description": "The record's version."},
        "conflicts": {"type": "array", "items": {"$ref": "#/components/schemas/FieldConflict"}},
        "count": {"type": "integer", "description": "Records that refer to the one to be deleted."},
        "referring": {"type": "array", "items": {"$ref": "#/components/schemas/Referring"}},
        "operation": {"type": "integer", "description": "Of a JSON Patch, the one that cannot be done."},
    }


class BodyTimeout(Refusal):
    code, status, title = "body-timeout", 408, "The body came too slowly"
    remedy = "Send it again, over a better connection."


class Invalid(Refusal):
    """Carries every problem found, so that a form can show them all at once."""

    code, status, title = "invalid", 422, "Not valid"
    remedy = "Correct each field named under errors."
    parameters: ClassVar = {"errors": {"type": "array", "items": {"$ref": "#/components/schemas/FieldError"}}}

    def __init__(self, problems: Sequence[Problem]) -> None:
        count = len(problems)
        what = "one thing is" if count == 1 else f"{count} things are"
        listed = f" The first {MOST_PROBLEMS} are listed." if count > MOST_PROBLEMS else ""
        super().__init__(f"Nothing was saved: {what} to be corrected.{listed}")
        self.problems = tuple(problems[:MOST_PROBLEMS])


class KeyReused(Refusal):
    code, status, title = "key-reused", 422, "Idempotency-Key used before"
    remedy = "Use a new key for each change."


class TooCostly(Refusal):
    code, status, title = "too-costly", 422, "Too much work"
    remedy = "Ask for less at a time; limit names the setting that was passed."
    parameters: ClassVar = TooLarge.parameters


class TooMany(Refusal):
    code, status, title = "too-many", 429, "Too many requests"
    remedy = "Wait as Retry-After says, then send again."


class Unavailable(Refusal):
    code, status, title = "unavailable", 503, "Not possible at the moment"
    remedy = "Wait as Retry-After says, then send again."


class StorageFull(Unavailable):
    code, status, title = "storage-full", 507, "No room left"
    remedy = "Make room on the disk, then send again."


class MethodNotAllowed(Refusal):
    code, status, title = "method-not-allowed", 405, "Method not allowed"
    remedy = "Use one of the methods named in Allow."


class RuleFailed(Refusal):
    code, status, title = "rule-failed", 500, "A rule of the project failed"
    remedy = "Report it with the request id: the service's log tells more. Nothing was saved."


class Internal(Refusal):
    code, status, title = "internal", 500, "An error of the service"
    remedy = "Report it with the request id, and read the record to see whether it was saved."


def _kinds(of: type[Refusal]) -> Iterator[type[Refusal]]:
    for kind in of.__subclasses__():
        yield kind
        yield from _kinds(kind)


#: Every kind of refusal by its code. Of several with one status the first is its plain one.
REFUSALS: Mapping[str, type[Refusal]] = {kind.code: kind for kind in _kinds(Refusal)}


def refusal_data(refusal: Refusal) -> dict[str, Any]:
    """A refusal as JSON that `refusal_from` reads."""
    problems = [one.as_data() for one in refusal.problems] if isinstance(refusal, Invalid) else None
    return {"code": refusal.code, "detail": refusal.detail, "extra": refusal.extra, "problems": problems}


def refusal_from(data: Mapping[str, Any]) -> Refusal:
    """The refusal that `refusal_data` wrote."""
    if data["problems"] is not None:
        return Invalid([Problem(*one) for one in data["problems"]])
    return REFUSALS[data["code"]](data["detail"], **data["extra"])


def pointer_to(*steps: str | int) -> str:
    """The JSON Pointer of these steps, escaped by RFC 6901 section 3."""
    return "".join("/" + str(step).replace("~", "~0").replace("/", "~1") for step in steps)
