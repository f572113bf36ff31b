"""Fenland over the gauges, served as it serves itself. BENCH_DB names the database."""

from __future__ import annotations

import argparse
import gc
import itertools
import os
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

from data import OWNERS, gauges
from fenland.core.access.policy import Actor, Caller
from fenland.core.definitions.reading import definitions_from
from fenland.service.accounts.accounts import NewAccount, add_account
from fenland.service.accounts.tokens import NewToken, issue_token
from fenland.service.opening import open_service
from fenland.service.records.create import CreateRequest, create, create_within, read_new
from fenland.service.service import Service
from fenland.service.settings import Settings
from fenland.service.work import Work, written
from fenland.web.serving.logs import configure
from fenland.web.serving.serve import COLLECTED_AT, front_of, serve_on
from fenland.web.serving.supervisor import Supervisor, listen

GAUGES: dict[str, Any] = {
    "key": "code",
    "owner": "owner",
    "access": {
        "read": ["owner"],
        "create": ["everyone"],
        "update": ["owner"],
        "delete": ["owner"],
    },
    "fields": {
        "code": {"type": "string", "required": True, "unique": True, "fixed": True, "maxLength": 16},
        "owner": {"type": "string", "required": True},
        "name": {"type": "string", "required": True, "minLength": 1, "maxLength": 80},
        "status": {"type": "string", "required": True, "enum": ["active", "maintenance", "retired"]},
        "latitude": {"type": "number", "minimum": -90, "maximum": 90},
        "longitude": {"type": "number", "minimum": -180, "maximum": 180},
        "level": {"type": "number", "multipleOf": Decimal("0.1"), "minimum": -500, "maximum": 9000},
        "capacity": {"type": "integer", "minimum": 0, "maximum": 100_000},
        "enabled": {"type": "boolean", "required": True},
        "installed_at": {"type": "string", "format": "date-time"},
        "notes": {"type": "string", "maxLength": 2000},
    },
}


def _open() -> Service:
    return open_service(definitions_from({"gauges": GAUGES}), Path(os.environ["BENCH_DB"]))


def fill(count: int) -> None:
    """Creates the accounts and the gauges through the use cases."""
    service = _open()
    for number in range(OWNERS):
        add_account(service, NewAccount(f"owner-{number}"))
        issue_token(service, f"owner-{number}", NewToken(secret=f"token-{number}"))
    for place, fields in enumerate(gauges(count)):
        caller = Caller(Actor(f"owner-{place % OWNERS}"))
        create(service, caller, CreateRequest("gauges", fields))
    service.close()


def pour(count: int) -> None:
    """Creates many gauges at once: the use case within transactions of a thousand."""
    service = _open()
    callers = [Caller(Actor(f"owner-{number}")) for number in range(OWNERS)]
    rows = enumerate(gauges(count))
    while piece := list(itertools.islice(rows, 1000)):

        def work(unit: Work, piece: list[Any] = piece) -> None:
            for place, fields in piece:
                caller = callers[place % OWNERS]
                asked = CreateRequest("gauges", fields)
                create_within(unit, caller, read_new(service, caller, asked))

        written(service, work)
    service.close()


def serve(port: int, workers: int) -> None:
    """Serves as `fenland start` does."""
    # Read anew each time, unless it is to be seen what remembering them is worth.
    memory = int(os.environ.get("BENCH_LIST_MEMORY", "0"))
    settings = Settings(log_level="warning", port=port, workers=workers, list_memory=memory)
    configure(settings)
    listening, parent = listen(settings.host, port, settings.send_timeout), os.getpid()

    def work(began: Callable[[], None]) -> None:
        front = front_of(_open(), settings, parent)
        gc.collect()
        gc.freeze()
        gc.set_threshold(*COLLECTED_AT)
        serve_on(listening, front, settings, began)

    Supervisor(work, workers, 5, lambda: None).serve()


if __name__ == "__main__":
    parser = argparse.ArgumentParser()
    parser.add_argument("--port", type=int)
    parser.add_argument("--workers", type=int)
    serve(**vars(parser.parse_args()))
