"""Passes of a letter run, against the same records brought in and exported; and what the service holds meanwhile.

    python bench/letters.py [--records 10000]

One service on loopback with a worker. Printed are the records a second of an import, of an export, and of a letter run,
how long its first line takes, the memory that the worker comes to have by it, and how the answers of somebody else who
reads a record all the while are delayed.
"""

from __future__ import annotations

import argparse
import os
import sys
import tempfile
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx

sys.path.insert(0, str(Path(__file__).parents[1] / "tests"))

from support import Running, new_project, start

HOLDERS = """
key: number
access: {read: [editor], create: [editor], update: [editor], pass: [editor], review: [editor]}
fields:
  number: {type: string, required: true, unique: true, fixed: true}
  name: {type: string, search: true}
  phone: {type: string}
passes:
  own: {shows: [number, name, phone], changes: {phone: at once}}
"""


def resident(running: Running) -> int:
    """Bytes that the largest process of the service holds."""
    sizes = []
    for one in Path("/proc").glob("[0-9]*"):
        try:
            if os.getpgid(int(one.name)) == running.process.pid:
                pages = int((one / "statm").read_text().split()[1])
                sizes.append(pages * os.sysconf("SC_PAGE_SIZE"))
        except (OSError, ProcessLookupError):
            continue
    return max(sizes, default=0)


@contextmanager
def reading(http: httpx.Client) -> Iterator[list[float]]:
    """Has somebody read a record all the while; how long each answer took, in seconds."""
    took, done = list[float](), threading.Event()

    def read() -> None:
        with httpx.Client(base_url=http.base_url, headers=http.headers) as mine:
            while not done.is_set():
                begun = time.perf_counter()
                mine.get("/v1/records/holders/N1").raise_for_status()
                took.append(time.perf_counter() - begun)

    thread = threading.Thread(target=read)
    thread.start()
    yield took
    done.set()
    thread.join()


def run(running: Running, http: httpx.Client) -> tuple[int, float, float, int]:
    """A letter run: its lines, how many a second, seconds until the first, and the most memory meanwhile."""
    lines, first, most, asked = -1, 0.0, 0, {"collection": "holders", "template": "own"}
    begun = time.perf_counter()
    with http.stream("POST", "/v1/passes/letters", json=asked) as answer:
        for number, piece in enumerate(answer.iter_bytes()):
            lines += piece.count(b"\r\n")
            if lines > 0:
                first = first or time.perf_counter() - begun
            if not number % 8:
                most = max(most, resident(running))
    return lines, lines / (time.perf_counter() - begun), first, most


def measured(running: Running, token: str, records: int) -> None:
    """All of it, told on standard output."""
    rows = "number,name,phone\n" + "".join(
        f"N{one},Holder {one},0555 {one}\n" for one in range(1, records + 1)
    )
    with running.client(token) as http:
        http.timeout = httpx.Timeout(300)
        begun = time.perf_counter()
        brought = http.post(
            "/v1/records/holders/import?mode=create", content=rows, headers={"Content-Type": "text/csv"}
        )
        brought.raise_for_status()
        imported = records / (time.perf_counter() - begun)
        begun = time.perf_counter()
        assert http.get("/v1/exports/holders?as=csv").text.count("\n") > records
        exported = records / (time.perf_counter() - begun)
        before = resident(running)
        lines, written, first, most = run(running, http)
        with reading(http) as took:
            beside = run(running, http)[1]
    took.sort()
    print(f"links made                 {lines:7}")
    print(f"links a second             {written:7.0f}")
    print(f"  to rows imported         {written / imported:7.2f} x")
    print(f"  to rows exported         {written / exported:7.2f} x")
    print(f"first of them after        {first * 1000:7.0f} ms")
    print(f"memory before, and at most {before / 1e6:7.0f} MB, {most / 1e6:.0f} MB")
    print(f"beside who reads meanwhile {beside / written:7.2f} x")
    print(
        f"  whose answers take       {took[len(took) // 2] * 1000:7.1f} ms, at most {took[-1] * 1000:.0f} ms"
    )


def main() -> None:
    """Starts what is measured, and stops it."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--records", type=int, default=10_000)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as place:
        folder = new_project(Path(place) / "notes")
        (folder / "collections" / "holders.yaml").write_text(HOLDERS)
        token, running = (folder / "token").read_text(), start("start", folder, folder / "log")
        try:
            measured(running, token, asked.records)
        finally:
            running.stop()


if __name__ == "__main__":
    main()
