"""Ending a connection in the middle of an answer, so that nobody takes what was sent for the whole.

The server (decision 001) has no call for that, so the connection is found among the files of this process,
by the address of its other end.
"""

from __future__ import annotations

import os
import socket
from contextlib import suppress
from pathlib import Path

_FILES = Path("/proc/self/fd")


def hang_up(peer: str) -> bool:
    """Ends the connection from this address, written `host:port`; whether there was one."""
    for name in os.listdir(_FILES):
        try:
            if not os.readlink(_FILES / name).startswith("socket:"):
                continue
            # A copy of its own, so that closing it here closes nothing of the server's.
            found = socket.socket(fileno=os.dup(int(name)))
        except OSError:
            continue
        with found, suppress(OSError, ValueError):
            host, port = found.getpeername()[:2]
            if peer in (f"{host}:{port}", f"[{host}]:{port}"):
                found.shutdown(socket.SHUT_RDWR)
                return True
    return False
