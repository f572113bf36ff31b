"""What growth costs: updates with few records against updates with many, and memory over a long load.

    python bench/growth.py [--many 1000000] [--seconds 3] [--rounds 5] [--updates 100000]

Two Fenland services in turn, one over 10,000 records with as many history entries, one over many of
each; then so many updates on one of them, and its memory at each tenth of the way.
"""

from __future__ import annotations

import argparse
import os
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

import compare
from data import OWNERS
from load import load, request

FEW = 10_000


def fill(database: Path, count: int) -> None:
    """The accounts by the use cases, then the records with an entry each, many to a transaction."""
    compare.fill("app", database, 0)
    code = f"import app; app.pour({count})"
    given = {**os.environ, "BENCH_DB": str(database)}
    subprocess.run([sys.executable, "-c", code], cwd=compare.HERE, env=given, check=True)


def updates_of(count: int) -> compare.Maker:
    def update(dice: compare.random.Random) -> bytes:
        number = dice.randrange(count)
        body = b'{"capacity": %d, "level": %.1f}' % (dice.randrange(100_000), dice.uniform(0, 4000))
        return request("PATCH", f"/v1/records/gauges/G{number:07d}", number % OWNERS, body)

    return update


def resident(port: int) -> int:
    """The memory of the workers that listen on a port, in kilobytes."""
    total = 0
    for process in compare.workers_at(port):
        lines = Path(f"/proc/{process}/status").read_text().splitlines()
        total += sum(int(line.split()[1]) for line in lines if line.startswith("VmRSS"))
    return total


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--many", type=int, default=1_000_000)
    parser.add_argument("--seconds", type=float, default=3)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--updates", type=int, default=100_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        small, large = Path(folder) / "few.db", Path(folder) / "many.db"
        fill(small, FEW)
        fill(large, asked.many)
        with compare.serving("app", small, 1) as few, compare.serving("app", large, 1) as many:
            for clients in (1, 32):
                ratios = []
                for turn in range(asked.rounds):
                    rates = [
                        load(
                            port, updates_of(count), clients=clients, seconds=asked.seconds, seed=turn * 99
                        ).rate
                        for port, count in ((few, FEW), (many, asked.many))
                    ]
                    ratios.append(rates[0] / rates[1])
                print(
                    f"{clients:>2} clients: an update with {asked.many} records costs "
                    f"{statistics.median(ratios):.2f} times one with {FEW}",
                    flush=True,
                )
            done, start, shown = 0, resident(many), 0
            while done < asked.updates:
                result = load(many, updates_of(asked.many), clients=32, seconds=asked.seconds, seed=done)
                done += int(result.rate * asked.seconds)
                if done * 10 // asked.updates > shown or done >= asked.updates:
                    shown = done * 10 // asked.updates
                    now = resident(many)
                    print(
                        f"after {done:>7} updates: {now / start:.2f} times the memory at the start",
                        flush=True,
                    )


if __name__ == "__main__":
    main()
