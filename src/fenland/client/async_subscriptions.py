"""Subscriptions, for asyncio programs, whose calls are awaited: which other systems are sent what."""

from __future__ import annotations

from collections.abc import AsyncIterator, Mapping
from typing import TYPE_CHECKING, Any

from fenland.client import subscription_calls as calls

if TYPE_CHECKING:
    from fenland.client.async_client import AsyncClient


class AsyncSubscriptions:
    """What a client can ask of subscriptions; see `subscriptions` of the client."""

    def __init__(self, client: AsyncClient) -> None:
        self._client = client

    async def all(self) -> list[Mapping[str, Any]]:
        """Those that the caller may manage, by name."""
        return await self._client._run(calls.every())

    async def get(self, name: str) -> Mapping[str, Any]:
        """A subscription, and how many deliveries wait and are parked."""
        return await self._client._run(calls.one(name))

    async def add(self, name: str, url: str, **members: Any) -> Mapping[str, Any]:
        """Has what an account sees sent to an address; with the `secret`, which is shown this once.

        `members` are `account`, `collections`, `where`, `data` and `notices`.
        """
        return await self._client._run(calls.send("POST", {"name": name, "url": url, **members}))

    async def change(self, name: str, **members: Any) -> Mapping[str, Any]:
        """Changes a subscription: what is not named stays. `paused=True` has nothing sent for now."""
        return await self._client._run(calls.send("PATCH", members, name))

    async def remove(self, name: str) -> None:
        """Has nothing sent any more, and forgets what was."""
        await self._client._run(calls.remove(name))

    async def rotate(self, name: str, hours: float = 24) -> str:
        """Signs with another secret, which is shown this once; the last signs as well for so many hours."""
        found = await self._client._run(calls.send("POST", {"hours": hours}, name, "secret"))
        return str(found["secret"])

    async def test(self, name: str) -> Mapping[str, Any]:
        """Has a test sent; see what became of its `number` with `delivery`."""
        return await self._client._run(calls.send("POST", {}, name, "test"))

    def deliveries(
        self, name: str, *, state: str | None = None, limit: int | None = None
    ) -> AsyncIterator[Mapping[str, Any]]:
        """What was sent, and is to be sent, the newest first; `state` is waiting, sent, parked or void."""
        return self._client._walk(calls.deliveries(name, state, limit))

    async def delivery(self, name: str, number: int) -> Mapping[str, Any]:
        """A delivery, and as `tried` each attempt at it, the newest first."""
        return await self._client._run(calls.delivery(name, number))

    async def resend(self, name: str, number: int) -> Mapping[str, Any]:
        """Sends one again, whatever became of it."""
        return await self._client._run(calls.send("POST", {}, name, "deliveries", number, "resend"))

    async def resend_since(self, name: str, since: str) -> str:
        """Sends all again that came since a moment; the place of the feed behind which it begins."""
        found = await self._client._run(calls.send("POST", {"since": since}, name, "resend"))
        return str(found["after"])
