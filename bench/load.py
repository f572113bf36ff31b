"""A closed-loop HTTP load from this process: raw sockets and threads, so that the client costs little."""

from __future__ import annotations

import multiprocessing
import random
import socket
import statistics
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

#: Makes the bytes of a client's next request from its dice.
Maker = Callable[[random.Random], bytes]


@dataclass(frozen=True)
class Result:
    """Requests a second, the 99th percentile of times in ms, and answers that were not wanted."""

    rate: float
    p50: float
    p99: float
    failed: int


def request(method: str, path: str, token: int, body: bytes = b"") -> bytes:
    kind = b"Content-Type: application/json\r\n" if body else b""
    head = f"{method} {path} HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer token-{token}\r\n".encode()
    return head + kind + b"Content-Length: %d\r\n\r\n" % len(body) + body


def _read_answer(sock: socket.socket) -> int:
    """Reads one answer with a Content-Length and returns its status."""
    data = b""
    while b"\r\n\r\n" not in data:
        piece = sock.recv(65536)
        if not piece:
            raise ConnectionError("closed")
        data += piece
    head, _, rest = data.partition(b"\r\n\r\n")
    length = 0
    for line in head.split(b"\r\n")[1:]:
        name, _, value = line.partition(b":")
        if name.lower() == b"content-length":
            length = int(value)
    while len(rest) < length:
        rest += sock.recv(65536)
    return int(head[9:12])


def _client(port: int, make: Maker, seed: int, until: float, times: list[float], failures: list[int]) -> None:
    dice = random.Random(seed)
    with socket.create_connection(("127.0.0.1", port)) as sock:
        sock.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
        while time.perf_counter() < until:
            started = time.perf_counter()
            sock.sendall(make(dice))
            status = _read_answer(sock)
            times.append(time.perf_counter() - started)
            if status >= 300:
                failures.append(status)


def _run(port: int, make: Maker, clients: int, seconds: float, seed: int, out: object) -> None:
    times: list[float] = []
    failures: list[int] = []
    until = time.perf_counter() + seconds
    threads = [
        threading.Thread(target=_client, args=(port, make, seed + n, until, times, failures))
        for n in range(clients)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    out.put((times, failures))  # type: ignore[attr-defined]


def load(port: int, make: Maker, *, clients: int, seconds: float, seed: int = 1) -> Result:
    """Loads a server from a process of its own, so that this one's interpreter lock is not measured."""
    context = multiprocessing.get_context("fork")
    out = context.Queue()
    process = context.Process(target=_run, args=(port, make, clients, seconds, seed, out))
    process.start()
    times, failures = out.get()
    process.join()
    times.sort()
    return Result(
        rate=len(times) / seconds,
        p50=statistics.median(times) * 1000,
        p99=times[int(len(times) * 0.99)] * 1000,
        failed=len(failures),
    )
