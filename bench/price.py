"""What each part of an update costs, inside one process: no other checkout, no second service.

    python bench/price.py [--updates 2000] [--rounds 40]

One thread sends PATCHes to the app, on a database in memory where there is room. It prints the processor's time of one with rules as
lists, as conditions, and as conditions that follow a reference; with lists again and three derived fields, an effect whose condition does not
hold, one that sets a field, a sum in another record and an effect that changes one; each beside that with lists alone, a moment apart, as multiples of it; then, by timers around them, the shares of the parts, as
conditions have them; and what the way in and out over a socket adds to it.
"""

from __future__ import annotations

import argparse
import asyncio
import gc
import io
import os
import random
import socket
import statistics
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import uvloop

from app import GAUGES
from fenland.core.access.policy import Actor, Caller
from fenland.core.definitions.reading import definitions_from
from fenland.service.accounts.accounts import NewAccount, add_account
from fenland.service.accounts.tokens import NewToken, issue_token
from fenland.service.opening import open_service
from fenland.service.own.loading import load_functions
from fenland.service.records import update
from fenland.service.records.create import CreateRequest, create
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.storage.shared.history import history as entries
from fenland.storage.shared.history.terms import Terms
from fenland.storage.shared.history.tree import Tree
from fenland.storage.sqlite.engine import WritingConnection
from fenland.web.http.environ import CAN_WAIT
from fenland.web.serving.app import create_app
from fenland.web.serving.http1 import Connection, Deadlines
from fenland.web.serving.logs import configure
from fenland.web.serving.serve import COLLECTED_AT, front_of

RECORDS = 500
ONE = "gauges"

_RIGHTS = ("read", "create", "update", "delete")
_LISTS = ["owner"]
#: Of each way, the rules, the same for every right, which let the owner in and nobody else; fields and effects besides.
WAYS: dict[str, tuple[Any, dict[str, Any], list[dict[str, Any]]]] = {
    "lists": (_LISTS, {}, []),
    "conditions": ('record.owner == actor.name && record.status != "retired"', {}, []),
    "a reference followed": ('record.owner == actor.name && record.area.state == "open"', {}, []),
    "three derived fields": (
        _LISTS,
        {
            "twice": {"type": "integer", "derived": "record.capacity * 2"},
            "above": {"type": "boolean", "derived": "record.twice > 5000"},
            "line": {"type": "string", "derived": "record.name + ' ' + string(record.capacity)"},
        },
        [],
    ),
    "an effect that does not happen": (
        _LISTS,
        {"seen": {"type": "integer"}},
        [{"on": "update", "if": "before.status != after.status", "set": {"seen": "after.capacity"}}],
    ),
    "an effect that sets a field": (
        _LISTS,
        {"seen": {"type": "integer"}},
        [{"on": "update", "if": "after.capacity != before.capacity", "set": {"seen": "after.capacity"}}],
    ),
    "a check that is a function": (_LISTS, {}, []),
    "a sum in another record": (_LISTS, {}, []),
    "an effect that changes another": (
        _LISTS,
        {},
        [{"on": "update", "change": "after.area", "set": {"seen": "after.capacity"}}],
    ),
}
#: Of some, a check, and the function that it calls.
CHECKS: dict[str, list[dict[str, Any]]] = {"a check that is a function": [{"call": "fits"}]}
RULES = """
from fenland.rules import check

@check
def fits(next):
    return "Too much." if (next["capacity"] or 0) > 1_000_000 else None
"""
#: Of some, fields of the records that all the others refer to.
AREAS: dict[str, dict[str, Any]] = {
    "a sum in another record": {
        "total": {"type": "integer", "derived": {"sum": "each.capacity", "of": f"{ONE}.area"}}
    },
    "an effect that changes another": {"seen": {"type": "integer"}},
}


def _service(path: Path, way: str) -> Service:
    rule, fields, effects = WAYS[way]
    gauges = {**GAUGES, "access": dict.fromkeys(_RIGHTS, rule), **({"effects": effects} if effects else {})}
    gauges |= {"checks": CHECKS[way]} if way in CHECKS else {}
    gauges["access"]["create"] = ["everyone"]
    gauges["fields"] = {**GAUGES["fields"], "area": {"references": "areas"}, **fields}
    areas = {
        "key": "code",
        "access": {right: ["everyone"] for right in _RIGHTS},
        "fields": {
            "code": {"type": "string", "required": True, "unique": True, "fixed": True},
            "state": {"type": "string", "required": True},
            **AREAS.get(way, {}),
        },
    }
    path.with_name("rules.py").write_text(RULES if way in CHECKS else "")
    functions = load_functions(path.parent, seconds=2)
    service = open_service(definitions_from({ONE: gauges, "areas": areas}, functions=functions), path)
    add_account(service, NewAccount("olga"))
    issue_token(service, "olga", NewToken(secret="token-olga"))
    caller = Caller(Actor("olga"))
    create(service, caller, CreateRequest("areas", {"code": "A1", "state": "open"}))
    for number in range(RECORDS):
        fields = {"code": f"G{number}", "owner": "olga", "name": "Gauge", "status": "active", "enabled": True}
        create(service, caller, CreateRequest(ONE, {**fields, "area": "A1"}))
    return service


def _body(dice: random.Random) -> bytes:
    return b'{"capacity": %d, "level": %.1f}' % (dice.randrange(100_000), dice.uniform(0, 4000))


def _environ(dice: random.Random) -> dict[str, Any]:
    body = _body(dice)
    return {
        "REQUEST_METHOD": "PATCH", "PATH_INFO": f"/v1/records/{ONE}/G{dice.randrange(RECORDS)}", "QUERY_STRING": "",
        "CONTENT_TYPE": "application/json", "CONTENT_LENGTH": str(len(body)), "REMOTE_ADDR": "127.0.0.1",
        "HTTP_AUTHORIZATION": "Bearer token-olga", "SCRIPT_NAME": "", "SERVER_NAME": "x", "SERVER_PORT": "80",
        "SERVER_PROTOCOL": "HTTP/1.1", "wsgi.url_scheme": "http", "wsgi.input": io.BytesIO(body), "fenland.body": body,
        CAN_WAIT: True,
    }  # fmt: skip


def _call(app: Any, environ: dict[str, Any]) -> None:
    statuses: list[str] = []
    b"".join(app(environ, lambda status, _headers, _error=None: statuses.append(status)))
    if statuses != ["200 OK"]:
        raise SystemExit(f"An update was answered with {statuses}.")


def _timed(app: Any, updates: int, dice: random.Random) -> float:
    """The processor's time of one update, in microseconds."""
    sent = [_environ(dice) for _ in range(updates)]
    begun = time.process_time()
    for environ in sent:
        _call(app, environ)
    return (time.process_time() - begun) / updates * 1e6


#: The parts that timers stand around: what each is called, where it is kept, and its name there. A part within
#: another counts for both.
PARTS: tuple[tuple[str, Any, str], ...] = (
    ("decide: find, rules, validate, compare", update, "decide"),
    ("save: the row and its entry", update, "apply"),
    ("  the entry", entries.TableHistory, "add"),
    ("    its leaf", entries, "leaf_text"),
    ("    the tree's nodes", Tree, "completed"),
    ("    terms of full blocks", Terms, "add"),
    ("SQLite: every statement of the writer", WritingConnection, "execute"),
    ("  the commit", WritingConnection, "commit_work"),
)


@contextmanager
def _timers() -> Iterator[Counter[str]]:
    """Counts the seconds that the parts take while the body runs."""
    spent: Counter[str] = Counter()
    before = [(owner, name, getattr(owner, name)) for _, owner, name in PARTS]

    def around(part: str, work: Callable[..., Any]) -> Callable[..., Any]:
        def timed(*given: Any, **named: Any) -> Any:
            begun = time.perf_counter()
            try:
                return work(*given, **named)
            finally:
                spent[part] += time.perf_counter() - begun

        return timed

    for (part, owner, name), (_, _, work) in zip(PARTS, before, strict=True):
        setattr(owner, name, around(part, work))
    try:
        yield spent
    finally:
        for owner, name, work in before:
            setattr(owner, name, work)


def _over_a_socket(service: Service, updates: int) -> float:
    """The processor's time of one update that comes over a connection, with the front's, in microseconds."""
    ours, theirs = socket.socketpair()
    front = front_of(service, Settings(log_level="error"))
    spent: list[float] = []

    async def serve() -> None:
        loop = asyncio.get_running_loop()
        front.begin(loop)
        ended = loop.create_future()
        made = lambda: Connection(front, Deadlines(60, 60), lambda _: ended.set_result(None))  # noqa: E731
        begun = time.process_time()
        await loop.connect_accepted_socket(made, ours)
        await ended
        spent.append(time.process_time() - begun)
        front.stop_threads()

    def send() -> None:
        dice, begun = random.Random(5), time.thread_time()
        with theirs:
            for _ in range(updates):
                body = _body(dice)
                head = (
                    f"PATCH /v1/records/{ONE}/G{dice.randrange(RECORDS)} HTTP/1.1\r\nHost: x\r\n"
                    f"Authorization: Bearer token-olga\r\nContent-Type: application/json\r\nContent-Length: {len(body)}\r\n\r\n"
                )
                theirs.sendall(head.encode() + body)
                if not theirs.recv(65_536).startswith(b"HTTP/1.1 200"):
                    raise SystemExit("An update over the socket was refused.")
        # The client's own.
        spent.append(begun - time.thread_time())

    thread = threading.Thread(target=send)
    thread.start()
    with asyncio.Runner(loop_factory=uvloop.new_event_loop) as runner:
        runner.run(serve())
    thread.join()
    return sum(spent) / updates * 1e6


def main() -> None:
    parser = argparse.ArgumentParser(
        description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    parser.add_argument("--updates", type=int, default=2000)
    parser.add_argument("--rounds", type=int, default=40)
    asked = parser.parse_args()
    configure(Settings(log_level="error"))
    memory = "/dev/shm" if os.access("/dev/shm", os.W_OK) else None
    dice = random.Random(1)
    with tempfile.TemporaryDirectory(dir=memory) as folder:
        services = {
            name: _service(Path(folder) / f"{place}.db", name)
            for place, (name, way) in enumerate(WAYS.items())
        }
        apps = {name: create_app(one, Settings()).wsgi_app for name, one in services.items()}
        # As a worker does: with so many services in one process, looking for circles would cost each of them.
        gc.collect()
        gc.freeze()
        gc.set_threshold(*COLLECTED_AT)
        found: dict[str, list[float]] = {name: [] for name in apps}
        for name, app in apps.items():
            _timed(app, 50, dice)
            for _ in range(asked.rounds):
                # Each beside the usual one, a moment apart: the machine's speed changes from second to second.
                usual, cost = (_timed(one, asked.updates // 10, dice) for one in (apps["lists"], app))
                found[name].append(cost / usual)
        for name, ratios in found.items():
            low, middle, high = statistics.quantiles(ratios, n=4)
            print(f"{middle:5.2f} x  {name}  [{low:.2f} to {high:.2f}]")
        print("\nof an update with conditions:")
        with _timers() as spent:
            begun = time.perf_counter()
            _timed(apps["conditions"], asked.updates, dice)
            whole = time.perf_counter() - begun
        for part, _, _ in PARTS:
            print(f"{spent[part] / whole:5.0%}  {part}")
        rounds = [
            (
                _over_a_socket(services["conditions"], asked.updates),
                _timed(apps["conditions"], asked.updates, dice),
            )
            for _ in range(7)
        ]
        ratio = statistics.median(there / alone for there, alone in rounds)
        print(f"\n{ratio:5.2f} x  over a connection, with the loop and the front, of the app alone")
        for service in services.values():
            service.close()


if __name__ == "__main__":
    main()
