# Made of async_passes.py by scripts/blocking_client.py: change that, and run this.
"""Passes and proposals, for programs that wait for each answer: links for people without an account,
and what they sent.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any

from fenland.client import pass_calls as calls

if TYPE_CHECKING:
    from fenland.client.client import Client


class Passes:
    """What a client can ask of passes; see `passes` of the client."""

    def __init__(self, client: Client) -> None:
        self._client = client

    def make(
        self, collection: str, template: str, key: Any = None, *, days: int | None = None
    ) -> Mapping[str, Any]:
        """Makes a pass for a record, or of a template that lists; its `link` is shown this once."""
        members = calls.given(collection=collection, template=template, key=key, days=days)
        return self._client._run(calls.send(members, "passes"))

    def letters(
        self,
        collection: str,
        template: str,
        *,
        where: str | None = None,
        equal: Mapping[str, Sequence[str]] | None = None,
        days: int | None = None,
    ) -> Iterator[bytes]:
        """Makes a pass for each record of a list, and gives a CSV file with their links, in pieces.

        Each piece holds passes that are made for good. What is left to be read ends with an error where it is
        cut short; all of a run can be revoked by its `run`.
        """
        members = calls.given(collection=collection, template=template, where=where, equal=equal, days=days)
        return self._client._stream(calls.letters(members))

    def all(
        self,
        collection: str,
        *,
        template: str | None = None,
        key: Any = None,
        run: str | None = None,
        limit: int | None = None,
    ) -> Iterator[Mapping[str, Any]]:
        """What was handed out for records of a collection, the newest first."""
        wanted = {"collection": collection, "template": template, "key": key, "run": run}
        return self._client._walk(calls.passes(wanted, limit))

    def get(self, number: int) -> Mapping[str, Any]:
        """A pass, how it stands, when it was opened and how often something was sent by it."""
        return self._client._run(calls.one("passes", number))

    def renew(self, number: int, *, days: int | None = None) -> Mapping[str, Any]:
        """Gives a pass another `link`, which is shown this once; the last one is good no more."""
        return self._client._run(calls.send(calls.given(days=days), "passes", number, "renew"))

    def unlock(self, number: int) -> Mapping[str, Any]:
        """Has answers taken again, where too many were wrong."""
        return self._client._run(calls.send({}, "passes", number, "unlock"))

    def revoke(self, number: int) -> None:
        """Ends a pass for good."""
        self._client._run(calls.revoke(number))

    def revoke_all(self, collection: str, *, template: str | None = None, run: str | None = None) -> int:
        """Ends all passes of a template, or of a letter run; how many were good until then."""
        wanted = {"collection": collection, "template": template, "run": run}
        return self._client._run(calls.revoke_all(wanted))


class Proposals:
    """What a client can ask of what came in through passes; see `proposals` of the client."""

    def __init__(self, client: Client) -> None:
        self._client = client

    def all(
        self,
        *,
        state: str | None = None,
        collection: str | None = None,
        key: Any = None,
        by_pass: int | None = None,
        newest: bool = False,
        limit: int | None = None,
    ) -> Iterator[Mapping[str, Any]]:
        """What came in, as far as one may review it, the oldest first.

        `state` is waiting, applied, partly, refused, withdrawn or overtaken.
        """
        wanted = {"state": state, "collection": collection, "key": key, "pass": by_pass}
        return self._client._walk(calls.proposals({**wanted, "newest": newest or None}, limit))

    def get(self, number: int) -> Mapping[str, Any]:
        """A proposal: of each field base, current and proposed value, and what would be wrong with it now."""
        return self._client._run(calls.one("proposals", number))

    def waiting(self) -> Mapping[str, int]:
        """By collection, how many wait that one may review."""
        found = self._client._run(calls.one("proposals", "counts"))
        return dict(found["waiting"])

    def apply(
        self,
        number: int,
        *,
        fields: Sequence[str] | None = None,
        values: Mapping[str, Any] | None = None,
        base: int | None = None,
        reason: str | None = None,
        match: str | None = None,
    ) -> Mapping[str, Any]:
        """Applies a proposal, or these of its fields; with `values`, those in place of what was proposed.

        Raises `ConflictError` naming the fields that others changed since. With the `base` that says which
        version of the record one saw, what they changed up to it is no conflict.
        """
        members = calls.given(fields=fields, values=values, base=base, reason=reason)
        return self._client._run(calls.settled(number, "apply", members, match))

    def refuse(
        self, number: int, reason: str, *, fields: Sequence[str] | None = None, match: str | None = None
    ) -> Mapping[str, Any]:
        """Refuses a proposal, or these of its fields, for a reason, which its sender may be told."""
        members = calls.given(fields=fields, reason=reason)
        return self._client._run(calls.settled(number, "refuse", members, match))

    def withdraw(
        self, number: int, *, fields: Sequence[str] | None = None, reason: str | None = None
    ) -> Mapping[str, Any]:
        """Takes back what waits of a proposal, for who sent it."""
        members = calls.given(fields=fields, reason=reason)
        return self._client._run(calls.settled(number, "withdraw", members, None))

    def apply_all(self, numbers: Sequence[int], *, reason: str | None = None) -> list[Mapping[str, Any]]:
        """Applies several, each on its own: of each its `state`, or the `problem` why it was not."""
        return self._client._run(calls.settled_all(numbers, "apply", reason))

    def refuse_all(self, numbers: Sequence[int], reason: str) -> list[Mapping[str, Any]]:
        """Refuses several, each on its own."""
        return self._client._run(calls.settled_all(numbers, "refuse", reason))
