"""Three WSGI servers on one small app, without and with 200 idle event streams, in one run.

    python bench/servers.py [--streams 200] [--seconds 3]

Each is given as many threads as streams and 16 more; a second line shows what happens with 16 alone.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import random
import signal
import socket
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

from compare import free_port
from load import load, request

HERE = Path(__file__).parent
BIN = Path(sys.executable).parent


def _command(server: str, port: int, threads: int) -> list[str]:
    if server == "granian":
        options = ["--interface", "wsgi", "--port", str(port), "--blocking-threads", str(threads), "--no-ws"]
        return [
            str(BIN / "granian"),
            "streams:app",
            *options,
            "--log-level",
            "error",
            "--backpressure",
            "2048",
        ]
    if server == "gunicorn":
        bind = ["--bind", f"127.0.0.1:{port}", "--threads", str(threads), "--worker-class", "gthread"]
        return [
            str(BIN / "gunicorn"),
            "streams:app",
            *bind,
            "--log-level",
            "error",
            "--worker-connections",
            "4000",
        ]
    bind = ["--listen", f"127.0.0.1:{port}", "--threads", str(threads), "--connection-limit", "2000"]
    return [str(BIN / "waitress-serve"), *bind, "streams:app"]


def _patch(dice: random.Random) -> bytes:
    return request("PATCH", "/empty", 0, b'{"a": 1}')


@contextlib.contextmanager
def serving(server: str, threads: int) -> Iterator[int]:
    port = free_port()
    quiet = {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    process = subprocess.Popen(_command(server, port, threads), cwd=HERE, start_new_session=True, **quiet)
    try:
        for _ in range(200):
            with contextlib.suppress(OSError):
                socket.create_connection(("127.0.0.1", port)).close()
                break
            time.sleep(0.1)
        time.sleep(1)
        yield port
    finally:
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()


def open_streams(port: int, count: int) -> tuple[list[socket.socket], int]:
    """Opens event streams and counts those whose first event came within two seconds."""
    streams = []
    for _ in range(count):
        stream = socket.create_connection(("127.0.0.1", port), timeout=2)
        stream.sendall(b"GET /stream HTTP/1.1\r\nHost: x\r\n\r\n")
        streams.append(stream)
    served = 0
    until = time.monotonic() + 10
    for stream in streams:
        data = b""
        with contextlib.suppress(OSError):
            while b"still here" not in data:
                stream.settimeout(max(0.01, min(1.0, until - time.monotonic())))
                data += stream.recv(4096)
        served += b"still here" in data
    return streams, served


def answers(port: int) -> bool:
    """Whether one more request is answered within three seconds."""
    with contextlib.suppress(OSError), socket.create_connection(("127.0.0.1", port), timeout=3) as sock:
        sock.sendall(_patch(random.Random()))
        return b"200" in sock.recv(4096)
    return False


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--streams", type=int, default=200)
    parser.add_argument("--seconds", type=float, default=3)
    asked = parser.parse_args()
    first = None
    for server in ("granian", "gunicorn", "waitress"):
        with serving(server, asked.streams + 16) as port:
            idle = load(port, _patch, clients=8, seconds=asked.seconds).rate
            streams, served = open_streams(port, asked.streams)
            busy = load(port, _patch, clients=8, seconds=asked.seconds).rate if answers(port) else 0.0
            del streams
        with serving(server, 16) as port:
            few, few_served = open_streams(port, 17)
            hangs = not answers(port)
            del few
        first = first or (idle, busy)
        print(
            f"{server:<10}{idle / first[0]:5.2f} x granian; with {served}/{asked.streams} streams open "
            f"{busy / first[1]:5.2f} x granian, {busy / idle:4.2f} of itself; 16 threads: {few_served}/17 streams, "
            f"then {'hangs' if hangs else 'answers'}",
            flush=True,
        )


if __name__ == "__main__":
    main()
