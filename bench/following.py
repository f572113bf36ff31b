"""Streams of changes beside changes: what many that are idle, and some that are busy, cost.

    python bench/following.py [--idle 5000] [--busy 500] [--seconds 8]

One service on loopback, one worker. Updates at 32 clients without streams, with idle ones (of a collection in which
nothing changes), and without again; then at 32 clients beside 20 changes a second in a collection that is followed by
none, and by many. Printed are the ratios of the rates, the memory of an idle stream, how long changes took to reach
a stream, and how long `/healthz` took. Last, as many streams as were idle are opened and dropped twice over, which is
to leave memory and descriptors as they were.
"""

from __future__ import annotations

import argparse
import json
import multiprocessing
import os
import random
import resource
import selectors
import socket
import sys
import tempfile
import threading
import time
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from commands import fenland
from load import Result, load
from support import Running, new_project, start

CLIENTS, CHANGES_A_SECOND = 32, 20
OTHERS = (
    "key: code\naccess: {read: [everyone], create: [everyone], update: [everyone], delete: [everyone]}\n"
    "fields:\n  code: {type: string, required: true, unique: true, fixed: true, maxLength: 20}\n"
    "  at: {type: string, maxLength: 40}\n"
)


def _read(port: int, head: bytes, count: int, told: Any) -> None:
    """Holds streams open in a process of its own; tells in how many ms each event came."""
    chosen = selectors.DefaultSelector()
    for _ in range(count):
        sock = socket.create_connection(("127.0.0.1", port))
        sock.sendall(head)
        chosen.register(sock, selectors.EVENT_READ)
        sock.recv(65536)
    told.put("open")
    took: list[float] = []
    while True:
        for key, _ in chosen.select(0.2):
            text = key.fileobj.recv(65536)  # type: ignore[union-attr]
            now = time.time()
            if not text:
                told.put(took)
                return
            for line in text.split(b"\n"):
                if line.startswith(b"data: "):
                    sent = json.loads(line[6:])["data"]["record"]["at"]
                    took.append((now - float(sent)) * 1000)


class Held:
    """Streams of one collection, held open by another process."""

    def __init__(self, running: Running, token: str, collection: str, count: int) -> None:
        port = int(running.address.rpartition(":")[2])
        head = (
            f"GET /v1/changes?collection={collection}&data=record HTTP/1.1\r\nHost: x\r\n"
            f"Authorization: Bearer {token}\r\nAccept: text/event-stream\r\n\r\n"
        ).encode()
        context = multiprocessing.get_context("fork")
        self._told = context.Queue()
        self._process = context.Process(target=_read, args=(port, head, count, self._told))
        self._process.start()
        self._told.get()

    def times(self) -> list[float]:
        """Ends the service's side, by its stop, and gives how long events took."""
        found: list[float] = self._told.get()
        return sorted(found)

    def drop(self) -> None:
        self._process.kill()
        self._process.join()


def _worker(running: Running) -> int:
    """The process that answers: the child of the one that was started."""
    children = Path(f"/proc/{running.process.pid}/task/{running.process.pid}/children").read_text().split()
    return int(children[-1])


def _memory(process: int) -> float:
    """Resident MB."""
    pages = int(Path(f"/proc/{process}/statm").read_text().split()[1])
    return pages * resource.getpagesize() / 1e6


def _files(process: int) -> int:
    return len(os.listdir(f"/proc/{process}/fd"))


class Bench:
    def __init__(self, running: Running, token: str, asked: argparse.Namespace) -> None:
        self.running, self.token, self.asked = running, token, asked
        self.port, self.worker = int(running.address.rpartition(":")[2]), _worker(running)

    def rate(self) -> Result:
        def make(dice: random.Random) -> bytes:
            body = json.dumps({"title": str(dice.random())}).encode()
            return (
                f"PATCH /v1/records/notes/n{dice.randrange(100)} HTTP/1.1\r\nHost: x\r\n"
                f"Authorization: Bearer {self.token}\r\nContent-Type: application/json\r\n"
                f"Content-Length: {len(body)}\r\n\r\n"
            ).encode() + body

        found = load(self.port, make, clients=CLIENTS, seconds=self.asked.seconds)
        if found.failed:
            print(f"{found.failed} changes were not answered as wanted")
        return found

    def beside_changes(self) -> Result:
        ended = threading.Event()

        def change() -> None:
            with self.running.client(self.token) as http:
                while not ended.wait(1 / CHANGES_A_SECOND):
                    http.patch("/v1/records/busy/b", json={"at": repr(time.time())}).raise_for_status()

        thread = threading.Thread(target=change)
        thread.start()
        try:
            return self.rate()
        finally:
            ended.set()
            thread.join()

    def healthy(self) -> float:
        begun = time.perf_counter()
        with self.running.client(self.token) as http:
            http.get("/healthz").raise_for_status()
        return (time.perf_counter() - begun) * 1000

    def idle(self) -> None:
        first, before = self.rate(), _memory(self.worker)
        held = Held(self.running, self.token, "quiet", self.asked.idle)
        memory = _memory(self.worker)
        beside, health = self.rate(), self.healthy()
        held.drop()
        again = self.rate()
        alone = (first.rate + again.rate) / 2
        print(f"{self.asked.idle} idle streams        {beside.rate / alone:5.2f} of the rate without")
        print(
            f"an idle stream            {(memory - before) * 1e3 / self.asked.idle:5.1f} kB, all {memory - before:.0f} MB"
        )
        print(f"healthz beside them       {health:5.1f} ms")

    def busy(self) -> None:
        first = self.beside_changes()
        held = Held(self.running, self.token, "busy", self.asked.busy)
        beside = self.beside_changes()
        held.drop()
        again = self.beside_changes()
        alone = (first.rate + again.rate) / 2
        print(f"{self.asked.busy} busy streams          {beside.rate / alone:5.2f} of the rate without")

    def dropped(self) -> None:
        memory, files = _memory(self.worker), _files(self.worker)
        for _ in range(2):
            Held(self.running, self.token, "quiet", self.asked.idle).drop()
            time.sleep(1)
        print(
            f"{2 * self.asked.idle} opened and dropped   {_memory(self.worker) - memory:+.1f} MB, "
            f"{_files(self.worker) - files:+} descriptors"
        )

    def latency(self) -> list[float]:
        held = Held(self.running, self.token, "busy", 1)
        with self.running.client(self.token) as http:
            for _ in range(int(self.asked.seconds * CHANGES_A_SECOND)):
                http.patch("/v1/records/busy/b", json={"at": repr(time.time())}).raise_for_status()
                time.sleep(1 / CHANGES_A_SECOND)
        self.running.stop()
        return held.times()


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--idle", type=int, default=5_000)
    parser.add_argument("--busy", type=int, default=500)
    parser.add_argument("--seconds", type=float, default=8)
    asked = parser.parse_args()
    resource.setrlimit(resource.RLIMIT_NOFILE, (resource.getrlimit(resource.RLIMIT_NOFILE)[1],) * 2)
    with tempfile.TemporaryDirectory() as place:
        folder = new_project(Path(place) / "notes")
        for name in ("busy", "quiet"):
            (folder / "collections" / f"{name}.yaml").write_text(OTHERS)
        with (folder / "fenland.toml").open("a") as file:
            file.write(f"account_streams = {asked.idle + asked.busy}\n")
        fenland("migrate", str(folder))
        token, running = (folder / "token").read_text(), start("start", folder, folder / "log")
        try:
            bench = Bench(running, token, asked)
            with running.client(token) as http:
                for number in range(100):
                    new = {"slug": f"n{number}", "title": "x"}
                    http.post("/v1/records/notes", json=new).raise_for_status()
                http.post("/v1/records/busy", json={"code": "b"}).raise_for_status()
            bench.idle()
            bench.busy()
            bench.dropped()
            took = bench.latency()
            print(
                f"from saving to a stream   {took[len(took) // 2]:5.1f} ms, 99 of 100 {took[len(took) * 99 // 100]:.1f} ms"
            )
        finally:
            running.stop()


if __name__ == "__main__":
    main()
