"""The history at size: first pages of searches, pages of a record of many versions, and the check of it all.

    python bench/history.py [--entries 1000000] [--versions 50000] [--keep FILE]

The entries are written through the history itself, and the searches go through the service. Times are of this
machine at this moment; beside each stands that of the same question asked of a tenth of the entries, which
tells whether it grows with them.
"""

from __future__ import annotations

import argparse
import itertools
import random
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from fenland.core.access.policy import Actor, Caller
from fenland.core.definitions.reading import definitions_from
from fenland.core.history.auditing import TreeAudit
from fenland.core.history.entries import Entry
from fenland.service.changes.finding import Address
from fenland.service.history.past import When
from fenland.service.history.reading import read_past
from fenland.service.history.searching import HistoryRequest, search
from fenland.service.history.timeline import Asked, timeline
from fenland.service.opening import open_service
from fenland.service.proof.verifying import verify_database
from fenland.service.records.including import Wanted
from fenland.service.service import Service
from fenland.storage.door import Writing, audited

CODE = {"type": "string", "required": True, "unique": True, "fixed": True}
EVERYONE = {right: ["everyone"] for right in ("read", "create", "update", "delete")}
FIELDS = {
    "code": CODE,
    "depth": {"type": "number"},
    "state": {"type": "string"},
    "count": {"type": "integer"},
}
COLLECTIONS = {
    name: {"key": "code", "access": EVERYONE, "fields": FIELDS} for name in ("levels", "gates", "visits")
}
CALLER = Caller(Actor("ada"))
PORTION = 5_000


def _fill(service: Service, entries: int, versions: int) -> None:
    """Records with `versions` of one of them, and entries of all kinds up to the number wanted."""
    dice, history = random.Random(1), service.database.history
    long_id, known = "01900000-0000-7000-8000-000000000000", [0] * 5_000
    long_version, made = 0, 0

    def entry(number: int) -> Entry:
        nonlocal long_version
        day, rest = divmod(number * 86_400 // 4_000, 86_400)
        moment = f"20{30 + day // 360:02d}-{1 + day % 360 // 30:02d}-{1 + day % 30:02d}"
        stamp = f"{moment}T{rest // 3600:02d}:{rest // 60 % 60:02d}:{rest % 60:02d}.000000Z"
        if number % (entries // versions) == 0 and long_version < versions:
            long_version += 1
            record, version, key, name = long_id, long_version, "LONG", "levels"
        else:
            at = dice.randrange(len(known))
            known[at] += 1
            record, version, key = f"01900000-0000-7000-8000-{at + 1:012d}", known[at], f"K{at}"
            name = list(COLLECTIONS)[at % 3]
        changes = {
            "depth": (dice.randrange(1000) / 100, dice.randrange(1000) / 100),
            "state": (
                None,
                dice.choice(["open", "done", f"rare{number // 50_000}"]) if number % 9 == 0 else "open",
            ),
        }
        if number % 7 == 0:
            changes["count"] = (None, number)
        if version == 1:
            changes["code"] = (None, key)
        return Entry(
            stamp, name, record, key, version, "create" if version == 1 else "update",
            f"actor{dice.randrange(50)}", "api", f"request-{number // 3}", changes,
            batch=f"batch-{number // 400}" if number % 5 == 0 else None,
            reason=f"flood watch {number // 1_000}" if number % 20 == 0 else None,
        )  # fmt: skip

    while made < entries:

        def work(writing: Writing, start: int = made) -> None:
            for number in range(start, min(start + PORTION, entries)):
                one = entry(number)
                history.add(writing, one)

        service.database.write(work)
        made += PORTION
    # The long record is there, so that its history may be read.
    fields = {
        "id": long_id,
        "version": long_version,
        "code": "LONG",
        "depth": 1.0,
        "state": "open",
        "count": 1,
    }
    kept = dict.fromkeys(("created_at", "updated_at"), "2030-01-01T00:00:00.000000Z")
    record = {**fields, **kept, "created_by": "ada", "updated_by": "ada"}
    service.database.write(lambda writing: service.database.records["levels"].add(writing, record))


def _searches(entries: int) -> dict[str, HistoryRequest]:
    middle = entries // 2
    rare = f"rare{middle // 50_000}"
    at = middle * 86_400 // 4_000 // 86_400
    day = f"20{30 + at // 360:02d}-{1 + at % 360 // 30:02d}-{1 + at % 30:02d}T00:00:00.000000Z"
    return {
        "newest": HistoryRequest(),
        "collection": HistoryRequest(equal={"collection": "gates"}),
        "actor": HistoryRequest(equal={"actor": "actor7"}),
        "field": HistoryRequest(field="count"),
        "value, common": HistoryRequest(where="after.depth == 1.25"),
        "value, rare": HistoryRequest(where=f'after.state == "{rare}"'),
        "value before": HistoryRequest(where="before.depth == 9.99"),
        "time": HistoryRequest(since=day, until=day[:11] + "23:59:59.000000Z"),
        "action": HistoryRequest(equal={"action": "create"}),
        "reason": HistoryRequest(reason=f"watch {middle // 1_000}"),
        "request": HistoryRequest(equal={"request_id": f"request-{middle // 3}"}),
        "batch": HistoryRequest(equal={"batch": f"batch-{middle // 400}"}),
    }


def _milliseconds(ask: Callable[[], Any]) -> float:
    times = []
    for _ in range(7):
        began = time.perf_counter()
        ask()
        times.append((time.perf_counter() - began) * 1000)
    return statistics.median(times)


def _measured(service: Service, entries: int, versions: int) -> dict[str, float]:
    # As somebody who may read everything, of a collection in which no record is there any more.
    found = {}
    for name, request in _searches(entries).items():
        found[name] = _milliseconds(lambda request=request: search(service, CALLER, request))
    long = Address("levels", "LONG")
    for name, below in (
        ("newest page", None),
        ("a page in the middle", versions // 2),
        ("the oldest page", 30),
    ):
        asked = Asked(below=below, limit=50)
        found[f"long record, {name}"] = _milliseconds(
            lambda asked=asked: timeline(service, CALLER, long, asked)
        )
    for words, version in (("ten versions ago", versions - 10), ("half its versions ago", versions // 2)):
        when = When(version=version)
        name = f"long record as it was {words}"
        found[name] = _milliseconds(lambda when=when: read_past(service, CALLER, long, Wanted(), when))
    return found


def _database(path: Path, entries: int, versions: int) -> dict[str, float]:
    fresh = not path.exists()
    service = open_service(definitions_from(COLLECTIONS, ["office"]), path)
    if fresh:
        began = time.perf_counter()
        _fill(service, entries, versions)
        print(f"{entries:,} entries written in {time.perf_counter() - began:.0f} s")
    found = _measured(service, entries, versions)
    service.close()
    return found


def main() -> None:
    """Runs it."""
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--entries", type=int, default=1_000_000)
    parser.add_argument("--versions", type=int, default=50_000)
    parser.add_argument("--keep", type=Path, help="a file to keep the large database in, or one kept before")
    asked = parser.parse_args()
    with tempfile.TemporaryDirectory() as folder:
        path = asked.keep or Path(folder) / "large.db"
        large = _database(path, asked.entries, asked.versions)
        small = _database(Path(folder) / "small.db", asked.entries // 10, asked.versions // 10)
        width = max(map(len, large))
        for name, milliseconds in large.items():
            ratio = milliseconds / small[name]
            print(f"{name:<{width}}  {milliseconds:8.2f} ms   {ratio:6.2f} times that of a tenth")
        _check(path)


def _check(path: Path) -> None:
    """How fast the tree is checked: its hashes alone, and with all that is read for them."""
    with audited(path) as base:
        rows = list(itertools.islice(base.rows(), 200_000))
    began, audit = time.process_time(), TreeAudit()
    for row in rows:
        audit.take(row)
    alone = len(rows) / (time.process_time() - began)
    began = time.process_time()
    report = verify_database(path, tree_only=True)
    whole = report.entries / (time.process_time() - began)
    print(f"the tree checked: {alone:,.0f} entries a second of one core, {whole:,.0f} with reading them")


if __name__ == "__main__":
    main()
