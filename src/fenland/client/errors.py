"""What can go wrong, as exceptions that carry what the service said.

ClientError
├─ UnreachableError       no answer came
│  └─ NoAnswerYetError    the service has the request, and may be at it still
├─ UnsendableError        a value that JSON has no form for; nothing was sent
└─ ProblemError           the service refused: an RFC 9457 problem
   ├─ NotSignedInError    401
   ├─ NotPermittedError   403
   ├─ NotFoundError       404
   ├─ ConflictError       409
   ├─ VersionError        412, 428
   └─ InvalidError        422, with `errors` per field
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Any


class ClientError(Exception):
    """The base of all that the client raises."""


class UnreachableError(ClientError):
    """No answer came: the service is down, or the address is wrong."""


class NoAnswerYetError(UnreachableError):
    """The service took the request and has not answered in time: it may be at it still, or have done it."""


class UnsendableError(ClientError, ValueError):
    """A value has no form in JSON (NaN, a set, a time without a zone); nothing was sent."""


class UntrustedError(ClientError):
    """A notice that is not to be believed: it is not signed, or not by whom it should be."""


@dataclass(frozen=True, slots=True)
class FieldError:
    """One thing wrong with one field: `pointer` says where, `code` what, `detail` in a sentence."""

    pointer: str
    code: str
    detail: str
    params: Mapping[str, Any] = field(default_factory=dict)

    @property
    def field(self) -> str:
        """The pointer without its first slash: a field's name, or a path inside one."""
        return self.pointer.removeprefix("/")


class ProblemError(ClientError):
    """The service refused. `status` is HTTP's, `code` the kind of problem, `problem` the whole answer."""

    def __init__(self, status: int, problem: Mapping[str, Any]) -> None:
        self.status = status
        self.problem = problem
        self.code = str(problem.get("type", "")).rpartition("/")[2]
        self.detail = str(problem.get("detail", f"The service answered {status}."))
        super().__init__(self.detail)


class NotSignedInError(ProblemError):
    """No token was sent, or it is unknown, expired or revoked."""


class NotPermittedError(ProblemError):
    """The account may see this and may not do that."""


class NotFoundError(ProblemError):
    """Not there, or not for this account to see."""


@dataclass(frozen=True, slots=True)
class FieldConflict:
    """A field that others changed too: as it was at the base, as it is now, and as it was sent.

    For an edit whose `only_if` does not hold, `current` and `only_if` alone are there.
    """

    pointer: str
    base: Any = None
    current: Any = None
    yours: Any = None
    only_if: Mapping[str, Any] | None = None

    @property
    def field(self) -> str:
        """The pointer without its first slash: a field's name, or a path inside one."""
        return self.pointer.removeprefix("/")


class ConflictError(ProblemError):
    """What others changed, or other records, stand in the way."""

    @property
    def version(self) -> int | None:
        """The record's version now, where the conflict is about a record."""
        return self.problem.get("version")

    @property
    def conflicts(self) -> tuple[FieldConflict, ...]:
        """The fields that others changed too."""
        return tuple(FieldConflict(**one) for one in self.problem.get("conflicts", ()))

    @property
    def referring(self) -> tuple[Mapping[str, Any], ...]:
        """Some of the records that refer to the one to be deleted: collection and key of each."""
        return tuple(self.problem.get("referring", ()))

    def __str__(self) -> str:
        lines = [
            f"  {one.field}: {one.base!r} at the base, {one.current!r} now, yours {one.yours!r}"
            for one in self.conflicts
            if one.only_if is None
        ]
        lines += [f"  {one['collection']} {one['key']}" for one in self.referring]
        return "\n".join([self.detail, *lines])


class VersionError(ProblemError):
    """The record is no longer at the version that was seen, or none was named where one must be."""


class InvalidError(ProblemError):
    """Fields break rules: all of them are in `errors`."""

    @property
    def errors(self) -> tuple[FieldError, ...]:
        """What is wrong, field by field."""
        return field_errors(self.problem.get("errors", ()))

    def __str__(self) -> str:
        return "\n".join([self.detail, *(f"  {one.field}: {one.detail}" for one in self.errors)])


_NAMED = ("pointer", "code", "detail")


def field_errors(errors: Iterable[Mapping[str, Any]]) -> tuple[FieldError, ...]:
    """What is wrong with fields, from its JSON."""
    return tuple(
        FieldError(
            one["pointer"],
            one["code"],
            one["detail"],
            {name: value for name, value in one.items() if name not in _NAMED},
        )
        for one in errors
    )


BY_STATUS: Mapping[int, type[ProblemError]] = {
    401: NotSignedInError,
    403: NotPermittedError,
    404: NotFoundError,
    409: ConflictError,
    412: VersionError,
    422: InvalidError,
    428: VersionError,
}
