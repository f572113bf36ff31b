"""This checkout beside another one, such as the one before a change: reads, lists and changes, as ratios.

    git worktree add ../other HEAD~10
    python bench/versus.py ../other [--rounds 5] [--seconds 2] [--clients 1 32] [--work update read]

Both serve in turn, on databases of the same records, and each figure is the median over the rounds. Besides
requests a second it tells the processor's time for each request, which a busy machine spoils less.
"""

from __future__ import annotations

import argparse
import os
import statistics
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import compare
from load import load

_TICK = os.sysconf("SC_CLK_TCK")


@contextmanager
def _of(checkout: Path) -> Iterator[str]:
    """What is started in the body runs that checkout's code."""
    here, before = compare.HERE, os.environ.get("PYTHONPATH")
    compare.HERE, os.environ["PYTHONPATH"] = checkout / "bench", str(checkout / "src")
    try:
        yield str(checkout / "src")
    finally:
        compare.HERE = here
        os.environ.pop("PYTHONPATH")
        if before is not None:
            os.environ["PYTHONPATH"] = before


def _processor_seconds(port: int) -> float:
    total = 0
    for process in compare.workers_at(port):
        fields = Path(f"/proc/{process}/stat").read_text().rpartition(")")[2].split()
        total += int(fields[11]) + int(fields[12])
    return total / _TICK


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("other", type=Path)
    parser.add_argument("--seconds", type=float, default=2)
    parser.add_argument("--rounds", type=int, default=5)
    parser.add_argument("--clients", type=int, nargs="+", default=[1, 32])
    parser.add_argument("--work", nargs="+", choices=list(compare.WORK), default=list(compare.WORK))
    asked = parser.parse_args()
    checkouts = {"today": compare.HERE.parent, "other": asked.other.resolve()}
    with tempfile.TemporaryDirectory() as folder:
        databases = {side: Path(folder) / f"{side}.db" for side in checkouts}
        for side, checkout in checkouts.items():
            with _of(checkout):
                compare.fill("app", databases[side])
        with _of(checkouts["today"]):
            today = compare.serving("app", databases["today"], 1)
            first = today.__enter__()
        with _of(checkouts["other"]):
            other = compare.serving("app", databases["other"], 1)
            second = other.__enter__()
        try:
            _measure({"today": first, "other": second}, asked)
        finally:
            today.__exit__(None, None, None)
            other.__exit__(None, None, None)


def _measure(ports: dict[str, int], asked: argparse.Namespace) -> None:
    for work in asked.work:
        for clients in asked.clients:
            rates: dict[str, list[float]] = {side: [] for side in ports}
            costs: dict[str, list[float]] = {side: [] for side in ports}
            for number in range(asked.rounds):
                # The one that goes first changes, so that a machine that slows down favours neither.
                for side in sorted(ports, reverse=bool(number % 2)):
                    begun = _processor_seconds(ports[side])
                    seed = hash((work, side, clients, number)) & 0xFFFFFF
                    found = load(
                        ports[side], compare.WORK[work], clients=clients, seconds=asked.seconds, seed=seed
                    )
                    rates[side].append(found.rate)
                    spent = _processor_seconds(ports[side]) - begun
                    costs[side].append(spent / (found.rate * asked.seconds) * 1e6)
            rate, cost = ({s: statistics.median(v) for s, v in one.items()} for one in (rates, costs))
            print(
                f"{work:<16}{clients:>3} clients  {rate['today'] / rate['other']:5.2f} x the other's requests a second, "
                f"{cost['today'] / cost['other']:5.2f} x its processor time [{rate['today']:.0f}/s, {cost['today']:.0f} µs]",
                flush=True,
            )


if __name__ == "__main__":
    main()
