"""What can be wrong with a request, as values and as one small tree of errors.

Nothing here knows HTTP statuses: `web/errors.py` maps the tree to RFC 9457 problem details.

    Refusal
    ├─ NotSignedIn          nobody, or a token that is unknown, expired or revoked
    ├─ NotFound             not there, or not for this actor to see
    ├─ NotPermitted         seen, but not this actor's to change
    ├─ VersionMismatch      a stated precondition does not hold
    ├─ VersionRequired      the collection demands a precondition and none was given
    ├─ UnsupportedMedia     a body of a type that is not read here
    ├─ TooLarge             a body over the limit
    ├─ Malformed            a request that cannot be read at all
    ├─ Conflict             cannot be done as the other records stand
    ├─ KeyReused            an idempotency key that came with another request before
    ├─ Invalid              read, but breaks rules: carries every problem at once
    └─ Unavailable          the storage cannot take it now
       └─ StorageFull       the disk has no room
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

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
    """A request that is not carried out. `code` is stable; `detail` is a sentence with a remedy."""

    code = "refused"

    def __init__(self, detail: str, **extra: Any) -> None:
        super().__init__(detail)
        self.detail = detail
        self.extra = extra


class NotSignedIn(Refusal):
    code = "not-signed-in"


class NotFound(Refusal):
    code = "not-found"


class NotPermitted(Refusal):
    code = "not-permitted"


class VersionMismatch(Refusal):
    code = "version-mismatch"


class VersionRequired(Refusal):
    code = "version-required"


class UnsupportedMedia(Refusal):
    code = "unsupported-media"


class TooLarge(Refusal):
    code = "too-large"


class Malformed(Refusal):
    code = "malformed"


class Conflict(Refusal):
    code = "conflict"


class KeyReused(Refusal):
    code = "key-reused"


class Unavailable(Refusal):
    code = "unavailable"


class StorageFull(Unavailable):
    code = "storage-full"


class Invalid(Refusal):
    """Carries every problem found, so that a form can show them all at once."""

    code = "invalid"

    def __init__(self, problems: Sequence[Problem]) -> None:
        count = len(problems)
        what = "one thing is" if count == 1 else f"{count} things are"
        listed = f" The first {MOST_PROBLEMS} are listed." if count > MOST_PROBLEMS else ""
        super().__init__(f"Nothing was saved: {what} to be corrected.{listed}")
        self.problems = tuple(problems[:MOST_PROBLEMS])


#: Every kind of refusal by its code, for refusals that were kept.
REFUSALS: Mapping[str, type[Refusal]] = {
    kind.code: kind
    for kind in (
        NotSignedIn,
        NotFound,
        NotPermitted,
        VersionMismatch,
        VersionRequired,
        UnsupportedMedia,
        TooLarge,
        Malformed,
        Conflict,
        KeyReused,
        Unavailable,
        StorageFull,
    )
}


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
