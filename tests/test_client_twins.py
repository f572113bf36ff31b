"""Both clients send the same for the same call, and hear every parameter: what each method sends is compared."""

from __future__ import annotations

import asyncio
import inspect
from collections.abc import Mapping
from typing import Any

import httpx
import pytest

from fenland.client import AsyncClient, AsyncPast, Client, Past, ProblemError

#: What would open no request of its own: drafts and loops over what others do, which have tests of their own.
_APART = {"close", "edit", "edit_with", "past"}
#: By the name of a parameter, what is given; by its type where there is nothing here.
GIVEN: Mapping[str, Any] = {
    "fields": {"a": 1}, "mode": "update", "at": "2031-04-09", "limit": 7, "since": "2031-04-09", "until": "2031-04-10",
    "seen": '"018f3c1e-7b2a-7cc0-9a51-3f0f3d1c2b4a.3"', "content": b"{}\n", "days": 3, "scope": {"rights": ["read"]}, "blank": "keep",
    "equal": {"pumps": 3}, "match": {"A": "a"}, "values": {"a": 2}, "include": ["station"], "base": 3, "version": 4, "after": 9,
}  # fmt: skip
#: Of some, `fields` are names.
_NAMES = {"values", "export", "erase"}


def _of(kind: type) -> list[str]:
    return [name for name in vars(kind) if not name.startswith("_") and name not in _APART]


def _value(method: str, one: inspect.Parameter) -> Any:
    if one.name == "fields" and method in _NAMES:
        return ["a", "b"]
    if one.name == "form":
        return "csv" if one.default == "jsonl" else "jsonl"
    if one.name in GIVEN:
        return GIVEN[one.name]
    kind = str(one.annotation)
    if kind == "bool":
        return one.default is not True
    if "Sequence" in kind or "list" in kind:
        return [{"at": "/a", "set": 1}] if "Mapping" in kind else ["a"]
    return 5 if kind.startswith("int") else {"a": 1} if kind.startswith("Mapping") else f"some-{one.name}"


def _parameters(kind: type, name: str) -> tuple[dict[str, Any], dict[str, Any]]:
    """What a method must be given, and what it may be given beside."""
    asked = [one for one in inspect.signature(getattr(kind, name)).parameters.values() if one.name != "self"]
    named = [one for one in asked if one.kind is not inspect.Parameter.VAR_KEYWORD]
    needed = {one.name: _value(name, one) for one in named if one.default is one.empty}
    return needed, {one.name: _value(name, one) for one in named if one.default is not one.empty}


def _first(kind: type, name: str, given: Mapping[str, Any]) -> tuple[Any, ...]:
    """The first request that a call sends."""
    seen: list[httpx.Request] = []

    def answer(request: httpx.Request) -> httpx.Response:
        seen.append(request)
        return httpx.Response(418, json={"title": "no"})

    transport = httpx.MockTransport(answer)

    async def awaited() -> None:
        async with AsyncClient("http://x", "t", transport=transport) as client:
            found = getattr(client.past if kind is AsyncPast else client, name)(**given)
            if inspect.isasyncgen(found):
                async for _ in found:
                    pass
            else:
                await found

    def called() -> None:
        if kind in (AsyncClient, AsyncPast):
            asyncio.run(awaited())
            return
        with Client("http://x", "t", transport=transport) as client:
            found = getattr(client.past if kind is Past else client, name)(**given)
            if inspect.isgenerator(found):
                list(found)

    with pytest.raises(ProblemError):
        called()
    one = seen[0]
    names = ("accept", "content-type", "if-match", "if-none-match", "prefer", "idempotency-key")
    return one.method, str(one.url), {name: one.headers.get(name) for name in names}, one.content


PAIRS = [(Client, AsyncClient, name) for name in _of(Client)] + [
    (Past, AsyncPast, name) for name in _of(Past)
]


def test_both_have_the_same_methods_with_the_same_parameters() -> None:
    for one, other in ((Client, AsyncClient), (Past, AsyncPast)):
        assert set(_of(one)) == set(_of(other))
    for one, other, name in PAIRS:
        left, right = (inspect.signature(getattr(kind, name)).parameters for kind in (one, other))
        assert [(a.name, a.kind, a.default) for a in left.values()] == [
            (b.name, b.kind, b.default) for b in right.values()
        ], name


@pytest.mark.parametrize(("one", "other", "name"), PAIRS, ids=lambda value: getattr(value, "__name__", value))
def test_both_send_the_same_and_hear_every_parameter(one: type, other: type, name: str) -> None:
    needed, more = _parameters(one, name)
    key = {"idempotency_key": "k"} if "idempotency_key" in more else {}
    plain = _first(one, name, {**needed, **key})
    if key:
        assert plain == _first(other, name, {**needed, **key})
    for parameter, value in more.items():
        given = {**needed, **key, parameter: value}
        if parameter == "idempotency_key":
            given = {**needed, parameter: "another"}
        found = _first(one, name, given)
        if key or found[2]["idempotency-key"] is None:
            assert found != plain, (name, parameter)
            assert found == _first(other, name, given), (name, parameter)
