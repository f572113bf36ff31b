# Made of async_subscriptions.py by scripts/blocking_client.py: change that, and run this.
"""Subscriptions, for programs that wait for each answer: which other systems are sent what."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import TYPE_CHECKING, Any

from fenland.client import subscription_calls as calls

if TYPE_CHECKING:
    from fenland.client.client import Client


class Subscriptions:
    """What a client can ask of subscriptions; see `subscriptions` of the client."""

    def __init__(self, client: Client) -> None:
        self._client = client

    def all(self) -> list[Mapping[str, Any]]:
        """Those that the caller may manage, by name."""
        return self._client._run(calls.every())

    def get(self, name: str) -> Mapping[str, Any]:
        """A subscription, and how many deliveries wait and are parked."""
        return self._client._run(calls.one(name))

    def add(self, name: str, url: str, **members: Any) -> Mapping[str, Any]:
        """Has what an account sees sent to an address; with the `secret`, which is shown this once.

        `members` are `account`, `collections`, `where`, `data` and `notices`.
        """
        return self._client._run(calls.send("POST", {"name": name, "url": url, **members}))

    def change(self, name: str, **members: Any) -> Mapping[str, Any]:
        """Changes a subscription: what is not named stays. `paused=True` has nothing sent for now."""
        return self._client._run(calls.send("PATCH", members, name))

    def remove(self, name: str) -> None:
        """Has nothing sent any more, and forgets what was."""
        self._client._run(calls.remove(name))

    def rotate(self, name: str, hours: float = 24) -> str:
        """Signs with another secret, which is shown this once; the last signs as well for so many hours."""
        found = self._client._run(calls.send("POST", {"hours": hours}, name, "secret"))
        return str(found["secret"])

    def test(self, name: str) -> Mapping[str, Any]:
        """Has a test sent; see what became of its `number` with `delivery`."""
        return self._client._run(calls.send("POST", {}, name, "test"))

    def deliveries(
        self, name: str, *, state: str | None = None, limit: int | None = None
    ) -> Iterator[Mapping[str, Any]]:
        """What was sent, and is to be sent, the newest first; `state` is waiting, sent, parked or void."""
        return self._client._walk(calls.deliveries(name, state, limit))

    def delivery(self, name: str, number: int) -> Mapping[str, Any]:
        """A delivery, and as `tried` each attempt at it, the newest first."""
        return self._client._run(calls.delivery(name, number))

    def resend(self, name: str, number: int) -> Mapping[str, Any]:
        """Sends one again, whatever became of it."""
        return self._client._run(calls.send("POST", {}, name, "deliveries", number, "resend"))

    def resend_since(self, name: str, since: str) -> str:
        """Sends all again that came since a moment; the place of the feed behind which it begins."""
        found = self._client._run(calls.send("POST", {"since": since}, name, "resend"))
        return str(found["after"])
