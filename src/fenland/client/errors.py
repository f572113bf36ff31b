"""What can go wrong, as exceptions that carry what the service said.

ClientError
├─ UnreachableError       no answer came
└─ ProblemError           the service refused: an RFC 9457 problem
   ├─ NotSignedInError    401
   ├─ NotPermittedError   403
   ├─ NotFoundError       404
   ├─ ConflictError       409
   ├─ VersionError        412, 428
   └─ InvalidError        422, with `errors` per field
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any


class ClientError(Exception):
    """The base of all that the client raises."""


class UnreachableError(ClientError):
    """No answer came: the service is down, or the address is wrong."""


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


class ConflictError(ProblemError):
    """Other records stand in the way."""


class VersionError(ProblemError):
    """The record is no longer at the version that was seen, or none was named where one must be."""


class InvalidError(ProblemError):
    """Fields break rules: all of them are in `errors`."""

    @property
    def errors(self) -> tuple[FieldError, ...]:
        """What is wrong, field by field."""
        found = []
        for one in self.problem.get("errors", ()):
            rest = {name: value for name, value in one.items() if name not in _NAMED}
            found.append(FieldError(one["pointer"], one["code"], one["detail"], rest))
        return tuple(found)

    def __str__(self) -> str:
        return "\n".join([self.detail, *(f"  {one.field}: {one.detail}" for one in self.errors)])


_NAMED = ("pointer", "code", "detail")

BY_STATUS: Mapping[int, type[ProblemError]] = {
    401: NotSignedInError,
    403: NotPermittedError,
    404: NotFoundError,
    409: ConflictError,
    412: VersionError,
    422: InvalidError,
    428: VersionError,
}
