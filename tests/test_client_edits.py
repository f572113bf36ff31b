"""Drafts, editing in a with statement, and the asyncio twin of the client."""

from __future__ import annotations

import asyncio
import copy
import inspect
from collections.abc import Iterator
from decimal import Decimal
from typing import Any

import httpx
import pytest
from hypothesis import given
from hypothesis import strategies as st

from fenland.client import AsyncClient, Client, ConflictError, InvalidError, UnreachableError, flows
from fenland.client.drafts import Draft, same
from fenland.client.records import Record
from fenland.core.changes.patches import merge
from support import TOKENS


class InTasks(httpx.AsyncBaseTransport):
    """The app without a socket, for a client of asyncio."""

    def __init__(self, inner: httpx.WSGITransport) -> None:
        self.inner = inner

    async def handle_async_request(self, request: httpx.Request) -> httpx.Response:
        answer = self.inner.handle_request(
            httpx.Request(request.method, request.url, headers=request.headers, content=await request.aread())
        )
        return httpx.Response(answer.status_code, headers=answer.headers, content=b"".join(answer.stream))


@pytest.fixture
def client(transport: httpx.WSGITransport) -> Iterator[Client]:
    with Client("http://workshop", TOKENS["olga"][1], transport=transport) as found:
        found.create(
            "tools", {"code": "A1", "name": "Saw", "serial": 1, "maker": {"name": "Ada", "town": "Ely"}}
        )
        yield found


LEAVES = (
    st.none() | st.booleans() | st.integers(0, 2) | st.decimals(0, 2, places=1) | st.text("ab", max_size=2)
)
VALUES = st.recursive(
    LEAVES,
    lambda inner: st.lists(inner, max_size=2) | st.dictionaries(st.sampled_from("xyz"), inner, max_size=3),
    max_leaves=6,
)


def _without_nulls(value: Any) -> Any:
    """A merge patch cannot put null inside an object: there, null is "not there"."""
    if isinstance(value, dict):
        return {name: _without_nulls(one) for name, one in value.items() if one is not None}
    return value


@given(st.dictionaries(st.sampled_from("abc"), VALUES), st.dictionaries(st.sampled_from("abc"), VALUES))
def test_what_a_draft_sends_makes_the_record_what_the_draft_is(before: dict, after: dict) -> None:
    before = {name: _without_nulls(value) for name, value in before.items()}
    draft = Draft("tools", "A1", Record(copy.deepcopy(before), '"x.1"'))
    for name, value in after.items():
        draft[name] = value
    for name in before.keys() - after.keys():
        del draft[name]
    changes, cleared = draft.changes(), draft.cleared()
    assert set(cleared) == {name for name in before if before[name] is not None and after.get(name) is None}
    changes |= dict.fromkeys(cleared)
    for name in before.keys() | after.keys():
        wanted = _without_nulls(after.get(name))
        if name in changes:
            assert same(merge(before.get(name), changes[name]), wanted)
            assert name not in before or not same(before[name], after.get(name))
        else:
            assert same(before.get(name), wanted)
    assert dict(draft.record) == before


def test_only_what_was_changed_is_sent(client: Client) -> None:
    with client.edit("tools", "A1", reason="counted") as tool:
        client.update("tools", "A1", {"note": "theirs", "weight": Decimal("1.50")})
        tool["serial"] += 1
        tool["maker"]["town"] = "Wisbech"
        tool["name"] = "Saw"
    assert tool.saved is not None
    assert (tool.saved["serial"], tool.saved["note"], tool.saved["weight"]) == (2, "theirs", Decimal("1.50"))
    assert tool.saved["maker"] == {"name": "Ada", "town": "Wisbech"}
    entry = next(client.history("tools", "A1"))
    assert (set(entry.changes), entry.reason) == ({"serial", "maker"}, "counted")
    with client.edit("tools", "A1") as same_again:
        same_again["serial"] = 2
    assert same_again.saved == same_again.record
    with client.edit("tools", "A1", record=tool.saved) as cleared:
        del cleared["note"]
    assert client.get("tools", "A1")["note"] is None
    with pytest.raises(KeyError):
        del cleared["nothing"]


def test_what_fails_sends_nothing_and_what_clashes_is_told(client: Client) -> None:
    with pytest.raises(ZeroDivisionError), client.edit("tools", "A1") as tool:
        tool["serial"] = 9 // 0
    assert client.get("tools", "A1").version == 1
    first = client.get("tools", "A1")
    client.update("tools", "A1", {"serial": 5})
    with pytest.raises(ConflictError) as clash, client.edit("tools", "A1", record=first) as tool:
        tool["serial"] = 6
    assert clash.value.problem["conflicts"][0]["current"] == 5
    with pytest.raises(InvalidError), client.edit("tools", "A1") as tool:
        tool["name"] = ""


def test_a_function_is_called_again_while_others_are_quicker(client: Client) -> None:
    seen = []

    def raise_it(tool: Draft) -> None:
        seen.append(tool["serial"])
        if len(seen) < 3:
            client.update("tools", "A1", {"serial": tool["serial"] + 10})
        tool["serial"] += 1

    assert client.edit_with("tools", "A1", raise_it)["serial"] == 22
    assert seen == [1, 11, 21]

    def always_late(tool: Draft) -> None:
        client.update("tools", "A1", {"serial": tool["serial"] + 10})
        tool["serial"] += 1

    with pytest.raises(ConflictError):
        client.edit_with("tools", "A1", always_late, attempts=2)
    assert client.get("tools", "A1")["serial"] == 42


def test_a_draft_may_be_found_by_another_unique_field(client: Client) -> None:
    client.create("tools", {"code": "D1", "name": "Saw", "serial": 7})
    with client.edit("tools", 7, by="serial") as tool:
        tool["serial"] += 1
    assert client.edit_with("tools", 8, lambda tool: tool.update(name="Axe"), by="serial")["name"] == "Axe"


def test_the_twins_have_the_same_methods() -> None:
    def methods(kind: type) -> dict[str, list[str]]:
        return {
            name: list(inspect.signature(method).parameters)
            for name, method in inspect.getmembers(kind, callable)
            if not name.startswith("_")
        }

    assert methods(AsyncClient) == methods(Client)


def test_the_twin_does_what_the_client_does(transport: httpx.WSGITransport) -> None:
    async def work() -> None:
        async with AsyncClient("http://workshop", TOKENS["olga"][1], transport=InTasks(transport)) as client:
            assert (await client.session())["account"] == "olga"
            assert {one["name"] for one in await client.schemas()} == {"benches", "tools", "jobs"}
            assert (await client.schema("tools"))["type"] == "object"
            made = await client.create("tools", {"code": "A1", "name": "Saw", "serial": 1})
            assert await client.get("tools", "A1") == made
            async with client.edit("tools", "A1") as tool:
                await client.update("tools", "A1", {"note": "theirs"}, base=made)
                tool["serial"] += 1
            assert tool.saved is not None
            assert (tool.saved["note"], tool.saved["serial"]) == ("theirs", 2)
            edits = [
                client.send_edits("tools", "A1", [{"at": "/serial", "increase_by": 1}]) for _ in range(9)
            ]
            await asyncio.gather(*edits)

            async def double(draft: Draft) -> None:
                await asyncio.sleep(0)
                draft["serial"] *= 2

            assert (await client.edit_with("tools", "A1", double))["serial"] == 22
            assert (await client.preview("tools", "A1", {"name": "Axe"})).changes["name"]["after"] == "Axe"
            assert (await client.replace("tools", "A1", {"name": "Axe"}))["serial"] is None
            assert (await client.form("tools", "A1")).deletable
            done = await client.batch(
                [{"action": "create", "collection": "tools", "fields": {"code": "A2", "name": "Bit"}}]
            )
            assert done[0].done
            assert [one["code"] async for one in client.list("tools", sort="-code")] == ["A2", "A1"]
            assert (await client.delete("tools", "A2")).version == 1
            assert [one.action async for one in client.history("tools", "A2")] == ["delete", "create"]

    asyncio.run(work())


def test_the_twin_tries_again_and_gives_up_as_the_client_does(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(flows, "WAITS", (0, 0))
    keys = []

    def answer(request: httpx.Request) -> httpx.Response:
        keys.append(request.headers.get("Idempotency-Key"))
        raise httpx.ConnectError("refused")

    async def work() -> None:
        async with AsyncClient("http://workshop", transport=httpx.MockTransport(answer)) as client:
            await client.update("tools", "A1", {"note": "x"})

    with pytest.raises(UnreachableError):
        asyncio.run(work())
    assert (len(keys), len(set(keys))) == (3, 1)
