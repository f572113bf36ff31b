"""Fenland and the peer side by side: reads, lists and changes at 1, 8 and 32 clients, as ratios.

    python bench/compare.py [--seconds 4] [--rounds 3] [--workers 1] [--json]
    python bench/compare.py --work update --clients 64 --sync-delay 2

Both run in turn, the peer in granian, on databases of the same records; each figure is
the median over the rounds. Fenland is durable, as the peer is: SQLite WAL with synchronous=FULL.
`--sync-delay` makes each sync of either side wait, as on a slow disk. For updates there is a third
side: a Flask route on the peer's server that reads its body and does nothing else.
"""

from __future__ import annotations

import argparse
import json
import os
import random
import signal
import socket
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from data import OWNERS
from load import Maker, Result, load, request

HERE = Path(__file__).parent
RECORDS = 10_000
CLIENTS = (1, 8, 32)


def _update(dice: random.Random) -> bytes:
    number = dice.randrange(RECORDS)
    body = b'{"capacity": %d, "level": %.1f, "enabled": %s}' % (
        dice.randrange(100_000), dice.uniform(0, 4000), dice.choice((b"true", b"false")),
    )  # fmt: skip
    return request("PATCH", f"/v1/records/gauges/G{number:07d}", number % OWNERS, body)


def _read(dice: random.Random) -> bytes:
    number = dice.randrange(RECORDS)
    return request("GET", f"/v1/records/gauges/G{number:07d}", number % OWNERS)


def _list(dice: random.Random) -> bytes:
    return request("GET", "/v1/records/gauges?limit=50", dice.randrange(OWNERS))


def _create(dice: random.Random, code: str = "", owner: int = 0) -> bytes:
    body = (
        b'{"code": "%s", "name": "New", "status": "active", "enabled": true, "capacity": 3, '
        b'"latitude": 1.5, "longitude": 2.5, "level": 3.5}'
    )
    code = code or f"N{dice.getrandbits(48):012x}"
    return request("POST", "/v1/records/gauges", owner, body % code.encode())


def _create_and_delete(dice: random.Random) -> bytes:
    """In turn, so that half of the requests are deletions of what the other half made."""
    made = _made.pop(id(dice), None)
    if made is not None:
        return request("DELETE", f"/v1/records/gauges/{made[0]}", made[1])
    _made[id(dice)] = code, owner = f"D{dice.getrandbits(48):012x}", dice.randrange(OWNERS)
    return _create(dice, code, owner)


#: What each client, known by its dice, has made and not deleted yet.
_made: dict[int, tuple[str, int]] = {}

WORK: dict[str, Maker] = {
    "read": _read,
    "list of 50": _list,
    "update": _update,
    "create": _create,
    "create, delete": _create_and_delete,
}
EMPTY = "empty route"


def _empty(dice: random.Random) -> bytes:
    return _update(dice).replace(b"/v1/records/gauges/", b"/empty?", 1)


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


@contextmanager
def serving(
    module: str, database: Path, workers: int, threads: int = 32, **environment: str
) -> Iterator[int]:
    """A side of the comparison; yields its port."""
    port = free_port()
    granian = [
        str(Path(sys.executable).with_name("granian")), "--port", str(port), "--workers", str(workers),
        "--no-ws", "--log-level", "error",
    ]  # fmt: skip
    if module != "app":
        command = [*granian, f"{module}:app", "--interface", "wsgi", "--blocking-threads", str(threads)]
    elif "def serve" in (HERE / "app.py").read_text():
        command = [sys.executable, "app.py", "--port", str(port), "--workers", str(workers)]
    else:
        # Checkouts from before Fenland served itself.
        command = [*granian, "app:front", "--factory", "--interface", "rsgi", "--loop", "uvloop"]
        command += ["--backpressure", "4096"]
    given = {"BENCH_DB": str(database), "BENCH_SERVE": "1", **environment}
    process = subprocess.Popen(command, cwd=HERE, env={**os.environ, **given}, start_new_session=True)
    try:
        for _ in range(300):
            try:
                socket.create_connection(("127.0.0.1", port)).close()
                break
            except OSError:
                time.sleep(0.1)
        time.sleep(1.5)
        yield port
    finally:
        os.killpg(process.pid, signal.SIGKILL)
        process.wait()


def fill(module: str, database: Path, count: int = RECORDS) -> None:
    code = f"import {module}; {module}.fill({count})"
    subprocess.run(
        [sys.executable, "-c", code], cwd=HERE, env={**os.environ, "BENCH_DB": str(database)}, check=True
    )


def workers_at(port: int) -> list[str]:
    """The processes of a side, by the port they were given; the last is a worker."""
    found = subprocess.run(
        ["pgrep", "-f", "--", f"--port {port}"], capture_output=True, text=True, check=True
    )
    return found.stdout.split()


def slow_sync(folder: Path, milliseconds: float) -> dict[str, str]:
    """Builds the stand-in for a slow disk; returns the environment that a server needs to feel it."""
    library = folder / "slow_sync.so"
    source = HERE / "slow_sync.c"
    subprocess.run(["cc", "-shared", "-fPIC", "-O2", "-o", library, source, "-ldl"], check=True)
    return {"LD_PRELOAD": str(library), "SLOW_SYNC_US": str(int(milliseconds * 1000))}


def measure(sides: dict[str, int], seconds: float, rounds: int, clients: tuple[int, ...]) -> list[dict]:
    rows = []
    for work, make in WORK.items():
        for count in clients:
            found: dict[str, list[Result]] = {side: [] for side in sides}
            for turn in range(rounds):
                for side, port in sides.items():
                    if side == EMPTY and work != "update":
                        continue
                    sent = _empty if side == EMPTY else make
                    seed = hash((work, side, count, turn)) & 0xFFFFFF
                    found[side].append(load(port, sent, clients=count, seconds=seconds, seed=seed))
            found = {side: results for side, results in found.items() if results}
            rate = {side: statistics.median(one.rate for one in results) for side, results in found.items()}
            p99 = {side: statistics.median(one.p99 for one in results) for side, results in found.items()}
            failed = sum(one.failed for results in found.values() for one in results)
            rows.append({"work": work, "clients": count, "rate": rate, "p99_ms": p99, "failed": failed})
            print(_line(rows[-1]), file=sys.stderr, flush=True)
    return rows


def _line(row: dict) -> str:
    rate, p99 = row["rate"], row["p99_ms"]
    others = [side for side in rate if side != "fenland"]
    ratios = "  ".join(
        f"{rate['fenland'] / rate[side]:5.2f} x {side} (p99 {p99['fenland'] / p99[side]:4.2f} x)"
        for side in others
    )
    failed = f"  {row['failed']} FAILED" if row["failed"] else ""
    return f"{row['work']:<16}{row['clients']:>3} clients  {ratios}  [{rate['fenland']:.0f}/s]{failed}"


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--seconds", type=float, default=4)
    parser.add_argument("--rounds", type=int, default=3)
    parser.add_argument("--workers", type=int, default=1)
    parser.add_argument("--threads", type=int, default=32, help="per worker, on both sides")
    parser.add_argument("--clients", type=int, nargs="+", default=list(CLIENTS))
    parser.add_argument("--work", nargs="+", choices=list(WORK), default=list(WORK))
    parser.add_argument("--sync-delay", type=float, default=0, help="milliseconds added to each sync")
    parser.add_argument("--list-memory", type=int, default=0, help="bytes of lists that are remembered")
    parser.add_argument("--json", action="store_true", help="print the figures as JSON too")
    asked = parser.parse_args()
    for work in set(WORK) - set(asked.work):
        del WORK[work]
    with tempfile.TemporaryDirectory() as folder:
        ours, theirs, locked = (Path(folder) / f"{name}.db" for name in ("fenland", "peer", "locked"))
        for module, database in (("app", ours), ("peer", theirs), ("peer", locked)):
            fill(module, database)
        given = slow_sync(Path(folder), asked.sync_delay) if asked.sync_delay else {}
        given |= {"BENCH_LIST_MEMORY": str(asked.list_memory)}
        with (
            serving("app", ours, asked.workers, asked.threads, **given) as a,
            serving("peer", theirs, asked.workers, asked.threads, **given) as b,
            serving("peer", locked, asked.workers, asked.threads, BENCH_LOCK="1", **given) as c,
        ):
            sides = {"fenland": a, "peer": b, "peer under one lock": c, EMPTY: b}
            rows = measure(sides, asked.seconds, asked.rounds, tuple(asked.clients))
    print("\nRatios of requests a second, and of the 99th percentile of times (less is better):")
    for row in rows:
        print(_line(row))
    if asked.json:
        print(json.dumps(rows, indent=1))


if __name__ == "__main__":
    main()
