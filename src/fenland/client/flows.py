"""The conversations with the service, as generators: they yield requests and are sent responses.

Nothing here opens a connection, so one body of logic serves every kind of client and its tests.
"""

from __future__ import annotations

import ssl
import time
from collections.abc import Awaitable, Callable, Generator, Mapping
from dataclasses import dataclass, field, replace
from typing import Any, TypeVar
from urllib.parse import quote, unquote

from fenland.client.body import read_json
from fenland.client.errors import (
    BY_STATUS,
    ConflictError,
    InvalidError,
    NoAnswerYetError,
    ProblemError,
    UnreachableError,
    UnsendableError,
)
from fenland.client.records import Record, record_from

Result = TypeVar("Result")

#: Methods that may be sent again when no answer came; others need an idempotency key (RFC 9110, 9.2.2).
SAFE_TO_REPEAT = frozenset({"GET"})

#: Seconds to wait before each further try.
WAITS = (0.1, 0.4, 1.6)

_TEMPORARY = frozenset({502, 503, 504})


@dataclass(frozen=True, slots=True)
class Request:
    """One request, `path` with its segments escaped."""

    method: str
    path: str
    query: Mapping[str, Any] = field(default_factory=dict)
    headers: Mapping[str, str] = field(default_factory=dict)
    content: bytes | None = None


@dataclass(frozen=True, slots=True)
class Response:
    """What came back; `status` 0 means that nothing did, and `reason` says why."""

    status: int
    headers: Mapping[str, str] = field(default_factory=dict)
    content: bytes = b""
    reason: str = ""
    #: Whether the service has the request all the same.
    taken: bool = False
    #: How long the client that sent it keeps trying, in seconds.
    patience: float = 30.0


@dataclass(frozen=True, slots=True)
class Pause:
    """Asks the driver to wait this many seconds."""

    seconds: float


Flow = Generator[Request | Pause, Response, Result]


def path(*segments: Any) -> str:
    """A path under /v1, each segment escaped."""
    return "/v1/" + "/".join(quote(str(one), safe="") for one in segments)


def ask(request: Request) -> Flow[Response]:
    """Sends a request, again where that is safe, and returns the answer.

    It is not sent again once the client's timeout has passed since the first try. Raises
    `UnreachableError` when no answer came, and the `ProblemError` of a refusal.
    """
    repeatable = request.method in SAFE_TO_REPEAT or "Idempotency-Key" in request.headers
    first = time.monotonic()
    for wait in (*WAITS, None):
        response = yield request
        failed = response.status == 0 or response.status in _TEMPORARY
        if not failed or wait is None or not _may_repeat(response, repeatable):
            break
        if time.monotonic() + wait - first > response.patience:
            break
        yield Pause(wait)
    return checked(response)


def checked(response: Response) -> Response:
    """The answer, unless it is none or a refusal. Raises `UnreachableError`, `ProblemError`."""
    if response.taken:
        raise NoAnswerYetError(
            f"The service has not answered within {response.patience:g} seconds, and may be at it still. See "
            "whether it was done before you send it again; a longer timeout waits longer."
        )
    if response.status == 0:
        raise UnreachableError(f"The service cannot be reached: {response.reason}.")
    if response.status >= 400:
        raise _problem(response)
    return response


def _may_repeat(response: Response, repeatable: bool) -> bool:
    # 503 with Retry-After comes from the service itself, before it did anything.
    return repeatable or (response.status == 503 and "retry-after" in response.headers)


def _problem(response: Response) -> ProblemError:
    try:
        body = read_json(response.content)
    except ValueError:
        body = None
    problem = body if isinstance(body, dict) else {}
    return BY_STATUS.get(response.status, ProblemError)(response.status, problem)


def ask_json(request: Request) -> Flow[Any]:
    """The same, for an answer in JSON."""
    response = yield from ask(request)
    return read_json(response.content)


def ask_saved(request: Request) -> Flow[Record]:
    """The record in the answer to a change; one that is `unseen` where it may not be read any more."""
    response = yield from ask(request)
    record = record_from(read_json(response.content) if response.content else {})
    copies = response.headers.get("fenland-copies")
    return (
        replace(record, copies=tuple(unquote(one.strip('" ')) for one in copies.split(",")))
        if copies
        else record
    )


def ask_batch(request: Request) -> Flow[Any]:
    """The answer to a batch, also of one that was refused: each item has a result of its own."""
    return (yield from _ask_also_refused(request, "results"))


def ask_many(request: Request) -> Flow[Any]:
    """The answer to a change by filter, also of one that was refused for some records."""
    return (yield from _ask_also_refused(request, "matched"))


def ask_import(request: Request) -> Flow[Any]:
    """The answer to rows that were brought in, also where they were refused as a whole for some of them."""
    return (yield from _ask_also_refused(request, "rows"))


def ask_undo(request: Request) -> Flow[Any]:
    """The answer to what was to be undone, also where something stands in the way."""
    return (yield from _ask_also_refused(request, "items"))


def _ask_also_refused(request: Request, holding: str) -> Flow[Any]:
    try:
        return (yield from ask_json(request))
    except (ConflictError, InvalidError) as error:
        if holding not in error.problem:
            raise
        return error.problem


def headers_for(token: str | None, via: str, name: str | None, behalf: str | None = None) -> dict[str, str]:
    """What every request of a client carries. Raises `UnsendableError` for what no header can hold."""
    for what, text in (("The token", token), ("The client's name", name)):
        if text is not None and not (text.isascii() and text.isprintable()):
            raise UnsendableError(f"{what} holds characters that no header can. Use it as it was given out.")
    headers = {"Fenland-Via": via, "Accept": "application/json"}
    if name is not None:
        headers["Fenland-Client"] = name
    if behalf is not None:
        headers["Fenland-On-Behalf-Of"] = behalf
    return headers | {"Authorization": f"Bearer {token}"} if token else headers


def trusted_for(address: str) -> ssl.SSLContext | bool:
    """Whose certificates are believed, as httpx takes it: nobody's where none is to be shown.

    To read those of all authorities takes longer than a request.
    """
    return ssl.SSLContext(ssl.PROTOCOL_TLS_CLIENT) if address.lower().startswith("http://") else True


def request_for(request: Request) -> dict[str, Any]:
    """A request as httpx takes it."""
    return {
        "method": request.method,
        "url": request.path,
        "params": {name: value for name, value in request.query.items() if value is not None},
        "headers": dict(request.headers),
        "content": request.content,
    }


def run(flow: Flow[Result], send: Callable[[Request], Response], sleep: Callable[[float], None]) -> Result:
    """Drives a flow to its end with blocking functions."""
    answer: Any = None
    try:
        while True:
            step = flow.send(answer)
            if isinstance(step, Pause):
                sleep(step.seconds)
                answer = None
            else:
                answer = send(step)
    except StopIteration as end:
        result: Result = end.value
        return result


async def run_async(
    flow: Flow[Result],
    send: Callable[[Request], Awaitable[Response]],
    sleep: Callable[[float], Awaitable[None]],
) -> Result:
    """Drives a flow to its end with coroutine functions."""
    answer: Any = None
    try:
        while True:
            step = flow.send(answer)
            if isinstance(step, Pause):
                await sleep(step.seconds)
                answer = None
            else:
                answer = await send(step)
    except StopIteration as end:
        result: Result = end.value
        return result
