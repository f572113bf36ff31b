"""Where a request's time goes: samples of a loaded worker, as shares by what it was doing.

    python bench/shares.py [--work update] [--clients 32] [--seconds 8]

Needs leave to trace processes, for py-spy. What the server itself does is not seen.
"""

from __future__ import annotations

import argparse
import collections
import subprocess
import sys
import tempfile
import threading
from pathlib import Path

import compare
from load import load

#: What a sample counts as: the first of these that stands anywhere in its stack.
AREAS = (
    ("waiting for the commit to be on disk", "commit_work ("),
    ("find the record, and may they", "find (fenland/service/changes/finding"),
    ("read the patch", "read_object ("),
    ("save: the record and its entry", "apply (fenland/service/changes/applying"),
    ("decide: apply, check, compare", "decide (fenland/service/records/update"),
    ("list: fetch the rows", "all (fenland/storage/shared/statements"),
    ("list: make records of them", "record_of (<rows of"),
    ("read a record", "read (fenland/service/records/read"),
    ("sign in", "caller_of ("),
    ("the writer's lead and its locks", "fenland/storage/sqlite/writer"),
    ("write the answer", "fenland/web/http/answering"),
    ("read the request", "fenland/web/http/patch_formats"),
    ("read the request", "fenland/web/http/headers"),
)  # fmt: skip
#: Innermost frames of threads that wait for others: they cost nothing.
WAITING = (
    "run (fenland/storage/sqlite/writer",
    "take (fenland/storage/shared/turn",
    "_work (fenland/web/serving/front",
    "__exit__ (fenland/storage/shared/turn",
)


def area_of(stack: str) -> str | None:
    """The area of one sampled stack, outermost frame first; None for a thread that waits or is idle."""
    stack = stack.replace("site-packages/", "")
    innermost = stack.rpartition(";")[2]
    if "(fenland/" not in stack or any(mark in innermost for mark in WAITING):
        return None
    for name, mark in AREAS:
        if mark in stack:
            return name
    return "our own web layer" if "(fenland/" in innermost else "Flask and werkzeug"


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--work", choices=list(compare.WORK), default="update")
    parser.add_argument("--clients", type=int, default=32)
    parser.add_argument("--seconds", type=int, default=8)
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        database, raw = Path(folder) / "fenland.db", Path(folder) / "samples.txt"
        compare.fill("app", database)
        with compare.serving("app", database, 1) as port:
            make = compare.WORK[asked.work]
            busy = threading.Thread(
                target=load,
                args=(port, make),
                kwargs={"clients": asked.clients, "seconds": asked.seconds + 3},
            )
            busy.start()
            worker = compare.workers_at(port)[-1]
            command = [
                "py-spy",
                "record",
                "-d",
                str(asked.seconds),
                "-r",
                "250",
                "-F",
                "-f",
                "raw",
                "-o",
                str(raw),
            ]
            subprocess.run([*command, "--pid", worker], check=True, capture_output=True)
            busy.join()
        counts: collections.Counter[str] = collections.Counter()
        for line in raw.read_text().splitlines():
            stack, _, times = line.rpartition(" ")
            area = area_of(stack)
            if area is not None:
                counts[area] += int(times)

    for name, times in counts.most_common():
        print(f"{times / counts.total():5.0%}  {name}")


if __name__ == "__main__":
    sys.exit(main())
