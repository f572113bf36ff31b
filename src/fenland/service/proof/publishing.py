"""Publishing: heads of the history sent to a place that the operator chose, out of reach from here.

That is what makes it impossible to rewrite the history without being seen: who keeps a head elsewhere can
hold the database against it with `fenland verify --head`.
"""

from __future__ import annotations

import fcntl
import os
import time
from pathlib import Path

import httpx
import orjson
import structlog

from fenland.core.problems import Refusal
from fenland.service.proof.proving import head_json, newest_head
from fenland.service.service import Service

_TIMEOUT = 10.0

log = structlog.get_logger()


def publish(service: Service, target: str) -> int:
    """Sends the newest head, with the keys that signed, to a file or an address; its size.

    Raises `OSError`, `httpx.HTTPError`.
    """
    head = newest_head(service)
    with service.database.reading() as reading:
        published = {**head_json(head), "keys": service.database.heads.keys(reading)}
    line = orjson.dumps(published, option=orjson.OPT_APPEND_NEWLINE)
    if target.startswith(("http://", "https://")):
        kind = {"Content-Type": "application/json"}
        httpx.post(target, content=line, headers=kind, timeout=_TIMEOUT).raise_for_status()
    else:
        file = os.open(target, os.O_WRONLY | os.O_APPEND | os.O_CREAT | os.O_CLOEXEC, 0o600)
        try:
            os.write(file, line)
            os.fsync(file)
        finally:
            os.close(file)
    return head.size


def publish_always(service: Service, target: str, minutes: float, lock: Path) -> None:
    """Sends heads at an interval, of several processes one; what fails is logged, and tried again."""
    held = os.open(lock, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
    fcntl.flock(held, fcntl.LOCK_EX)
    sent = 0
    while True:
        try:
            with service.database.reading() as reading:
                size = service.database.history.last(reading).sequence
            if size != sent:
                sent = publish(service, target)
                log.info("head sent", target=target, size=sent)
        except (OSError, httpx.HTTPError, Refusal) as error:
            log.error("head not sent", target=target, why=str(error))
        time.sleep(minutes * 60)
