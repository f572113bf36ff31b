"""What rules cost: the sample's rules as conditions, one of which follows a reference, against role lists.

    python bench/rules.py [--seconds 3] [--rounds 7] [--many 1000000]

Two services over the same sample, in turn; then, over many records of which one reader may see one in a hundred, the
first page of a list filtered by that rule against the first page of who may read all, and of a `where`.
"""

from __future__ import annotations

import argparse
import random
import re
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from fenland.core.access.policy import Actor, Caller
from fenland.core.changes.change import Stamp, creation
from fenland.core.definitions.reading import definitions_from
from fenland.service.changes.applying import apply
from fenland.service.opening import open_service
from fenland.service.records.filtering import Filter
from fenland.service.records.listing import ListRequest, list_records
from fenland.service.service import Service
from fenland.service.work import Work, written
from load import load
from support import Running, start

#: What the conditions of the sample stand for, as lists.
LISTS = {
    "tickets": "access:\n  read: [office, crew, visitor]\n  create: [office, crew]\n  update: [office, crew]\n  delete: [office]\n  transfer: [office]\nfields:",
}  # fmt: skip


@contextmanager
def sample(folder: Path, *, lists: bool) -> Iterator[Running]:
    """The sample, its rules as they are or with lists in their place."""
    laid = "from pathlib import Path; from fenland.demo.sample import lay_sample; import sys; lay_sample(Path(sys.argv[1]), lambda a, b: None)"
    subprocess.run([sys.executable, "-c", laid, str(folder)], check=True)
    if lists:
        for name, text in LISTS.items():
            file = folder / "collections" / f"{name}.yaml"
            file.write_text(
                re.sub(r"access:\n.*?\nfields:", text, file.read_text(), count=1, flags=re.DOTALL)
            )
    running = start("start", folder, folder / "log")
    try:
        yield running
    finally:
        running.stop()


def _request(method: str, path: str, body: bytes = b"") -> bytes:
    kind = b"Content-Type: application/json\r\n" if body else b""
    head = f"{method} {path} HTTP/1.1\r\nHost: x\r\nAuthorization: Bearer sample-crew\r\n".encode()
    return head + kind + b"Content-Length: %d\r\n\r\n" % len(body) + body


def _keys(running: Running) -> list[str]:
    with running.client() as http:
        asked = {"where": 'station.area == "north" && state != "done"', "fields": "number", "limit": 200}
        return [one["number"] for one in http.get("/v1/records/tickets", params=asked).json()["items"]]


def compare(seconds: float, rounds: int) -> None:
    """Requests a second with conditions, over those with lists."""
    with (
        tempfile.TemporaryDirectory() as folder,
        sample(Path(folder) / "a", lists=False) as rules,
        sample(Path(folder) / "b", lists=True) as plain,
    ):
        keys = _keys(rules)

        def read(dice: random.Random) -> bytes:
            return _request("GET", f"/v1/records/tickets/{dice.choice(keys)}")

        def update(dice: random.Random) -> bytes:
            body = b'{"hours": %.2f}' % (dice.randrange(4, 400) / 4)
            return _request("PATCH", f"/v1/records/tickets/{dice.choice(keys)}", body)

        makers: dict[str, Callable[[random.Random], bytes]] = {"read": read, "update": update}
        for name, make in makers.items():
            for clients in (1, 32):
                ratios = []
                for turn in range(rounds):
                    ports = [int(one.address.rpartition(":")[2]) for one in (rules, plain)]
                    sides = ports if turn % 2 else ports[::-1]
                    found = {
                        port: load(port, make, clients=clients, seconds=seconds, seed=turn) for port in sides
                    }
                    assert not any(one.failed for one in found.values())
                    ratios.append(found[ports[0]].rate / found[ports[1]].rate)
                print(
                    f"{name:<6} {clients:>2} clients: conditions {statistics.median(ratios):.2f} of lists",
                    flush=True,
                )


DESCRIBED: dict[str, Any] = {
    "areas": {"key": "code", "fields": {"code": {"type": "string", "required": True, "unique": True, "fixed": True}, "boss": {"type": "string"}}, "access": {"read": ["office"]}},
    "readings": {
        "owner": "reader", "access": {"read": "'office' in actor.roles || record.reader == actor.name"},
        "fields": {"reader": {"type": "string"}, "level": {"type": "integer", "indexed": True}, "note": {"type": "string"}, "area": {"references": "areas"}},
    },
}  # fmt: skip


def pour(service: Service, count: int) -> None:
    """Many readings, of which one in a hundred is ada's."""
    collections = service.definitions.collections
    stamp = Stamp(service.now(), "pour")

    def areas(unit: Work) -> None:
        apply(
            unit,
            Caller(Actor("pour")),
            [
                creation(
                    collections["areas"],
                    service.new_id(),
                    {"code": f"A{n}", "boss": "ada" if n == 0 else "bo"},
                    stamp,
                )
                for n in range(100)
            ],
        )

    written(service, areas)
    for begin in range(0, count, 5000):

        def some(unit: Work, begin: int = begin) -> None:
            for n in range(begin, min(begin + 5000, count)):
                mine = n % 100 == 37
                fields = {
                    "reader": "ada" if mine else f"r{n % 997}",
                    "level": n % 10_007,
                    "note": "x",
                    "area": f"A{n % 100}",
                }
                apply(
                    unit,
                    Caller(Actor("pour")),
                    [creation(collections["readings"], service.new_id(), fields, stamp)],
                )

        written(service, some)


def pages(count: int) -> None:
    """How long the first page takes, over that of who may read all."""
    with tempfile.TemporaryDirectory() as folder:
        service = open_service(definitions_from(DESCRIBED, ["office"]), Path(folder) / "x.db")
        pour(service, count)
        office, ada = Caller(Actor("olga", roles=frozenset({"office"}))), Caller(Actor("ada"))
        asked = {
            "all of them": (office, ListRequest("readings")),
            "one in a hundred by a rule": (ada, ListRequest("readings")),
            "where level == 4711": (office, ListRequest("readings", Filter("level == 4711"))),
            "where level > 9000, sorted": (
                office,
                ListRequest("readings", Filter("level > 9000"), sort="level"),
            ),
            "where area.boss == 'ada' (one in a hundred, by a reference)": (
                office,
                ListRequest("readings", Filter("area.boss == 'ada'")),
            ),
        }
        usual = None
        for name, (caller, request) in asked.items():
            times = []
            for _ in range(60):
                started = time.perf_counter()
                assert len(list_records(service, caller, request).items) == 50
                times.append(time.perf_counter() - started)
            took = statistics.median(times)
            usual = usual or took
            print(
                f"first page of {count}: {name}: {took / usual:.2f} times, {took * 1000:.2f} ms", flush=True
            )
        service.close()


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--seconds", type=float, default=3)
    parser.add_argument("--rounds", type=int, default=7)
    parser.add_argument("--many", type=int, default=1_000_000)
    asked = parser.parse_args()
    compare(asked.seconds, asked.rounds)
    pages(asked.many)


if __name__ == "__main__":
    main()
